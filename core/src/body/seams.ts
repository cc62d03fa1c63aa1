import { surfaceAt, type Surface } from '../surfaces/surfaces.ts';
import { curveAt, type Curve } from '../surfaces/curves.ts';
import { flatKnots } from '../surfaces/nurbs.ts';
import { add, distance, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import { NotTaken, type Body, type BodyFace, type Use } from './body.ts';
import type { Inverse } from './inverse.ts';

/** A loop in the parameter plane: its uses with where each begins, and by how much it has gone round the surface when it is back, in u and v. */
export interface Wound {
  uses: { use: Use; begin: [number, number] }[];
  by: [number, number];
}

/** A seam's curve keeps to the surface within this share of the body's size. */
const onSurface = 1e-9;
/** Pieces of a seam's curve at most. */
const mostPieces = 256;
/** At a pole the tangent round it is this much shorter than the body is long. */
const noTangent = 1e-9;
/** Pairs of corners at most that are looked at for the shortest seam. */
const mostPairs = 250_000;

/** Which way loops go round, and on which side of the first the face lies: 1 towards larger parameters across it. */
interface Way {
  on: Inverse;
  along: 0 | 1;
  side: number;
  size: number;
}

/**
 * Cuts a face of a closed surface open whose loops go round it: a seam from a corner of one to a corner of the other, or to the pole that the one goes round.
 * Many programs write such faces without a seam. The body gets the edge, the face one loop in place of those.
 * @throws NotTaken when the loops do not say which side is meant
 */
export function cutOpen(body: Body, face: BodyFace, { on, size }: { on: Inverse; size: number }, loops: readonly Wound[]): void {
  const round = loops.filter((l) => l.by[0] !== 0 || l.by[1] !== 0);
  const rest = loops.filter((l) => !round.includes(l)).map((l) => l.uses.map((u) => u.use));
  const [one, two] = round;
  const along = one.by[0] !== 0 ? 0 : 1;
  const period = along === 0 ? on.uPeriod : on.vPeriod;
  const once = round.every((l) => Math.abs(Math.abs(l.by[along]) - period) < 1e-6 * period && l.by[1 - along] === 0);
  if (!once || round.length > 2 || (two && one.by[along] * two.by[along] > 0)) throw new NotTaken('wound-loops');
  // The face lies to the left of a loop as it is seen from outside: to the right goes up, up goes to the left.
  const side = Math.sign(one.by[along]) * (face.turned ? -1 : 1) * (along === 0 ? 1 : -1);
  const way = { on, along, side, size } as const;
  const [i, to, j] = two ? shortest(one, two, way) : [0, poleBeyond(one.uses[0].begin, way), -1];
  const from = one.uses[i].begin;
  const end = two ? cornerOf(body, two.uses[j].use) : body.points.push(surfaceAt(on.surface, to[0], to[1]).at) - 1;
  const curve = seamCurve(on.surface, from, to, size);
  const edge = body.edges.push({ ...curve, start: cornerOf(body, one.uses[i].use), end }) - 1;
  const after = two ? turnedTo(two, j) : [];
  face.loops = [[...turnedTo(one, i), { edge, turned: false }, ...after, { edge, turned: true }], ...rest];
}

/**
 * Gives a face of a whole ball or ring, of which only the holes are said, its outline: a seam from pole to pole, or both seams of a ring.
 * @returns false for other surfaces
 */
export function wholeAround(body: Body, face: BodyFace, on: Inverse): boolean {
  const s = on.surface;
  if (s.kind !== 'sphere' && s.kind !== 'torus') return false;
  const [u, v] = [freeTurn(body, face, on, 0), s.kind === 'torus' ? freeTurn(body, face, on, 1) : 0];
  const { at, x, y, z } = s.frame;
  const out: Vec3 = add(scaled(x, Math.cos(u)), scaled(y, Math.sin(u)));
  if (s.kind === 'sphere') {
    const [start, end] = [-1, 1].map((up) => body.points.push(add(at, scaled(z, up * s.r))) - 1);
    const edge = body.edges.push({ curve: { kind: 'circle', at, x: out, y: z, rx: s.r, ry: s.r }, from: -Math.PI / 2, to: Math.PI / 2, start, end }) - 1;
    face.loops.unshift([{ edge, turned: false }, { edge, turned: true }]); // prettier-ignore
    return true;
  }
  const corner = body.points.push(surfaceAt(s, u, v).at) - 1;
  const r = s.major + s.minor * Math.cos(v);
  const ring = body.edges.push({ curve: { kind: 'circle', at: add(at, scaled(z, s.minor * Math.sin(v))), x, y, rx: r, ry: r }, from: u, to: u + 2 * Math.PI, start: corner, end: corner }) - 1; // prettier-ignore
  const tube = body.edges.push({ curve: { kind: 'circle', at: add(at, scaled(out, s.major)), x: out, y: z, rx: s.minor, ry: s.minor }, from: v, to: v + 2 * Math.PI, start: corner, end: corner }) - 1; // prettier-ignore
  const order = face.turned ? [tube, ring] : [ring, tube];
  face.loops.unshift([...order.map((edge) => ({ edge, turned: false })), ...order.map((edge) => ({ edge, turned: true }))]);
  return true;
}

/** A parameter that no edge of a face comes near: the middle of the widest gap between its places. */
function freeTurn(body: Body, face: BodyFace, on: Inverse, along: 0 | 1): number {
  const turn = 2 * Math.PI;
  const taken: number[] = [];
  for (const { edge } of face.loops.flat()) {
    const { curve, from, to } = body.edges[edge];
    for (let i = 0; i <= 32; i++) {
      on.find(curveAt(curve, from + ((to - from) * i) / 32, 1).at);
      taken.push((((along === 0 ? on.u : on.v) % turn) + turn) % turn);
    }
  }
  taken.sort((a, b) => a - b);
  let [best, at] = [0, 0];
  taken.forEach((t, i) => {
    const next = i + 1 < taken.length ? taken[i + 1] : taken[0] + turn;
    if (next - t > best) [best, at] = [next - t, (t + next) / 2];
  });
  return at;
}

/** Vertex where a use begins. */
const cornerOf = (body: Body, use: Use): number => (use.turned ? body.edges[use.edge].end : body.edges[use.edge].start);

/** A loop's uses from the i-th on. */
const turnedTo = (l: Wound, i: number): Use[] => [...l.uses.slice(i), ...l.uses.slice(0, i)].map((u) => u.use);

/** The corner of one loop, the place of the other's corner beside it, and which that is: those that lie nearest along the way round. */
function shortest(one: Wound, two: Wound, { on, along, side }: Way): [number, [number, number], number] {
  if (one.uses.length * two.uses.length > mostPairs) throw new NotTaken('long-loops');
  const across = (1 - along) as 0 | 1;
  const [period, otherPeriod] = along === 0 ? [on.uPeriod, on.vPeriod] : [on.vPeriod, on.uPeriod];
  let best = Infinity;
  let found: [number, [number, number], number] | null = null;
  one.uses.forEach(({ begin: a }, i) =>
    two.uses.forEach(({ begin: b }, j) => {
      const to: [number, number] = [...b];
      to[along] += Math.round((a[along] - b[along]) / period) * period;
      // Round a ring the face goes on from the one loop to the other, whichever way that is.
      if (otherPeriod > 0) to[across] += (side > 0 ? Math.ceil((a[across] - b[across]) / otherPeriod + 1e-9) : Math.floor((a[across] - b[across]) / otherPeriod - 1e-9)) * otherPeriod; // prettier-ignore
      const far = Math.abs(to[along] - a[along]);
      if (far < best && (to[across] - a[across]) * side > 0) [best, found] = [far, [i, to, j]];
    }),
  );
  if (!found) throw new NotTaken('wound-loops');
  return found;
}

/** Where the surface comes to a point beyond a loop that goes round it. */
function poleBeyond(from: readonly [number, number], { on, along, side, size }: Way): [number, number] {
  const s = on.surface;
  let at = NaN;
  if (s.kind === 'sphere') at = (side * Math.PI) / 2;
  else if (s.kind === 'cone') at = -s.r / Math.sin(s.half);
  else at = on.range[along === 0 ? (side > 0 ? 3 : 2) : side > 0 ? 1 : 0];
  const pole: [number, number] = along === 0 ? [from[0], at] : [at, from[1]];
  if (!Number.isFinite(at) || (at - from[1 - along]) * side <= 0) throw new NotTaken('no-pole');
  const there = surfaceAt(s, pole[0], pole[1]);
  if (!(lengthOf(along === 0 ? there.du : there.dv) < noTangent * size)) throw new NotTaken('no-pole');
  return pole;
}

/** The straight way between two places of the parameter plane as a curve in space: exact along rulings and meridians, else by cubic pieces (Hermite). */
function seamCurve(surface: Surface, from: readonly [number, number], to: readonly [number, number], size: number): { curve: Curve; from: number; to: number } {
  const [du, dv] = [to[0] - from[0], to[1] - from[1]];
  const straight = Math.abs(du) < 1e-12 ? meridian(surface, from, to[1]) : null;
  if (straight) return straight;
  const at = (t: number) => {
    const p = surfaceAt(surface, from[0] + t * du, from[1] + t * dv);
    return { at: p.at, d: add(scaled(p.du, du), scaled(p.dv, dv)) };
  };
  for (let n = 4; n <= mostPieces; n *= 2) {
    const places = Array.from({ length: n + 1 }, (_, i) => at(i / n));
    const off = Math.max(
      ...places.slice(1).map((b, i) => {
        const a = places[i];
        const middle = add(scaled(add(a.at, b.at), 0.5), scaled(sub(a.d, b.d), 1 / (8 * n)));
        return distance(middle, at((i + 0.5) / n).at);
      }),
    );
    if (off > onSurface * size) continue;
    const poles = places.flatMap((p, i) => [
      ...(i === 0 ? p.at : sub(p.at, scaled(p.d, 1 / (3 * n)))),
      ...(i === n ? p.at : add(p.at, scaled(p.d, 1 / (3 * n)))),
    ]);
    const knots = places.map((_, i) => i / n);
    return { curve: { kind: 'bspline', degree: 3, knots: flatKnots(knots, knots.map((_, i) => (i === 0 || i === n ? 4 : 2))), poles: Float64Array.from(poles), weights: null }, from: 0, to: 1 }; // prettier-ignore
  }
  throw new NotTaken('no-seam');
}

/** A ruling or a meridian of a surface that has one in closed form. */
function meridian(s: Surface, [u, v]: readonly [number, number], to: number): { curve: Curve; from: number; to: number } | null {
  if (s.kind === 'cylinder' || s.kind === 'cone' || s.kind === 'extrusion') {
    const [a, b] = [surfaceAt(s, u, v).at, surfaceAt(s, u, to).at];
    return { curve: { kind: 'line', at: a, along: unit(sub(b, a)) }, from: 0, to: distance(a, b) };
  }
  if (s.kind !== 'sphere' && s.kind !== 'torus') return null;
  const { at, x, y, z } = s.frame;
  const out: Vec3 = add(scaled(x, Math.cos(u)), scaled(y, Math.sin(u)));
  const centre = s.kind === 'sphere' ? at : add(at, scaled(out, s.major));
  const r = s.kind === 'sphere' ? s.r : s.minor;
  const up = to > v;
  return { curve: { kind: 'circle', at: centre, x: out, y: up ? z : scaled(z, -1), rx: r, ry: r }, from: up ? v : -v, to: up ? to : -to };
}
