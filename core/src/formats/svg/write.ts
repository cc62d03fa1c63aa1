import { withoutZeros } from '../../base/decimals.ts';
import { mmPer } from '../../base/units.ts';
import { boxOfDrawing, type Contour } from '../../curves/drawing.ts';
import { asBeziers } from '../../curves/spline.ts';
import { endOf, isFull, pieceOf, startOf, type ArcSegment, type EllipseSegment, type P2, type Segment } from '../../curves/segment.ts';
import type { Box2 } from '../../curves/measure.ts';
import type { WrittenLayer } from '../dxf/write.ts';

/** Deviation of Béziers that stand for rational splines or those above degree 3, mm. */
export const svgSplineDeviation = 1e-4;
/** Points as drawing programs count them. */
const pointUnits: ReadonlySet<string> = new Set(['72dpi', '90dpi']);
/** Width of a hairline, mm. Common practice: cutters take anything up to about a hundredth of a millimetre for a cut. */
const hairline = 0.01;

/**
 * A drawing as SVG in mm: width, height and viewBox agree, so that one user unit is one mm; a named group for each layer, hairlines,
 * no fill; arcs as arcs, Béziers as Béziers. Y runs down in SVG: the drawing's box is turned over, not mirrored.
 * @param unit of the numbers. 'mm' and points of drawing programs (72, 90 an inch) state the true size in mm beside them, so that those who read
 * it and those who count points both come to it; any other leaves the page's size without a unit, for software that reads bare numbers.
 * @param sheet box that becomes the view box, mm; null takes the drawing's own.
 */
export function* svgFile(layers: WrittenLayer[], title: string, sheet: Box2 | null, unit = 'mm'): Generator<Uint8Array> {
  const encoder = new TextEncoder();
  const box = sheet ?? boxOfDrawing({ layers: layers.map((l) => ({ ...l })), texts: [], points: [] });
  const width = number(box[2] - box[0]);
  const height = number(box[3] - box[1]);
  const stated = (v: number): string => (unit === 'mm' || pointUnits.has(unit) ? `${number(Number((v * mmPer(unit)).toPrecision(14)))}mm` : number(v));
  const place = (p: readonly number[]): P2 => [p[0] - box[0], box[3] - p[1]];
  yield encoder.encode(
    `<?xml version="1.0" encoding="UTF-8"?>\n<svg xmlns="http://www.w3.org/2000/svg" version="1.1" width="${stated(box[2] - box[0])}" height="${stated(box[3] - box[1])}" viewBox="0 0 ${width} ${height}">\n<title>${escapedXml(title)}</title>\n`,
  );
  const ids = new Set<string>();
  for (const layer of layers) {
    const colour = layer.colour ?? '#000000';
    const dash = dashes[layer.lineType.toUpperCase()] ?? '';
    yield encoder.encode(
      `<g id="${idOf(layer.name, ids)}" data-name="${escapedXml(layer.name)}" ${layer.filled ? `fill="${colour}" fill-rule="evenodd" stroke="none"` : `fill="none" stroke="${colour}" stroke-width="${number(hairline / mmPer(unit))}"${dash}`}>\n`,
    );
    let text: string[] = [];
    for (const contour of layer.contours) {
      text.push(contourText(contour, place));
      if (text.length > 5000) {
        yield encoder.encode(text.join(''));
        text = [];
      }
    }
    yield encoder.encode(`${text.join('')}</g>\n`);
  }
  yield encoder.encode('</svg>\n');
}

/**
 * Longest sweep of one arc command, rad. An arc is said by its two ends and radii: near half a turn the centre is lost to the square root of
 * the rounding, and a full turn can't be said at all. Readers take pieces of one circle together again. Source: SVG 1.1, F.6.
 */
const mostSweep = (2 * Math.PI) / 3;

const dashes: Record<string, string> = {
  DASHED: ' stroke-dasharray="6 3"',
  CENTER: ' stroke-dasharray="16 3 3 3"',
  DOT: ' stroke-dasharray="0.1 2"',
};

const number = (v: number): string => {
  if (Math.abs(v) < 1e-12) return '0';
  const text = String(v);
  return text.includes('e') ? withoutZeros(v.toFixed(15)) : text;
};

const pair = (p: readonly number[]) => `${number(p[0])} ${number(p[1])}`;

const escapedXml = (text: string) => text.replace(/[\x00-\x08\x0b\x0c\x0e-\x1f]/g, '').replace(/[&<>"]/g, (c) => `&#${c.charCodeAt(0)};`);

/** Layer names as ids: letters, digits, - and _; each once. */
function idOf(name: string, taken: Set<string>): string {
  const plain = name.replace(/[^A-Za-z0-9_-]+/g, '-').replace(/^([^A-Za-z])/, 'layer-$1') || 'layer';
  let id = plain;
  for (let i = 2; taken.has(id); i++) id = `${plain}-${i}`;
  taken.add(id);
  return id;
}

/** A contour as an SVG element; `place` turns Y over. */
export function contourText(contour: Contour, place: (p: readonly number[]) => P2): string {
  const [first] = contour.segments;
  const stroke = contour.colour ? ` stroke="${contour.colour}"` : '';
  if (contour.segments.length === 1 && first.kind === 'arc' && isFull(first)) {
    const c = place(first.centre);
    return `<circle cx="${number(c[0])}" cy="${number(c[1])}" r="${number(first.radius)}"${stroke}/>\n`;
  }
  if (contour.segments.length === 1 && first.kind === 'ellipse' && isFull(first)) {
    const c = place(first.centre);
    const [rx, ry, tilt] = axesOf(first);
    const turned = tilt === 0 ? '' : ` transform="rotate(${number(tilt)} ${number(c[0])} ${number(c[1])})"`;
    return `<ellipse cx="${number(c[0])}" cy="${number(c[1])}" rx="${number(rx)}" ry="${number(ry)}"${turned}${stroke}/>\n`;
  }
  const steps = [`M${pair(place(startOf(first)))}`];
  contour.segments.forEach((s, i) => {
    // The last line of a closed contour is drawn by closing it.
    if (contour.closed && i === contour.segments.length - 1 && s.kind === 'line' && i > 0) return;
    steps.push(pathText(s, place));
  });
  if (contour.closed) steps.push('Z');
  return `<path d="${steps.join('')}"${stroke}/>\n`;
}

function pathText(s: Segment, place: (p: readonly number[]) => P2): string {
  switch (s.kind) {
    case 'line':
      return `L${pair(place(s.b))}`;
    case 'arc':
    case 'ellipse': {
      const pieces = Math.max(1, Math.ceil(Math.abs(s.sweep) / mostSweep - 1e-9));
      return Array.from({ length: pieces }, (_, i) => arcText(pieceOf(s, i / pieces, (i + 1) / pieces) as ArcSegment, place)).join('');
    }
    case 'bezier':
      return `${s.points.length === 3 ? 'Q' : 'C'}${s.points
        .slice(1)
        .map((p) => pair(place(p)))
        .join(' ')}`;
    case 'spline':
      return asBeziers(s, svgSplineDeviation)
        .segments.map((b) => pathText(b, place))
        .join('');
  }
}

/** Half axes and tilt in degrees, as SVG counts it with Y down. */
const axesOf = (s: ArcSegment | EllipseSegment): [number, number, number] =>
  s.kind === 'arc' ? [s.radius, s.radius, 0] : [Math.hypot(...s.u), Math.hypot(...s.u) * Math.abs(s.ratio), -(Math.atan2(s.u[1], s.u[0]) * 180) / Math.PI];

function arcText(s: ArcSegment | EllipseSegment, place: (p: readonly number[]) => P2): string {
  const [rx, ry, tilt] = axesOf(s);
  // Turning Y over turns the sense of the sweep over.
  return `A${number(rx)} ${number(ry)} ${number(tilt)} ${Math.abs(s.sweep) > Math.PI ? 1 : 0} ${s.sweep > 0 ? 0 : 1} ${pair(place(endOf(s)))}`;
}
