import type { P2 } from '../curves/segment.ts';
import type { Surface } from '../surfaces/surfaces.ts';
import { add, cross, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import { normalAt, middleOfFace, pointOn, type Topology } from './topology.ts';

/**
 * Maps a developable piece of the skin into a plane of its own, seen from outside: a wall as it is, a bend as a strip along its axis, a cone
 * as a sector about its apex. Source: development of cylinder and cone, any handbook (sector angle 360 r / s).
 */
export interface Development {
  kind: 'wall' | 'bend' | 'cone';
  at(p: Vec3): P2;
  /** Angle about the axis, rad, from the beginning of the piece; 0 for walls. */
  angleOf(p: Vec3): number;
  /** Turned through, from the first ruling to the last, rad. */
  sweep: number;
  /** The angle that it bends the sheet through, rad: between the walls beside it where there are two, else its sweep. */
  turn: number;
  /** Radius of this side at a place, mm; 0 for walls. */
  radiusAt(p: Vec3): number;
  /** Whether the material lies inside the curve: this is the outside of the bend, which bends away. */
  convex: boolean;
  /** A whole turn with no gap. */
  closed: boolean;
  axis: { at: Vec3; along: Vec3 } | null;
  half: number;
  /** Flat length of a radian (bend) and the slant to be added (cone), mm; set once the rule is known. */
  perRadian: number;
  slant: number;
}

export function developmentOf(top: Topology, face: number, edges: readonly number[]): Development {
  const { surface, sign } = top.faces[face];
  const none = { angleOf: () => 0, sweep: 0, turn: 0, radiusAt: () => 0, convex: false, closed: false, axis: null, half: 0, perRadian: 1, slant: 0 };
  if (surface.kind === 'plane') {
    const n = normalAt(top, face, middleOfFace(top, face));
    const x = unit(surface.frame.x);
    const y = cross(n, x);
    const o = surface.frame.at;
    return { ...none, kind: 'wall', at: (p) => [dot(sub(p, o), x), dot(sub(p, o), y)] };
  }
  if (surface.kind !== 'cylinder' && surface.kind !== 'cone') throw new RangeError(`A ${surface.kind} can't be developed`);
  return around(top, surface, sign > 0, edges);
}

function around(top: Topology, s: Extract<Surface, { kind: 'cylinder' | 'cone' }>, convex: boolean, edges: readonly number[]): Development {
  const cone = s.kind === 'cone';
  let along = unit(s.frame.z);
  let origin = s.frame.at;
  if (cone) {
    // From the apex towards the side where the material is.
    const tan = Math.tan(s.half);
    origin = add(s.frame.at, scaled(along, -s.r / tan));
    const somewhere = pointOn(top.edges[edges[0]].course, 0.5);
    if (dot(sub(somewhere, origin), along) < 0) along = scaled(along, -1);
  }
  const x = unit(sub(s.frame.x, scaled(along, dot(s.frame.x, along))));
  const y = cross(along, x);
  const raw = (p: Vec3) => Math.atan2(dot(sub(p, s.frame.at), y), dot(sub(p, s.frame.at), x));
  const angles = (n: number) => edges.flatMap((e) => Array.from({ length: n + 1 }, (_, k) => raw(pointOn(top.edges[e].course, k / n))));
  let steps = 64;
  let { from, gap } = widestGap(angles(steps));
  // A rolled tube's seam may be narrow.
  if (gap < 0.5) ({ from, gap } = widestGap(angles((steps = 4096))));
  const begin = from + gap;
  // Half the gap before the piece still counts as before it.
  const angleOf = (p: Vec3) => {
    let a = raw(p) - begin;
    a -= 2 * Math.PI * Math.floor((a + gap / 2) / (2 * Math.PI));
    return a;
  };
  const half = cone ? Math.abs(s.half) : 0;
  const made: Development = {
    kind: cone ? 'cone' : 'bend',
    angleOf,
    sweep: 2 * Math.PI - gap,
    turn: 2 * Math.PI - gap,
    convex,
    closed: gap < (2.5 * Math.PI) / steps,
    axis: { at: origin, along },
    half,
    perRadian: cone ? 1 : s.r,
    slant: 0,
    radiusAt: (p) => (cone ? dot(sub(p, origin), along) * Math.tan(half) : s.r),
    at: (p) => {
      const from = sub(p, origin);
      if (!cone) {
        const u = angleOf(p) * made.perRadian;
        return [convex ? u : -u, dot(from, along)];
      }
      const rho = lengthOf(from) + made.slant;
      const psi = angleOf(p) * Math.sin(half) * (convex ? -1 : 1);
      return [rho * Math.cos(psi), rho * Math.sin(psi)];
    },
  };
  return made;
}

/** The widest gap between angles on a circle: where it begins, and how wide it is. */
function widestGap(angles: number[]): { from: number; gap: number } {
  const sorted = angles.sort((a, b) => a - b);
  let from = sorted[sorted.length - 1];
  let gap = sorted[0] + 2 * Math.PI - from;
  for (let i = 1; i < sorted.length; i++) {
    if (sorted[i] - sorted[i - 1] > gap) {
      gap = sorted[i] - sorted[i - 1];
      from = sorted[i - 1];
    }
  }
  return { from, gap };
}
