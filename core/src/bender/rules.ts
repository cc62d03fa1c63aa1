import Papa from 'papaparse';
import { Unusable } from '../base/finding.ts';
import type { Finding } from '../base/finding.ts';
import { bendRuleFields } from '../receivers/fields.ts';
import type { Bender, BendRule } from '../receivers/receivers.ts';
import { developedOf, lengthOfPiece, tableOf, type BendTable, type Run } from '../tubes/run.ts';

/** What a tube is bent by: a machine, and what is particular to the work. Lengths in mm. */
export interface BenderRules extends Bender {
  material: string;
  /** g/cm3. */
  density: number;
  /** What is left on at the two ends to hold the tube by. */
  allowances: [number, number];
}

/** A bender that nothing is known of: any radius, any straight. */
export const usualBender: BenderRules = { dies: [], clamp: 0, leastRadius: 0, longest: 6000, rules: [], material: '', density: 7.85, allowances: [0, 0] };

/** What is particular to a piece of work, and how its files are made. Lengths in mm. */
export interface TubeWork extends Pick<BenderRules, 'material' | 'density' | 'allowances'> {
  /** Takes the nearest die for each bend. */
  toDie: boolean;
  /** Free curves are fitted within this, mm; null: they are told. */
  fit: number | null;
  /** Puts the quantity into the names of files. */
  quantity: boolean;
}

export const usualWork: TubeWork = {
  material: usualBender.material,
  density: usualBender.density,
  allowances: usualBender.allowances,
  toDie: false,
  fit: null,
  quantity: false,
};

const columns = ['material', 'radius', 'ratio', 'offset', 'elongation'] as const;

/**
 * Rules of a shop from CSV: a line that names the columns, then a row for each material and die. Numbers with a point, or (with semicolons) a comma.
 * @throws Unusable when the columns are not there or a row is no row of numbers: a rule that is left out would bend a tube wrongly
 * @example readBendRules('material,radius,ratio,offset,elongation\nsteel,60,1.01,1.2,0.8')
 */
export function readBendRules(text: string): BendRule[] {
  const { data, meta } = Papa.parse<string[]>(text.replace(/^\uFEFF/, ''), { skipEmptyLines: 'greedy' });
  const comma = meta.delimiter !== ',';
  const head = (data[0] ?? []).map((c) => c.trim().toLowerCase());
  const at = Object.fromEntries(columns.map((c) => [c, head.findIndex((h) => h === c || h.startsWith(`${c} `) || h.startsWith(`${c}_`))]));
  const missing = columns.filter((c) => at[c] < 0);
  if (missing.length > 0)
    throw new Unusable(
      'bad-rules',
      `The rules lack ${missing.length === 1 ? 'the column' : 'the columns'} ${missing.join(', ')}.`,
      `Begin with the line: ${columns.join(',')}`,
    );
  return data.slice(1).map((cells, i) => {
    const num = (c: (typeof columns)[number]) => {
      const t = (cells[at[c]] ?? '').trim();
      return t === '' ? NaN : Number(comma ? t.replace(',', '.') : t);
    };
    const rule: BendRule = {
      material: (cells[at.material] ?? '').trim(),
      radius: num('radius'),
      ratio: num('ratio'),
      offset: num('offset'),
      elongation: num('elongation'),
    };
    for (const { key, unit, least, most } of bendRuleFields) {
      const value = rule[key];
      if (!(value >= least && value <= most))
        throw new Unusable(
          'bad-rules',
          `Line ${i + 2} of the rules: the ${[key, unit].filter(Boolean).join(', ')}, must be a number from ${least} to ${most}${Number.isNaN(value) ? '; it is missing' : `, not ${value}`}.`,
          'Correct or delete this row.',
        );
    }
    return rule;
  });
}

/** Rules as CSV, as they are read again. */
export const bendRulesCsv = (rules: readonly BendRule[]): string =>
  `${Papa.unparse({ fields: [...columns], data: rules.map((r) => columns.map((c) => r[c])) }, { newline: '\r\n', escapeFormulae: true })}\r\n`;

/** What the machine is set to for one bend, beside what the tube becomes. */
export interface MachineBend {
  order: number;
  /** Degrees that the machine bends by; null without a rule for this material and radius. */
  angle: number | null;
  /** How much stock has gone past the die when the bend begins, mm: straights and bends before it, less what they were lengthened by. */
  stock: number;
}

export interface MachineTable {
  bends: MachineBend[];
  /** Length to cut, mm: developed length less what bending adds, and the allowances. */
  cut: number;
  developed: number;
  /** That the rules were looked up for. */
  material: string;
}

/** The rule for a material and radius: of that material, else one without a material. */
export function ruleFor(rules: readonly BendRule[], material: string, radius: number): BendRule | null {
  const fits = rules.filter((r) => Math.abs(r.radius - radius) <= 0.005 * radius);
  const named = (name: string) => fits.find((r) => r.material.toLowerCase() === name.toLowerCase());
  return named(material) ?? named('') ?? null;
}

/** What the machine is set to. Geometry and machine values stand beside each other, never mixed. */
export function machineTableOf(run: Run, bender: BenderRules): MachineTable {
  const bends: MachineBend[] = [];
  let stock = bender.allowances[0];
  let longer = 0;
  for (const p of run.pieces) {
    if (p.kind === 'bend') {
      const rule = p.radius > 0 ? ruleFor(bender.rules, bender.material, p.radius) : null;
      const degrees = (p.angle * 180) / Math.PI;
      bends.push({ order: bends.length + 1, angle: rule ? degrees * rule.ratio + rule.offset : null, stock: stock - longer });
      longer += rule?.elongation ?? 0;
    }
    stock += lengthOfPiece(p);
  }
  return { bends, cut: stock - longer + bender.allowances[1], developed: developedOf(run), material: bender.material };
}

/** The die nearest to a radius, null when there are none. */
export const nearestDie = (dies: readonly number[], radius: number): number | null =>
  dies.length === 0 ? null : dies.reduce((best, d) => (Math.abs(d - radius) < Math.abs(best - radius) ? d : best));

/**
 * What the machine can't do with a run, each with its place in the table.
 * @param name begins each sentence @param cut length to cut, mm; null: by the bender's own rules
 */
export function benderFindings(name: string, run: Run, bender: BenderRules, cut: number | null = null): Finding[] {
  const table = tableOf(run);
  const length = cut ?? machineTableOf(run, bender).cut;
  return [...radiusFindings(name, run, table, bender), ...straightFindings(name, table, bender), ...lengthFindings(name, run, bender, length)];
}

const f = (v: number) => Number(v.toFixed(3));

function radiusFindings(name: string, run: Run, { rows }: BendTable, { dies, leastRadius }: BenderRules): Finding[] {
  const out: Finding[] = [];
  const least = leastRadius * run.section.width;
  for (const { order, radius } of rows) {
    if (radius === 0) continue;
    if (radius < least - 1e-6)
      out.push({
        code: 'tight-bend',
        severity: 'look',
        count: 1,
        message: `${name}, bend ${order}: radius ${f(radius)} mm is less than ${f(leastRadius)} times the outside size (${f(least)} mm).`,
        remedy: 'Bend it on a mandrel, or choose a larger radius.',
      });
    const die = nearestDie(dies, radius);
    if (die !== null && Math.abs(die - radius) > 0.005 * radius)
      out.push({
        code: 'no-die',
        severity: 'stop',
        count: 1,
        message: `${name}, bend ${order}: no die has radius ${f(radius)} mm; the nearest has ${f(die)} mm.`,
        remedy: `Choose another die, or take radius ${f(die)} mm: straights and length change, the corners stay (--dies lists them, --to-die takes the nearest).`,
      });
  }
  return out;
}

function straightFindings(name: string, { rows, lastLength }: BendTable, { clamp }: BenderRules): Finding[] {
  if (!(clamp > 0)) return [];
  const out: Finding[] = [];
  const check = (length: number, where: string) => {
    if (length < clamp - 1e-6)
      out.push({
        code: 'short-straight',
        severity: 'stop',
        count: 1,
        message: `${name}, ${where}: the straight of ${f(length)} mm is shorter than the clamp needs (${f(clamp)} mm).`,
        remedy: 'Move the bends apart, or leave an allowance on and cut it off afterwards.',
      });
  };
  rows.forEach((r, i) => {
    if (i > 0 && r.radius > 0) check(r.length, `between bends ${i} and ${i + 1}`);
  });
  if (rows.length > 0 && rows[0].radius > 0) check(rows[0].length, 'before bend 1');
  if (rows.length > 0) check(lastLength, `after bend ${rows.length}`);
  return out;
}

function lengthFindings(name: string, run: Run, bender: BenderRules, cut: number): Finding[] {
  const out: Finding[] = [];
  if (cut > bender.longest)
    out.push({
      code: 'too-long',
      severity: 'stop',
      count: 1,
      message: `${name}: ${f(cut)} mm of tube is longer than the machine takes (${f(bender.longest)} mm).`,
      remedy: 'Divide it, or choose a longer machine.',
    });
  const without = run.pieces.filter((p) => p.kind === 'bend' && p.radius > 0 && !ruleFor(bender.rules, bender.material, p.radius)).length;
  if (bender.rules.length > 0 && without > 0)
    out.push({
      code: 'no-rule',
      severity: 'look',
      count: without,
      message: `${name}: no rule for ${bender.material || 'this material'} and the radius of ${without === 1 ? 'one bend' : `${without} bends`}; the machine's angle is left open there.`,
      remedy: 'Add a row to the rules.',
    });
  return out;
}
