import { surfaceAt, type Surface } from '../surfaces/surfaces.ts';
import type { Curve } from '../surfaces/curves.ts';
import type { Vec3 } from '../geometry/vector.ts';
import { NotTaken } from './body.ts';
import { SplineColumns } from './columns.ts';
import { gaussRule, type Rule } from './quadrature.ts';
import { smoothPieces } from './trace.ts';
import type { Piece, Trim } from './trim.ts';

/** Area, volume below the surface as seen from a place (a pyramid's), and first moments of that volume: mm2, mm3, mm4. */
export interface Sums {
  area: number;
  volume: number;
  moment: Vec3;
}

/** Places of a surface at most that are summed over for one face. */
const mostPlaces = 20_000_000;
/** Halvings of a piece of an edge at most. */
const mostHalvings = 7;
/** By how much four and seven points may differ, as a part of the body's size squared (area) or cubed (volume). */
const settled = 1e-13;
/** Nothing is gained by figures finer than this part of what an edge's distance from the surface leaves open. */
const ofOff = 1e-3;

/**
 * Area of a face and its share of the body's volume and moments, by integration in the parameter plane: along v from a fixed line to the edge, then
 * along the edge (Green's theorem), both by Gauss's rule between places where the surface is smooth.
 * Source: Green and divergence theorem; Abramowitz and Stegun, 25.4.
 * @param from place that volume is counted from, best in the middle of the body
 */
export function faceSums(trim: Trim, from: Vec3, size: number): Sums {
  const { surface } = trim.on;
  const cuts = vCuts(surface);
  const base = trim.loops[0][0].begin[1];
  const inner = new Inner(surface, from, base, cuts);
  const sums = new Float64Array(5);
  for (const loop of trim.loops) for (const piece of loop) pieceSums(piece, inner, size, sums);
  // Along u from right to left above: the area is on the left of counter-clockwise loops.
  const s = -trim.sense;
  return { area: s * sums[0], volume: -sums[1], moment: [-sums[2], -sums[3], -sums[4]] };
}

function pieceSums(piece: Piece, inner: Inner, size: number, sums: Float64Array): void {
  const share = Math.max(settled, ((piece.trace?.off ?? 0) / size) * ofOff);
  const scale = [2, 3, 4, 4, 4].map((power) => share * size ** power);
  const rough = new Float64Array(5);
  const fine = new Float64Array(5);
  const run = (points: number, a: number, b: number, out: Float64Array) => {
    out.fill(0);
    const rule = gaussRule(points);
    for (let i = 0; i < points; i++) inner.add(piece, a + rule.at[i] * (b - a), rule.weight[i] * (b - a), out);
  };
  // Where four points and seven give the same it is settled; else the piece is halved.
  const settle = (a: number, b: number, depth: number): void => {
    run(4, a, b, rough);
    run(7, a, b, fine);
    if (depth >= mostHalvings || fine.every((x, k) => Math.abs(x - rough[k]) <= scale[k])) {
      for (let k = 0; k < 5; k++) sums[k] += fine[k];
      return;
    }
    settle(a, (a + b) / 2, depth + 1);
    settle((a + b) / 2, b, depth + 1);
  };
  // Straight over a plane all of it is a polynomial of the third degree.
  if (inner.surface.kind === 'plane' && piece.trace?.straight) {
    run(2, piece.trace.from, piece.trace.to, fine);
    for (let k = 0; k < 5; k++) sums[k] += fine[k];
    return;
  }
  if (piece.begin[0] === piece.end[0] && (!piece.trace || piece.trace.straight)) return;
  const cuts = piece.trace ? piecesOf(piece, inner.surface) : poleCuts(piece);
  for (let i = 1; i < cuts.length; i++) settle(cuts[i - 1], cuts[i], 0);
}

/** Where a trace is smooth between: knots of its edge, and knots of the surface where it is straight in u. */
function piecesOf({ trace }: Piece, surface: Surface): number[] {
  const { curve, from, to, straight, first, last } = trace!;
  const cuts = new Set(smoothPieces(curve, from, to));
  if (straight && last[0] !== first[0]) {
    const knots = uCuts(surface);
    for (const u of knots) {
      const t = from + ((u - first[0]) / (last[0] - first[0])) * (to - from);
      if (t > from && t < to) cuts.add(t);
    }
    if (knots.length === 0 && curve.kind === 'line' && surface.kind !== 'plane') for (let i = 1; i < 8; i++) cuts.add(from + ((to - from) * i) / 8);
  }
  return [...cuts].sort((a, b) => a - b);
}

const poleCuts = (piece: Piece): number[] => {
  const n = Math.max(1, Math.ceil(Math.abs(piece.end[0] - piece.begin[0]) / 0.8));
  return Array.from({ length: n + 1 }, (_, i) => i / n);
};

const knotsOf = (c: Curve): number[] => (c.kind === 'bspline' ? [...new Set(c.knots)] : c.kind === 'offset' ? knotsOf(c.of) : []);
function uCuts(s: Surface): number[] {
  if (s.kind === 'bspline') return [...new Set(s.uKnots)];
  if (s.kind === 'extrusion') return knotsOf(s.profile);
  return s.kind === 'offset' ? uCuts(s.of) : [];
}
/** Places in v between which the surface is smooth; a number alone: a step that is small enough. */
function vCuts(s: Surface): number[] | number {
  if (s.kind === 'bspline') return [...new Set(s.vKnots)];
  if (s.kind === 'offset') return vCuts(s.of);
  if (s.kind === 'revolution') {
    const knots = knotsOf(s.profile);
    if (knots.length > 0) return knots;
    return s.profile.kind === 'line' ? Infinity : 0.8;
  }
  return s.kind === 'sphere' || s.kind === 'torus' ? 0.8 : Infinity;
}

/** Points of the rule between places where a surface is smooth: exact for the polynomials of ruled surfaces and of splines with many spans; else enough for the steps above. */
function nodesFor(surface: Surface, cuts: number[] | number): number {
  if (cuts === Infinity) return 4;
  return surface.kind === 'bspline' && surface.vCount > 4 * surface.vDegree ? Math.max(4, 2 * surface.vDegree) : 10;
}

/** The integrals along v. */
class Inner {
  readonly surface: Surface;
  private readonly from: Vec3;
  private readonly base: number;
  private readonly cuts: number[] | number;
  private readonly rule: Rule;
  private readonly columns: SplineColumns | null;
  private readonly ruled: boolean;
  private readonly uv = new Float64Array(4);
  private readonly parts: [Vec3, Vec3, Vec3] = [
    [0, 0, 0],
    [0, 0, 0],
    [0, 0, 0],
  ];

  constructor(surface: Surface, from: Vec3, base: number, cuts: number[] | number) {
    this.surface = surface;
    this.from = from;
    this.base = base;
    this.cuts = cuts;
    this.rule = gaussRule(nodesFor(surface, cuts));
    this.ruled = surface.kind === 'plane' || surface.kind === 'cylinder' || surface.kind === 'extrusion';
    this.columns = surface.kind === 'bspline' ? new SplineColumns(surface, this.rule) : null;
  }

  /** Adds what stands between the base line and the trace at t, times how u changes there. */
  add(piece: Piece, t: number, weight: number, out: Float64Array): void {
    const { uv } = this;
    if (piece.trace) {
      piece.trace.at(t, uv);
      uv[0] += piece.du;
      uv[1] += piece.dv;
      if (piece.turned) uv[2] = -uv[2];
    } else {
      uv[0] = piece.begin[0] + t * (piece.end[0] - piece.begin[0]);
      uv[1] = piece.begin[1] + t * (piece.end[1] - piece.begin[1]);
      uv[2] = piece.end[0] - piece.begin[0];
    }
    if (uv[2] !== 0) this.column(uv[0], uv[1], weight * uv[2], out);
  }

  private column(u: number, to: number, weight: number, out: Float64Array): void {
    if (this.columns) {
      this.columns.at(u);
      this.splineColumn(this.columns, to, weight, out);
    } else if (this.ruled) this.ruledColumn(u, to, weight, out);
    else this.plainColumn(u, to, weight, out);
  }

  /** Where the normal is the same all along v: planes, cylinders, extrusions. The height of the surface over the origin is the same all along then, and the moments are those of the middle. */
  private ruledColumn(u: number, to: number, weight: number, out: Float64Array): void {
    const { base, surface } = this;
    const { at, du, dv } = surfaceAt(surface, u, base);
    const h = to - base;
    const middle: Vec3 = [at[0] + (h / 2) * dv[0], at[1] + (h / 2) * dv[1], at[2] + (h / 2) * dv[2]];
    this.sum([middle, du, dv], weight * h, out);
  }

  private plainColumn(u: number, to: number, weight: number, out: Float64Array): void {
    const { base, cuts, surface, rule } = this;
    const stops = typeof cuts === 'number' ? evenStops(base, to, cuts) : stopsAt(base, to, cuts);
    for (let i = 1; i < stops.length; i++) {
      const span = stops[i] - stops[i - 1];
      for (let j = 0; j < rule.at.length; j++) {
        const { at, du, dv } = surfaceAt(surface, u, stops[i - 1] + rule.at[j] * span);
        this.sum([at, du, dv], weight * rule.weight[j] * span, out);
      }
    }
  }

  /** The same for a B-spline, whose whole knot spans need no new basis. */
  private splineColumn(columns: SplineColumns, to: number, weight: number, out: Float64Array): void {
    const { base, cuts, rule, parts } = this;
    const { point } = columns;
    const stops = stopsAt(base, to, cuts as number[]);
    for (let i = 1; i < stops.length; i++) {
      const [a, b] = [stops[i - 1], stops[i]];
      const whole = i > 1 && i < stops.length - 1 ? columns.spanOf((a + b) / 2) : -1;
      for (let j = 0; j < rule.at.length; j++) {
        // Downwards the rule, which is even, runs the other way.
        if (whole >= 0) columns.inSpan(whole, j);
        else columns.anywhere(a + rule.at[j] * (b - a));
        for (let k = 0; k < 9; k++) parts[(k / 3) | 0][k % 3] = point[k];
        this.sum(parts, weight * rule.weight[j] * (b - a), out);
      }
    }
  }

  /** How many places were summed over. */
  private places = 0;

  private sum([at, du, dv]: readonly [Vec3, Vec3, Vec3], w: number, out: Float64Array): void {
    if (++this.places > mostPlaces) throw new NotTaken('long-sums');
    const { from } = this;
    const nx = du[1] * dv[2] - du[2] * dv[1];
    const ny = du[2] * dv[0] - du[0] * dv[2];
    const nz = du[0] * dv[1] - du[1] * dv[0];
    const [x, y, z] = [at[0] - from[0], at[1] - from[1], at[2] - from[2]];
    const below = w * (x * nx + y * ny + z * nz);
    out[0] += w * Math.sqrt(nx * nx + ny * ny + nz * nz);
    out[1] += below / 3;
    out[2] += (below * x) / 4;
    out[3] += (below * y) / 4;
    out[4] += (below * z) / 4;
  }
}

function evenStops(from: number, to: number, step: number): number[] {
  const n = step === Infinity ? 1 : Math.max(1, Math.ceil(Math.abs(to - from) / step));
  return Array.from({ length: n + 1 }, (_, i) => (i === n ? to : from + ((to - from) * i) / n));
}

/** The places between which nothing breaks, from one to another either way. */
function stopsAt(from: number, to: number, cuts: readonly number[]): number[] {
  const between = cuts.filter((k) => (to > from ? k > from && k < to : k < from && k > to));
  if (to < from) between.reverse();
  return [from, ...between, to];
}

/** Figures of several faces together: area, volume, centre of volume from the place that volume was counted from. */
export function together(list: readonly Sums[], from: Vec3): { area: number; volume: number; centre: Vec3 } {
  let [area, volume] = [0, 0];
  const moment: Vec3 = [0, 0, 0];
  for (const s of list) {
    area += s.area;
    volume += s.volume;
    for (let k = 0; k < 3; k++) moment[k] += s.moment[k];
  }
  return { area, volume, centre: [0, 1, 2].map((k) => from[k] + moment[k] / volume) as Vec3 };
}
