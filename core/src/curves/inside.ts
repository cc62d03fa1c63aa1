import { flattenInto } from './flatten.ts';
import { growBox, growBySegment, noBox } from './measure.ts';
import { startOf, type P2, type Segment } from './segment.ts';

/**
 * Whether points lie in a closed chain of pieces, by how often a ray to the right crosses it. Where a piece's box lies wholly to the right of a
 * point, only its two ends matter, whatever its course; within the box of a curve chords within `fine` decide.
 * Source: Shimrat, algorithm 112, 1962; parity of a crossed strip by the intermediate value theorem.
 */
export class Inside {
  private readonly ends: Float64Array;
  private readonly boxes: Float64Array;
  private readonly pieces: readonly Segment[];
  private readonly fine: number;
  private readonly chords: (Float64Array | undefined)[] = [];

  /** @param fine how near chords keep to curves, mm */
  constructor(pieces: readonly Segment[], fine: number) {
    this.pieces = pieces;
    this.fine = fine;
    this.ends = new Float64Array(pieces.length * 4);
    this.boxes = new Float64Array(pieces.length * 4);
    const n = pieces.length;
    const starts = pieces.map(startOf);
    pieces.forEach((s, i) => {
      const [a, b] = [starts[i], starts[(i + 1) % n]];
      this.ends.set([a[0], a[1], b[0], b[1]], i * 4);
      const box = noBox();
      growBySegment(box, s);
      // The chain closes on itself: what is missing to the next start belongs to the piece.
      growBox(box, a);
      growBox(box, b);
      this.boxes.set(box, i * 4);
    });
  }

  /** @example new Inside(ring.segments, 1e-6).has([3, 4]) */
  has([x, y]: P2): boolean {
    let inside = false;
    const { boxes, ends } = this;
    for (let i = 0; i < boxes.length; i += 4) {
      if (boxes[i + 1] > y || boxes[i + 3] < y || boxes[i + 2] < x) continue;
      const straddles = ends[i + 1] > y !== ends[i + 3] > y;
      if (boxes[i] > x) inside = inside !== straddles;
      else if (crossedOdd(this.chordsOf(i / 4), x, y)) inside = !inside;
    }
    return inside;
  }

  private chordsOf(i: number): Float64Array {
    let found = this.chords[i];
    if (!found) {
      const [ax, ay, bx, by] = this.ends.subarray(i * 4, i * 4 + 4);
      const points: P2[] = [];
      flattenInto(this.pieces[i], this.fine, points);
      // The last chord ends where the next piece begins, so that no ray slips between them.
      points[points.length - 1] = [bx, by];
      this.chords[i] = found = Float64Array.from([[ax, ay], ...points].flat());
    }
    return found;
  }
}

function crossedOdd(xy: Float64Array, x: number, y: number): boolean {
  let odd = false;
  for (let i = 0; i + 3 < xy.length; i += 2) {
    const [ay, by] = [xy[i + 1], xy[i + 3]];
    if (ay > y !== by > y && x < ((xy[i + 2] - xy[i]) * (y - ay)) / (by - ay) + xy[i]) odd = !odd;
  }
  return odd;
}
