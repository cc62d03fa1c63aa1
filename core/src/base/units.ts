/** A length unit: how many mm one of it is, and its number in $INSUNITS when it has one. */
export interface Unit {
  id: string;
  name: string;
  mm: number;
  insUnits: number | null;
}

const foot = 304.8;
/** US survey foot: 1200 / 3937 m. Source: Mendenhall order, 1893; NIST Special Publication 811, appendix B.6. */
const surveyFoot = 1_200_000 / 3937;
/** Source: IAU 2012 resolution B2 (astronomical unit), IAU definition of the Julian light year; parsec = au * 648000 / pi. */
const au = 149_597_870_700_000;

/**
 * The one table of length units, for all formats, machines and pages. The first five are those that people choose from.
 * Sources: inch and foot by the international yard and pound agreement of 1959; numbers of $INSUNITS by the DXF Reference, HEADER; per inch
 * by CSS Values and Units Level 3 (96 px and 72 pt an inch); 90 an inch was the px of older drawing programs and points taken for centimetres
 * make things 28.346 times too large (common practice).
 */
export const unitTable: readonly Unit[] = [
  { id: 'mm', name: 'millimetres', mm: 1, insUnits: 4 },
  { id: 'cm', name: 'centimetres', mm: 10, insUnits: 5 },
  { id: 'm', name: 'metres', mm: 1000, insUnits: 6 },
  { id: 'in', name: 'inches', mm: 25.4, insUnits: 1 },
  { id: 'ft', name: 'feet', mm: foot, insUnits: 2 },
  { id: '96dpi', name: '96 per inch', mm: 25.4 / 96, insUnits: null },
  { id: '90dpi', name: '90 per inch', mm: 25.4 / 90, insUnits: null },
  { id: '72dpi', name: '72 per inch (points)', mm: 25.4 / 72, insUnits: null },
  { id: 'ptcm', name: 'points read as centimetres, undone', mm: 2.54 / 72, insUnits: null },
  { id: 'mile', name: 'miles', mm: 5280 * foot, insUnits: 3 },
  { id: 'km', name: 'kilometres', mm: 1e6, insUnits: 7 },
  { id: 'microinch', name: 'millionths of an inch', mm: 25.4e-6, insUnits: 8 },
  { id: 'mil', name: 'thousandths of an inch', mm: 0.0254, insUnits: 9 },
  { id: 'yd', name: 'yards', mm: 3 * foot, insUnits: 10 },
  { id: 'angstrom', name: 'ångströms', mm: 1e-7, insUnits: 11 },
  { id: 'nm', name: 'nanometres', mm: 1e-6, insUnits: 12 },
  { id: 'micron', name: 'micrometres', mm: 0.001, insUnits: 13 },
  { id: 'dm', name: 'decimetres', mm: 100, insUnits: 14 },
  { id: 'dam', name: 'decametres', mm: 1e4, insUnits: 15 },
  { id: 'hm', name: 'hectometres', mm: 1e5, insUnits: 16 },
  { id: 'gm', name: 'gigametres', mm: 1e12, insUnits: 17 },
  { id: 'au', name: 'astronomical units', mm: au, insUnits: 18 },
  { id: 'ly', name: 'light years', mm: 9_460_730_472_580_800_000, insUnits: 19 },
  { id: 'pc', name: 'parsecs', mm: (au * 648_000) / Math.PI, insUnits: 20 },
  { id: 'survey-ft', name: 'US survey feet', mm: surveyFoot, insUnits: 21 },
  { id: 'survey-in', name: 'US survey inches', mm: surveyFoot / 12, insUnits: 22 },
  { id: 'survey-yd', name: 'US survey yards', mm: surveyFoot * 3, insUnits: 23 },
  { id: 'survey-mile', name: 'US survey miles', mm: surveyFoot * 5280, insUnits: 24 },
];

const byId = new Map(unitTable.map((u) => [u.id, u]));
const byNumber = new Map(unitTable.filter((u) => u.insUnits !== null).map((u) => [u.insUnits!, u]));

/**
 * mm in one unit.
 * @throws RangeError for a unit that is not known.
 * @example mmPer('in') // 25.4
 */
export function mmPer(unit: string): number {
  const found = byId.get(unit);
  if (!found) throw new RangeError(`unknown length unit ${unit}`);
  return found.mm;
}

/** The unit of a number of $INSUNITS; null for 0 (none) and numbers that the reference does not know. */
export const unitOfInsUnits = (code: number): Unit | null => byNumber.get(code) ?? null;

/** The number of $INSUNITS of a unit; 0 for units that it has none for. */
export const insUnitsOf = (unit: string): number => byId.get(unit)?.insUnits ?? 0;
