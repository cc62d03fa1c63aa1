import { NotTaken } from '../body/body.ts';
import type { Crease } from '../surfaces/creases.ts';
import { creaseNumber } from './crease-number.ts';
import type { FacePlane } from './plane.ts';
import { Crossing } from './triangulation.ts';

/** How near to a crease a point of the outline counts as one of it, in shares of the range. */
const onLine = 1e-9;
/** A crease is halved so often at most. */
const mostHalvings = 12;
/** Pieces that the creases of a surface divide it into at most. */
const mostPieces = 40_000;

/** A place where a crease meets the outline: how far along it, and the point of the triangulation there; -1 where there is none. */
interface Meeting {
  along: number;
  point: number;
}

/**
 * Lays the creases of a surface into a face's triangulation as edges that stay, so that no facet lies over one: halved until each chord lies near enough.
 * @param rims numbers of the points of each loop
 */
export function layCreases(plane: FacePlane, creases: readonly Crease[], rims: readonly Int32Array[]): void {
  const along = (way: 'u' | 'v') => creases.filter((c) => c.way === way).map((c) => c.at);
  const stops = { u: along('u'), v: along('v') };
  if ((stops.u.length + 1) * (stops.v.length + 1) > mostPieces) throw new NotTaken('many-creases');
  for (const crease of creases) {
    const list = meetingsOf(plane, crease, rims);
    for (let i = 1; i < list.length; i++) {
      const [a, b] = [list[i - 1], list[i]];
      if (!(b.along > a.along) || isKept(plane, a.point, b.point)) continue;
      const [u, v] = placeOn(crease, (a.along + b.along) / 2);
      const { t } = plane;
      if (t.locate(u * plane.scale[0], v * plane.scale[1]) >= 0) new Line(plane, crease).lay(a, b, stops[crease.way === 'u' ? 'v' : 'u']);
    }
  }
}

/** Whether two points are joined by an edge that stays. */
function isKept({ t }: FacePlane, a: number, b: number): boolean {
  const e = a >= 0 && b >= 0 ? t.edge(a, b) : -1;
  return e >= 0 && t.fixed[e] > 0;
}

const placeOn = ({ way, at }: Crease, along: number): [number, number] => (way === 'u' ? [at, along] : [along, at]);

function meetingsOf(plane: FacePlane, { way, at }: Crease, rims: readonly Int32Array[]): Meeting[] {
  const out: Meeting[] = [];
  const of = (p: number) => (way === 'u' ? [plane.u(p), plane.v(p)] : [plane.v(p), plane.u(p)]);
  let [low, high] = [Infinity, -Infinity];
  for (const rim of rims) {
    for (const p of rim) {
      low = Math.min(low, of(p)[0]);
      high = Math.max(high, of(p)[0]);
    }
  }
  const near = onLine * (high - low);
  for (const rim of rims) {
    rim.forEach((p, i) => {
      const [x, y] = of(p);
      const [nx, ny] = of(rim[(i + 1) % rim.length]);
      if (Math.abs(x - at) <= near) {
        out.push({ along: y, point: p });
        plane.creased(p);
      } else if (Math.abs(nx - at) > near && x < at !== nx < at) out.push({ along: y + ((ny - y) * (at - x)) / (nx - x), point: -1 });
    });
  }
  return out.sort((p, q) => p.along - q.along);
}

class Line {
  private readonly plane: FacePlane;
  private readonly crease: Crease;

  constructor(plane: FacePlane, crease: Crease) {
    this.plane = plane;
    this.crease = crease;
  }

  /** Lays the line between two places of the outline. @param stops where creases of the other way cross it */
  lay(a: Meeting, b: Meeting, stops: readonly number[]): void {
    const points: number[] = [];
    if (a.point >= 0) points.push(a.point);
    let from = a.along;
    for (const stop of stops) {
      if (!(stop > from && stop < b.along)) continue;
      this.halve(from, stop, mostHalvings, points);
      this.put(stop, points);
      from = stop;
    }
    this.halve(from, b.along, mostHalvings, points);
    if (b.point >= 0) points.push(b.point);
    for (let i = 1; i < points.length; i++) {
      if (points[i - 1] === points[i] || isKept(this.plane, points[i - 1], points[i])) continue;
      try {
        this.plane.t.keep(points[i - 1], points[i], creaseNumber);
      } catch (thrown) {
        // Where a crease touches the outline the outline keeps its edges.
        if (!(thrown instanceof Crossing)) throw thrown;
      }
    }
  }

  /** Puts a point onto the line. */
  private put(along: number, out: number[]): void {
    const { plane } = this;
    const [u, v] = placeOn(this.crease, along);
    const p = plane.t.insert(u * plane.scale[0], v * plane.scale[1]);
    if (p < 0) return;
    if (plane.vertex[p] === undefined) plane.own(p);
    plane.creased(p);
    out.push(p);
  }

  /** Puts points between two places, until the middle of each chord is near enough. */
  private halve(from: number, to: number, left: number, out: number[]): void {
    const mid = (from + to) / 2;
    if (left === 0 || this.near(from, mid, to)) return;
    this.halve(from, mid, left - 1, out);
    this.put(mid, out);
    this.halve(mid, to, left - 1, out);
  }

  /** Whether the surface at the middle of a chord, and at its quarters, lies within the deviation of it. */
  private near(from: number, mid: number, to: number): boolean {
    const { bend, task } = this.plane;
    const at = (t: number) => {
      bend.point(...placeOn(this.crease, t));
      return bend.at.slice();
    };
    const [a, b] = [at(from), at(to)];
    return [mid, (from + mid) / 2, (mid + to) / 2].every((t) => {
      const p = at(t);
      const d = [0, 1, 2].map((k) => b[k] - a[k]);
      const long = d[0] * d[0] + d[1] * d[1] + d[2] * d[2];
      const s = long > 0 ? [0, 1, 2].reduce((sum, k) => sum + (p[k] - a[k]) * d[k], 0) / long : 0;
      return Math.hypot(...[0, 1, 2].map((k) => p[k] - a[k] - s * d[k])) <= 0.9 * task.want.deviation;
    });
  }
}
