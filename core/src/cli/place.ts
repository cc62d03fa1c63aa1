import { Unusable } from '../base/finding.ts';
import { factorFor } from '../base/readings.ts';
import { command, toFile, type Asked, type Report } from '../command/command.ts';
import { each, flag, number, parsed } from '../command/option.ts';
import { facetOptions, readOptions, wholeOf } from '../command/source.ts';
import { axisOf, knownLengthOf, threeOf, turnOf } from '../command/vectors.ts';
import { meshFileOptions, partOf, reportOf, writeOut } from '../command/written.ts';
import { boxOf, sizeOf } from '../geometry/box.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { placed } from '../geometry/placement.ts';
import { identityRows, type Rows } from '../geometry/rows.ts';
import { factorForSize, mirrored, turnedAbout } from '../mesh/join/move.ts';

const options = {
  scale: number('F', [1e-6, 1e6], 'times', 'How many times as large.'),
  knownLength: parsed('x=1524', 'So large that it is this long along an axis, mm.', knownLengthOf),
  mirrored: parsed('x|y|z', 'Across which axis.', axisOf),
  turn: each('z=90', 'About an axis, in degrees; as often as needed.', turnOf),
  centre: flag('Its middle to zero.'),
  move: parsed('X,Y,Z', 'Moved by this.', threeOf),
  drop: flag('Set down at Z 0.'),
  ...readOptions,
  ...facetOptions,
  ...meshFileOptions,
};

const mm = (v: number) => `${Number(v.toPrecision(6))} mm`;

/** What units a factor explains, when they do: the part was read in another unit than it was made in. */
const factorName = (factor: number): string | null => (factor === 1 ? null : factorFor(1, factor).name);

function moved(mesh: Mesh, rows: Rows): Mesh {
  const turn = [0, 1, 2].flatMap((r) => rows.slice(r * 4, r * 4 + 3));
  return { positions: placed(mesh.positions, { rows: Float64Array.from(turn), shift: [rows[3], rows[7], rows[11]] }), triangles: mesh.triangles };
}

const shifted = (mesh: Mesh, [x, y, z]: readonly number[]): Mesh => moved(mesh, [1, 0, 0, x, 0, 1, 0, y, 0, 0, 1, z]);

type Wish = Pick<Asked<typeof options>, 'scale' | 'knownLength' | 'mirrored' | 'turn' | 'centre' | 'move' | 'drop'>;

/** The mesh after all that was asked for, in the order in which it is told. */
function placedAs(source: Mesh, wish: Wish): { mesh: Mesh; factor: number; said: string[] } {
  let mesh = source;
  const said: string[] = [];
  const { knownLength: known } = wish;
  const factor = known ? factorForSize(boxOf(mesh.positions), known.axis, known.length) : (wish.scale ?? 1);
  if (factor !== 1) {
    mesh = moved(mesh, [factor, 0, 0, 0, 0, factor, 0, 0, 0, 0, factor, 0]);
    const name = factorName(factor);
    said.push(`Scaled by ${Number(factor.toPrecision(9))}${name ? ` (${name})` : ''}.`);
  }
  if (wish.mirrored !== null) {
    mesh = mirrored(mesh, wish.mirrored, 0);
    said.push(`Mirrored across ${'XYZ'[wish.mirrored]}.`);
  }
  for (const { axis, degrees } of wish.turn) {
    mesh = moved(mesh, turnedAbout(identityRows, axis, degrees, [0, 0, 0]));
    said.push(`Turned ${degrees} degrees about ${'XYZ'[axis]}.`);
  }
  if (wish.centre) {
    const { min, max } = boxOf(mesh.positions);
    mesh = shifted(mesh, [0, 1, 2].map((k) => -(min[k] + max[k]) / 2)); // prettier-ignore
    said.push('Centred at zero.');
  }
  if (wish.move !== null) {
    mesh = shifted(mesh, wish.move);
    said.push(`Moved by ${wish.move.join(', ')} mm.`);
  }
  if (wish.drop) {
    mesh = shifted(mesh, [0, 0, -boxOf(mesh.positions).min[2]]);
    said.push('Set down at Z 0.');
  }
  return { mesh, factor, said };
}

async function run(asked: Asked<typeof options>): Promise<Report> {
  const { name, mesh: source, colour } = await wholeOf(asked.files[0], asked);
  const { mesh, factor, said } = placedAs(source, asked);
  if (said.length === 0)
    throw new Unusable('nothing-to-do', '"place" was told nothing to do.', 'Add --move, --turn, --scale, --known-length, --mirrored, --centre or --drop.');
  const written = await writeOut(asked.out, [partOf(name, mesh, colour)], asked);
  const [before, box] = [sizeOf(boxOf(source.positions)), boxOf(mesh.positions)];
  const size = sizeOf(box);
  const steps = [...said, `${before.map(mm).join(' x ')} became ${size.map(mm).join(' x ')}.`];
  return reportOf(asked.files[0], { factor, factorName: factorName(factor), before, size, box, steps }, { said: steps, written: [written] });
}

export const placeCommand = command({
  word: 'place',
  takes: 'IN',
  least: 1,
  most: 1,
  out: toFile,
  options,
  does: 'Scaled, mirrored, turned, centred, moved, set down: in this order, whatever the order in which it was typed. A factor that units explain is named.',
  example: 'place "WS-105 hub.stl" --scale 25.4 --turn z=90 --drop --out placed.stl',
  run,
});
