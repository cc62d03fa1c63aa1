import type { Indices, Numbers } from './growing.ts';

/**
 * A flat bottom at Z 0, facing down, inside a ring of points that is seen whole from its middle: rings with half as many points each, every one about as
 * far from the last as its points stand apart, so that no fan of needles meets in the middle. Linear in the ring.
 * @param made the solid so far: its points are added to, and its triangles
 * @param outer points of the ring by number, against the clock as seen from above
 * @example flatBottom({ points, triangles }, [0, 1, 2, 3], [5, 5])
 */
export function flatBottom(
  { points, triangles }: { points: Numbers; triangles: Indices },
  outer: readonly number[],
  [mx, my]: readonly [number, number],
): void {
  let ring = outer;
  while (ring.length > 8) {
    let [least, length] = [Infinity, 0];
    for (let i = 0; i < ring.length; i++) {
      const [a, b] = [ring[i] * 3, ring[(i + 1) % ring.length] * 3];
      const [x, y] = [points.values[a], points.values[a + 1]];
      least = Math.min(least, Math.hypot(x - mx, y - my));
      length += Math.hypot(points.values[b] - x, points.values[b + 1] - y);
    }
    const shrink = Math.max(0.4, 1 - (1.5 * length) / ring.length / least);
    const inner: number[] = [];
    for (let i = 0; i < ring.length; i += 2) {
      inner.push(points.length / 3);
      points.push3(mx + (points.values[ring[i] * 3] - mx) * shrink, my + (points.values[ring[i] * 3 + 1] - my) * shrink, 0);
    }
    for (let i = 0; i < inner.length; i++) {
      const [a, b, c] = [ring[2 * i], ring[(2 * i + 1) % ring.length], ring[(2 * i + 2) % ring.length]];
      const [d, e] = [inner[i], inner[(i + 1) % inner.length]];
      triangles.push3(b, a, d);
      triangles.push3(b, d, e);
      // An odd ring ends with one side, not two.
      if (2 * i + 1 < ring.length) triangles.push3(c, b, e);
    }
    ring = inner;
  }
  const middle = points.length / 3;
  points.push3(mx, my, 0);
  for (let i = 0; i < ring.length; i++) triangles.push3(middle, ring[(i + 1) % ring.length], ring[i]);
}
