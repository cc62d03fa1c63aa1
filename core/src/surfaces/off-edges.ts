import type { ExactSolid } from './brep-text.ts';
import { curveAt } from './curves.ts';
import type { Surface } from './surfaces.ts';
import { cross, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';

/** Faces whose surface does not lie on their own edges. Lengths in mm. */
export interface OffEdges {
  /** Faces off by more than was asked. */
  count: number;
  farthest: number;
  /** The face that is farthest off, from 0. */
  face: number;
}

/** Places looked at on each edge. */
const places = [0, 0.23, 0.5, 0.77, 1];

/**
 * Holds every face's edges against its surface, where the surface has a closed form: another route than the kernel's, which takes
 * edges by their parameters on the surface.
 * @param limit mm; faces off by less don't count.
 */
export function offOwnEdges(solid: ExactSolid, limit: number): OffEdges {
  const out: OffEdges = { count: 0, farthest: 0, face: -1 };
  solid.faces.forEach((face, f) => {
    let most = 0;
    for (const { curve, from, to } of face.edges) {
      if (!curve) continue;
      for (const t of places) most = Math.max(most, distanceTo(face.surface, curveAt(curve, from + (to - from) * t).at) ?? 0);
    }
    if (!(most > limit)) return;
    out.count++;
    if (most > out.farthest) [out.farthest, out.face] = [most, f];
  });
  return out;
}

/** Distance of a point from an elementary surface, mm; null for others. */
function distanceTo(s: Surface, p: Vec3): number | null {
  if (s.kind === 'plane') return Math.abs(dot(unit(cross(s.frame.x, s.frame.y)), sub(p, s.frame.at)));
  if (s.kind === 'sphere') return Math.abs(lengthOf(sub(p, s.frame.at)) - s.r);
  if (s.kind !== 'cylinder' && s.kind !== 'cone' && s.kind !== 'torus') return null;
  const from = sub(p, s.frame.at);
  const h = dot(from, s.frame.z);
  const r = lengthOf(sub(from, scaled(s.frame.z, h)));
  if (s.kind === 'cylinder') return Math.abs(r - s.r);
  // A tube wider than its ring reaches over the axis: its far side is nearer then.
  if (s.kind === 'torus') return Math.min(Math.abs(Math.hypot(r - s.major, h) - s.minor), Math.abs(Math.hypot(r + s.major, h) - s.minor));
  return Math.abs(r - Math.abs(s.r + h * Math.tan(s.half))) * Math.cos(s.half);
}
