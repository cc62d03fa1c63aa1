import { latin } from '../../base/latin.ts';
import { decodePDFRawStream, PDFArray, PDFDocument, PDFRawStream, PDFStream } from 'pdf-lib';
import { laidTogether, tilesSaid } from './tiles.ts';
import { boxOfContour, contourOf, emptyDrawing, lengthOfContour, type Contour, type Drawing } from '../../curves/drawing.ts';
import { endOf, type P2, type Segment } from '../../curves/segment.ts';
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
  const page = new PagePaths(mm);
  for (const token of text.split(/\s+/)) page.take(token);
  return { ...emptyDrawing(), layers: [...page.layers.values()] };
}

/** Follows the operators that our own PDF files use. Source: ISO 32000-1, 8.5. */
class PagePaths {
  readonly layers = new Map<string, Drawing['layers'][number]>();
  private colours = { stroke: '#000000', fill: '#000000' };
  private readonly saved: PagePaths['colours'][] = [];
  private numbers: number[] = [];
  private contours: { segments: Segment[]; closed: boolean }[] = [];
  private at: P2 = [0, 0];
  private start: P2 = [0, 0];
  private readonly mm: number;

  constructor(mm: number) {
    this.mm = mm;
  }

  /** A number is kept for the operator that comes. */
  take(token: string): void {
    if (/^[+-]?[\d.]+$/.test(token)) {
      this.numbers.push(Number(token));
      return;
    }
    if (Object.hasOwn(this.operators, token)) this.operators[token]();
    const paint = painting.get(token);
    if (paint) this.paint(paint);
    this.numbers = [];
  }

  private readonly operators: Record<string, () => void> = {
    m: () => {
      this.at = this.start = this.point(0);
      this.contours.push({ segments: [], closed: false });
    },
    l: () => this.add({ kind: 'line', a: this.at, b: this.point(0) }),
    c: () => this.add({ kind: 'bezier', points: [this.at, this.point(0), this.point(2), this.point(4)] }),
    h: () => this.close(),
    RG: () => (this.colours = { ...this.colours, stroke: this.hex() }),
    rg: () => (this.colours = { ...this.colours, fill: this.hex() }),
    q: () => this.saved.push(this.colours),
    Q: () => (this.colours = this.saved.pop() ?? this.colours),
    n: () => (this.contours = []),
  };

  private point(i: number): P2 {
    return [this.numbers[i] * this.mm, this.numbers[i + 1] * this.mm];
  }

  private hex(): string {
    return `#${this.numbers.slice(0, 3).map((v) => Math.round(v * 255).toString(16).padStart(2, '0')).join('')}`; // prettier-ignore
  }

  private add(s: Segment): void {
    this.contours[this.contours.length - 1]?.segments.push(s);
    this.at = endOf(s);
  }

  private close(): void {
    const last = this.contours[this.contours.length - 1];
    if (!last || last.closed || last.segments.length === 0) return;
    last.closed = true;
    if (this.at[0] !== this.start[0] || this.at[1] !== this.start[1]) this.add({ kind: 'line', a: this.at, b: this.start });
  }

  private paint({ close, stroke, fill }: { close: boolean; stroke: boolean; fill: boolean }): void {
    if (close) this.close();
    const colour = stroke ? this.colours.stroke : this.colours.fill;
    const filled = fill && !stroke;
    const name = filled ? `${colour} fill` : colour;
    let layer = this.layers.get(name);
    if (!layer) this.layers.set(name, (layer = { name, colour, lineType: 'CONTINUOUS', contours: [] }));
    for (const c of this.contours) if (c.segments.length > 0) layer.contours.push({ ...contourOf(c.segments, c.closed), meaning: filled ? 'fill' : null });
    this.contours = [];
  }
}
