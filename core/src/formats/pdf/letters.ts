import { transformed, type Affine } from '../../curves/affine.ts';
import { ringOf, unionOf, type Ring, type Stroke } from '../../curves/union.ts';
import type { P2, Segment } from '../../curves/segment.ts';

/** A path of a letter as the reader gives it: moves, lines, curves in shares of the em. */
const step = /([MLQCZ])([^MLQCZ]*)/g;

/** Closed ways of one letter, overlaps taken away. @param path like "M0.1 0.7L0.2 0.7Q...Z" */
export function letterOf(path: string): Stroke[][] {
  const rings: Ring[] = [];
  let ring: Stroke[] = [];
  let [at, start]: [P2, P2] = [[0, 0], [0, 0]]; // prettier-ignore
  const close = () => {
    if (at[0] !== start[0] || at[1] !== start[1]) ring.push({ kind: 'line', a: at, b: start });
    if (ring.length > 1) rings.push(ring);
    ring = [];
    at = start;
  };
  for (const [, what, numbers] of path.matchAll(step)) {
    const n = numbers.trim().split(/[\s,]+/).map(Number); // prettier-ignore
    if (what === 'M') {
      if (ring.length > 0) close();
      at = start = [n[0], n[1]];
    } else if (what === 'Z') close();
    else {
      const points: P2[] = [at];
      for (let i = 0; i + 1 < n.length; i += 2) points.push([n[i], n[i + 1]]);
      const end = points[points.length - 1];
      if (what !== 'L') ring.push({ kind: 'bezier', points });
      else if (end[0] !== at[0] || end[1] !== at[1]) ring.push({ kind: 'line', a: at, b: end });
      at = end;
    }
  }
  if (ring.length > 0) close();
  return unionOf(rings) ?? rings.map((r) => [...r]);
}

/** A letter's ways under a map. */
export const placedLetter = (ways: readonly Stroke[][], m: Affine): Segment[][] => ways.map((way) => ringOf(way.map((s) => transformed(s, m))));
