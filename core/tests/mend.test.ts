import { beforeAll, describe, expect, test } from 'vitest';
import { readStl } from '../src/formats/stl/read.ts';
import { buildBvh } from '../src/geometry/bvh/build.ts';
import { nearestOnMesh, nowhere } from '../src/geometry/bvh/nearest.ts';
import { windingAt } from '../src/geometry/bvh/ray.ts';
import { measureMesh, type Mesh } from '../src/geometry/mesh.ts';
import { dividedIntoShells, together } from '../src/geometry/shells.ts';
import type { Engine } from '../src/engine/engine.ts';
import { nodeEngine } from '../src/engine/load.ts';
import { distanceTo, twoSidedDistance } from '../src/mesh/lighter/distance.ts';
import { heavinessOf, makeLighter } from '../src/mesh/lighter/lighter.ts';
import { mend, safeMend, type MendChoice } from '../src/mesh/mend/mend.ts';
import { leastArea } from '../src/mesh/repair/holes.ts';
import { fullCheck } from '../src/mesh/soundness/full-check.ts';
import { beadsOf, gapBetween, wallThickness } from '../src/mesh/soundness/thickness.ts';
import { boxMesh, dataFile, prismMesh } from './data.ts';
import { ballMesh, closedByMap, dice, eulerOf, movedMesh } from './data.more.ts';

let engine: Engine;
beforeAll(async () => {
  engine = await nodeEngine();
});
const stl = (name: string) => readStl(dataFile(name)).blocks[0].mesh;
const mended = (mesh: Mesh, choice: Partial<MendChoice> = {}) => mend(mesh, { ...safeMend, ...choice }, engine)!;
const without = (mesh: Mesh, ...gone: number[]): Mesh => ({ ...mesh, triangles: mesh.triangles.filter((_, i) => !gone.includes(Math.floor(i / 3))) });

describe('the full check', () => {
  test('Spider_binary.stl: 56 degenerate, 72 open edges, 18 shells, 10 flipped (reference figures by numpy edge counts)', () => {
    const found = fullCheck(stl('Spider_binary.stl'))!;
    expect(found).toMatchObject({ triangles: 1368, degenerateTriangles: 56, openEdges: 72, shells: 18, flippedEdges: 10, closed: false });
    expect(found.holes.reduce((n, h) => n + h.edges, 0)).toBe(72);
    expect(found.selfIntersections).toBeGreaterThan(0);
    expect(fullCheck(stl('Helix.stl'))).toMatchObject({ closed: true, selfIntersections: 0, lyingOn: 0, needles: 0, nonManifoldVertices: 0, inside: 0 });
  });
  test('a hole is a loop with its length and width', () => {
    const [hole, ...more] = fullCheck(without(boxMesh(3, 4, 5), 0, 1))!.holes;
    expect(more).toEqual([]);
    expect(hole).toMatchObject({ edges: 4, closed: true });
    expect(hole.length).toBeCloseTo(14, 12);
    expect(hole.size).toBeCloseTo(5, 12);
  });
  test('doubles, needles, near vertices, vertices that only touch, stray edges', () => {
    const box = boxMesh(10, 10, 10);
    const doubled = { ...box, triangles: Uint32Array.from([...box.triangles, ...box.triangles.slice(0, 6)]) };
    expect(fullCheck(doubled)).toMatchObject({ doubledTriangles: 2, nonManifoldEdges: 5 });
    const apart = { positions: Float64Array.from([...box.positions, 1e-8, 0, 0]), triangles: box.triangles.slice() };
    apart.triangles[0] = 8;
    expect(fullCheck(apart)!.nearVertices).toBe(1);
    const two = together([box, movedMesh(box, [10, 10, 10])]);
    const touching = readStl(stlOf(two)).blocks[0].mesh;
    expect(fullCheck(touching)).toMatchObject({ nonManifoldVertices: 1, shells: 2, nonManifoldEdges: 0 });
    expect(fullCheck({ positions: Float64Array.of(0, 0, 0, 100, 0, 0, 50, 0.01, 0), triangles: Uint32Array.of(0, 1, 2) })!.needles).toBe(1);
    expect(fullCheck({ ...box, triangles: Uint32Array.from([...box.triangles, 0, 7, 7]) })!.strayEdges).toBe(1);
  });
  test('shells tell outer skin, void, crumb, shell inside a solid and one turned inside out', () => {
    const roles = (...meshes: Mesh[]) => fullCheck(together(meshes))!.roles.map((r) => r.role);
    const inner = movedMesh(boxMesh(4, 4, 4), [3, 3, 3]);
    expect(roles(boxMesh(10, 10, 10), movedMesh(inner, [0, 0, 0], true))).toEqual(['outer', 'void']);
    expect(roles(boxMesh(10, 10, 10), inner)).toEqual(['outer', 'inside']);
    expect(roles(movedMesh(boxMesh(10, 10, 10), [0, 0, 0], true), movedMesh(boxMesh(9, 9, 9), [20, 0, 0]))).toEqual(['inside-out', 'outer']);
    expect(roles(boxMesh(10, 10, 10), movedMesh(boxMesh(0.1, 0.1, 0.1), [20, 0, 0]))).toEqual(['outer', 'crumb']);
    const check = fullCheck(together([boxMesh(10, 10, 10), inner]))!;
    expect(check.inside).toBe(12);
  });
  test('crossing triangles and triangles that lie on each other, found as a plain search over all pairs does', () => {
    const crossed = together([boxMesh(10, 10, 10), movedMesh(boxMesh(10, 10, 10), [3.3, 4.7, 5.1])]);
    expect(fullCheck(crossed)!.selfIntersections).toBe(crossingPairs(crossed));
    const stacked = together([boxMesh(10, 10, 10), movedMesh(boxMesh(6, 6, 6), [1, 2, 10])]);
    expect(fullCheck(stacked)).toMatchObject({ selfIntersections: 0 });
    expect(fullCheck(stacked)!.lyingOn).toBeGreaterThan(0);
    expect(fullCheck(ballMesh(10, 40, 30))).toMatchObject({ selfIntersections: 0, lyingOn: 0 });
    const random = dice(77);
    const soup = together(Array.from({ length: 16 }, () => movedMesh(ballMesh(2, 7, 5), [random(1000) / 125, random(1000) / 125, random(1000) / 125])));
    expect(fullCheck(soup)!.selfIntersections).toBe(crossingPairs(soup));
  });
  test('it can be given up', () => {
    expect(fullCheck(boxMesh(1, 1, 1), { crossings: true, progress: () => true })).toBeNull();
  });
});

/** Binary STL by hand, so that shared places become shared vertices. */
function stlOf(mesh: Mesh): Buffer {
  const bytes = Buffer.alloc(84 + (50 * mesh.triangles.length) / 3);
  bytes.writeUInt32LE(mesh.triangles.length / 3, 80);
  mesh.triangles.forEach((v, i) => {
    for (let k = 0; k < 3; k++) bytes.writeFloatLE(mesh.positions[v * 3 + k], 84 + Math.floor(i / 3) * 50 + 12 + (i % 3) * 12 + k * 4);
  });
  return bytes;
}

/** Pairs of triangles without a common vertex of which an edge of one goes through the inside of the other; every pair tried. */
function crossingPairs({ positions: p, triangles: t }: Mesh): number {
  const at = (v: number) => [p[v * 3], p[v * 3 + 1], p[v * 3 + 2]];
  const det = (a: number[], b: number[], c: number[], d: number[]) => {
    const [u, v, w] = [b, c, d].map((q) => q.map((x, k) => x - a[k]));
    return u[0] * (v[1] * w[2] - v[2] * w[1]) + u[1] * (v[2] * w[0] - v[0] * w[2]) + u[2] * (v[0] * w[1] - v[1] * w[0]);
  };
  const pierces = (e: number, f: number) =>
    [0, 1, 2].some((k) => {
      const [a, b] = [at(t[e * 3 + k]), at(t[e * 3 + ((k + 1) % 3)])];
      const [u, v, w] = [0, 1, 2].map((j) => at(t[f * 3 + j]));
      if (det(u, v, w, a) * det(u, v, w, b) >= 0) return false;
      // A way through exactly on a side counts as through.
      const s = [det(a, b, u, v), det(a, b, v, w), det(a, b, w, u)].map((x) => (Math.abs(x) < 1e-9 ? 0 : x));
      return s.every((x) => x >= 0) || s.every((x) => x <= 0);
    });
  const shares = (f: number, g: number) => [0, 1, 2].some((k) => t.subarray(g * 3, g * 3 + 3).includes(t[f * 3 + k]));
  let pairs = 0;
  for (let f = 0; f < t.length / 3; f++) for (let g = 0; g < f; g++) if (!shares(f, g) && (pierces(f, g) || pierces(g, f))) pairs++;
  return pairs;
}

describe('mending', () => {
  test('Spider_binary.stl becomes one closed solid; what was outside does not move', () => {
    const { mesh, report } = mended(stl('Spider_binary.stl'));
    expect(report.before).toMatchObject({ degenerateTriangles: 56, openEdges: 72, shells: 18, flippedEdges: 10 });
    expect(closedByMap(mesh)).toBe(true);
    expect(report.after).toMatchObject({ openEdges: 0, flippedEdges: 0, nonManifoldEdges: 0, degenerateTriangles: 0, selfIntersections: 0, closed: true });
    expect(report.left).toEqual([]);
    // A seam of the file gapes by 0.0018: half of that and a little is what moves.
    expect(report.moved).toBeLessThan(0.0018);
    expect(report.steps.map((s) => s.code)).toEqual(['degenerate', 'normals', 'seam', 'holes', 'unite']);
  });
  test('a closed mesh is given back as it is, and its Euler number with it (genus 0 and 1)', () => {
    for (const mesh of [ballMesh(10, 24, 16), stl('Helix.stl'), torus(20, 6, 40, 20)]) {
      const { mesh: same, report } = mended(mesh);
      expect(report.steps).toEqual([]);
      expect(eulerOf(same)).toBe(eulerOf(mesh));
      expect(same.triangles).toEqual(mesh.triangles);
    }
    expect(eulerOf(torus(20, 6, 40, 20))).toBe(0);
  });
  test('holes: flat fill restores a box exactly, a bent fill comes nearer to a ball, a wide one is left and explained', () => {
    expect(measureMesh(mended(without(boxMesh(3, 4, 5), 0, 1)).mesh).volume).toBeCloseTo(60, 9);
    const ball = ballMesh(10, 60, 40);
    const cap = without(ball, ...Array.from({ length: ball.triangles.length / 3 }, (_, i) => i).filter((i) => [0, 1, 2].some((k) => ball.positions[ball.triangles[i * 3 + k] * 3 + 2] > 8.2))); // prettier-ignore
    const whole = measureMesh(ball).volume;
    const flat = mended(cap, { holes: 'flat', widestHole: 100 }).mesh;
    const bent = mended(cap, { holes: 'surface', widestHole: 100 }).mesh;
    expect(closedByMap(flat) && closedByMap(bent)).toBe(true);
    expect(Math.abs(measureMesh(bent).volume - whole)).toBeLessThan(0.25 * Math.abs(measureMesh(flat).volume - whole));
    const left = mended(cap, { widestHole: 2 }).report;
    expect(left.left.join()).toMatch(/left open: it is .* mm wide, wider than 2\.00 mm/);
    expect(mended(without(boxMesh(3, 4, 5), 0), { holes: 'none' }).report.after.openEdges).toBe(3);
  });
  test('a hole that is not convex is filled with its own area (shoelace), also when it is large', () => {
    const star = (n: number) => Float64Array.from(Array.from({ length: n }, (_, i) => [(i % 2 ? 4 : 9) * Math.cos((i * 2 * Math.PI) / n), (i % 2 ? 4 : 9) * Math.sin((i * 2 * Math.PI) / n), 1]).flat()); // prettier-ignore
    for (const n of [10, 100, 600]) {
      const p = star(n);
      const t = leastArea(p);
      expect(t).toHaveLength((n - 2) * 3);
      const area = measureMesh({ positions: p, triangles: Uint32Array.from(t) }).area;
      let twice = 0;
      for (let i = 0; i < n; i++) twice += p[i * 3] * p[((i + 1) % n) * 3 + 1] - p[((i + 1) % n) * 3] * p[i * 3 + 1];
      expect(area).toBeCloseTo(twice / 2, 6);
    }
  });
  /** A cup of n sides and 6 mm height, and a disc of m sides that floats over it at a height. */
  const cupAndDisc = (n: number, m: number, height: number): Mesh => {
    const { positions, triangles } = prismMesh(n, 10, 6);
    const cup = { positions: positions.slice(0, -3), triangles: triangles.filter((_, c) => c % 12 < 9) };
    const disc = prismMesh(m, 4, height);
    return together([cup, { ...disc, triangles: disc.triangles.filter((_, c) => c % 12 >= 9) }]);
  };
  const prism = (n: number, r: number, h: number) => (n / 2) * r * r * Math.sin((2 * Math.PI) / n) * h;
  test('a piece of surface that stands in a hole stays, and the hole is filled around it (volumes of prisms); also where both rims are longer than the exact way takes', () => {
    for (const [n, m] of [
      [20, 12],
      [150, 148],
      [151, 148],
      [300, 3],
      [400, 300],
    ]) {
      const { mesh, report } = mended(cupAndDisc(n, m, 6), { widestHole: 100 });
      expect(report.left).toEqual([]);
      expect(closedByMap(mesh)).toBe(true);
      expect(measureMesh(mesh).volume).toBeCloseTo(prism(n, 10, 6), 6);
      // Triangles of the cup and of the disc, and as many as go round a ring of n and m corners.
      expect(mesh.triangles).toHaveLength((3 * n + m + n + m) * 3);
    }
  });
  test('so does one that stands off the plane of the hole by less than half its radius; a farther one is a sheet of its own', () => {
    for (const [off, joins] of [
      [4.9, true],
      [5.1, false],
      [-4.9, true],
      [-5.1, false],
    ] as const) {
      const { mesh, report } = mended(cupAndDisc(20, 12, 6 + off), { widestHole: 100 });
      expect([off, closedByMap(mesh)]).toEqual([off, joins]);
      expect(report.left.join()).toMatch(joins ? /^$/ : /A hole of 12 edges was left open: it is the rim of a sheet/);
    }
  });
  test('a long loop in a plane with points in line and bridges is filled with its own area; one that crosses itself in the plane is halved', () => {
    // A square of 400 edges, 100 a side, with a square hole of 40 reached by a bridge.
    const walk = (side: number, steps: number): number[][] =>
      [[-1, -1], [1, -1], [1, 1], [-1, 1]].flatMap(([x, y], k, all) => Array.from({ length: steps }, (_, i) => [x + ((all[(k + 1) % 4][0] - x) * i) / steps, y + ((all[(k + 1) % 4][1] - y) * i) / steps].map((c) => (c * side) / 2))); // prettier-ignore
    const [outer, inner] = [walk(20, 100), walk(8, 10)];
    const loop = [...outer, outer[0], inner[0], ...inner.slice(1).reverse(), inner[0]].map(([x, y]) => [x, y, 3]);
    const t = leastArea(Float64Array.from(loop.flat()));
    expect(t).toHaveLength((loop.length - 2) * 3);
    expect(measureMesh({ positions: Float64Array.from(loop.flat()), triangles: Uint32Array.from(t) }).area).toBeCloseTo(400 - 64, 9);
    const eight = Array.from({ length: 400 }, (_, i) => [10 * Math.sin((i * Math.PI) / 200), 5 * Math.sin((i * Math.PI) / 100), 0]);
    expect(leastArea(Float64Array.from(eight.flat()))).toHaveLength((eight.length - 2) * 3);
  });
  test('flipped triangles and a part inside out are put right; doubles go; cracks at T joints close', () => {
    const flipped = ballMesh(10, 24, 16);
    for (const i of [5, 50, 51, 200]) [flipped.triangles[i * 3], flipped.triangles[i * 3 + 1]] = [flipped.triangles[i * 3 + 1], flipped.triangles[i * 3]];
    const right = mended(flipped);
    expect(right.report.steps).toMatchObject([{ code: 'normals', count: 4 }]);
    expect(measureMesh(right.mesh).volume).toBeCloseTo(measureMesh(ballMesh(10, 24, 16)).volume, 6);
    expect(measureMesh(mended(movedMesh(boxMesh(2, 3, 4), [0, 0, 0], true)).mesh).volume).toBeCloseTo(24, 9);
    const box = boxMesh(10, 10, 10);
    expect(mended({ ...box, triangles: Uint32Array.from([...box.triangles, ...box.triangles.slice(0, 6)]) }).report.after).toMatchObject({
      closed: true,
      triangles: 12,
    });
    // The edge from (0, 0, 0) to (10, 0, 0) has a vertex in its middle on one side only.
    const t = Array.from(box.triangles);
    const i = [0, 3, 6, 9, 12, 15, 18, 21, 24, 27, 30, 33].find((c) => [0, 1].every((v) => t.slice(c, c + 3).includes(v)))!;
    const [a, b, c] = t.slice(i, i + 3);
    const third = [a, b, c].find((v) => v !== 0 && v !== 1)!;
    const order = [a, b, c].indexOf(0) === ([a, b, c].indexOf(1) + 1) % 3 ? [1, 0] : [0, 1];
    t.splice(i, 3, order[0], 8, third, 8, order[1], third);
    const crack = { positions: Float64Array.from([...box.positions, 5, 0, 0]), triangles: Uint32Array.from(t) };
    expect(fullCheck(crack)!.openEdges).toBe(3);
    const sewn = mended(crack);
    expect(sewn.report.steps.map((s) => s.code)).toEqual(['stitch']);
    expect(measureMesh(sewn.mesh).volume).toBeCloseTo(1000, 6);
  });
  test('edges with four triangles are parted, so that two boxes that touch along an edge are two solids in an STL too', () => {
    const touching = readStl(stlOf(together([boxMesh(10, 10, 10), movedMesh(boxMesh(10, 10, 10), [10, 10, 0])]))).blocks[0].mesh;
    expect(fullCheck(touching)!.nonManifoldEdges).toBe(1);
    const { mesh, report } = mended(touching);
    expect(report.after).toMatchObject({ closed: true, shells: 2, nonManifoldEdges: 0 });
    expect(report.moved).toBeLessThan(1e-3);
    const again = fullCheck(readStl(stlOf(mesh)).blocks[0].mesh)!;
    expect(again).toMatchObject({ closed: true, shells: 2 });
  });
  test('shells that run into each other become one skin with the volume of the union; a void stays', () => {
    const two = together([boxMesh(10, 10, 10), movedMesh(boxMesh(10, 10, 10), [5, 5, 5])]);
    const one = mended(two);
    expect(measureMesh(one.mesh).volume).toBeCloseTo(2000 - 125, 6);
    expect(one.report.after).toMatchObject({ shells: 1, selfIntersections: 0 });
    const hollow = together([boxMesh(10, 10, 10), movedMesh(boxMesh(2, 2, 2), [4, 4, 4], true), movedMesh(boxMesh(6, 6, 6), [8, 2, 2])]);
    expect(measureMesh(mended(hollow).mesh).volume).toBeCloseTo(1000 - 8 + 216 - 2 * 36, 5);
  });
  test('a surface that goes through itself is opened there and closed again', () => {
    const ball = ballMesh(10, 40, 30);
    const p = ball.positions.slice();
    // Pull a few vertices of the top through the bottom.
    for (let v = 0; v < p.length; v += 3) if (p[v + 2] > 9.6) p[v + 2] -= 22;
    const through = { positions: p, triangles: ball.triangles };
    expect(fullCheck(through)!.selfIntersections).toBeGreaterThan(0);
    // Taking that out would lose a tip of the part as large as a ball of it: left, and told.
    const kept = mended(through);
    expect(kept.report.left.join(' ')).toMatch(/still go through each other/);
    expect(measureMesh(kept.mesh).volume).toBeCloseTo(measureMesh(through).volume, 9);
    // One vertex pushed sideways through its neighbours is a fold of the size of a triangle: taken out.
    const q = ball.positions.slice();
    const at = Array.from({ length: q.length / 3 }, (_, v) => v).find((v) => Math.abs(q[v * 3 + 2]) < 1 && q[v * 3] > 9)!;
    for (let k = 0; k < 3; k++) q[at * 3 + k] += k === 0 ? -1 : 3.4;
    const folded = { positions: q, triangles: ball.triangles };
    expect(fullCheck(folded)!.selfIntersections + fullCheck(folded)!.lyingOn).toBeGreaterThan(0);
    const { report, mesh } = mended(folded);
    expect(report.after.selfIntersections).toBe(0);
    expect(closedByMap(mesh)).toBe(true);
    expect(measureMesh(mesh).volume / measureMesh(ball).volume).toBeCloseTo(1, 1);
  });
  test('crumbs and all but the largest shell go only when asked', () => {
    const three = together([boxMesh(10, 10, 10), movedMesh(boxMesh(0.1, 0.1, 0.1), [20, 0, 0]), movedMesh(boxMesh(5, 5, 5), [30, 0, 0])]);
    expect(mended(three).report.steps).toEqual([]);
    expect(mended(three, { crumbs: true }).report.after.shells).toBe(2);
    expect(measureMesh(mended(three, { largestOnly: true }).mesh).volume).toBeCloseTo(1000, 9);
  });
  test('a part of three micrometres is mended like any other', () => {
    const tiny = without(boxMesh(0.003, 0.003, 0.003), 0, 1, 2);
    const { mesh } = mended(tiny, { widestHole: 1 });
    expect(measureMesh(mesh).volume / 0.003 ** 3).toBeCloseTo(1, 6);
  });
});

function torus(R: number, r: number, n: number, m: number): Mesh {
  const positions: number[] = [];
  const t: number[] = [];
  for (let i = 0; i < n; i++) for (let j = 0; j < m; j++) {
    const [u, v] = [(2 * Math.PI * i) / n, (2 * Math.PI * j) / m];
    positions.push((R + r * Math.cos(v)) * Math.cos(u), (R + r * Math.cos(v)) * Math.sin(u), r * Math.sin(v));
    const [a, b, c, d] = [i * m + j, ((i + 1) % n) * m + j, ((i + 1) % n) * m + ((j + 1) % m), i * m + ((j + 1) % m)];
    t.push(a, b, c, a, c, d);
  } // prettier-ignore
  return { positions: Float64Array.from(positions), triangles: Uint32Array.from(t) };
}

describe('distance, lighter meshes, thickness', () => {
  test('nearest points and winding against a plain search over all triangles and a known inside', () => {
    const ball = ballMesh(10, 20, 14, [1, 2, 3], 1);
    const tree = buildBvh(ball);
    const random = dice(5);
    const out = nowhere();
    // Places on every triangle: never nearer than the true nearest point, and close to it.
    const places: number[] = [];
    for (let t = 0; t < ball.triangles.length; t += 3)
      for (let a = 0; a <= 12; a++)
        for (let b = 0; a + b <= 12; b++)
          for (const k of [0, 1, 2]) places.push([0, 1, 2].reduce((s, c) => s + ball.positions[ball.triangles[t + c] * 3 + k] * [12 - a - b, a, b][c], 0) / 12);
    for (let i = 0; i < 300; i++) {
      const [x, y, z] = [random(4000) / 100 - 20, random(4000) / 100 - 20, random(4000) / 100 - 20];
      nearestOnMesh(tree, [x, y, z], out);
      let least = Infinity;
      for (let q = 0; q < places.length; q += 3) least = Math.min(least, Math.hypot(places[q] - x, places[q + 1] - y, places[q + 2] - z));
      expect(Math.sqrt(out.squared)).toBeLessThanOrEqual(least + 1e-9);
      expect(Math.sqrt(out.squared)).toBeGreaterThan(least - 0.12);
      const r = Math.hypot(x - 1, y - 2, z - 3);
      if (r < 8.5) expect(windingAt(tree, [x, y, z])).toBe(1);
      if (r > 11.2) expect(windingAt(tree, [x, y, z])).toBe(0);
    }
  }, 120_000);
  test('the distance between two balls is the difference of their radii, within a tenth and the facets', () => {
    const [a, b] = [ballMesh(10, 120, 80), ballMesh(10.5, 100, 70)];
    const { largest, there, back } = twoSidedDistance(a, b);
    expect(largest).toBeGreaterThan(0.47);
    expect(largest).toBeLessThan(0.53);
    expect(Math.max(there.largest, back.largest)).toBe(largest);
    expect(twoSidedDistance(a, a).largest).toBeLessThan(1e-6);
    expect(distanceTo(boxMesh(1, 1, 1), buildBvh(movedMesh(boxMesh(1, 1, 1), [0, 0, 3]))).largest).toBeCloseTo(3, 6);
  });
  test('lighter to a budget: closed, as many triangles at most, sharp edges in place, distance measured', async () => {
    const ball = ballMesh(10, 120, 90);
    const made = (await makeLighter(ball, { triangles: 2000, deviation: null }))!;
    expect(made.after).toBeLessThanOrEqual(2000);
    expect(closedByMap(made.mesh)).toBe(true);
    expect(eulerOf(made.mesh)).toBe(2);
    // Every vertex of the lighter mesh stands on the ball, so the distance is the sagitta of its facets; checked from the corners of the old one.
    expect(made.measured.largest).toBeGreaterThan(0.001);
    expect(made.measured.largest).toBeLessThan(0.2);
    const box = boxMesh(10, 20, 30);
    const fine = refined(refined(refined(box)));
    const light = (await makeLighter(fine, { triangles: 12, deviation: null }))!;
    expect(measureMesh(light.mesh).volume).toBeCloseTo(6000, 6);
    expect(light.measured.largest).toBeLessThan(1e-6);
  });
  test('lighter to a deviation keeps the promise, measured', async () => {
    const rod = refined(refined(prismMesh(90, 10, 40)));
    const made = (await makeLighter(rod, { triangles: null, deviation: 0.1 }))!;
    expect(made.after).toBeLessThan(made.before / 4);
    expect(made.measured.largest).toBeLessThanOrEqual(0.1);
    expect(twoSidedDistance(rod, made.mesh).largest).toBeLessThanOrEqual(0.1);
    expect(closedByMap(made.mesh)).toBe(true);
    expect(heavinessOf(ballMesh(10, 400, 300), 0.05).times).toBeGreaterThan(20);
    expect(heavinessOf(ballMesh(10, 30, 20), 0.05).times).toBeLessThan(5);
    await expect(makeLighter(rod, { triangles: 2, deviation: null })).rejects.toThrow(/four triangles/);
  });
  test('a wall of 1 mm takes two beads of 0.4 and one of 0.8 (common practice); 0.3 takes none', () => {
    const wall = wallThickness(boxMesh(40, 1, 20), 1.2)!;
    expect(wall.least).toBeCloseTo(1, 4);
    expect(beadsOf(wall.least, 0.4)).toBe(2);
    expect(beadsOf(wall.least, 0.8)).toBe(1);
    expect(beadsOf(0.3, 0.4)).toBe(0);
    // Both broad faces are under the limit; the narrow ones are 20 and 40 thick.
    expect(wall.thinArea).toBeCloseTo(2 * 40 * 20, 3);
    const hollow = wallThickness(together([ballMesh(10, 80, 60), movedMesh(ballMesh(8, 80, 60), [0, 0, 0], true)]), 1)!;
    expect(hollow.least).toBeGreaterThan(1.9);
    expect(hollow.least).toBeLessThan(2.05);
    expect(hollow.thinArea).toBe(0);
    expect(wallThickness(boxMesh(1, 1, 1), 1, () => true)).toBeNull();
  });
  test('the gap between mating parts', () => {
    const pin = movedMesh(boxMesh(9.9, 9.9, 20), [0.05, 0.05, 0]);
    const gap = gapBetween(refined(refined(pin)), boxMesh(10, 10, 30), 0.2);
    expect(gap.least).toBeCloseTo(0, 6);
    const sides = gapBetween(movedMesh(pin, [0, 0, 5]), boxMesh(10, 10, 30), 0.04);
    expect(sides.least).toBeCloseTo(0.05, 6);
    expect(sides.tightArea).toBe(0);
  });
  test('a mesh divided into its shells is put together again without loss', () => {
    const mesh = stl('Spider_binary.stl');
    const shells = dividedIntoShells(mesh);
    expect(shells).toHaveLength(18);
    // The 56 triangles without area belong to no shell.
    expect(shells.reduce((n, s) => n + s.triangles.length / 3, 0)).toBe(1368 - 56);
  });
});

/** Every triangle in four, no shape changed. */
function refined({ positions, triangles: t }: Mesh): Mesh {
  const p = Array.from(positions);
  const middle = new Map<string, number>();
  const mid = (a: number, b: number) => {
    const key = a < b ? `${a}/${b}` : `${b}/${a}`;
    let v = middle.get(key);
    if (v === undefined) {
      v = p.length / 3;
      p.push((p[a * 3] + p[b * 3]) / 2, (p[a * 3 + 1] + p[b * 3 + 1]) / 2, (p[a * 3 + 2] + p[b * 3 + 2]) / 2);
      middle.set(key, v);
    }
    return v;
  };
  const out: number[] = [];
  for (let i = 0; i < t.length; i += 3) {
    const [a, b, c] = [t[i], t[i + 1], t[i + 2]];
    const [u, v, w] = [mid(a, b), mid(b, c), mid(c, a)];
    out.push(a, u, w, u, b, v, w, v, c, u, v, w);
  }
  return { positions: Float64Array.from(p), triangles: Uint32Array.from(out) };
}
