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
  /** The variant that the row speaks of, empty for the part itself; null in a list without such a column: then it speaks of all. */
  variant: string | null;
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
  variant: /^variant$/i,
};

/** A number as it is typed, perhaps with a decimal comma; text that is none stays text, which the schema refuses. */
const figure = (text: string, comma: boolean): number | string => {
  const value = Number(comma ? text.replace(',', '.') : text);
  return Number.isFinite(value) ? value : text;
};

/** Cells that begin like a formula are kept as text by spreadsheet programs: a stroke stands before them. */
const unescaped = (cell: string): string => (/^'[=+\-@]/.test(cell) ? cell.slice(1) : cell);

const schema = Joi.object<PartsRow>({
  number: Joi.string().trim().max(60).allow('').required(),
  name: Joi.string().trim().max(120).allow('').required(),
  quantity: Joi.number().integer().min(1).max(100_000).allow(null).required().messages({ '*': 'the quantity must be a whole number from 1 to 100,000' }),
  material: Joi.string().trim().max(60).allow('').required(),
  thickness: Joi.number().greater(0).max(1000).allow(null).required().messages({ '*': 'the thickness must be a number of mm above 0' }),
  variant: Joi.string().trim().max(60).allow('', null).required(),
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
    const cell = (k: keyof PartsRow) => (at[k] < 0 ? '' : unescaped((cells[at[k]] ?? '').trim()));
    const row = {
      number: cell('number'),
      name: cell('name'),
      // A comma in a whole number parts thousands for some and is no decimal: it is refused, not guessed at.
      quantity: cell('quantity') === '' ? null : figure(cell('quantity'), false),
      material: cell('material'),
      thickness: cell('thickness') === '' ? null : figure(cell('thickness'), true),
      variant: at.variant < 0 ? null : cell('variant'),
    };
    const { value, error } = schema.validate(row);
    if (error) bad.push({ line: i + 2, why: error.message });
    else if (value.number === '' && value.name === '') bad.push({ line: i + 2, why: 'it names neither a part number nor a name' });
    else rows.push(value);
  });
  return { rows, bad };
}

/** A parts list as CSV, as it is read again. */
export function partsListCsv(rows: readonly PartsRow[]): string {
  return `${Papa.unparse(
    {
      fields: ['part number', 'name', 'quantity', 'material', 'thickness', 'variant'],
      data: rows.map((r) => [r.number, r.name, r.quantity ?? '', r.material, r.thickness ?? '', r.variant ?? '']),
    },
    { newline: '\r\n', escapeFormulae: true },
  )}\r\n`;
}

/** A part as a parts list may speak of it. */
export interface ListedPart {
  name: string;
  partNumber?: string | null;
  variant?: string;
}

/**
 * Finds the row that speaks of a part: by number first, else by name, else a row whose number is the part's name; of several the first that speaks of its variant.
 * The list is gone through once. @example rowFinder(rows)({ name: 'Lid', partNumber: 'A-1' })
 */
export function rowFinder(list: readonly PartsRow[]): (part: ListedPart) => PartsRow | null {
  const plain = (text: string) => text.trim().toLowerCase();
  const [byNumber, byName] = (['number', 'name'] as const).map((field) => {
    const rows = new Map<string, PartsRow[]>();
    for (const row of list)
      if (row[field] !== '') {
        const known = rows.get(plain(row[field]));
        if (known) known.push(row);
        else rows.set(plain(row[field]), [row]);
      }
    return rows;
  });
  return ({ name, partNumber, variant = '' }) => {
    const of = (rows: PartsRow[] | undefined) => rows?.find((r) => r.variant === null || plain(r.variant) === plain(variant));
    return (partNumber ? of(byNumber.get(plain(partNumber))) : undefined) ?? of(byName.get(plain(name))) ?? of(byNumber.get(plain(name))) ?? null;
  };
}
