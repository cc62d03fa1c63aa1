import Joi from 'joi';
import type { Bit } from './bits.ts';
import type { Smoothing } from './smooth.ts';

/** What gives a relief its size on the stock. */
export const fits = ['inside', 'width', 'depth', 'thickness', 'own', 'typed'] as const;
export type Fit = (typeof fits)[number];

/** How one relief stands on the stock. Lengths in mm. */
export interface Standing {
  /** Which of its own directions points up. */
  up: 'z' | '-z' | 'y' | '-y' | 'x' | '-x';
  /** Turned about Z, degrees, counter-clockwise seen from above; and mirrored left to right before that. */
  turn: number;
  mirror: boolean;
  /** What its size comes from; 'inside': as large as the stock allows in all three. */
  fit: Fit;
  /** For 'typed': X, Y and Z; null follows the first that is given, in proportion. */
  size: [number | null, number | null, number | null];
  /** Height of its zero plane over its lowest place, at its size. */
  zero: number;
  /** What lies below the zero plane: cut off at it, or kept and sunk into the base. */
  below: 'cut' | 'keep';
  /** Its middle on the stock, from the stock's middle. */
  at: [number, number];
  /** Copies side by side, along X and Y, with every other one mirrored so that their sides meet. */
  tiles: [number, number];
  mirrored: boolean;
  /** Where it meets what was laid before it. */
  blend: 'highest' | 'lowest' | 'add';
}

/** A block with one relief or several. Lengths in mm, angles in degrees. */
export interface StockChoice {
  kind: 'stock';
  /** X, Y, Z. */
  stock: [number, number, number];
  /** Left free round the relief. */
  margin: number;
  /** Solid below the zero planes. */
  base: number;
  outline: 'stock' | 'round' | 'own';
  /** Lean of the sides from upright. */
  draft: number;
  /** Distance of heights; null: about 400 along the longer side. */
  cell: number | null;
  smooth: Smoothing | null;
  /** Where X and Y are zero, and where Z is. */
  datum: 'corner' | 'centre';
  zeroZ: 'top' | 'bed';
  /** One for each part, in their order. */
  reliefs: Standing[];
  /** How it would be carved; null: not asked. */
  plan: CarvePlan | null;
}

/** The bits that carve it: a fine one, and a coarse one before it if wanted. */
export interface CarvePlan {
  fine: Bit & { between: number };
  /** In layers of so many mm; leaves `leave` mm for the fine one. */
  coarse: (Bit & { between: number; layer: number; leave: number }) | null;
  /** mm a minute along, and into the stock. */
  feed: number;
  plunge: number;
}

export const usualStanding: Standing = {
  up: 'z',
  turn: 0,
  mirror: false,
  fit: 'inside',
  size: [null, null, null],
  zero: 0,
  below: 'cut',
  at: [0, 0],
  tiles: [1, 1],
  mirrored: false,
  blend: 'highest',
};

export const usualStock: Omit<StockChoice, 'stock'> = {
  kind: 'stock',
  margin: 0,
  base: 3,
  outline: 'stock',
  draft: 0,
  cell: null,
  smooth: null,
  datum: 'corner',
  zeroZ: 'bed',
  reliefs: [usualStanding],
  plan: null,
};

/** Bounds of figures, so that a form, the command line and the schema say the same. */
export const stockBounds = {
  stock: [0.1, 20_000],
  margin: [0, 5000],
  base: [0.01, 5000],
  draft: [0, 60],
  cell: [0.005, 500],
  size: [0.01, 1e6],
  zero: [-10_000, 10_000],
  at: [-20_000, 20_000],
  tiles: [1, 50],
  turn: [-360, 360],
  spread: [0.01, 100],
  diameter: [0.05, 200],
  between: [0.005, 200],
  layer: [0.05, 200],
  leave: [0, 20],
  feed: [1, 60_000],
} as const;

/** Most reliefs on one stock. */
export const mostReliefs = 24;

const between = ([least, most]: readonly [number, number]) => Joi.number().strict().min(least).max(most);
const needed = (bounds: readonly [number, number]) => between(bounds).required();

const bit = { kind: Joi.valid('ball', 'flat').required(), diameter: needed(stockBounds.diameter), between: needed(stockBounds.between) };

const standing = Joi.object<Standing>({
  up: Joi.valid('z', '-z', 'y', '-y', 'x', '-x').required(),
  turn: needed(stockBounds.turn),
  mirror: Joi.boolean().strict().required(),
  fit: Joi.valid(...fits).required(),
  size: Joi.array().items(between(stockBounds.size).allow(null)).length(3).required(),
  zero: needed(stockBounds.zero),
  below: Joi.valid('cut', 'keep').required(),
  at: Joi.array().items(between(stockBounds.at)).length(2).required(),
  tiles: Joi.array().items(between(stockBounds.tiles).integer()).length(2).required(),
  mirrored: Joi.boolean().strict().required(),
  blend: Joi.valid('highest', 'lowest', 'add').required(),
});

export const stockSchema = Joi.object<StockChoice>({
  kind: Joi.valid('stock').required(),
  stock: Joi.array().items(between(stockBounds.stock)).length(3).required(),
  margin: needed(stockBounds.margin),
  base: needed(stockBounds.base),
  outline: Joi.valid('stock', 'round', 'own').required(),
  draft: needed(stockBounds.draft),
  cell: between(stockBounds.cell).allow(null).required(),
  smooth: Joi.object({ spread: needed(stockBounds.spread), edge: needed(stockBounds.spread) })
    .allow(null)
    .required(),
  datum: Joi.valid('corner', 'centre').required(),
  zeroZ: Joi.valid('top', 'bed').required(),
  reliefs: Joi.array().items(standing).min(1).max(mostReliefs).required(),
  plan: Joi.object({
    fine: Joi.object(bit).required(),
    coarse: Joi.object({ ...bit, layer: needed(stockBounds.layer), leave: needed(stockBounds.leave) })
      .allow(null)
      .required(),
    feed: needed(stockBounds.feed),
    plunge: needed(stockBounds.feed),
  })
    .allow(null)
    .required(),
});
