import { describe, expect, test } from 'vitest';
import { measureMesh, packMesh, unpackMesh, type Mesh } from '../src/geometry/mesh.ts';
import { buildBvh } from '../src/geometry/bvh/build.ts';
import { checkMesh } from '../src/mesh/soundness/check-mesh.ts';
import { crossingsOf } from '../src/mesh/soundness/crossings.ts';
import { soundnessFindings } from '../src/mesh/soundness/findings.ts';
import { fullCheck } from '../src/mesh/soundness/full-check.ts';
import { boxMesh, prismMesh } from './data.ts';

const both = (a: Mesh, b: Mesh): Mesh => ({
  positions: Float64Array.from([...a.positions, ...b.positions]),
  triangles: Uint32Array.from([...a.triangles, ...b.triangles.map((v) => v + a.positions.length / 3)]),
});
const edited = (mesh: Mesh, edit: (t: number[]) => void): Mesh => {
  const triangles = Array.from(mesh.triangles);
  edit(triangles);
  return { positions: mesh.positions, triangles: Uint32Array.from(triangles) };
};

describe('soundness of meshes whose faults are known because they were put there', () => {
  const box = boxMesh(10, 20, 30);
  test('a box is closed, one shell, and V - E + F = 2 (Euler)', () => {
    const sound = checkMesh(box);
    expect(sound).toMatchObject({ closed: true, shells: 1, openEdges: 0, flippedEdges: 0, nonManifoldEdges: 0, degenerateTriangles: 0 });
    expect(8 - (3 * 12) / 2 + 12).toBe(2);
  });
  test('a triangle taken out leaves three open edges', () => {
    const holed = edited(box, (t) => t.splice(0, 3));
    expect(checkMesh(holed)).toMatchObject({ openEdges: 3, closed: false });
  });
  test('a triangle turned over has three flipped edges', () => {
    const turned = edited(box, (t) => ([t[0], t[1]] = [t[1], t[0]]));
    expect(checkMesh(turned)).toMatchObject({ flippedEdges: 3, openEdges: 0, closed: false });
  });
  test('a doubled triangle makes three non-manifold edges', () => {
    const doubled = edited(box, (t) => t.push(t[0], t[1], t[2]));
    expect(checkMesh(doubled)).toMatchObject({ nonManifoldEdges: 3, closed: false });
  });
  test('needles, holes and doubles are shown where they are', () => {
    // A strip of ten squares; the last has a needle beside it, 2000 times as long as high.
    const positions: number[] = [];
    const triangles: number[] = [];
    for (let i = 0; i <= 10; i++) positions.push(i, 0, 0, i, 1, 0);
    for (let i = 0; i < 10; i++) triangles.push(2 * i, 2 * i + 2, 2 * i + 1, 2 * i + 1, 2 * i + 2, 2 * i + 3);
    positions.push(10.0005, 0.5, 0);
    triangles.push(20, 22, 21);
    const strip: Mesh = { positions: Float64Array.from(positions), triangles: Uint32Array.from(triangles) };
    const found = fullCheck(strip)!;
    expect(found.needles).toBe(1);
    expect([...found.where.needles]).toEqual([20]);
    const twice = fullCheck(edited(strip, (t) => t.push(...t.slice(12, 15))))!;
    expect(twice.doubledTriangles).toBe(1);
    expect([...twice.where.doubled]).toEqual([21]);
    // Its border runs all round: 22 edges of squares, the needle's two instead of one.
    expect(found.openEdges).toBe(23);
    expect(found.where.openEdges).toHaveLength(23 * 6);
  });
  test('a search for crossings that ends early says so, of either kind', () => {
    const cross = (n: number): Mesh => Array.from({ length: n }, (_, i): Mesh => ({ ...prismMesh(3, 10, 1), positions: prismMesh(3, 10, 1).positions.map((v, k) => v + (k % 3 === 2 ? i * 0.3 : k % 3 === 0 ? i * 0.1 : 0)) })).reduce(both); // prettier-ignore
    const through = buildBvh(cross(4));
    const { crossingPairs } = crossingsOf(through);
    expect(crossingPairs).toBeGreaterThan(3);
    expect(crossingsOf(through, 10, crossingPairs)).toMatchObject({ crossingPairs, cutShort: false });
    expect(crossingsOf(through, 10, crossingPairs - 1)).toMatchObject({ cutShort: true });
    // Triangles in one plane that overlap.
    const plate = (x: number): Mesh => ({ positions: Float64Array.from([x, 0, 0, x + 9, 0, 0, x, 9, 0]), triangles: Uint32Array.from([0, 1, 2]) });
    const lying = buildBvh([0, 1, 2, 3].map(plate).reduce(both));
    expect(crossingsOf(lying)).toMatchObject({ lyingPairs: 6, crossingPairs: 0, cutShort: false });
    expect(crossingsOf(lying, 10, 6).cutShort).toBe(false);
    expect(crossingsOf(lying, 10, 5).cutShort).toBe(true);
  });
  test('two boxes apart are two shells, and a fan with many triangles at one vertex still counts right', () => {
    expect(checkMesh(both(box, boxMesh(1, 1, 1)))).toMatchObject({ shells: 2, closed: true });
    expect(checkMesh(prismMesh(500, 10, 10))).toMatchObject({ shells: 1, closed: true, triangles: 2000 });
  });
  test('equal corners and corners on a line are degenerate', () => {
    const flat = edited(box, (t) => t.push(0, 0, 1));
    expect(checkMesh(flat)).toMatchObject({ degenerateTriangles: 1, closed: true });
    const onLine: Mesh = { positions: Float64Array.of(0, 0, 0, 1, 1, 1, 3, 3, 3), triangles: Uint32Array.of(0, 1, 2) };
    expect(checkMesh(onLine).degenerateTriangles).toBe(1);
  });
  test('the order of triangles and vertices changes nothing', () => {
    let seed = 7;
    const random = () => (seed = (seed * 16807) % 2147483647) / 2147483647;
    const mesh = edited(both(prismMesh(40, 5, 5), box), (t) => t.splice(30, 3));
    const want = checkMesh(mesh);
    for (let round = 0; round < 20; round++) {
      const order = Array.from({ length: mesh.triangles.length / 3 }, (_, i) => i).sort(() => random() - 0.5);
      const shuffled = order.flatMap((i) => {
        const t = Array.from(mesh.triangles.slice(i * 3, i * 3 + 3));
        return random() < 0.5 ? t : [t[1], t[2], t[0]];
      });
      expect({ ...checkMesh({ positions: mesh.positions, triangles: Uint32Array.from(shuffled) }), openEdgeVertices: 0 }).toEqual({
        ...want,
        openEdgeVertices: 0,
      });
    }
  });
  test('each fault is said with the step that mends it', () => {
    const findings = soundnessFindings(checkMesh(edited(box, (t) => t.splice(0, 3))), 5000);
    expect(findings).toMatchObject([{ code: 'open-edges', severity: 'stop', count: 3 }]);
    expect(soundnessFindings(checkMesh(box), -6000)).toMatchObject([{ code: 'inside-out', severity: 'stop' }]);
  });
});

describe('measures', () => {
  test('volume, area and centre of a box far from the origin keep their digits', () => {
    const far = boxMesh(10, 20, 30);
    for (let i = 0; i < far.positions.length; i++) far.positions[i] += 1e6;
    const m = measureMesh(far);
    expect(m.volume).toBeCloseTo(6000, 6);
    expect(m.area).toBeCloseTo(2200, 6);
    expect(m.centre[2] - 1e6).toBeCloseTo(15, 6);
  });
  test('a packed mesh comes back as it was, and a broken block is refused', () => {
    const mesh = prismMesh(9, 4, 2);
    const packed = packMesh(mesh);
    expect(unpackMesh(packed)).toEqual(mesh);
    expect(() => unpackMesh(packed.subarray(0, packed.length - 1))).toThrow(RangeError);
  });
});
