import Flatbush from 'flatbush';
import { flattened } from '../curves/flatten.ts';
import { distance, type P2 } from '../curves/segment.ts';
import type { Chain, Hole, Slot } from './board.ts';

/** What is taken out of a board, as chords with half a width: holes, slots, edges and cut-outs. */
export interface Gone {
  edges: readonly Chain[];
  cutOuts: readonly Chain[];
  holes: readonly Pick<Hole, 'at' | 'diameter'>[];
  slots: readonly Pick<Slot, 'path' | 'width'>[];
}

/** Material between two things that are taken out, mm. */
export interface Web {
  width: number;
  at: P2;
}

/** Webs wider than this are of no interest, mm. */
const widest = 10;
/** Chords within this of their curves, mm. */
const fine = 1e-4;

interface Chord {
  a: P2;
  b: P2;
  half: number;
  of: number;
}

/** Everything that is taken out, each thing with its own number. */
function chordsOf({ edges, cutOuts, holes, slots }: Gone): Chord[] {
  const out: Chord[] = [];
  let of = 0;
  const path = (chain: Chain, half: number) => {
    const points = flattened([...chain], fine);
    for (let i = 1; i < points.length; i++) out.push({ a: points[i - 1], b: points[i], half, of });
    of++;
  };
  for (const c of [...edges, ...cutOuts]) path(c, 0);
  for (const { at, diameter } of holes) out.push({ a: at, b: at, half: diameter / 2, of: of++ });
  for (const s of slots) path(s.path, s.width / 2);
  return out;
}

/** The place of a chord that is nearest to a point. */
function foot([x, y]: P2, [ax, ay]: P2, [bx, by]: P2): P2 {
  const [dx, dy] = [bx - ax, by - ay];
  const long = dx * dx + dy * dy;
  const t = long > 0 ? Math.min(1, Math.max(0, ((x - ax) * dx + (y - ay) * dy) / long)) : 0;
  return [ax + t * dx, ay + t * dy];
}

/** What is left between two chords, and the middle of it. Of two straight pieces that do not cross, one end is nearest. */
function between(c: Chord, d: Chord): Web {
  let least = Infinity;
  let at: P2 = c.a;
  const look = (p: P2, q: P2, half: number, other: number) => {
    const long = distance(p, q);
    if (long >= least) return;
    least = long;
    // The middle of the material, not of the distance between middles.
    const k = long > 0 ? (half + (long - half - other) / 2) / long : 0;
    at = [p[0] + (q[0] - p[0]) * k, p[1] + (q[1] - p[1]) * k];
  };
  for (const p of [c.a, c.b]) look(p, foot(p, d.a, d.b), c.half, d.half);
  for (const p of [d.a, d.b]) look(p, foot(p, c.a, c.b), d.half, c.half);
  return { width: least - c.half - d.half, at };
}

/**
 * The least web, and those under a limit, thinnest first and at most a hundred. Things that reach into each other have a web below 0.
 * @example websOf(board, 1).under
 */
export function websOf(gone: Gone, limit: number): { least: number | null; under: Web[] } {
  const chords = chordsOf(gone);
  if (chords.length === 0) return { least: null, under: [] };
  const index = new Flatbush(chords.length);
  for (const { a, b, half } of chords)
    index.add(Math.min(a[0], b[0]) - half, Math.min(a[1], b[1]) - half, Math.max(a[0], b[0]) + half, Math.max(a[1], b[1]) + half);
  index.finish();
  let least = widest;
  const under = new Map<string, Web>();
  for (const c of chords) {
    // Once a thinner web is known, only those under the limit are looked for.
    const reach = Math.max(limit, least);
    const hits = index.search(
      Math.min(c.a[0], c.b[0]) - c.half - reach,
      Math.min(c.a[1], c.b[1]) - c.half - reach,
      Math.max(c.a[0], c.b[0]) + c.half + reach,
      Math.max(c.a[1], c.b[1]) + c.half + reach,
      (k) => chords[k].of > c.of,
    );
    for (const k of hits) {
      const d = chords[k];
      const web = between(c, d);
      least = Math.min(least, web.width);
      const key = `${c.of} ${d.of}`;
      if (web.width < limit && web.width < (under.get(key)?.width ?? Infinity)) under.set(key, web);
    }
  }
  return { least: least < widest ? least : null, under: [...under.values()].sort((a, b) => a.width - b.width).slice(0, 100) };
}
