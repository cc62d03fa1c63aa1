import { Sets } from '../base/sets.ts';
import { curveAt, type Curve } from '../surfaces/curves.ts';
import type { ExactEdge, ExactSolid } from '../surfaces/brep-text.ts';
import type { Surface } from '../surfaces/surfaces.ts';
import { add, cross, distance, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import { crossOfTriangle, middleOfTriangle } from '../geometry/triangle.ts';
import { Unusable } from '../base/finding.ts';
import { boxOf, diagonalOf } from '../geometry/box.ts';
import { buildBvh, type Bvh } from '../geometry/bvh/build.ts';
import { alongRay } from '../geometry/bvh/ray.ts';
import type { Mesh } from '../geometry/mesh.ts';
import type { RawFacets } from '../kernel/facets.ts';

/** The course of an edge: an exact curve between two parameters, or corners of a mesh (xyz). */
export type Course = { kind: 'exact'; curve: Curve; from: number; to: number } | { kind: 'corners'; points: Float64Array };

export interface TopologyEdge {
  course: Course;
  /** Vertex numbers at its start and end; the same for a closed edge. */
  ends: [number, number];
  /** The faces that meet here; one twice for a seam. */
  faces: number[];
  /** Straight within the tolerance of the part. */
  straight: boolean;
}

export interface TopologyFace {
  surface: Surface;
  /** +1 when the outward normal is the natural one of a plane (x cross y) or points away from the axis or centre. */
  sign: 1 | -1;
  /** Edges round the face, in any order. */
  edges: number[];
  area: number;
  /** Its triangles in the mesh. */
  triangles: Uint32Array;
  /** Connected piece it belongs to. */
  body: number;
  /** How far its triangles lie off the surface, or for exact faces its own edges, mm; 0 where both agree. */
  fit: number;
}

/** Faces and edges of one solid with facets that stand for them. Lengths in mm. */
export interface Topology {
  faces: TopologyFace[];
  edges: TopologyEdge[];
  mesh: Mesh;
  /** Face of each triangle. */
  faceOf: Uint32Array;
  bvh: Bvh;
  diagonal: number;
  /** Exact surfaces, or recognised on a mesh. */
  exact: boolean;
  bodies: number;
}

/** Share of the diagonal within which something counts as straight or the same place. */
export const sameShare = 1e-7;

/** Faces and edges of an exact solid. `facets` come in the same order of faces. */
export function topologyOf(solid: ExactSolid, facets: RawFacets): Topology {
  const diagonal = diagonalOf(boxOf(facets.positions));
  const edges: TopologyEdge[] = [];
  const known = new Map<number, number>();
  const faces: TopologyFace[] = [];
  const faceOf = new Uint32Array(facets.triangles.length / 3);
  solid.faces.forEach((face, f) => {
    const own: number[] = [];
    for (const e of face.edges) {
      if (!e.curve) continue;
      let at = known.get(e.id);
      if (at === undefined) {
        at = edges.length;
        known.set(e.id, at);
        edges.push(edgeOf(e, diagonal * sameShare));
      }
      edges[at].faces.push(f);
      own.push(at);
    }
    const triangles = new Uint32Array(facets.starts[f + 1] - facets.starts[f]);
    for (let i = 0; i < triangles.length; i++) {
      triangles[i] = facets.starts[f] + i;
      faceOf[triangles[i]] = f;
    }
    const { surface } = face;
    faces.push({ surface, sign: signOf(facets, triangles, surface), edges: [...new Set(own)], area: areaOf(facets, triangles), triangles, body: 0, fit: 0 });
  });
  for (const [f, face] of faces.entries()) {
    face.fit = edgesOff(face, edges);
    if (face.fit > mostOff) {
      throw new Unusable(
        'surface-off-edges',
        `Face ${f + 1} lies ${face.fit.toPrecision(3)} mm off its own edges: the file does not say where the part is.`,
        'Heal it in the program that made it, and export again.',
      );
    }
  }
  const mesh = { positions: facets.positions, triangles: facets.triangles };
  const top: Topology = { faces, edges, mesh, faceOf, bvh: buildBvh(mesh), diagonal, exact: true, bodies: numberBodies(faces, edges) };
  if (top.bodies > 1) joinCavities(top);
  return top;
}

/** A box that is closed all round has two skins and no edge between them: what lies behind the outer one belongs to its body. */
function joinCavities(top: Topology): void {
  const bodies = new Sets(top.bodies);
  for (const face of top.faces) {
    // Its largest triangle is well inside the face.
    const t = face.triangles.reduce((best, k) => (best < 0 || lengthOfCross(top.mesh, k) > lengthOfCross(top.mesh, best) ? k : best), -1);
    if (t < 0) continue;
    const [p, n] = [middleOfTriangle(top.mesh, t), unit(crossOfTriangle(top.mesh, t))];
    let [hit, at] = [-1, top.diagonal * 2];
    alongRay(top.bvh, { from: p, along: scaled(n, -1), start: top.diagonal * 1e-6, end: at }, (d, triangle) => {
      if (d < at) [hit, at] = [triangle, d];
      return at;
    });
    // Leaving the material there, or only entering something that lies in it.
    if (hit < 0 || dot(n, crossOfTriangle(top.mesh, hit)) >= 0) continue;
    bodies.join(top.faces[top.faceOf[hit]].body, face.body);
  }
  const numbers = new Map<number, number>();
  for (const face of top.faces) {
    const root = bodies.root(face.body);
    if (!numbers.has(root)) numbers.set(root, numbers.size);
    face.body = numbers.get(root)!;
  }
  top.bodies = numbers.size;
}

/** Surfaces that lie farther than this off their own edges are no geometry to unfold, mm. */
export const mostOff = 0.1;
/** Nearer than this they agree, mm: the kernel's own confusion distance and what files round to. */
const agrees = 2e-6;

/** The largest distance of a face's own edges from its surface, mm; 0 where they agree, or where there is no closed form. */
function edgesOff(face: TopologyFace, edges: readonly TopologyEdge[]): number {
  let most = 0;
  for (const e of face.edges) for (const t of [0, 0.25, 0.5, 0.75, 1]) most = Math.max(most, Math.abs(heightOver(face, pointOn(edges[e].course, t)) ?? 0));
  return most > agrees ? most : 0;
}

function edgeOf(e: ExactEdge, same: number): TopologyEdge {
  const course: Course = { kind: 'exact', curve: e.curve!, from: e.from, to: e.to };
  return { course, ends: e.ends, faces: [], straight: isStraight(course, same) };
}

/** Numbers the connected pieces of the faces and returns how many there are. */
export function numberBodies(faces: TopologyFace[], edges: TopologyEdge[]): number {
  for (const face of faces) face.body = -1;
  let bodies = 0;
  for (let f = 0; f < faces.length; f++) {
    if (faces[f].body >= 0) continue;
    const stack = [f];
    faces[f].body = bodies;
    while (stack.length > 0) {
      for (const e of faces[stack.pop()!].edges) {
        // Solids that only touch along an edge are bodies of their own.
        if (edges[e].faces.length > 2) continue;
        for (const g of edges[e].faces)
          if (faces[g].body < 0) {
            faces[g].body = bodies;
            stack.push(g);
          }
      }
    }
    bodies++;
  }
  return bodies;
}

/** Point of a course at share t (0 to 1). */
export function pointOn(course: Course, t: number): Vec3 {
  if (course.kind === 'exact') return curveAt(course.curve, course.from + (course.to - course.from) * t).at;
  const { points } = course;
  const n = points.length / 3 - 1;
  const i = Math.min(n - 1, Math.floor(t * n));
  const k = t * n - i;
  return [0, 1, 2].map((c) => points[i * 3 + c] * (1 - k) + points[i * 3 + 3 + c] * k) as Vec3;
}

function isStraight(course: Course, same: number): boolean {
  if (course.kind === 'exact' && course.curve.kind === 'line') return true;
  const a = pointOn(course, 0);
  const b = pointOn(course, 1);
  if (distance(a, b) < same) return false;
  const along = unit(sub(b, a));
  for (let i = 1; i < 8; i++) if (lengthOf(cross(sub(pointOn(course, i / 8), a), along)) > same) return false;
  return true;
}

const cornerOf = (mesh: Mesh, t: number, k: number): Vec3 => {
  const i = mesh.triangles[t * 3 + k] * 3;
  return [mesh.positions[i], mesh.positions[i + 1], mesh.positions[i + 2]];
};

export function areaOf(mesh: Mesh, triangles: Uint32Array): number {
  let sum = 0;
  for (const t of triangles) sum += lengthOf(crossOfTriangle(mesh, t)) / 2;
  return sum;
}

export function signOf(mesh: Mesh, triangles: Uint32Array, surface: Surface): 1 | -1 {
  // A few triangles tell it; the largest of them most.
  let sum = 0;
  for (let i = 0; i < Math.min(16, triangles.length); i++) {
    const natural = naturalNormal(surface, middleOfTriangle(mesh, triangles[i]));
    if (natural) sum += dot(natural, crossOfTriangle(mesh, triangles[i]));
  }
  return sum < 0 ? -1 : 1;
}

/** x cross y of a plane; away from the axis of a cylinder or cone; null for other surfaces. */
function naturalNormal(s: Surface, p: Vec3): Vec3 | null {
  if (s.kind === 'plane') return unit(cross(s.frame.x, s.frame.y));
  if (s.kind !== 'cylinder' && s.kind !== 'cone') return null;
  const from = sub(p, s.frame.at);
  const height = dot(from, s.frame.z);
  const radial = sub(from, scaled(s.frame.z, height));
  const out = unit(radial);
  if (s.kind === 'cylinder') return out;
  // Below the apex the wall leans the other way.
  const rise = s.r + height * Math.tan(s.half) < 0 ? -1 : 1;
  const [c, n] = [Math.cos(s.half), Math.sin(s.half)];
  return add(scaled(out, c), scaled(s.frame.z, -n * rise));
}

/** Outward normal of a face at a point of it; for surfaces without a closed form that of the nearest triangle. */
export function normalAt(top: Topology, face: number, p: Vec3): Vec3 {
  const { surface, sign, triangles } = top.faces[face];
  const natural = naturalNormal(surface, p);
  if (natural) return scaled(natural, sign);
  let best = -1;
  let least = Infinity;
  for (const t of triangles) {
    // Nearest corner or middle: triangles of such faces are small.
    let d = distance(middleOfTriangle(top.mesh, t), p);
    for (let k = 0; k < 3; k++) d = Math.min(d, distance(cornerOf(top.mesh, t, k), p) * 1.0001 + distance(middleOfTriangle(top.mesh, t), p) * 1e-3);
    if (d < least) {
      least = d;
      best = t;
    }
  }
  return best < 0 ? [0, 0, 1] : unit(crossOfTriangle(top.mesh, best));
}

/** Signed distance of a point from the surface of a face, positive outside; null when there is no closed form. */
export function heightOver(face: TopologyFace, p: Vec3): number | null {
  const { surface: s, sign } = face;
  if (s.kind === 'plane') return sign * dot(unit(cross(s.frame.x, s.frame.y)), sub(p, s.frame.at));
  if (s.kind !== 'cylinder' && s.kind !== 'cone') return null;
  const from = sub(p, s.frame.at);
  const h = dot(from, s.frame.z);
  const r = lengthOf(sub(from, scaled(s.frame.z, h)));
  if (s.kind === 'cylinder') return sign * (r - s.r);
  return sign * (r - Math.abs(s.r + h * Math.tan(s.half))) * Math.cos(s.half);
}

/** A place on the part in words: coordinates to a tenth. */
export const placeText = (p: Vec3): string => `X ${p[0].toFixed(1)}, Y ${p[1].toFixed(1)}, Z ${p[2].toFixed(1)} mm`;

/** Middle of a face: of its largest triangle. */
export function middleOfFace(top: Topology, face: number): Vec3 {
  let best = 0;
  let at: Vec3 = [0, 0, 0];
  for (const t of top.faces[face].triangles) {
    const a = lengthOf(crossOfTriangle(top.mesh, t));
    if (a > best) {
      best = a;
      at = middleOfTriangle(top.mesh, t);
    }
  }
  return at;
}

const surfaceWords: Record<string, string> = { plane: 'flat', cylinder: 'cylinder', cone: 'cone', sphere: 'ball', torus: 'ring', bspline: 'free-form' };
/** A face in words, counted from 1 as everywhere else. */
export const faceText = (top: Topology, face: number): string => `face ${face + 1} (${surfaceWords[top.faces[face].surface.kind] ?? 'free-form'})`;

/** Length of a triangle's cross product: twice its area. */
export const lengthOfCross = (mesh: Mesh, t: number): number => lengthOf(crossOfTriangle(mesh, t));
