import { cross, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import { curveAt, type Curve } from './curves.ts';
import { footOff, footShare, mostHalves, mostSteps, type Foot } from './foot.ts';
import type { Surface } from './surfaces.ts';

/** Distances from the axis below this share of the size are none: their direction is rounding. */
const onAxis = 1e-13;
/** Places of a profile looked at between two knots, and in all at least. */
const pieceLooks = 8;
const leastLooks = 32;

/**
 * The foot on a surface that a profile sweeps along a line or about an axis: on the profile, in the plane where the surface is one line: across the line, or of
 * heights and distances from the axis.
 */
export class SweptFoot implements Foot {
  x = 0;
  y = 0;
  z = 0;
  enough = 0;
  private readonly profile: Curve;
  private readonly range: readonly [number, number];
  /** Of an extrusion: x and y across it. Of a revolution: a place on the axis and its direction. */
  private readonly e1: Vec3;
  private readonly e2: Vec3;
  private readonly origin: Vec3;
  private readonly turned: boolean;
  private readonly along: Vec3;
  /** The profile in its plane: parameters, and x and y of each. */
  private readonly ts: Float64Array;
  private readonly xy: Float64Array;
  private readonly squares: Float64Array;
  private readonly reach: number;
  /** Largest height or distance of the profile, mm. */
  private readonly size: number = 0;
  /** What `look` found: x, y and how they change once and twice. */
  private readonly seen = new Float64Array(6);
  /** Parameter of the point found last on the profile. */
  t = 0;
  /** Parameters of a point of the surface, when they were asked for. */
  u = 0;
  v = 0;

  /** @param range of the profile's parameter */
  constructor(surface: Extract<Surface, { kind: 'extrusion' | 'revolution' }>, range: readonly [number, number]) {
    this.profile = surface.profile;
    // Round and round there is no end.
    this.range = surface.profile.kind === 'circle' || surface.profile.kind === 'ellipse' ? [-Infinity, Infinity] : range;
    this.turned = surface.kind === 'revolution';
    this.along = surface.kind === 'extrusion' ? surface.along : surface.axis;
    if (surface.kind === 'revolution') [this.origin, this.e1, this.e2] = [surface.at, surface.axis, surface.axis];
    else {
      const along = unit(surface.along);
      const least = [0, 1, 2].reduce((k, i) => (Math.abs(along[i]) < Math.abs(along[k]) ? i : k), 0);
      const axis: Vec3 = [0, 0, 0];
      axis[least] = 1;
      this.e1 = unit(cross(along, axis));
      this.e2 = cross(along, this.e1);
      this.origin = [0, 0, 0];
    }
    this.ts = looksAlong(surface.profile, range);
    this.xy = new Float64Array(2 * this.ts.length);
    this.squares = new Float64Array(this.ts.length);
    let reach = 0;
    this.ts.forEach((t, i) => {
      this.look(t);
      this.xy[2 * i] = this.seen[0];
      this.xy[2 * i + 1] = this.seen[1];
      if (i > 0) reach = Math.max(reach, Math.hypot(this.seen[0] - this.xy[2 * i - 2], this.seen[1] - this.xy[2 * i - 1]));
    });
    this.reach = reach;
    this.size = this.xy.reduce((most, x) => Math.max(most, Math.abs(x)), 0);
  }

  find(px: number, py: number, pz: number): number {
    const q = sub([px, py, pz], this.origin);
    const [x, y] = this.turned ? [lengthOf(sub(q, scaled(this.e1, dot(q, this.e1)))), dot(q, this.e1)] : [dot(q, this.e1), dot(q, this.e2)];
    const { xy, squares } = this;
    let nearest = 0;
    for (let i = 0; i < squares.length; i++) {
      const dx = xy[2 * i] - x;
      const dy = xy[2 * i + 1] - y;
      squares[i] = dx * dx + dy * dy;
      if (!(squares[i] >= squares[nearest])) nearest = i;
    }
    let best = this.refined(x, y, this.ts[nearest]);
    let t = this.t;
    const far = (Math.sqrt(squares[nearest]) + this.reach / 2) ** 2;
    for (let i = 0; i < squares.length && best > this.enough; i++) {
      if (i === nearest || squares[i] > far || (i > 0 && squares[i - 1] < squares[i]) || squares[i + 1] < squares[i]) continue;
      const again = this.refined(x, y, this.ts[i]);
      if (again < best) [best, t] = [again, this.t];
    }
    this.t = t;
    this.place(q, t);
    return best;
  }

  /** Finds a point, and its parameters on the surface into `u` and `v`. */
  locate(px: number, py: number, pz: number): void {
    this.find(px, py, pz);
    const from = curveAt(this.profile, this.t, 1).at;
    if (!this.turned) {
      this.u = this.t;
      this.v = dot(sub([px, py, pz], from), this.along) / dot(this.along, this.along);
      return;
    }
    // The angle from the profile's place to the point, about the axis.
    const [a, b] = [sub(from, this.origin), sub([px, py, pz], this.origin)];
    const across = sub(a, scaled(this.e1, dot(a, this.e1)));
    this.u = Math.atan2(dot(cross(this.e1, across), b), dot(across, b));
    this.v = this.t;
  }

  /** The point of the surface: the profile's, moved along, or turned to where the point is. */
  private place(q: Vec3, t: number): void {
    this.look(t);
    const [a, b] = this.seen;
    let p: Vec3;
    if (this.turned) {
      const up = dot(q, this.e1);
      const out = sub(q, scaled(this.e1, up));
      const far = lengthOf(out);
      const on = far > 0 ? scaled(out, a / far) : scaled(this.anyAcross(t), a);
      p = [0, 1, 2].map((k) => this.origin[k] + on[k] + b * this.e1[k]) as Vec3;
    } else p = [0, 1, 2].map((k) => q[k] + (a - dot(q, this.e1)) * this.e1[k] + (b - dot(q, this.e2)) * this.e2[k]) as Vec3;
    [this.x, this.y, this.z] = p;
  }

  /** From a point on the axis all ways are as near: that of the profile itself. */
  private anyAcross(t: number): Vec3 {
    const q = sub(curveAt(this.profile, t).at, this.origin);
    const out = sub(q, scaled(this.e1, dot(q, this.e1)));
    const far = lengthOf(out);
    return far > 0 ? scaled(out, 1 / far) : [0, 0, 0];
  }

  /** Newton's steps along the profile from a parameter; leaves what they end at in t. */
  private refined(x: number, y: number, from: number): number {
    const [low, high] = this.range;
    const { seen } = this;
    let [best, bt, t, step] = [Infinity, from, from, 0];
    for (let n = 0, halves = 0; n < mostSteps + halves; n++) {
      this.look(t);
      const rx = x - seen[0];
      const ry = y - seen[1];
      const d = Math.sqrt(rx * rx + ry * ry);
      if (!(d < best)) {
        if (Number.isNaN(d) || halves === mostHalves) break;
        halves++;
        step /= 2;
      } else {
        [best, bt] = [d, t];
        const slope = rx * seen[2] + ry * seen[3];
        const flat = seen[2] * seen[2] + seen[3] * seen[3];
        const bent = flat - rx * seen[4] - ry * seen[5];
        step = flat > 0 ? slope / (bent > flat / 4 ? bent : flat) : 0;
        if ((t <= low && step < 0) || (t >= high && step > 0) || slope * step <= footShare * d * d + footOff) break;
      }
      t = Math.max(low, Math.min(high, bt + step));
    }
    this.t = bt;
    return best;
  }

  private look(t: number): void {
    const { at, d1, d2 } = curveAt(this.profile, t);
    const q = sub(at, this.origin);
    const { e1, e2, seen } = this;
    if (!this.turned) {
      seen[0] = dot(q, e1);
      seen[1] = dot(q, e2);
      seen[2] = dot(d1, e1);
      seen[3] = dot(d1, e2);
      seen[4] = dot(d2, e1);
      seen[5] = dot(d2, e2);
      return;
    }
    seen[1] = dot(q, e1);
    seen[3] = dot(d1, e1);
    seen[5] = dot(d2, e1);
    const out = sub(q, scaled(e1, seen[1]));
    const go = sub(d1, scaled(e1, seen[3]));
    const r = lengthOf(out);
    seen[0] = r;
    if (r > onAxis * this.size) {
      seen[2] = dot(out, go) / r;
      seen[4] = (dot(out, sub(d2, scaled(e1, seen[5]))) + dot(go, go) - seen[2] * seen[2]) / r;
      return;
    }
    // On the axis the way out has no direction: where the profile ends there it came from outside, else it goes there.
    seen[2] = t >= this.range[1] ? -lengthOf(go) : lengthOf(go);
    seen[4] = 0;
  }
}

/** Parameters to look at all along a curve: some between two knots of a spline each. */
function looksAlong(curve: Curve, [from, to]: readonly [number, number]): Float64Array {
  const base = curve.kind === 'offset' ? curve.of : curve;
  const stops = base.kind === 'bspline' ? [...new Set(base.knots)].filter((t) => t > from && t < to) : [];
  const ends = [from, ...stops, to];
  const each = Math.max(pieceLooks, Math.ceil(leastLooks / (ends.length - 1)));
  return Float64Array.from([...ends.slice(1).flatMap((end, i) => Array.from({ length: each }, (_, k) => ends[i] + ((end - ends[i]) * k) / each)), to]);
}
