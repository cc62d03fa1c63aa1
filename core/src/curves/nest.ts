import Flatbush from 'flatbush';
import { areaOfContour, boxOfContour, reachOf, type Contour, type Drawing } from './drawing.ts';
import { Unusable } from '../base/finding.ts';
import { flattened } from './flatten.ts';
import { Inside } from './inside.ts';
import { isFill } from './names.ts';
import type { P2 } from './segment.ts';
import type { Box2 } from './measure.ts';

/** A closed contour in its place among the others. */
export interface Nested {
  layer: number;
  contour: number;
  /** Area without sign, mm2. */
  area: number;
  /** How many closed contours lie around it: 0 outer, 1 hole, 2 island, and so on. */
  depth: number;
  /** Index in the list of the smallest contour around it, -1 when there is none. */
  around: number;
}

/** Deviation of the outlines that points are held against, as a share of the contour's reach. */
const outlineShare = 1e-5;
const roughShare = 1e-3;

/** Boxes and areas nearer than this share are equal. */
const sameShare = 1e-9;

/** So many pairs of a contour and a box around it are looked at in one drawing. */
const mostCandidates = 150_000_000;

interface Entry extends Nested {
  box: Box2;
  outline: Inside | null;
  source: Contour;
}

/**
 * Which closed contour lies in which; filled areas take no part. Contours that cross have no clear order; they are placed by most of their
 * points. A smaller contour lies in a larger one when points inside it do (even-odd rule on outlines). The smallest around it is looked for
 * first, and its own depth is one less, so that ten thousand rings in each other take one test each. Source: Jordan curve theorem.
 */
export function nest(drawing: Drawing): Nested[] {
  const list: Entry[] = [];
  drawing.layers.forEach((layer, l) =>
    layer.contours.forEach((source, i) => {
      if (!source.closed || source.segments.length === 0 || isFill(source, layer.name)) return;
      const area = Math.abs(areaOfContour(source));
      list.push({ layer: l, contour: i, area, depth: 0, around: -1, box: boxOfContour(source), outline: null, source });
    }),
  );
  // Equal within rounding counts as equal, so that the order of the drawing decides and not the noise.
  list.sort((a, b) => (Math.abs(a.area - b.area) <= sameShare * Math.max(a.area, b.area) ? 0 : b.area - a.area));
  if (list.length > 1) {
    const index = new Flatbush(list.length);
    for (const { box } of list) index.add(...box);
    index.finish();
    // Copies on one place are found at once, however many there are.
    const same = new Map<string, number>();
    const budget = { left: mostCandidates };
    list.forEach((inner, i) => {
      const key = `${inner.box.join(' ')} ${inner.area}`;
      const around = same.get(key) ?? smallestAround({ list, index, budget }, i);
      same.set(key, i);
      if (around < 0) return;
      inner.around = around;
      inner.depth = list[around].depth + 1;
    });
  }
  return list.map(({ layer, contour, area, depth, around }) => ({ layer, contour, area, depth, around }));
}

/** The last (so smallest) contour of the list before `i` that lies around it; -1 when there is none. */
function smallestAround({ list, index, budget }: { list: Entry[]; index: Flatbush; budget: { left: number } }, i: number): number {
  const inner = list[i];
  const slack = sameShare * Math.max(1, reachOf(inner.box));
  const over: number[] = [];
  const middle = [(inner.box[0] + inner.box[2]) / 2, (inner.box[1] + inner.box[3]) / 2];
  index.search(middle[0], middle[1], middle[0], middle[1], (j) => {
    const o = list[j].box;
    if (j < i && o[0] <= inner.box[0] + slack && o[1] <= inner.box[1] + slack && o[2] >= inner.box[2] - slack && o[3] >= inner.box[3] - slack) over.push(j);
    return false;
  });
  budget.left -= over.length;
  if (budget.left < 0) {
    throw new Unusable(
      'too-nested',
      `The boxes of its ${list.length.toLocaleString('en')} contours lie in each other more often than can be sorted out.`,
      'Check for copies that lie on each other, or bring in fewer layers at a time.',
    );
  }
  if (over.length === 0) return -1;
  const samples = insidePoints(inner.source, inner.box);
  for (let k = 0; k < over.length; k++) {
    // The first few are the smallest by looking through; only when those do not hold it is sorting worth it.
    if (k < unsorted) takeLargest(over, k);
    else if (k === unsorted) over.splice(k, over.length, ...over.slice(k).sort((a, b) => b - a));
    const j = over[k];
    const other = list[j];
    // Of two that lie on each other the later counts as inside: the even-odd rule's answer, whatever the rounding.
    const same = inner.box.every((v, k) => Math.abs(v - other.box[k]) <= slack) && Math.abs(inner.area - other.area) <= sameShare * inner.area;
    if (same || samples.filter((p) => liesIn(other, p)).length * 2 > samples.length) return j;
  }
  return -1;
}

/** So many candidates are looked for one by one. */
const unsorted = 8;

/** Brings the largest number from place k on to place k. */
function takeLargest(list: number[], k: number): void {
  let best = k;
  for (let i = k + 1; i < list.length; i++) if (list[i] > list[best]) best = i;
  [list[k], list[best]] = [list[best], list[k]];
}

/** Whether a point lies in a contour: by its distance from the centre of a circle, else by its outline. */
function liesIn(entry: Entry, p: P2): boolean {
  const [first] = entry.source.segments;
  if (entry.source.segments.length === 1 && first.kind === 'arc') return Math.hypot(p[0] - first.centre[0], p[1] - first.centre[1]) < first.radius;
  entry.outline ??= new Inside(entry.source.segments, Math.max(1e-9, reachOf(entry.box) * outlineShare));
  return entry.outline.has(p);
}

/** Points inside a contour, away from its rim: contours that share a border are told apart by them. Middles of the widest spans of three scan lines. */
function insidePoints(contour: Contour, box: Box2): P2[] {
  const outline = flattened(contour.segments, Math.max(1e-9, reachOf(box) * roughShare));
  const found: P2[] = [];
  for (const share of [0.31, 0.5, 0.73]) {
    const y = box[1] + (box[3] - box[1]) * share;
    const hits: number[] = [];
    for (let i = 0, k = outline.length - 1; i < outline.length; k = i++) {
      const [p, q] = [outline[i], outline[k]];
      if (p[1] > y !== q[1] > y) hits.push(p[0] + ((q[0] - p[0]) * (y - p[1])) / (q[1] - p[1]));
    }
    hits.sort((a, b) => a - b);
    let best = -1;
    for (let k = 0; k + 1 < hits.length; k += 2) if (best < 0 || hits[k + 1] - hits[k] > hits[best + 1] - hits[best]) best = k;
    if (best >= 0) found.push([(hits[best] + hits[best + 1]) / 2, y]);
  }
  return found;
}

/** Whether a point lies in a polygon of flat xy numbers, by counting crossings of a ray. Source: Shimrat, algorithm 112, 1962. */
export function pointInside(polygon: ArrayLike<number>, x: number, y: number): boolean {
  let inside = false;
  const n = polygon.length / 2;
  for (let i = 0, j = n - 1; i < n; j = i++) {
    const yi = polygon[i * 2 + 1];
    const yj = polygon[j * 2 + 1];
    if (yi > y !== yj > y && x < ((polygon[j * 2] - polygon[i * 2]) * (y - yi)) / (yj - yi) + polygon[i * 2]) inside = !inside;
  }
  return inside;
}

/** How often a polygon of flat xy numbers goes round a point, counter-clockwise. Source: Sunday, Inclusion of a point in a polygon, 2001 (from memory). */
export function windingRound(polygon: ArrayLike<number>, x: number, y: number): number {
  let winding = 0;
  const n = polygon.length / 2;
  for (let i = 0, j = n - 1; i < n; j = i++) {
    const [xi, yi, xj, yj] = [polygon[i * 2], polygon[i * 2 + 1], polygon[j * 2], polygon[j * 2 + 1]];
    if (yi > y === yj > y) continue;
    if (x < ((xj - xi) * (y - yi)) / (yj - yi) + xi) winding += yi > y ? 1 : -1;
  }
  return winding;
}

/** Outer areas less holes plus islands, mm2. */
export function netArea(nested: readonly Nested[]): number {
  let sum = 0;
  for (const { area, depth } of nested) sum += depth % 2 === 0 ? area : -area;
  return sum;
}

/** What a nesting depth is called. */
export const depthName = (depth: number): 'outer' | 'hole' | 'island' => (depth === 0 ? 'outer' : depth % 2 === 1 ? 'hole' : 'island');
