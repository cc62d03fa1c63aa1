import Flatbush from 'flatbush';
import { endOf, pointAt, startOf, type Segment } from '../curves/segment.ts';

/** Of the edges of pictures: no other piece is asked within so many pixels. */
const nearEnough = 1.5;
/** Pieces to either side of the last one that are asked first. */
const beside = 3;
/** A spline is asked as so many chords. */
const chords = 32;

/**
 * Distance to an outline, with the piece that was nearest the last time asked first: points come in its order.
 * Points far off ask an index of all pieces, so that n points beside m pieces take about n log m.
 * @param enough nearer than this to a piece beside the last one, no other is asked; 0: the answer is the nearest whatever was asked before
 * @returns for a place in the outline's own numbers its distance. @example nearOutline([{ kind: 'line', a: [0, 0], b: [2, 0] }])(1, 3) // 3
 */
export function nearOutline(outline: readonly Segment[], enough = nearEnough): (x: number, y: number) => number {
  const n = outline.length;
  const asks = outline.map(askOf);
  let last = 0;
  let index: Flatbush | null = null;
  return (x, y) => {
    let best = asks[last](x, y, Infinity);
    let at = last;
    for (let k = 1; k <= beside; k++)
      for (const i of [(last + k) % n, (((last - k) % n) + n) % n]) {
        const d = asks[i](x, y, best);
        if (d < best) [best, at] = [d, i];
      }
    if (best > enough && n > 2 * beside + 1) {
      index ??= indexOf(outline);
      for (const i of index.search(x - best, y - best, x + best, y + best)) {
        const d = asks[i](x, y, best);
        if (d < best) [best, at] = [d, i];
      }
    }
    last = at;
    return best;
  };
}

function indexOf(outline: readonly Segment[]): Flatbush {
  const index = new Flatbush(outline.length);
  for (const s of outline) index.add(...reachOf(s));
  index.finish();
  return index;
}

/** A box that holds a piece: that of a line, of an arc's whole circle where it turns far, of a spline's chords. */
function reachOf(s: Segment): [number, number, number, number] {
  const points = s.kind === 'spline' ? Array.from({ length: chords + 1 }, (_, k) => pointAt(s, k / chords)) : [startOf(s), endOf(s)];
  const xs = points.map((p) => p[0]);
  const ys = points.map((p) => p[1]);
  let bulge = 0;
  if (s.kind === 'arc') bulge = Math.abs(s.sweep) > Math.PI ? 2 * s.radius : s.radius * (1 - Math.cos(s.sweep / 2));
  return [Math.min(...xs) - bulge, Math.min(...ys) - bulge, Math.max(...xs) + bulge, Math.max(...ys) + bulge];
}

/** Distance of a place from one piece; anything not below `best` where its box alone is farther. */
type Ask = (x: number, y: number, best: number) => number;

function askOf(s: Segment): Ask {
  const [left, bottom, right, top] = reachOf(s);
  const ask = s.kind === 'line' ? chordAsk(s.a[0], s.a[1], s.b[0], s.b[1]) : s.kind === 'arc' ? arcAsk(s) : splineAsk(s);
  return (x, y, best) => (x < left - best || x > right + best || y < bottom - best || y > top + best ? Infinity : ask(x, y));
}

function chordAsk(ax: number, ay: number, bx: number, by: number): (x: number, y: number) => number {
  const [dx, dy] = [bx - ax, by - ay];
  const square = dx * dx + dy * dy || 1;
  return (x, y) => {
    const t = Math.min(1, Math.max(0, ((x - ax) * dx + (y - ay) * dy) / square));
    const [ex, ey] = [x - ax - t * dx, y - ay - t * dy];
    return Math.sqrt(ex * ex + ey * ey);
  };
}

/** A place lies beside an arc where its direction from the centre is within half the sweep of the arc's middle. */
function arcAsk(s: Segment & { kind: 'arc' }): (x: number, y: number) => number {
  const { centre, radius, start, sweep } = s;
  const middle = start + sweep / 2;
  const [mx, my] = [Math.cos(middle), Math.sin(middle)];
  const least = Math.abs(sweep) >= 2 * Math.PI ? -2 : Math.cos(sweep / 2);
  const [[ax, ay], [bx, by]] = [startOf(s), endOf(s)];
  return (x, y) => {
    const [dx, dy] = [x - centre[0], y - centre[1]];
    const far = Math.sqrt(dx * dx + dy * dy);
    if (dx * mx + dy * my >= far * least) return Math.abs(far - radius);
    return Math.sqrt(Math.min((x - ax) ** 2 + (y - ay) ** 2, (x - bx) ** 2 + (y - by) ** 2));
  };
}

function splineAsk(s: Segment): (x: number, y: number) => number {
  const at = Array.from({ length: chords + 1 }, (_, k) => pointAt(s, k / chords));
  const asks = at.slice(1).map((b, k) => chordAsk(at[k][0], at[k][1], b[0], b[1]));
  return (x, y) => {
    let best = Infinity;
    for (const ask of asks) best = Math.min(best, ask(x, y));
    return best;
  };
}
