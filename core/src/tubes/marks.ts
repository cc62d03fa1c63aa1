import { cross, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import { developedOf, endOf, reversed, startOf, tableOf, turned, type EndCut, type Piece, type Run } from './run.ts';

/** Runs are equal within these: mm and degrees. Between a faceted and an exact one more is let pass. */
const sameLength = 0.02;
const sameAngle = 0.02;

/** What runs are compared by: figures that do not change when a run is moved, with those that change sign in a mirror. */
interface Signature {
  kinds: string;
  lengths: number[];
  /** Degrees, in a turn. */
  turns: number[];
  angles: number[];
}

/** What a run is called the same by, from one of its ends. */
export function signatureOf(run: Run): Signature {
  const { rows, lastLength } = tableOf(run);
  const [first, last] = [run.pieces[0], run.pieces[run.pieces.length - 1]];
  const atStart = frameOf(startOf(first), axisFrom(run.pieces, run.across));
  const atEnd = frameOf(scaled(endOf(last), -1), axisFrom([...run.pieces].reverse(), acrossEnd(run)));
  const { section, ends } = run;
  const turns = rows.map((r) => r.rotation);
  const cuts = [azimuthOf(ends[0], atStart), azimuthOf(ends[1], atEnd)];
  // Without bends the two cuts are only turned against each other.
  if (rows.length === 0) {
    const between = ends[0].normal && ends[1].normal && ends.every((e) => e.slant > 0) ? angleBetween(ends[0].normal, ends[1].normal, startOf(first)) : 0;
    cuts.splice(0, 2, between);
  }
  // Other than round: how the section stands to the first bend; half a turn is the same.
  const flat =
    section.shape === 'round' || rows.length === 0 ? 0 : (((azimuth(run.across, atStart) % 180) + 180) % 180) * (section.width - section.height > 0.01 ? 1 : 0);
  return {
    kinds: `${ends[0].kind} ${ends[1].kind} ${rows.length} ${rows.map((r) => (r.radius > 0 ? 'b' : 'm')).join('')}`,
    lengths: [section.width, section.height, section.wall ?? -1, section.corner, ...rows.flatMap((r) => [r.length, r.radius]), lastLength],
    turns: [...turns, ...cuts, flat],
    angles: [...rows.map((r) => r.angle), ...ends.map((e) => (e.slant * 180) / Math.PI)],
  };
}

const acrossEnd = (run: Run): Vec3 => run.pieces.reduce((v, p) => (p.kind === 'bend' ? turned(v, p.axis, p.angle) : v), run.across);
const axisFrom = (pieces: readonly Piece[], otherwise: Vec3): Vec3 => {
  const bend = pieces.find((p) => p.kind === 'bend');
  return bend?.kind === 'bend' ? bend.axis : otherwise;
};

function frameOf(along: Vec3, axis: Vec3): { along: Vec3; x: Vec3; y: Vec3 } {
  const flat = sub(axis, scaled(along, dot(axis, along)));
  const x = unit(flat);
  return { along, x, y: cross(along, x) };
}

/** Direction of something across, in degrees from the plane of the nearest bend. */
const azimuth = (v: Vec3, { x, y }: { x: Vec3; y: Vec3 }) => (Math.atan2(dot(v, y), dot(v, x)) * 180) / Math.PI;

const azimuthOf = (end: EndCut, frame: { along: Vec3; x: Vec3; y: Vec3 }) => (end.kind === 'mitre' && end.normal ? azimuth(end.normal, frame) : 0);

function angleBetween(a: Vec3, b: Vec3, along: Vec3): number {
  const flat = (v: Vec3) => sub(v, scaled(along, dot(v, along)));
  const [p, q] = [flat(a), flat(b)];
  if (lengthOf(p) < 1e-9 || lengthOf(q) < 1e-9) return 0;
  return (Math.atan2(dot(cross(p, q), along), dot(p, q)) * 180) / Math.PI;
}

const near = (a: readonly number[], b: readonly number[], most: number) => a.length === b.length && a.every((v, i) => Math.abs(v - b[i]) <= most);
const turnsNear = (a: readonly number[], b: readonly number[], sign: number) =>
  a.length === b.length &&
  a.every((v, i) => {
    const d = v - sign * b[i];
    return Math.abs(d - 360 * Math.round(d / 360)) <= sameAngle * 2;
  });

/** Whether two runs are the same, or mirror images of each other. */
export function compared(a: Run, b: Run): 'same' | 'mirrored' | null {
  const own = signatureOf(a);
  for (const [sign, answer] of [
    [1, 'same'],
    [-1, 'mirrored'],
  ] as const) {
    for (const other of [b, reversed(b)]) {
      const s = signatureOf(other);
      if (s.kinds !== own.kinds || !near(s.lengths, own.lengths, sameLength) || !near(s.angles, own.angles, sameAngle)) continue;
      if (turnsNear(own.turns, s.turns, sign)) return answer;
    }
  }
  return null;
}

/** Runs of one mark: one kind of run. */
export interface Mark<T> {
  /** The first of them, which stands for all. */
  first: T;
  runs: T[];
  /** Index of the mark that this one is a mirror image of. */
  mirrorOf: number | null;
}

/**
 * Puts equal runs together. Runs are only held against those of nearly their length.
 * @example marksOf(found.runs, (r) => r.run).map((m) => m.runs.length)
 */
export function marksOf<T>(runs: readonly T[], of: (item: T) => Run): Mark<T>[] {
  const marks: Mark<T>[] = [];
  const byLength = new Map<number, number[]>();
  for (const item of runs) {
    const run = of(item);
    const key = Math.round(developedOf(run));
    const candidates = [key - 1, key, key + 1].flatMap((k) => byLength.get(k) ?? []);
    const same = candidates.find((m) => compared(of(marks[m].first), run) === 'same');
    if (same !== undefined) {
      marks[same].runs.push(item);
      continue;
    }
    const mirror = candidates.find((m) => compared(of(marks[m].first), run) === 'mirrored');
    byLength.set(key, [...(byLength.get(key) ?? []), marks.length]);
    marks.push({ first: item, runs: [item], mirrorOf: mirror ?? null });
  }
  return marks;
}
