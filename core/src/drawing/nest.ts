import Flatbush from 'flatbush';
import { areaOfContour, boxOfContour, reachOf, type Contour, type Drawing } from './drawing.ts';
import { flattened } from './flatten.ts';
import { pointAt, type Box2, type P2 } from './segment.ts';

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

/**
 * Which closed contour lies in which. Contours that cross have no clear order; they are placed by most of their sample points.
 * A smaller contour lies in a larger one when its points do (even-odd rule on outlines). Source: Jordan curve theorem.
 */
export function nest(drawing: Drawing): Nested[] {
  const list: (Nested & { box: Box2; samples: P2[]; outline: Float64Array | null; source: Contour })[] = [];
  drawing.layers.forEach((layer, l) =>
    layer.contours.forEach((source, i) => {
      if (!source.closed || source.segments.length === 0) return;
      const area = Math.abs(areaOfContour(source));
      list.push({ layer: l, contour: i, area, depth: 0, around: -1, box: boxOfContour(source), samples: samplesOf(source), outline: null, source });
    }),
  );
  list.sort((a, b) => b.area - a.area);
  if (list.length > 1) {
    const index = new Flatbush(list.length);
    for (const { box } of list) index.add(...box);
    index.finish();
    list.forEach((inner, i) => {
      const slack = 1e-9 * Math.max(1, reachOf(inner.box));
      const over = index.search(...inner.box, (j) => {
        const o = list[j].box;
        return j < i && o[0] <= inner.box[0] + slack && o[1] <= inner.box[1] + slack && o[2] >= inner.box[2] - slack && o[3] >= inner.box[3] - slack;
      });
      for (const j of over) {
        const outline = (list[j].outline ??= Float64Array.from(flattened(list[j].source.segments, Math.max(1e-9, reachOf(list[j].box) * outlineShare)).flat()));
        const inside = inner.samples.filter((p) => pointInside(outline, p[0], p[1])).length;
        if (inside * 2 <= inner.samples.length) continue;
        inner.depth++;
        if (j > inner.around) inner.around = j;
      }
    });
  }
  return list.map(({ layer, contour, area, depth, around }) => ({ layer, contour, area, depth, around }));
}

function samplesOf(contour: Contour): P2[] {
  const n = contour.segments.length;
  const picks = n === 1 ? [0.1, 0.4, 0.7].map((t) => pointAt(contour.segments[0], t)) : [];
  for (let k = 0; n > 1 && k < 5; k++) picks.push(pointAt(contour.segments[Math.floor((k * n) / 5)], 0.37));
  return picks;
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

/** Outer areas less holes plus islands, mm2. */
export function netArea(nested: readonly Nested[]): number {
  let sum = 0;
  for (const { area, depth } of nested) sum += depth % 2 === 0 ? area : -area;
  return sum;
}

/** What a nesting depth is called. */
export const depthName = (depth: number): 'outer' | 'hole' | 'island' => (depth === 0 ? 'outer' : depth % 2 === 1 ? 'hole' : 'island');
