import Papa from 'papaparse';
import { Unusable } from '../base/finding.ts';
import { SolidBuilder } from '../kernel/build.ts';
import { measuredSolid, tubeSolid } from '../kernel/tube-build.ts';
import type { Kernel } from '../kernel/kernel.ts';
import type { Geometry, PartSummary } from '../model/design.ts';
import { solidPartOf } from '../pipeline/exact-design.ts';
import { stretchesOf } from '../tubes/rebuild.ts';
import { anyAcross, piecesOf, piecesThrough, startOf, turned, type Piece, type Run, type Section } from '../tubes/run.ts';
import { sectionBy } from '../tubes/sections.ts';
import { identityRows } from '../geometry/rows.ts';
import { distance, type Vec3 } from '../geometry/vector.ts';
import { betweenSegments, polyline } from './order.ts';
import { readTable, type ReadTable } from './table-file.ts';

/** "42.4x2.6": round with a wall; "30x20x2": width, height and wall; "12": a round bar. @throws Unusable when it is none of these */
export function tubeOf(name: string, typed: string): Section {
  const values = typed.toLowerCase().split('x').map(Number);
  const good = values.length >= 1 && values.length <= 3 && values.every((v) => v > 0 && v <= 2000);
  const wall = values.length === 1 ? null : values[values.length - 1];
  const [width, height] = values.length === 3 ? [Math.max(values[0], values[1]), Math.min(values[0], values[1])] : [values[0], values[0]];
  if (!good || (wall !== null && wall * 2 >= height))
    throw new Unusable(
      'bad-tube',
      `--${name} must be like 42.4x2.6 (round, wall), 30x20x2 (width, height, wall) or 12 (round bar), not "${typed}".`,
      'The wall must be more than 0 and less than half of the size. Lengths are mm.',
    );
  const round = values.length < 3;
  return sectionBy(round ? 'round' : width === height ? 'square' : 'rectangular', [width, height], wall, round ? width / 2 : 0);
}

/**
 * A tube that is typed: a bend table, or a row of points (x, y, z, and a radius where it is not the same for all). It becomes a solid, which goes the same way
 * as one that was brought in.
 * @throws Unusable in a sentence when a figure is missing, bends need more room than there is, or the tube crosses itself
 */
export async function typedRun(
  text: string,
  about: { name: string; radius: number | null; section: Section | null },
  kernel: () => Promise<Kernel>,
): Promise<{ summary: PartSummary; geometry: Geometry }> {
  const head = text
    .replace(/^\uFEFF/, '')
    .split(/\r?\n/)[0]
    .toLowerCase();
  const run = head.includes('length_mm') ? runOfTable(readTable(new TextEncoder().encode(text))) : runOfPoints(text, about.radius, about.section);
  checkCrossing(run);
  const k = await kernel();
  const solid = tubeSolid(k, stretchesOf(run));
  const { volume, area } = measuredSolid(k, solid);
  const brep = new SolidBuilder(k).brep(solid);
  const points = polyline(run);
  const r = run.section.width;
  const bound = (pick: (...v: number[]) => number, by: number) => [0, 1, 2].map((a) => pick(...points.map((p) => p[a])) + by) as Vec3;
  const box = { min: bound(Math.min, -r), max: bound(Math.max, r) };
  const part = solidPartOf(
    {
      name: about.name,
      path: [about.name],
      quantity: 1,
      colour: null,
      box,
      volume,
      area,
      centre: points[points.length >> 1],
      faces: 0,
      shells: 1,
      places: [identityRows],
      above: [[]],
      brep,
    },
    'mm',
    'typed',
  );
  return { summary: part.summary, geometry: { kind: 'solid', brep } };
}

/** The tube that a table makes, standing as a machine holds it. @throws Unusable when a row makes no bend */
export function runOfTable({ table, section, turn }: ReadTable): Run {
  table.rows.forEach((r) => {
    if (r.length < 0 || r.radius < 0 || !(Math.abs(r.angle) > 0 && Math.abs(r.angle) <= 350))
      throw new Unusable(
        'bad-table',
        `Bend ${r.order} of the table: lengths and radii must not be negative, and it must bend by up to 350 degrees.`,
        'Check the row.',
      );
  });
  const pieces = piecesOf(table);
  if (pieces.length === 0) throw new Unusable('bad-table', 'The table makes no tube: all its lengths are 0.', 'Check its columns.');
  return squareRun(pieces, section, turned([0, 0, 1], [1, 0, 0], (turn * Math.PI) / 180));
}

function runOfPoints(text: string, radius: number | null, section: Section | null): Run {
  if (!section) throw new Unusable('no-section', 'A row of points needs the size of the tube.', 'Add it: --tube 42.4x2.6');
  const { data, meta } = Papa.parse<string[]>(text.replace(/^\uFEFF/, ''), { skipEmptyLines: 'greedy' });
  const comma = meta.delimiter !== ',';
  const num = (t: string | undefined) => ((t ?? '').trim() === '' ? NaN : Number(comma ? t!.replace(',', '.') : t));
  const names = data[0].map((c) => c.trim().toLowerCase());
  const column = (name: string, otherwise: number) => {
    const at = names.findIndex((n) => n === name || n.startsWith(`${name}_`) || n.startsWith(`${name} `));
    return at >= 0 ? at : otherwise;
  };
  const headed = data[0].some((c) => Number.isNaN(num(c)) && c.trim() !== '');
  const at = headed ? ['x', 'y', 'z', 'radius'].map((n) => column(n, -1)) : [0, 1, 2, 3];
  const rows = headed ? data.slice(1) : data;
  const points = rows.map((row, i) => {
    const p = at.slice(0, 3).map((c) => num(row[c])) as Vec3;
    if (p.some((v) => !Number.isFinite(v)))
      throw new Unusable(
        'bad-points',
        `Line ${i + (headed ? 2 : 1)} of the points has no three numbers.`,
        'Give x, y and z in mm, and a radius where it differs.',
      );
    return p;
  });
  if (points.length < 2) throw new Unusable('bad-points', 'A tube needs at least two points.', 'Give one a line: x, y, z.');
  points.forEach((p, i) => {
    if (i > 0 && distance(p, points[i - 1]) < 1e-6) throw new Unusable('bad-points', `Points ${i} and ${i + 1} are the same.`, 'Leave one of them away.');
  });
  const radii = rows.map((row, i) => {
    const own = at[3] >= 0 ? num(row[at[3]]) : NaN;
    const r = Number.isFinite(own) ? own : radius;
    if (i > 0 && i < rows.length - 1 && (r === null || !(r >= 0)))
      throw new Unusable('no-radius', `Point ${i + 1} has no radius.`, 'Add a column "radius", or say --radius.');
    return r ?? 0;
  });
  const { pieces, short } = piecesThrough(points, radii);
  if (short !== null)
    throw new Unusable(
      'no-room',
      `At point ${short + 1} the bends need more length than there is between the points.`,
      'Take a smaller radius, or move the points apart.',
    );
  return squareRun(pieces, section, anyAcross(startOf(pieces[0])));
}

function squareRun(pieces: Piece[], section: Section, across: Vec3): Run {
  const tight = pieces.find((p) => p.kind === 'bend' && p.radius > 0 && p.radius <= section.width / 2);
  if (tight)
    throw new Unusable(
      'too-tight',
      `A bend of radius ${(tight as { radius: number }).radius} mm is tighter than the tube is wide (${section.width} mm): its inside would fold over itself.`,
      'Take a larger radius, or a mitre (radius 0).',
    );
  const square = { kind: 'square' as const, slant: 0, normal: null };
  return { section, pieces, across, ends: [square, square] };
}

/** Straights and bends of a typed tube at most. */
const mostPieces = 400;

/** A tube that crosses itself can't be bent. */
function checkCrossing(run: Run): void {
  if (run.pieces.length > mostPieces)
    throw new Unusable('too-many-bends', `The tube has ${run.pieces.length} straights and bends; at most ${mostPieces} are taken.`, 'Divide it.');
  const points = polyline(run);
  const along = [0];
  for (let i = 1; i < points.length; i++) along.push(along[i - 1] + distance(points[i - 1], points[i]));
  const size = Math.max(run.section.width, run.section.height);
  for (let i = 0; i + 1 < points.length; i++)
    for (let j = i + 2; j + 1 < points.length; j++) {
      if (along[j] - along[i + 1] < 2.5 * size) continue;
      const off = betweenSegments([points[i], points[i + 1]], [points[j], points[j + 1]]);
      if (off < size * 0.999)
        throw new Unusable(
          'crosses-itself',
          `The tube crosses itself: ${Number(along[i].toFixed(1))} mm from its beginning it is ${Number(off.toFixed(2))} mm away from a place ${Number(along[j].toFixed(1))} mm along.`,
          'Check the table or the points.',
        );
    }
}
