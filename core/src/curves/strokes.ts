import type { CrossSection } from 'manifold-3d';
import type { Engine } from '../engine/engine.ts';
import { contourOf, type Contour, type Drawing } from './drawing.ts';
import { fitContour } from './fit.ts';
import { flattened } from './flatten.ts';
import { offsetContour } from './offset.ts';
import type { P2 } from './segment.ts';

/** What outlining did; deviations in the drawing's own numbers. */
export interface Outlined {
  drawing: Drawing;
  outlined: number;
  /** Strokes of too many points, which stay lines. */
  left: number;
  measured: number;
}

/** Strokes thinner than this are hairlines and stay lines, mm. Common practice: cutters take up to about a tenth for a cut. */
const hairline = 0.15;
/** A stroke of more points than this stays a line: each point is a disc that is joined to all the others. */
export const mostStrokePoints = 5_000;
/** Deviation of arcs that stand for the outlines, mm. */
const deviation = 0.005;
/** Sides of the rounds at corners and ends of a stroke of radius r: a sagitta of a tenth of the deviation. */
const sidesOf = (r: number, fine: number) => Math.max(16, Math.ceil(Math.PI / Math.acos(1 - Math.min(0.5, fine / r))));

/**
 * Strokes that are drawn with a width become the outline of what the pen covers, with round corners and ends; hairlines stay. Closed contours
 * of lines and arcs get their two parallels exactly; everything else is joined from discs and bars and fitted again.
 * @param scale mm in one of the drawing's numbers.
 * @param mostPoints Strokes of more points than this stay lines.
 */
export function strokesOutlined(engine: Engine, drawing: Drawing, scale = 1, mostPoints = mostStrokePoints): Outlined {
  let outlined = 0;
  let left = 0;
  let measured = 0;
  const within = deviation / scale;
  const layers = drawing.layers.map((layer) => ({
    ...layer,
    contours: layer.contours.flatMap((contour): Contour[] => {
      const width = contour.width ?? 0;
      if (!(width * scale > hairline) || contour.segments.length === 0) return [contour];
      const exact = contour.closed ? parallels(engine, contour, width) : null;
      const points = exact ? [] : flattened(contour.segments, within / 10);
      if (points.length > mostPoints) {
        left++;
        return [contour];
      }
      outlined++;
      if (exact) return exact;
      const made = covered(engine, points, width / 2, within / 10);
      return made.map((polygon) => {
        const segments = polygon.map((a, i) => ({ kind: 'line' as const, a, b: polygon[(i + 1) % polygon.length] }));
        const done = fitContour(contourOf(segments, true, contour.colour), within);
        measured = Math.max(measured, (done.measured + within / 10) * scale);
        return { ...done.result, meaning: contour.meaning };
      });
    }),
  }));
  return { drawing: { ...drawing, pattern: undefined, patch: undefined, picture: undefined, lettering: undefined, layers }, outlined, left, measured };
}

/** Both parallels of a closed contour, when they have an exact form. */
function parallels(engine: Engine, contour: Contour, width: number): Contour[] | null {
  const plain = contour.segments.every((s) => s.kind === 'line' || s.kind === 'arc');
  if (!plain) return null;
  const [out, inside] = [offsetContour(engine, contour, width / 2), offsetContour(engine, contour, -width / 2)];
  if (!out.exact || (!inside.exact && inside.contours.length > 0)) return null;
  return [...out.contours, ...inside.contours].map((c) => ({ ...contourOf(c.segments, true, contour.colour), meaning: contour.meaning }));
}

/** What a round pen covers on its way, as polygons. */
function covered(engine: Engine, points: readonly P2[], radius: number, fine: number): P2[][] {
  const made: CrossSection[] = [];
  const sides = sidesOf(radius, fine);
  try {
    points.forEach((p, i) => {
      made.push(engine.CrossSection.circle(radius, sides).translate(p));
      const q = points[i + 1];
      if (!q) return;
      const [dx, dy] = [q[0] - p[0], q[1] - p[1]];
      const length = Math.hypot(dx, dy);
      if (!(length > 0)) return;
      const [nx, ny] = [(-dy / length) * radius, (dx / length) * radius];
      made.push(new engine.CrossSection([[p[0] - nx, p[1] - ny], [q[0] - nx, q[1] - ny], [q[0] + nx, q[1] + ny], [p[0] + nx, p[1] + ny]], 'NonZero')); // prettier-ignore
    });
    const all = engine.CrossSection.compose(made);
    made.push(all);
    const one = all.add(all);
    made.push(one);
    return one.toPolygons() as P2[][];
  } finally {
    for (const m of made) m.delete();
  }
}
