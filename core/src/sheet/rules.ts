import Papa from 'papaparse';
import { Unusable } from '../base/finding.ts';

/** How bends are counted for one material and thickness, as a shop has measured it. Lengths in mm, angles bent through in degrees. */
export interface BendTable {
  name: string;
  material: string;
  /** Thickness that it was made for; null when it suits several. */
  thickness: number | null;
  gives: 'k' | 'allowance' | 'deduction';
  rows: { radius: number; angle: number; value: number }[];
}

export type BendRule = { kind: 'k'; k: number } | { kind: 'din6935' } | { kind: 'handbook'; stock: HandbookStock } | { kind: 'table'; table: BendTable };

export type HandbookStock = 'soft' | 'half-hard' | 'hard';

/** Share of T in the length of a 90 degree bend. Source: Machinery's Handbook, lengths of straight stock for bending (values from memory). */
export const handbookShares: Record<HandbookStock, { share: number; words: string }> = {
  soft: { share: 0.55, words: 'soft brass and copper' },
  'half-hard': { share: 0.64, words: 'half-hard copper and brass, soft steel, aluminium' },
  hard: { share: 0.71, words: 'bronze, hard copper, spring steel' },
};

export interface Allowance {
  /** Length of the bend in the flat, between its tangent lines, mm. */
  length: number;
  /** The rule in words, with its figure. */
  words: string;
  /** Said when the rule was stretched: the table had no such radius, or was made for another thickness. */
  doubt: string | null;
}

/** Outside setback, mm: tan(A / 2) (R + T); past 90 degrees R + T, the outermost point. Source: Machinery's Handbook; DIN 6935. */
export function setbackOf(angle: number, radius: number, thickness: number): number {
  return (angle > 90 ? 1 : Math.tan((angle * Math.PI) / 360)) * (radius + thickness);
}

/** Bend deduction for an allowance, mm: 2 setbacks less the allowance. Source: Machinery's Handbook. */
export const deductionOf = (angle: number, radius: number, thickness: number, allowance: number): number => 2 * setbackOf(angle, radius, thickness) - allowance;

/** DIN 6935 correction k: 0.65 + 0.5 log10(R / T) up to R / T = 5, then 1, never below 0; the neutral fibre lies at k T / 2. (From memory.) */
export function dinCorrection(radius: number, thickness: number): number {
  if (radius / thickness > 5) return 1;
  return radius <= 0 ? 0 : Math.max(0, 0.65 + 0.5 * Math.log10(radius / thickness));
}

/**
 * Flat length of a bend.
 * @param angle bent through, degrees. @param radius inside, mm. @param thickness mm.
 * @throws Unusable when a table is empty or gives no length above 0.
 */
export function allowanceFor(rule: BendRule, angle: number, radius: number, thickness: number): Allowance {
  const arc = (angle * Math.PI) / 180;
  switch (rule.kind) {
    case 'k':
      return { length: arc * (radius + rule.k * thickness), words: `K ${short(rule.k)}`, doubt: null };
    case 'din6935': {
      const k = dinCorrection(radius, thickness);
      return { length: arc * (radius + (k * thickness) / 2), words: `DIN 6935, k ${short(k)}`, doubt: null };
    }
    case 'handbook': {
      const { share } = handbookShares[rule.stock];
      return { length: ((share * thickness + 1.57 * radius) * angle) / 90, words: `handbook ${share.toFixed(2)} T + 1.57 R`, doubt: null };
    }
    case 'table':
      return fromTable(rule.table, angle, radius, thickness);
  }
}

const short = (v: number): string => String(Number(v.toFixed(4)));

function fromTable(table: BendTable, angle: number, radius: number, thickness: number): Allowance {
  const doubts: string[] = [];
  if (table.thickness !== null && Math.abs(table.thickness - thickness) > 0.03 * thickness) doubts.push(`was made for ${table.thickness} mm`);
  const radii = [...new Set(table.rows.map((r) => r.radius))].sort((a, b) => a - b);
  if (radii.length === 0) throw new Unusable('empty-table', `The bend table "${table.name}" has no rows.`, 'Fill it in the stores, or take a K-factor.');
  const [low, high, share] = around(radii, radius);
  if (radius < radii[0] - 1e-6 || radius > radii[radii.length - 1] + 1e-6) doubts.push(`has no inside radius ${short(radius)} mm; the nearest was taken`);
  const at = (r: number) => {
    const rows = table.rows.filter((row) => row.radius === r).sort((a, b) => a.angle - b.angle);
    const angles = rows.map((row) => row.angle);
    const [i, j, k] = around(angles, angle);
    const value = (a: number) => rows.find((row) => row.angle === a)!.value;
    if (angle < angles[0] - 1e-6 || angle > angles[angles.length - 1] + 1e-6) {
      // Neither a deduction nor an allowance is the same at another angle; the K that it comes to is.
      const k = kOf(table.gives, value(i), { angle: i, radius: r, thickness });
      doubts.push(`has no angle ${short(angle)}° at R ${short(r)} mm; its row for ${short(i)}° comes to K ${short(k)}, which was carried on`);
      return fromK(table.gives, k, { angle, radius: r, thickness });
    }
    return value(i) + (value(j) - value(i)) * k;
  };
  const value = low === high ? at(low) : at(low) + (at(high) - at(low)) * share;
  const arc = (angle * Math.PI) / 180;
  const length =
    table.gives === 'k' ? arc * (radius + value * thickness) : table.gives === 'allowance' ? value : 2 * setbackOf(angle, radius, thickness) - value;
  if (!(length > 0))
    throw new Unusable('bad-table', `The bend table "${table.name}" leaves no length for ${short(angle)}° at R ${short(radius)} mm.`, 'Correct that row.');
  const what = table.gives === 'k' ? 'K' : table.gives;
  return {
    length,
    words: `${table.name}, ${what} ${short(value)}${table.gives === 'k' ? '' : ' mm'}`,
    doubt: doubts.length > 0 ? `The bend table "${table.name}" ${[...new Set(doubts)].join(', and ')}.` : null,
  };
}

/** A bend: degrees and mm. */
interface BendShape {
  angle: number;
  radius: number;
  thickness: number;
}

/** The K-factor that a row of a table comes to at its own angle and radius. */
function kOf(gives: BendTable['gives'], value: number, { angle, radius, thickness }: BendShape): number {
  if (gives === 'k') return value;
  const length = gives === 'allowance' ? value : 2 * setbackOf(angle, radius, thickness) - value;
  return (length / ((angle * Math.PI) / 180) - radius) / thickness;
}

/** A K-factor as what a table gives, at an angle and radius. */
function fromK(gives: BendTable['gives'], k: number, { angle, radius, thickness }: BendShape): number {
  if (gives === 'k') return k;
  const length = ((angle * Math.PI) / 180) * (radius + k * thickness);
  return gives === 'allowance' ? length : deductionOf(angle, radius, thickness, length);
}

/** Neighbours of a value in a sorted list, and the share of the way between them. */
function around(list: number[], v: number): [number, number, number] {
  const near = list.find((x) => Math.abs(x - v) < 1e-6);
  if (near !== undefined) return [near, near, 0];
  const at = list.findIndex((x) => x > v);
  if (at <= 0) {
    const end = at === 0 ? list[0] : list[list.length - 1];
    return [end, end, 0];
  }
  return [list[at - 1], list[at], (v - list[at - 1]) / (list[at] - list[at - 1])];
}

/**
 * A bend table from CSV: a head line "radius,angle,k" (or allowance, or deduction), one row a line; comma or semicolon, decimal point or
 * (with semicolons) comma. Bad rows are listed, good ones kept.
 * @throws Unusable when no row is good.
 */
export function readBendTable(text: string, name: string): { table: BendTable; bad: string[] } {
  const { data, meta } = Papa.parse<string[]>(text.replace(/^\uFEFF/, ''), { skipEmptyLines: 'greedy' });
  const comma = meta.delimiter !== ',';
  const head = (data[0] ?? []).map((c) => c.trim().toLowerCase());
  const radius = head.findIndex((h) => h.startsWith('radius'));
  const angle = head.findIndex((h) => h.startsWith('angle'));
  const kind = (['deduction', 'allowance', 'k'] as const).find((k) => head.some((h) => h === k || h.startsWith(`${k} `) || h.startsWith(`${k}-`)));
  if (radius < 0 || angle < 0 || !kind)
    throw new Unusable('bad-table', 'The first line of a bend table names its columns.', 'Begin with "radius,angle,k", or with allowance or deduction.');
  const value = head.findIndex((h) => h.startsWith(kind));
  const bad: string[] = [];
  const rows: BendTable['rows'] = [];
  data.slice(1).forEach((cells, i) => {
    const line = cells.join(meta.delimiter);
    const num = (at: number) => {
      const t = (cells[at] ?? '').trim();
      return t === '' ? NaN : Number(comma ? t.replace(',', '.') : t);
    };
    const row = { radius: num(radius), angle: num(angle), value: num(value) };
    if (!(row.radius >= 0) || !(row.angle > 0 && row.angle <= 300) || !Number.isFinite(row.value))
      bad.push(`Line ${i + 2}: "${line.slice(0, 60)}" is no row of numbers.`);
    else if (rows.some((r) => r.radius === row.radius && r.angle === row.angle))
      bad.push(`Line ${i + 2}: radius ${row.radius} and angle ${row.angle} came before.`);
    else rows.push(row);
  });
  if (rows.length === 0) throw new Unusable('bad-table', `No line of the bend table could be read. ${bad[0] ?? ''}`.trim(), 'Give one row a line.');
  return { table: { name, material: '', thickness: null, gives: kind, rows }, bad };
}

/** A bend table as CSV, as it is read again. */
export function bendTableCsv(table: BendTable): string {
  return `radius,angle,${table.gives}\r\n${table.rows.map((r) => `${r.radius},${r.angle},${r.value}\r\n`).join('')}`;
}
