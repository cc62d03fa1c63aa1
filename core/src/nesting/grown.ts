import type { CrossSection } from 'manifold-3d';
import { Unusable } from '../base/finding.ts';
import { areaOfContour, boxOfContour, type Contour } from '../curves/drawing.ts';
import { fitContour } from '../curves/fit.ts';
import { flattened } from '../curves/flatten.ts';
import { nest } from '../curves/nest.ts';
import { sharpLimit as drawnSharp } from '../curves/offset.ts';
import { isFull, startOf, type P2 } from '../curves/segment.ts';
import type { Engine } from '../engine/engine.ts';
import { areaOfRing, onGrid, type NestShape } from './shape.ts';

/** Rounds become corners within this share of the shape's reach, but no finer and no rougher than these, mm. */
const fineShare = 1e-3;
const finest = 0.01;
const roughest = 0.15;
/** Shapes with more corners than this are made simpler, outward. */
const manyCorners = 48;
/** What rounding to the grid and within the library can take away, mm. */
const rounding = 2e-6;
/** Corners stay sharp up to so many times the offset; sharper ones are cut off square, never nearer than the offset. */
const sharpLimit = 2;

/** Half of the widest angle that one tangent or chord stands for, rad: a third of a turn. */
const widest = Math.PI / 3;
/** Curves that are neither lines nor arcs become such within this, mm; the shape grows by what was measured. */
const curveFit = 2e-4;

/**
 * The area of closed contours (even-odd), grown by `by` mm, as a shape to be laid: whatever keeps clear of it keeps at least `by` away from the
 * contours. Straight edges keep exactly that distance; rounds are covered by tangents outside and chords inside.
 * Straight-sided shapes whose corners lie on the grid and that need not grow stay exactly what they are.
 * @param leastHole holes narrower than this are left out, since nothing goes in, mm
 * @param exact cuts are to be shared: straight edges keep exactly their distance, shapes with many corners are not made simpler, corners stay as sharp as they are
 *   drawn, and what lies in an opening keeps clear of its cut, which is not shared
 * @throws Unusable when nothing is left of it.
 */
export function grownShape(engine: Engine, contours: readonly Contour[], by: number, { leastHole = 0, exact = false } = {}): NestShape {
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
    const { polygons, fine, off } = covered(contours, leastHole);
    // Openings run the other way: what tangents cover twice stays covered.
    let area = keep(engine.CrossSection.ofPolygons(polygons, 'NonZero'));
    let grow = by + off + rounding;
    if (area.numVert() > manyCorners && !exact) {
      const simple = Math.max(fine, finest);
      area = keep(area.simplify(simple));
      grow += simple;
    }
    area = keep(area.offset(grow, 'Miter', exact ? drawnSharp : sharpLimit));
    const polygon = exact ? area.toPolygons().flatMap((p) => (areaOfRing(p.flat()) > 0 ? [p] : narrowed(engine, p))) : area.toPolygons();
    const out = polygon.map((polygon) => Float64Array.from(polygon.flatMap(([x, y]) => [onGrid(x), onGrid(y)])));
    const rings2 = out.filter((ring) => ring.length >= 6 && (areaOfRing(ring) > 0 || narrowest(ring) >= leastHole));
    if (!rings2.some((ring) => areaOfRing(ring) > 0))
      throw new Unusable('nothing-to-nest', 'The part has no area that could be laid on a sheet.', 'Check that its outline is closed.');
    return { rings: rings2 };
  } finally {
    for (const c of kept) c.delete();
  }
}

/** What lies in an opening stays so far from its cut, mm. */
const openingClear = 0.5;

/** An opening (clockwise) that is narrower all round. */
function narrowed(engine: Engine, hole: [number, number][]): [number, number][][] {
  const area = engine.CrossSection.ofPolygons([[...hole].reverse()], 'Positive');
  const less = area.offset(-openingClear, 'Miter', sharpLimit);
  try {
    return less.toPolygons().map((p) => [...p].reverse() as [number, number][]);
  } finally {
    area.delete();
    less.delete();
  }
}

/** Polygons that hold the material of closed contours, how far their rounds are off at most, and what the shape has to grow because curves were fitted. */
function covered(contours: readonly Contour[], leastHole: number): { polygons: P2[][]; fine: number; off: number } {
  let off = 0;
  const plain = contours.map((c) => {
    if (c.segments.every((s) => s.kind === 'line' || s.kind === 'arc')) return c;
    const { result, measured } = fitContour(c, curveFit);
    off = Math.max(off, measured);
    return result;
  });
  const box = plain.map(boxOfContour).reduce((a, b) => [Math.min(a[0], b[0]), Math.min(a[1], b[1]), Math.max(a[2], b[2]), Math.max(a[3], b[3])]);
  const fine = Math.min(roughest, Math.max(finest, Math.max(box[2] - box[0], box[3] - box[1]) * fineShare));
  const nested = nest({ layers: [{ name: '', colour: null, lineType: 'CONTINUOUS', contours: plain }], texts: [], points: [] });
  const polygons = nested.flatMap(({ contour, depth }) => {
    const own = boxOfContour(plain[contour]);
    const hole = depth % 2 === 1;
    if (hole && Math.min(own[2] - own[0], own[3] - own[1]) < leastHole) return [];
    const ring = ringAround(plain[contour], hole, fine);
    return [areaOfContour(plain[contour]) > 0 === hole ? ring.reverse() : ring];
  });
  return { polygons, fine, off };
}

/** A contour of lines and arcs as corners: outside of rounds that bulge out of the material, on chords of those that bulge into it. */
function ringAround(contour: Contour, hole: boolean, fine: number): P2[] {
  const counter = areaOfContour(contour) > 0;
  return contour.segments.flatMap((s): P2[] => {
    if (s.kind !== 'arc') return [startOf(s)];
    const bulges = (s.sweep > 0 === counter) !== hole;
    // Tangents stand off by r / cos - r, chords by r - r cos.
    const half = Math.min(widest, Math.acos(bulges ? s.radius / (s.radius + fine) : Math.max(-1, 1 - fine / s.radius)));
    const n = Math.max(isFull(s) ? 3 : 1, Math.ceil(Math.abs(s.sweep) / (2 * half)));
    const step = s.sweep / n;
    const at = (angle: number, r: number): P2 => [s.centre[0] + r * Math.cos(angle), s.centre[1] + r * Math.sin(angle)];
    if (!bulges) return Array.from({ length: n }, (_, k) => at(s.start + k * step, s.radius));
    const outer = Array.from({ length: n }, (_, k) => at(s.start + (k + 0.5) * step, s.radius / Math.cos(step / 2)));
    return isFull(s) ? outer : [startOf(s), ...outer];
  });
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
