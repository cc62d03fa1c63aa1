import { flatRegions, listsOf, planeOf } from '../geometry/flat-regions.ts';
import { vertexOf } from '../geometry/triangle.ts';
import { edgesOf, nextCorner } from '../geometry/edges.ts';
import { boxOf, diagonalOf } from '../geometry/box.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { cross, distance, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import { curveAt, type Curve } from '../surfaces/curves.ts';
import { naturalSign, type ExactSolid } from '../surfaces/brep-text.ts';
import type { Surface } from '../surfaces/surfaces.ts';
import { Unusable } from '../base/finding.ts';
import { circleThrough } from '../geometry/circle.ts';
import { longStraights } from './long-facets.ts';
import type { Sweep } from './sweep.ts';
import { roundForm } from './round-form.ts';

/** An edge of a skin as far as it is straight or an arc; other edges have no form. */
export type EdgeForm =
  { kind: 'line'; at: Vec3; along: Vec3; from: number; to: number } | { kind: 'circle'; at: Vec3; x: Vec3; axis: Vec3; r: number; from: number; to: number };

export interface SkinEdge {
  form: EdgeForm | null;
  /** Numbers of the vertices at its two ends. */
  ends: [number, number];
  /** Faces on it; the same one twice at a seam. */
  faces: number[];
  /** Some points of it, from end to end. */
  points: Vec3[];
}

/** Faces and edges of one or many bodies, where tubes are looked for: exact ones of solids, flat ones of meshes. */
export interface Skin {
  /** `outward`: as in `ExactFace`. */
  faces: { surface: Surface; edges: number[]; body: number; outward: 1 | -1 }[];
  edges: SkinEdge[];
  vertices: Map<number, number[]>;
  /** How exactly points are known, mm. */
  near: number;
  exact: boolean;
  /** By body the face of each triangle of a mesh. */
  faceOfTriangle: Map<number, Int32Array>;
  /** Round straights of meshes whose facets are no flat strips. */
  long: Sweep[];
  /** How far B-splines lie from the planes, cylinders and rings that they were taken for, mm. */
  fit: number;
}

/** B-splines count as planes, cylinders and rings within this, mm; how near they are is told. */
export const splineNear = 1e-3;
/** More faces than these are not looked through. */
const mostFaces = 200_000;

/** Points of an edge, from end to end. */
const perEdge = 9;

export function emptySkin(): Skin {
  return { faces: [], edges: [], vertices: new Map(), near: 0, exact: true, faceOfTriangle: new Map(), long: [], fit: 0 };
}

/** A body of a skin: its number, and how its numbers stand in space. */
export interface BodyPlace {
  number: number;
  place: (p: Vec3) => Vec3;
  turn: (v: Vec3) => Vec3;
  /** mm for one of its numbers. */
  scale: number;
}

/** Adds a solid to a skin. @example addSolid(skin, readBrepText(brep), { number: 0, place: (p) => p, turn: (v) => v, scale: 1 }) */
export function addSolid(skin: Skin, solid: ExactSolid, as: BodyPlace): void {
  const { number: body, place, turn, scale } = as;
  checkCount(skin, solid.faces.length);
  const known = new Map<number, number>();
  const firstVertex = 1_000_000 * body;
  let size = 0;
  for (const face of solid.faces) {
    const { surface, off } = roundForm(face.surface, splineNear / scale);
    skin.fit = Math.max(skin.fit, off * scale);
    const outward = surface === face.surface ? face.outward : ((face.outward * naturalSign(face.surface, surface)) as 1 | -1);
    const own = skin.faces.length;
    const edges: number[] = [];
    for (const edge of face.edges) {
      if (!edge.curve) continue;
      let e = known.get(edge.id);
      if (e === undefined) {
        e = skin.edges.length;
        known.set(edge.id, e);
        const points = Array.from({ length: perEdge }, (_, k) => place(curveAt(edge.curve!, edge.from + ((edge.to - edge.from) * k) / (perEdge - 1)).at));
        for (const p of points) size = Math.max(size, Math.abs(p[0]), Math.abs(p[1]), Math.abs(p[2]));
        skin.edges.push({
          form: formOf(edge, points, as),
          ends: edge.ends.map((v) => firstVertex + v) as [number, number],
          faces: [],
          points,
        });
      }
      skin.edges[e].faces.push(own);
      if (!edges.includes(e)) edges.push(e);
    }
    skin.faces.push({ surface: movedSurface(surface, place, turn, scale), edges, body, outward });
  }
  skin.near = Math.max(skin.near, 1e-9 * size + 1e-7);
  link(skin);
}

/** Adds a mesh: connected triangles in one plane are a face, their straight borders edges. @throws Unusable when it is not closed */
export function addMesh(skin: Skin, mesh: Mesh, body: number): void {
  const edges = edgesOf(mesh.triangles, mesh.positions.length / 3);
  if (edges.open > 0 || edges.nonManifold > 0)
    throw new Unusable('not-closed', `The mesh is not closed: ${edges.open} open and ${edges.nonManifold} non-manifold edges.`, 'Mend it first (Soundness).');
  const near = Math.max(2e-5, diagonalOf(boxOf(mesh.positions)) * 4e-7);
  const label = flatRegions(mesh, edges, near);
  const regions = listsOf(label);
  checkCount(skin, regions.length);
  const first = skin.faces.length;
  const firstVertex = 1_000_000 * body;
  for (const list of regions) skin.faces.push({ surface: planeOf(mesh, list), edges: [], body, outward: 1 });
  // Borders between two regions, put together where they go on in one line.
  const borders = new Map<string, { a: number; b: number; pairs: [number, number][] }>();
  for (let c = 0; c < mesh.triangles.length; c++) {
    const other = edges.across[c];
    if (other < c) continue;
    const [a, b] = [label[Math.floor(c / 3)], label[Math.floor(other / 3)]];
    if (a === b) continue;
    const key = a < b ? `${a} ${b}` : `${b} ${a}`;
    const border = borders.get(key) ?? { a, b, pairs: [] };
    border.pairs.push([mesh.triangles[c], mesh.triangles[nextCorner(c)]]);
    borders.set(key, border);
  }
  for (const { a, b, pairs } of borders.values()) {
    for (const [v, w] of inLines(mesh, pairs, near)) {
      const [p, q] = [vertexOf(mesh, v), vertexOf(mesh, w)];
      const along = unit(sub(q, p));
      const e = skin.edges.length;
      skin.edges.push({
        form: { kind: 'line', at: p, along, from: 0, to: distance(p, q) },
        ends: [firstVertex + v, firstVertex + w],
        faces: [first + a, first + b],
        points: [p, q],
      });
      skin.faces[first + a].edges.push(e);
      skin.faces[first + b].edges.push(e);
    }
  }
  const faceOf = label.map((r) => first + r);
  skin.faceOfTriangle.set(body, faceOf);
  for (const sweep of longStraights({ mesh, edges, faceOf, near })) skin.long.push({ ...sweep, body });
  skin.near = Math.max(skin.near, near);
  skin.exact = false;
  link(skin);
}

/** Chains edges that follow each other in one line. @returns pairs of vertices */
function inLines(mesh: Mesh, pairs: [number, number][], near: number): [number, number][] {
  if (pairs.length === 1) return pairs;
  const at = new Map<number, number[]>();
  pairs.forEach(([v, w], i) => {
    for (const x of [v, w]) at.set(x, [...(at.get(x) ?? []), i]);
  });
  const used = new Uint8Array(pairs.length);
  const out: [number, number][] = [];
  const far = (v: number, i: number) => (pairs[i][0] === v ? pairs[i][1] : pairs[i][0]);
  for (let i = 0; i < pairs.length; i++) {
    if (used[i]) continue;
    used[i] = 1;
    let [v, w] = pairs[i];
    const along = unit(sub(vertexOf(mesh, w), vertexOf(mesh, v)));
    const from = vertexOf(mesh, v);
    const goOn = (end: number): number => {
      for (;;) {
        const next = at.get(end)!.find((k) => !used[k] && lengthOf(cross(sub(vertexOf(mesh, far(end, k)), from), along)) <= near);
        if (next === undefined) return end;
        used[next] = 1;
        end = far(end, next);
      }
    };
    w = goOn(w);
    v = goOn(v);
    out.push([v, w]);
  }
  return out;
}

function checkCount(skin: Skin, more: number): void {
  if (skin.faces.length + more > mostFaces)
    throw new Unusable(
      'too-many-faces',
      `There are more than ${mostFaces.toLocaleString('en')} faces; tubes are looked for in at most so many.`,
      'Ask for fewer parts at once, or make meshes lighter first (Soundness).',
    );
}

function link(skin: Skin): void {
  skin.vertices.clear();
  skin.edges.forEach(({ ends }, e) => {
    for (const v of new Set(ends)) {
      const list = skin.vertices.get(v);
      if (list) list.push(e);
      else skin.vertices.set(v, [e]);
    }
  });
}

type Place = (p: Vec3) => Vec3;

function movedSurface(s: Surface, place: Place, turn: Place, scale: number): Surface {
  switch (s.kind) {
    case 'plane':
    case 'cylinder':
    case 'cone':
    case 'sphere':
    case 'torus': {
      const frame = { at: place(s.frame.at), x: turn(s.frame.x), y: turn(s.frame.y), z: turn(s.frame.z) };
      if (s.kind === 'plane') return { kind: 'plane', frame };
      return s.kind === 'torus' ? { ...s, frame, major: s.major * scale, minor: s.minor * scale } : { ...s, frame, r: s.r * scale };
    }
    case 'extrusion':
      return { ...s, along: unit(turn(s.along)) };
    case 'revolution':
      return { ...s, at: place(s.at), axis: unit(turn(s.axis)) };
    case 'bspline': {
      const poles = new Float64Array(s.poles.length);
      for (let i = 0; i < poles.length; i += 3) poles.set(place([s.poles[i], s.poles[i + 1], s.poles[i + 2]]), i);
      return { ...s, poles };
    }
    default:
      return s;
  }
}

/** A curve as a line or an arc, where it is one. */
function formOf(
  { curve, from, to }: { curve: Curve | null; from: number; to: number },
  points: readonly Vec3[],
  { place, turn, scale }: BodyPlace,
): EdgeForm | null {
  if (!curve) return null;
  if (curve.kind === 'line') {
    const d = turn(curve.along);
    const k = lengthOf(d);
    return { kind: 'line', at: place(curve.at), along: scaled(d, 1 / k), from: from * k * scale, to: to * k * scale };
  }
  if (curve.kind === 'circle') {
    const [x, y] = [turn(curve.x), turn(curve.y)];
    return { kind: 'circle', at: place(curve.at), x, axis: unit(cross(x, y)), r: curve.rx * scale, from, to };
  }
  return lineThrough(points) ?? arcThrough(points);
}

/** A line through points that lie on one. */
function lineThrough(points: readonly Vec3[]): EdgeForm | null {
  const [a, b] = [points[0], points[points.length - 1]];
  const size = distance(a, b);
  if (!(size > 1e-9)) return null;
  const along = scaled(sub(b, a), 1 / size);
  if (points.some((p) => lengthOf(cross(sub(p, a), along)) > splineNear)) return null;
  return { kind: 'line', at: a, along, from: 0, to: size };
}

/** The arc through points that lie on one, from the first to the last. */
function arcThrough(points: readonly Vec3[]): EdgeForm | null {
  const n = points.length;
  const circle = circleThrough(points[0], points[(n - 1) >> 1], points[n - 2]);
  if (!circle) return null;
  const { centre, r, normal } = circle;
  if (points.some((p) => Math.abs(distance(p, centre) - r) > splineNear || Math.abs(dot(sub(p, centre), normal)) > splineNear)) return null;
  const x = unit(sub(points[0], centre));
  const y = cross(normal, x);
  let angle = 0;
  for (let i = 1; i < n; i++) {
    const q = sub(points[i], centre);
    let next = Math.atan2(dot(q, y), dot(q, x));
    while (next < angle - 1e-9) next += 2 * Math.PI;
    angle = next;
  }
  return { kind: 'circle', at: centre, x, axis: normal, r, from: 0, to: angle };
}
