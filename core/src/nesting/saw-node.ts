/** A rectangle of a sheet and what becomes of it: cut in two, a part, or what is left over. */
export interface SawNode {
  x: number;
  y: number;
  width: number;
  height: number;
  /** A cut across it: along X (at a height) or along Y (at a distance), measured from the sheet's corner to where the blade begins. */
  cut?: { along: 'x' | 'y'; at: number; low: SawNode; high: SawNode | null };
  part?: { item: number; turned: boolean };
}
