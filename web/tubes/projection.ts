import { dot, unit, type Vec3 } from 'tall-kite/geometry/vector';

/** A way of looking: turned about the upright axis, then leaned. rad. */
export interface Look {
  turn: number;
  lean: number;
}

export const usualLook: Look = { turn: -0.6, lean: 0.45 };

/** Directions to the right, up and towards the eye. */
export function axesOf({ turn, lean }: Look): { x: Vec3; y: Vec3; z: Vec3 } {
  const [c, s, cl, sl] = [Math.cos(turn), Math.sin(turn), Math.cos(lean), Math.sin(lean)];
  return { x: [c, s, 0], y: [-sl * s, sl * c, cl], z: [cl * s, -cl * c, sl] };
}

/** The look from which a plane with this normal is seen as it is. */
export function lookAlong(normal: Vec3): Look {
  const n = unit(normal[2] < 0 ? [-normal[0], -normal[1], -normal[2]] : normal);
  const lean = Math.asin(Math.min(1, Math.max(-1, n[2])));
  const flat = Math.hypot(n[0], n[1]);
  return { turn: flat > 1e-9 ? Math.atan2(n[0], -n[1]) : 0, lean };
}

/** Points on the page: mm to the right and up, and how near they are. */
export const projected = (points: readonly Vec3[], look: Look): { x: number; y: number; near: number }[] => {
  const { x, y, z } = axesOf(look);
  return points.map((p) => ({ x: dot(p, x), y: dot(p, y), near: dot(p, z) }));
};
