/** A kind of sheet that parts are cut from. mm */
export interface StockSheet {
  name: string;
  width: number;
  height: number;
  /** Null: as many as are needed. */
  copies: number | null;
  /** What one costs, in any money; null: as much as its area. */
  price: number | null;
  remnant: boolean;
  /** Which rows come from it: material and thickness as in the list; empty or null: any. */
  material: string;
  thickness: number | null;
  /** Corners of a remnant that is no rectangle, from the low left of its box; null: a rectangle. */
  outline: [number, number][] | null;
}

/** Which turns a part may have. */
export type Turns = 'none' | 'quarters' | 'free' | number[];

/** What the layers of a sheet file are called. */
export interface SheetNames {
  large: string;
  small: string;
  inner: string;
  hole: string;
  row: string;
  pocket: string;
  mark: string;
  back: string;
  engrave: string;
  label: string;
  sheet: string;
  text: string;
}
export const usualNames: SheetNames = {
  large: 'CUT_LARGE',
  small: 'CUT_SMALL',
  inner: 'CUT_INNER',
  hole: 'HOLES',
  row: 'ROW_HOLES',
  pocket: 'POCKET',
  mark: 'MARKS',
  back: 'MARKS_BACK',
  engrave: 'ENGRAVE',
  label: 'LABEL',
  sheet: 'SHEET_EDGE',
  text: 'SUMMARY_TEXT',
};

/** How parts are laid on sheets. Lengths in mm. */
export interface NestChoice {
  sheets: StockSheet[];
  /** Between parts; from the sheet's edge. */
  spacing: number;
  rim: number;
  /** Width of the tool's cut: parts are never nearer than that; a saw loses it at each cut. */
  kerf: number;
  turns: Turns;
  mirror: boolean;
  /** Along what the sheets' grain runs; none: rows' grain is not heeded. */
  grain: 'x' | 'y' | 'none';
  /** Cut by a panel saw: from edge to edge, in so many stages. */
  saw: { stages: 2 | 3 | null; trim: number } | null;
  seed: number;
  rounds: number | null;
  seconds: number | null;
  /** Parts with a face under this (mm2) go to a layer of their own. */
  smallArea: number;
  /** So much is left under the outline of small parts, mm, so that they do not come loose while they are cut; absent or 0: none. */
  skin?: number;
  names: SheetNames;
  /** Number and name engraved on each part, as single lines of this height; 0: none. */
  labelHeight: number;
  /** By row: on which sheet it must lie (by name), and which come first. */
  only: Record<string, string>;
  priority: Record<string, number>;
}

export const usualNest: NestChoice = {
  sheets: [{ name: 'sheet', width: 2440, height: 1220, copies: null, price: null, remnant: false, material: '', thickness: null, outline: null }],
  spacing: 8,
  rim: 10,
  kerf: 0,
  turns: 'quarters',
  mirror: false,
  grain: 'none',
  saw: null,
  seed: 1,
  rounds: null,
  seconds: null,
  smallArea: 10_000,
  names: usualNames,
  labelHeight: 5,
  only: {},
  priority: {},
};
