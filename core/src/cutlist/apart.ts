import Flatbush from 'flatbush';
import type { Contour, Drawing } from '../curves/drawing.ts';
import { flattened } from '../curves/flatten.ts';
import { pointInside, type Nested } from '../curves/nest.ts';
import type { P2 } from '../curves/segment.ts';

/** Outlines are compared by chords within this of the curves, mm. */
export const fine = 0.002;

/** Square of the distance from a place to a chord. */
export function toChord(x: number, y: number, [ax, ay]: P2, [bx, by]: P2): number {
  const [dx, dy] = [bx - ax, by - ay];
  const long = dx * dx + dy * dy;
  const t = long > 0 ? Math.min(1, Math.max(0, ((x - ax) * dx + (y - ay) * dy) / long)) : 0;
  return (x - ax - t * dx) ** 2 + (y - ay - t * dy) ** 2;
}

/** The nearest that chords of different parts come to each other, and how many pairs cross or lie in each other. Openings count with their part. */
export function distances(layers: Drawing['layers'], nested: readonly Nested[], explained: ReadonlySet<Contour>): { apart: number; overlaps: number } {
  // Every contour belongs to the part that it is the outside of, or an opening or island of.
  const owner = new Map<number, number>();
  let next = 0;
  nested.forEach((n, i) => {
    const own = n.depth % 2 === 0 && !explained.has(layers[n.layer].contours[n.contour]);
    owner.set(i, own ? next++ : (owner.get(n.around) ?? -1));
  });
  const chords: { a: P2; b: P2; of: number }[] = [];
  nested.forEach((n, i) => {
    const ring = flattened(layers[n.layer].contours[n.contour].segments, fine);
    for (let k = 1; k < ring.length; k++) chords.push({ a: ring[k - 1], b: ring[k], of: owner.get(i)! });
  });
  if (next < 2 || chords.length === 0) return { apart: Infinity, overlaps: 0 };
  const index = new Flatbush(chords.length);
  for (const { a, b } of chords) index.add(Math.min(a[0], b[0]), Math.min(a[1], b[1]), Math.max(a[0], b[0]), Math.max(a[1], b[1]));
  index.finish();
  let apart = reach;
  const crossing = new Set<string>();
  for (const c of chords) {
    const hits = index.search(Math.min(c.a[0], c.b[0]) - apart, Math.min(c.a[1], c.b[1]) - apart, Math.max(c.a[0], c.b[0]) + apart, Math.max(c.a[1], c.b[1]) + apart, (k) => chords[k].of > c.of); // prettier-ignore
    for (const k of hits) {
      const d = chords[k];
      if (cross(c.a, c.b, d.a, d.b)) crossing.add(`${c.of} ${d.of}`);
      apart = Math.min(apart, Math.sqrt(Math.min(toChord(...c.a, d.a, d.b), toChord(...c.b, d.a, d.b), toChord(...d.a, c.a, c.b), toChord(...d.b, c.a, c.b))));
    }
  }
  for (const pair of lyingIn(layers, nested, owner)) crossing.add(pair);
  return { apart: crossing.size > 0 ? 0 : apart, overlaps: crossing.size };
}

/** A place this far within the material of another part is no touch, mm. */
const deep = 1e-3;

/** Pairs of parts of which one has a place of its border in the inside of the other: they overlap though no borders cross, as two in line do. */
function lyingIn(layers: Drawing['layers'], nested: readonly Nested[], owner: ReadonlyMap<number, number>): Set<string> {
  const rings = new Map<number, P2[][]>();
  nested.forEach((n, i) => {
    const ring = flattened(layers[n.layer].contours[n.contour].segments, fine);
    rings.set(owner.get(i)!, [...(rings.get(owner.get(i)!) ?? []), ring]);
  });
  const parts = [...rings].map(([of, list]) => ({ of, list, flat: list.map((r) => r.slice(0, -1).flat()), box: list.flat().reduce((b, [x, y]) => [Math.min(b[0], x), Math.min(b[1], y), Math.max(b[2], x), Math.max(b[3], y)], [Infinity, Infinity, -Infinity, -Infinity]) })); // prettier-ignore
  const index = new Flatbush(Math.max(1, parts.length));
  if (parts.length === 0) index.add(0, 0, 0, 0);
  for (const p of parts) index.add(p.box[0], p.box[1], p.box[2], p.box[3]);
  index.finish();
  const found = new Set<string>();
  for (const a of parts)
    for (const k of index.search(a.box[0], a.box[1], a.box[2], a.box[3])) {
      const b = parts[k];
      if (b === a || found.has(`${Math.min(a.of, b.of)} ${Math.max(a.of, b.of)}`)) continue;
      const inside = ([x, y]: P2): boolean => {
        if (x <= b.box[0] || x >= b.box[2] || y <= b.box[1] || y >= b.box[3]) return false;
        if (b.flat.reduce((n, r) => n + Number(pointInside(r, x, y)), 0) % 2 === 0) return false;
        return b.list.every((r) => r.every((p, i) => i === 0 || toChord(x, y, r[i - 1], p) > deep * deep));
      };
      const meets = a.list.some((r) => r.some((p, i) => i > 0 && (inside(p) || inside([(p[0] + r[i - 1][0]) / 2, (p[1] + r[i - 1][1]) / 2]))));
      if (meets) found.add(`${Math.min(a.of, b.of)} ${Math.max(a.of, b.of)}`);
    }
  return found;
}

/** Distances are looked for up to this, mm. */
const reach = 60;

function cross(a: P2, b: P2, c: P2, d: P2): boolean {
  const side = (p: P2, q: P2, r: P2) => (q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0]);
  return side(a, b, c) * side(a, b, d) < 0 && side(c, d, a) * side(c, d, b) < 0;
}
