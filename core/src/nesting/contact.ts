import { collide } from './collide.ts';
import type { Fixed, Piece, Place, Room } from './layout.ts';
import type { Variant } from './shape.ts';

/** Borders this near along a stretch touch, mm: more than rounding, less than any gap that matters. */
const touching = 1e-3;
/** With more pieces than this the way is not gone: it looks at every piece for every place. */
export const mostForContact = 40;
/** By so much chance may make a contact count less. */
const chanceShare = 0.25;
/** Free corners that are looked at for each piece. */
const mostFree = 60;

/** Pieces for one room, and what lies fast in it. */
export interface InOneRoom {
  pieces: readonly Piece[];
  room: Room;
  fixed: readonly Fixed[];
}

interface Lying {
  v: Variant;
  x: number;
  y: number;
}

/**
 * Lays pieces so that their borders touch others or the room along as much of their length as can be: of all that is left, that which fits best comes
 * next. Parts that were cut from one sheet find back to it. Source: touching perimeter, Lodi, Martello and Vigo, 1999, for any shape.
 * @param random lets chance have a say in what fits best, for another try; null: none.
 * @returns places by piece; null for a piece that found none. Null in all when there are too many.
 */
export function contactPlaces({ pieces, room, fixed }: InOneRoom, enough: () => boolean, random: (() => number) | null = null): (Place | null)[] | null {
  if (pieces.length > mostForContact) return null;
  const lying: Lying[] = fixed.map((f) => ({ v: f.variant, x: f.x, y: f.y }));
  const out: (Place | null)[] = pieces.map(() => null);
  const left = new Set(pieces.map((_, i) => i));
  while (left.size > 0) {
    if (enough()) return null;
    let best: { i: number; variant: number; x: number; y: number; worth: number } | null = null;
    const corners = freeCorners(lying, room);
    const seen = new Set<readonly Variant[]>();
    for (const i of left) {
      // Copies of one shape are looked at once.
      if (seen.has(pieces[i].variants)) continue;
      seen.add(pieces[i].variants);
      pieces[i].variants.forEach((v, variant) => {
        if (v.height > room.height) return;
        for (const [px, py] of corners)
          for (let k = 0; k < v.xy.length; k += 2) {
            const [x, y] = [px - v.xy[k], py - v.xy[k + 1]];
            if (x < 0 || y < 0 || y + v.height > room.height || x + v.width > room.width) continue;
            const chance = random ? 1 - chanceShare * random() : 1;
            const worth =
              contactOf({ v, x, y }, lying, room) * 1e3 * chance - (x + v.width) / room.height + Math.min(1, v.area / (room.height * room.height)) * 20;
            if (best && worth <= best.worth) continue;
            if (lying.some((o) => collide(v, o.v, o.x - x, o.y - y))) continue;
            best = { i, variant, x, y, worth };
          }
      });
    }
    if (!best) break;
    const { i, variant, x, y } = best as { i: number; variant: number; x: number; y: number };
    out[i] = { variant, room: 0, x, y };
    lying.push({ v: pieces[i].variants[variant], x, y });
    left.delete(i);
  }
  return out;
}

/** Corners where something may begin, the leftmost first: those of the room and of what lies, which are not shut in. */
function freeCorners(lying: readonly Lying[], room: Room): [number, number][] {
  const all = new Map<string, [number, number]>();
  const add = (x: number, y: number) => {
    if (x >= 0 && y >= 0 && y <= room.height) all.set(`${x} ${y}`, [x, y]);
  };
  add(0, 0);
  add(0, room.height);
  for (const { v, x, y } of lying) for (let k = 0; k < v.xy.length; k += 2) add(x + v.xy[k], y + v.xy[k + 1]);
  const turns = new Map<string, number>();
  for (const { v, x, y } of lying)
    for (let i = 0; i < v.next.length; i++) {
      const key = `${x + v.xy[i * 2]} ${y + v.xy[i * 2 + 1]}`;
      if (!all.has(key)) continue;
      turns.set(key, (turns.get(key) ?? 0) + angleAt(v, i));
    }
  // All round, or half of it on the room's border: nothing fits in there any more.
  const free = [...all].filter(([key, [x, y]]) => {
    const border = (x === 0 ? 1 : 0) + (y === 0 || y === room.height ? 1 : 0);
    return (turns.get(key) ?? 0) < (2 * Math.PI) / 2 ** border - 1e-6;
  });
  return free
    .map(([, at]) => at)
    .sort((a, b) => a[0] - b[0] || a[1] - b[1])
    .slice(0, mostFree);
}

/** Angle of material at a corner, rad. */
function angleAt(v: Variant, i: number): number {
  let before = 0;
  for (let r = 0; r + 1 < v.starts.length; r++) if (i >= v.starts[r] && i < v.starts[r + 1]) before = i === v.starts[r] ? v.starts[r + 1] - 1 : i - 1;
  const j = v.next[i];
  const [ux, uy] = [v.xy[before * 2] - v.xy[i * 2], v.xy[before * 2 + 1] - v.xy[i * 2 + 1]];
  const [wx, wy] = [v.xy[j * 2] - v.xy[i * 2], v.xy[j * 2 + 1] - v.xy[i * 2 + 1]];
  const a = Math.atan2(wx * uy - wy * ux, wx * ux + wy * uy);
  return a < 0 ? a + 2 * Math.PI : a;
}

/** Share of the border that touches the room's sides or what lies there already. */
function contactOf({ v, x, y }: Lying, lying: readonly Lying[], room: Room): number {
  let [contact, whole] = [0, 0];
  for (let i = 0; i < v.next.length; i++) {
    const j = v.next[i];
    const edge = [v.xy[i * 2] + x, v.xy[i * 2 + 1] + y, v.xy[j * 2] + x, v.xy[j * 2 + 1] + y];
    const long = Math.hypot(edge[2] - edge[0], edge[3] - edge[1]);
    if (!(long > 0)) continue;
    whole += long;
    const [ax, ay, bx, by] = edge;
    const side = (ax < touching && bx < touching) || (ay < touching && by < touching) || (ay > room.height - touching && by > room.height - touching);
    contact += side ? long : Math.min(long, coveredOf(edge, long, lying));
  }
  return whole > 0 ? contact / whole : 0;
}

/** How much of an edge lies on edges of others that run the other way, mm. */
function coveredOf([ax, ay, bx, by]: readonly number[], long: number, lying: readonly Lying[]): number {
  const [ux, uy] = [(bx - ax) / long, (by - ay) / long];
  const [left, low, right, high] = [Math.min(ax, bx) - touching, Math.min(ay, by) - touching, Math.max(ax, bx) + touching, Math.max(ay, by) + touching];
  let covered = 0;
  for (const o of lying) {
    if (right < o.x || left > o.x + o.v.width || high < o.y || low > o.y + o.v.height) continue;
    const q = o.v.xy;
    for (let k = 0; k < o.v.next.length; k++) {
      const n = o.v.next[k] * 2;
      const [cx, cy, ex, ey] = [q[k * 2] + o.x - ax, q[k * 2 + 1] + o.y - ay, q[n] + o.x - ax, q[n + 1] + o.y - ay];
      if (Math.abs(cx * uy - cy * ux) > touching || Math.abs(ex * uy - ey * ux) > touching) continue;
      const [s, t] = [cx * ux + cy * uy, ex * ux + ey * uy];
      // Material on the other side: its border runs the other way.
      if (s > t) covered += Math.max(0, Math.min(long, s) - Math.max(0, t));
    }
  }
  return covered;
}
