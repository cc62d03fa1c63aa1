import type { Solid, SolidBuilder } from '../src/kernel/build.ts';

type P3 = [number, number, number];

/** Four points of a circle about z. */
export const ringOf = (z: number, r: number): P3[] => [0, 1, 2, 3].map((i) => [r * Math.cos((i * Math.PI) / 2), r * Math.sin((i * Math.PI) / 2), z]);

/** Twenty kinds of solid, of a size (mm) and a number that varies each. */
export const families: readonly [string, (b: SolidBuilder, s: number, k: number) => Solid][] = [
  ['block', (b, s, k) => b.box([0, 0, 0], [s, s * (0.2 + 0.1 * k), s * 0.4])],
  ['cylinder', (b, s, k) => b.cylinder([0, 0, 0], [0, 0, 1], s * 0.4, s * (0.1 + k * 0.2))],
  ['needle cone', (b, s, k) => b.revolved([0, 0], [{ to: [s * 0.004 * (k + 1), 0] }, { to: [0, s] }, { to: [0, 0] }])],
  ['cone from wide to narrow', (b, s, k) => b.revolved([0, 0], [{ to: [s * 0.4, 0] }, { to: [s * 0.04 * (k + 1), s * 0.6] }, { to: [0, s * 0.6] }, { to: [0, 0] }])],
  ['ball', (b, s, k) => b.sphere([s * k, 0, 0], s / 2)],
  ['ring', (b, s, k) => b.torus([0, 0, 0], [0, k, 1], s * 0.4, s * (0.05 + 0.03 * k))],
  ['rounded block', (b, s, k) => b.rounded(b.box([0, 0, 0], [s, s * 0.7, s * 0.5]), s * (0.02 + 0.04 * k))],
  ['block with one rounded edge', (b, s, k) => b.rounded(b.box([0, 0, 0], [s, s * 0.7, s * 0.5]), s * 0.1 * (k + 1), ([x, y]) => x < 1e-9 * s && y < 1e-9 * s)],
  ['drilled ball', (b, s, k) => b.cut(b.sphere([0, 0, 0], s / 2), b.cylinder([0, 0, -s], [0, 0, 1], s * 0.1, 2 * s), b.cylinder([-s, s * 0.05 * k, 0], [1, 0, 0], s * 0.12, 2 * s))],
  ['plate of holes', (b, s, k) => b.cut(b.box([0, 0, 0], [s, s, s * 0.05]), ...Array.from({ length: 4 + 3 * k }, (_, i) => b.cylinder([s * (0.15 + 0.1 * i) % (s * 0.9) + s * 0.05, s * (0.2 + 0.37 * i) % (s * 0.8) + s * 0.1, -s], [0, 0, 1], s * 0.02, 2 * s)))],
  ['two cylinders across', (b, s, k) => b.joined(b.cylinder([0, 0, 0], [0, 0, 1], s * 0.3, s), b.cylinder([-s / 2, s * 0.05 * k, s / 2], [1, 0, 0], s * 0.2, s))],
  ['cylinder through a cylinder as wide', (b, s) => b.cut(b.cylinder([0, 0, 0], [0, 0, 1], s * 0.3, s), b.cylinder([-s, 0, s / 2], [1, 0, 0], s * 0.3, 2 * s))],
  ['loft', (b, s, k) => b.lofted([ringOf(0, s * 0.3), ringOf(s * 0.3, s * (0.2 + 0.06 * k)), ringOf(s * 0.8, s * 0.25)])],
  ['half ball', (b, s, k) => b.cut(b.sphere([0, 0, 0], s / 2), b.box([-s, -s, s * 0.1 * k], [2 * s, 2 * s, s]))],
  ['ring cut through its hole', (b, s, k) => b.cut(b.torus([0, 0, 0], [0, 0, 1], s * 0.35, s * 0.15), b.box([-s, s * 0.03 * k, -s], [2 * s, s, 2 * s]))],
  ['tube, thin', (b, s, k) => b.cut(b.cylinder([0, 0, 0], [0, 0, 1], s * 0.3, s), b.cylinder([0, 0, -s], [0, 0, 1], s * (0.3 - 0.0005 * (k + 1)), 3 * s))],
  ['turned, with round shoulders', (b, s, k) => b.revolved([0, 0], [{ to: [s * 0.2, 0] }, { through: [s * 0.27, s * 0.03], to: [s * 0.3, s * 0.1] }, { to: [s * 0.1, s * (0.4 + 0.1 * k)] }, { to: [0, s * (0.4 + 0.1 * k)] }, { to: [0, 0] }])],
  ['sliver of a cylinder', (b, s, k) => b.common(b.cylinder([0, 0, 0], [0, 0, 1], s * 0.3, s), b.box([s * (0.3 - 0.001 * (k + 1)), -s, 0], [s, 2 * s, s]))],
  ['bored block, the bore almost touching a wall', (b, s, k) => b.cut(b.box([0, 0, 0], [s, s, s * 0.3]), b.cylinder([s * 0.5, s * (0.2005 + 0.01 * k), -s], [0, 0, 1], s * 0.2, 3 * s))],
  ['hollow ball', (b, s, k) => b.cut(b.sphere([0, 0, 0], s / 2), b.sphere([s * 0.03 * k, 0, 0], s * 0.3))],
]; // prettier-ignore
