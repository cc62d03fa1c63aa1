import type { Mesh } from './mesh.ts';
import { collapsed, edgesOf, manyEdge, type Edges } from './edges.ts';

/** Which shell each triangle belongs to (joined over edges); -1 for collapsed triangles. Numbered by first triangle. */
export interface Shells {
  of: Int32Array;
  count: number;
}

/** Shells of a mesh: triangles that share an edge with each other, also edges with more than two. O(n). */
export function shellsOf(triangles: Uint32Array, vertices: number, edges: Edges = edgesOf(triangles, vertices)): Shells {
  const count = triangles.length / 3;
  const parent = new Int32Array(count);
  for (let i = 0; i < count; i++) parent[i] = i;
  const root = (i: number): number => {
    while (parent[i] !== i) {
      parent[i] = parent[parent[i]];
      i = parent[i];
    }
    return i;
  };
  const unite = (a: number, b: number) => {
    const ra = root(a);
    const rb = root(b);
    if (ra !== rb) parent[Math.max(ra, rb)] = Math.min(ra, rb);
  };
  const many = new Map<number, number>();
  for (let c = 0; c < triangles.length; c++) {
    const other = edges.across[c];
    if (other > c) unite((c / 3) | 0, (other / 3) | 0);
    else if (other === manyEdge) {
      const v = triangles[c];
      const w = triangles[c % 3 === 2 ? c - 2 : c + 1];
      const key = Math.min(v, w) * vertices + Math.max(v, w);
      const first = many.get(key);
      if (first === undefined) many.set(key, (c / 3) | 0);
      else unite((c / 3) | 0, first);
    }
  }
  const of = new Int32Array(count).fill(-1);
  let shells = 0;
  for (let tri = 0; tri < count; tri++) {
    if (collapsed(triangles, tri)) continue;
    const r = root(tri);
    of[tri] = r === tri ? shells++ : of[r];
  }
  return { of, count: shells };
}

/** The triangles that `keep` takes, with only the vertices that they use; vertex order kept. */
export function keepTriangles(mesh: Mesh, keep: (triangle: number) => boolean): Mesh {
  const { positions, triangles } = mesh;
  const renamed = new Int32Array(positions.length / 3).fill(-1);
  const out = new Uint32Array(triangles.length);
  let at = 0;
  for (let tri = 0; tri < triangles.length / 3; tri++) {
    if (!keep(tri)) continue;
    for (let k = 0; k < 3; k++) {
      const v = triangles[tri * 3 + k];
      renamed[v] = 0;
      out[at++] = v;
    }
  }
  let used = 0;
  for (let v = 0; v < renamed.length; v++) if (renamed[v] === 0) renamed[v] = used++;
  const kept = new Float64Array(used * 3);
  for (let v = 0; v < renamed.length; v++) {
    if (renamed[v] < 0) continue;
    kept[renamed[v] * 3] = positions[v * 3];
    kept[renamed[v] * 3 + 1] = positions[v * 3 + 1];
    kept[renamed[v] * 3 + 2] = positions[v * 3 + 2];
  }
  const indices = out.slice(0, at);
  for (let i = 0; i < at; i++) indices[i] = renamed[indices[i]];
  return { positions: kept, triangles: indices };
}

/** A mesh a shell, in their order; collapsed triangles are left out. */
export function dividedIntoShells(mesh: Mesh): Mesh[] {
  const shells = shellsOf(mesh.triangles, mesh.positions.length / 3);
  // One pass over all: a mesh with thousands of shells must not be gone through once for each.
  const counts = new Uint32Array(shells.count);
  for (const s of shells.of) if (s >= 0) counts[s]++;
  const out: Mesh[] = [];
  const lists = Array.from(counts, (n) => new Uint32Array(n));
  const fill = new Uint32Array(shells.count);
  shells.of.forEach((s, tri) => {
    if (s >= 0) lists[s][fill[s]++] = tri;
  });
  const renamed = new Int32Array(mesh.positions.length / 3).fill(-1);
  for (const list of lists) {
    const used: number[] = [];
    const triangles = new Uint32Array(list.length * 3);
    list.forEach((tri, i) => {
      for (let k = 0; k < 3; k++) {
        const v = mesh.triangles[tri * 3 + k];
        if (renamed[v] < 0) renamed[v] = used.push(v) - 1;
        triangles[i * 3 + k] = renamed[v];
      }
    });
    const positions = new Float64Array(used.length * 3);
    used.forEach((v, i) => {
      positions.set(mesh.positions.subarray(v * 3, v * 3 + 3), i * 3);
      renamed[v] = -1;
    });
    out.push({ positions, triangles });
  }
  return out;
}

/** Several meshes as one list of triangles; nothing is joined or welded. */
export function together(meshes: readonly Mesh[]): Mesh {
  if (meshes.length === 1) return meshes[0];
  const positions = new Float64Array(meshes.reduce((n, m) => n + m.positions.length, 0));
  const triangles = new Uint32Array(meshes.reduce((n, m) => n + m.triangles.length, 0));
  let p = 0;
  let t = 0;
  for (const mesh of meshes) {
    positions.set(mesh.positions, p);
    for (let i = 0; i < mesh.triangles.length; i++) triangles[t + i] = mesh.triangles[i] + p / 3;
    p += mesh.positions.length;
    t += mesh.triangles.length;
  }
  return { positions, triangles };
}
