import Flatbush from 'flatbush';
import { curveAt } from '../surfaces/curves.ts';
import { surfaceAt } from '../surfaces/surfaces.ts';
import { distance, lengthOf } from '../geometry/vector.ts';
import { bridged, NotTaken, type Body } from './body.ts';
import { polygonBox } from './extent.ts';
import { polygonOf, type Trim } from './trim.ts';

/**
 * Whether a body is one that nothing has to be healed on: vertices on their edges, each edge between two faces that go along it opposite ways,
 * loops that go on from vertex to vertex.
 * @param size of the body, mm
 * @param closed whether each edge has to have two sides; else it may end there
 * @returns how far vertices lie off their edges at most, mm
 * @throws NotTaken
 */
export function checkEdges(body: Body, size: number, closed = true): number {
  const near = Math.max(body.tolerance, bridged * size);
  let gap = 0;
  for (const { curve, from, to, start, end } of body.edges) {
    if (!(to > from)) throw new NotTaken('empty-edge');
    const off = Math.max(distance(curveAt(curve, from, 1).at, body.points[start]), distance(curveAt(curve, to, 1).at, body.points[end]));
    if (!(off <= near)) throw new NotTaken('vertex-off-edge');
    gap = Math.max(gap, off);
  }
  const forward = new Uint8Array(body.edges.length);
  const back = new Uint8Array(body.edges.length);
  for (const face of body.faces) {
    for (const loop of face.loops) {
      loop.forEach((use, i) => {
        const list = use.turned ? back : forward;
        if (++list[use.edge] > 1) throw new NotTaken('edge-used-often');
        const next = loop[(i + 1) % loop.length];
        const edge = body.edges[use.edge];
        const after = body.edges[next.edge];
        if ((use.turned ? edge.start : edge.end) !== (next.turned ? after.end : after.start)) throw new NotTaken('open-loop');
      });
    }
  }
  for (let i = 0; closed && i < forward.length; i++) if (forward[i] !== 1 || back[i] !== 1) throw new NotTaken('open-shell');
  return gap;
}

/** Places of the loops of one face at most, and pairs of chords whose boxes meet. */
const mostPlaces = 2_000_000;
const mostPairs = 8_000_000;

/**
 * Whether the loops of a face cross themselves or one another in the parameter plane: chords whose boxes meet (a packed tree of them) are held
 * against each other, O(n log n) for loops that do not lie over one another. Neighbours may touch, and cross by what they lie off their vertex.
 * @throws NotTaken
 */
export function checkCrossings(trim: Trim): void {
  const polygons = trim.loops.map(polygonOf);
  const total = polygons.reduce((n, p) => n + p.length / 2, 0);
  if (total <= 3) return;
  if (total > mostPlaces) throw new NotTaken('long-loops');
  const chords = new Float64Array(total * 4);
  let k = 0;
  for (const p of polygons) {
    for (let i = 0; i < p.length; i += 2) {
      const j = (i + 2) % p.length;
      chords.set([p[i], p[i + 1], p[j], p[j + 1]], k);
      k += 4;
    }
  }
  const tree = new Flatbush(total);
  for (let a = 0; a < chords.length; a += 4) {
    tree.add(
      Math.min(chords[a], chords[a + 2]),
      Math.min(chords[a + 1], chords[a + 3]),
      Math.max(chords[a], chords[a + 2]),
      Math.max(chords[a + 1], chords[a + 3]),
    );
  }
  tree.finish();
  // Edges that lie off their vertices a little cross there by that.
  const there = surfaceAt(trim.on.surface, chords[0], chords[1]);
  const past = Math.max(1e-12, (2 * trim.gap) / Math.max(1e-12, Math.min(lengthOf(there.du) || Infinity, lengthOf(there.dv) || Infinity)));
  let pairs = 0;
  const beside = () => {
    if (++pairs > mostPairs) throw new NotTaken('long-loops');
  };
  const checkChord = (n: number) => {
    const [x0, y0, x1, y1] = [0, 1, 2, 3].map((k) => chords[4 * n + k]);
    tree.search(Math.min(x0, x1), Math.min(y0, y1), Math.max(x0, x1), Math.max(y0, y1), (m) => {
      if (m <= n) return false;
      beside();
      if (crosses(chords, 4 * n, 4 * m, past)) throw new NotTaken('crossing-loops');
      return false;
    });
  };
  let first = 0;
  for (const [i, p] of polygons.entries()) {
    const end = first + p.length / 2;
    // The outline has all others within.
    if (i === 0 || !standsAlone(tree, p, { first, beside })) for (let n = first; n < end; n++) checkChord(n);
    first = end;
  }
}

/** Whether a loop is convex, so that it can't cross itself, and no chord of another comes near it: most holes do. @param first number of its first chord; @param beside counts chords of others that come near */
function standsAlone(tree: Flatbush, p: Float64Array, { first, beside }: { first: number; beside: () => void }): boolean {
  if (!isConvex(p)) return false;
  const [u0, u1, v0, v1] = polygonBox(p);
  const last = first + p.length / 2;
  let alone = true;
  tree.search(u0, v0, u1, v1, (m) => {
    if (m >= first && m < last) return false;
    alone = false;
    beside();
    return false;
  });
  return alone;
}

/** Whether a closed polygon turns one way only, and once round. Source: the directions of its edges change sign twice along each axis. */
function isConvex(p: Float64Array): boolean {
  const n = p.length;
  if (n < 6) return false;
  const signs = [0, 0];
  const changes = [0, 0];
  let sense = 0;
  for (let i = 0; i <= n; i += 2) {
    const [a, b, c] = [i % n, (i + 2) % n, (i + 4) % n];
    const [ux, uy] = [p[b] - p[a], p[b + 1] - p[a + 1]];
    const [vx, vy] = [p[c] - p[b], p[c + 1] - p[b + 1]];
    const way = Math.sign(ux * vy - uy * vx);
    if (way === 0 ? ux * vx + uy * vy < 0 : sense !== 0 && way !== sense) return false;
    sense ||= way;
    [ux, uy].forEach((d, k) => {
      if (d === 0) return;
      if (signs[k] !== 0 && Math.sign(d) !== signs[k]) changes[k]++;
      signs[k] = Math.sign(d);
    });
  }
  return sense !== 0 && changes[0] <= 2 && changes[1] <= 2;
}

/** Whether two chords cross, both going past the other by more than a distance. */
function crosses(c: Float64Array, a: number, b: number, past: number): boolean {
  const side = (o: number, x: number, y: number) => ((c[o + 2] - c[o]) * (y - c[o + 1]) - (c[o + 3] - c[o + 1]) * (x - c[o])) / long(o);
  const long = (o: number) => Math.sqrt((c[o + 2] - c[o]) ** 2 + (c[o + 3] - c[o + 1]) ** 2) || 1;
  const strictly = (p: number, q: number) => (p > past && q < -past) || (p < -past && q > past);
  return strictly(side(a, c[b], c[b + 1]), side(a, c[b + 2], c[b + 3])) && strictly(side(b, c[a], c[a + 1]), side(b, c[a + 2], c[a + 3]));
}
