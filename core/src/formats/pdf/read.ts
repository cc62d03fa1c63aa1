import { decodePDFRawStream, PDFArray, PDFDocument, PDFRawStream, PDFStream } from 'pdf-lib';
import { contourOf, emptyDrawing, type Drawing } from '../../drawing/drawing.ts';
import type { P2, Segment } from '../../drawing/segment.ts';
import { Unusable } from '../../findings/finding.ts';
import { latin } from '../stl/read.ts';

/** The strokes of a PDF's first page, mm from its low left corner, and the page's size in mm. */
export interface PdfFile {
  drawing: Drawing;
  page: [number, number];
}

/** Reads the paths of a page: moves, lines, Béziers, closing. Enough for templates, not for any PDF. Source: ISO 32000-1, 8.5. */
export async function readPdf(bytes: Uint8Array): Promise<PdfFile> {
  let document: PDFDocument;
  try {
    document = await PDFDocument.load(bytes, { updateMetadata: false });
  } catch (thrown) {
    throw new Unusable('not-pdf', `The file can not be read as PDF (${(thrown as Error).message.split('\n')[0]}).`, 'Write it again.');
  }
  const page = document.getPage(0);
  const contents = page.node.Contents();
  const streams: PDFStream[] =
    contents instanceof PDFArray ? contents.asArray().map((ref) => document.context.lookup(ref) as PDFStream) : contents ? [contents] : [];
  const text = streams.map((s) => latin(s instanceof PDFRawStream ? decodePDFRawStream(s).decode() : s.getContents())).join('\n');
  const perPoint = 25.4 / 72;
  const { width, height } = page.getSize();
  return { drawing: pathsOf(text, perPoint), page: [width * perPoint, height * perPoint] };
}

function pathsOf(text: string, mm: number): Drawing {
  const layers = new Map<string, Drawing['layers'][number]>();
  let colour = '#000000';
  const saved: string[] = [];
  let numbers: number[] = [];
  let contours: { segments: Segment[]; closed: boolean }[] = [];
  let at: P2 = [0, 0];
  const point = (i: number): P2 => [numbers[i] * mm, numbers[i + 1] * mm];
  const add = (s: Segment) => contours[contours.length - 1]?.segments.push(s);
  for (const token of text.split(/\s+/)) {
    if (/^[+-]?[\d.]+$/.test(token)) {
      numbers.push(Number(token));
      continue;
    }
    if (token === 'm') {
      at = point(0);
      contours.push({ segments: [], closed: false });
    } else if (token === 'l') {
      add({ kind: 'line', a: at, b: point(0) });
      at = point(0);
    } else if (token === 'c') {
      add({ kind: 'bezier', points: [at, point(0), point(2), point(4)] });
      at = point(4);
    } else if (token === 'h' && contours.length > 0) contours[contours.length - 1].closed = true;
    else if (token === 'RG')
      colour = `#${numbers.map((v) => Math.round(v * 255).toString(16).padStart(2, '0')).join('')}`; // prettier-ignore
    else if (token === 'q') saved.push(colour);
    else if (token === 'Q') colour = saved.pop() ?? colour;
    else if (token === 'S' || token === 's') {
      let layer = layers.get(colour);
      if (!layer) layers.set(colour, (layer = { name: colour, colour, lineType: 'CONTINUOUS', contours: [] }));
      for (const c of contours) if (c.segments.length > 0) layer.contours.push(contourOf(c.segments, c.closed));
      contours = [];
    }
    numbers = [];
  }
  return { ...emptyDrawing(), layers: [...layers.values()] };
}
