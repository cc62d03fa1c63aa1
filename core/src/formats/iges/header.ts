import { latin } from '../../base/latin.ts';
import { Unusable } from '../../base/finding.ts';

/** Whether bytes are an IGES file: fixed lines of 80 columns, the first one of the start section. */
export function looksLikeIges(bytes: Uint8Array): boolean {
  const head = latin(bytes.subarray(0, 90));
  return /^.{72}S {0,6}0*1[^\S\n]*(\n|$)/.test(head);
}

/** Unit flags. Source: IGES 5.3, 2.2.4.3.14. */
const unitOf: Record<string, string> = { 1: 'in', 2: 'mm', 4: 'ft', 5: 'mile', 6: 'm', 7: 'km', 8: 'mil', 9: 'micron', 10: 'cm', 11: 'microinch' };

/** Names of units, for a flag of 3. Source: the same. */
const unitNamed: Record<string, string> = { in: 'in', inch: 'in', mm: 'mm', ft: 'ft', mi: 'mile', m: 'm', km: 'km', mil: 'mil', um: 'micron', cm: 'cm', uin: 'microinch' }; // prettier-ignore

export interface IgesHeader {
  unit: string;
  system: string;
  /** Between parameters, and at the end of a record. */
  delimiters: [string, string];
  /** The finest length that the sender means, in the file's unit; 0 where it does not say. */
  resolution: number;
  /** Lengths in the file to real ones, 1 where it does not say. */
  modelScale: number;
}

/**
 * The global section: unit and the program that made the file. Source: IGES 5.3, 2.2.4.3.
 * @throws Unusable when the file has no terminate section (it is cut off) or no global one, or names a unit that is not known.
 */
export function readIgesHeader(bytes: Uint8Array): IgesHeader {
  const lines = latin(bytes).split(/\r?\n/);
  if (!lines.some((line) => line[72] === 'T')) {
    throw new Unusable(
      'cut-off',
      'The IGES file has no end (no terminate section): it is cut off.',
      'Copy or export it again; a half of a part is never used.',
    );
  }
  const text = lines
    .filter((line) => line[72] === 'G')
    .map((line) => line.slice(0, 72).padEnd(72))
    .join('');
  if (text === '') throw new Unusable('iges-broken', 'The IGES file has no global section.', 'Export it again.');
  const fields = fieldsOf(text);
  const said = (k: number, other = '') => fields[k]?.trim() || other;
  const flag = said(13, '1');
  const unit = flag === '3' ? unitNamed[said(14, 'in').toLowerCase()] : (unitOf[flag] ?? 'mm');
  if (unit === undefined) {
    const named = said(14).slice(0, 20);
    throw new Unusable('iges-unit', `The IGES file names its unit "${named}", which is none that is known.`, 'Export it again in millimetres or inches.');
  }
  return {
    unit,
    system: said(4, said(2)),
    delimiters: [said(0, ','), said(1, ';')],
    resolution: numberOr(fields[18], 0),
    modelScale: numberOr(fields[12], 1),
  };
}

/** A positive number as Fortran writes it; another value for all else. */
function numberOr(text: string | undefined, other: number): number {
  const value = Number((text ?? '').trim().replace(/[Dd]/, 'E'));
  return value > 0 && Number.isFinite(value) ? value : other;
}

/** Fields of the global section, Hollerith strings (nH...) taken as written; delimiters as its first two fields say. */
function fieldsOf(text: string): string[] {
  let delimiter = ',';
  let end = ';';
  const first = /^\s*1H(.)(.)1H(.)/.exec(text);
  const fields: string[] = [];
  if (first) {
    delimiter = first[1];
    end = first[3];
  } else {
    const other = /^\s*1H(.)/.exec(text);
    if (other) delimiter = other[1];
  }
  let at = 0;
  let field = '';
  for (let guard = 0; at < text.length && guard < 100_000; guard++) {
    const hollerith = /^\s*(\d{1,5})H/.exec(text.slice(at, at + 8));
    if (hollerith && field.trim() === '') {
      const from = at + hollerith[0].length;
      field = text.slice(from, from + Number(hollerith[1]));
      at = from + Number(hollerith[1]);
      continue;
    }
    const c = text[at++];
    if (c === delimiter || c === end) {
      fields.push(field);
      field = '';
      if (c === end) return fields;
    } else field += c;
  }
  fields.push(field);
  return fields;
}
