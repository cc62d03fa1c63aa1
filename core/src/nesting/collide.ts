import { orient2d } from 'robust-predicates';
import type { Variant } from './shape.ts';

/** Half of the rounding error that a 2 x 2 determinant of rounded differences can have. Source: Shewchuk, Adaptive precision floating-point arithmetic, 1997. */
const errorBound = 3.3306690738754716e-16;

/** On which side of the line from a to b a place lies: positive to the left. Exact in sign. */
// eslint-disable-next-line max-params -- scalars, since nothing may be allocated in the innermost loop
function sideOf(ax: number, ay: number, bx: number, by: number, cx: number, cy: number): number {
  const left = (ay - cy) * (bx - cx);
  const right = (ax - cx) * (by - cy);
  const det = left - right;
  // Of products with different signs, or one that is zero, the difference has the right sign whatever was rounded.
  if (left > 0 !== right > 0 || left === 0 || right === 0 || Math.abs(det) > errorBound * Math.abs(left + right)) return -det;
  return -orient2d(ax, ay, bx, by, cx, cy);
}

/** Whether a place lies in a shape (1), on its border (0) or outside (-1). Exact. */
// eslint-disable-next-line complexity -- one loop with all its cases: it is asked millions of times
export function placeIn(v: Variant, x: number, y: number): 1 | 0 | -1 {
  const { xy, next } = v;
  let inside = false;
  for (let i = 0; i < next.length; i++) {
    const j = next[i];
    const [ax, ay, bx, by] = [xy[i * 2], xy[i * 2 + 1], xy[j * 2], xy[j * 2 + 1]];
    if (ay > y === by > y && !((ay === y || by === y) && Math.min(ay, by) <= y && Math.max(ay, by) >= y)) continue;
    if (Math.max(ax, bx) < x) continue;
    const side = sideOf(ax, ay, bx, by, x, y);
    if (side === 0 && Math.min(ax, bx) <= x && Math.max(ax, bx) >= x && Math.min(ay, by) <= y && Math.max(ay, by) >= y) return 0;
    if (ay > y !== by > y && side > 0 === by > ay) inside = !inside;
  }
  return inside ? 1 : -1;
}

/** Edges of the other shape that reach into the box of this one, kept between calls so that nothing is allocated. */
let near = new Int32Array(256);

/**
 * Whether the insides of two shapes have a place in common; touching is none. `dx`, `dy` is where the second lies from the first. Exact while
 * corners and the shift lie on the grid.
 */
// eslint-disable-next-line complexity -- the cheap answers come first, in one place
export function collide(a: Variant, b: Variant, dx: number, dy: number): boolean {
  if (dx >= a.width || dy >= a.height || dx + b.width <= 0 || dy + b.height <= 0) return false;
  if (circlesMeet(a, b, dx, dy)) return true;
  const edges = bordersMeet(a, b, dx, dy);
  if (edges !== 0) return edges > 0 || touchAndOverlap(a, b, dx, dy);
  // No borders meet: one may lie in the other, or in a hole of it.
  const inside = dx >= 0 && dy >= 0 && dx + b.width <= a.width && dy + b.height <= a.height;
  if (inside && placeIn(a, b.xy[0] + dx, b.xy[1] + dy) > 0) return true;
  const around = dx <= 0 && dy <= 0 && dx + b.width >= a.width && dy + b.height >= a.height;
  return around && placeIn(b, a.xy[0] - dx, a.xy[1] - dy) > 0;
}

/** Only the largest circles are asked: the others rarely tell more than borders do. */
const mostAsked = 9;

function circlesMeet(a: Variant, b: Variant, dx: number, dy: number): boolean {
  const [p, q] = [a.poles, b.poles];
  const [n, m] = [Math.min(p.length, mostAsked), Math.min(q.length, mostAsked)];
  for (let i = 0; i < n; i += 3)
    for (let j = 0; j < m; j += 3) {
      const [ex, ey] = [q[j] + dx - p[i], q[j + 1] + dy - p[i + 1]];
      // Less a hair, since the circles themselves are rounded.
      const r = (p[i + 2] + q[j + 2]) * (1 - 1e-9);
      if (ex * ex + ey * ey < r * r) return true;
    }
  return false;
}

/** 1 when two borders cross, -1 when they touch only, 0 when they do not meet. */
// eslint-disable-next-line complexity -- the innermost loop of nesting: calls and lists would cost more than the work
function bordersMeet(a: Variant, b: Variant, dx: number, dy: number): -1 | 0 | 1 {
  const [p, pn, q, qn] = [a.xy, a.next, b.xy, b.next];
  const [left, low, right, high] = [Math.max(0, dx), Math.max(0, dy), Math.min(a.width, dx + b.width), Math.min(a.height, dy + b.height)];
  if (near.length < qn.length) near = new Int32Array(qn.length * 2);
  let count = 0;
  for (let j = 0; j < qn.length; j++) {
    const k = qn[j] * 2;
    const [cx, cy, ex, ey] = [q[j * 2] + dx, q[j * 2 + 1] + dy, q[k] + dx, q[k + 1] + dy];
    if ((cx < left && ex < left) || (cx > right && ex > right) || (cy < low && ey < low) || (cy > high && ey > high)) continue;
    near[count++] = j;
  }
  if (count === 0) return 0;
  let touch = false;
  for (let i = 0; i < pn.length; i++) {
    const n = pn[i] * 2;
    const ax = p[i * 2];
    const ay = p[i * 2 + 1];
    const bx = p[n];
    const by = p[n + 1];
    if ((ax < left && bx < left) || (ax > right && bx > right) || (ay < low && by < low) || (ay > high && by > high)) continue;
    const minX = ax < bx ? ax : bx;
    const maxX = ax < bx ? bx : ax;
    const minY = ay < by ? ay : by;
    const maxY = ay < by ? by : ay;
    for (let m = 0; m < count; m++) {
      const j = near[m];
      const k = qn[j] * 2;
      const cx = q[j * 2] + dx;
      const ex = q[k] + dx;
      if ((cx < minX && ex < minX) || (cx > maxX && ex > maxX)) continue;
      const cy = q[j * 2 + 1] + dy;
      const ey = q[k + 1] + dy;
      if ((cy < minY && ey < minY) || (cy > maxY && ey > maxY)) continue;
      const s1 = sideOf(ax, ay, bx, by, cx, cy);
      const s2 = sideOf(ax, ay, bx, by, ex, ey);
      if ((s1 > 0 && s2 > 0) || (s1 < 0 && s2 < 0)) continue;
      const s3 = sideOf(cx, cy, ex, ey, ax, ay);
      const s4 = sideOf(cx, cy, ex, ey, bx, by);
      if ((s3 > 0 && s4 > 0) || (s3 < 0 && s4 < 0)) continue;
      if (s1 !== 0 && s2 !== 0 && s3 !== 0 && s4 !== 0) return 1;
      touch = true;
    }
  }
  return touch ? -1 : 0;
}

/**
 * For borders that touch and nowhere cross: whether the insides meet even so. Borders are cut at the corners of the other shape that lie on them; a
 * piece that runs through the inside of the other tells it, and so does a common inside where the borders are the same.
 */
function touchAndOverlap(a: Variant, b: Variant, dx: number, dy: number): boolean {
  return pieceInside(a, b, -dx, -dy) || pieceInside(b, a, dx, dy) || commonPlace(a, b, dx, dy);
}

/** Whether some piece of the border of `a` lies in the inside of `b`; `x`, `y` is where `a` lies from `b`. */
// eslint-disable-next-line complexity -- bounds first, then cuts, then pieces: parting it would part the figures it needs
function pieceInside(a: Variant, b: Variant, x: number, y: number): boolean {
  const [p, q] = [a.xy, b.xy];
  for (let i = 0; i < a.next.length; i++) {
    const n = a.next[i] * 2;
    const [ax, ay, bx, by] = [p[i * 2] + x, p[i * 2 + 1] + y, p[n] + x, p[n + 1] + y];
    if (Math.max(ax, bx) < 0 || Math.min(ax, bx) > b.width || Math.max(ay, by) < 0 || Math.min(ay, by) > b.height) continue;
    const cuts = [0, 1];
    const [ex, ey] = [bx - ax, by - ay];
    const long = ex * ex + ey * ey;
    const [lowX, highX, lowY, highY] = [Math.min(ax, bx), Math.max(ax, bx), Math.min(ay, by), Math.max(ay, by)];
    for (let j = 0; j < q.length; j += 2) {
      if (q[j] < lowX || q[j] > highX || q[j + 1] < lowY || q[j + 1] > highY) continue;
      if (sideOf(ax, ay, bx, by, q[j], q[j + 1]) === 0) cuts.push(((q[j] - ax) * ex + (q[j + 1] - ay) * ey) / long);
      // A corner of the other on this border, and the other border may turn in there: both pieces are looked at.
    }
    cuts.sort((u, v) => u - v);
    for (let k = 1; k < cuts.length; k++) {
      if (cuts[k] - cuts[k - 1] < 1e-12) continue;
      const t = (cuts[k] + cuts[k - 1]) / 2;
      if (placeIn(b, ax + t * ex, ay + t * ey) > 0 && !onBorder(b, [ax, ay, bx, by], t)) return true;
    }
  }
  return false;
}

/** Whether the piece about share t of an edge runs along a border of the shape: its middle is rounded and may fall to either side. */
function onBorder(b: Variant, [ax, ay, bx, by]: readonly number[], t: number): boolean {
  const { xy, next } = b;
  const [x, y] = [ax + t * (bx - ax), ay + t * (by - ay)];
  for (let j = 0; j < next.length; j++) {
    const k = next[j] * 2;
    const [cx, cy, ex, ey] = [xy[j * 2], xy[j * 2 + 1], xy[k], xy[k + 1]];
    if (sideOf(ax, ay, bx, by, cx, cy) !== 0 || sideOf(ax, ay, bx, by, ex, ey) !== 0) continue;
    if (Math.abs(ex - cx) >= Math.abs(ey - cy) ? x >= cx !== x > ex : y >= cy !== y > ey) return true;
  }
  return false;
}

/** Whether a place in the middle of one, away from its border, lies in the other: the same shape on the same place. */
function commonPlace(a: Variant, b: Variant, dx: number, dy: number): boolean {
  if (a.poles.length === 0 || b.poles.length === 0) return false;
  return placeIn(b, a.poles[0] - dx, a.poles[1] - dy) > 0 || placeIn(a, b.poles[0] + dx, b.poles[1] + dy) > 0;
}
