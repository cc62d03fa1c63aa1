import { Unusable, worst } from '../base/finding.ts';
import { lengthText, threeLengths } from '../base/figures.ts';
import { command, toFile, type Asked, type Report } from '../command/command.ts';
import { badText, choice, each, flag, millimetres, number, parsed } from '../command/option.ts';
import { facetOptions, readOptions, wholeOf } from '../command/source.ts';
import { threeOf, type Three } from '../command/vectors.ts';
import { meshFileOptions, partOf, reportOf, writeOut } from '../command/written.ts';
import { sizeOf } from '../geometry/box.ts';
import { measureMesh } from '../geometry/mesh.ts';
import { partOfMesh } from '../pipeline/mesh-design.ts';
import { noReceiver } from '../receivers/receivers.ts';
import type { ReliefChoice } from '../mesh/join/relief.ts';
import { meshIn } from '../operations/shape.ts';
import { fits, mostReliefs, stockBounds, usualStanding, usualStock, type CarvePlan, type Standing, type StockChoice } from '../reliefs/choice.ts';
import { lostOfBlock, reliefOnStock } from '../reliefs/part.ts';
import { operand, operated } from './operate.ts';

/** "120,,": a size along each axis; what is left empty follows in proportion. */
function sizesOf(name: string, typed: string): Standing['size'] {
  const parts = typed.split(',').map((v) => (v.trim() === '' ? null : Number(v)));
  const [least, most] = stockBounds.size;
  if (parts.length !== 3 || !parts.every((v) => v === null || (v >= least && v <= most))) throw badText(name, typed, '120,,8');
  return parts as Standing['size'];
}

/** "10,20": a place on the stock. */
function pairOf(name: string, typed: string): [number, number] {
  const numbers = typed.split(',').map((v) => (v.trim() === '' ? NaN : Number(v)));
  if (numbers.length !== 2 || !numbers.every((v) => Math.abs(v) <= stockBounds.at[1])) throw badText(name, typed, '10,20');
  return numbers as [number, number];
}

/** "3x2": copies side by side. */
function tilesOf(name: string, typed: string): [number, number] {
  const found = /^(\d{1,2})x(\d{1,2})$/i.exec(typed.trim());
  const numbers = [Number(found?.[1]), Number(found?.[2])] as [number, number];
  if (!numbers.every((v) => v >= 1 && v <= stockBounds.tiles[1])) throw badText(name, typed, '3x2');
  return numbers;
}

const sides = ['z', '-z', 'y', '-y', 'x', '-x'] as const;

const options = {
  thicken: millimetres([0.001, 10_000], 'Thickened down by this.'),
  base: millimetres([-1e6, 1e6], 'Closed to a flat base at this Z; with --stock what stays solid below the zero plane, usually 3.'),
  margin: millimetres(stockBounds.margin, 'With --base: what the surface leaves of a block with this rim. With --stock: left free round the relief.'),
  stock: parsed('X,Y,Z', 'Set into a block or sheet of this size, mm.', threeOf),
  fit: choice(fits, 'inside', 'What its size comes from: the stock (inside, width, depth, thickness), its own numbers, or --size.'),
  size: parsed('X,Y,Z', 'Its size, mm; what is left empty follows in proportion: 120,,', sizesOf),
  zero: millimetres(stockBounds.zero, 'Height of the zero plane over its lowest place, at its size; usually 0.'),
  below: choice(['cut', 'keep'], 'cut', 'What lies below the zero plane: cut off there, or sunk into the base.'),
  side: choice(sides, 'z', 'Which of its directions points up.'),
  turn: number('DEGREES', stockBounds.turn, 'degrees', 'Turned about Z, counter-clockwise.'),
  mirror: flag('Mirrored left to right.'),
  at: each('X,Y', "Its middle from the stock's middle, mm; once for each relief.", pairOf),
  tiles: parsed('NxN', 'Copies side by side, as 3x2.', tilesOf),
  alternate: flag('Every other copy mirrored, so that they meet.'),
  blend: choice(['highest', 'lowest', 'add'], 'highest', 'Where several reliefs meet.'),
  outline: choice(['stock', 'round', 'own'], 'stock', "Sides of the stock, a round one, or the relief's own outline."),
  draft: number('DEGREES', stockBounds.draft, 'degrees', 'Lean of the sides.'),
  cell: millimetres(stockBounds.cell, 'Distance of heights; usually 400 along the longer side.'),
  smooth: parsed('MM,MM', 'Smoothed with edges kept: how far, and by how much of height an edge differs.', pairOf),
  datum: choice(['corner', 'centre'], 'corner', 'Where X and Y are zero.'),
  zeroZ: choice(['bed', 'top'], 'bed', 'Where Z is zero: under the stock or on top of it.'),
  bit: millimetres(stockBounds.diameter, 'Says what a bit of this diameter leaves, and how long it takes.'),
  tip: choice(['ball', 'flat'], 'ball', 'Its tip.'),
  between: millimetres(stockBounds.between, 'Distance of its passes; usually a tenth of its diameter.'),
  coarse: millimetres(stockBounds.diameter, 'A coarse flat bit of this diameter before it.'),
  layer: millimetres(stockBounds.layer, 'Depth of its layers; usually half its diameter.'),
  feed: number('MM/MIN', stockBounds.feed, 'mm/min', 'Feed of the estimate; usually 1500.'),
  ...readOptions,
  ...facetOptions,
  ...meshFileOptions,
};

type Wish = Asked<typeof options>;

/** Without a stock: thickened, closed, or what it leaves of a block. @throws Unusable when it is neither or both. */
function choiceOf({ thicken, base, margin }: Pick<Wish, 'thicken' | 'base' | 'margin'>): ReliefChoice {
  if (thicken !== null && base === null) return { kind: 'thicken', thickness: thicken };
  if (base !== null && thicken === null) return margin !== null ? { kind: 'block', margin, height: base } : { kind: 'base', height: base };
  throw new Unusable(
    'which-relief',
    '"relief" needs --stock, --thicken or --base.',
    'For instance: --stock 300,200,20, or --base -5 for a flat base at Z -5 mm.',
  );
}

function planOf({ bit, tip, between, coarse, layer, feed }: Wish): CarvePlan | null {
  if (bit === null) {
    if (coarse !== null || between !== null)
      throw new Unusable('no-bit', '--coarse and --between belong to --bit.', 'Type --bit with the diameter of the fine bit.');
    return null;
  }
  return {
    fine: { kind: tip, diameter: bit, between: between ?? Math.max(stockBounds.between[0], bit / 10) },
    coarse:
      coarse === null ? null : { kind: 'flat', diameter: coarse, between: coarse / 2, layer: layer ?? Math.max(stockBounds.layer[0], coarse / 2), leave: 0.2 },
    feed: feed ?? 1500,
    plunge: (feed ?? 1500) / 3,
  };
}

function stockOf(stock: Three, given: Wish): StockChoice {
  const [least, most] = stockBounds.stock;
  if (!stock.every((v) => v >= least && v <= most)) throw badText('stock', stock.join(','), '300,200,20');
  if (given.thicken !== null) throw new Unusable('which-relief', '"relief" takes --stock or --thicken, not both.', 'Leave one of them out.');
  const standing: Standing = {
    ...usualStanding,
    up: given.side,
    turn: given.turn ?? 0,
    mirror: given.mirror,
    fit: given.size ? 'typed' : given.fit,
    size: given.size ?? [null, null, null],
    zero: given.zero ?? 0,
    below: given.below,
    tiles: given.tiles ?? [1, 1],
    mirrored: given.alternate,
    blend: given.blend,
  };
  return {
    ...usualStock,
    stock,
    margin: given.margin ?? 0,
    base: given.base ?? usualStock.base,
    outline: given.outline,
    draft: given.draft ?? 0,
    cell: given.cell,
    smooth: given.smooth && { spread: given.smooth[0], edge: given.smooth[1] },
    datum: given.datum,
    zeroZ: given.zeroZ,
    reliefs: given.files.map((_, i) => ({ ...standing, at: given.at[i] ?? [0, 0] })),
    plan: planOf(given),
  };
}

async function ontoStock(stock: Three, given: Wish): Promise<Report> {
  const choice = stockOf(stock, given);
  const loaded = [];
  for (const file of given.files) loaded.push(await wholeOf(file, given));
  const { mesh, origin, findings } = reliefOnStock(loaded, choice);
  const part = partOfMesh(mesh, { name: loaded[0].name, path: [loaded[0].name], quantity: 1, colour: loaded[0].colour, unit: 'mm', format: 'made here' });
  part.summary.lost = lostOfBlock(findings);
  const told = [...loaded.flatMap((l) => l.findings.filter((f) => f.code === 'left-out')), ...findings];
  const written = await writeOut(given.out, [partOf(loaded[0].name, mesh, loaded[0].colour)], {
    ...given,
    quads: given.quads && 'bent',
    receiver: given.receiver ?? noReceiver,
  });
  const [first] = origin.reliefs;
  const said = [
    `${threeLengths(sizeOf(part.summary.box))} mm block, ${origin.volume.toFixed(1)} mm3, closed; relief ${threeLengths(first.size)} mm, ${Number(first.factors[0].toPrecision(6))} times its own size.`,
    `Heights every ${lengthText(Math.max(...origin.step))} mm; from the relief they differ by ${lengthText(origin.differ.largest)} mm at most, ${lengthText(origin.differ.mean)} mm on average.`,
    ...planSaid(origin.plan),
  ];
  const json = {
    stock: choice.stock,
    relief: origin,
    volume: origin.volume,
    size: sizeOf(part.summary.box),
    zero: choice.reliefs[0].zero,
    below: choice.reliefs[0].below,
  };
  const report = reportOf(given.files[0], json, { said: said, written: [written], findings: told });
  return { ...report, severities: [worst([...report.severities, ...findings.map((f) => f.severity)])] };
}

const minutes = (v: number) => (v < 1 ? `${Math.ceil(v * 60)} s` : `${v.toFixed(1)} min`);

function planSaid(plan: NonNullable<ReturnType<typeof reliefOnStock>['origin']['plan']> | null): string[] {
  if (!plan) return [];
  const { fine, coarse, ridge, left, alone } = plan;
  return [
    `${fine.kind} ${lengthText(fine.diameter)} mm, passes ${lengthText(fine.between)} mm apart${ridge === null ? '' : `, ridges ${lengthText(ridge)} mm`}: leaves ${left.volume.toFixed(1)} mm3, ${lengthText(left.most)} mm at most, more than 0.05 mm on ${(100 * left.share).toFixed(1)} %.`,
    `About ${coarse ? `${minutes(coarse.minutes)} coarse in ${coarse.layers} layers and ${minutes(fine.minutes)} fine; ` : ''}${minutes(alone)} with the fine bit alone.`,
  ];
}

async function run(given: Wish): Promise<Report> {
  if (given.stock) return ontoStock(given.stock, given);
  if (given.files.length > 1) throw new Unusable('too-many-files', 'Several reliefs need a stock to stand on.', 'Type --stock X,Y,Z.');
  const choice = choiceOf(given);
  const loaded = await wholeOf(given.files[0], given);
  const { made } = await operated({ kind: 'relief', part: '', choice }, [operand(loaded)]);
  const mesh = meshIn(made[0]);
  const { volume, box } = measureMesh(mesh);
  const size = sizeOf(box);
  const written = await writeOut(given.out, [partOf(loaded.name, mesh, loaded.colour)], given);
  const shown = size.map((v) => `${Number(v.toPrecision(6))} mm`).join(' x ');
  return reportOf(given.files[0], { choice, volume, size }, { said: [`${shown}, ${volume.toFixed(1)} mm3, closed.`], written: [written], findings: [] });
}

export const reliefCommand = command({
  word: 'relief',
  takes: 'IN...',
  least: 1,
  most: mostReliefs,
  out: toFile,
  options,
  does: 'A relief or terrain as a solid: set into a stock at its size, with its zero plane, several at once if wanted; or thickened down, closed to a flat base, or what it leaves of a block.',
  example: 'relief "WS-112 sign relief.obj" --stock 300,200,20 --margin 10 --bit 3 --out sign.stl',
  run,
});
