import type { SawNode } from './saw-node.ts';

/** Lengths nearer than this are the same, mm. */
export const same = 1e-6;

/** A rectangle to be sawn, mm: along X and Y as it lies unturned. */
export interface SawItem {
  width: number;
  height: number;
  copies: number;
  /** May be turned by a quarter: it has no grain. */
  turns: boolean;
}

/** A kind of sheet for the saw, mm. */
export interface SawSheet {
  width: number;
  height: number;
  copies: number | null;
  price: number;
  remnant: boolean;
}

export interface SawHow {
  /** Taken off each side of a sheet before anything else, mm. */
  trim: number;
  /** Width of the saw's cut, mm. */
  kerf: number;
  /** How often the direction may change: 2 (strips, then pieces), 3, or as often as it needs. The last trim of a piece does not count. */
  stages: 2 | 3 | null;
}

/** A rectangle that is still free while a sheet is being filled. */
export interface Free {
  node: SawNode;
  /** Along what the next cut goes, and how often the direction has changed to get here. */
  along: 'x' | 'y';
  stage: number;
}

export interface Copy {
  item: number;
  width: number;
  height: number;
}

/** The rectangles that are not cut any further. */
export function leavesOf(root: SawNode): SawNode[] {
  const out: SawNode[] = [];
  const stack = [root];
  while (stack.length > 0) {
    const n = stack.pop()!;
    if (!n.cut) out.push(n);
    else {
      if (n.cut.high) stack.push(n.cut.high);
      stack.push(n.cut.low);
    }
  }
  return out;
}

/** The rectangle of a sheet within its trim. */
export const freshRoot = (kind: SawSheet, trim: number): SawNode => ({ x: trim, y: trim, width: kind.width - 2 * trim, height: kind.height - 2 * trim });

/** How one sheet is filled. */
export interface Rule {
  along: 'x' | 'y';
  byArea: boolean;
  free: 'stay' | 'large' | 'small';
  /** Places choose pieces instead of pieces places: how much the order of pieces counts then, from 0; null: pieces choose. */
  rank: number | null;
}

/** Lays pieces on one sheet, each where it leaves the least; gives those that found no place. */
export function filled(root: SawNode, pieces: readonly Copy[], { items, how }: { items: readonly SawItem[]; how: SawHow }, rule: Rule): Copy[] {
  if (rule.rank !== null) return filledByPlaces(root, pieces, { items, how }, rule);
  const free: Free[] = [{ node: root, along: rule.along, stage: 1 }];
  const rest: Copy[] = [];
  const refused = new Set<number>();
  for (const piece of pieces) {
    if (refused.has(piece.item)) {
      rest.push(piece);
      continue;
    }
    let best: { at: number; turned: boolean; worth: number } | null = null;
    free.forEach((place, at) => {
      for (const turned of turnsOf(items[piece.item])) {
        const over = overOf(place, piece, turned, how);
        if (!over) continue;
        const { width, height } = place.node;
        const worth = rule.byArea ? over[0] * over[1] - over[0] * height - over[1] * width : -Math.min(...over) * 1e3 - Math.max(...over);
        if (!best || worth > best.worth) best = { at, turned, worth };
      }
    });
    if (!best) {
      refused.add(piece.item);
      rest.push(piece);
      continue;
    }
    const { at, turned } = best as { at: number; turned: boolean };
    const [there] = free.splice(at, 1);
    free.push(...placedIn(there, { piece, turned }, firstCut(there, sizeOf(piece, turned), how, rule), how));
  }
  return rest;
}

/** Along X and along Y as a piece lies, mm. */
export const sizeOf = ({ width, height }: Copy, turned: boolean): [number, number] => (turned ? [height, width] : [width, height]);

export const turnsOf = (item: SawItem): boolean[] => (item.turns && item.width !== item.height ? [false, true] : [false]);

/** What a place has beyond a piece along X and along Y; null when it does not go in, or not in so many stages. */
export function overOf({ node, along, stage }: Free, piece: Copy, turned: boolean, how: SawHow): [number, number] | null {
  const [w, h] = sizeOf(piece, turned);
  const [dw, dh] = [node.width - w, node.height - h];
  if (dw < -same || dh < -same) return null;
  const most = how.stages ?? Infinity;
  // The cut across comes one stage later; beyond the last only a trim is left, which no piece comes of.
  if (stage > most + 1 || (stage > most && (along === 'x' ? dw : dh) > same)) return null;
  return [dw, dh];
}

/** Lays pieces on one sheet, the smallest place first: each takes the piece that suits it best, so that sizes that are equal meet. */
function filledByPlaces(root: SawNode, pieces: readonly Copy[], { items, how }: { items: readonly SawItem[]; how: SawHow }, rule: Rule): Copy[] {
  const left = new Map<number, Copy[]>();
  for (const piece of pieces) left.set(piece.item, [...(left.get(piece.item) ?? []), piece]);
  const free: Free[] = [{ node: root, along: rule.along, stage: 1 }];
  const size = ({ node }: Free) => node.width * node.height;
  while (free.length > 0) {
    const at = free.reduce((best, f, i) => (size(f) < size(free[best]) ? i : best), 0);
    const [place] = free.splice(at, 1);
    let best: { piece: Copy; turned: boolean; worth: number } | null = null;
    let rank = 0;
    for (const list of left.values()) {
      rank++;
      if (list.length === 0) continue;
      for (const turned of turnsOf(items[list[0].item])) {
        const over = overOf(place, list[0], turned, how);
        if (!over) continue;
        // How much of it the piece fills, whether a side fits exactly, and how early it stands in the order.
        const filled = (list[0].width * list[0].height) / size(place);
        const worth = filled + (Math.min(...over) < same ? 0.3 : 0) - rule.rank! * (rank / left.size);
        if (!best || worth > best.worth) best = { piece: list[0], turned, worth };
      }
    }
    if (!best) continue;
    left.get((best as { piece: Copy }).piece.item)!.shift();
    const { piece, turned } = best as { piece: Copy; turned: boolean };
    free.push(...placedIn(place, { piece, turned }, firstCut(place, sizeOf(piece, turned), how, rule), how));
  }
  const rest = new Set([...left.values()].flat());
  return pieces.filter((p) => rest.has(p));
}

/** Along what a rectangle is cut first. Without a bound on stages where the larger rectangle stays whole, or the other way round. */
function firstCut({ node, along }: Free, [w, h]: readonly [number, number], how: SawHow, rule: Rule): 'x' | 'y' {
  if (how.stages !== null || rule.free === 'stay') return along;
  return (node.width - w) * h > (node.height - h) * w === (rule.free === 'large') ? 'y' : 'x';
}

/** Cuts a rectangle so that a piece lies in its low left corner, along one way first; gives what stays free. */
export function placedIn(
  { node, along, stage }: Free,
  { piece, turned }: { piece: Copy; turned: boolean },
  first: 'x' | 'y',
  { kerf, stages }: SawHow,
): Free[] {
  const [w, h] = sizeOf(piece, turned);
  const free: Free[] = [];
  let here = node;
  let level = stage + (first === along ? 0 : 1);
  for (const way of [first, first === 'x' ? 'y' : 'x'] as const) {
    const [size, room] = way === 'x' ? [h, here.height] : [w, here.width];
    if (room - size > same) {
      const { low, high } = cutOf(here, way, size, kerf);
      if (high && level <= (stages ?? Infinity)) free.push({ node: high, along: way, stage: level });
      here = low;
    }
    level++;
  }
  here.part = { item: piece.item, turned };
  return free;
}

/** Cuts a rectangle along X (leaving `size` of its height below) or along Y; the blade takes its width, and may take all that is left. */
export function cutOf(node: SawNode, along: 'x' | 'y', size: number, kerf: number): { low: SawNode; high: SawNode | null } {
  const { x, y, width, height } = node;
  const low: SawNode = along === 'x' ? { x, y, width, height: size } : { x, y, width: size, height };
  const over = (along === 'x' ? height : width) - size - kerf;
  const high: SawNode | null =
    over <= same ? null : along === 'x' ? { x, y: y + size + kerf, width, height: over } : { x: x + size + kerf, y, width: over, height };
  node.cut = { along, at: along === 'x' ? y + size : x + size, low, high };
  return { low, high };
}
