import type { StockChoice } from './choice.ts';

/** What is known of a block that reliefs were set into. Lengths in mm, times in minutes. */
export interface ReliefOrigin {
  stock: [number, number, number];
  /** What was chosen, so that it can be chosen again: the other parts by their names. */
  choice: StockChoice;
  base: number;
  datum: 'corner' | 'centre';
  zeroZ: 'top' | 'bed';
  /** Distance of its heights along X and Y, and how many there are. */
  step: [number, number];
  heights: [number, number];
  /** X, Y, Z of one copy of each relief, and how many times its own size that is. */
  reliefs: { name: string; size: [number, number, number]; factors: [number, number, number]; undercut: number; undercutShare: number }[];
  /** From the relief's own points to the block: what lies between heights is lost. */
  differ: { points: number; largest: number; mean: number };
  /** Volume of the block by its mesh, and what is cut away of the stock. */
  volume: number;
  away: number;
  plan: {
    fine: { kind: 'ball' | 'flat'; diameter: number; between: number; minutes: number };
    coarse: { kind: 'ball' | 'flat'; diameter: number; minutes: number; layers: number } | null;
    ridge: number | null;
    left: { volume: number; most: number; mean: number; share: number };
    alone: number;
  } | null;
}
