import { circleThrough } from '../geometry/circle.ts';
import { cross, distance, dot, lengthOf, scaled, unit, add, type Vec3 } from '../geometry/vector.ts';
import { bendAbout, endOf, joinedStraights, startOf, type Bend, type Piece, type Straight } from './run.ts';

/** Chords and turns of facets of one bend differ by less than this share. */
const likeShare = 0.02;
/** Turns of facets differ by less than this, rad, whatever their share. */
const likeTurn = 2e-3;
/** At least so many facets make a bend; fewer are mitres. */
const leastChords = 2;

const like = (a: number, b: number) => Math.abs(a - b) <= Math.max(likeTurn, likeShare * Math.max(a, b));

/**
 * Bends that came as facets: straights of one length between mitres of one turn about one axis. The corners lie on the arc when the first and the last
 * turn are half of the others (facets between rings on a round), and the facets touch the arc when all turns are the same (a bend of mitred rings).
 * @param slants turn at the very ends that their cuts show (rad), so that a bend at an end is known
 */
export function arcsOf(pieces: readonly Piece[], near: number): Piece[] {
  const out: Piece[] = [];
  for (let i = 0; i < pieces.length;) {
    const taken = arcAt(pieces, i, near);
    if (!taken) {
      out.push(pieces[i++]);
      continue;
    }
    const before = out[out.length - 1];
    if (taken.early > 0 && before?.kind === 'straight') out[out.length - 1] = { ...before, to: add(before.to, scaled(before.along, -taken.early)) };
    out.push(taken.bend);
    i = taken.next;
    const after = pieces[i];
    if (after?.kind === 'straight') {
      out.push({ ...after, from: taken.bend.to });
      i++;
    }
  }
  return joinedStraights(out.filter((p) => p.kind === 'bend' || distance(p.from, p.to) > near));
}

const mitreOf = (p: Piece | undefined): Bend | null => (p?.kind === 'bend' && p.radius === 0 ? p : null);

/** Mitres that follow each other like the facets of a bend, and the straights between them. */
interface Facets {
  corners: Bend[];
  chords: Straight[];
  /** Turn of a facet, rad. */
  step: number;
}

const lengthBetween = ({ from, to }: Straight) => distance(from, to);

/** Whether one more facet goes on as those before it. */
function goesOn({ corners, chords }: Pick<Facets, 'corners' | 'chords'>, chord: Straight, corner: Bend, near: number): boolean {
  const length = lengthBetween(chord);
  if (chords.length > 0 && Math.abs(length - lengthBetween(chords[0])) > Math.max(near * 4, likeShare * length)) return false;
  if (dot(corner.axis, corners[0].axis) < Math.cos(0.02 + (4 * near) / length)) return false;
  // After a turn of half the others the bend is over.
  return corners.length <= 2 || like(corners[corners.length - 1].angle, corners[1].angle);
}

function facetsAt(pieces: readonly Piece[], i: number, near: number): Facets | null {
  const begin = mitreOf(pieces[i]);
  if (!begin) return null;
  const found = { corners: [begin], chords: [] as Straight[] };
  for (let k = i + 1; ; k += 2) {
    const [chord, corner] = [pieces[k], mitreOf(pieces[k + 1])];
    if (chord?.kind !== 'straight' || !corner || !goesOn(found, chord, corner, near)) break;
    found.chords.push(chord);
    found.corners.push(corner);
  }
  if (found.chords.length < leastChords) return null;
  const step = found.corners[1].angle;
  return found.corners.slice(1, -1).every((c) => like(c.angle, step)) ? { ...found, step } : null;
}

/** The bend whose first corner is the mitre at `i`. */
function arcAt(pieces: readonly Piece[], i: number, near: number): { bend: Bend; next: number; early: number } | null {
  const facets = facetsAt(pieces, i, near);
  if (!facets) return null;
  const { corners, chords, step } = facets;
  const [first, last] = [corners[0], corners[corners.length - 1]];
  const turn = turnOf(corners);
  const next = i + 2 * chords.length + 1;
  if (like(first.angle, step / 2) && like(last.angle, step / 2)) {
    const circle = circleThrough(first.from, corners[corners.length >> 1].from, last.from);
    return circle && { bend: { ...bendAbout({ from: first.from, ...turn }, circle.r, chords.length), to: last.from }, next, early: 0 };
  }
  if (!like(first.angle, step) || !like(last.angle, step)) return null;
  const chord = chords.reduce((all, c) => all + lengthBetween(c), 0) / chords.length;
  const early = chord / 2;
  const [previous, following] = [pieces[i - 1], pieces[next]];
  // The arc reaches half a facet into the straights beside it.
  if (previous?.kind !== 'straight' || following?.kind !== 'straight') return null;
  if (Math.min(lengthBetween(previous), lengthBetween(following)) < early) return null;
  const from = add(first.from, scaled(turn.before, -early));
  const bend = bendAbout({ from, ...turn }, early / Math.tan(turn.angle / corners.length / 2), corners.length);
  return { bend: { ...bend, to: add(last.from, scaled(endOf(last), early)) }, next, early };
}

/** Direction before, axis and angle of all corners together. */
function turnOf(corners: readonly Bend[]): Pick<Bend, 'before' | 'axis' | 'angle'> {
  const [before, after] = [startOf(corners[0]), endOf(corners[corners.length - 1])];
  const sum = corners.reduce((all, c) => all + c.angle, 0);
  // Near half a turn the two directions say little of the axis and of the angle: the corners do.
  if (sum >= 2.9) return { before, axis: unit(corners.reduce((all, c) => add(all, scaled(c.axis, c.angle)), [0, 0, 0] as Vec3)), angle: sum };
  const n = cross(before, after);
  return { before, axis: unit(n), angle: Math.atan2(lengthOf(n), dot(before, after)) };
}

/** Mitres in a row that are neither a bend of facets nor few enough to be meant: no table would say what they are. */
export function looseFacets(pieces: readonly Piece[], width: number): Bend | null {
  let row = 0;
  for (let i = 0; i < pieces.length; i++) {
    const p = pieces[i];
    const mitre = mitreOf(p);
    if (mitre) {
      row++;
      if (row > 4) return mitre;
    } else if (p.kind === 'bend' || distance(p.from, p.to) > width * 1.5) row = 0;
  }
  return null;
}

/** Bends that go on about one centre as one, and straights in one line as one. */
export function mergedPieces(pieces: readonly Piece[], near: number): Piece[] {
  const out: Piece[] = [];
  for (const p of joinedStraights(pieces)) {
    const last = out[out.length - 1];
    const bends = last !== undefined && last.kind === 'bend' && p.kind === 'bend' && last.radius > 0 && p.radius > 0;
    if (bends && distance(last.centre, p.centre) <= near && dot(last.axis, p.axis) > 1 - 1e-9)
      out[out.length - 1] = { ...last, to: p.to, angle: last.angle + p.angle };
    else out.push(p);
  }
  return out;
}
