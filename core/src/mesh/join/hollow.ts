import { Unusable } from '../../base/finding.ts';
import { boxOf } from '../../geometry/box.ts';
import { buildBvh } from '../../geometry/bvh/build.ts';
import { nearestOnMesh, nowhere } from '../../geometry/bvh/nearest.ts';
import { measureMesh, type Mesh } from '../../geometry/mesh.ts';
import { together } from '../../geometry/shells.ts';
import { finestCell, wrapped } from '../repair/wrap.ts';
import { turnedAround } from '../repair/steps.ts';
import { bodiesOf } from './bodies.ts';
import { combine } from './booleans.ts';
import type { Engine } from '../../engine/engine.ts';
import { toolMesh } from './tools.ts';
import { vecAt } from '../../geometry/vector.ts';

/** How a solid is made hollow. Lengths in mm. */
export interface HollowChoice {
  wall: number;
  /** Cell of the grid on which the hollow is made; null takes a third of the wall, or what the part's size allows. */
  cell: number | null;
  /** Diameter of a hole from the hollow down to the outside; null for none. */
  drain: number | null;
  /** One at the lowest place of the hollow, two: one more on its far side, so that air gets in. */
  drains: 1 | 2;
}

export interface Hollowed {
  mesh: Mesh;
  /** mm3 that became empty, drains not counted. */
  hollow: number;
  /** Between the hollow's surface and the outer one, at its corners, mm. */
  thinnest: number;
  thickest: number;
  cell: number;
  drains: [number, number, number][];
}

/**
 * A closed solid with a hollow that keeps a wall all round: the places deeper inside than the wall, on a grid, with their distance
 * measured to the outer surface itself. The outer surface is not touched.
 *
 * @throws Unusable when the part is not closed, or nowhere thick enough.
 * @returns null when given up.
 * @example hollowed(engine, block, { wall: 2, cell: null, drain: 3, drains: 1 })
 */
export function hollowed(engine: Engine, mesh: Mesh, choice: HollowChoice, progress: (share: number) => boolean | void = () => {}): Hollowed | null {
  if (!(choice.wall > 0)) throw new Unusable('no-wall', 'The wall must be above 0 mm.', 'Type one.');
  const whole = together(bodiesOf(mesh).bodies);
  const cell = choice.cell ?? Math.max(finestCell(whole) * 1.1, choice.wall / 3);
  let inner: Mesh | null;
  try {
    inner = wrapped(whole, cell, (s) => progress(s * 0.8), choice.wall);
  } catch (thrown) {
    if (thrown instanceof Unusable && thrown.code === 'nothing-inside') {
      throw new Unusable(
        'nowhere-thick',
        `The part is nowhere thick enough for walls of ${choice.wall} mm and a hollow between them.`,
        'Type a thinner wall, or a finer cell.',
      );
    }
    throw thrown;
  }
  if (!inner) return null;
  const outer = buildBvh(whole);
  const out = nowhere();
  let [thinnest, thickest] = [Infinity, 0];
  for (let i = 0; i < inner.positions.length; i += 3) {
    const d = Math.sqrt(nearestOnMesh(outer, vecAt(inner.positions, i), out).squared);
    thinnest = Math.min(thinnest, d);
    thickest = Math.max(thickest, d);
  }
  const hollow = measureMesh(inner).volume;
  let made = together([whole, turnedAround(inner, () => true).mesh]);
  const drains: [number, number, number][] = [];
  if (choice.drain !== null) {
    for (const at of drainsAt(inner, choice.drains)) {
      const below = boxOf(whole.positions).min[2];
      // From the hollow's floor straight down and out.
      const depth = at[2] - below + choice.wall;
      const tool = toolMesh(engine, { kind: 'cylinder', at: [at[0], at[1], below], normal: [0, 0, -1], diameter: choice.drain, depth });
      made = combine(engine, 'subtract', [made, tool]).mesh;
      drains.push([at[0], at[1], below]);
    }
  }
  return { mesh: made, hollow, thinnest, thickest, cell, drains };
}

/** The lowest place of a hollow's surface; a second one among the low places, as far from it as can be. */
function drainsAt(inner: Mesh, count: 1 | 2): [number, number, number][] {
  const p = inner.positions;
  let lowest = 0;
  for (let i = 0; i < p.length; i += 3) if (p[i + 2] < p[lowest + 2]) lowest = i;
  const { min, max } = boxOf(p);
  const flat: number[] = [];
  for (let i = 0; i < p.length; i += 3) if (p[i + 2] < min[2] + (max[2] - min[2]) * 0.02 + 1e-9) flat.push(i);
  // The middle of the floor, where it is flat.
  const middle = [0, 1].map((k) => flat.reduce((sum, i) => sum + p[i + k], 0) / flat.length);
  const near = (x: number, y: number) =>
    flat.reduce((best, i) => (Math.hypot(p[i] - x, p[i + 1] - y) < Math.hypot(p[best] - x, p[best + 1] - y) ? i : best), lowest);
  const first = near(middle[0], middle[1]);
  const at = (i: number) => vecAt(p, i);
  if (count === 1) return [at(first)];
  let far = first;
  for (const i of flat) if (Math.hypot(p[i] - p[first], p[i + 1] - p[first + 1]) > Math.hypot(p[far] - p[first], p[far + 1] - p[first + 1])) far = i;
  // Not at the rim itself: three quarters of the way.
  const second = near(p[first] + 0.75 * (p[far] - p[first]), p[first + 1] + 0.75 * (p[far + 1] - p[first + 1]));
  return second === first ? [at(first)] : [at(first), at(second)];
}
