import { crossOf, type P2 } from '../curves/segment.ts';
import { add, scaled, sub, type Vec3 } from '../geometry/vector.ts';
import { Unusable } from '../base/finding.ts';
import { hingeLine, type Laid } from './lay-out.ts';
import { put } from './pieces.ts';
import { placeText, pointOn } from './topology.ts';

/** Where ends of edges come to lie once the walls beside a sharp outer corner are cut back, by vertex and patch. */
export type SharpCorners = Map<string, { at: P2; point: Vec3 }>;

export const cornerKey = (vertex: number, patch: number): string => `${vertex}/${patch}`;

/**
 * A bend drawn sharp outside has walls that reach to the outer corner. Sheet bends round: each wall ends where the inside of the bend begins,
 * T tan(A / 2) before the corner (setback of an inside radius of 0; published: Machinery's Handbook). The edges beside it are cut back to there.
 * @throws Unusable where the edge beside such a corner is not straight.
 */
export function sharpCorners(laid: Laid): SharpCorners {
  const { top, skin, placed } = laid;
  const out: SharpCorners = new Map();
  for (const hinge of skin.hinges) {
    const cutBack = hinge.sharp > 0 ? placed.groups[placed.sharpGroup.get(hinge)!].cutBack : 0;
    if (cutBack === 0) continue;
    for (const patch of [hinge.a, hinge.b]) {
      const { develop, loops } = skin.patches[patch];
      const flat = (p: Vec3): P2 => put(placed.place[patch], develop.at(p));
      const { a, b, away } = hingeLine(laid, hinge, patch);
      const line: P2 = [a[0] - away[0] * cutBack, a[1] - away[1] * cutBack];
      const dir: P2 = [b[0] - a[0], b[1] - a[1]];
      for (const e of hinge.edges) {
        const loop = loops.find((l) => l.edges.includes(e))!;
        for (const v of top.edges[e].ends) {
          const beside = loop.edges.find((x) => x !== e && top.edges[x].ends.includes(v));
          if (beside === undefined) continue;
          const end = top.edges[e].ends[0] === v ? 0 : 1;
          const corner = pointOn(top.edges[e].course, end);
          if (hinge.edges.includes(beside)) {
            const at = flat(corner);
            out.set(cornerKey(v, patch), { at: [at[0] - away[0] * cutBack, at[1] - away[1] * cutBack], point: corner });
            continue;
          }
          const next = top.edges[beside];
          const from = next.ends[0] === v ? 0 : 1;
          const [p, q] = [from, 1 - from].map((t) => pointOn(next.course, t));
          const [u, w] = [flat(p), flat(q)];
          const along: P2 = [w[0] - u[0], w[1] - u[1]];
          const den = crossOf(along, dir);
          const share = crossOf([line[0] - u[0], line[1] - u[1]], dir) / den;
          if (!next.straight || Math.abs(den) < 1e-12 || !(share > 0 && share < 1)) {
            throw new Unusable(
              'sharp-outside',
              `The bend at ${placeText(corner)} is drawn with a sharp outer corner, and the edge beside it can't be cut back by ${cutBack.toFixed(2)} mm.`,
              'Round the outer corner by the thickness, or pick the inner side as the fixed wall.',
            );
          }
          out.set(cornerKey(v, patch), { at: [u[0] + along[0] * share, u[1] + along[1] * share], point: add(p, scaled(sub(q, p), share)) });
        }
      }
    }
  }
  return out;
}
