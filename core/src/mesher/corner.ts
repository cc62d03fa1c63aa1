/** A corner of a facet: where it is, mm, and its parameters. */
export interface Corner {
  p: Float64Array;
  u: number;
  v: number;
  /** The surface's normal there, of length 1; 0 where it is not known. */
  n: Float64Array;
  /** How far it stands off the surface along that, mm. */
  off: number;
}

/** Three corners without places yet. */
export const newCorners = (): Corner[] => [0, 1, 2].map(() => ({ p: new Float64Array(3), u: 0, v: 0, n: new Float64Array(3), off: 0 }));
