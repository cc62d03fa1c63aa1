import Papa from 'papaparse';
import { Unusable } from '../base/finding.ts';
import { grains, stockKey, totalsOf, workText, type Bands, type CutRow, type Grain, type RowEdit } from './row.ts';

const columns = [
  'number', 'name', 'quantity', 'material', 'thickness mm', 'length mm', 'width mm', 'grain', 'band front', 'band back', 'band left', 'band right', 'holes', 'notes', 'weight kg', 'made',
] as const; // prettier-ignore

/** How a spreadsheet of that country wants it. */
export interface CsvHow {
  /** A comma for decimals, and a semicolon between cells. */
  comma: boolean;
  /** A byte order mark at the beginning, by which some programs know UTF-8. */
  mark: boolean;
}
export const usualCsv: CsvHow = { comma: false, mark: false };

const round = (v: number, digits: number): string => String(Number(v.toFixed(digits)));

/**
 * The list as CSV (RFC 4180). Cells that begin like a formula begin with an apostrophe, so that no spreadsheet runs them.
 * @example cutListCsv(rows, { comma: true, mark: true })
 */
export function cutListCsv(rows: readonly CutRow[], how: CsvHow = usualCsv): string {
  const figure = (v: number | null, digits: number) => (v === null ? '' : how.comma ? round(v, digits).replace('.', ',') : round(v, digits));
  const data = rows.map((r) => [
    r.number, r.name, String(r.quantity), r.material, figure(r.thickness, 3), figure(r.length, 3), figure(r.width, 3), r.grain,
    r.bands.front, r.bands.back, r.bands.left, r.bands.right, workText(r), r.notes,
    figure(r.weight === null ? null : r.weight / 1000, 4), r.kind === 'panel' ? 'cut' : 'elsewhere',
  ]); // prettier-ignore
  const text = Papa.unparse({ fields: [...columns], data }, { newline: '\r\n', escapeFormulae: true, delimiter: how.comma ? ';' : ',' });
  return `${how.mark ? '\ufeff' : ''}${text}\r\n`;
}

/** Sums of each stock as CSV. */
export function totalsCsv(rows: readonly CutRow[]): string {
  const data = totalsOf(rows).map((t) => [t.stock, t.pieces, round(t.area, 4), t.weight === null ? '' : round(t.weight, 3), round(t.band, 3)]);
  return `${Papa.unparse({ fields: ['stock', 'pieces', 'area m2', 'weight kg', 'edge band m'], data }, { newline: '\r\n', escapeFormulae: true })}\r\n`;
}

/** A row of a list that was read. */
export interface ListedRow extends RowEdit {
  number: string;
  name: string;
  length: number | null;
  width: number | null;
}

const patterns: Record<string, RegExp> = {
  number: /^(part ?)?(number|no\.?|nr\.?)$/i,
  name: /^(part ?)?(name|description)$|^part$/i,
  quantity: /^(quantity|qty|count|pieces|pcs)$/i,
  material: /^material$/i,
  thickness: /^thickness( ?\(?mm\)?)?$/i,
  length: /^length( ?\(?mm\)?)?$/i,
  width: /^width( ?\(?mm\)?)?$/i,
  grain: /^grain$/i,
  front: /^(edge )?band front$/i,
  back: /^(edge )?band back$/i,
  left: /^(edge )?band left$/i,
  right: /^(edge )?band right$/i,
  notes: /^notes?$/i,
};

/**
 * Reads a list: comma, semicolon or tab between cells, point or comma for decimals, with or without a byte order mark. A bad row never stops the good
 * ones; it is told with its line.
 * @throws Unusable when no column says which part a row is about
 */
export function readCutList(text: string): { rows: ListedRow[]; bad: { line: number; why: string }[] } {
  const { data } = Papa.parse<string[]>(text.replace(/^\ufeff/, ''), { skipEmptyLines: 'greedy' });
  const head = (data[0] ?? []).map((c) => c.trim());
  const at = Object.fromEntries(Object.entries(patterns).map(([k, p]) => [k, head.findIndex((h) => p.test(h))]));
  if (at.number < 0 && at.name < 0) throw new Unusable('bad-list', 'The list has no column for part number or name.', 'Begin it with a line like: number,name,quantity,material,thickness mm,grain'); // prettier-ignore
  const rows: ListedRow[] = [];
  const bad: { line: number; why: string }[] = [];
  data.slice(1).forEach((cells, i) => {
    // An apostrophe before what looks like a formula was put there on the way out.
    const cell = (k: string) => (at[k] < 0 ? null : (cells[at[k]] ?? '').trim().replace(/^'(?=[=+\-@])/, ''));
    const figure = (k: string): number | null => {
      const t = cell(k);
      return t === null || t === '' ? null : Number(/,\d+$/.test(t) ? t.replace(/\./g, '').replace(',', '.') : t);
    };
    const fail = (why: string) => void bad.push({ line: i + 2, why });
    const [number, name] = [cell('number') ?? '', cell('name') ?? ''];
    if (number === '' && name === '') return fail('it names neither a part number nor a name');
    const quantity = figure('quantity');
    if (quantity !== null && !(Number.isInteger(quantity) && quantity >= 0 && quantity <= 100_000))
      return fail('the quantity must be a whole number from 0 to 100,000');
    const thickness = figure('thickness');
    if (thickness !== null && !(thickness > 0 && thickness <= 1000)) return fail('the thickness must be a number of mm above 0');
    const grain = cell('grain')?.toLowerCase() ?? null;
    if (grain && !(grains as readonly string[]).includes(grain)) return fail(`the grain must be one of ${grains.join(', ')}`);
    const [length, width] = [figure('length'), figure('width')];
    if ([length, width].some((v) => v !== null && !(v > 0))) return fail('length and width must be numbers of mm above 0');
    const band = (k: keyof Bands) => (cell(k) ?? '').slice(0, 60);
    const banded = (['front', 'back', 'left', 'right'] as const).some((k) => at[k] >= 0);
    rows.push({
      number: number.slice(0, 60),
      name: name.slice(0, 120),
      length,
      width,
      ...(quantity === null ? {} : { quantity }),
      ...(at.material >= 0 && cell('material') !== '' ? { material: cell('material')!.slice(0, 60) } : {}),
      ...(thickness === null ? {} : { thickness }),
      ...(grain ? { grain: grain as Grain } : {}),
      ...(banded ? { bands: { front: band('front'), back: band('back'), left: band('left'), right: band('right') } } : {}),
      ...(at.notes >= 0 ? { notes: (cell('notes') ?? '').slice(0, 300) } : {}),
    });
  });
  return { rows, bad };
}

/** What a list says of rows that are there: by number first, else by name. Lines that speak of no row are told. */
export function listedEdits(rows: readonly CutRow[], listed: readonly ListedRow[]): { edits: Map<string, RowEdit>; unknown: string[] } {
  const low = (s: string) => s.trim().toLowerCase();
  const edits = new Map<string, RowEdit>();
  const unknown: string[] = [];
  for (const { number, name, length: _, width: __, ...edit } of listed) {
    const named = (r: CutRow) => low(r.name) === low(name) || r.members.some((m) => low(m.name) === low(name));
    const row = rows.find((r) => number !== '' && r.number !== '' && low(r.number) === low(number)) ?? rows.find((r) => name !== '' && named(r)) ?? rows.find((r) => number !== '' && low(r.name) === low(number)); // prettier-ignore
    if (row) edits.set(row.key, { ...edits.get(row.key), ...edit });
    else unknown.push(number || name);
  }
  return { edits, unknown };
}

/** Rows by material and thickness. */
export const groupedByStock = (rows: readonly CutRow[]): Map<string, CutRow[]> => {
  const by = new Map<string, CutRow[]>();
  for (const row of rows) by.set(stockKey(row), [...(by.get(stockKey(row)) ?? []), row]);
  return by;
};
