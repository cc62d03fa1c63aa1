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
  /** Parts lie one cut apart and share the cut where straight edges meet; lines are then the middle of the cut. Absent: each is cut round by itself. */
  shared?: boolean;
  /** Small parts keep so many tabs of this width, mm, in their outline; absent or null: none. */
  tabs?: { count: number; width: number } | null;
  names: SheetNames;
  /** Number and name engraved on each part, as single lines of this height; 0: none. */
  labelHeight: number;
  /** By row: on which sheet it must lie (by name), and which come first. */
  only: Record<string, string>;
  priority: Record<string, number>;
}

/** What is to be between parts, mm: where a cut is shared, or by a saw, one cut and no more. */
export const gapOf = ({ saw, shared, kerf, spacing }: Pick<NestChoice, 'saw' | 'shared' | 'kerf' | 'spacing'>): number =>
  saw || shared ? kerf : Math.max(spacing, kerf);

/** Cuts narrower than this are not shared, mm: nobody could tell two parts from one. */
export const leastSharedKerf = 0.01;
/** Where nobody typed one, mm: a laser's cut. Common practice, no source. */
export const usualSharedKerf = 0.2;

/** Why choices do not go together, as a sentence; null when they do. */
export function badTogether({ saw, shared, tabs, skin = 0, kerf }: Pick<NestChoice, 'saw' | 'shared' | 'tabs' | 'skin' | 'kerf'>): string | null {
  if (shared && kerf < leastSharedKerf)
    return `A shared cut takes half of its width from each part: type the width of the cut, at least ${leastSharedKerf} mm.`;
  if (saw && shared) return 'A panel saw shares its cuts anyway: shared cuts are for a laser, a router or a water jet.';
  if (saw && tabs) return 'A panel saw leaves no tabs.';
  if (shared && (tabs || skin > 0)) return 'Parts that share a cut are held by each other: choose shared cuts, or tabs or a skin under small parts.';
  if (tabs && skin > 0) return 'Small parts are held by tabs or by a skin: choose one of them.';
  return null;
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
