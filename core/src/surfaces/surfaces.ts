import { curveAt, type Curve } from './curves.ts';
import type { PoleGrid } from './nurbs.ts';
import { SplinePoint } from './spline-point.ts';
import { add, cross, dot, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';

/** Where an elementary surface stands: origin, axis z, and x and y across it (unit, right angles; may be left-handed). */
export interface Frame {
  at: Vec3;
  x: Vec3;
  y: Vec3;
  z: Vec3;
}

/** A surface in space, as in ISO 10303-42. Lengths in mm, angles in rad. */
export type Surface =
  | { kind: 'plane'; frame: Frame }
  | { kind: 'cylinder'; frame: Frame; r: number }
  | { kind: 'cone'; frame: Frame; r: number; half: number }
  | { kind: 'sphere'; frame: Frame; r: number }
  | { kind: 'torus'; frame: Frame; major: number; minor: number }
  | { kind: 'extrusion'; along: Vec3; profile: Curve }
  | { kind: 'revolution'; at: Vec3; axis: Vec3; profile: Curve }
  | BsplineSurface
  | { kind: 'offset'; of: Surface; by: number }
  | { kind: 'other' };

export interface BsplineSurface extends PoleGrid {
  kind: 'bspline';
}

/** A point of a surface and its first derivatives. */
export interface SurfacePoint {
  at: Vec3;
  du: Vec3;
  dv: Vec3;
}

/** Point and first derivatives of a surface with parameters (not used for elementary ones). */
export function surfaceAt(surface: Surface, u: number, v: number): SurfacePoint {
  switch (surface.kind) {
    case 'extrusion': {
      const c = curveAt(surface.profile, u, 1);
      return { at: add(c.at, scaled(surface.along, v)), du: c.d1, dv: surface.along };
    }
    case 'revolution': {
      const c = curveAt(surface.profile, v, 1);
      const at = add(surface.at, spin(sub(c.at, surface.at), surface.axis, u));
      return { at, du: cross(surface.axis, sub(at, surface.at)), dv: spin(c.d1, surface.axis, u) };
    }
    case 'bspline':
      return splineAt(surface, u, v);
    case 'offset': {
      const value = (s: number, t: number): Vec3 => {
        const base = surfaceAt(surface.of, s, t);
        return add(base.at, scaled(unit(cross(base.du, base.dv)), surface.by));
      };
      const h = 1e-5;
      const at = value(u, v);
      return { at, du: scaled(sub(value(u + h, v), at), 1 / h), dv: scaled(sub(value(u, v + h), at), 1 / h) };
    }
    default:
      return elementaryAt(surface, u, v);
  }
}

/** Rodrigues' rotation of a vector about a unit axis. */
function spin(p: Vec3, axis: Vec3, angle: number): Vec3 {
  const c = Math.cos(angle);
  const s = Math.sin(angle);
  const k = dot(axis, p) * (1 - c);
  const x = cross(axis, p);
  return [p[0] * c + x[0] * s + axis[0] * k, p[1] * c + x[1] * s + axis[1] * k, p[2] * c + x[2] * s + axis[2] * k];
}

function elementaryAt(surface: Surface, u: number, v: number): SurfacePoint {
  if (surface.kind === 'other' || !('frame' in surface)) return { at: [NaN, NaN, NaN], du: [0, 0, 0], dv: [0, 0, 0] };
  const { at, x, y, z } = surface.frame;
  const put = (a: number, b: number, c: number): Vec3 => [a * x[0] + b * y[0] + c * z[0], a * x[1] + b * y[1] + c * z[1], a * x[2] + b * y[2] + c * z[2]];
  if (surface.kind === 'plane') return { at: add(at, put(u, v, 0)), du: x, dv: y };
  const c = Math.cos(u);
  const s = Math.sin(u);
  let radius: number;
  let height: number;
  let dr: number;
  let dh: number;
  if (surface.kind === 'cylinder') [radius, height, dr, dh] = [surface.r, v, 0, 1];
  else if (surface.kind === 'cone')
    [radius, height, dr, dh] = [surface.r + v * Math.sin(surface.half), v * Math.cos(surface.half), Math.sin(surface.half), Math.cos(surface.half)];
  else if (surface.kind === 'sphere')
    [radius, height, dr, dh] = [surface.r * Math.cos(v), surface.r * Math.sin(v), -surface.r * Math.sin(v), surface.r * Math.cos(v)];
  else
    [radius, height, dr, dh] = [
      surface.major + surface.minor * Math.cos(v),
      surface.minor * Math.sin(v),
      -surface.minor * Math.sin(v),
      surface.minor * Math.cos(v),
    ];
  return { at: add(at, put(radius * c, radius * s, height)), du: put(-radius * s, radius * c, 0), dv: put(dr * c, dr * s, dh) };
}

const points = new WeakMap<BsplineSurface, SplinePoint>();

function splineAt(s: BsplineSurface, u: number, v: number): SurfacePoint {
  let point = points.get(s);
  if (!point) points.set(s, (point = new SplinePoint(s)));
  point.look(u, v, 1);
  const q = point.sums;
  return { at: [q[0], q[1], q[2]], du: [q[4], q[5], q[6]], dv: [q[8], q[9], q[10]] };
}
