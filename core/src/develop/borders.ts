import { add, scaled, sub, type Vec3 } from '../geometry/vector.ts';
import type { Border } from './strip.ts';

/** A corner that a strip turns about. */
export const corner = (p: Vec3): Border => ({ kind: 'corner', at: () => p, velocity: () => [0, 0, 0] });

/** A straight border. */
export const straight = (p: Vec3, q: Vec3): Border => ({ kind: 'straight', at: (t) => add(p, scaled(sub(q, p), t)), velocity: () => sub(q, p) });

/** An arc of a level circle, from one angle to another, rad. */
export function levelArc(centre: Vec3, r: number, from: number, to: number): Border {
  const angle = (t: number) => from + (to - from) * t;
  return {
    kind: 'curve',
    at: (t) => [centre[0] + r * Math.cos(angle(t)), centre[1] + r * Math.sin(angle(t)), centre[2]],
    velocity: (t) => [-r * Math.sin(angle(t)) * (to - from), r * Math.cos(angle(t)) * (to - from), 0],
  };
}
