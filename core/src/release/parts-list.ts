import Joi from 'joi';
import Papa from 'papaparse';
import { Unusable } from '../base/finding.ts';

/** One row of a parts list: what a source may lack. Thickness in mm. */
export interface PartsRow {
  number: string;
  name: string;
  quantity: number | null;
  material: string;
  thickness: number | null;
}

export interface PartsList {
  rows: PartsRow[];
  /** Rows that were not taken, with the line and why. */
  bad: { line: number; why: string }[];
}

const columns: Record<keyof PartsRow, RegExp> = {
  number: /^(part ?number|number|part ?no\.?|item)$/i,
  name: /^(part ?name|name|part|description)$/i,
  quantity: /^(quantity|qty|count|pieces)$/i,
  material: /^material$/i,
  thickness: /^thickness( \(?mm\)?)?$/i,
};

const figure = (text: string): number | string => (text === '' ? NaN : Number.isFinite(Number(text.replace(',', '.'))) ? Number(text.replace(',', '.')) : text);

const schema = Joi.object<PartsRow>({
  number: Joi.string().trim().max(60).allow('').required(),
  name: Joi.string().trim().max(120).allow('').required(),
  quantity: Joi.number().integer().min(1).max(100_000).allow(null).required().messages({ '*': 'the quantity must be a whole number from 1 to 100,000' }),
  material: Joi.string().trim().max(60).allow('').required(),
  thickness: Joi.number().greater(0).max(1000).allow(null).required().messages({ '*': 'the thickness must be a number of mm above 0' }),
});

/**
 * Reads a parts list (CSV, RFC 4180; comma, semicolon or tab): a head line names the columns, each further line is checked by itself and a
 * bad one never stops the good ones.
 * @throws Unusable when there is no column for number or name.
 */
export function readPartsList(text: string): PartsList {
  const { data } = Papa.parse<string[]>(text.replace(/^\uFEFF/, ''), { skipEmptyLines: 'greedy' });
  const head = (data[0] ?? []).map((c) => c.trim());
  const at = Object.fromEntries(Object.entries(columns).map(([k, pattern]) => [k, head.findIndex((h) => pattern.test(h))])) as Record<keyof PartsRow, number>;
  if (at.number < 0 && at.name < 0)
    throw new Unusable(
      'bad-parts-list',
      'The parts list has no column for part number or name.',
      'Begin it with a line like: part number,name,quantity,material,thickness',
    );
  const rows: PartsRow[] = [];
  const bad: PartsList['bad'] = [];
  data.slice(1).forEach((cells, i) => {
    const cell = (k: keyof PartsRow) => (at[k] < 0 ? '' : (cells[at[k]] ?? '').trim());
    const number = (k: 'quantity' | 'thickness') => (cell(k) === '' ? null : figure(cell(k)));
    const row = { number: cell('number'), name: cell('name'), quantity: number('quantity'), material: cell('material'), thickness: number('thickness') };
    const { value, error } = schema.validate(row);
    if (error) bad.push({ line: i + 2, why: error.message });
    else if (value.number === '' && value.name === '') bad.push({ line: i + 2, why: 'it names neither a part number nor a name' });
    else rows.push(value);
  });
  return { rows, bad };
}

/** A parts list as CSV, as it is read again. Cells that begin like a formula are kept as text by spreadsheet programs. */
export function partsListCsv(rows: readonly PartsRow[]): string {
  return `${Papa.unparse(
    {
      fields: ['part number', 'name', 'quantity', 'material', 'thickness'],
      data: rows.map((r) => [r.number, r.name, r.quantity ?? '', r.material, r.thickness ?? '']),
    },
    { newline: '\r\n', escapeFormulae: true },
  )}\r\n`;
}

/** The row that speaks of a part: by number first, else by name. */
export function rowFor(list: readonly PartsRow[], part: { name: string; partNumber?: string | null }): PartsRow | null {
  const same = (a: string, b: string) => a.trim().toLowerCase() === b.trim().toLowerCase();
  return (
    (part.partNumber ? list.find((r) => r.number !== '' && same(r.number, part.partNumber!)) : undefined) ??
    list.find((r) => r.name !== '' && same(r.name, part.name)) ??
    list.find((r) => r.number !== '' && same(r.number, part.name)) ??
    null
  );
}
