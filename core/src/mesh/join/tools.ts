import type { Mesh } from '../../geometry/mesh.ts';
import { rowsOf, turnBetween } from '../../geometry/placement.ts';
import { frameFor, fromManifold, withSolids, type Engine } from '../../engine/engine.ts';

type P3 = readonly [number, number, number];

/**
 * A body of typed size on a face: its axis is the face's normal, it reaches `depth` into the part from the point on the face
 * (and a little out of it, so that nothing thin is left standing). Lengths in mm.
 */
export type ToolBody =
  | { kind: 'cylinder'; at: P3; normal: P3; diameter: number; depth: number }
  | { kind: 'box'; at: P3; normal: P3; width: number; length: number; depth: number; turn: number };

/** Segments of a circle that keep a deviation (mm): pi / acos(1 - d / r), rounded up to a multiple of four. Source: sagitta of a chord. */
export function segmentsFor(radius: number, deviation: number): number {
  const n = deviation >= radius ? 4 : Math.ceil(Math.PI / Math.acos(1 - deviation / radius));
  return Math.max(12, Math.ceil(n / 4) * 4);
}

/** The body as a closed mesh. `deviation` mm for round ones; their facets lie half outside, half inside, so that the volume is right. */
export function toolMesh(engine: Engine, body: ToolBody, deviation = 0.01): Mesh {
  const length = Math.hypot(...body.normal);
  const normal = body.normal.map((x) => x / length) as [number, number, number];
  const out = Math.max(0.01, body.depth * 0.01);
  const high = body.depth + out;
  return withSolids((keep) => {
    let solid;
    if (body.kind === 'cylinder') {
      const n = segmentsFor(body.diameter / 2, deviation);
      // Equal area: r^2 pi = n r'^2 sin(2 pi / n) / 2.
      const r = (body.diameter / 2) * Math.sqrt((2 * Math.PI) / n / Math.sin((2 * Math.PI) / n));
      solid = keep(engine.Manifold.cylinder(high, r, r, n));
    } else {
      const box = keep(engine.Manifold.cube([body.width, body.length, high], true));
      const turned = keep(box.rotate([0, 0, body.turn]));
      solid = keep(turned.translate([0, 0, high / 2]));
    }
    const sunk = keep(solid.translate([0, 0, -body.depth]));
    const m = rowsOf(turnBetween([0, 0, 1], normal));
    const placed = keep(sunk.transform([m[0], m[3], m[6], 0, m[1], m[4], m[7], 0, m[2], m[5], m[8], 0, body.at[0], body.at[1], body.at[2], 1]));
    return fromManifold(placed, { shift: [0, 0, 0], scale: 1 });
  });
}

/** Contours (closed, in mm; holes by even-odd) raised to a solid of a thickness. */
export function raised(engine: Engine, contours: [number, number][][], thickness: number): Mesh {
  return withSolids((keep) => {
    const section = keep(new engine.CrossSection(contours, 'EvenOdd'));
    const solid = keep(section.extrude(thickness));
    return fromManifold(solid, frameFor([]));
  });
}
