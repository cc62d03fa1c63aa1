import { edgesOf, lastCorner, nextCorner } from '../geometry/edges.ts';
import { nearestByAsking } from '../geometry/bvh/nearest.ts';
import { add, cross, distance, dot, lengthOf, placeAt, scaled, sub, type Vec3 } from '../geometry/vector.ts';
import { facesRound, type ExactSnap } from './exact.ts';
import { localOf, roundTriangle } from './local.ts';
import { endsOfKey, heldKeys, ownSets, partEdge, type CutMesh } from './parting.ts';

/** Points nearer to a place than this share of their shortest edge are moved there; those that are held stand for it when they are so near. */
const near = { free: 0.25, held: 0.05 };
/** Places nearer to an edge than this share of their triangle's height are put on the edge. */
const nearEdge = 0.05;

/** A surface with a point at a place of it; the point's number. */
export interface Put {
  it: CutMesh;
  vertex: number;
}

/**
 * Puts a point of the surface where a place is nearest to it: a point nearby is moved there, an edge parted, or a triangle.
 * Points on borders, edges between faces and cuts are moved nowhere; what is put on an exact face or edge lies on it.
 */
export function putPoint(it: CutMesh, place: Vec3, snap: ExactSnap | null): Put {
  // Only the triangles round the place are touched.
  const local = localOf(it, roundTriangle(it.mesh, nearestByAsking(it.mesh, place).triangle));
  const put = putInto(local.it, place, snap);
  const whole = local.back(put.it);
  // Edges of the triangle have both their sides among those round it.
  if (!whole) throw new RangeError('an edge beside the place was parted');
  return { it: whole, vertex: local.from(put.vertex) };
}

function putInto(it: CutMesh, place: Vec3, snap: ExactSnap | null): Put {
  const { mesh, face } = it;
  const t = mesh.triangles;
  const found = nearestByAsking(mesh, place);
  const k = found.triangle * 3;
  const q: Vec3 = [found.x, found.y, found.z];
  const corners = [k, k + 1, k + 2];
  const places = corners.map((c) => placeAt(mesh.positions, t[c]));
  const v = corners.map((c) => t[c]).reduce((a, b) => (distance(placeAt(mesh.positions, b), q) < distance(placeAt(mesh.positions, a), q) ? b : a));
  const shortest = Math.min(...[0, 1, 2].map((i) => distance(places[i], places[(i + 1) % 3])));
  const off = distance(placeAt(mesh.positions, v), q);
  if (off <= near.free * shortest) {
    if (isFree(it, v)) return movedTo(it, v, snap ? snap.toFace(face[k / 3], q) : q);
    if (off <= near.held * shortest) return { it, vertex: v };
  }
  const normal = cross(sub(places[1], places[0]), sub(places[2], places[0]));
  const double = lengthOf(normal);
  const side = corners.find((_, i) => {
    const [a, b] = [places[i], places[(i + 1) % 3]];
    const length = distance(a, b);
    return length > 0 && lengthOf(cross(sub(b, a), sub(q, a))) / length <= (nearEdge * double) / length;
  });
  if (side !== undefined) return onEdge(it, side, q, snap);
  const own = snap ? snap.toFace(face[k / 3], q) : q;
  const [a, b, c] = corners.map((i) => t[i]);
  const vertex = mesh.positions.length / 3;
  const triangles = Array.from(t);
  triangles.splice(k, 3, a, b, vertex);
  triangles.push(b, c, vertex, c, a, vertex);
  return { it: { ...it, mesh: withPoint(it, own, triangles), face: Int32Array.from([...face, face[k / 3], face[k / 3]]) }, vertex };
}

const withPoint = ({ mesh }: CutMesh, place: Vec3, triangles: readonly number[]) => ({
  positions: Float64Array.from([...mesh.positions, ...place]),
  triangles: Uint32Array.from(triangles),
});

/** Whether nothing holds a point: no border, no edge between faces, no cut. */
function isFree(it: CutMesh, v: number): boolean {
  const { faces, rim } = facesRound(it.mesh, it.face);
  for (const key of heldKeys(it)) if (endsOfKey(key).includes(v)) return false;
  return !rim[v] && faces[v].length === 1;
}

function movedTo(it: CutMesh, v: number, place: Vec3): Put {
  const positions = it.mesh.positions.slice();
  positions.set(place, v * 3);
  return { it: { ...it, mesh: { ...it.mesh, positions } }, vertex: v };
}

/** An edge parted where a place is nearest to it, with the triangle on its other side. */
function onEdge(it: CutMesh, c: number, q: Vec3, snap: ExactSnap | null): Put {
  const { mesh, face } = it;
  const t = mesh.triangles;
  const [va, vb] = [t[c], t[nextCorner(c)]];
  const [a, b] = [placeAt(mesh.positions, va), placeAt(mesh.positions, vb)];
  const along = sub(b, a);
  const share = Math.min(1, Math.max(0, dot(sub(q, a), along) / dot(along, along)));
  const { across } = edgesOf(t, mesh.positions.length / 3);
  const other = across[c];
  const [own, their] = [face[(c / 3) | 0], other < 0 ? -1 : face[(other / 3) | 0]];
  const middle = add(a, scaled(along, share));
  const place = !snap
    ? middle
    : own === their
      ? snap.toFace(own, middle)
      : (snap.between(their < 0 ? [own] : [own, their].sort((x, y) => x - y), { a, b }, middle) ?? middle);
  const vertex = mesh.positions.length / 3;
  const triangles = Array.from(t);
  const faces = Array.from(face);
  for (const corner of other < 0 ? [c] : [c, other]) {
    // (from, to, last) becomes (from, new, last) and (new, to, last).
    const [to, last] = [t[nextCorner(corner)], t[lastCorner(corner)]];
    triangles[nextCorner(corner)] = vertex;
    triangles.push(vertex, to, last);
    faces.push(face[(corner / 3) | 0]);
  }
  const sets = ownSets(it);
  partEdge(sets, [va, vb], vertex);
  return { it: { mesh: withPoint(it, place, triangles), face: Int32Array.from(faces), ...sets }, vertex };
}
