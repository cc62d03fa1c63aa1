import type { Mesh } from '../src/geometry/mesh.ts';

/** A closed ball of radius r: meridians by parallels, all vertices on the sphere; perhaps wavy. */
export function ballMesh(r: number, meridians: number, parallels: number, at: readonly [number, number, number] = [0, 0, 0], wave = 0): Mesh {
  const positions = new Float64Array((meridians * (parallels - 1) + 2) * 3);
  const put = (i: number, u: number, v: number) => {
    const s = r + wave * Math.sin(5 * u) * Math.sin(4 * v);
    positions.set([at[0] + s * Math.sin(v) * Math.cos(u), at[1] + s * Math.sin(v) * Math.sin(u), at[2] + s * Math.cos(v)], i * 3);
  };
  for (let j = 1; j < parallels; j++) {
    for (let i = 0; i < meridians; i++) put((j - 1) * meridians + i, (2 * Math.PI * i) / meridians, (Math.PI * j) / parallels);
  }
  const top = meridians * (parallels - 1);
  put(top, 0, 0);
  put(top + 1, 0, Math.PI);
  const t: number[] = [];
  for (let i = 0; i < meridians; i++) {
    const n = (i + 1) % meridians;
    t.push(top, i, n);
    for (let j = 0; j < parallels - 2; j++) {
      const [a, b, c, d] = [j * meridians + i, (j + 1) * meridians + i, (j + 1) * meridians + n, j * meridians + n];
      t.push(a, b, c, a, c, d);
    }
    t.push(top + 1, (parallels - 2) * meridians + n, (parallels - 2) * meridians + i);
  }
  return { positions, triangles: Uint32Array.from(t) };
}

/** A mesh moved by an offset; turned inside out when asked. */
export function movedMesh(mesh: Mesh, by: readonly [number, number, number], inverted = false): Mesh {
  const triangles = mesh.triangles.slice();
  if (inverted) for (let i = 0; i < triangles.length; i += 3) [triangles[i + 1], triangles[i + 2]] = [triangles[i + 2], triangles[i + 1]];
  return { positions: mesh.positions.map((v, i) => v + by[i % 3]), triangles };
}

/** Euler number V - E + F of a closed mesh, counted with sets: apart from the code under test. */
export function eulerOf(mesh: Mesh): number {
  const edges = new Set<string>();
  const { triangles: t } = mesh;
  for (let i = 0; i < t.length; i += 3) {
    for (const [a, b] of [[t[i], t[i + 1]], [t[i + 1], t[i + 2]], [t[i + 2], t[i]]]) edges.add(a < b ? `${a}/${b}` : `${b}/${a}`); // prettier-ignore
  }
  return new Set(t).size - edges.size + t.length / 3;
}

/** Whether every edge has two triangles, one each way: counted with a map, apart from the code under test. */
export function closedByMap(mesh: Mesh): boolean {
  const uses = new Map<string, number>();
  const { triangles: t } = mesh;
  for (let i = 0; i < t.length; i += 3) {
    for (const [a, b] of [[t[i], t[i + 1]], [t[i + 1], t[i + 2]], [t[i + 2], t[i]]]) uses.set(`${a}/${b}`, (uses.get(`${a}/${b}`) ?? 0) + 1); // prettier-ignore
  }
  return [...uses].every(([key, n]) => n === 1 && uses.get(key.split('/').reverse().join('/')) === 1);
}

/** A repeatable stream of whole numbers below n (minimal standard generator: Park and Miller, 1988). */
export function dice(seed: number) {
  return (n: number) => (seed = (seed * 16807) % 2147483647) % n;
}
