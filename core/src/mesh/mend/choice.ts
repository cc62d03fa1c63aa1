import type { HoleFill } from '../repair/fill.ts';

/** What is to be mended, and how. Lengths in mm. */
export interface MendChoice {
  /** Vertices nearer than this are joined; null takes a millionth of the diagonal. */
  weld: number | null;
  doubles: boolean;
  normals: boolean;
  holes: HoleFill | 'none';
  /** No hole wider than this is closed; null takes half of the part's diagonal, 85 % where its rim is flat: a wider one may be meant (the rim of a terrain). */
  widestHole: number | null;
  /** Shells that run into each other become one skin; a shell that crosses itself is opened there and closed again. */
  crossings: boolean;
  /** Drop stray crumbs: shells below 2 % of the part. */
  crumbs: boolean;
  largestOnly: boolean;
  /** The surface is made anew on a grid of this cell, mm, instead of all the steps above; null leaves it. */
  wrap: number | null;
}

/** What is safe: nothing that is sound moves. */
export const safeMend: MendChoice = {
  weld: null,
  doubles: true,
  normals: true,
  holes: 'flat',
  widestHole: null,
  crossings: true,
  crumbs: false,
  largestOnly: false,
  wrap: null,
};
