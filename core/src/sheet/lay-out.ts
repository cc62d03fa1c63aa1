import type { Hinge, Skin } from './hinges.ts';
import { crossOf, distance, type P2 } from '../curves/segment.ts';
import { lengthOf, sub, type Vec3 } from '../geometry/vector.ts';
import type { Finding } from '../base/finding.ts';
import type { BendGroup } from './bends.ts';
import type { FlattenChoice } from './pattern.ts';
import { placeOnto, put, type FlatPlace } from './pieces.ts';
import type { Thickness } from './thickness.ts';
import { pointOn, type Topology } from './topology.ts';

/** How far two ways to the same wall may be apart on the flat and still be one, as a share of the diagonal. */
const sameWay = 1e-6;

/** A wall placed on the flat. */
export interface Placed {
  place: FlatPlace[];
  /** Patch that each hangs on; -1 for the fixed wall. */
  parent: number[];
  hinge: (Hinge | null)[];
  /** Order in which they were placed. */
  order: number[];
  groups: BendGroup[];
  /** Group of each patch, and of each sharp hinge. */
  groupOf: Int32Array;
  sharpGroup: Map<Hinge, number>;
}

/** One side of a sheet, followed over its bends and laid into a plane. */
export interface Laid {
  top: Topology;
  skin: Skin;
  placed: Placed;
}

/** What a flat is drawn from: the sheet laid into a plane, how thick it is, and what is asked; `findings` grow on the way. */
export interface LaidSheet extends Laid {
  thick: Thickness;
  choice: FlattenChoice;
  findings: Finding[];
}

/** Lays every patch beside its parent, breadth first, and holds further hinges against what is there. */
export function layOut(
  top: Topology,
  skin: Skin,
  found: { groups: BendGroup[]; groupOf: Int32Array; sharpGroup: Map<Hinge, number> },
): Placed & { clash: { a: number; b: number; off: number; hinge: Hinge } | null } {
  const n = skin.patches.length;
  const placed: Placed = {
    place: new Array<FlatPlace>(n),
    parent: new Array<number>(n).fill(-1),
    hinge: new Array<Hinge | null>(n).fill(null),
    order: [0],
    ...found,
  };
  placed.place[0] = { c: 1, s: 0, x: 0, y: 0 };
  const done = new Set([0]);
  const tolerance = Math.max(1e-5, top.diagonal * sameWay, ...top.faces.map((f) => f.fit * 10));
  for (let i = 0; i < placed.order.length; i++) {
    const p = placed.order[i];
    for (const hinge of skin.hinges) {
      if (hinge.a !== p && hinge.b !== p) continue;
      const q = hinge.a === p ? hinge.b : hinge.a;
      const there = placeBeyond({ top, skin, placed }, hinge, p, q);
      if (!done.has(q)) {
        done.add(q);
        placed.place[q] = there;
        placed.parent[q] = p;
        placed.hinge[q] = hinge;
        placed.order.push(q);
        continue;
      }
      if (placed.hinge[p] === hinge || placed.hinge[q] === hinge) continue;
      let off = 0;
      for (const e of hinge.edges)
        for (const t of [0, 1]) {
          const local = skin.patches[q].develop.at(pointOn(top.edges[e].course, t));
          off = Math.max(off, distance(put(there, local), put(placed.place[q], local)));
        }
      if (off > tolerance) return { ...placed, clash: { a: p, b: q, off, hinge } };
    }
  }
  return { ...placed, clash: null };
}

/** Where a patch comes to lie beyond a hinge. A sharp hinge leaves room for its bend between the two walls. */
function placeBeyond(laid: Laid, hinge: Hinge, p: number, q: number): FlatPlace {
  const { from, to, a, b, away } = hingeLine(laid, hinge, p);
  const { skin, placed } = laid;
  const Q = skin.patches[q].develop;
  if (hinge.sharp === 0) return placeOnto(Q.at(from), Q.at(to), a, b);
  const { zone, cutBack } = placed.groups[placed.sharpGroup.get(hinge)!];
  const width = zone - 2 * cutBack;
  const shift: P2 = [away[0] * width, away[1] * width];
  return placeOnto(Q.at(from), Q.at(to), [a[0] + shift[0], a[1] + shift[1]], [b[0] + shift[0], b[1] + shift[1]]);
}

/** Ends of a hinge's longest edge in space and on the flat, as one of its patches has them, and the way across it, away from that patch. */
export function hingeLine({ top, skin, placed }: Laid, hinge: Hinge, patch: number): { from: Vec3; to: Vec3; a: P2; b: P2; away: P2 } {
  const edge = top.edges[longest(top, hinge.edges)];
  const [from, to] = [pointOn(edge.course, 0), pointOn(edge.course, 1)];
  const flat = (v: Vec3): P2 => put(placed.place[patch], skin.patches[patch].develop.at(v));
  const [a, b]: P2[] = [from, to].map(flat);
  const face = edge.faces.find((f) => skin.patchOf[f] === patch)!;
  return { from, to, a, b, away: awayFrom(trianglesOn(top, face, flat), [a, b], flat(pointOn(edge.course, 0.5))) };
}

const longest = (top: Topology, edges: readonly number[]): number => edges.reduce((best, e) => (spanOf(top, e) > spanOf(top, best) ? e : best), edges[0]);

const spanOf = (top: Topology, e: number): number => lengthOf(sub(pointOn(top.edges[e].course, 1), pointOn(top.edges[e].course, 0)));

/** Triangles of a face as they lie on the flat. */
function* trianglesOn({ mesh, faces }: Topology, face: number, flat: (v: Vec3) => P2): Generator<P2[]> {
  const { positions, triangles } = mesh;
  for (const t of faces[face].triangles) {
    yield [0, 1, 2].map((k) => {
      const v = triangles[t * 3 + k] * 3;
      return flat([positions[v], positions[v + 1], positions[v + 2]]);
    });
  }
}

/** Unit vector on the flat across a straight edge with its middle, away from the face (its triangles) that lies on one side of it. */
function awayFrom(face: Iterable<P2[]>, [a, b]: [P2, P2], middle: P2): P2 {
  const along: P2 = [b[0] - a[0], b[1] - a[1]];
  const size = Math.hypot(...along);
  const left: P2 = [-along[1] / size, along[0] / size];
  // The face's own triangle at the edge tells on which side its material is.
  let best = Infinity;
  let side = 0;
  for (const corners of face) {
    let far = 0;
    for (const c of corners) {
      const d = (c[0] - a[0]) * left[0] + (c[1] - a[1]) * left[1];
      if (Math.abs(d) > Math.abs(far)) far = d;
    }
    const away = distanceToTriangle(middle, corners);
    if (away < best - 1e-12 || (away < best + 1e-9 && Math.abs(far) > Math.abs(side))) {
      best = Math.min(best, away);
      side = far;
    }
  }
  return side > 0 ? [-left[0], -left[1]] : left;
}

function distanceToTriangle(p: P2, corners: P2[]): number {
  let inside = true;
  let least = Infinity;
  const turn =
    crossOf([corners[1][0] - corners[0][0], corners[1][1] - corners[0][1]], [corners[2][0] - corners[0][0], corners[2][1] - corners[0][1]]) < 0 ? -1 : 1;
  for (let k = 0; k < 3; k++) {
    const a = corners[k];
    const b = corners[(k + 1) % 3];
    const e: P2 = [b[0] - a[0], b[1] - a[1]];
    const f: P2 = [p[0] - a[0], p[1] - a[1]];
    if (turn * crossOf(e, f) < 0) inside = false;
    const t = Math.max(0, Math.min(1, (e[0] * f[0] + e[1] * f[1]) / (e[0] ** 2 + e[1] ** 2 || 1)));
    least = Math.min(least, Math.hypot(f[0] - e[0] * t, f[1] - e[1] * t));
  }
  return inside ? 0 : least;
}
