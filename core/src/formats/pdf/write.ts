import { PDFDocument, type PDFPage, PDFOperator, PDFOperatorNames as Op, PDFNumber, rgb } from 'pdf-lib';
import { asBeziers } from '../../curves/spline.ts';
import { pointAt, startOf, velocityAt, type P2, type Segment } from '../../curves/segment.ts';
import { boxOfContour } from '../../curves/drawing.ts';
import { Unusable } from '../../base/finding.ts';
import type { Box2 } from '../../curves/measure.ts';
import { crossesOf, crossLength, tileWords, tilesFor } from './tiles.ts';
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
  drawn(page, layers, [pdfMargin - box[0], pdfMargin - box[1]]);
  measured(page, pdfMargin, pdfMargin / 3);
  return document.save({ useObjectStreams: false });
}

/** More sheets than this are not written. */
export const mostTiles = 400;

/**
 * A drawing as PDF at true scale on sheets of A4 that overlap: crosses lie on crosses when they are laid together, each sheet says its row and
 * column, and which contours lie on it. Equal input gives equal bytes.
 * @throws Unusable when it would be too many sheets
 */
export async function pdfTiles(layers: WrittenLayer[], title: string, box: Box2): Promise<Uint8Array> {
  const tiles = tilesFor(box[2] - box[0], box[3] - box[1]);
  if (tiles.list.length > mostTiles)
    throw new Unusable(
      'too-many-sheets',
      `It would be ${tiles.list.length.toLocaleString('en')} sheets of A4; at most ${mostTiles} are written.`,
      'Write it on one page for a large plotter.',
    );
  const document = await PDFDocument.create({ updateMetadata: false });
  document.setTitle(title);
  document.setProducer('Tall Kite');
  document.setKeywords([tileWords(tiles)]);
  const boxes = layers.map((l) => l.contours.map((c) => boxOfContour(c)));
  for (const tile of tiles.list) {
    const page = document.addPage([tiles.paper[0] * pointsPerMm, tiles.paper[1] * pointsPerMm]);
    const move: [number, number] = [tiles.rim - box[0] - tile.from[0], tiles.rim - box[1] - tile.from[1]];
    const [l, b, r, t] = [box[0] + tile.from[0], box[1] + tile.from[1], box[0] + tile.to[0], box[1] + tile.to[1]];
    // Only what lies on the sheet, clipped to its frame.
    const own = layers.map((layer, i) => ({
      ...layer,
      contours: layer.contours.filter((_, k) => {
        const [x0, y0, x1, y1] = boxes[i][k];
        return x1 >= l && x0 <= r && y1 >= b && y0 <= t;
      }),
    }));
    const mm = (...values: number[]) => values.map((v) => PDFNumber.of(Number((v * pointsPerMm).toFixed(6))));
    page.pushOperators(PDFOperator.of(Op.PushGraphicsState));
    const corners: [Op, number, number][] = [[Op.MoveTo, 0, 0], [Op.LineTo, 1, 0], [Op.LineTo, 1, 1], [Op.LineTo, 0, 1]]; // prettier-ignore
    for (const [op, u, v] of corners) page.pushOperators(PDFOperator.of(op, mm(tiles.rim + u * tiles.frame[0], tiles.rim + v * tiles.frame[1])));
    page.pushOperators(PDFOperator.of(Op.ClosePath), PDFOperator.of(Op.ClipNonZero), PDFOperator.of(Op.EndPath));
    drawn(page, own, move);
    page.pushOperators(PDFOperator.of(Op.PopGraphicsState));
    for (const [x, y] of crossesOf(tiles, tile)) {
      const at = (dx: number, dy: number) => ({ x: (x + dx) * pointsPerMm, y: (y + dy) * pointsPerMm });
      for (const [dx, dy] of [
        [crossLength / 2, 0],
        [0, crossLength / 2],
      ])
        // prettier-ignore
        page.drawLine({ start: at(-dx, -dy), end: at(dx, dy), thickness: 0.3, color: rgb(0.5, 0.5, 0.5) });
    }
    page.drawText(`${tile.name} of ${tiles.list.length} sheets, ${tiles.columns} across; crosses lie on crosses`, {
      x: 118 * pointsPerMm,
      y: 4 * pointsPerMm,
      size: 8,
    });
    measured(page, tiles.rim, 3);
  }
  return document.save({ useObjectStreams: false });
}

/** A line of 100 mm to be measured on the paper, with its words; mm from the low left corner. */
function measured(page: PDFPage, x: number, y: number): void {
  page.drawLine({
    start: { x: x * pointsPerMm, y: y * pointsPerMm },
    end: { x: (x + scaleLine) * pointsPerMm, y: y * pointsPerMm },
    thickness: 0.3,
    color: rgb(0, 0, 0),
  });
  page.drawText(`${scaleLine} mm: measure this line after printing at 100 %`, { x: x * pointsPerMm, y: (y + 1.5) * pointsPerMm, size: 7 });
}

/** Contours as paths of a page, moved by mm. */
function drawn(page: PDFPage, layers: readonly WrittenLayer[], [dx, dy]: readonly [number, number]): void {
  const place = (p: P2): [number, number] => [(p[0] + dx) * pointsPerMm, (p[1] + dy) * pointsPerMm];
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
