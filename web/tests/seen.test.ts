/** A surface as it is seen: what is turned away of something closed is neither drawn nor picked. */
import { expect, test } from 'vitest';
import { usualLook } from '@/tubes/projection.ts';
import { placeAt, seenFrom, triangleAt } from '@/patches/seen.ts';

// A cube of side 2, its triangles turned outwards.
const positions = [-1, -1, -1, 1, -1, -1, 1, 1, -1, -1, 1, -1, -1, -1, 1, 1, -1, 1, 1, 1, 1, -1, 1, 1];
const triangles = [0, 2, 1, 0, 3, 2, 4, 5, 6, 4, 6, 7, 0, 1, 5, 0, 5, 4, 1, 2, 6, 1, 6, 5, 2, 3, 7, 2, 7, 6, 3, 0, 4, 3, 4, 7];
const size = [400, 300] as const;

test('of a cube three faces are seen, of an open sheet both sides', () => {
  expect(seenFrom({ positions, triangles, closed: true }, usualLook, size).order.length).toBe(6);
  expect(seenFrom({ positions, triangles, closed: false }, usualLook, size).order.length).toBe(12);
});

test('what is picked in the middle is a face that is turned to the eye, and the place on it is drawn where it was picked', () => {
  const seen = seenFrom({ positions, triangles, closed: true }, usualLook, size);
  const found = triangleAt(seen, triangles, 200, 150);
  expect([...seen.order]).toContain(found);
  const place = placeAt(seen, positions, [0, 1, 2].map((i) => triangles[found * 3 + i]), [200, 150]); // prettier-ignore
  expect(Math.max(...place.map(Math.abs))).toBeCloseTo(1, 6);
  seen.put(place).forEach((v, k) => expect(v).toBeCloseTo([200, 150][k], 4));
  expect(triangleAt(seen, triangles, 2, 2)).toBe(-1);
  // As many pixels in a unit as the picture's own: an edge along the page is so long.
  const [a, b] = [seen.put([0, 0, 0]), seen.put([0, 0, 1])];
  expect(Math.hypot(a[0] - b[0], a[1] - b[1])).toBeLessThanOrEqual(seen.scale + 1e-9);
});
