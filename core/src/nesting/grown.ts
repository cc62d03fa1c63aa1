import type { CrossSection } from 'manifold-3d';
import { Unusable } from '../base/finding.ts';
import type { Contour } from '../curves/drawing.ts';
import { flattened } from '../curves/flatten.ts';
import type { Engine } from '../engine/engine.ts';
import { areaOfRing, onGrid, type NestShape } from './shape.ts';

/** Curves become corners within this share of the shape's reach, but no finer and no rougher than these, mm. The shape grows by as much, so that it is covered. */
const fineShare = 1e-3;
const finest = 0.01;
const roughest = 0.15;
/** Shapes with more corners than this are made simpler, outward. */
const manyCorners = 48;
/** What rounding to the grid and within the library can take away, mm. */
const rounding = 2e-6;
/** Corners stay sharp up to so many times the offset; sharper ones are cut off square, never nearer than the offset. */
const sharpLimit = 2;

/**
 * The area of closed contours (even-odd), grown by `by` mm, as a shape to be laid: whatever keeps clear of it keeps at least `by` away from the
 * contours. Straight-sided shapes whose corners lie on the grid and that need not grow stay exactly what they are.
 * @param leastHole holes narrower than this are left out, since nothing goes in, mm
 * @throws Unusable when nothing is left of it.
 */
export function grownShape(engine: Engine, contours: readonly Contour[], by: number, leastHole = 0): NestShape {
  const straight = contours.every((c) => c.segments.every((s) => s.kind === 'line'));
  const rings = contours.map((c) => c.segments.flatMap((s) => (s.kind === 'line' ? [s.a] : []))).filter((r) => r.length > 2);
  if (straight && by === 0 && rings.length === 1 && rings[0].every(([x, y]) => onGrid(x) === x && onGrid(y) === y)) {
    const ring = Float64Array.from(rings[0].flat());
    return { rings: [areaOfRing(ring) < 0 ? turnedBack(ring) : ring] };
  }
  const kept: CrossSection[] = [];
  const keep = (c: CrossSection) => {
    kept.push(c);
    return c;
  };
  try {
    let fine = 0;
    if (!straight) {
      const box = contours.flatMap((c) => flattened(c.segments, 1)).reduce((b, [x, y]) => [Math.min(b[0], x), Math.min(b[1], y), Math.max(b[2], x), Math.max(b[3], y)], [Infinity, Infinity, -Infinity, -Infinity]); // prettier-ignore
      fine = Math.min(roughest, Math.max(finest, Math.max(box[2] - box[0], box[3] - box[1]) * fineShare));
    }
    const polygons = contours.map((c) => flattened(c.segments, Math.max(fine, 1e-6)).slice(0, -1));
    let area = keep(engine.CrossSection.ofPolygons(polygons, 'EvenOdd'));
    let grow = by + fine + rounding;
    if (area.numVert() > manyCorners) {
      const simple = Math.max(fine, finest);
      area = keep(area.simplify(simple));
      grow += simple;
    }
    area = keep(area.offset(grow, 'Miter', sharpLimit));
    const out = area.toPolygons().map((polygon) => Float64Array.from(polygon.flatMap(([x, y]) => [onGrid(x), onGrid(y)])));
    const rings2 = out.filter((ring) => ring.length >= 6 && (areaOfRing(ring) > 0 || narrowest(ring) >= leastHole));
    if (!rings2.some((ring) => areaOfRing(ring) > 0))
      throw new Unusable('nothing-to-nest', 'The part has no area that could be laid on a sheet.', 'Check that its outline is closed.');
    return { rings: rings2 };
  } finally {
    for (const c of kept) c.delete();
  }
}

function turnedBack(ring: Float64Array): Float64Array {
  const out = new Float64Array(ring.length);
  for (let i = 0; i < ring.length; i += 2) out.set([ring[ring.length - 2 - i], ring[ring.length - 1 - i]], i);
  return out;
}

/** The shorter side of a ring's box. */
function narrowest(ring: Float64Array): number {
  let [left, low, right, high] = [Infinity, Infinity, -Infinity, -Infinity];
  for (let i = 0; i < ring.length; i += 2) {
    left = Math.min(left, ring[i]);
    right = Math.max(right, ring[i]);
    low = Math.min(low, ring[i + 1]);
    high = Math.max(high, ring[i + 1]);
  }
  return Math.min(right - left, high - low);
}

/** What a box has beyond a sheet's outline, as a shape: nothing may be laid there. @param rim from the outline, mm; negative reaches beyond it */
export function beyondOutline(engine: Engine, outline: readonly Contour[], rim: number, box: readonly [number, number, number, number]): NestShape {
  const kept: CrossSection[] = [];
  const keep = (c: CrossSection) => {
    kept.push(c);
    return c;
  };
  try {
    const polygons = outline.map((c) => flattened(c.segments, finest).slice(0, -1));
    const sheet = keep(
      keep(engine.CrossSection.ofPolygons(polygons, 'EvenOdd')).offset(
        -rim - (outline.every((c) => c.segments.every((s) => s.kind === 'line')) ? 0 : finest),
        'Miter',
        sharpLimit,
      ),
    );
    const m = 10;
    const frame: [number, number][] = [[box[0] - m, box[1] - m], [box[2] + m, box[1] - m], [box[2] + m, box[3] + m], [box[0] - m, box[3] + m]]; // prettier-ignore
    const rest = keep(keep(engine.CrossSection.ofPolygons([frame], 'EvenOdd')).subtract(sheet));
    return { rings: rest.toPolygons().map((polygon) => Float64Array.from(polygon.flatMap(([x, y]) => [onGrid(x), onGrid(y)]))) };
  } finally {
    for (const c of kept) c.delete();
  }
}
