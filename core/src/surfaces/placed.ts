import { determinantOf, identityRows, type Rows } from '../geometry/rows.ts';
import type { Curve } from './curves.ts';
import type { Frame, Surface } from './surfaces.ts';
import { unit, type Vec3 } from '../geometry/vector.ts';

function point(m: Rows, p: Vec3): Vec3 {
  return [0, 4, 8].map((r) => m[r] * p[0] + m[r + 1] * p[1] + m[r + 2] * p[2] + m[r + 3]) as Vec3;
}

function direction(m: Rows, p: Vec3): Vec3 {
  return [0, 4, 8].map((r) => m[r] * p[0] + m[r + 1] * p[1] + m[r + 2] * p[2]) as Vec3;
}

function movedPoles(m: Rows, poles: Float64Array): Float64Array {
  const out = new Float64Array(poles.length);
  for (let i = 0; i < poles.length; i += 3) out.set(point(m, [poles[i], poles[i + 1], poles[i + 2]]), i);
  return out;
}

/** How much a placement scales lengths (kernel placements may hold a scale). */
function scaleOf(m: Rows): number {
  return Math.cbrt(Math.abs(determinantOf(m)));
}

/** -1 for a placement that mirrors. */
const handedness = (m: Rows): 1 | -1 => (determinantOf(m) < 0 ? -1 : 1);

/** A curve after a placement. */
export function placedCurve(c: Curve, m: Rows): Curve {
  if (m === identityRows) return c;
  const s = scaleOf(m);
  switch (c.kind) {
    case 'line':
      return { ...c, at: point(m, c.at), along: direction(m, c.along) };
    case 'circle':
    case 'ellipse':
      return { ...c, at: point(m, c.at), x: unit(direction(m, c.x)), y: unit(direction(m, c.y)), rx: c.rx * s, ry: c.ry * s };
    case 'parabola':
      return { ...c, at: point(m, c.at), x: unit(direction(m, c.x)), y: unit(direction(m, c.y)), focal: c.focal * s };
    case 'hyperbola':
      return { ...c, at: point(m, c.at), x: unit(direction(m, c.x)), y: unit(direction(m, c.y)), rx: c.rx * s, ry: c.ry * s };
    case 'bspline':
      return { ...c, poles: movedPoles(m, c.poles) };
    case 'offset':
      // The side is that of a vector product: a mirror turns it round.
      return { ...c, of: placedCurve(c.of, m), side: direction(m, c.side), by: c.by * s * handedness(m) };
    case 'other':
      return c;
  }
}

function placedFrame(f: Frame, m: Rows): Frame {
  return { at: point(m, f.at), x: unit(direction(m, f.x)), y: unit(direction(m, f.y)), z: unit(direction(m, f.z)) };
}

/** A surface after a placement. */
export function placedSurface(surface: Surface, m: Rows): Surface {
  const s = scaleOf(m);
  switch (surface.kind) {
    case 'plane':
      return { ...surface, frame: placedFrame(surface.frame, m) };
    case 'cylinder':
    case 'sphere':
    case 'cone':
      return { ...surface, frame: placedFrame(surface.frame, m), r: surface.r * s };
    case 'torus':
      return { ...surface, frame: placedFrame(surface.frame, m), major: surface.major * s, minor: surface.minor * s };
    case 'extrusion':
      return { ...surface, along: direction(m, surface.along), profile: placedCurve(surface.profile, m) };
    case 'revolution': {
      const mirrored = handedness(m);
      const axis = unit(direction(m, surface.axis));
      return {
        ...surface,
        at: point(m, surface.at),
        axis: [axis[0] * mirrored, axis[1] * mirrored, axis[2] * mirrored],
        profile: placedCurve(surface.profile, m),
      };
    }
    case 'bspline':
      return { ...surface, poles: movedPoles(m, surface.poles) };
    case 'offset':
      return { ...surface, of: placedSurface(surface.of, m), by: surface.by * s * handedness(m) };
    case 'other':
      return surface;
  }
}
