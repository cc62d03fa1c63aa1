import { overOf, placedIn, sizeOf, turnsOf, type Copy, type Free, type SawHow, type SawItem } from './saw-fill.ts';
import type { SawNode } from './saw-node.ts';

/** The longer side of the largest sheet is looked at in so many steps. */
const steps = 180;

/** What a piece of an item is worth: its area at first, more when it keeps ending on sheets that are badly filled. */
export type Worths = Float64Array;

/**
 * What rectangles are worth at most, in steps of their sides, when pieces have no limit on copies: the guide by which a constrained sheet is filled.
 * Sizes hold the blade's width. Source: dynamic programming over rectangles, Gilmore and Gomory, 1966, with pieces in a corner.
 */
export class Guide {
  private readonly step: number;
  private readonly wide: number;
  private readonly high: number;
  private readonly best: Float64Array;

  /** @param largest rectangle that will be asked for, mm, without the blade @param left how many of each item there are still */
  // eslint-disable-next-line max-params -- a sheet, and what is known of what goes on it
  constructor({ width, height }: { width: number; height: number }, items: readonly SawItem[], worths: Worths, left: readonly number[], kerf: number) {
    this.step = (Math.max(width, height) + kerf) / steps;
    this.wide = Math.floor((width + kerf) / this.step + 1e-9) + 1;
    this.high = Math.floor((height + kerf) / this.step + 1e-9) + 1;
    this.best = new Float64Array(this.wide * this.high);
    const shapes: { w: number; h: number; v: number }[] = [];
    items.forEach((item, i) => {
      if (left[i] === 0) return;
      for (const turned of turnsOf(item)) {
        const [w, h] = turned ? [item.height, item.width] : [item.width, item.height];
        shapes.push({ w: Math.ceil((w + kerf) / this.step - 1e-9), h: Math.ceil((h + kerf) / this.step - 1e-9), v: worths[i] });
      }
    });
    this.fill(shapes);
  }

  private fill(shapes: readonly { w: number; h: number; v: number }[]): void {
    const { best, wide, high } = this;
    for (let y = 1; y < high; y++)
      for (let x = 1; x < wide; x++) {
        let most = Math.max(best[y * wide + x - 1], best[(y - 1) * wide + x]);
        for (const { w, h, v } of shapes) {
          if (w > x || h > y) continue;
          const over = best[(y - h) * wide + x] + best[h * wide + x - w];
          const beside = best[y * wide + x - w] + best[(y - h) * wide + w];
          const sum = v + (over > beside ? over : beside);
          if (sum > most) most = sum;
        }
        best[y * wide + x] = most;
      }
  }

  /** What a rectangle is worth at most, its sides with the blade's width. */
  of(width: number, height: number): number {
    const [x, y] = [Math.floor(width / this.step + 1e-9), Math.floor(height / this.step + 1e-9)];
    return x <= 0 || y <= 0 ? 0 : this.best[Math.min(y, this.high - 1) * this.wide + Math.min(x, this.wide - 1)];
  }
}

/** What sheets are filled by: sizes, how it is sawn, what pieces and rectangles are worth. */
export interface Worthy {
  items: readonly SawItem[];
  how: SawHow;
  worths: Worths;
  guide: Guide;
  /** By such a share chance may make an option count less. */
  noise: number;
  random: () => number;
}

/**
 * Fills a sheet piece by piece, the smallest place first: each takes the piece, and is cut the way, by which it and what is left beside it are worth most.
 * @returns copies that found no place
 */
export function filledByWorth(root: SawNode, pieces: readonly Copy[], worthy: Worthy): Copy[] {
  const { how, random } = worthy;
  const left = new Map<number, Copy[]>();
  for (const piece of pieces) {
    const list = left.get(piece.item);
    if (list) list.push(piece);
    else left.set(piece.item, [piece]);
  }
  const free: Free[] = [{ node: root, along: how.stages !== null && random() < 0.5 ? 'y' : 'x', stage: 1 }];
  while (free.length > 0) {
    let at = 0;
    for (let i = 1; i < free.length; i++) if (free[i].node.width * free[i].node.height < free[at].node.width * free[at].node.height) at = i;
    const [place] = free.splice(at, 1);
    const best = worthiest(place, left.values(), worthy);
    if (!best) continue;
    left.get(best.piece.item)!.pop();
    free.push(...placedIn(place, best, best.first, how));
  }
  return [...left.values()].flat();
}

/** Without a bound on stages either way is tried for the first cut. */
const eitherWay = ['x', 'y'] as const;

/** The piece for a place, and along what it is cut first; null when none goes in. */
function worthiest(place: Free, lists: Iterable<readonly Copy[]>, { items, how, worths, guide, noise, random }: Worthy) {
  const { width, height } = place.node;
  const ways = how.stages === null ? eitherWay : [place.along];
  let best: { piece: Copy; turned: boolean; first: 'x' | 'y'; worth: number } | null = null;
  for (const list of lists) {
    if (list.length === 0) continue;
    const piece = list[list.length - 1];
    for (const turned of turnsOf(items[piece.item])) {
      const over = overOf(place, piece, turned, how);
      if (!over) continue;
      const [w, h] = sizeOf(piece, turned);
      for (const first of ways) {
        // What is beyond the piece across the first cut keeps its whole length, the other only the piece's own.
        const [wide, high] = first === 'x' ? [width, h] : [w, height];
        const rest = guide.of(wide + how.kerf, over[1]) + guide.of(over[0], high + how.kerf);
        const worth = (worths[piece.item] + rest) * (1 - noise * random());
        if (!best || worth > best.worth) best = { piece, turned, first, worth };
      }
    }
  }
  return best;
}
