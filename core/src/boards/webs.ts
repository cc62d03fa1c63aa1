import Flatbush from 'flatbush';
import { toChord } from '../cutlist/apart.ts';
import { flattened } from '../curves/flatten.ts';
import type { P2 } from '../curves/segment.ts';
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

const between = (c: Chord, d: Chord): number =>
  Math.sqrt(Math.min(toChord(...c.a, d.a, d.b), toChord(...c.b, d.a, d.b), toChord(...d.a, c.a, c.b), toChord(...d.b, c.a, c.b))) - c.half - d.half;

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
      const width = between(c, d);
      least = Math.min(least, width);
      const key = `${c.of} ${d.of}`;
      if (width < limit && width < (under.get(key)?.width ?? Infinity)) under.set(key, { width, at: [(c.a[0] + d.a[0]) / 2, (c.a[1] + d.a[1]) / 2] });
    }
  }
  return { least: least < widest ? least : null, under: [...under.values()].sort((a, b) => a.width - b.width).slice(0, 100) };
}
