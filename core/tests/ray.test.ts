/** Rays through meshes: against the volume that they enclose and against general-purpose rays. */
import fc from 'fast-check';
import { MeshBVH } from 'three-mesh-bvh';
import { BufferAttribute, BufferGeometry, DoubleSide, Ray, Vector3 } from 'three';
import { expect, test } from 'vitest';
import type { Vec3 } from '../src/geometry/vector.ts';
import { onRay } from '../src/view/ray.ts';
import { sphere } from './patch.data.ts';

const ball = sphere(10, 3);

test('through a ball: in at one side, out at the other, as far apart as the chord', () => {
  for (const off of [0.3, 4, 8]) {
    const hits = onRay(ball, [off, 0.1, -30], [0, 0, 1]);
    expect(hits.map((h) => h.leaving)).toEqual([false, true]);
    const chord = 2 * Math.sqrt(100 - off * off - 0.01);
    expect(Math.abs(hits[1].t - hits[0].t - chord)).toBeLessThan(0.25);
  }
  expect(onRay(ball, [10.1, 0, -30], [0, 0, 1])).toEqual([]);
  // From within only what lies ahead.
  expect(onRay(ball, [0.1, 0.2, 0], [0, 0, 1]).map((h) => h.leaving)).toEqual([true]);
});

test('the same triangles as three-mesh-bvh finds, from anywhere in any direction', () => {
  const geometry = new BufferGeometry();
  geometry.setAttribute('position', new BufferAttribute(Float32Array.from(ball.positions), 3));
  geometry.setIndex(new BufferAttribute(Uint32Array.from(ball.triangles), 1));
  const tree = new MeshBVH(geometry, { indirect: true });
  const whole = fc.integer({ min: -25_000, max: 25_000 });
  fc.assert(
    fc.property(fc.tuple(whole, whole, whole), fc.tuple(whole, whole, whole), (from, to) => {
      const origin = from.map((v) => v / 1000) as Vec3;
      const along = to.map((v, k) => v / 2000 - origin[k]) as Vec3;
      if (Math.hypot(...along) < 1) return;
      const length = Math.hypot(...along);
      const ours = onRay(ball, origin, along).map((h) => h.triangle);
      const theirs = tree.raycast(new Ray(new Vector3(...origin), new Vector3(...along.map((v) => v / length))), DoubleSide);
      expect(new Set(ours)).toEqual(new Set(theirs.map((h) => h.faceIndex)));
    }),
    { numRuns: 300 },
  );
});

test('lengths of the direction, not mm', () => {
  expect(onRay(ball, [0.1, 0.2, -30], [0, 0, 2])[0].t).toBeCloseTo(onRay(ball, [0.1, 0.2, -30], [0, 0, 1])[0].t / 2, 9);
});
