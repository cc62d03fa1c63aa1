import { hull2 } from '../geometry/hull.ts';
import { rowsOf } from '../geometry/placement.ts';
import type { Rows } from '../geometry/rows.ts';

/** A part to be laid on beds: its outline from above (convex, mm, any place), height, and how many. */
export interface LayItem {
  id: string;
  name: string;
  outline: [number, number][];
  height: number;
  copies: number;
}

/** Where a copy stands: bed number from 0, turn about the vertical (degrees), and the shift of its outline (mm). */
export interface Laid {
  id: string;
  copy: number;
  bed: number;
  turn: number;
  x: number;
  y: number;
}

export interface BedLayout {
  beds: number;
  laid: Laid[];
  /** Parts that fit no bed: by how much, mm, and along what. */
  misfits: { id: string; name: string; over: number; along: 'length' | 'width' | 'height' }[];
  /** Share of each bed's area that outlines cover. */
  filled: number[];
}

export interface BedSize {
  width: number;
  length: number;
  height: number;
  /** Between parts, mm. */
  spacing: number;
  /** From the rim, mm. */
  margin: number;
}

interface Rect {
  x: number;
  y: number;
  w: number;
  h: number;
}

/** Area of a polygon, mm2, counter-clockwise positive. */
export function polygonArea(points: readonly (readonly [number, number])[]): number {
  let sum = 0;
  for (let i = 0; i < points.length; i++) {
    const [ax, ay] = points[i];
    const [bx, by] = points[(i + 1) % points.length];
    sum += ax * by - bx * ay;
  }
  return sum / 2;
}

/**
 * The turn about the vertical that makes the box of an outline smallest: one side of its hull lies along it.
 * Source: Freeman and Shapira, Determining the minimum-area encasing rectangle for an arbitrary closed curve, 1975.
 */
export function smallestBoxTurn(outline: readonly (readonly [number, number])[]): number {
  const ring = hull2(outline);
  let best = 0;
  let least = Infinity;
  for (let i = 0; i < ring.length; i++) {
    const [ax, ay] = ring[i];
    const [bx, by] = ring[(i + 1) % ring.length];
    const turn = -Math.atan2(by - ay, bx - ax);
    const r = boundsOf(ring, (turn * 180) / Math.PI);
    // A hair's preference for staying as it is keeps boxes from being turned by nothing.
    const area = r.w * r.h * (1 + 1e-9 * Math.abs(turn));
    if (area < least) {
      least = area;
      best = (turn * 180) / Math.PI;
    }
  }
  const quarter = ((best % 90) + 90) % 90;
  const plain = quarter > 45 ? quarter - 90 : quarter;
  return Math.abs(plain) < 1e-9 ? 0 : plain;
}

/** Outline turned by degrees about the origin. */
export function turnedOutline(outline: readonly (readonly [number, number])[], degrees: number): [number, number][] {
  const c = Math.cos((degrees * Math.PI) / 180);
  const s = Math.sin((degrees * Math.PI) / 180);
  return outline.map(([x, y]) => [c * x - s * y, s * x + c * y]);
}

function boundsOf(outline: readonly (readonly [number, number])[], degrees: number): Rect {
  const q = turnedOutline(outline, degrees);
  const xs = q.map((v) => v[0]);
  const ys = q.map((v) => v[1]);
  const x = Math.min(...xs);
  const y = Math.min(...ys);
  return { x, y, w: Math.max(...xs) - x, h: Math.max(...ys) - y };
}

/**
 * Lays parts out on as few beds as it can: large ones first, each into the free rectangle where it leaves the least over,
 * turned to its smallest box and by a quarter where that fits better.
 * Source: Jylanki, A thousand ways to pack the bin, 2010 (maximal rectangles, best short side fit).
 */
export function layOut(items: readonly LayItem[], bed: BedSize): BedLayout {
  // Turning some by a quarter helps mixed parts and spoils a plain grid: both are tried.
  const [plain, turning] = [layOutOnce(items, bed, false), layOutOnce(items, bed, true)];
  return turning.beds < plain.beds ? turning : plain;
}

/** What is laid: an item at the turn that suits the bed best, and its size there. */
interface Piece {
  item: LayItem;
  turn: number;
  w: number;
  h: number;
}

function layOutOnce(items: readonly LayItem[], bed: BedSize, quarters: boolean): BedLayout {
  const fitted = items.map((item) => fittedTo(item, bed));
  const misfits = fitted.flatMap((f) => ('over' in f ? [f] : []));
  const pieces = fitted.flatMap((f) => ('over' in f ? [] : [f]));
  pieces.sort((a, b) => Math.max(b.w, b.h) - Math.max(a.w, a.h) || b.w * b.h - a.w * a.h);
  const stock = new Beds(bed, quarters);
  const laid = pieces.flatMap((piece) => stock.lay(piece));
  return { beds: stock.free.length, laid, misfits, filled: stock.covered.map((a) => a / (bed.width * bed.length)) };
}

/** An item as it lies on the bed, or by how much it is too large for it. Of turns that fit the smallest box is taken. */
function fittedTo(item: LayItem, bed: BedSize): Piece | BedLayout['misfits'][number] {
  const [roomW, roomH] = [bed.width - 2 * bed.margin, bed.length - 2 * bed.margin];
  const turn = smallestBoxTurn(item.outline);
  const turns = turn === 0 ? [0, 90] : [0, turn, 90, turn + 90];
  const tried = turns.map((t) => {
    const { w, h } = boundsOf(item.outline, t);
    return { item, turn: t, w, h, over: Math.max(w - roomW, h - roomH) };
  });
  const best = tried.reduce((a, b) => {
    if (b.over > 0) return a.over > 0 && b.over < a.over ? b : a;
    return a.over > 0 || b.w * b.h < a.w * a.h - 1e-9 ? b : a;
  });
  const { id, name } = item;
  if (item.height > bed.height) return { id, name, over: item.height - bed.height, along: 'height' };
  // A little less than what a free place allows, so that what counts as fitting surely finds one.
  if (best.over > 5e-10) return { id, name, over: best.over, along: best.w - roomW > best.h - roomH ? 'width' : 'length' };
  return { item, turn: best.turn, w: best.w, h: best.h };
}

/** Beds with what is free on them. */
class Beds {
  readonly free: Rect[][] = [];
  /** Area of what lies on each, mm2. */
  readonly covered: number[] = [];
  private readonly bed: BedSize;
  private readonly quarters: boolean;

  constructor(bed: BedSize, quarters: boolean) {
    this.bed = bed;
    this.quarters = quarters;
  }

  /** Lays all copies of a piece. Where one found no place the next of its kind finds none either, so each goes on from the bed of the one before. */
  lay({ item, turn, w, h }: Piece): Laid[] {
    const area = Math.abs(polygonArea(hull2(item.outline)));
    const { margin, spacing } = this.bed;
    const laid: Laid[] = [];
    for (let copy = 0, bed = 0; copy < item.copies; copy++) {
      let found = this.spotOn(bed, w + spacing, h + spacing);
      while (!found) found = this.spotOn(++bed, w + spacing, h + spacing);
      const turned = turn + (found.turned ? 90 : 0);
      const bounds = boundsOf(item.outline, turned);
      laid.push({
        id: item.id,
        copy,
        bed,
        turn: ((turned % 360) + 360) % 360,
        x: margin + found.rect.x - bounds.x,
        y: margin + found.rect.y - bounds.y,
      });
      this.free[bed] = withoutRect(this.free[bed], found.rect);
      this.covered[bed] += area;
    }
    return laid;
  }

  /** The best place on a bed, which is begun when it is the next. */
  private spotOn(bed: number, w: number, h: number): ReturnType<typeof bestSpot> {
    const { width, length, margin, spacing } = this.bed;
    if (bed === this.free.length) {
      // The spacing is added to every part and to the far rim, so that the last one needs none beside it.
      this.free.push([{ x: 0, y: 0, w: width - 2 * margin + spacing, h: length - 2 * margin + spacing }]);
      this.covered.push(0);
    }
    return bestSpot(this.free[bed], w, h, this.quarters);
  }
}

function bestSpot(free: Rect[], w: number, h: number, quarters: boolean): { rect: Rect; turned: boolean } | null {
  let best: { rect: Rect; turned: boolean } | null = null;
  let least = Infinity;
  for (const r of free) {
    for (const turned of quarters ? [false, true] : [false]) {
      const [a, b] = turned ? [h, w] : [w, h];
      if (a > r.w + 1e-9 || b > r.h + 1e-9) continue;
      const score = Math.min(r.w - a, r.h - b) + 1e-3 * (r.x + r.y);
      if (score < least) {
        least = score;
        best = { rect: { x: r.x, y: r.y, w: a, h: b }, turned };
      }
    }
  }
  return best;
}

/** Free rectangles after one is taken: each is split into what is left on its four sides; those inside another go. */
function withoutRect(free: Rect[], taken: Rect): Rect[] {
  const out: Rect[] = [];
  for (const r of free) {
    if (taken.x >= r.x + r.w - 1e-9 || taken.x + taken.w <= r.x + 1e-9 || taken.y >= r.y + r.h - 1e-9 || taken.y + taken.h <= r.y + 1e-9) {
      out.push(r);
      continue;
    }
    if (taken.x > r.x + 1e-9) out.push({ x: r.x, y: r.y, w: taken.x - r.x, h: r.h });
    if (taken.x + taken.w < r.x + r.w - 1e-9) out.push({ x: taken.x + taken.w, y: r.y, w: r.x + r.w - taken.x - taken.w, h: r.h });
    if (taken.y > r.y + 1e-9) out.push({ x: r.x, y: r.y, w: r.w, h: taken.y - r.y });
    if (taken.y + taken.h < r.y + r.h - 1e-9) out.push({ x: r.x, y: taken.y + taken.h, w: r.w, h: r.y + r.h - taken.y - taken.h });
  }
  return out.filter(
    (a, i) =>
      !out.some(
        (b, j) =>
          j !== i &&
          b.x <= a.x + 1e-9 &&
          b.y <= a.y + 1e-9 &&
          b.x + b.w >= a.x + a.w - 1e-9 &&
          b.y + b.h >= a.y + a.h - 1e-9 &&
          (j < i || b.w * b.h > a.w * a.h + 1e-9),
      ),
  );
}

type Outline = readonly (readonly [number, number])[];

/**
 * Whether two convex outlines come nearer than a distance (by more than a millionth of a mm). A line along a side of one that keeps them that far apart says no at
 * once; where one only keeps them apart, corners are measured against the other's sides; where none does, they overlap (separating axis theorem).
 */
export function tooNear(a: Outline, b: Outline, spacing: number): boolean {
  const apart = Math.max(keptApart(a, b), keptApart(b, a));
  if (apart >= spacing - 1e-6) return false;
  if (!(apart > 0)) return true;
  return Math.min(cornersTo(a, b), cornersTo(b, a)) < spacing - 1e-6;
}

/** How far the line along a side of one keeps all of the other away, at most, mm; below 0 where none does. */
function keptApart(p: Outline, q: Outline): number {
  let most = -Infinity;
  for (let i = 0; i < p.length; i++) {
    const [ax, ay] = p[i];
    const [bx, by] = p[(i + 1) % p.length];
    const length = Math.hypot(bx - ax, by - ay);
    if (!(length > 0)) continue;
    // Outside of a counter-clockwise outline lies to the right of its sides.
    const nx = (by - ay) / length;
    const ny = -(bx - ax) / length;
    let nearest = Infinity;
    for (const [x, y] of q) nearest = Math.min(nearest, nx * (x - ax) + ny * (y - ay));
    most = Math.max(most, nearest);
  }
  return most;
}

/** Least distance of the corners of one from the sides of the other, mm. */
function cornersTo(p: Outline, q: Outline): number {
  let near = Infinity;
  for (const [x, y] of p) {
    for (let i = 0; i < q.length; i++) {
      const [ax, ay] = q[i];
      const [dx, dy] = [q[(i + 1) % q.length][0] - ax, q[(i + 1) % q.length][1] - ay];
      const long = dx * dx + dy * dy;
      const s = long > 0 ? Math.max(0, Math.min(1, ((x - ax) * dx + (y - ay) * dy) / long)) : 0;
      near = Math.min(near, Math.hypot(x - ax - s * dx, y - ay - s * dy));
    }
  }
  return near;
}

/** What is wrong with a layout moved by hand: copies too near to each other, and copies off the bed. */
export function clashes(items: readonly LayItem[], laid: readonly Laid[], bed: BedSize): { pairs: [number, number][]; off: number[] } {
  const outlines = laid.map((l) => {
    const item = items.find((i) => i.id === l.id)!;
    return turnedOutline(hull2(item.outline), l.turn).map(([x, y]) => [x + l.x, y + l.y] as [number, number]);
  });
  const pairs: [number, number][] = [];
  const off: number[] = [];
  outlines.forEach((o, i) => {
    if (o.some(([x, y]) => x < bed.margin - 1e-6 || y < bed.margin - 1e-6 || x > bed.width - bed.margin + 1e-6 || y > bed.length - bed.margin + 1e-6))
      off.push(i);
    for (let j = 0; j < i; j++) if (laid[i].bed === laid[j].bed && tooNear(o, outlines[j], bed.spacing)) pairs.push([j, i]);
  });
  return { pairs, off };
}

/** A turn about the vertical (degrees) and a shift on the bed (mm), as a place. */
export function rowsOnBed(degrees: number, x: number, y: number): Rows {
  const m = rowsOf([0, 0, Math.sin((degrees * Math.PI) / 360), Math.cos((degrees * Math.PI) / 360)]);
  return [m[0], m[1], m[2], x, m[3], m[4], m[5], y, m[6], m[7], m[8], 0];
}
