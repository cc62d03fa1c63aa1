import Joi from 'joi';
import Papa from 'papaparse';
import { Unusable } from '../base/finding.ts';
import { grains, stockKey, totalsOf, workText, type CutRow, type RowEdit } from './row.ts';

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
    const { value, error } = rowSchema.validate(cellsOf(cells, at));
    if (error) bad.push({ line: i + 2, why: error.message });
    else if (value.number === '' && value.name === '') bad.push({ line: i + 2, why: 'it names neither a part number nor a name' });
    else rows.push(listed(value));
  });
  return { rows, bad };
}

const text = (most: number) => Joi.string().trim().max(most).allow('').default('');
const rowSchema = Joi.object({
  number: text(60),
  name: text(120),
  quantity: Joi.number().integer().min(0).max(100_000).messages({ '*': 'the quantity must be a whole number from 0 to 100,000' }),
  material: Joi.string().max(60),
  thickness: Joi.number().greater(0).max(1000).messages({ '*': 'the thickness must be a number of mm above 0' }),
  length: Joi.number().greater(0).messages({ '*': 'length and width must be numbers of mm above 0' }),
  width: Joi.number().greater(0).messages({ '*': 'length and width must be numbers of mm above 0' }),
  grain: Joi.string().lowercase().valid(...grains).messages({ '*': `the grain must be one of ${grains.join(', ')}` }),
  front: text(60),
  back: text(60),
  left: text(60),
  right: text(60),
  banded: Joi.boolean(),
  notes: Joi.string().max(300).allow(''),
}); // prettier-ignore

const figures = new Set(['quantity', 'thickness', 'length', 'width']);
const maybeEmpty = new Set(['number', 'name', 'front', 'back', 'left', 'right', 'notes']);

/** The cells of a line by what they are; empty ones that say nothing are left away. */
function cellsOf(cells: readonly string[], at: Readonly<Record<string, number>>): Record<string, unknown> {
  const out: Record<string, unknown> = { banded: ['front', 'back', 'left', 'right'].some((k) => at[k] >= 0) };
  for (const [k, column] of Object.entries(at)) {
    if (column < 0) continue;
    // An apostrophe before what looks like a formula was put there on the way out.
    const cell = (cells[column] ?? '').trim().replace(/^'(?=[=+\-@])/, '');
    if (cell === '' && !maybeEmpty.has(k)) continue;
    out[k] = figures.has(k) && /,\d+$/.test(cell) ? cell.replace(/\./g, '').replace(',', '.') : cell;
  }
  return out;
}

function listed({ number, name, length, width, front, back, left, right, banded, ...rest }: Record<string, string> & { banded: boolean }): ListedRow {
  const edit = rest as unknown as Pick<RowEdit, 'quantity' | 'material' | 'thickness' | 'grain' | 'notes'>;
  const size = { length: (length as unknown as number) ?? null, width: (width as unknown as number) ?? null };
  return { number, name, ...size, ...edit, ...(banded ? { bands: { front, back, left, right } } : {}) };
}

/** What a list says of rows that are there: by number first, else by name. Lines that speak of no row are told. */
export function listedEdits(rows: readonly CutRow[], listed: readonly ListedRow[]): { edits: Map<string, RowEdit>; unknown: ListedRow[] } {
  const low = (s: string) => s.trim().toLowerCase();
  const edits = new Map<string, RowEdit>();
  const unknown: ListedRow[] = [];
  for (const row of listed) {
    const { number, name, length: _, width: __, ...edit } = row;
    const named = (r: CutRow) => low(r.name) === low(name) || r.members.some((m) => low(m.name) === low(name));
    const known = rows.find((r) => number !== '' && r.number !== '' && low(r.number) === low(number)) ?? rows.find((r) => name !== '' && named(r)) ?? rows.find((r) => number !== '' && low(r.name) === low(number)); // prettier-ignore
    if (known) edits.set(known.key, { ...edits.get(known.key), ...edit });
    else unknown.push(row);
  }
  return { edits, unknown };
}

/** Rows by material and thickness. */
export const groupedByStock = (rows: readonly CutRow[]): Map<string, CutRow[]> => {
  const by = new Map<string, CutRow[]>();
  for (const row of rows) by.set(stockKey(row), [...(by.get(stockKey(row)) ?? []), row]);
  return by;
};
