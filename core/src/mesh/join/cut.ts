import type { CrossSection, Manifold } from 'manifold-3d';
import { Unusable } from '../../base/finding.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { rowsOf, turnBetween } from '../../geometry/placement.ts';
import { frameFor, fromManifold, toManifold, withSolids, type Engine } from '../../engine/engine.ts';
import { segmentsFor } from './tools.ts';

/** A plane: unit normal and its distance from the origin along it, mm. */
export interface Plane {
  normal: [number, number, number];
  offset: number;
}

/** Pegs that bring the two halves together again. Lengths in mm. */
export interface Pegs {
  count: 1 | 2 | 3 | 4;
  diameter: number;
  /** How far a peg reaches into each half. */
  depth: number;
  /** Added to the hole's radius all round. */
  clearance: number;
}

export interface Halves {
  /** On the side to which the normal points, and on the other; null when nothing is there. */
  above: Mesh | null;
  below: Mesh | null;
  /** Where pegs stand, mm; empty without pegs. */
  pegs: [number, number, number][];
  /** Area of the cut, mm2. */
  area: number;
}

/**
 * Cuts a closed mesh by a plane, flat or with pegs: they grow from the lower half, and holes wider by the clearance go into
 * the upper one.
 * @throws Unusable when the mesh is not closed, the plane misses it, or no peg has room.
 */
export function cutByPlane(engine: Engine, mesh: Mesh, plane: Plane, pegs: Pegs | null = null): Halves {
  const length = Math.hypot(...plane.normal);
  if (!(length > 0)) throw new Unusable('no-plane', 'The plane has no direction.', 'Type a direction other than 0, 0, 0.');
  const normal = plane.normal.map((x) => x / length) as [number, number, number];
  const frame = frameFor([mesh]);
  return withSolids((keep) => {
    const solid = keep(toManifold(engine, mesh, frame));
    const offset = (plane.offset - normal.reduce((s, n, k) => s + n * frame.shift[k], 0)) * frame.scale;
    const [above, below] = solid.splitByPlane(normal, offset).map(keep);
    if (above.isEmpty() || below.isEmpty()) {
      throw new Unusable('plane-misses', 'The plane does not go through the part.', 'Type a distance between the two ends of the part.');
    }
    // The section, seen along the normal, and back again.
    const flat = rowsOf(turnBetween(normal, [0, 0, 1]));
    const lying = keep(solid.transform(matrix(flat)));
    const section = keep(lying.slice(offset));
    const area = section.area() / frame.scale ** 2;
    if (!pegs) return { above: fromManifold(above, frame), below: fromManifold(below, frame), pegs: [], area };
    const places = pegPlaces(section, pegs, frame.scale, keep);
    if (places.length < pegs.count) {
      throw new Unusable(
        'no-room-for-pegs',
        `The cut has room for ${places.length} of ${pegs.count} pegs of ${pegs.diameter} mm.`,
        'Choose thinner or fewer pegs, or cut it flat.',
      );
    }
    const s = frame.scale;
    const radius = (pegs.diameter / 2) * s;
    const back = keepInverse(flat);
    const round = (r: number, deep: number, [x, y]: [number, number]): Manifold => {
      const cylinder = keep(engine.Manifold.cylinder(deep * 2, r, r, segmentsFor(r / s, 0.01), true));
      return keep(keep(cylinder.translate([x, y, offset])).transform(matrix(back)));
    };
    const grown = keep(engine.Manifold.union([below, ...places.map((q) => round(radius, pegs.depth * s, q))]));
    const drilled = keep(engine.Manifold.difference([above, ...places.map((q) => round(radius + pegs.clearance * s, (pegs.depth + pegs.clearance) * s, q))]));
    // What a peg would reach beyond the part on its own side stays inside the lower half by construction of the places.
    const points = places.map(([x, y]) => {
      const z = offset;
      return [0, 1, 2].map((r) => (back[r * 3] * x + back[r * 3 + 1] * y + back[r * 3 + 2] * z) / s + frame.shift[r]) as [number, number, number];
    });
    return { above: fromManifold(drilled, frame), below: fromManifold(grown, frame), pegs: points, area };
  });
}

/** Column-major 4 by 4 from nine numbers row by row. */
function matrix(
  m: ArrayLike<number>,
): [number, number, number, number, number, number, number, number, number, number, number, number, number, number, number, number] {
  return [m[0], m[3], m[6], 0, m[1], m[4], m[7], 0, m[2], m[5], m[8], 0, 0, 0, 0, 1];
}

function keepInverse(m: ArrayLike<number>): number[] {
  return [m[0], m[3], m[6], m[1], m[4], m[7], m[2], m[5], m[8]];
}

/** Places for pegs: inside the section by a wall of a third of the diameter, as far apart from each other as can be. */
function pegPlaces(section: CrossSection, pegs: Pegs, scale: number, keep: <S extends { delete(): void }>(s: S) => S): [number, number][] {
  const inset = (pegs.diameter / 2 + pegs.clearance + Math.max(0.4, pegs.diameter / 3)) * scale;
  const room = keep(section.offset(-inset, 'Round'));
  const points = room.toPolygons().flat() as [number, number][];
  if (points.length === 0) return [];
  if (pegs.count === 1) {
    const x = points.reduce((s, q) => s + q[0], 0) / points.length;
    const y = points.reduce((s, q) => s + q[1], 0) / points.length;
    return [points.reduce((a, q) => (Math.hypot(q[0] - x, q[1] - y) < Math.hypot(a[0] - x, a[1] - y) ? q : a), points[0])];
  }
  // The two farthest apart first, then always the one farthest from those chosen.
  const far = (a: [number, number], b: [number, number]) => Math.hypot(a[0] - b[0], a[1] - b[1]);
  const few = points.length > 600 ? points.filter((_, i) => i % Math.ceil(points.length / 600) === 0) : points;
  let best: [[number, number], [number, number]] = [few[0], few[0]];
  for (const a of few) for (const b of few) if (far(a, b) > far(...best)) best = [a, b];
  const chosen: [number, number][] = [...best];
  while (chosen.length < pegs.count) {
    chosen.push(few.reduce((a, q) => (Math.min(...chosen.map((c) => far(c, q))) > Math.min(...chosen.map((c) => far(c, a))) ? q : a), few[0]));
  }
  const apart = pegs.diameter * 1.5 * scale;
  const out: [number, number][] = [];
  for (const q of chosen.slice(0, pegs.count)) if (out.every((o) => far(o, q) >= apart)) out.push(q);
  return out;
}

/** Cuts off what stands below a height (mm, along Z). @throws Unusable as `cutByPlane`. */
export function cutOffBelow(engine: Engine, mesh: Mesh, height: number): Mesh {
  return cutByPlane(engine, mesh, { normal: [0, 0, 1], offset: height }).above!;
}
