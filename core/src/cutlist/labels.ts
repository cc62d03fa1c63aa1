import bwipjs from 'bwip-js';
import { degrees, PDFDocument, rgb, StandardFonts, type PDFFont, type PDFPage } from 'pdf-lib';
import { boxOfContour, type Contour } from '../curves/drawing.ts';
import { flattened } from '../curves/flatten.ts';
import { pointsPerMm } from '../formats/pdf/write.ts';
import { usualText } from '../text/choice.ts';
import { lettered } from '../text/lettering.ts';
import type { LetterFiles } from '../text/letters.ts';
import type { Nest } from './nested.ts';
import type { CutRow } from './row.ts';

/** A page of labels, mm. Common practice: three across and eight down on A4. */
export interface LabelPage {
  width: number;
  height: number;
  across: number;
  down: number;
}
export const usualLabels: LabelPage = { width: 210, height: 297, across: 3, down: 8 };

/** What is on one label. */
export interface Label {
  row: CutRow;
  copy: number;
  sheet: number;
  /** What the code says. */
  code: string;
}

/** One label a part, sheet by sheet, in the order of the plan; parts without a place come last, with sheet 0. */
export function labelsOf(rows: readonly CutRow[], nest: Nest): Label[] {
  const by = new Map(rows.map((r) => [r.key, r]));
  const out: Label[] = [];
  const next = new Map<string, number>();
  const add = (key: string, sheet: number) => {
    const row = by.get(key);
    if (!row) return;
    const copy = (next.get(key) ?? 0) + 1;
    next.set(key, copy);
    out.push({ row, copy, sheet, code: `${row.number || row.name}/${copy}/${sheet === 0 ? '-' : sheet}`.slice(0, 120) });
  };
  nest.sheets.forEach((s, i) => s.parts.forEach((p) => add(p.row, i + 1)));
  for (const n of nest.notPlaced) for (let k = 0; k < n.copies; k++) add(n.row, 0);
  return out;
}

/** Squares of a QR code of a text, row by row; 1 is dark. Source of the code: ISO/IEC 18004, by bwip-js. */
export function codeOf(text: string): { size: number; dark: Uint8Array } {
  const [found] = bwipjs.raw({ bcid: 'qrcode', text, eclevel: 'M' } as Parameters<typeof bwipjs.raw>[0]) as unknown as { pixs: number[]; pixx: number }[];
  return { size: found.pixx, dark: Uint8Array.from(found.pixs) };
}

/** Words as they are, where the plain font has all letters; else as outlines of the app's own letters. */
export class Words {
  private readonly outlines = new Map<string, Promise<Contour[]>>();
  private readonly page: () => PDFPage;
  private readonly font: PDFFont;
  private readonly letters: LetterFiles;

  constructor(page: () => PDFPage, font: PDFFont, letters: LetterFiles) {
    this.page = page;
    this.font = font;
    this.letters = letters;
  }

  /** Draws a line of words from a place (mm from the low left corner), letters of a size (mm), no wider than a width; longer ones are set smaller, then cut with "…". */
  async put(text: string, { x, y, size, most, grey = 0 }: { x: number; y: number; size: number; most: number; grey?: number }): Promise<void> {
    const page = this.page();
    const color = rgb(grey, grey, grey);
    if (plain(text)) {
      const width = (s: string, z: number) => this.font.widthOfTextAtSize(s, z * pointsPerMm) / pointsPerMm;
      let words = text;
      const z = Math.max(size * 0.6, Math.min(size, (size * most) / Math.max(1e-9, width(text, size))));
      while (width(words, z) > most && words.length > 1) words = `${words.slice(0, -2)}…`;
      page.drawText(words, { x: x * pointsPerMm, y: y * pointsPerMm, size: z * pointsPerMm, font: this.font, color });
      return;
    }
    const known = this.outlines.get(text) ?? lettered({ ...usualText, words: text, font: 'sans', size: { by: 'cap', mm: 10 }, plate: null }, this.letters).then(({ drawing }) => drawing.layers.flatMap((l) => l.contours), () => []); // prettier-ignore
    this.outlines.set(text, known);
    const contours = await known;
    if (contours.length === 0) return;
    const box = contours.map(boxOfContour).reduce((a, b) => [Math.min(a[0], b[0]), Math.min(a[1], b[1]), Math.max(a[2], b[2]), Math.max(a[3], b[3])]);
    const k = Math.min((size * 0.72) / 10, most / Math.max(1e-9, box[2] - box[0]));
    // SVG paths of the library run downwards from where they are put.
    const path = contours.map((c) => `M ${flattened(c.segments, 0.05).map(([px, py]) => `${((px - box[0]) * k * pointsPerMm).toFixed(3)} ${(-py * k * pointsPerMm).toFixed(3)}`).join(' L ')} Z`).join(' '); // prettier-ignore
    page.drawSvgPath(path, { x: x * pointsPerMm, y: y * pointsPerMm, color, borderWidth: 0 });
  }
}

/** Letters that the standard fonts of PDF have: Latin 1 and a few more. Source: ISO 32000-1, annex D (WinAnsi). */
const plain = (text: string): boolean => /^[\x20-\x7e\xa0-\xff–—‘’“”…•€]*$/.test(text);

/**
 * Labels to be printed and stuck on, as PDF: number and name, size, material, sheet, edge bands, and a QR code. Equal inputs give equal bytes.
 * @throws RangeError when the page has no room for labels
 */
export async function labelPages(labels: readonly Label[], title: string, letters: LetterFiles, page: LabelPage = usualLabels): Promise<Uint8Array> {
  const [w, h] = [page.width / page.across, page.height / page.down];
  if (!(w >= 30 && h >= 20)) throw new RangeError('a label needs at least 30 x 20 mm');
  const document = await PDFDocument.create({ updateMetadata: false });
  document.setTitle(title);
  document.setProducer('Tall Kite');
  const font = await document.embedFont(StandardFonts.Helvetica);
  let sheet: PDFPage = document.addPage([page.width * pointsPerMm, page.height * pointsPerMm]);
  const words = new Words(() => sheet, font, letters);
  const each = page.across * page.down;
  for (const [i, label] of labels.entries()) {
    const k = i % each;
    if (k === 0 && i > 0) sheet = document.addPage([page.width * pointsPerMm, page.height * pointsPerMm]);
    const x = (k % page.across) * w;
    const y = page.height - (Math.floor(k / page.across) + 1) * h;
    await oneLabel(sheet, words, label, { x, y, w, h });
  }
  return document.save({ useObjectStreams: false });
}

async function oneLabel(
  sheet: PDFPage,
  words: Words,
  { row, copy, sheet: number, code }: Label,
  { x, y, w, h }: { x: number; y: number; w: number; h: number },
): Promise<void> {
  const pad = 3;
  const side = Math.min(h - 2 * pad, w * 0.36);
  drawCode(sheet, code, { x: x + w - pad - side, y: y + (h - side) / 2, side });
  const most = w - side - 3 * pad;
  const figure = (v: number) => String(Number(v.toFixed(1)));
  const size = `${figure(row.length)} × ${figure(row.width)}${row.thickness === null ? '' : ` × ${figure(row.thickness)}`} mm`;
  const bands = (['front', 'back', 'left', 'right'] as const).filter((k) => row.bands[k] !== '').map((k) => `${k}: ${row.bands[k]}`);
  const lines: [string, number][] = [
    [row.number || row.name, 4.4],
    [row.number ? row.name : '', 3],
    [size, 3.2],
    [`${row.material || 'material not given'}${row.grain === 'none' ? '' : `, grain along ${row.grain}`}`, 2.8],
    [`${number === 0 ? 'no sheet' : `sheet ${number}`} · ${copy} of ${row.quantity}`, 2.8],
    [bands.length > 0 ? `band ${bands.join(', ')}` : '', 2.6],
  ];
  let top = y + h - pad;
  for (const [text, z] of lines) {
    if (text === '') continue;
    top -= z * 1.25;
    if (top < y + 1.5) break;
    await words.put(text, { x: x + pad, y: top, size: z, most });
  }
}

/** A code as dark squares with its quiet zone within a square, mm. */
export function drawCode(page: PDFPage, text: string, { x, y, side }: { x: number; y: number; side: number }): void {
  const { size, dark } = codeOf(text);
  const quiet = 4;
  const cell = side / (size + 2 * quiet);
  for (let r = 0; r < size; r++)
    for (let c = 0; c < size;) {
      if (dark[r * size + c] === 0) {
        c++;
        continue;
      }
      let run = 1;
      while (c + run < size && dark[r * size + c + run] === 1) run++;
      page.drawRectangle({ x: (x + (quiet + c) * cell) * pointsPerMm, y: (y + side - (quiet + r + 1) * cell) * pointsPerMm, width: run * cell * pointsPerMm, height: cell * pointsPerMm, color: rgb(0, 0, 0), rotate: degrees(0) }); // prettier-ignore
      c += run;
    }
}
