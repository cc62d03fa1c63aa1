import { PDFDocument, rgb, StandardFonts, type PDFPage } from 'pdf-lib';
import { flattened } from '../curves/flatten.ts';
import { transformed } from '../curves/affine.ts';
import type { P2 } from '../curves/segment.ts';
import { pointsPerMm } from '../formats/pdf/write.ts';
import type { LetterFiles } from '../text/letters.ts';
import { Words } from './labels.ts';
import { mapOf, type Nest, type NestedPart, type NestedSheet } from './nested.ts';
import { totalsOf, workText, type CutRow } from './row.ts';

/** What a sheet takes at the machine, from its file. */
export interface SheetFigures {
  file: string;
  /** mm, s. */
  cut: number;
  time: number;
  verdict: string;
}

/** What a plan is about. */
export interface PlanOf {
  title: string;
  rows: readonly CutRow[];
  nest: Nest;
  /** By sheet; null where no file was made. */
  figures: readonly (SheetFigures | null)[];
}

const [pageW, pageH] = [297, 210];
const figure = (v: number | null, digits = 1): string => (v === null ? '–' : String(Number(v.toFixed(digits))));

/**
 * The plan to be printed: the cut list, then a page a sheet with its picture, density, parts, length of cut, time and what is left over, and for a saw
 * the cuts in their order. Equal inputs give equal bytes.
 */
export async function planPages(plan: PlanOf, letters: LetterFiles): Promise<Uint8Array> {
  const document = await PDFDocument.create({ updateMetadata: false });
  document.setTitle(plan.title);
  document.setProducer('Tall Kite');
  const pages = new Pages(document, await document.embedFont(StandardFonts.Helvetica), letters);
  await listPages(plan, pages);
  for (const [i, sheet] of plan.nest.sheets.entries()) {
    pages.next();
    await sheetPage(plan, i, pages);
    if (sheet.cuts.length > 0) await cutPages(sheet, i, pages);
  }
  return document.save({ useObjectStreams: false });
}

/** Pages that are written one after another. */
class Pages {
  page: PDFPage;
  readonly words: Words;
  private readonly document: PDFDocument;

  constructor(document: PDFDocument, font: ConstructorParameters<typeof Words>[1], letters: LetterFiles) {
    this.document = document;
    this.page = document.addPage([pageW * pointsPerMm, pageH * pointsPerMm]);
    this.words = new Words(() => this.page, font, letters);
  }

  next(): void {
    this.page = this.document.addPage([pageW * pointsPerMm, pageH * pointsPerMm]);
  }

  line([ax, ay]: readonly number[], [bx, by]: readonly number[], thickness: number, red = 0): void {
    this.page.drawLine({
      start: { x: ax * pointsPerMm, y: ay * pointsPerMm },
      end: { x: bx * pointsPerMm, y: by * pointsPerMm },
      thickness,
      color: rgb(red, red * 0.13, red * 0.13),
    });
  }
}

const columns: [string, number, (r: CutRow) => string][] = [
  ['number', 24, (r) => r.number],
  ['name', 52, (r) => r.name],
  ['pieces', 13, (r) => String(r.quantity)],
  ['material', 34, (r) => r.material || '–'],
  ['thick mm', 16, (r) => figure(r.thickness, 2)],
  ['length mm', 19, (r) => figure(r.length)],
  ['width mm', 18, (r) => figure(r.width)],
  ['grain', 14, (r) => (r.grain === 'none' ? '–' : r.grain)],
  ['worked on it, notes', 87, (r) => [workText(r), r.notes, r.why ?? '', r.mirrorOf ? 'mirror image of another' : ''].filter(Boolean).join(' · ')],
];

async function listPages({ rows, nest, title }: PlanOf, pages: Pages): Promise<void> {
  const { words } = pages;
  let y = pageH - 14;
  const head = async (text: string) => {
    await words.put(text, { x: 10, y, size: 5, most: 200 });
    y -= 8;
    let x = 10;
    for (const [name, w] of columns) {
      await words.put(name, { x, y, size: 2.8, most: w - 2, grey: 0.35 });
      x += w;
    }
    pages.line([10, y - 1.5], [pageW - 10, y - 1.5], 0.4);
    y -= 6;
  };
  await head(title);
  for (const row of rows) {
    if (y < 14) {
      pages.next();
      y = pageH - 14;
      await head(`${title}, continued`);
    }
    let x = 10;
    for (const [, w, of] of columns) {
      await words.put(of(row), { x, y, size: 3, most: w - 2 });
      x += w;
    }
    y -= 5;
  }
  const lines = [
    ...totalsOf(rows).map((t) => `${t.stock}: ${t.pieces} pieces, ${figure(t.area, 3)} m²${t.weight === null ? '' : `, ${figure(t.weight, 2)} kg`}${t.band > 0 ? `, ${figure(t.band, 2)} m of edge band` : ''}`),
    ...nest.notPlaced.map((n) => `Not placed: ${n.copies} × ${rows.find((r) => r.key === n.row)?.name ?? n.row}. ${n.why}`),
  ]; // prettier-ignore
  y -= 4;
  for (const text of lines) {
    if (y < 10) {
      pages.next();
      y = pageH - 14;
    }
    await words.put(text, { x: 10, y, size: 3.2, most: 270 });
    y -= 5;
  }
}

async function sheetPage(plan: PlanOf, i: number, pages: Pages): Promise<void> {
  const { rows, nest } = plan;
  const sheet = nest.sheets[i];
  const by = new Map(rows.map((r) => [r.key, r]));
  const room = { x: 10, y: 12, w: 205, h: 172 };
  const scale = Math.min(room.w / sheet.width, room.h / sheet.height);
  const put = ([x, y]: readonly number[]): [number, number] => [room.x + x * scale, room.y + (y - sheet.height) * scale + room.h];
  const edge = sheet.outline ?? [[0, 0], [sheet.width, 0], [sheet.width, sheet.height], [0, sheet.height]]; // prettier-ignore
  edge.forEach((p, k) => pages.line(put(p), put(edge[(k + 1) % edge.length]), 0.8));
  for (const r of nest.remnants.filter((one) => one.sheet === i)) {
    const [x, y] = put([r.x, r.y]);
    pages.page.drawRectangle({ x: x * pointsPerMm, y: y * pointsPerMm, width: r.width * scale * pointsPerMm, height: r.height * scale * pointsPerMm, color: rgb(0.93, 0.93, 0.93) }); // prettier-ignore
    await pages.words.put(`left over ${figure(r.width)} × ${figure(r.height)}`, {
      x: x + 1,
      y: y + 1,
      size: 2.6,
      most: Math.max(5, r.width * scale - 2),
      grey: 0.3,
    });
  }
  for (const part of sheet.parts) {
    const row = by.get(part.row)!;
    const [x, y] = put(drawn(pages, row, part, { put, fine: 0.1 / scale }));
    await pages.words.put(row.number || row.name, { x: x - 6, y: y - 1, size: 2.4, most: 14 });
  }
  for (const cut of sheet.cuts) {
    const [a, b] = cut.along === 'x' ? [put([cut.from, cut.at]), put([cut.to, cut.at])] : [put([cut.at, cut.from]), put([cut.at, cut.to])];
    pages.line(a, b, 0.5, 0.75);
    await pages.words.put(String(cut.number), { x: (a[0] + b[0]) / 2 + 0.4, y: (a[1] + b[1]) / 2 + 0.4, size: 2.2, most: 8, grey: 0.2 });
  }
  await besidePicture(plan, i, pages);
}

/** Draws a part where it lies and gives the middle of its outline, mm of the sheet. */
function drawn(pages: Pages, row: CutRow, part: NestedPart, { put, fine }: { put: (p: readonly number[]) => [number, number]; fine: number }): P2 {
  const map = mapOf(part);
  let middle: P2 | null = null;
  for (const c of row.layers.flatMap((l) => (l.back ? [] : l.contours))) {
    const points: P2[] = flattened(c.segments.map((s) => transformed(s, map)), fine); // prettier-ignore
    for (let k = 1; k < points.length; k++) pages.line(put(points[k - 1]), put(points[k]), 0.35);
    middle ??= [0, 1].map((axis) => points.reduce((sum, p) => sum + p[axis], 0) / points.length) as P2;
  }
  return middle ?? [part.x, part.y];
}

/** What stands beside the picture: figures, and how many of which parts. */
async function besidePicture({ rows, nest, figures }: PlanOf, i: number, { words }: Pages): Promise<void> {
  const sheet = nest.sheets[i];
  const made = figures[i] ?? null;
  const by = new Map(rows.map((r) => [r.key, r]));
  const counts = new Map<string, number>();
  for (const p of sheet.parts) counts.set(p.row, (counts.get(p.row) ?? 0) + 1);
  const time = made && made.time > 0 ? `, about ${Math.max(1, Math.round(made.time / 60))} min` : '';
  const lines = [
    `${sheet.width} × ${sheet.height} mm, ${sheet.stock}`,
    `${sheet.parts.length} parts, ${(sheet.density * 100).toFixed(1)} % of the sheet`,
    ...(made ? [`file: ${made.file} (${made.verdict})`, `cut ${(made.cut / 1000).toFixed(2)} m${time}`] : []),
    '',
    ...[...counts].map(([key, n]) => `${n} × ${by.get(key)!.number ? `${by.get(key)!.number} ` : ''}${by.get(key)!.name}`),
  ];
  await words.put(`${sheet.name} ${i + 1} of ${nest.sheets.length}`, { x: 10, y: pageH - 14, size: 5, most: 200 });
  let y = pageH - 26;
  for (const text of [...lines.slice(0, 36), ...(lines.length > 36 ? [`and ${lines.length - 36} more`] : [])]) {
    if (text !== '') await words.put(text, { x: 222, y, size: 3, most: 68 });
    y -= 4.6;
  }
}

/** The saw's cuts as a table, in their order. */
async function cutPages(sheet: NestedSheet, i: number, pages: Pages): Promise<void> {
  const each = 34 * 4;
  for (let from = 0; from < sheet.cuts.length; from += each) {
    pages.next();
    await pages.words.put(`${sheet.name} ${i + 1}: cuts in their order (mm from the low left corner)`, { x: 10, y: pageH - 14, size: 4.4, most: 270 });
    for (const [k, cut] of sheet.cuts.slice(from, from + each).entries()) {
      const text = `${cut.number}. along ${cut.along.toUpperCase()} at ${figure(cut.at, 2)}, from ${figure(cut.from, 2)} to ${figure(cut.to, 2)}${cut.stage === 0 ? ' (trim)' : ''}`;
      await pages.words.put(text, { x: 10 + Math.floor(k / 34) * 70, y: pageH - 24 - (k % 34) * 5.2, size: 2.8, most: 67 });
    }
  }
}
