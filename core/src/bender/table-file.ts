import Papa from 'papaparse';
import { Unusable } from '../base/finding.ts';
import { cross, dot } from '../geometry/vector.ts';
import { cornersOf, startOf, tableOf, type BendRow, type BendTable, type Run, type Section } from '../tubes/run.ts';
import { sectionBy } from '../tubes/sections.ts';
import type { MachineTable } from './rules.ts';

const shapes: readonly Section['shape'][] = ['round', 'square', 'rectangular', 'oval'];
const geometry = ['bend', 'length_mm', 'rotation_deg', 'angle_deg', 'radius_mm'] as const;
const tube = ['shape', 'width_mm', 'height_mm', 'wall_mm', 'corner_mm', 'width_turn_deg'] as const;
const machine = ['machine_angle_deg', 'stock_at_bend_mm', 'cut_length_mm', 'material'] as const;

/** Figures with nine places: a part in a million of a millimetre over the longest tube. */
const round = (v: number): number => Number(v.toFixed(9));

/**
 * A bend table as CSV (RFC 4180): a row a bend with the straight before it, the turn of the bend's plane about that straight (right-handed, looking along
 * the feed), the bend inside its plane and its centre-line radius; the last row, "end", has the straight after the last bend. The section stands in every
 * row, with the turn from the first bend's axis to its width. What the machine is set to stands in columns of its own; they are empty where no rule says it.
 */
export function bendTableText(run: Run, set: MachineTable): string {
  const { rows, lastLength } = tableOf(run);
  const { shape, width, height, wall, corner } = run.section;
  const section = [shape, round(width), round(height), wall === null ? '' : round(wall), round(corner), round(widthTurn(run))];
  const data = [
    ...rows.map((r, i) => [
      r.order,
      round(r.length),
      round(r.rotation),
      round(r.angle),
      round(r.radius),
      ...section,
      set.bends[i].angle === null ? '' : round(set.bends[i].angle),
      round(set.bends[i].stock),
      '',
      set.material,
    ]),
    ['end', round(lastLength), '', '', '', ...section, '', '', round(set.cut), set.material],
  ];
  return `${Papa.unparse({ fields: [...geometry, ...tube, ...machine], data }, { newline: '\r\n', escapeFormulae: true })}\r\n`;
}

/** The turn from the first bend's axis to the width of the section, about the feed, degrees; 0 where it says nothing: round tube, or no bend. */
export function widthTurn(run: Run): number {
  const bend = run.pieces.find((p) => p.kind === 'bend');
  if (run.section.shape === 'round' || bend?.kind !== 'bend') return 0;
  const along = startOf(run.pieces[0]);
  return (Math.atan2(dot(cross(bend.axis, run.across), along), dot(bend.axis, run.across)) * 180) / Math.PI;
}

/** Corner points of a run as CSV: ends and corners in mm, the radius at each. */
export function pointsText(run: Run): string {
  const { points, radii } = cornersOf(run);
  const data = points.map((p, i) => [
    i === 0 || i === points.length - 1 ? 'end' : i,
    ...p.map(round),
    i === 0 || i === points.length - 1 ? '' : round(radii[i]),
  ]);
  return `${Papa.unparse({ fields: ['point', 'x_mm', 'y_mm', 'z_mm', 'radius_mm'], data }, { newline: '\r\n' })}\r\n`;
}

/** What a bender takes from a table's bytes. */
export interface ReadTable {
  table: BendTable;
  section: Section;
  /** Turn from the first bend's axis to the section's width about the feed, degrees. */
  turn: number;
  /** What the machine is set to for each bend, degrees, and the length to cut, mm; null where the table leaves it open. */
  set: (number | null)[];
  cut: number | null;
  material: string;
}

/**
 * Reads a bend table from its bytes alone, as the stand-in for a tube bender does.
 * @throws Unusable when a column or a figure is missing: nothing is guessed
 */
export function readTable(bytes: Uint8Array): ReadTable {
  const { data } = Papa.parse<string[]>(new TextDecoder().decode(bytes).replace(/^\uFEFF/, ''), { skipEmptyLines: 'greedy', delimiter: ',' });
  const head = (data[0] ?? []).map((c) => c.trim());
  const missing = [...geometry, ...tube].filter((c) => !head.includes(c));
  if (missing.length > 0)
    throw new Unusable('bad-table', `The bend table lacks ${missing.join(', ')}.`, `Its first line must name: ${[...geometry, ...tube].join(',')}`);
  const cell = (row: string[], name: string) => (row[head.indexOf(name)] ?? '').trim();
  const num = (row: string[], name: string, line: number) => {
    const text = cell(row, name);
    const v = Number(text);
    if (text === '' || !Number.isFinite(v))
      throw new Unusable(
        'bad-table',
        `Line ${line} of the bend table: ${name} is ${text === '' ? 'missing' : `"${text.slice(0, 20)}"`}.`,
        'Give a number there.',
      );
    return v;
  };
  const open = (row: string[], name: string, line: number) => (cell(row, name) === '' ? null : num(row, name, line));
  const rows: BendRow[] = [];
  const set: ReadTable['set'] = [];
  let [last, cut]: (number | null)[] = [null, null];
  data.slice(1).forEach((row, i) => {
    const line = i + 2;
    if (last !== null) throw new Unusable('bad-table', `Line ${line} of the bend table stands after its end.`, 'Put the row "end" last.');
    const length = num(row, 'length_mm', line);
    if (cell(row, 'bend') === 'end') {
      last = length;
      cut = open(row, 'cut_length_mm', line);
      return;
    }
    rows.push({
      order: rows.length + 1,
      length,
      rotation: num(row, 'rotation_deg', line),
      angle: num(row, 'angle_deg', line),
      radius: num(row, 'radius_mm', line),
    });
    set.push(open(row, 'machine_angle_deg', line));
  });
  if (last === null)
    throw new Unusable(
      'bad-table',
      'The bend table has no row "end" with the straight after the last bend.',
      'Add it: without it nobody knows where the tube ends.',
    );
  const first = data[1];
  const shape = cell(first, 'shape') as Section['shape'];
  if (!shapes.includes(shape)) throw new Unusable('bad-table', `The bend table's shape is "${shape}".`, `It must be one of ${shapes.join(', ')}.`);
  const wall = cell(first, 'wall_mm') === '' ? null : num(first, 'wall_mm', 2);
  const [width, height, corner] = ['width_mm', 'height_mm', 'corner_mm'].map((c) => num(first, c, 2));
  const section = sectionBy(shape, [width, height], wall, corner);
  return { table: { rows, lastLength: last }, section, turn: num(first, 'width_turn_deg', 2), set, cut, material: cell(first, 'material') };
}
