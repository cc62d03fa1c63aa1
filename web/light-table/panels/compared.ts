import { countText, lengthText } from 'tall-kite/base/figures';
import type { OperationReport } from 'tall-kite/operations/report';

/** A figure's name, and what it was and is. */
export type Row = [name: string, before: string, after: string];

/** A distance so small that it is nothing but rounding, mm. */
const nothing = 1e-5;

/** A distance in mm. @example distanceText(0.05) // '0.050 mm' */
export const distanceText = (mm: number): string => (mm < nothing ? '0 mm' : `${lengthText(mm)} mm`);

/** Rows of figures that two states have, in order. */
const pairs = <T extends Record<string, unknown>>(before: T, after: T, names: [label: string, of: keyof T][]): Row[] =>
  names.map(([label, of]) => [label, figureText(before[of]), figureText(after[of])]);

const figureText = (v: unknown): string => (typeof v === 'boolean' ? (v ? 'yes' : 'no') : countText(v as number));

/** What an operation changed, as a table says it; empty where nothing is counted. */
export function comparedRows({ mend, clean, lighter, combine }: Pick<OperationReport, 'mend' | 'clean' | 'lighter' | 'combine'>): Row[] {
  const mm3 = (v: number) => v.toLocaleString('en', { maximumFractionDigits: 1 });
  return [
    ...(mend ? pairs({ ...mend.before }, { ...mend.after }, mendRows) : []),
    ...(clean ? pairs({ ...clean.before }, { ...clean.after }, cleanRows) : []),
    ...(lighter ? [['Triangles', countText(lighter.before), countText(lighter.after)] as Row] : []),
    ...(combine ? [['Volume (mm³)', mm3(combine.volumeBefore), mm3(combine.volumeAfter)] as Row, ['Pieces', '', countText(combine.pieces)] as Row] : []),
  ];
}

const mendRows: [string, keyof NonNullable<OperationReport['mend']>['before']][] = [
  ['Open edges', 'openEdges'],
  ['Edges of more than two', 'nonManifoldEdges'],
  ['Flipped edges', 'flippedEdges'],
  ['Without area', 'degenerateTriangles'],
  ['Crossing pairs', 'selfIntersections'],
  ['Shells', 'shells'],
  ['Triangles', 'triangles'],
  ['Closed', 'closed'],
];

const cleanRows: [string, keyof NonNullable<OperationReport['clean']>['before']][] = [
  ['Contours', 'contours'],
  ['Open', 'open'],
  ['Pieces', 'segments'],
  ['Doubles', 'doubles'],
  ['Crossings', 'crossings'],
  ['Tiny pieces', 'tiny'],
];
