import { curveAt, type Curve } from '../surfaces/curves.ts';
import { surfaceAt, type Surface } from '../surfaces/surfaces.ts';
import { distance, dot, lengthOf, scaled, sub, type Vec3 } from '../geometry/vector.ts';
import { solved, type Inverse } from './inverse.ts';
import { NotTaken } from './body.ts';

/** A trace is straight in the parameter plane when its points lie this near to a straight one, as a part of the body's size. */
const straight = 1e-11;
/** An edge that lies farther off its surface than this share of the body's size is looked at more closely. */
const doubtful = 1e-8;
/** A surface has no direction at a point where a tangent is this much shorter than in the middle of the trace: a pole. */
const poleShare = 1e-7;
/** A slope this near to a whole number is that: the traces of circles and rulings. */
const wholeSlope = 1e-9;

const turn = 2 * Math.PI;

/** Parameters at which a curve is smooth in between: its knots, and quarter turns of what is round. */
export function smoothPieces(c: Curve, from: number, to: number): number[] {
  const cuts = [from];
  if (c.kind === 'bspline') for (const k of c.knots) if (k > cuts[cuts.length - 1] && k < to) cuts.push(k);
  if (c.kind === 'circle' || c.kind === 'ellipse') {
    const n = Math.max(1, Math.ceil((to - from) / 0.8 - 1e-9));
    for (let i = 1; i < n; i++) cuts.push(from + ((to - from) * i) / n);
  }
  cuts.push(to);
  return cuts;
}

/** Places of a smooth piece, as parts of it, that a trace is looked for at: more where few pieces have to show how it bends. */
function sharesFor(surface: Surface, curve: Curve, pieces: number): readonly number[] {
  const flat = surface.kind === 'plane';
  if (curve.kind === 'line') return flat ? [0.5] : [0.01, 0.2, 0.4, 0.6, 0.8, 0.99];
  if (flat) return pieces > 9 ? [0.25, 0.5, 0.75] : [0.125, 0.25, 0.375, 0.5, 0.625, 0.75, 0.875];
  return pieces > 9 ? [0.1, 0.5, 0.9] : [0.02, 0.2, 0.4, 0.6, 0.8, 0.98];
}

/**
 * The picture of an edge in the parameter plane of a face, by the edge's own parameter t: u(t), v(t), carried on without jumps where the surface
 * is closed. Straight where it is straight.
 */
export class Trace {
  readonly curve: Curve;
  readonly from: number;
  readonly to: number;
  /** Ends of the trace: u, v at `from` and at `to`. */
  readonly first: [number, number];
  readonly last: [number, number];
  readonly straight: boolean;
  /** Largest distance between curve and surface at the places looked at, mm. */
  readonly off: number;
  private readonly on: Inverse;
  /** In a plane: lines, circles and ellipses by their own numbers. */
  private readonly flat: FlatCourse | null;
  private readonly ts: number[] = [];
  private readonly us: number[] = [];
  private readonly vs: number[] = [];

  /**
   * @param size of the body, mm
   * @param most how far the edge may lie off the surface, mm
   * @throws NotTaken where it lies farther
   */
  constructor(on: Inverse, { curve, from: first, to: last }: { curve: Curve; from: number; to: number }, size: number, most: number) {
    this.on = on;
    this.curve = curve;
    [this.from, this.to] = [first, last];
    const { from, to } = this;
    const plane = on.surface.kind === 'plane';
    this.flat = plane ? flatCourse(on.surface as Plane, curve) : null;
    const pieces = smoothPieces(curve, from, to);
    const shares = sharesFor(on.surface, curve, pieces.length);
    const off = this.flat ? this.placesInPlane(this.flat, pieces, shares) : this.placesFound(pieces, shares, most);
    const found = plane ? null : this.asStraight(size);
    this.straight = found !== null || (plane && curve.kind === 'line');
    [this.first, this.last] = found ?? [this.endAt(from, 0), this.endAt(to, this.ts.length - 1)];
    this.off = this.flat ? off : this.offAllAlong(off, size, pieces);
    if (!(this.off <= most)) throw new NotTaken(this.off > most ? 'edge-off-surface' : 'no-number');
  }

  /** Looks for places of a trace one after another. @returns how far the curve lies off the surface there, mm */
  private placesFound(pieces: readonly number[], shares: readonly number[], most: number): number {
    const { on, curve } = this;
    let near: [number, number] | undefined;
    let off = 0;
    for (let i = 1; i < pieces.length; i++) {
      for (const share of shares) {
        const t = pieces[i - 1] + share * (pieces[i] - pieces[i - 1]);
        const p = curveAt(curve, t, 1).at;
        on.find(p, near);
        near = [on.u, on.v];
        off = Math.max(off, distance(surfaceAt(on.surface, on.u, on.v).at, p));
        // Whole surfaces are looked over for places that are not on them: that is not gone on with.
        if (!(off <= most)) throw new NotTaken(off > most ? 'edge-off-surface' : 'no-number');
        this.ts.push(t);
        this.us.push(on.u);
        this.vs.push(on.v);
      }
    }
    return off;
  }

  /** How far it is at the ends too; where that is much, at more places between. */
  private offAllAlong(least: number, size: number, pieces: readonly number[]): number {
    let off = least;
    for (const [t, [u, v]] of [[this.from, this.first], [this.to, this.last]] as const) off = Math.max(off, distance(surfaceAt(this.on.surface, u, v).at, curveAt(this.curve, t, 1).at)); // prettier-ignore
    return off > doubtful * size ? Math.max(off, this.offBetween(pieces)) : off;
  }

  /** Places of a trace in a plane. @returns how far the curve lies off it at most, mm */
  private placesInPlane(flat: FlatCourse, pieces: readonly number[], shares: readonly number[]): number {
    for (let i = 1; i < pieces.length; i++) {
      for (const share of shares) {
        const t = pieces[i - 1] + share * (pieces[i] - pieces[i - 1]);
        const [u, v] = flat.at(t);
        this.ts.push(t);
        this.us.push(u);
        this.vs.push(v);
      }
    }
    return flat.off(this.from, this.to);
  }

  /** How far curve and surface lie apart, looked at more often. */
  private offBetween(pieces: readonly number[]): number {
    let off = 0;
    const uv = new Float64Array(4);
    for (let i = 1; i < pieces.length; i++) {
      for (let k = 0; k < 12; k++) {
        const t = pieces[i - 1] + ((k + 0.5) / 12) * (pieces[i] - pieces[i - 1]);
        this.at(t, uv);
        off = Math.max(off, distance(surfaceAt(this.on.surface, uv[0], uv[1]).at, curveAt(this.curve, t, 1).at));
      }
    }
    return off;
  }

  /** The straight trace through the points found; null when they do not lie on one. */
  private asStraight(size: number): [[number, number], [number, number]] | null {
    const { ts, us, vs, from, to } = this;
    const n = ts.length - 1;
    const span = ts[n] - ts[0];
    const slope = (x: number[]) => {
      const s = (x[n] - x[0]) / span;
      const whole = Math.round(s);
      return Math.abs(s - whole) < wholeSlope ? whole : s;
    };
    const [su, sv] = [slope(us), slope(vs)];
    const mid = n >> 1;
    const middle = surfaceAt(this.on.surface, us[mid], vs[mid]);
    const [lu, lv] = [lengthOf(middle.du), lengthOf(middle.dv)];
    for (let i = 0; i <= n; i++) {
      const du = us[i] - us[mid] - su * (ts[i] - ts[mid]);
      const dv = vs[i] - vs[mid] - sv * (ts[i] - ts[mid]);
      if (Math.abs(du) * lu + Math.abs(dv) * lv > straight * size) return null;
    }
    const at = (t: number): [number, number] => [us[mid] + su * (t - ts[mid]), vs[mid] + sv * (t - ts[mid])];
    return [at(from), at(to)];
  }

  /** Where the trace ends: found like any other point; carried on from within where the surface has a pole. */
  private endAt(t: number, k: number): [number, number] {
    const { on, us, vs, flat } = this;
    if (flat) return flat.at(t);
    const p = curveAt(this.curve, t, 1).at;
    on.find(p, [us[k], vs[k]]);
    const end: [number, number] = [on.u, on.v];
    const there = surfaceAt(on.surface, end[0], end[1]);
    const mid = surfaceAt(on.surface, us[us.length >> 1], vs[vs.length >> 1]);
    const [lost, lostV] = [lengthOf(there.du) < poleShare * lengthOf(mid.du), lengthOf(there.dv) < poleShare * lengthOf(mid.dv)];
    if (!lost && !lostV) return end;
    const h = (t === this.from ? 1 : -1) * (this.to - this.from) * 1e-3;
    const near: [number, number][] = [];
    for (let i = 3; i >= 1; i--) {
      on.find(curveAt(this.curve, t + i * h, 1).at, near.length > 0 ? near[0] : [us[k], vs[k]]);
      near.unshift([on.u, on.v]);
    }
    // Through three points to the end: Lagrange at equal steps.
    const carried = (c: 0 | 1) => 3 * near[0][c] - 3 * near[1][c] + near[2][c];
    return [lost ? carried(0) : end[0], lostV ? carried(1) : end[1]];
  }

  get surface(): Surface {
    return this.on.surface;
  }

  /** u, v and how they change with t. `out` takes 4 numbers. */
  at(t: number, out: Float64Array): void {
    const { first, last, from, to, on } = this;
    if (this.straight) {
      const s = (t - from) / (to - from);
      out[0] = first[0] + s * (last[0] - first[0]);
      out[1] = first[1] + s * (last[1] - first[1]);
      out[2] = (last[0] - first[0]) / (to - from);
      out[3] = (last[1] - first[1]) / (to - from);
      return;
    }
    if (this.flat) {
      this.flat.into(t, out);
      return;
    }
    const c = curveAt(this.curve, t, 1);
    on.find(c.at, this.seed(t));
    out[0] = on.u;
    out[1] = on.v;
    const [du, dv] = solved(surfaceAt(on.surface, on.u, on.v), c.d1);
    out[2] = du;
    out[3] = dv;
  }

  /** Parameters near those at t, from the places looked at. */
  private seed(t: number): [number, number] {
    const { ts, us, vs } = this;
    let low = 0;
    let high = ts.length - 1;
    if (t <= ts[0]) return [us[0], vs[0]];
    if (t >= ts[high]) return [us[high], vs[high]];
    while (high - low > 1) {
      const middle = (low + high) >> 1;
      if (ts[middle] <= t) low = middle;
      else high = middle;
    }
    const s = (t - ts[low]) / (ts[high] - ts[low]);
    return [us[low] + s * (us[high] - us[low]), vs[low] + s * (vs[high] - vs[low])];
  }

  /** Where the parameters of the trace lie, coarsely: t, u, v of places in order, both ends among them. */
  places(): { t: number; u: number; v: number }[] {
    const inner = this.straight ? [] : this.ts.map((t, i) => ({ t, u: this.us[i], v: this.vs[i] }));
    return [{ t: this.from, u: this.first[0], v: this.first[1] }, ...inner, { t: this.to, u: this.last[0], v: this.last[1] }];
  }
}

type Plane = Extract<Surface, { kind: 'plane' }>;

/** A curve in a plane's own coordinates, and how far it lies off it. */
interface FlatCourse {
  at(t: number): [number, number];
  /** u, v and how they change. */
  into(t: number, out: Float64Array): void;
  /** The largest distance from the plane between two parameters, mm. */
  off(from: number, to: number): number;
}

/** A line, circle or ellipse seen in a plane; null for other curves. */
function flatCourse({ frame }: Plane, curve: Curve): FlatCourse | null {
  const seen = (p: Vec3) => [dot(p, frame.x), dot(p, frame.y), dot(p, frame.z)] as const;
  if (curve.kind === 'line') {
    const [u, v, h] = seen(sub(curve.at, frame.at));
    const [du, dv, dh] = seen(curve.along);
    return {
      at: (t) => [u + t * du, v + t * dv],
      into: (t, out) => void ((out[0] = u + t * du), (out[1] = v + t * dv), (out[2] = du), (out[3] = dv)),
      off: (from, to) => Math.max(Math.abs(h + from * dh), Math.abs(h + to * dh)),
    };
  }
  if (curve.kind !== 'circle' && curve.kind !== 'ellipse') return null;
  const [u, v, h] = seen(sub(curve.at, frame.at));
  const [au, av, ah] = seen(scaled(curve.x, curve.rx));
  const [bu, bv, bh] = seen(scaled(curve.y, curve.ry));
  return {
    at: (t) => [u + au * Math.cos(t) + bu * Math.sin(t), v + av * Math.cos(t) + bv * Math.sin(t)],
    into: (t, out) => {
      const c = Math.cos(t);
      const s = Math.sin(t);
      out[0] = u + au * c + bu * s;
      out[1] = v + av * c + bv * s;
      out[2] = bu * c - au * s;
      out[3] = bv * c - av * s;
    },
    off: (from, to) => {
      const high = (t: number) => Math.abs(h + ah * Math.cos(t) + bh * Math.sin(t));
      // Where it turns back, when that lies between.
      const turning = Math.atan2(bh, ah);
      const between = [0, 1].map((k) => turning + k * Math.PI + Math.ceil((from - turning - k * Math.PI) / turn) * turn).filter((t) => t <= to);
      return Math.max(high(from), high(to), ...between.map(high));
    },
  };
}

/** Where a point of a surface is that its parameters name. */
export const pointOn = (on: Inverse, u: number, v: number): Vec3 => surfaceAt(on.surface, u, v).at;
