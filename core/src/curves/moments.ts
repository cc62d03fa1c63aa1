import type { P2 } from './segment.ts';

/** Middle of an area, the angle of its longer axis (rad), and how much longer that is: 0 where it has none, 1 for a line. */
export interface AreaAxis {
  at: P2;
  angle: number;
  longer: number;
}

/** Middle and longer axis of the area within a ring, whichever way round it runs. Source: second moments of a polygon, any handbook of mechanics. @example areaAxis([[0, 0], [4, 0], [4, 2], [0, 2]]).angle // 0 */
export function areaAxis(ring: readonly P2[]): AreaAxis {
  let [sum, mx, my, xx, yy, xy] = [0, 0, 0, 0, 0, 0];
  const [ox, oy] = ring[0];
  ring.forEach(([x, y], i) => {
    const [p, q] = [x - ox, y - oy];
    const [r, s] = [ring[(i + 1) % ring.length][0] - ox, ring[(i + 1) % ring.length][1] - oy];
    const k = p * s - q * r;
    sum += k / 2;
    mx += (k * (p + r)) / 6;
    my += (k * (q + s)) / 6;
    xx += (k * (p * p + p * r + r * r)) / 12;
    yy += (k * (q * q + q * s + s * s)) / 12;
    xy += (k * (p * s + 2 * p * q + 2 * r * s + r * q)) / 24;
  });
  const [cx, cy] = [mx / sum, my / sum];
  const [a, b, c] = [xx / sum - cx * cx, yy / sum - cy * cy, xy / sum - cx * cy];
  return { at: [ox + cx, oy + cy], angle: Math.atan2(2 * c, a - b) / 2, longer: Math.hypot(a - b, 2 * c) / (a + b) };
}
