import type { Vec3 } from '../geometry/vector.ts';
import type { ExactSolid } from '../surfaces/brep-text.ts';
import type { SpreadChoice } from './choice.ts';
import { Spreading, type HeldEdges } from './newton.ts';
import { edgeKey } from './parting.ts';
import type { Piece, Run } from './pieces.ts';
import { restOf, stretchOf, type Rest, type Stretch } from './rest.ts';
import { conformalFlat } from './conformal.ts';
import { flippedOn, rigidFlat, usualRigid } from './rigid.ts';
import { smoothLengths } from './smooth.ts';
import { roundFlat } from './round.ts';
import { developedFaces, unrolledFacets } from './unroll.ts';
import { middleOfTriangle } from '../geometry/triangle.ts';

/** A piece on the flat. */
export interface Laid {
  piece: Piece;
  rest: Rest;
  /** 2 numbers a vertex, mm. */
  flat: Float64Array;
  /** Unrolled without any stretch: the flat is exact. */
  exact: boolean;
  stretch: Stretch;
  /** Least ratio of largest to least stretch that any flat of a cap of the same curvature has; null for saddles. */
  bound: number | null;
  /** Gaussian curvature in all, rad. */
  curvature: number;
  /** Largest share by which a held edge is off its length. */
  edgeError: number;
  /** The last steps were left out or cut short, since the piece has too many facets or is bent too much. */
  unfinished: boolean;
}

/** Pieces of more triangles than this end as rigid as possible, unless they have seams: the last step takes minutes there. */
export const mostForEven = 40_000;
/** Seams are this near to their length, a share. */
const seamShare = 1e-7;
/** Exponents of the last step, times the reciprocal of the worst stretch: each makes the worst count more. By trial on caps. */
const exponents = [4, 16, 64, 256];

/** Steps of Newton's method that a piece is given: by its size, never by the clock, so that equal surfaces give equal flats. About a minute. */
const stepsFor = (triangles: number): number => Math.max(20, Math.min(200, Math.round(8e5 / triangles)));
/** Where a stretch is more than this (its logarithm: seven times), only the mean is made less: nothing follows such a flat anyway. */
const hopeless = 2;

/** Told now and then; throws when the person gave up. */
export type Going = (share: number) => void;

/** The least ratio of stretch of a cap that is bent as much: a / sin a. Source: Milnor, A problem in cartography, 1969, theorem 2. */
export function capBound(curvature: number): number | null {
  if (Math.abs(curvature) < 1e-9) return 1;
  if (curvature < 0 || curvature >= 4 * Math.PI - 1e-9) return null;
  const a = Math.acos(1 - curvature / (2 * Math.PI));
  return a / Math.sin(a);
}

/** Gaussian curvature of a piece in all: what angles round its inner points lack of a full turn, rad. Source: Gauss and Bonnet. */
export function curvatureOf({ mesh: { positions: p, triangles: t }, loops }: Piece): number {
  const n = p.length / 3;
  const angles = anglesRound(p, t);
  const rim = new Uint8Array(n);
  for (const loop of loops) for (const run of loop) for (const v of run.vertices) rim[v] = 1;
  let sum = 0;
  for (let v = 0; v < n; v++) if (!rim[v]) sum += 2 * Math.PI - angles[v];
  return sum;
}

/** Angles of all triangles round each vertex, rad. */
export function anglesRound(p: Float64Array, t: Uint32Array): Float64Array {
  const angles = new Float64Array(p.length / 3);
  for (let k = 0; k < t.length; k += 3)
    for (let i = 0; i < 3; i++) {
      const [a, b, c] = [t[k + i] * 3, t[k + ((i + 1) % 3)] * 3, t[k + ((i + 2) % 3)] * 3];
      const [ux, uy, uz, vx, vy, vz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2], p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
      const across = Math.hypot(uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx);
      angles[t[k + i]] += Math.atan2(across, ux * vx + uy * vy + uz * vz);
    }
  return angles;
}

/** Places of a run, on the surface or on the flat. */
export const placesOf = (run: Run, p: Float64Array, d: 2 | 3): number[][] => run.vertices.map((v) => Array.from(p.subarray(v * d, v * d + d)));

const ringRun = (run: Run): boolean => run.vertices[0] === run.vertices[run.vertices.length - 1];

/** Edges that are to keep their length: those of seams, and of the border where it is asked. Lengths are those of a smooth way on the surface, as chords on this flat. */
function heldEdges({ piece }: Pick<Laid, 'piece'>, flat: Float64Array, border: boolean): HeldEdges {
  const { kept = new Set() } = piece;
  const pairs: number[] = [];
  const lengths: number[] = [];
  for (const loop of piece.loops)
    for (const run of loop) {
      if (run.seam < 0 && !border && kept.size === 0) continue;
      const true3 = smoothLengths(placesOf(run, piece.mesh.positions, 3), ringRun(run));
      const points = placesOf(run, flat, 2);
      const on = smoothLengths(points, ringRun(run));
      for (let i = 0; i + 1 < points.length; i++) {
        if (run.seam < 0 && !border && !kept.has(edgeKey(piece.from[run.vertices[i]], piece.from[run.vertices[i + 1]]))) continue;
        const chord = Math.hypot(points[i + 1][0] - points[i][0], points[i + 1][1] - points[i][1]);
        pairs.push(run.vertices[i], run.vertices[i + 1]);
        // The smooth way over this chord is longer than it by as much as it was on this flat.
        lengths.push((true3[i] * chord) / on[i]);
      }
    }
  return { pairs: Uint32Array.from(pairs), lengths: Float64Array.from(lengths) };
}

/**
 * Lays a piece flat: exactly where it unrolls; else as rigid as possible from a conformal start, and then so that the worst stretch is least.
 * Sources: Levy 2002, Liu 2008, Rabinovich 2017, Smith and Schaefer 2015 (see `rigid.ts` and `newton.ts`).
 */
export function layPiece(piece: Piece, choice: SpreadChoice, exact: ExactSolid | null, going: Going): Laid {
  const { mesh } = piece;
  const made = restOf(mesh);
  if ('without' in made) throw new RangeError(`triangle ${made.without} has no area`);
  const { rest } = made;
  const curvature = curvatureOf(piece);
  const laid = (flat: Float64Array, as: Partial<Laid>): Laid => ({
    piece,
    rest,
    flat,
    exact: false,
    stretch: stretchOf(rest, mesh.triangles, flat),
    bound: capBound(curvature),
    curvature,
    edgeError: 0,
    unfinished: false,
    ...as,
  });
  const developed = exact && developedFaces(mesh, piece.face, exact);
  // Facets are chords of the exact faces: what is developed is no longer than those, whatever its facets say.
  if (developed && flippedOn(developed, mesh.triangles) === 0)
    return laid(developed, { exact: true, bound: 1, stretch: unstretched(stretchOf(rest, mesh.triangles, developed)) });
  const unrolled = unrolledFacets(mesh);
  if (unrolled && flippedOn(unrolled, mesh.triangles) === 0) return laid(unrolled, { exact: true, bound: 1 });
  going(0.05);
  let cutShort = false;
  let flat = conformalFlat(mesh, rest);
  going(0.2);
  flat = rigidFlat(mesh, rest, flat, { ...usualRigid, progress: (round) => (going(0.2 + (0.2 * round) / usualRigid.most), false) }).flat;
  if (flippedOn(flat, mesh.triangles) > 0) {
    // From a start that can't have flips, by steps that make none.
    const start = new Spreading(mesh, rest, roundFlat(piece, rest));
    const most = stepsFor(mesh.triangles.length / 3);
    cutShort = start.settle(2, 1e-4, most, () => (going(0.4), false)) >= most;
    flat = start.flat;
  }
  return finished(piece, { flat, rest, choice, laid: (made, as) => laid(made, { ...as, unfinished: cutShort || (as.unfinished ?? false) }), going });
}

const unstretched = (s: Stretch): Stretch => ({ ...s, largest: 1, least: 1, areaLargest: 1, areaLeast: 1 });

interface Finishing {
  flat: Float64Array;
  rest: Rest;
  choice: SpreadChoice;
  laid: (flat: Float64Array, as: Partial<Laid>) => Laid;
  going: Going;
}

/** The last steps: seams at their lengths, and the worst stretch made least. */
function finished(piece: Piece, { flat, rest, choice, laid, going }: Finishing): Laid {
  if (flippedOn(flat, piece.mesh.triangles) > 0) return laid(flat, {});
  const held = choice.keepBorder || (piece.kept?.size ?? 0) > 0 || piece.loops.some((l) => l.some((r) => r.seam >= 0));
  const unfinished = piece.mesh.triangles.length / 3 > mostForEven && choice.aim === 'even';
  const even = choice.aim === 'even' && !unfinished;
  let step = 0;
  const tick = () => (going(Math.min(0.98, 0.45 + 0.012 * step++)), false);
  if (held) {
    const { flat: made, error } = heldFlat(piece, { flat, rest, border: choice.keepBorder, plan: even ? exponents : [0.5], tick });
    return laid(made, { edgeError: error, unfinished });
  }
  if (!even) return laid(flat, { unfinished });
  const spreading = new Spreading(piece.mesh, rest, flat);
  const worst = Math.max(1e-4, spreading.worst());
  for (const c of worst > hopeless ? exponents.slice(0, 1) : exponents) spreading.settle(Math.max(2, c / worst), 1e-4, 10, tick);
  return laid(balanced(spreading.flat, laid(spreading.flat, {}).stretch), {});
}

/** A flat whose seams (and border) keep their lengths. Those are of smooth ways, which bend otherwise on each new flat: so it is done three times. */
function heldFlat(
  piece: Piece,
  { flat: start, rest, border, plan, tick }: { flat: Float64Array; rest: Rest; border: boolean; plan: readonly number[]; tick: () => boolean },
): { flat: Float64Array; error: number } {
  let flat = start;
  let error = 0;
  for (let again = 0; again < 3; again++) {
    const spreading = new Spreading(piece.mesh, rest, flat, heldEdges({ piece }, flat, border));
    const worst = Math.max(1e-4, spreading.worst());
    const last = Math.max(2, plan[plan.length - 1] / worst);
    for (const c of worst > hopeless ? plan.slice(0, 1) : again === 0 ? plan : plan.slice(-1)) spreading.settle(Math.max(2, c / worst), 1e-4, 10, tick);
    for (let k = 0; k < 4 && spreading.edgeError() > seamShare; k++) {
      spreading.holdHarder();
      spreading.settle(last, 1e-5, 4, tick);
    }
    error = spreading.bringEdges();
    flat = spreading.flat;
  }
  return { flat, error };
}

/** The flat at the size where the largest lengthening is as great as the largest shortening. */
function balanced(flat: Float64Array, { largest, least }: Stretch): Float64Array {
  const scale = 1 / Math.sqrt(largest * least);
  return flat.map((v) => v * scale);
}

/** Where a triangle lies on the surface: its middle. */
export const middleOf = ({ piece: { mesh } }: Pick<Laid, 'piece'>, k: number): Vec3 => middleOfTriangle(mesh, k);
