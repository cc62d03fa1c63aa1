import type { Surface } from '../surfaces/surfaces.ts';
import { add, cross, distance, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import { Unusable } from '../base/finding.ts';
import { boxOf, diagonalOf } from '../geometry/box.ts';
import { buildBvh } from '../geometry/bvh/build.ts';
import { edgesOf, nextCorner, type Edges } from '../geometry/edges.ts';
import { flatRegions, listsOf, planeOf } from '../geometry/flat-regions.ts';
import { crossOfTriangle, vertexOf } from '../geometry/triangle.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { areaOf, numberBodies, signOf, type Topology, type TopologyEdge, type TopologyFace } from './topology.ts';

/** Vertices this near a plane or cylinder lie on it, as a share of the diagonal: float32 in an STL leaves less. */
const nearShare = 2e-6;
/** Facets of a bend turn by less than this from one to the next. */
const mostTurn = (40 * Math.PI) / 180;
const leastTurn = (0.05 * Math.PI) / 180;
/** More than these, and it is no mesh of a folded part: refused before minutes are spent. */
const mostTriangles = 400_000;
const mostRegions = 60_000;

/** A border between two flat regions; only straight ones can be rulings. */
interface Run {
  other: number;
  straight: boolean;
  along: Vec3;
  at: Vec3;
  length: number;
  turn: number;
}

/**
 * Faces of a mesh of a folded part: triangles in one plane are a wall or cut edge, strips whose corners lie on one cylinder are a bend or a
 * round hole. Corners are kept, so straight edges and rulings are as exact as the file; round edges come as corners and get arcs fitted.
 * @throws Unusable when the mesh is not closed.
 */
export function topologyOfMesh(mesh: Mesh): Topology {
  const vertices = mesh.positions.length / 3;
  const count = mesh.triangles.length / 3;
  if (count > mostTriangles) {
    throw new Unusable(
      'too-many-triangles',
      `The mesh has ${count.toLocaleString('en')} triangles; walls and bends are looked for in at most ${mostTriangles.toLocaleString('en')}.`,
      'Make it lighter first (Soundness): flat walls need few triangles.',
    );
  }
  const edges = edgesOf(mesh.triangles, vertices);
  if (edges.open > 0 || edges.nonManifold > 0) {
    throw new Unusable(
      'not-closed',
      `The mesh is not closed: ${edges.open} open and ${edges.nonManifold} non-manifold edges. Inside and outside of the sheet can't be told.`,
      'Mend it first (Soundness).',
    );
  }
  const diagonal = diagonalOf(boxOf(mesh.positions));
  const near = Math.max(1e-4, diagonal * nearShare);
  const label = flatRegions(mesh, edges, near);
  const regions = listsOf(label);
  if (regions.length > mostRegions)
    throw new Unusable(
      'no-sheet',
      'The mesh is curved nearly everywhere: it has no walls to unfold.',
      'Unfold sheet parts only: walls of one thickness, joined by bends.',
    );
  const rounds = roundRegions(stripsOf({ mesh, edges, label, regions, near }));
  const faces: TopologyFace[] = [];
  const faceOf = new Uint32Array(label.length);
  const used = new Set<number>();
  const addFace = (surface: Surface, list: number[]) => {
    const triangles = Uint32Array.from(list);
    for (const t of list) faceOf[t] = faces.length;
    faces.push({
      surface,
      sign: signOf(mesh, triangles, surface),
      edges: [],
      area: areaOf(mesh, triangles),
      triangles,
      body: 0,
      fit: fitOf(mesh, triangles, surface),
    });
  };
  for (const round of rounds) {
    for (const r of round.regions) used.add(r);
    addFace(
      round.surface,
      round.regions.flatMap((r) => regions[r]),
    );
  }
  regions.forEach((list, r) => {
    if (!used.has(r)) addFace(planeOf(mesh, list), list);
  });
  const borders = bordersOf(mesh, edges, faceOf, near);
  borders.forEach((edge, e) => {
    for (const f of new Set(edge.faces)) faces[f].edges.push(e);
  });
  return { faces, edges: borders, mesh, faceOf, bvh: buildBvh(mesh), diagonal, exact: false, bodies: numberBodies(faces, borders) };
}

function fitOf(mesh: Mesh, triangles: Uint32Array, s: Surface): number {
  let worst = 0;
  for (const t of triangles) {
    for (let k = 0; k < 3; k++) {
      const p = sub(vertexOf(mesh, mesh.triangles[t * 3 + k]), 'frame' in s ? s.frame.at : [0, 0, 0]);
      if (s.kind === 'plane') worst = Math.max(worst, Math.abs(dot(p, s.frame.z)));
      else if (s.kind === 'cylinder') worst = Math.max(worst, Math.abs(lengthOf(sub(p, scaled(s.frame.z, dot(p, s.frame.z)))) - s.r));
    }
  }
  return worst;
}

interface Round {
  surface: Extract<Surface, { kind: 'cylinder' }>;
  regions: number[];
}

type GrownRound = Round & { score: number };

/** Flat regions of a mesh: their triangles, and the region of each triangle. `near`: what counts as the same place, mm. */
interface FlatRegions {
  mesh: Mesh;
  edges: Edges;
  label: Int32Array;
  regions: number[][];
  near: number;
}

/** The same with their borders and corners, as strips of rounds are looked for. */
interface Strips extends Pick<FlatRegions, 'mesh' | 'regions' | 'near'> {
  runs: Run[][];
  corners: number[][];
}

/** Sets of flat strips whose corners lie on one cylinder. The best are taken first: many strips, walls that touch them tangentially. */
function roundRegions(strips: Strips): Round[] {
  const { mesh, regions, runs, corners, near } = strips;
  const found: GrownRound[] = tangentRounds(strips);
  const tried = new Set<number>();
  for (let r = 0; r < regions.length; r++) {
    if (corners[r].length > 64) continue;
    for (const run of runs[r]) {
      if (!run.straight || corners[run.other].length > 64 || run.turn > mostTurn || run.turn < leastTurn) continue;
      const key = Math.min(r, run.other) * regions.length + Math.max(r, run.other);
      if (tried.has(key)) continue;
      tried.add(key);
      const axis = unit(run.along);
      // Facets of one round are about as wide as each other; a wall and the first facet beside it lie on some cylinder, too.
      const [one, two] = [r, run.other].map((k) => widthOf(mesh, corners[k], axis));
      if (Math.max(one, two) > widerBy * Math.min(one, two)) continue;
      const circle = circleOf(mesh, [...corners[r], ...corners[run.other]], axis, near);
      if (!circle) continue;
      found.push(grow(strips, [r, run.other], axis, circle));
    }
  }
  found.sort((a, b) => b.score - a.score || a.surface.r - b.surface.r);
  const used = new Set<number>();
  const out: Round[] = [];
  for (const f of found) {
    if (f.regions.some((r) => used.has(r))) continue;
    for (const r of f.regions) used.add(r);
    out.push(f);
  }
  return out;
}

/** Facets of one round differ in width by less than this factor, where they begin it. */
const widerBy = 4;

/**
 * Rounds that begin at a flat wall: the cylinder touches the wall along the straight border, and its radius follows from the far
 * corners of the facet beyond. Facets round a hole in a bend are no strips, but their corners lie on it all the same.
 */
function tangentRounds(strips: Strips): GrownRound[] {
  const { mesh, regions, runs, corners, near } = strips;
  const out: GrownRound[] = [];
  for (let r = 0; r < regions.length; r++) {
    const n = unit(regions[r].reduce((sum, t) => add(sum, crossOfTriangle(mesh, t)), [0, 0, 0] as Vec3));
    for (const run of runs[r]) {
      if (!run.straight || run.turn > mostTurn || run.turn < leastTurn || corners[run.other].length > 64) continue;
      const axis = unit(run.along);
      // Beyond the border the facet is narrower than the wall, or it is no facet.
      if (widthOf(mesh, corners[r], axis) < widthOf(mesh, corners[run.other], axis)) continue;
      let far = near * 4;
      let r2 = 0;
      let side = 0;
      for (const v of corners[run.other]) {
        const from = sub(vertexOf(mesh, v), run.at);
        const w = sub(from, scaled(axis, dot(from, axis)));
        const h = dot(w, n);
        if (lengthOf(w) <= far || Math.abs(h) < near) continue;
        far = lengthOf(w);
        r2 = (far * far) / (2 * Math.abs(h));
        side = Math.sign(h);
      }
      if (!(r2 > near * 10)) continue;
      const circle = { at: add(run.at, scaled(n, side * r2)), r: r2 };
      const on = corners[run.other].every((v) => {
        const p = sub(vertexOf(mesh, v), circle.at);
        return Math.abs(lengthOf(sub(p, scaled(axis, dot(p, axis)))) - r2) <= near * 2;
      });
      if (!on) continue;
      const grown = grow(strips, [run.other], axis, circle);
      if (grown.regions.length >= 2) out.push({ ...grown, score: grown.score + 1 });
    }
  }
  return out;
}

function stripsOf(flat: FlatRegions): Strips {
  const { mesh, regions, near } = flat;
  const corners = regions.map((list) => [...new Set(list.flatMap((t) => [0, 1, 2].map((k) => mesh.triangles[t * 3 + k])))]);
  return { mesh, regions, corners, near, runs: runsOf(flat) };
}

/** Straight borders of each region with its neighbours. */
function runsOf({ mesh, edges, label, regions, near }: FlatRegions): Run[][] {
  return regions.map((list) => {
    const byOther = new Map<number, [number, number][]>();
    for (const t of list) {
      for (let k = 0; k < 3; k++) {
        const other = edges.across[t * 3 + k];
        if (other < 0) continue;
        const r = label[Math.floor(other / 3)];
        if (r === label[t]) continue;
        const pair: [number, number] = [mesh.triangles[t * 3 + k], mesh.triangles[nextCorner(t * 3 + k)]];
        const known = byOther.get(r);
        if (known) known.push(pair);
        else byOther.set(r, [pair]);
      }
    }
    const own = unit(list.reduce((n, t) => add(n, crossOfTriangle(mesh, t)), [0, 0, 0] as Vec3));
    const runs: Run[] = [];
    for (const [other, pairs] of byOther) {
      const all = pairs.flat().map((v) => vertexOf(mesh, v));
      let [a, b] = [all[0], all[1]];
      for (const p of all) if (distance(a, p) > distance(a, b)) b = p;
      for (const p of all) if (distance(b, p) > distance(a, b)) a = p;
      const along = unit(sub(b, a));
      const straight = all.every((p) => lengthOf(cross(sub(p, a), along)) <= near);
      const there = unit(regions[other].reduce((n, t) => add(n, crossOfTriangle(mesh, t)), [0, 0, 0] as Vec3));
      runs.push({ other, straight, along, at: a, length: distance(a, b), turn: Math.acos(Math.max(-1, Math.min(1, dot(own, there)))) });
    }
    return runs;
  });
}

interface Circle {
  at: Vec3;
  r: number;
}

/** The circle that vertices lie on when one looks along an axis; null unless they stand at exactly three places there. */
function circleOf(mesh: Mesh, vertices: number[], axis: Vec3, near: number): Circle | null {
  const x = unit(cross(Math.abs(axis[0]) < 0.6 ? [1, 0, 0] : [0, 1, 0], axis));
  const y = cross(axis, x);
  const places: [number, number][] = [];
  for (const v of vertices) {
    const p = vertexOf(mesh, v);
    const q: [number, number] = [dot(p, x), dot(p, y)];
    if (!places.some((o) => Math.hypot(o[0] - q[0], o[1] - q[1]) <= near * 4)) places.push(q);
    if (places.length > 3) return null;
  }
  return places.length === 3 ? through(places, x, y) : null;
}

/** Least-squares circle. Source: Kasa, A circle fitting procedure, 1976 (from memory). */
function through(places: [number, number][], x: Vec3, y: Vec3): Circle | null {
  const n = places.length;
  const mx = places.reduce((s, p) => s + p[0], 0) / n;
  const my = places.reduce((s, p) => s + p[1], 0) / n;
  let [uu, uv, vv, uz, vz] = [0, 0, 0, 0, 0];
  let zz = 0;
  for (const p of places) {
    const [u, v] = [p[0] - mx, p[1] - my];
    const z = u * u + v * v;
    uu += u * u;
    uv += u * v;
    vv += v * v;
    uz += u * z;
    vz += v * z;
    zz += z;
  }
  const det = uu * vv - uv * uv;
  if (Math.abs(det) < 1e-12 * (uu + vv) ** 2) return null;
  const a = (uz * vv - vz * uv) / (2 * det);
  const b = (vz * uu - uz * uv) / (2 * det);
  return { at: add(scaled(x, a + mx), scaled(y, b + my)), r: Math.sqrt(zz / n + a * a + b * b) };
}

/** Adds neighbours whose corners all lie on the cylinder, fits it to all of them, and looks again while that finds more. */
function grow(strips: Strips, seed: readonly number[], axis: Vec3, circle: Circle): GrownRound {
  let best = grownOnce(strips, seed, axis, circle);
  for (let round = 0; round < 3; round++) {
    const { r, frame } = best.surface;
    const again = grownOnce(strips, seed, axis, { at: frame.at, r });
    if (again.regions.length <= best.regions.length) break;
    best = again;
  }
  return best;
}

function grownOnce({ mesh, runs, corners, near }: Strips, seed: readonly number[], axis: Vec3, circle: Circle): GrownRound {
  const on = (r: number) =>
    corners[r].length <= 64 &&
    corners[r].every((v) => {
      const p = sub(vertexOf(mesh, v), circle.at);
      return Math.abs(lengthOf(sub(p, scaled(axis, dot(p, axis)))) - circle.r) <= near * 2;
    });
  const list = [...seed];
  const member = new Set(list);
  let tangents = 0;
  for (let i = 0; i < list.length; i++) {
    for (const run of runs[list[i]]) {
      if (member.has(run.other)) continue;
      // Round a hole the facets of a bend are no strips, but their corners lie on it all the same.
      if (run.turn < mostTurn && on(run.other)) {
        member.add(run.other);
        list.push(run.other);
        continue;
      }
      if (!run.straight || lengthOf(cross(run.along, axis)) > 1e-3) continue;
      // The wall beyond touches the cylinder when it turns by half of what the last strip spans.
      const chord = widthOf(mesh, corners[list[i]], axis);
      if (Math.abs(run.turn - Math.asin(Math.min(1, chord / (2 * circle.r)))) < 0.01) tangents++;
    }
  }
  const x = unit(cross(Math.abs(axis[0]) < 0.6 ? [1, 0, 0] : [0, 1, 0], axis));
  const y = cross(axis, x);
  const places = list.flatMap((r) => corners[r].map((v): [number, number] => [dot(vertexOf(mesh, v), x), dot(vertexOf(mesh, v), y)]));
  const best = through(places, x, y) ?? circle;
  return {
    regions: list,
    score: list.length + 2 * Math.min(2, tangents),
    surface: { kind: 'cylinder', r: best.r, frame: { at: best.at, x, y, z: axis } },
  };
}

/** Distance of the two rulings of a strip. */
function widthOf(mesh: Mesh, vertices: number[], axis: Vec3): number {
  const first = vertexOf(mesh, vertices[0]);
  let most = 0;
  for (const v of vertices) {
    const p = sub(vertexOf(mesh, v), first);
    most = Math.max(most, lengthOf(sub(p, scaled(axis, dot(p, axis)))));
  }
  return most;
}

/** Borders between faces as chains of mesh edges, ended where other faces come in. */
function bordersOf(mesh: Mesh, edges: Edges, faceOf: Uint32Array, near: number): TopologyEdge[] {
  const at = new Map<number, number[]>();
  const links: { ends: [number, number]; faces: [number, number]; used: boolean }[] = [];
  for (let c = 0; c < mesh.triangles.length; c++) {
    const other = edges.across[c];
    if (other < c) continue;
    const [f, g] = [faceOf[Math.floor(c / 3)], faceOf[Math.floor(other / 3)]];
    if (f === g) continue;
    const ends: [number, number] = [mesh.triangles[c], mesh.triangles[nextCorner(c)]];
    for (const v of ends) {
      const list = at.get(v);
      if (list) list.push(links.length);
      else at.set(v, [links.length]);
    }
    links.push({ ends, faces: [f, g], used: false });
  }
  const same = (a: number, b: number) => new Set([...links[a].faces, ...links[b].faces]).size === 2;
  const passes = (v: number) => {
    const list = at.get(v)!;
    return list.length === 2 && same(list[0], list[1]);
  };
  const out: TopologyEdge[] = [];
  const follow = (first: number, start: number) => {
    const chain = [start];
    let link = first;
    let v = start;
    for (;;) {
      links[link].used = true;
      v = links[link].ends[0] === v ? links[link].ends[1] : links[link].ends[0];
      chain.push(v);
      if (v === start || !passes(v)) break;
      const next = at.get(v)!.find((l) => !links[l].used);
      if (next === undefined) break;
      link = next;
    }
    const points = new Float64Array(chain.length * 3);
    chain.forEach((p, i) => points.set(vertexOf(mesh, p), i * 3));
    const [a, b] = [vertexOf(mesh, start), vertexOf(mesh, v)];
    const along = unit(sub(b, a));
    const straight = v !== start && chain.every((p) => lengthOf(cross(sub(vertexOf(mesh, p), a), along)) <= near);
    out.push({ course: { kind: 'corners', points }, ends: [start, v], faces: [...links[first].faces], straight });
  };
  for (const [v, list] of at) if (!passes(v)) for (const l of list) if (!links[l].used) follow(l, v);
  links.forEach((link, i) => {
    if (!link.used) follow(i, link.ends[0]);
  });
  return out;
}
