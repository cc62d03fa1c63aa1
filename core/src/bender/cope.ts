import { cross, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';

/** How the end of a round tube lies on another: radii, angle between the axes (rad), and how far the axes pass each other. mm. */
export interface Cope {
  header: number;
  branch: number;
  angle: number;
  offset: number;
}

/**
 * How far the end of a branch reaches along its axis at an angle about it, from where the axes are nearest: s(phi) = (sqrt(H^2 - (e + r sin phi)^2) - r cos phi cos A) / sin A.
 * Derived: the points of the branch that are H away from the header's axis.
 * @param phi rad, 0 where the branch's side looks along the header
 * @returns mm; NaN where the branch passes beside the header
 */
export function copeAt({ header, branch, angle, offset }: Cope, phi: number): number {
  const across = offset + branch * Math.sin(phi);
  return (Math.sqrt(header * header - across * across) - branch * Math.cos(phi) * Math.cos(angle)) / Math.sin(angle);
}

/** Slope of the above by phi, mm/rad. */
export function copeSlope({ header, branch, angle, offset }: Cope, phi: number): number {
  const across = offset + branch * Math.sin(phi);
  const root = Math.sqrt(header * header - across * across);
  return ((-across * branch * Math.cos(phi)) / root + branch * Math.sin(phi) * Math.cos(angle)) / Math.sin(angle);
}

/** A slanting end as the same kind of curve: s(phi) = r tan(slant) cos phi. */
export const mitreAtAngle = (r: number, slant: number, phi: number): number => r * Math.tan(slant) * Math.cos(phi);

/** The header among some cylinders that the points of an end lie on, and how. @param near mm */
export function copeOf(
  end: { at: Vec3; out: Vec3; points: readonly Vec3[] },
  branch: number,
  headers: readonly { at: Vec3; along: Vec3; r: number }[],
  near: number,
): (Cope & { axis: { at: Vec3; along: Vec3 } }) | null {
  for (const { at, along, r } of headers) {
    const d = unit(along);
    if (end.points.length < 4 || end.points.some((p) => Math.abs(lengthOf(cross(sub(p, at), d)) - r) > near)) continue;
    const sine = lengthOf(cross(d, end.out));
    if (sine < 0.02) continue;
    const angle = Math.atan2(sine, Math.abs(dot(d, end.out)));
    const n = scaled(cross(d, end.out), 1 / sine);
    return { header: r, branch, angle, offset: Math.abs(dot(sub(end.at, at), n)), axis: { at, along: d } };
  }
  return null;
}
