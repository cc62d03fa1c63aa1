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

/** The bend whose first corner is the mitre at `i`. */
function arcAt(pieces: readonly Piece[], i: number, near: number): { bend: Bend; next: number; early: number } | null {
  const begin = mitreOf(pieces[i]);
  if (!begin) return null;
  const corners: Bend[] = [begin];
  const chords: Straight[] = [];
  for (let k = i + 1; ; k += 2) {
    const [chord, corner] = [pieces[k], mitreOf(pieces[k + 1])];
    if (chord?.kind !== 'straight' || !corner) break;
    const length = distance(chord.from, chord.to);
    if (chords.length > 0 && Math.abs(length - distance(chords[0].from, chords[0].to)) > Math.max(near * 4, likeShare * length)) break;
    if (dot(corner.axis, corners[0].axis) < Math.cos(0.02 + (4 * near) / length)) break;
    // After a turn of half the others the bend is over.
    if (corners.length > 2 && !like(corners[corners.length - 1].angle, corners[1].angle)) break;
    chords.push(chord);
    corners.push(corner);
  }
  if (chords.length < leastChords) return null;
  const step = corners[1].angle;
  if (!corners.slice(1, -1).every((c) => like(c.angle, step))) return null;
  const [first, last] = [corners[0], corners[corners.length - 1]];
  const [before, after] = [startOf(first), endOf(last)];
  const sum = corners.reduce((all, c) => all + c.angle, 0);
  const n = cross(before, after);
  // Near half a turn the two directions say little of the axis and of the angle: the corners do.
  const sure = sum < 2.9;
  const axis: Vec3 = sure ? unit(n) : unit(corners.reduce((all, c) => add(all, scaled(c.axis, c.angle)), [0, 0, 0] as Vec3));
  const angle = sure ? Math.atan2(lengthOf(n), dot(before, after)) : sum;
  const next = i + 2 * chords.length + 1;
  if (like(first.angle, step / 2) && like(last.angle, step / 2)) {
    const circle = circleThrough(first.from, corners[corners.length >> 1].from, last.from);
    if (!circle) return null;
    return { bend: { ...bendAbout(first.from, before, axis, angle, circle.r, chords.length), to: last.from }, next, early: 0 };
  }
  if (like(first.angle, step) && like(last.angle, step)) {
    const chord = chords.reduce((all, c) => all + distance(c.from, c.to), 0) / chords.length;
    const radius = chord / 2 / Math.tan(angle / corners.length / 2);
    const early = chord / 2;
    const previous = pieces[i - 1];
    const following = pieces[next];
    // The arc reaches half a facet into the straights beside it.
    if (previous?.kind !== 'straight' || following?.kind !== 'straight') return null;
    if (Math.min(distance(previous.from, previous.to), distance(following.from, following.to)) < early) return null;
    const from = add(first.from, scaled(before, -early));
    return { bend: { ...bendAbout(from, before, axis, angle, radius, corners.length), to: add(last.from, scaled(after, early)) }, next, early };
  }
  return null;
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
