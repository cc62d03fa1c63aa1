import { lengthText } from './figures.ts';
import { mmPer } from './units.ts';

/** Units that a person types and reads lengths in. */
export const personUnits = ['mm', 'cm', 'm', 'in', 'ft'] as const;
export type PersonUnit = (typeof personUnits)[number];

/** How people write each unit. */
const words: Record<string, PersonUnit> = {
  mm: 'mm',
  millimetre: 'mm',
  millimetres: 'mm',
  cm: 'cm',
  centimetre: 'cm',
  centimetres: 'cm',
  m: 'm',
  metre: 'm',
  metres: 'm',
  in: 'in',
  inch: 'in',
  inches: 'in',
  '"': 'in',
  '″': 'in',
  '”': 'in',
  "''": 'in',
  ft: 'ft',
  foot: 'ft',
  feet: 'ft',
  "'": 'ft',
  '′': 'ft',
  '’': 'ft',
};

/** Longest text that is looked at. */
const longest = 40;
/** A number ("12", "12.5", "12,5", ".5"), a fraction ("3/4"), or both ("1 3/4", "1-3/4"). */
const number = String.raw`(?:\d+(?:[ -]\d+\/\d+|\/\d+|[.,]\d*)?|[.,]\d+)`;
const one = new RegExp(String.raw`^(${number}) ?([a-z"″”'′’]*)$`);
const two = new RegExp(String.raw`^(${number}) ?(ft|foot|feet|'|′|’)[ -]?(${number}) ?(in|inch|inches|"|″|”|'')?$`);

/** The value of a number or fraction; null when it can be read in two ways ("1,234") or divides by nothing. */
function valueOf(text: string): number | null {
  // A comma with three digits behind it is a decimal to some and thousands to others.
  if (/^\d+,\d{3}$/.test(text)) return null;
  const mixed = /^(?:(\d+)[ -])?(\d+)\/(\d+)$/.exec(text);
  if (!mixed) return Number(text.replace(',', '.').replace(/\.$/, ''));
  const [whole, over, under] = [Number(mixed[1] ?? 0), Number(mixed[2]), Number(mixed[3])];
  return under === 0 ? null : whole + over / under;
}

/**
 * A length as people type it, in mm; null when it is none or can be read in two ways. Decimals with a point or a comma, fractions and mixed numbers,
 * each with or without a unit; feet and inches together.
 * @param unit what a bare number is
 * @example typedLength('5 ft') // 1524
 * @example typedLength('1 1/2"') // 38.1
 * @example typedLength("5' 3 1/2\"") // 1612.9
 */
export function typedLength(text: string, unit: PersonUnit = 'mm'): number | null {
  const plain = text.trim().toLowerCase().replace(/\s+/g, ' ').replace('−', '-');
  if (plain === '' || plain.length > longest) return null;
  const sign = plain.startsWith('-') ? -1 : 1;
  const bare = plain.replace(/^[+-] ?/, '');
  const both = two.exec(bare);
  if (both) {
    const [feet, inches] = [valueOf(both[1]), valueOf(both[3])];
    return feet === null || inches === null ? null : sign * (feet * mmPer('ft') + inches * mmPer('in'));
  }
  const found = one.exec(bare);
  if (!found) return null;
  const said = found[2] === '' ? unit : words[found[2]];
  const value = valueOf(found[1]);
  return said === undefined || value === null || !Number.isFinite(value) ? null : sign * value * mmPer(said);
}

/** Decimals that a typed field shows, by unit: a hundredth of a mm or finer. */
const decimals: Record<PersonUnit, number> = { mm: 4, cm: 5, m: 7, in: 5, ft: 6 };

/** A length in mm as a field shows it in a unit, without the unit: short, and within 0.0001 mm of the value. @example fieldLength(12.7, 'in') // '0.5' */
export const fieldLength = (mm: number, unit: PersonUnit): string => String(Number((mm / mmPer(unit)).toFixed(decimals[unit])));

/** A length that was measured, as people read it in a unit, with one digit less than is kept: thousandths of a millimetre. @example measuredLength(6.6, 'mm') // '6.600 mm' */
export const measuredLength = (mm: number, unit: PersonUnit): string => `${(mm / mmPer(unit)).toFixed(decimals[unit] - 1)} ${unit}`;

/** A length in mm as people read it in a unit, without the unit: as many digits as matter. @example shownLength(12.7, 'in') // '0.500' */
export function shownLength(mm: number, unit: PersonUnit): string {
  if (unit === 'mm') return lengthText(mm);
  const value = mm / mmPer(unit);
  const a = Math.abs(value);
  const digits = { cm: [2, 3], m: [3, 4], in: [2, 3], ft: [3, 4] }[unit];
  if (a !== 0 && a < 10 ** -digits[1]) return value.toPrecision(2);
  return value.toFixed(a >= 10 ? digits[0] : digits[1]);
}
