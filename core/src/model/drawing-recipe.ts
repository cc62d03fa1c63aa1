import type { DxfVersion } from './dxf-version.ts';
import type { Meaning } from '../curves/drawing.ts';

/** How a layer is called and looks in the file. */
export interface LayerLook {
  name: string;
  colour: string;
  lineType: 'CONTINUOUS' | 'DASHED' | 'CENTER' | 'DOT';
}

/** Depths of pockets and engraving that say none themselves, diameter of the bit, and where it runs. mm. */
export interface CarveRecipe {
  bit: number;
  /** On the line, for files that hold the path of the bit; or on the waste side, for machines that find it themselves. */
  side: 'on' | 'waste';
  pocket: number;
  engrave: number;
  /** How deep a through cut goes below the sheet. */
  below: number;
}

/** How a drawing is made ready for a machine. Lengths in mm, angles in degrees. */
export interface DrawingRecipe {
  place: {
    turn: number;
    /** Seen from the back: left and right exchanged. */
    mirror: boolean;
    /** What is placed: as drawn, the low left corner or the middle of the drawing's box, or a point of the drawing. */
    datum: 'drawn' | 'corner' | 'middle' | 'point';
    point: [number, number];
    /** Where the datum lies on the sheet, mm from its low left corner. */
    at: [number, number];
  };
  stock: {
    width: number;
    height: number;
    thickness: number;
    material: string;
    zZero: 'top' | 'bed';
  } | null;
  /** Meanings given by hand: to layers of the drawing by name, to colours (#rrggbb), to contours by number. */
  byLayer: Record<string, Meaning>;
  byColour: Record<string, Meaning>;
  byContour: Record<string, Meaning>;
  /** Closed outer contours under this area (mm2) are small parts; 0 for none. */
  smallArea: number;
  /** Circles up to this diameter count as holes. */
  holeMost: number;
  /** Width that the tool takes away; contours move by half of it to the waste side. 0 leaves them. */
  kerf: number;
  tabs: { count: number; width: number } | null;
  /** Length of the straight way in from the waste to each closed cut, mm; absent or 0 for none. */
  leadIn?: number;
  /** Layers keep the names and colours of the source instead of those of their meanings. */
  keepLayers?: boolean;
  /** Corner reliefs for a bit of this diameter; null for none. */
  relief: number | null;
  /** Curves and splinters become lines and arcs within this deviation; null keeps curves where the file can. */
  fit: number | null;
  version: DxfVersion;
  /** Repeated contours are written once as a block. */
  blocks: boolean;
  /** A PDF on sheets of A4 that are laid together instead of one page. */
  pages?: 'a4';
  /** How deep a router goes, and with which bit; absent where nothing is carved or nobody said. The depths go into the names of the layers. */
  carve?: CarveRecipe;
  /** Names, colours and line types of layers where they differ from the receiver's. */
  looks: Partial<Record<Meaning, LayerLook>>;
}

export const meanings: Meaning[] = [
  'cut',
  'hole',
  'pocket',
  'score',
  'engrave',
  'bend',
  'bend-up',
  'bend-down',
  'bend-edge',
  'mark',
  'label',
  'stock',
  'small',
  'fill',
  'lead',
];

/** Names, colours and line types that files get while nobody has chosen. Common practice for names; colours our own. */
export const usualLooks: Record<Meaning, LayerLook> = {
  cut: { name: 'CUT', colour: '#ff0000', lineType: 'CONTINUOUS' },
  hole: { name: 'HOLES', colour: '#ff00ff', lineType: 'CONTINUOUS' },
  pocket: { name: 'POCKET', colour: '#00ff00', lineType: 'CONTINUOUS' },
  score: { name: 'SCORE', colour: '#0000ff', lineType: 'CONTINUOUS' },
  engrave: { name: 'ENGRAVE', colour: '#00ffff', lineType: 'CONTINUOUS' },
  bend: { name: 'BEND', colour: '#ffff00', lineType: 'CENTER' },
  'bend-up': { name: 'BEND_UP', colour: '#ffff00', lineType: 'CENTER' },
  'bend-down': { name: 'BEND_DOWN', colour: '#00a0ff', lineType: 'DASHED' },
  'bend-edge': { name: 'BEND_ZONE', colour: '#a0a000', lineType: 'DOT' },
  mark: { name: 'MARKS', colour: '#00c000', lineType: 'CONTINUOUS' },
  label: { name: 'LABEL', colour: '#808080', lineType: 'CONTINUOUS' },
  stock: { name: 'STOCK', colour: '#c0c0c0', lineType: 'DASHED' },
  small: { name: 'SMALL', colour: '#ffa500', lineType: 'CONTINUOUS' },
  fill: { name: 'FILL', colour: '#00a0a0', lineType: 'CONTINUOUS' },
  lead: { name: 'LEAD', colour: '#a000a0', lineType: 'CONTINUOUS' },
};

export function firstDrawingRecipe(): DrawingRecipe {
  return {
    place: { turn: 0, mirror: false, datum: 'corner', point: [0, 0], at: [0, 0] },
    stock: null,
    byLayer: {},
    byColour: {},
    byContour: {},
    smallArea: 0,
    holeMost: 60,
    kerf: 0,
    tabs: null,
    relief: null,
    fit: null,
    version: '2000',
    blocks: false,
    looks: {},
  };
}
