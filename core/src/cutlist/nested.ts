import type { Affine } from '../curves/affine.ts';

/** A part on a sheet: its own coordinates mirrored or not, turned (degrees), then moved (mm from the sheet's low left corner). */
export interface NestedPart {
  row: string;
  copy: number;
  turn: number;
  mirrored: boolean;
  x: number;
  y: number;
  locked?: boolean;
}

/** A cut of a panel saw, in the order of cutting: along X at a height or along Y at a distance, from one place to another. mm */
export interface SawCut {
  number: number;
  along: 'x' | 'y';
  at: number;
  from: number;
  to: number;
  stage: number;
}

export interface Remnant {
  sheet: number;
  x: number;
  y: number;
  width: number;
  height: number;
}

export interface NestedSheet {
  /** Which of the kinds of the choice. */
  kind: number;
  name: string;
  width: number;
  height: number;
  outline: [number, number][] | null;
  /** Material and thickness of its parts. */
  stock: string;
  parts: NestedPart[];
  /** Share of its area that parts cover. */
  density: number;
  cuts: SawCut[];
}

/** What came of nesting. Everything that was asked for is on a sheet or in `notPlaced`. */
export interface Nest {
  sheets: NestedSheet[];
  notPlaced: { row: string; copies: number; why: string }[];
  remnants: Remnant[];
  /** Of all sheets; those that are used in part count as far as they are used. */
  density: number;
}

const turns = [[1, 0], [0, 1], [-1, 0], [0, -1]] as const; // prettier-ignore

/** The map of a part onto its sheet. Quarter turns are exact. */
export function mapOf({ turn, mirrored, x, y }: Pick<NestedPart, 'turn' | 'mirrored' | 'x' | 'y'>): Affine {
  const a = (turn * Math.PI) / 180;
  const [c, s] = turn % 90 === 0 ? turns[(((turn / 90) % 4) + 4) % 4] : [Math.cos(a), Math.sin(a)];
  const side = mirrored ? -1 : 1;
  return [c * side, s * side, -s, c, x, y];
}
