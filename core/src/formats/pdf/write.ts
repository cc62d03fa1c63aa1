import { PDFDocument, PDFOperator, PDFOperatorNames as Op, PDFNumber, rgb } from 'pdf-lib';
import { asBeziers } from '../../curves/spline.ts';
import { pointAt, startOf, velocityAt, type P2, type Segment } from '../../curves/segment.ts';
import type { Box2 } from '../../curves/measure.ts';
import type { WrittenLayer } from '../dxf/write.ts';

/** Points in a millimetre. Source: ISO 32000-1, 8.3.2.3: 72 user units an inch. */
export const pointsPerMm = 72 / 25.4;
/** White rim round the drawing, mm, with room for the scale line. */
export const pdfMargin = 15;
/** Length of the line that a person measures on the paper, mm. */
export const scaleLine = 100;
/** Deviation of Béziers that stand for arcs, mm. */
export const pdfCurveDeviation = 0.001;

/**
 * A drawing as PDF at true scale, for paper templates: one page as large as the drawing, hairlines, and a line of 100 mm to be measured.
 * Curves are cubic Béziers, since PDF has no arcs. Equal input gives equal bytes.
 */
export async function pdfFile(layers: WrittenLayer[], title: string, box: Box2): Promise<Uint8Array> {
  const document = await PDFDocument.create({ updateMetadata: false });
  document.setTitle(title);
  document.setProducer('Tall Kite');
  const width = Math.max(box[2] - box[0], scaleLine) + 2 * pdfMargin;
  const height = box[3] - box[1] + 2 * pdfMargin;
  const page = document.addPage([width * pointsPerMm, height * pointsPerMm]);
  const place = (p: P2): [number, number] => [(p[0] - box[0] + pdfMargin) * pointsPerMm, (p[1] - box[1] + pdfMargin) * pointsPerMm];
  const put = (name: Op, ...values: number[]) =>
    page.pushOperators(
      PDFOperator.of(
        name,
        values.map((v) => PDFNumber.of(Number(v.toFixed(6)))),
      ),
    );
  for (const layer of layers) {
    const [r, g, b] = [1, 3, 5].map((k) => parseInt((layer.colour ?? '#000000').slice(k, k + 2), 16) / 255);
    put(layer.filled ? Op.NonStrokingColorRgb : Op.StrokingColorRgb, r, g, b);
    put(Op.SetLineWidth, 0.1 * pointsPerMm);
    for (const contour of layer.contours) {
      put(Op.MoveTo, ...place(startOf(contour.segments[0])));
      for (const s of contour.segments) {
        if (s.kind === 'line') put(Op.LineTo, ...place(s.b));
        else for (const [b1, b2, b3] of cubics(s)) put(Op.AppendBezierCurve, ...place(b1), ...place(b2), ...place(b3));
      }
      if (contour.closed) put(Op.ClosePath);
      put(layer.filled ? Op.FillEvenOdd : Op.StrokePath);
    }
  }
  const y = pdfMargin / 3;
  page.drawLine({
    start: { x: pdfMargin * pointsPerMm, y: y * pointsPerMm },
    end: { x: (pdfMargin + scaleLine) * pointsPerMm, y: y * pointsPerMm },
    thickness: 0.3,
    color: rgb(0, 0, 0),
  });
  page.drawText(`${scaleLine} mm: measure this line after printing at 100 %`, { x: pdfMargin * pointsPerMm, y: (y + 1.5) * pointsPerMm, size: 7 });
  return document.save({ useObjectStreams: false });
}

/** Any curve as cubic Béziers: control points and end of each. */
function cubics(s: Exclude<Segment, { kind: 'line' }>): [P2, P2, P2][] {
  if (s.kind === 'spline') return asBeziers(s, pdfCurveDeviation).segments.flatMap(cubics);
  if (s.kind === 'bezier') {
    if (s.points.length === 4) return [[s.points[1], s.points[2], s.points[3]]];
    const [a, b, c] = s.points;
    return [[[a[0] + (2 * (b[0] - a[0])) / 3, a[1] + (2 * (b[1] - a[1])) / 3], [c[0] + (2 * (b[0] - c[0])) / 3, c[1] + (2 * (b[1] - c[1])) / 3], c]];
  }
  // Error of a cubic for an arc of angle t is about r t^6 / 55000: 2.73e-4 r for a quarter. Source: Goldapp, Approximation of circular arcs by cubic polynomials, 1991 (from memory); measured.
  const r = s.kind === 'arc' ? s.radius : Math.hypot(...s.u);
  const step = Math.min(Math.PI / 2, (54_000 * (pdfCurveDeviation / r)) ** (1 / 6));
  const n = Math.max(1, Math.ceil(Math.abs(s.sweep) / step));
  const k = ((4 / 3) * Math.tan(Math.abs(s.sweep) / n / 4)) / (Math.abs(s.sweep) / n);
  return Array.from({ length: n }, (_, i): [P2, P2, P2] => {
    const [from, to] = [i / n, (i + 1) / n];
    const [p, q] = [pointAt(s, from), pointAt(s, to)];
    // Velocities are by the whole sweep; a piece's share times the handle length k.
    const [u, v] = [velocityAt(s, from), velocityAt(s, to)];
    const h = k / n;
    return [[p[0] + u[0] * h, p[1] + u[1] * h], [q[0] - v[0] * h, q[1] - v[1] * h], q];
  });
}
