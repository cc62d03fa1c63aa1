import { latin } from '../../base/latin.ts';
import { decodePDFRawStream, PDFArray, PDFDocument, PDFRawStream, PDFStream } from 'pdf-lib';
import { laidTogether, tilesSaid } from './tiles.ts';
import { boxOfContour, contourOf, emptyDrawing, lengthOfContour, type Contour, type Drawing } from '../../curves/drawing.ts';
import type { P2, Segment } from '../../curves/segment.ts';
import { Unusable } from '../../base/finding.ts';

/** The strokes of a PDF's first page, mm from its low left corner, and the page's size in mm. */
export interface PdfFile {
  drawing: Drawing;
  page: [number, number];
  /** Sheets of A4 that were laid together: the drawing is mm from its own low left corner then. */
  tiled: boolean;
}

/** Reads the paths of a page, or of all sheets when they are to be laid together: moves, lines, Béziers, closing. Enough for templates, not for any PDF. Source: ISO 32000-1, 8.5. */
export async function readPdf(bytes: Uint8Array): Promise<PdfFile> {
  let document: PDFDocument;
  try {
    document = await PDFDocument.load(bytes, { updateMetadata: false });
  } catch (thrown) {
    throw new Unusable('not-pdf', `The file can not be read as PDF (${(thrown as Error).message.split('\n')[0]}).`, 'Write it again.');
  }
  const tiles = tilesSaid(document.getKeywords());
  if (tiles) {
    if (document.getPageCount() !== tiles.list.length)
      throw new Unusable('sheets-missing', `The file says that it has ${tiles.list.length} sheets, and has ${document.getPageCount()}.`, 'Write it again.');
    const sheets = tiles.list.map((_, i) => readPage(document, i));
    return { drawing: laidTogether(sheets.map(withoutScaleLine), tiles), page: sheets[0].page, tiled: true };
  }
  return { ...readPage(document, 0), tiled: false };
}

/** Without the line that is measured on the paper, which lies below the frame. */
function withoutScaleLine({ drawing }: Pick<PdfFile, 'drawing'>): Drawing {
  const measured = (c: Contour) => c.segments.length === 1 && Math.abs(lengthOfContour(c) - 100) < 1e-3 && boxOfContour(c)[3] < 4;
  return { ...drawing, layers: drawing.layers.map((l) => ({ ...l, contours: l.contours.filter((c) => !measured(c)) })) };
}

function readPage(document: PDFDocument, number: number): Pick<PdfFile, 'drawing' | 'page'> {
  const page = document.getPage(number);
  const contents = page.node.Contents();
  const streams: PDFStream[] =
    contents instanceof PDFArray ? contents.asArray().map((ref) => document.context.lookup(ref) as PDFStream) : contents ? [contents] : [];
  const text = streams.map((s) => latin(s instanceof PDFRawStream ? decodePDFRawStream(s).decode() : s.getContents())).join('\n');
  const perPoint = 25.4 / 72;
  const { width, height } = page.getSize();
  return { drawing: pathsOf(text, perPoint), page: [width * perPoint, height * perPoint] };
}

/** Operators that paint a path: whether it is closed first, stroked, filled. Source: ISO 32000-1, table 60. */
const painting = new Map<string, { close: boolean; stroke: boolean; fill: boolean }>([
  ['S', { close: false, stroke: true, fill: false }],
  ['s', { close: true, stroke: true, fill: false }],
  ['f', { close: true, stroke: false, fill: true }],
  ['F', { close: true, stroke: false, fill: true }],
  ['f*', { close: true, stroke: false, fill: true }],
  ['B', { close: false, stroke: true, fill: true }],
  ['B*', { close: false, stroke: true, fill: true }],
  ['b', { close: true, stroke: true, fill: true }],
  ['b*', { close: true, stroke: true, fill: true }],
]);

function pathsOf(text: string, mm: number): Drawing {
  const layers = new Map<string, Drawing['layers'][number]>();
  let colours = { stroke: '#000000', fill: '#000000' };
  const saved: (typeof colours)[] = [];
  let numbers: number[] = [];
  let contours: { segments: Segment[]; closed: boolean }[] = [];
  let at: P2 = [0, 0];
  let start: P2 = [0, 0];
  const point = (i: number): P2 => [numbers[i] * mm, numbers[i + 1] * mm];
  const add = (s: Segment) => contours[contours.length - 1]?.segments.push(s);
  const hex = () => `#${numbers.slice(0, 3).map((v) => Math.round(v * 255).toString(16).padStart(2, '0')).join('')}`; // prettier-ignore
  const close = () => {
    const last = contours[contours.length - 1];
    if (!last || last.closed || last.segments.length === 0) return;
    last.closed = true;
    if (at[0] !== start[0] || at[1] !== start[1]) add({ kind: 'line', a: at, b: start });
    at = start;
  };
  for (const token of text.split(/\s+/)) {
    if (/^[+-]?[\d.]+$/.test(token)) {
      numbers.push(Number(token));
      continue;
    }
    const paint = painting.get(token);
    if (token === 'm') {
      at = start = point(0);
      contours.push({ segments: [], closed: false });
    } else if (token === 'l') {
      add({ kind: 'line', a: at, b: point(0) });
      at = point(0);
    } else if (token === 'c') {
      add({ kind: 'bezier', points: [at, point(0), point(2), point(4)] });
      at = point(4);
    } else if (token === 'h') close();
    else if (token === 'RG') colours = { ...colours, stroke: hex() };
    else if (token === 'rg') colours = { ...colours, fill: hex() };
    else if (token === 'q') saved.push(colours);
    else if (token === 'Q') colours = saved.pop() ?? colours;
    else if (token === 'n') contours = [];
    else if (paint) {
      if (paint.close) close();
      const colour = paint.stroke ? colours.stroke : colours.fill;
      const filled = paint.fill && !paint.stroke;
      const name = filled ? `${colour} fill` : colour;
      let layer = layers.get(name);
      if (!layer) layers.set(name, (layer = { name, colour, lineType: 'CONTINUOUS', contours: [] }));
      for (const c of contours) if (c.segments.length > 0) layer.contours.push({ ...contourOf(c.segments, c.closed), meaning: filled ? 'fill' : null });
      contours = [];
    }
    numbers = [];
  }
  return { ...emptyDrawing(), layers: [...layers.values()] };
}
