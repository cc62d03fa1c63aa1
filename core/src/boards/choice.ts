/** What a contour is on a board. */
export const boardMeanings = [
  'edge',
  'cut-out',
  'plated',
  'bare',
  'slot',
  'plated-slot',
  'copper',
  'copper-bottom',
  'keep-out',
  'legend',
  'legend-filled',
  'legend-bottom',
  'legend-bottom-filled',
  'mask',
  'mask-bottom',
  'nothing',
] as const;
export type BoardMeaning = (typeof boardMeanings)[number];

/** Each meaning in words. */
export const boardWords: Record<BoardMeaning, string> = {
  edge: 'board edge',
  'cut-out': 'cut-out',
  plated: 'plated hole',
  bare: 'bare hole',
  slot: 'bare slot',
  'plated-slot': 'plated slot',
  copper: 'copper, top',
  'copper-bottom': 'copper, bottom',
  'keep-out': 'keep-out of copper',
  legend: 'legend line, top',
  'legend-filled': 'legend filled, top',
  'legend-bottom': 'legend line, bottom',
  'legend-bottom-filled': 'legend filled, bottom',
  mask: 'mask opening, top',
  'mask-bottom': 'mask opening, bottom',
  nothing: 'left out',
};

export const maskColours = ['green', 'black', 'white', 'red', 'blue', 'yellow', 'none'] as const;

/** Several boards as one: their number, and how they hold together until they are broken apart. Lengths in mm. */
export interface PanelChoice {
  columns: number;
  rows: number;
  /** Scored: boards edge to edge with lines to break at. Tabs: a routed gap around each, held by tabs with rows of small holes. */
  join: 'scored' | 'tabs';
  /** Width of the routed gap. */
  gap: number;
  /** Width of the rails above and below; 0: none. */
  rail: number;
  /** Tabs a side, and their width. */
  tabs: number;
  tabWidth: number;
  /** Round marks of copper for the eyes of machines, and bare holes for pins, in the rails. */
  fiducials: boolean;
  tooling: boolean;
}

/** How a drawing becomes a board. Lengths in mm. */
export interface BoardChoice {
  thickness: number;
  /** Thickness of the copper, micrometres: 35 is an ounce a square foot. */
  copperMicrons: number;
  /** Sides that are poured with copper. */
  copper: 'none' | 'top' | 'both';
  mask: (typeof maskColours)[number];
  /** Kept between poured copper and edges, cut-outs, bare holes and slots. */
  clearance: number;
  /** Copper around plated holes. */
  ring: number;
  /** How much larger openings of the mask are than the copper in them, each side. */
  maskGrow: number;
  /** Widths of the lines that edges and legends are drawn with. */
  profileWidth: number;
  legendWidth: number;
  /** Inner corners of edges and cut-outs are rounded by this; 0 leaves them. */
  innerRadius: number;
  /** A marked spot of the legend for the shop's order number, by its middle; null: none. */
  orderSpot: { x: number; y: number; side: 'top' | 'bottom' } | null;
  panel: PanelChoice | null;
  names: 'standard' | 'trade';
  /** By hand: the name of a layer, a colour (#rrggbb), or the number of a contour, to what it is. */
  byLayer: Record<string, BoardMeaning>;
  byColour: Record<string, BoardMeaning>;
  byContour: Record<string, BoardMeaning>;
}

/** Common practice for boards of 1.6 mm, no source. */
export const usualBoard: BoardChoice = {
  thickness: 1.6,
  copperMicrons: 35,
  copper: 'both',
  mask: 'green',
  clearance: 0.3,
  ring: 0.3,
  maskGrow: 0.05,
  profileWidth: 0.1,
  legendWidth: 0.15,
  innerRadius: 0,
  orderSpot: null,
  panel: null,
  names: 'standard',
  byLayer: {},
  byColour: {},
  byContour: {},
};

export const usualPanel: PanelChoice = { columns: 2, rows: 2, join: 'tabs', gap: 2, rail: 7, tabs: 1, tabWidth: 5, fiducials: true, tooling: true };

/** Size of the spot for the order number. */
export const orderSize: [number, number] = [10, 2];
