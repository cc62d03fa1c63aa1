import { collide } from './collide.ts';
import type { Fixed, Piece, Place, Room } from './layout.ts';
import { onGrid, type Variant } from './shape.ts';
import { Taken } from './taken.ts';

/** Corners of others that are tried for each piece; more are thinned out evenly. */
const mostCorners = 260;

/** Rooms, and what lies fast in them. */
export interface Sheets {
  rooms: readonly Room[];
  fixed: readonly Fixed[];
}

/**
 * Lays pieces one by one, in the order given, each as far left and then as low as it goes in the first room that takes it. Fast, and never overlapping:
 * the start of every search, and what its result is held against. Source: bottom-left heuristic, Baker, Coffman and Rivest, 1980; places with a
 * corner or box on those of the ones before, as in Burke et al., 2006.
 * @returns places by piece; null for a piece that no room takes.
 */
export function startPlaces(
  pieces: readonly Piece[],
  order: readonly number[],
  { rooms, fixed }: Sheets,
  enough: () => boolean = () => false,
): (Place | null)[] {
  const lying: { v: Variant; x: number; y: number }[][] = rooms.map((_, r) => fixed.filter((f) => f.room === r).map((f) => ({ v: f.variant, x: f.x, y: f.y })));
  const out: (Place | null)[] = pieces.map(() => null);
  const area = order.reduce((sum, i) => sum + pieces[i].variants[0].weight ** 4, 0);
  const taken = rooms.map((room, r) => {
    const squares = new Taken(room, (area / room.height) * 2.5);
    for (const o of lying[r]) squares.add(o.v, o.x, o.y);
    return squares;
  });
  const full = new Map<readonly Variant[], Set<number>>();
  for (const i of order) {
    if (enough()) break;
    const { variants, rooms: own } = pieces[i];
    for (const room of own ?? rooms.map((_, r) => r)) {
      // Where a copy of the same shape found no place, none is there for this one.
      if (full.get(variants)?.has(room)) continue;
      const found = lowestPlace(variants, rooms[room], lying[room], taken[room]);
      if (!found) {
        full.set(variants, (full.get(variants) ?? new Set<number>()).add(room));
        continue;
      }
      out[i] = { ...found, room };
      lying[room].push({ v: variants[found.variant], x: found.x, y: found.y });
      taken[room].add(variants[found.variant], found.x, found.y);
      break;
    }
  }
  return out;
}

type Lying = readonly { v: Variant; x: number; y: number }[];

function lowestPlace(variants: readonly Variant[], room: Room, lying: Lying, taken: Taken): { variant: number; x: number; y: number } | null {
  let best: { variant: number; x: number; y: number } | null = null;
  let least = Infinity;
  variants.forEach((v, variant) => {
    if (v.width > room.width || v.height > room.height) return;
    // How far right its box reaches counts first, so that a turn which lies lower wins.
    const worth = (x: number, y: number) => x + v.width + (y + v.height) * 1e-3;
    const tried: [number, number, number][] = [];
    const offer = (x: number, y: number) => {
      if (x < 0 || y < 0 || x + v.width > room.width || y + v.height > room.height) return;
      const w = worth(x, y);
      if (w < least) tried.push([w, x, y]);
    };
    for (const [x, y] of candidates(v, room, lying)) offer(x, y);
    tried.sort((a, b) => a[0] - b[0]);
    // What was in the way last is asked first: it mostly is again.
    let inWay: Lying[number] | null = null;
    for (const [w, x, y] of tried) {
      if (w >= least) break;
      if (taken.meets(v, x, y)) continue;
      if (inWay && collide(v, inWay.v, inWay.x - x, inWay.y - y)) continue;
      const hit = lying.find((o) => collide(v, o.v, o.x - x, o.y - y));
      if (hit) {
        inWay = hit;
        continue;
      }
      least = w;
      best = { variant, x, y };
      break;
    }
  });
  return best;
}

/** Places worth a try: box beside box, corner on corner. */
function candidates(v: Variant, room: Room, lying: Lying): [number, number][] {
  const [xs, ys] = [new Set([0, onGrid(room.width - v.width)]), new Set([0, onGrid(room.height - v.height)])];
  for (const o of lying) {
    for (const x of [o.x + o.v.width, o.x - v.width, o.x]) xs.add(x);
    for (const y of [o.y + o.v.height, o.y - v.height, o.y]) ys.add(y);
  }
  const out: [number, number][] = [];
  const [cx, cy] = [thinned([...xs], 90), thinned([...ys], 90)];
  for (const x of cx) for (const y of cy) out.push([x, y]);
  const corners: [number, number][] = [];
  for (const o of lying) for (let k = 0; k < o.v.xy.length; k += 2) corners.push([o.x + o.v.xy[k], o.y + o.v.xy[k + 1]]);
  const own: [number, number][] = [];
  for (let k = 0; k < v.xy.length; k += 2) own.push([v.xy[k], v.xy[k + 1]]);
  for (const [px, py] of thinned(corners, mostCorners)) for (const [qx, qy] of thinned(own, 12)) out.push([px - qx, py - qy]);
  return out;
}

function thinned<T>(list: T[], most: number): T[] {
  if (list.length <= most) return list;
  return Array.from({ length: most }, (_, k) => list[Math.floor((k * list.length) / most)]);
}
