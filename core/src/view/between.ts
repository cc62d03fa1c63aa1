import { nearestOnSegments } from '../geometry/segments.ts';
import { add, cross, distance, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import type { Measured, Shape } from './shape.ts';

/** Directions that differ by less than this are parallel, degrees. */
export const parallelWithin = 0.01;
/** Parallel planes are one where they are no farther apart than this share of the largest coordinate: four steps of a 32 bit number, which is what a mesh file holds. */
export const samePlaneWithin = 2.5e-7;

/** What lies between two picks. Lengths in mm once the part's scale is applied, angles in degrees. */
export interface Between {
  /** How far apart, and between what of them. */
  distance: number;
  of: string;
  /** The line that is as long as the distance. */
  from: Vec3;
  to: Vec3;
  /** Between two directions, at most 90; null where one has none. */
  angle: number | null;
  parallel: boolean;
  /** Centres of two circles, where their axes are nearer to each other than they. */
  centres: number | null;
}

interface Axis {
  at: Vec3;
  along: Vec3;
  /** Ends of a straight edge. */
  ends?: [Vec3, Vec3];
}

/** The straight line that a shape has: an edge itself, or the axis of what is round. */
function axisOf(shape: Shape): Axis | null {
  switch (shape.kind) {
    case 'line':
      return { at: shape.from, along: unit(sub(shape.to, shape.from)), ends: [shape.from, shape.to] };
    case 'circle':
    case 'torus':
      return { at: shape.centre, along: shape.axis };
    case 'cylinder':
      return { at: shape.at, along: shape.axis };
    case 'cone':
      return { at: shape.apex, along: shape.axis };
    default:
      return null;
  }
}

const nameOf = (shape: Shape): string => (shape.kind === 'line' ? 'edge' : 'axis');

/** The one point that stands for a shape: itself, or a centre; the place picked where it has none. */
function pointOf({ shape, at }: Measured): { at: Vec3; name: string } {
  if (shape.kind === 'sphere') return { at: shape.centre, name: 'centre' };
  if (shape.kind === 'point') return { at: shape.at, name: 'point' };
  return { at, name: 'place picked' };
}

const degrees = (rad: number) => (rad * 180) / Math.PI;
const onPlane = (p: Vec3, at: Vec3, n: Vec3): Vec3 => sub(p, scaled(n, dot(sub(p, at), n)));
const onLine = (p: Vec3, { at, along }: Axis): Vec3 => add(at, scaled(along, dot(sub(p, at), along)));

/** The angle between two lines, 0 to 90 degrees, exact also near both ends. */
function angleBetween(a: Vec3, b: Vec3): number {
  return degrees(Math.atan2(lengthOf(cross(a, b)), Math.abs(dot(a, b))));
}

/**
 * How far two picks lie apart and at which angle: planes by their distance where they are parallel, holes by their axes, corners by their places.
 * @example between(face, opposite) // { distance: 42, of: 'planes', angle: 0, parallel: true, ... }
 */
export function between(a: Measured, b: Measured): Between {
  if (a.shape.kind === 'plane' && b.shape.kind === 'plane') return planes(a.shape, b.shape);
  if (a.shape.kind === 'plane') return fromPlane(a.shape, b);
  if (b.shape.kind === 'plane') return turnedRound(fromPlane(b.shape, a));
  const [p, q] = [axisOf(a.shape), axisOf(b.shape)];
  if (p && q) return axes(p, q, a.shape, b.shape);
  if (p) return fromAxis(p, a.shape, b);
  if (q) return turnedRound(fromAxis(q, b.shape, a));
  const [from, to] = [pointOf(a), pointOf(b)];
  return made({ from: from.at, to: to.at, of: from.name === to.name ? `${from.name}s` : `${from.name} and ${to.name}` });
}

const made = (it: { from: Vec3; to: Vec3; of: string; angle?: number; centres?: number | null }): Between => ({
  distance: distance(it.from, it.to),
  of: it.of,
  from: it.from,
  to: it.to,
  angle: it.angle ?? null,
  parallel: it.angle !== undefined && it.angle < parallelWithin,
  centres: it.centres ?? null,
});

const turnedRound = (it: Between): Between => ({ ...it, from: it.to, to: it.from });

function planes(a: Extract<Shape, { kind: 'plane' }>, b: Extract<Shape, { kind: 'plane' }>): Between {
  const angle = angleBetween(a.normal, b.normal);
  // Planes that are not parallel are as far apart as anybody likes: then it is the places picked.
  if (angle >= parallelWithin) return made({ from: a.at, to: b.at, of: 'places picked', angle });
  const across = onPlane(a.at, b.at, b.normal);
  const largest = Math.max(...[...a.at, ...b.at].map(Math.abs));
  // Two picks of one plane ask how far apart the places are: between the planes there is nothing.
  return distance(a.at, across) <= samePlaneWithin * largest
    ? made({ from: a.at, to: b.at, of: 'places picked on one plane', angle })
    : made({ from: a.at, to: across, of: 'planes', angle });
}

function fromPlane(plane: Extract<Shape, { kind: 'plane' }>, b: Measured): Between {
  const axis = axisOf(b.shape);
  const flat = (p: Vec3) => onPlane(p, plane.at, plane.normal);
  if (!axis) {
    const { at, name } = pointOf(b);
    return made({ from: flat(at), to: at, of: `plane and ${name}` });
  }
  const angle = 90 - angleBetween(plane.normal, axis.along);
  const name = nameOf(b.shape);
  if (angle < parallelWithin) return made({ from: flat(axis.at), to: axis.at, of: `plane and ${name}`, angle });
  // A slanting edge is as near as its nearer end, a slanting axis as its centre.
  const ends = axis.ends ?? [axis.at];
  const near = ends.reduce((best, p) => (distance(p, flat(p)) < distance(best, flat(best)) ? p : best));
  return made({ from: flat(near), to: near, of: axis.ends ? 'plane and nearer end' : 'plane and centre', angle });
}

function axes(p: Axis, q: Axis, a: Shape, b: Shape): Between {
  const angle = angleBetween(p.along, q.along);
  const of = nameOf(a) === nameOf(b) ? (nameOf(a) === 'axis' ? 'axes' : 'edges') : 'axis and edge';
  const centres = a.kind === 'circle' && b.kind === 'circle' ? distance(a.centre, b.centre) : null;
  if (p.ends && q.ends) {
    const [from, to] = nearestOnSegments(...p.ends, ...q.ends);
    return made({ from, to, of, angle });
  }
  if (angle < parallelWithin) return made({ from: p.at, to: onLine(p.at, q), of, angle, centres });
  const [from, to] = nearestOnLines(p, q);
  return made({ from, to, of, angle, centres });
}

/** Nearest points of two lines that are not parallel. Source: any handbook of geometry. */
function nearestOnLines(p: Axis, q: Axis): [Vec3, Vec3] {
  const r = sub(q.at, p.at);
  const k = dot(p.along, q.along);
  const s = (dot(r, p.along) - k * dot(r, q.along)) / (1 - k * k);
  return [add(p.at, scaled(p.along, s)), onLine(add(p.at, scaled(p.along, s)), q)];
}

function fromAxis(axis: Axis, shape: Shape, b: Measured): Between {
  const { at, name } = pointOf(b);
  const from = axis.ends ? nearestOnSegments(...axis.ends, at, at)[0] : onLine(at, axis);
  return made({ from, to: at, of: `${nameOf(shape)} and ${name}` });
}
