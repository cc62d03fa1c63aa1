import type { Layout, Place } from './layout.ts';
import { onGrid, type Variant } from './shape.ts';

/** How many places are tried for a piece in one look: by chance anywhere, near where it lies, and with corners or sides on those of others. */
export interface Tries {
  anywhere: number;
  near: number;
  fitting: number;
}
export const usualTries: Tries = { anywhere: 20, near: 10, fitting: 20 };

interface Found extends Place {
  burden: number;
}

const kept = 3;

/**
 * The best place found for a piece among tries, the best of them improved step by step along the axes and both diagonals. Null when it fits no room.
 * Source: search by samples and coordinate descent as in Gardeyn and Wauters, 2025; places with a corner on a corner are where exact fits are.
 */
export function bestPlace(layout: Layout, i: number, random: () => number, tries: Tries): Found | null {
  const piece = layout.pieces[i];
  const rooms = piece.rooms ?? layout.rooms.map((_, r) => r);
  const best: Found[] = [];
  const offer = (variant: number, room: number, x: number, y: number) => {
    const v = piece.variants[variant];
    const { width, height } = layout.rooms[room];
    if (v.width > width || v.height > height) return;
    const px = onGrid(Math.min(Math.max(0, x), width - v.width));
    const py = onGrid(Math.min(Math.max(0, y), height - v.height));
    const limit = best.length < kept ? Infinity : best[kept - 1].burden;
    const burden = layout.burdenAt(i, v, room, Math.max(0, px), Math.max(0, py), limit);
    if (burden >= limit || best.some((b) => b.x === px && b.y === py && b.variant === variant && b.room === room)) return;
    const found = { variant, room, x: Math.max(0, px), y: Math.max(0, py), burden };
    const at = best.findIndex((b) => b.burden > burden);
    best.splice(at < 0 ? best.length : at, 0, found);
    if (best.length > kept) best.length = kept;
  };
  const here = layout.places[i];
  const someVariant = () => Math.floor(random() * piece.variants.length);
  offer(here.variant, here.room, here.x, here.y);
  for (let k = 0; k < tries.anywhere; k++) {
    const room = rooms[Math.floor(random() * rooms.length)];
    const variant = someVariant();
    const v = piece.variants[variant];
    offer(variant, room, random() * (layout.rooms[room].width - v.width), random() * (layout.rooms[room].height - v.height));
  }
  const own = piece.variants[here.variant];
  for (let k = 0; k < tries.near; k++) {
    const variant = random() < 0.7 ? here.variant : someVariant();
    offer(variant, here.room, here.x + (random() - 0.5) * own.width * 0.5, here.y + (random() - 0.5) * own.height * 0.5);
  }
  for (let k = 0; k < tries.fitting; k++) {
    const room = random() < 0.6 && rooms.includes(here.room) ? here.room : rooms[Math.floor(random() * rooms.length)];
    const variant = someVariant();
    const at = fittingPlace(layout, { i, v: piece.variants[variant], room }, random);
    if (at) offer(variant, room, at[0], at[1]);
  }
  if (best.length === 0) return null;
  let top: Found | null = null;
  for (const b of best) {
    const done = b.burden === 0 ? b : stepped(layout, i, b, random);
    if (!top || done.burden < top.burden) top = done;
    if (top.burden === 0) break;
  }
  return top;
}

/** A place where the piece's box stands beside those of others, or a corner of it lies on one of another or of the room. */
function fittingPlace(layout: Layout, { i, v, room }: { i: number; v: Variant; room: number }, random: () => number): [number, number] | null {
  const { places, rooms } = layout;
  const other = () => {
    for (let k = 0; k < 8; k++) {
      const j = Math.floor(random() * places.length);
      if (j !== i && places[j].room === room) return j;
    }
    return -1;
  };
  const j = other();
  if (j < 0) return [0, 0];
  if (random() < 0.5) {
    const w = layout.variantOf(j);
    const p = Math.floor(random() * v.next.length) * 2;
    const q = Math.floor(random() * w.next.length) * 2;
    return [places[j].x + w.xy[q] - v.xy[p], places[j].y + w.xy[q + 1] - v.xy[p + 1]];
  }
  const side = (size: number, of: 'x' | 'y', most: number) => {
    if (random() < 0.2) return random() < 0.5 ? 0 : most - size;
    const k = random() < 0.6 ? j : other();
    if (k < 0) return 0;
    const at = places[k][of];
    const far = at + (of === 'x' ? layout.variantOf(k).width : layout.variantOf(k).height);
    const pick = random();
    return pick < 0.4 ? far : pick < 0.7 ? at - size : pick < 0.85 ? at : far - size;
  };
  return [side(v.width, 'x', rooms[room].width), side(v.height, 'y', rooms[room].height)];
}

/** Better places by steps that grow where they help and shrink where they do not. */
function stepped(layout: Layout, i: number, from: Found, random: () => number): Found {
  const v = layout.pieces[i].variants[from.variant];
  const { width, height } = layout.rooms[from.room];
  const small = Math.min(v.width, v.height);
  let [stepX, stepY] = [small * 0.25, small * 0.25];
  const least = small * 0.002;
  let best = from;
  while (stepX > least || stepY > least) {
    const way = Math.floor(random() * 4);
    const moves = way === 0 ? [[1, 0], [-1, 0]] : way === 1 ? [[0, 1], [0, -1]] : way === 2 ? [[1, 1], [-1, -1]] : [[1, -1], [-1, 1]]; // prettier-ignore
    let better = false;
    for (const [sx, sy] of moves) {
      const x = onGrid(Math.min(Math.max(0, best.x + sx * stepX), width - v.width));
      const y = onGrid(Math.min(Math.max(0, best.y + sy * stepY), height - v.height));
      if (x < 0 || y < 0) continue;
      const burden = layout.burdenAt(i, v, from.room, x, y, best.burden);
      if (burden < best.burden) {
        best = { ...best, x, y, burden };
        better = true;
        if (burden === 0) return best;
        break;
      }
    }
    const k = better ? 1.1 : 0.5;
    if (way !== 1) stepX *= k;
    if (way !== 0) stepY *= k;
  }
  return best;
}
