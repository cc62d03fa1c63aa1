import type { Surface } from '../surfaces/surfaces.ts';
import { Bend } from '../surfaces/bend.ts';

/** What is asked of facets: the largest distance from the surface, mm, and the largest turn along one edge of a facet, rad. */
export interface Want {
  deviation: number;
  angle: number;
  /** Whether points within a face may stand off it, to the outside of its bend, so that facets lie to both sides of it: half as many are enough. */
  balanced?: boolean;
}

/** How far points of balanced facets stand off a surface that is bent alike to one side, in shares of the deviation. */
const mostShift = 0.97;

/** How far a point within a face stands off it, mm, along its normal: against the bend where that is to one side; 0 elsewhere. */
export function shiftAt(bend: Bend, want: Want): number {
  if (!want.balanced || bend.most === 0) return 0;
  return -Math.sign(bend.most) * mostShift * want.deviation * Math.max(0, Math.min(1, bend.least / bend.most / bothSides));
}

/** How a face can be laid out in facets: without any of its own points, by strips along its rulings, or with points within. */
export type Kind = 'flat' | 'ruled' | 'both';

export function kindOf(surface: Surface): Kind {
  if (surface.kind === 'plane') return 'flat';
  if (surface.kind === 'bspline') return rulings(surface) ? 'ruled' : 'both';
  return surface.kind === 'cylinder' || surface.kind === 'cone' || surface.kind === 'extrusion' ? 'ruled' : 'both';
}

/** Places along a spline surface of straight lines at which it is asked whether it is bent across them alone, and the share of the other bend that counts as none. */
const ruledLooks = 16;
const unbent = 1e-6;

/**
 * Which parameter the rulings of a surface run along: those of cylinders, cones and extrusions along v; those of a spline surface along the one of degree 1, when it can be
 * unrolled (it is not bent both ways anywhere); else null.
 */
export function rulings(surface: Surface): 'u' | 'v' | null {
  if (surface.kind !== 'bspline') return surface.kind === 'cylinder' || surface.kind === 'cone' || surface.kind === 'extrusion' ? 'v' : null;
  const known = ruled.get(surface);
  if (known !== undefined) return known;
  const found = straightAlong(surface, 'v') ? 'v' : straightAlong(surface, 'u') ? 'u' : null;
  ruled.set(surface, found);
  return found;
}

const ruled = new WeakMap<object, 'u' | 'v' | null>();

function straightAlong(s: Extract<Surface, { kind: 'bspline' }>, way: 'u' | 'v'): boolean {
  const across = { knots: s.uKnots, degree: s.uDegree, count: s.uCount };
  const along = { knots: s.vKnots, degree: s.vDegree, count: s.vCount };
  const [straight, bent] = way === 'v' ? [along, across] : [across, along];
  if (straight.degree !== 1 || straight.count !== 2) return false;
  const bend = new Bend(s);
  const [low, high] = [straight.knots[1], straight.knots[2]];
  const stops = [...new Set(bent.knots.subarray(bent.degree, bent.count + 1))];
  return stops.slice(1).every((stop, i) =>
    Array.from({ length: ruledLooks }, (_, k) => k).every((k) => {
      const t = stops[i] + ((stop - stops[i]) * (k + 0.5)) / ruledLooks;
      const at = low + (high - low) * (k % 2 === 0 ? 0.1 : 0.9);
      bend.look(way === 'v' ? t : at, way === 'v' ? at : t);
      // The bend along the straight lines, and the lesser one: how they turn.
      const none = unbent * Math.abs(bend.most);
      return Math.abs(way === 'v' ? bend.n / bend.g : bend.l / bend.e) <= none && Math.abs(bend.least) <= none;
    }),
  );
}

/** The flatter way counts as bent by at least this share of the other: facets no longer than about six times their width: longer ones leave the bend of their own line, and go through each other beside it. */
const leastShare = 0.03;
/** The same where the angle decides and not the deviation: facets no longer than about nine times their width. */
const turnShare = 0.012;
/** No edge need be shorter than the deviation over this, however sharply a surface bends. */
const mostBend = 3;
/** From this share on a surface is bent enough both ways to one side for its facets to bulge most in their middle. */
const bothSides = 0.1;

/**
 * On a saddle the largest triangle stands wider over an edge along one principal direction (1.118 of it, not 0.866): the other two edges lie nearer to where the surface
 * is straight. Squared that would be 0.6; but facets that turn lose it again, and 0.8 leaves the fewest (measured on rings and lofts).
 * Source: Pottmann, Krasauskas, Hamann, Joy and Seibold 2000.
 */
const saddleWidth = 0.8;

/** A turn per length that keeps a chord of an arc of curvature k within d: twice the arc whose height is d, 2 acos(1 - d k), in a form that keeps the smallest k. Source: sagitta of a chord. */
const turnFor = (d: number, k: number, angle: number) => Math.min(angle, 4 * Math.asin(Math.sqrt(Math.min(1, (d * k) / 2))));

/**
 * How long the edges of facets may be at a place, as a quadratic form of steps in u and v: 1 for an edge as long as may be. On surfaces bent to
 * one side the middle of a facet lies deepest, so that their chords may be sqrt(6 d / k) long; else sqrt(8 d / k).
 * Source: Pottmann, Krasauskas, Hamann, Joy and Seibold 2000; Cao 2005 (anisotropic meshes by the second derivative).
 * @param out takes uu, uv, vv
 */
export function metricOf(bend: Bend, kind: Kind, { want, size }: { want: Want; size: number }, out: Float64Array): void {
  const big = Math.abs(bend.most);
  if (kind === 'flat' || !(big > 0)) {
    const k = kind === 'both' ? 1 / (4 * size * size) : 0;
    out[0] = bend.e * k;
    out[1] = bend.f * k;
    out[2] = bend.g * k;
    return;
  }
  const share = bend.least / bend.most;
  const low = kind === 'ruled' ? 0 : Math.max(Math.abs(bend.least), leastShare * big);
  const middle = kind === 'ruled' ? 1 : 1 - 0.25 * Math.max(0, Math.min(1, share / bothSides));
  // Balanced facets may lie as much deeper as their corners stand out.
  const deep = kind === 'both' ? want.deviation + Math.abs(shiftAt(bend, want)) : want.deviation;
  const inverse = (k: number) => (k > 0 ? Math.min(k / turnFor(deep * middle, k, want.angle), mostBend / want.deviation) ** 2 : 0);
  const least = kind === 'both' ? 1 / (16 * size * size) : 0;
  let a = Math.max(inverse(big), least);
  let b = Math.max(inverse(low), least, kind === 'both' ? turnShare * a : 0);
  const gap = bend.most - bend.least;
  if (kind === 'both' && share < 0) {
    // How nearly the rows of points, which run along u, lie along either principal direction: the other one is stretched.
    const along = bend.e > 0 ? 2 * ((bend.l / bend.e - bend.least) / gap) - 1 : 0;
    const width = 1 - (1 - saddleWidth) * Math.min(1, -share / bothSides) * Math.max(0, 2 * Math.abs(along) - 1);
    if (along > 0) b = Math.max(b * width, least);
    else a = Math.max(a * width, least);
  }
  // The form that has these two along the principal directions: p times the first form and q times the second.
  const q = Math.abs(gap) > 1e-9 * big ? (a - b) / gap : 0;
  const p = a - q * bend.most;
  out[0] = p * bend.e + q * bend.l;
  out[1] = p * bend.f + q * bend.m;
  out[2] = p * bend.g + q * bend.n;
}

/** Steps along a curve of curvature k and a length that keep every chord within d. */
export const chordSteps = (length: number, k: number, want: Want): number => (k > 0 ? (length * k) / turnFor(want.deviation, k, Math.PI / 2) : 0);
