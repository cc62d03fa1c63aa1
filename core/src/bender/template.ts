import { contourOf, type Contour, type Drawing } from '../curves/drawing.ts';
import type { P2, Segment } from '../curves/segment.ts';
import type { LineWords } from './words.ts';
import { copeAt, copeSlope, type Cope } from './cope.ts';

/** A curve about a tube: how far it reaches along the axis at an angle, and its slope. mm, rad. */
export interface WrapCurve {
  at(phi: number): number;
  slope(phi: number): number;
}

/** The curve of a cope, 0 where the axes are nearest. */
export const copeCurve = (cope: Cope): WrapCurve => ({ at: (phi) => copeAt(cope, phi), slope: (phi) => copeSlope(cope, phi) });

/** The curve of a slanting end of a round tube. @param slant rad */
export const slantCurve = (r: number, slant: number): WrapCurve => ({
  at: (phi) => r * Math.tan(slant) * Math.cos(phi),
  slope: (phi) => -r * Math.tan(slant) * Math.sin(phi),
});

/** Pieces of the curve: cubics by its points and slopes. At 64 pieces they miss the curve by less than 1e-4 of the radius. */
const pieces = 64;
/** Paper left below the lowest point, and the check length, mm. */
const below = 20;
export const checkLength = 50;

/**
 * A paper template at 1:1 that is wrapped round a tube so that its two short sides meet in the seam: the upper edge is where the tube is cut. A line square
 * to the axis, the seam's name and a check length stand on it.
 * @param r outside radius of the tube, mm (the paper's inside)
 * @returns a drawing of closed outline (layer "Cut"), lines to look at (layer "Marks") and words; x = r phi
 * @example await templateOf(copeCurve(cope), 21.2, ['R1, end A', '42.4 on 60.3 at 45 degrees'], new LineWords(letters))
 */
export async function templateOf(curve: WrapCurve, r: number, words: readonly string[], lines: LineWords): Promise<Drawing> {
  const width = 2 * Math.PI * r;
  const points: P2[] = [];
  const handles: P2[] = [];
  const h = (2 * Math.PI) / pieces;
  for (let i = 0; i <= pieces; i++) {
    // The seam stands where the template is lowest or highest: at phi = 0.
    const phi = i * h;
    points.push([r * phi, curve.at(phi)]);
    handles.push([(r * h) / 3, (curve.slope(phi) * h) / 3]);
  }
  const low = Math.min(...points.map((p) => p[1])) - below;
  const shift = (p: P2): P2 => [p[0], p[1] - low];
  const edge: Segment[] = [];
  for (let i = 0; i < pieces; i++) {
    const [a, b] = [shift(points[i]), shift(points[i + 1])];
    edge.push({ kind: 'bezier', points: [a, [a[0] + handles[i][0], a[1] + handles[i][1]], [b[0] - handles[i + 1][0], b[1] - handles[i + 1][1]], b] });
  }
  const [first, last] = [shift(points[0]), shift(points[pieces])];
  const line = (a: P2, b: P2): Segment => ({ kind: 'line', a, b });
  const outline = [...edge, line(last, [width, 0]), line([width, 0], [0, 0]), line([0, 0], first)];
  const y = below * 0.35;
  const from = Math.max(2, (width - checkLength) / 2);
  const marks = [
    contourOf([line([0, below / 2 + 4], [width, below / 2 + 4])], false),
    contourOf([line([from, y], [from + checkLength, y])], false),
    contourOf([line([from, y - 1.5], [from, y + 1.5])], false),
    contourOf([line([from + checkLength, y - 1.5], [from + checkLength, y + 1.5])], false),
    ...[0.25, 0.5, 0.75].map((share) => contourOf([line([width * share, below / 2 + 2], [width * share, below / 2 + 6])], false)),
  ];
  for (const [i, w] of words.entries()) marks.push(...(await lines.put(w, [3, below / 2 + 6 + 3.2 * (words.length - 1 - i)], 2)));
  marks.push(...(await lines.put(`${checkLength} mm`, [from, y + 2], 1.8)), ...(await lines.put('seam', [1, below / 2 - 1], 1.8)));
  marks.push(...(await lines.put('square to the axis', [width / 2, below / 2 + 1], 1.8, 'middle')));
  const layer = (name: string, contours: Contour[]) => ({ name, colour: null, lineType: 'CONTINUOUS', contours });
  return {
    layers: [
      layer('Cut', [{ ...contourOf(outline, true), meaning: 'cut' }]),
      layer(
        'Marks',
        marks.map((m) => ({ ...m, meaning: 'mark' as const })),
      ),
    ],
    texts: [],
    points: [],
  };
}
