import type { Mesh } from '../geometry/mesh.ts';

/** How a hole is closed: with the least area (flat where it can be), or bent to go on as the surface around it does. */
export type HoleFill = 'flat' | 'surface';

/** Loops of more edges than this are clipped ear by ear in a plane; the exact least area takes n^3 steps. */
const mostExact = 220;

/**
 * Triangles over a closed loop (vertex numbers in the order in which they shall run), as numbers into the loop.
 * Least total area by dynamic programming. Source: Barequet and Sharir, Filling gaps in the boundary of a polyhedron, 1995.
 */
export function leastArea(points: Float64Array): number[] {
  const n = points.length / 3;
  if (n < 3) return [];
  if (n === 3) return [0, 1, 2];
  if (n > mostExact) return earsOf(points);
  const cost = new Float64Array(n * n);
  const split = new Int32Array(n * n);
  for (let span = 2; span < n; span++) {
    for (let i = 0; i + span < n; i++) {
      const k = i + span;
      let best = Infinity;
      let at = i + 1;
      for (let j = i + 1; j < k; j++) {
        const c = cost[i * n + j] + cost[j * n + k] + area(points, i, j, k);
        if (c < best) {
          best = c;
          at = j;
        }
      }
      cost[i * n + k] = best;
      split[i * n + k] = at;
    }
  }
  const out: number[] = [];
  const open: [number, number][] = [[0, n - 1]];
  while (open.length > 0) {
    const [i, k] = open.pop()!;
    if (k - i < 2) continue;
    const j = split[i * n + k];
    out.push(i, j, k);
    open.push([i, j], [j, k]);
  }
  return out;
}

function area(p: Float64Array, i: number, j: number, k: number): number {
  const ux = p[j * 3] - p[i * 3];
  const uy = p[j * 3 + 1] - p[i * 3 + 1];
  const uz = p[j * 3 + 2] - p[i * 3 + 2];
  const vx = p[k * 3] - p[i * 3];
  const vy = p[k * 3 + 1] - p[i * 3 + 1];
  const vz = p[k * 3 + 2] - p[i * 3 + 2];
  return Math.sqrt((uy * vz - uz * vy) ** 2 + (uz * vx - ux * vz) ** 2 + (ux * vy - uy * vx) ** 2) / 2;
}

/** Ears clipped in the plane that fits the loop best (normal by Newell's method). O(n^2). */
function earsOf(p: Float64Array): number[] {
  const n = p.length / 3;
  const normal = [0, 0, 0];
  for (let i = 0; i < n; i++) {
    const j = (i + 1) % n;
    normal[0] += (p[i * 3 + 1] - p[j * 3 + 1]) * (p[i * 3 + 2] + p[j * 3 + 2]);
    normal[1] += (p[i * 3 + 2] - p[j * 3 + 2]) * (p[i * 3] + p[j * 3]);
    normal[2] += (p[i * 3] - p[j * 3]) * (p[i * 3 + 1] + p[j * 3 + 1]);
  }
  const drop = normal.map(Math.abs).indexOf(Math.max(...normal.map(Math.abs)));
  const [u, v] = normal[drop] >= 0 ? [(drop + 1) % 3, (drop + 2) % 3] : [(drop + 2) % 3, (drop + 1) % 3];
  const x = (i: number) => p[i * 3 + u];
  const y = (i: number) => p[i * 3 + v];
  const turn = (a: number, b: number, c: number) => (x(b) - x(a)) * (y(c) - y(a)) - (y(b) - y(a)) * (x(c) - x(a));
  const next = new Int32Array(n);
  const last = new Int32Array(n);
  for (let i = 0; i < n; i++) {
    next[i] = (i + 1) % n;
    last[i] = (i + n - 1) % n;
  }
  const out: number[] = [];
  let left = n;
  let at = 0;
  let missed = 0;
  while (left > 3) {
    const a = last[at];
    const c = next[at];
    let ear = turn(a, at, c) > 0;
    if (ear) {
      for (let o = next[c]; o !== a; o = next[o]) {
        if (turn(a, at, o) >= 0 && turn(at, c, o) >= 0 && turn(c, a, o) >= 0 && !(x(o) === x(a) && y(o) === y(a)) && !(x(o) === x(c) && y(o) === y(c))) {
          ear = false;
          break;
        }
      }
    }
    // After a whole round without an ear the loop crosses itself in the plane; clip on, the check after mending will see.
    if (ear || missed > left) {
      out.push(a, at, c);
      next[a] = c;
      last[c] = a;
      left--;
      missed = 0;
      at = next[c];
    } else {
      missed++;
      at = next[at];
    }
  }
  out.push(last[at], at, next[at]);
  return out;
}

/**
 * New vertices and triangles for a loop of the mesh. `surface` refines the least-area fill to the edge lengths around it
 * and then moves its inner vertices until it is as smooth as the ring around it.
 * Source: Liepa, Filling holes in meshes, 2003 (refinement, umbrella fairing).
 */
export function fillHole(mesh: Mesh, loop: readonly number[], how: HoleFill, ring: readonly number[][] = []): { positions: number[]; triangles: number[] } {
  const points = new Float64Array(loop.length * 3);
  loop.forEach((v, i) => points.set(mesh.positions.subarray(v * 3, v * 3 + 3), i * 3));
  const flat = leastArea(points);
  const base = mesh.positions.length / 3;
  if (how === 'flat' || loop.length < 5) return { positions: [], triangles: flat.map((i) => loop[i]) };
  const refined = refine(points, flat);
  fair(refined, points.length / 3, mesh, ring);
  const n = loop.length;
  return {
    positions: refined.points.slice(n * 3),
    triangles: refined.triangles.map((i) => (i < n ? loop[i] : base + i - n)),
  };
}

interface Patch {
  points: number[];
  triangles: number[];
}

/** Splits triangles at their middle while they are larger than the edges around asks for, and turns edges that get long. */
function refine(loop: Float64Array, flat: number[]): Patch {
  const n = loop.length / 3;
  const points = Array.from(loop);
  const size: number[] = [];
  const far = (i: number, j: number) => Math.hypot(points[i * 3] - points[j * 3], points[i * 3 + 1] - points[j * 3 + 1], points[i * 3 + 2] - points[j * 3 + 2]);
  for (let i = 0; i < n; i++) size.push((far(i, (i + 1) % n) + far(i, (i + n - 1) % n)) / 2);
  let triangles = [...flat];
  const reach = Math.SQRT2;
  for (let round = 0; round < 12 && triangles.length < 60_000; round++) {
    const out: number[] = [];
    let split = false;
    for (let i = 0; i < triangles.length; i += 3) {
      const [a, b, c] = [triangles[i], triangles[i + 1], triangles[i + 2]];
      const middle = [0, 1, 2].map((k) => (points[a * 3 + k] + points[b * 3 + k] + points[c * 3 + k]) / 3);
      const s = (size[a] + size[b] + size[c]) / 3;
      const apart = [a, b, c].every((v) => {
        const d = reach * Math.hypot(points[v * 3] - middle[0], points[v * 3 + 1] - middle[1], points[v * 3 + 2] - middle[2]);
        return d > s && d > size[v];
      });
      if (!apart) {
        out.push(a, b, c);
        continue;
      }
      const m = points.length / 3;
      points.push(...middle);
      size.push(s);
      out.push(a, b, m, b, c, m, c, a, m);
      split = true;
    }
    triangles = out;
    relax(points, triangles, n);
    if (!split) break;
  }
  return { points, triangles };
}

/** Turns inner edges whose opposite corners see them under more than half a turn together (Delaunay), a few rounds. */
function relax(points: number[], t: number[], fixed: number): void {
  const angle = (a: number, b: number, c: number) => {
    const u = [0, 1, 2].map((k) => points[b * 3 + k] - points[a * 3 + k]);
    const v = [0, 1, 2].map((k) => points[c * 3 + k] - points[a * 3 + k]);
    const dot = u[0] * v[0] + u[1] * v[1] + u[2] * v[2];
    return Math.acos(Math.max(-1, Math.min(1, dot / (Math.hypot(...u) * Math.hypot(...v) || 1))));
  };
  for (let round = 0; round < 8; round++) {
    const edges = new Map<string, number>();
    const present = new Set<string>();
    for (let i = 0; i < t.length; i++) present.add(`${t[i]}/${t[i % 3 === 2 ? i - 2 : i + 1]}`);
    const busy = new Set<number>();
    let turned = 0;
    for (let i = 0; i < t.length; i++) {
      const a = t[i];
      const b = t[i % 3 === 2 ? i - 2 : i + 1];
      edges.set(`${a}/${b}`, i);
    }
    for (let i = 0; i < t.length; i++) {
      const f = Math.floor(i / 3);
      if (busy.has(f)) continue;
      const a = t[i];
      const b = t[i % 3 === 2 ? i - 2 : i + 1];
      if (a < fixed && b < fixed && Math.abs(a - b) === 1) continue;
      const j = edges.get(`${b}/${a}`);
      if (j === undefined) continue;
      const g = Math.floor(j / 3);
      if (busy.has(g) || f === g) continue;
      const c = t[f * 3 + ((i + 2) % 3)];
      const d = t[g * 3 + ((j + 2) % 3)];
      if (c === d || present.has(`${c}/${d}`) || present.has(`${d}/${c}`)) continue;
      if (angle(c, a, b) + angle(d, a, b) <= Math.PI + 1e-9) continue;
      t[f * 3] = a;
      t[f * 3 + 1] = d;
      t[f * 3 + 2] = c;
      t[g * 3] = d;
      t[g * 3 + 1] = b;
      t[g * 3 + 2] = c;
      busy.add(f).add(g);
      present.add(`${c}/${d}`).add(`${d}/${c}`);
      turned++;
    }
    if (turned === 0) break;
  }
}

/** Moves inner points until the second umbrella vanishes, with the ring around the hole as the slope to meet. */
function fair(patch: Patch, fixed: number, mesh: Mesh, ring: readonly number[][]): void {
  const { points, triangles } = patch;
  const count = points.length / 3;
  if (count === fixed) return;
  const near: Set<number>[] = Array.from({ length: count }, () => new Set<number>());
  for (let i = 0; i < triangles.length; i += 3) {
    for (let k = 0; k < 3; k++) {
      near[triangles[i + k]].add(triangles[i + ((k + 1) % 3)]);
      near[triangles[i + k]].add(triangles[i + ((k + 2) % 3)]);
    }
  }
  // Ring vertices of the mesh stand behind the patch's own points, unmoved.
  const all = points.slice();
  ring.forEach((outside, i) => {
    for (const v of outside) {
      near[i].add(all.length / 3);
      all.push(mesh.positions[v * 3], mesh.positions[v * 3 + 1], mesh.positions[v * 3 + 2]);
    }
  });
  const lists = near.map((s) => [...s]);
  const umbrella = new Float64Array(count * 3);
  const compute = (v: number) => {
    const list = lists[v];
    for (let k = 0; k < 3; k++) {
      let sum = 0;
      for (const o of list) sum += all[o * 3 + k];
      umbrella[v * 3 + k] = sum / list.length - all[v * 3 + k];
    }
  };
  // Start from the membrane, then the thin plate: U^2 = 0, relaxed with the usual weight 1 + 1 / valence.
  for (let round = 0; round < 60; round++) {
    for (let v = fixed; v < count; v++) {
      compute(v);
      for (let k = 0; k < 3; k++) all[v * 3 + k] += umbrella[v * 3 + k];
    }
  }
  // The more vertices, the slower it settles; the bound keeps the time in hand.
  const rounds = Math.min(20_000, Math.max(600, Math.floor(6e6 / (count - fixed))));
  for (let round = 0; round < rounds; round++) {
    for (let v = 0; v < count; v++) compute(v);
    let moved = 0;
    for (let v = fixed; v < count; v++) {
      const list = lists[v];
      let weight = 1;
      for (const o of list) weight += o < count ? 1 / (list.length * lists[o].length) : 0;
      for (let k = 0; k < 3; k++) {
        let second = 0;
        for (const o of list) second += o < count ? umbrella[o * 3 + k] : 0;
        second = second / list.length - umbrella[v * 3 + k];
        const step = -second / weight;
        all[v * 3 + k] += step * 0.9;
        moved = Math.max(moved, Math.abs(step));
      }
    }
    if (moved < 1e-9) break;
  }
  for (let i = fixed * 3; i < count * 3; i++) points[i] = all[i];
}
