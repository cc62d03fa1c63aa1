import type { Room } from './layout.ts';
import type { Variant } from './shape.ts';

const cellsUp = 160;
const mostCells = 1_000_000;

/**
 * Squares of a room that lie wholly in the circles of what is laid there: a shape one of whose own circles has its middle in such a square overlaps for
 * certain, which is told without looking at any border.
 */
export class Taken {
  private readonly cell: number;
  private readonly across: number;
  private readonly up: number;
  private readonly marks: Uint8Array;

  /** @param used how far along X anything is expected to lie, mm; beyond it nothing is told. */
  constructor(room: Room, used: number) {
    this.cell = room.height / cellsUp;
    this.up = cellsUp;
    this.across = Math.max(1, Math.min(Math.ceil(Math.min(room.width, used) / this.cell), Math.floor(mostCells / cellsUp)));
    this.marks = new Uint8Array(this.across * this.up);
  }

  add(v: Variant, x: number, y: number): void {
    const { cell, across, up, marks } = this;
    for (let k = 0; k < v.poles.length; k += 3) {
      const [cx, cy] = [v.poles[k] + x, v.poles[k + 1] + y];
      // A square lies in the circle when its middle is nearer by half its diagonal.
      const r = v.poles[k + 2] * (1 - 1e-9) - cell * Math.SQRT1_2;
      if (!(r > 0)) continue;
      for (let i = Math.max(0, Math.floor((cx - r) / cell)); i < across && i * cell < cx + r; i++)
        for (let j = Math.max(0, Math.floor((cy - r) / cell)); j < up && j * cell < cy + r; j++) {
          const [ex, ey] = [(i + 0.5) * cell - cx, (j + 0.5) * cell - cy];
          if (ex * ex + ey * ey <= r * r) marks[i * up + j] = 1;
        }
    }
  }

  /** Whether a shape at a place overlaps for certain; false says nothing. */
  meets(v: Variant, x: number, y: number): boolean {
    const { cell, across, up, marks } = this;
    for (let k = 0; k < v.poles.length; k += 3) {
      const i = Math.floor((v.poles[k] + x) / cell);
      const j = Math.floor((v.poles[k + 1] + y) / cell);
      if (i >= 0 && j >= 0 && i < across && j < up && marks[i * up + j] === 1) return true;
    }
    return false;
  }
}
