import { mmPer, unitTable, type Unit } from './units.ts';

export { mmPer };

/** A length unit that numbers in a file may be read as. */
export type LengthUnit = Pick<Unit, 'id' | 'name' | 'mm'>;

const chosen = (ids: string[]): LengthUnit[] => ids.map((id) => unitTable.find((u) => u.id === id)!);

/** Units that files are written in and their numbers read as. */
export const lengthUnits: LengthUnit[] = chosen(['mm', 'cm', 'm', 'in', 'ft']);

/** Further readings of the numbers of a drawing. */
export const drawingUnits: LengthUnit[] = chosen(['96dpi', '90dpi', '72dpi', 'ptcm']);

/** The bed of a middling printer, mm, by which bare numbers are judged while nobody has chosen a receiver. Common practice, no source. */
export const commonBed = [250, 210, 210] as const;

export interface Reading {
  unit: string;
  name: string;
  /** Size in mm along x, y, z when the numbers are read so. */
  size: [number, number, number];
  fitsBed: boolean;
  /** How believable: 2 likely, 1 possible, 0 unlikely for this bed. */
  likely: 0 | 1 | 2;
}

/**
 * What the numbers of a file without a unit would be under each unit.
 * @param flat a drawing: readings per inch too.
 * Likely: fits the bed and is larger than 5 mm; unlikely: larger than the bed or under 1 mm. Common practice, no source.
 */
export function readings(numbers: readonly [number, number, number], bed: readonly [number, number, number], flat = false): Reading[] {
  const sortedBed = [...bed].sort((a, b) => a - b);
  return (flat ? [...lengthUnits, ...drawingUnits] : lengthUnits).map((unit) => {
    const size = numbers.map((n) => n * unit.mm) as [number, number, number];
    const sorted = [...size].sort((a, b) => a - b);
    const fitsBed = sorted.every((s, i) => s <= sortedBed[i]);
    const longest = sorted[2];
    const likely = !fitsBed || longest < 1 ? 0 : longest < 5 ? 1 : 2;
    return { unit: unit.id, name: unit.name, size, fitsBed, likely };
  });
}

/** Factors that turn up when a unit was mistaken, with what happened. */
const knownFactors: { factor: number; name: string }[] = [
  { factor: 1, name: 'the numbers are millimetres' },
  { factor: 10, name: 'the numbers are centimetres' },
  { factor: 1000, name: 'the numbers are metres' },
  { factor: 25.4, name: 'the numbers are inches' },
  { factor: 304.8, name: 'the numbers are feet' },
  { factor: 0.1, name: 'millimetres were read as centimetres' },
  { factor: 1 / 25.4, name: 'millimetres were read as inches' },
  { factor: 2.54, name: 'the numbers are inches, read as centimetres' },
  { factor: 0.001, name: 'the numbers are micrometres' },
  { factor: 0.0254, name: 'the numbers are thousandths of an inch' },
  { factor: 25.4 / 72, name: 'the numbers are points (72 an inch)' },
  { factor: 25.4 / 96, name: 'the numbers are CSS pixels (96 an inch)' },
  { factor: 72 / 2.54, name: 'points read as centimetres' },
  { factor: 72 / 25.4, name: 'points read as millimetres' },
  { factor: 2.54 / 72, name: 'points were read as centimetres: 28.346 times too large' },
  { factor: 96 / 72, name: '96 per inch was read as 72 per inch' },
  { factor: 72 / 96, name: '72 per inch was read as 96 per inch' },
  { factor: 96 / 90, name: '96 per inch was read as 90 per inch' },
  { factor: 90 / 96, name: '90 per inch was read as 96 per inch' },
];

/** The factor that makes a measured number a known length (both positive), and its name when it has one within 0.2 %. */
export function factorFor(measured: number, known: number): { factor: number; name: string | null } {
  if (!(measured > 0) || !(known > 0)) throw new RangeError('both lengths must be above 0');
  const factor = known / measured;
  let best: { factor: number; name: string } | null = null;
  for (const candidate of knownFactors) {
    const off = Math.abs(Math.log(factor / candidate.factor));
    if (off < 0.002 && (!best || off < Math.abs(Math.log(factor / best.factor)))) best = candidate;
  }
  return best ? { factor: best.factor, name: best.name } : { factor, name: null };
}

/** A thing of known size to be drawn beside a part: a 1 euro coin, 23.25 mm across. Source: Council Regulation (EU) 729/2014. */
export const knownObject = { name: '1 euro coin', diameter: 23.25 };
