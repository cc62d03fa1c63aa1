import type { Vec3 } from '../geometry/vector.ts';
import { corner, levelArc, straight } from './borders.ts';
import { layPieces, type Bumped, type Developed } from './lay.ts';

/** Whether sizes are those inside the sheet, outside of it, or of its middle. */
export type Sizes = 'inside' | 'mean' | 'outside';

/** Where a seam lies: in the middle of the side that looks this way. */
export type Side = '+x' | '-x' | '+y' | '-y';

/** A duct from a rectangle (level, below) to a circle (level, above). Lengths in mm. */
export interface SquareToRound {
  kind: 'square-to-round';
  width: number;
  depth: number;
  diameter: number;
  height: number;
  /** Where the middle of the circle is over the middle of the rectangle. */
  offset: [number, number];
  thickness: number;
  sizes: Sizes;
  seam: Side;
  /** One piece, or two halves with a second seam opposite. */
  pieces: 1 | 2;
  /** Bend lines at each corner. */
  lines: number;
  deviation: number;
}

/** A cone or tube between two level circles; aslant when the upper one is not over the lower. Lengths in mm. */
export interface ConeBetween {
  kind: 'cone';
  /** Diameter below and above; 0 above for a tip. */
  lower: number;
  upper: number;
  height: number;
  offset: [number, number];
  thickness: number;
  sizes: Sizes;
  seam: Side;
  pieces: 1 | 2;
  /** Bend lines all round; 0 when it is rolled. */
  lines: number;
  deviation: number;
}

/** What a size of the middle of the sheet is more than the given one, mm. */
export const toMiddle = (sizes: Sizes, thickness: number): number => ({ inside: thickness, mean: 0, outside: -thickness })[sizes];

const seamAngle: Record<Side, number> = { '+x': 0, '+y': Math.PI / 2, '-x': Math.PI, '-y': (3 * Math.PI) / 2 };

/**
 * A square (or rectangle) to round: four flat triangles on the sides, each touching the circle where that runs along it, and between them
 * four corners that are parts of cones with their tips in the corners of the rectangle. Source: triangulation of transition pieces, any handbook
 * of sheet-metal pattern drafting; here without its straight pieces.
 * Example: `squareToRound({ kind: 'square-to-round', width: 200, depth: 150, diameter: 100, height: 120, ... })`.
 */
export function squareToRound(p: SquareToRound): Developed {
  const more = toMiddle(p.sizes, p.thickness);
  const [w, d, r] = [(p.width + more) / 2, (p.depth + more) / 2, (p.diameter + more) / 2];
  const centre: Vec3 = [p.offset[0], p.offset[1], p.height];
  const corners: Vec3[] = [
    [w, d, 0],
    [-w, d, 0],
    [-w, -d, 0],
    [w, -d, 0],
  ];
  const top = (k: number): Vec3 => [centre[0] + r * Math.cos((k * Math.PI) / 2), centre[1] + r * Math.sin((k * Math.PI) / 2), centre[2]];
  const side = (k: number): [Vec3, Vec3] => [corners[(k + 3) % 4], corners[k % 4]];
  const middle = (k: number): Vec3 => {
    const [a, b] = side(k);
    return [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2, 0];
  };
  const begin = Math.round(seamAngle[p.seam] / (Math.PI / 2));
  const half = (k: number, second: boolean): Bumped => {
    const [a, b] = side(k);
    return { strip: { a: second ? straight(middle(k), b) : straight(a, middle(k)), b: corner(top(k)) }, lines: 0 };
  };
  const turned = (k: number): Bumped => {
    const from = (k * Math.PI) / 2;
    return { strip: { a: corner(corners[k % 4]), b: levelArc(centre, r, from, from + Math.PI / 2) }, lines: p.lines };
  };
  const whole = (k: number): Bumped => ({ strip: { a: straight(...side(k)), b: corner(top(k)) }, lines: 0 });
  const run = (from: number, corner4: number): Bumped[] => {
    const out = [half(from, true)];
    for (let i = 0; i < corner4; i++) out.push(turned(from + i), i + 1 < corner4 ? whole(from + i + 1) : half(from + corner4, false));
    return out;
  };
  return layPieces(p.pieces === 1 ? [run(begin, 4)] : [run(begin, 2), run(begin + 2, 2)], p.deviation, p.thickness);
}

/**
 * A cone between two level circles, upright or aslant; circles of one size give a tube. Lines join points that look the same way.
 * Example: `coneBetween({ kind: 'cone', lower: 120, upper: 60, height: 100, offset: [20, 0], ... })`.
 */
export function coneBetween(p: ConeBetween): Developed {
  const more = toMiddle(p.sizes, p.thickness);
  // A pointed cone has its tip in the middle of the sheet.
  const [low, high] = [(p.lower + more) / 2, p.upper === 0 ? 0 : (p.upper + more) / 2];
  const tip: Vec3 = [p.offset[0], p.offset[1], p.height];
  const begin = seamAngle[p.seam];
  const share = (2 * Math.PI) / p.pieces;
  const pieces = Array.from({ length: p.pieces }, (_, i): Bumped[] => {
    const [from, to] = [begin + share * i, begin + share * (i + 1)];
    // In quarters, so that each is fitted by itself.
    const quarters = 4 / p.pieces;
    return Array.from({ length: quarters }, (_, k): Bumped => {
      const [u, v] = [k, k + 1].map((n) => from + ((to - from) * n) / quarters);
      return { strip: { a: levelArc([0, 0, 0], low, u, v), b: high === 0 ? corner(tip) : levelArc(tip, high, u, v) }, lines: Math.round(p.lines / 4) };
    });
  });
  return layPieces(pieces, p.deviation, p.thickness);
}
