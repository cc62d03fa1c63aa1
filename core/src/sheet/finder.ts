import type { Contour } from '../curves/drawing.ts';
import { flattened } from '../curves/flatten.ts';
import { distance, turn, type ArcSegment, type LineSegment, type P2 } from '../curves/segment.ts';

/** Curves that are neither lines nor arcs are cut into lines of this deviation, mm. */
const fine = 2e-5;

/**
 * Finds nearest places on contours: a grid of cells over lines and arcs, whose nearest points have closed forms.
 * A cell knows every piece that passes within a quarter of its size.
 */
export class Finder {
  private readonly pieces: (LineSegment | ArcSegment)[] = [];
  private readonly cells = new Map<number, number[]>();
  private readonly size: number;
  private readonly low: P2 = [Infinity, Infinity];

  constructor(contours: readonly Contour[]) {
    for (const c of contours) {
      for (const s of c.segments) {
        if (s.kind === 'line' || s.kind === 'arc') this.pieces.push(s);
        else {
          const points = flattened([s], fine);
          for (let i = 0; i + 1 < points.length; i++) this.pieces.push({ kind: 'line', a: points[i], b: points[i + 1] });
        }
      }
    }
    let high = -Infinity;
    let length = 0;
    for (const s of this.pieces) {
      const [x0, y0, x1, y1] =
        s.kind === 'line'
          ? [Math.min(s.a[0], s.b[0]), Math.min(s.a[1], s.b[1]), Math.max(s.a[0], s.b[0]), Math.max(s.a[1], s.b[1])]
          : [s.centre[0] - s.radius, s.centre[1] - s.radius, s.centre[0] + s.radius, s.centre[1] + s.radius];
      this.low[0] = Math.min(this.low[0], x0);
      this.low[1] = Math.min(this.low[1], y0);
      high = Math.max(high, x1 - this.low[0], y1 - this.low[1]);
      length += s.kind === 'line' ? distance(s.a, s.b) : s.radius * Math.abs(s.sweep);
    }
    // About as many cells as pieces, but no more than a few thousand along any side.
    this.size = Math.max(1e-6, high / 4096, length / Math.max(16, this.pieces.length * 2));
    this.pieces.forEach((s, i) => this.enter(s, i));
  }

  private enter(s: LineSegment | ArcSegment, i: number): void {
    // Steps of half a cell; an arc's chords of that length are off by far less than a quarter.
    const long = s.kind === 'line' ? distance(s.a, s.b) : s.radius * Math.abs(s.sweep);
    const steps = Math.max(s.kind === 'line' ? 1 : 8, Math.ceil(long / (this.size / 2)));
    let last = NaN;
    for (let k = 0; k <= steps; k++) {
      const key =
        s.kind === 'line'
          ? this.keyOf(s.a[0] + ((s.b[0] - s.a[0]) * k) / steps, s.a[1] + ((s.b[1] - s.a[1]) * k) / steps)
          : this.keyOf(s.centre[0] + s.radius * Math.cos(s.start + (s.sweep * k) / steps), s.centre[1] + s.radius * Math.sin(s.start + (s.sweep * k) / steps));
      if (key === last) continue;
      last = key;
      const list = this.cells.get(key);
      if (list) list.push(i);
      else this.cells.set(key, [i]);
    }
  }

  private keyOf(x: number, y: number): number {
    return Math.floor((x - this.low[0]) / this.size) * 65_536 + Math.floor((y - this.low[1]) / this.size);
  }

  /** The nearest place on any contour; the point itself when there is none. */
  nearest(p: P2): P2 {
    let best = Infinity;
    let at: P2 = p;
    if (this.pieces.length === 0) return at;
    // Whole cells from here on: adding their size to a coordinate can round over one.
    const here = this.keyOf(p[0], p[1]);
    for (let ring = 0; ring <= 64; ring++) {
      for (let i = -ring; i <= ring; i++) {
        const step = Math.abs(i) === ring ? 1 : 2 * ring;
        for (let j = -ring; j <= ring; j += step) {
          const list = this.cells.get(here + i * 65_536 + j);
          if (!list) continue;
          for (const n of list) {
            const q = nearestOn(this.pieces[n], p);
            const d = distance(p, q);
            if (d < best) [best, at] = [d, q];
          }
        }
      }
      // Whatever lies in farther rings is at least this far off (half a step beside a cell may pass unseen).
      if (best <= (ring - 0.5) * this.size) return at;
    }
    // Far off: every piece is asked.
    for (const s of this.pieces) {
      const q = nearestOn(s, p);
      const d = distance(p, q);
      if (d < best) [best, at] = [d, q];
    }
    return at;
  }
}

/** Nearest point of a line or arc, in closed form. */
function nearestOn(s: LineSegment | ArcSegment, p: P2): P2 {
  if (s.kind === 'line') {
    const e: P2 = [s.b[0] - s.a[0], s.b[1] - s.a[1]];
    const t = Math.max(0, Math.min(1, ((p[0] - s.a[0]) * e[0] + (p[1] - s.a[1]) * e[1]) / (e[0] ** 2 + e[1] ** 2 || 1)));
    return [s.a[0] + e[0] * t, s.a[1] + e[1] * t];
  }
  const on = (angle: number): P2 => [s.centre[0] + s.radius * Math.cos(angle), s.centre[1] + s.radius * Math.sin(angle)];
  const angle = Math.atan2(p[1] - s.centre[1], p[0] - s.centre[0]);
  const sign = s.sweep < 0 ? -1 : 1;
  let ahead = (sign * (angle - s.start)) % turn;
  if (ahead < 0) ahead += turn;
  if (ahead <= Math.abs(s.sweep)) return on(angle);
  const [a, b] = [on(s.start), on(s.start + s.sweep)];
  return distance(p, a) <= distance(p, b) ? a : b;
}
