import { Unusable } from '../base/finding.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { apartInFiles } from '../mesh/join/apart.ts';
import type { Engine } from '../engine/engine.ts';
import { contoursOf, type Drawing } from '../curves/drawing.ts';
import { areaOf } from '../curves/offset.ts';

/**
 * A drawing raised to a solid: closed contours with their holes and islands, `thickness` mm along Z.
 * @param deviation of the facets from rounds, mm.
 * @throws Unusable when there is no closed contour.
 */
export function raiseDrawing(engine: Engine, drawing: Drawing, thickness: number, deviation = 0.02): Mesh {
  const closed = contoursOf(drawing).filter((c) => c.closed);
  if (closed.length === 0)
    throw new Unusable('nothing-closed', 'No contour is closed, so there is nothing to raise.', 'Join the gaps on the Soundness step first.');
  if (!(thickness > 0)) throw new Unusable('no-thickness', 'The thickness must be above 0 mm.', 'Type one.');
  const area = areaOf(engine, closed, deviation);
  const solid = area.extrude(thickness);
  try {
    const mesh = solid.getMesh();
    const n = mesh.vertProperties.length / mesh.numProp;
    const positions = new Float64Array(n * 3);
    for (let v = 0; v < n; v++) for (let k = 0; k < 3; k++) positions[v * 3 + k] = mesh.vertProperties[v * mesh.numProp + k];
    // Areas that touch in a corner would be joined there by a file that knows places only.
    return apartInFiles({ positions, triangles: new Uint32Array(mesh.triVerts) });
  } finally {
    solid.delete();
    area.delete();
  }
}
