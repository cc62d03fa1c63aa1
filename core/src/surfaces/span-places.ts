import { lowerBound } from '../base/rows.ts';
import type { Curve } from './curves.ts';
import type { Surface } from './surfaces.ts';

/** Places all over a spline surface: a grid of these parameters, rising. Null for the way along which a profile is swept: there some places of each facet do. */
export interface SpanPlaces {
  u: Float64Array | null;
  v: Float64Array | null;
  /** A round trip in u and v; 0 where the surface is not closed that way. */
  periods: readonly [number, number];
  /** Ends of u and of v; infinite along which a profile is swept. */
  range: readonly [number, number, number, number];
}

/** Places of one surface at most; of one with more spans than that each has one. */
const mostPlaces = 170_000;

/**
 * Places in every span of a spline: Chebyshev's nodes, one more each way than its degree. A polynomial of that degree which is nearly nothing at all of them is
 * nearly nothing everywhere (times 4 at most for degree 3), so no bump of the surface stands between them unseen, however narrow its knots make it.
 * Source: Trefethen, Approximation Theory and Approximation Practice, 15 (Lebesgue constants).
 * @returns null for surfaces that are no splines: their own bends show how they go
 * @param periods a round trip in u and v; 0 where the surface is not closed that way
 * @example spanPlaces(surface, [0, 0])?.u.length // spans along u x (degree + 1)
 */
export function spanPlaces(s: Surface, periods: readonly [number, number]): SpanPlaces | null {
  if (s.kind === 'offset') return spanPlaces(s.of, periods);
  const u = s.kind === 'bspline' ? spansOf(s.uKnots, s.uDegree, s.uCount) : s.kind === 'extrusion' ? profileSpans(s.profile) : null;
  const v = s.kind === 'bspline' ? spansOf(s.vKnots, s.vDegree, s.vCount) : s.kind === 'revolution' ? profileSpans(s.profile) : null;
  if (!u && !v) return null;
  let [nu, nv] = [u ? u.degree + 1 : 1, v ? v.degree + 1 : 1];
  const count = (spans: Spans | null, n: number) => (spans ? (spans.ends.length / 2) * n : 1);
  while (nu * nv > 1 && count(u, nu) * count(v, nv) > mostPlaces) {
    if (nu > nv) nu--;
    else nv--;
  }
  return { u: u && nodesIn(u.ends, nu), v: v && nodesIn(v.ends, nv), periods, range: [...endsOf(u), ...endsOf(v)] as [number, number, number, number] };
}

/** Beginning and end of each span, and the degree of the polynomials on them. */
interface Spans {
  ends: number[];
  degree: number;
}

function profileSpans(c: Curve): Spans | null {
  if (c.kind === 'offset') return profileSpans(c.of);
  return c.kind === 'bspline' ? spansOf(c.knots, c.degree, c.poles.length / 3) : null;
}

const endsOf = (spans: Spans | null): number[] => (spans ? [spans.ends[0], spans.ends[spans.ends.length - 1]] : [-Infinity, Infinity]);

/** The spans that have a length. */
function spansOf(knots: Float64Array, degree: number, count: number): Spans {
  const ends: number[] = [];
  for (let i = degree; i < count; i++) if (knots[i + 1] > knots[i]) ends.push(knots[i], knots[i + 1]);
  return { ends, degree };
}

/** Chebyshev's nodes between two numbers, rising. @example chebyshev(0, 1, 1) // [0.5] */
export const chebyshev = (from: number, to: number, n: number): number[] =>
  Array.from({ length: n }, (_, k) => from + ((to - from) * (1 - Math.cos(((2 * k + 1) * Math.PI) / (2 * n)))) / 2);

function nodesIn(spans: readonly number[], n: number): Float64Array {
  const out: number[] = [];
  for (let i = 0; i < spans.length; i += 2) for (const x of chebyshev(spans[i], spans[i + 1], n)) out.push(x);
  return Float64Array.from(out);
}

const still = [0];
/** Round trips by which places are moved to lie where a facet does. */
export const shifts = (period: number): readonly number[] => (period > 0 ? [0, -period, period] : still);

/** Shares of a facet's reach at which it is looked at along which a profile is swept. */
const swept = [0.1, 0.5, 0.9];

/** Whether a facet reaches over a row and a column of the places; over fewer there is none within it. */
export function reachesPlaces({ u, v, periods }: SpanPlaces, uv: ArrayLike<number>): boolean {
  for (let c = 0; c < 2; c++) {
    const list = c === 0 ? u : v;
    if (!list) continue;
    const least = Math.min(uv[c], uv[2 + c], uv[4 + c]);
    const most = Math.max(uv[c], uv[2 + c], uv[4 + c]);
    if (!shifts(periods[c]).some((by) => list[lowerBound(list, least - by)] + by <= most)) return false;
  }
  return true;
}

/** Goes through the places of a list from one parameter to another: the place, and where it stands when round trips are gone on with. */
function along(list: Float64Array | null, period: number, [from, to]: readonly [number, number], take: (place: number, at: number) => void): void {
  if (!list) {
    for (const share of swept) take(from + share * (to - from), from + share * (to - from));
    return;
  }
  for (const by of shifts(period)) for (let i = lowerBound(list, from - by); i < list.length && list[i] + by <= to; i++) take(list[i], list[i] + by);
}

/** A place within a facet: parameters, the weights of its first two corners there, and where it stands among the corners when round trips are gone on with. */
export interface PlaceWithin {
  u: number;
  v: number;
  wa: number;
  wb: number;
  at: [number, number];
}

/**
 * Goes through the places that lie within a facet, seen in the plane of the parameters.
 * @param uv u, v of its three corners; beyond the ends of a closed surface they go on
 */
export function placesWithin({ u, v, periods }: SpanPlaces, uv: ArrayLike<number>, take: (place: PlaceWithin) => void): void {
  const double = (uv[2] - uv[0]) * (uv[5] - uv[1]) - (uv[4] - uv[0]) * (uv[3] - uv[1]);
  if (!(Math.abs(double) > 0)) return;
  along(v, periods[1], [Math.min(uv[1], uv[3], uv[5]), Math.max(uv[1], uv[3], uv[5])], (place, y) => {
    along(u, periods[0], rowOf(uv, y), (column, x) => {
      const wa = ((uv[2] - x) * (uv[5] - y) - (uv[4] - x) * (uv[3] - y)) / double;
      const wb = ((uv[4] - x) * (uv[1] - y) - (uv[0] - x) * (uv[5] - y)) / double;
      take({ u: column, v: place, wa, wb, at: [x, y] });
    });
  });
}

/** From where to where a triangle reaches along u at a v between its lowest and highest. */
function rowOf(uv: ArrayLike<number>, y: number): [number, number] {
  let from = Infinity;
  let to = -Infinity;
  for (let k = 0; k < 6; k += 2) {
    const l = (k + 2) % 6;
    const [a, b] = [uv[k + 1], uv[l + 1]];
    if ((a < y && b < y) || (a > y && b > y)) continue;
    const share = a === b ? 0 : (y - a) / (b - a);
    const x = uv[k] + share * (uv[l] - uv[k]);
    from = Math.min(from, x, a === b ? uv[l] : x);
    to = Math.max(to, x, a === b ? uv[l] : x);
  }
  return [from, to];
}
