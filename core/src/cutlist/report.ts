import { PDFDocument, rgb, StandardFonts, type PDFPage } from 'pdf-lib';
import { flattened } from '../curves/flatten.ts';
import { transformed } from '../curves/affine.ts';
import type { P2 } from '../curves/segment.ts';
import { pointsPerMm } from '../formats/pdf/write.ts';
import type { LetterFiles } from '../text/letters.ts';
import { Words } from './labels.ts';
import { mapOf, type Nest, type NestedSheet } from './nested.ts';
import { totalsOf, workText, type CutRow } from './row.ts';

/** What a sheet takes at the machine, from its file. */
export interface SheetFigures {
  file: string;
  /** mm, s. */
  cut: number;
  time: number;
  verdict: string;
}

const [pageW, pageH] = [297, 210];

/**
 * The plan to be printed: the cut list, then a page a sheet with its picture, density, parts, length of cut, time and what is left over, and for a saw
 * the cuts in their order. Equal inputs give equal bytes.
 */
export async function planPages(
  rows: readonly CutRow[],
  nest: Nest,
  figures: readonly (SheetFigures | null)[],
  title: string,
  letters: LetterFiles,
): Promise<Uint8Array> {
  const document = await PDFDocument.create({ updateMetadata: false });
  document.setTitle(title);
  document.setProducer('Tall Kite');
  const font = await document.embedFont(StandardFonts.Helvetica);
  let page: PDFPage = document.addPage([pageW * pointsPerMm, pageH * pointsPerMm]);
  const words = new Words(() => page, font, letters);
  const next = () => (page = document.addPage([pageW * pointsPerMm, pageH * pointsPerMm]));
  await listPages(rows, nest, title, words, next, () => page);
  for (const [i, sheet] of nest.sheets.entries()) {
    next();
    await sheetPage(page, words, rows, nest, sheet, i, figures[i] ?? null);
    if (sheet.cuts.length > 0) await cutPages(sheet, i, words, next);
  }
  return document.save({ useObjectStreams: false });
}

const figure = (v: number | null, digits = 1): string => (v === null ? '–' : String(Number(v.toFixed(digits))));

async function listPages(rows: readonly CutRow[], nest: Nest, title: string, words: Words, next: () => void, page: () => PDFPage): Promise<void> {
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
  let y = pageH - 14;
  const head = async (text: string) => {
    await words.put(text, 10, y, 5, 200);
    y -= 8;
    let x = 10;
    for (const [name, w] of columns) {
      await words.put(name, x, y, 2.8, w - 2, 0.35);
      x += w;
    }
    page().drawLine({
      start: { x: 10 * pointsPerMm, y: (y - 1.5) * pointsPerMm },
      end: { x: (pageW - 10) * pointsPerMm, y: (y - 1.5) * pointsPerMm },
      thickness: 0.4,
    });
    y -= 6;
  };
  await head(title);
  for (const row of rows) {
    if (y < 14) {
      next();
      y = pageH - 14;
      await head(`${title}, continued`);
    }
    let x = 10;
    for (const [, w, of] of columns) {
      await words.put(of(row), x, y, 3, w - 2);
      x += w;
    }
    y -= 5;
  }
  const totals = totalsOf(rows);
  if (y < 20 + totals.length * 5) {
    next();
    y = pageH - 14;
  }
  y -= 4;
  for (const t of totals) {
    await words.put(`${t.stock}: ${t.pieces} pieces, ${figure(t.area, 3)} m²${t.weight === null ? '' : `, ${figure(t.weight, 2)} kg`}${t.band > 0 ? `, ${figure(t.band, 2)} m of edge band` : ''}`, 10, y, 3.2, 250); // prettier-ignore
    y -= 5;
  }
  for (const n of nest.notPlaced) {
    await words.put(`Not placed: ${n.copies} × ${rows.find((r) => r.key === n.row)?.name ?? n.row}. ${n.why}`, 10, Math.max(6, y), 3.2, 270);
    y -= 5;
  }
}

async function sheetPage(
  page: PDFPage,
  words: Words,
  rows: readonly CutRow[],
  nest: Nest,
  sheet: NestedSheet,
  i: number,
  figures: SheetFigures | null,
): Promise<void> {
  const by = new Map(rows.map((r) => [r.key, r]));
  const room = { x: 10, y: 12, w: 205, h: 172 };
  const scale = Math.min(room.w / sheet.width, room.h / sheet.height);
  const put = ([x, y]: readonly number[]): [number, number] => [
    (room.x + x * scale) * pointsPerMm,
    (room.y + (y - sheet.height) * scale + room.h) * pointsPerMm,
  ];
  const ring = (points: readonly (readonly number[])[], fill: number | null, width: number, grey = 0) => {
    for (let k = 0; k < points.length; k++) {
      const [a, b] = [put(points[k]), put(points[(k + 1) % points.length])];
      page.drawLine({ start: { x: a[0], y: a[1] }, end: { x: b[0], y: b[1] }, thickness: width, color: rgb(grey, grey, grey) });
    }
    void fill;
  };
  ring(sheet.outline ?? [[0, 0], [sheet.width, 0], [sheet.width, sheet.height], [0, sheet.height]], null, 0.8); // prettier-ignore
  for (const r of nest.remnants.filter((r) => r.sheet === i)) {
    const [x, y] = put([r.x, r.y]);
    page.drawRectangle({ x, y, width: r.width * scale * pointsPerMm, height: r.height * scale * pointsPerMm, color: rgb(0.93, 0.93, 0.93) });
    await words.put(`left over ${figure(r.width)} × ${figure(r.height)}`, x / pointsPerMm + 1, y / pointsPerMm + 1, 2.6, Math.max(5, r.width * scale - 2), 0.3);
  }
  for (const part of sheet.parts) {
    const row = by.get(part.row)!;
    const map = mapOf(part);
    let [cx, cy, n] = [0, 0, 0];
    for (const c of row.layers.flatMap((l) => (l.back ? [] : l.contours))) {
      const points: P2[] = flattened(c.segments.map((s) => transformed(s, map)), 0.4 / scale / 4); // prettier-ignore
      ring(points.slice(0, c.closed ? -1 : points.length), null, 0.35);
      if (n === 0) for (const [x, y] of points) [cx, cy, n] = [cx + x, cy + y, n + 1];
    }
    const [x, y] = put([cx / n, cy / n]);
    await words.put(row.number || row.name, x / pointsPerMm - 6, y / pointsPerMm - 1, 2.4, 14);
  }
  for (const cut of sheet.cuts) {
    const [a, b] = cut.along === 'x' ? [put([cut.from, cut.at]), put([cut.to, cut.at])] : [put([cut.at, cut.from]), put([cut.at, cut.to])];
    page.drawLine({ start: { x: a[0], y: a[1] }, end: { x: b[0], y: b[1] }, thickness: 0.5, color: rgb(0.75, 0.1, 0.1) });
    await words.put(String(cut.number), (a[0] + b[0]) / 2 / pointsPerMm + 0.4, (a[1] + b[1]) / 2 / pointsPerMm + 0.4, 2.2, 8, 0.2);
  }
  const counts = new Map<string, number>();
  for (const p of sheet.parts) counts.set(p.row, (counts.get(p.row) ?? 0) + 1);
  const lines = [
    `${sheet.width} × ${sheet.height} mm, ${sheet.stock}`,
    `${sheet.parts.length} parts, ${(sheet.density * 100).toFixed(1)} % of the sheet`,
    ...(figures
      ? [
          `file: ${figures.file} (${figures.verdict})`,
          `cut ${(figures.cut / 1000).toFixed(2)} m${figures.time > 0 ? `, about ${Math.max(1, Math.round(figures.time / 60))} min` : ''}`,
        ]
      : []),
    '',
    ...[...counts].map(([key, n]) => `${n} × ${by.get(key)!.number ? `${by.get(key)!.number} ` : ''}${by.get(key)!.name}`),
  ];
  await words.put(`${sheet.name} ${i + 1} of ${nest.sheets.length}`, 10, pageH - 14, 5, 200);
  let y = pageH - 26;
  for (const text of lines.slice(0, 36)) {
    if (text !== '') await words.put(text, 222, y, 3, 68);
    y -= 4.6;
  }
  if (lines.length > 36) await words.put(`and ${lines.length - 36} more`, 222, y, 3, 68);
}

/** The saw's cuts as a table, in their order. */
async function cutPages(sheet: NestedSheet, i: number, words: Words, next: () => void): Promise<void> {
  const each = 34 * 4;
  for (let from = 0; from < sheet.cuts.length; from += each) {
    next();
    await words.put(`${sheet.name} ${i + 1}: cuts in their order (mm from the low left corner)`, 10, pageH - 14, 4.4, 270);
    for (const [k, cut] of sheet.cuts.slice(from, from + each).entries()) {
      const text = `${cut.number}. along ${cut.along.toUpperCase()} at ${figure(cut.at, 2)}, from ${figure(cut.from, 2)} to ${figure(cut.to, 2)}${cut.stage === 0 ? ' (trim)' : ''}`;
      await words.put(text, 10 + Math.floor(k / 34) * 70, pageH - 24 - (k % 34) * 5.2, 2.8, 67);
    }
  }
}
