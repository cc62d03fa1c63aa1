import { Unusable } from '../base/finding.ts';
import { weldEqual } from '../geometry/weld.ts';
import type { Box } from '../geometry/box.ts';
import type { Mesh } from '../geometry/mesh.ts';
import type { Placement } from '../geometry/placement.ts';
import { kernelMessage, type Kernel } from './kernel.ts';
import { withScope } from './scope.ts';

/** Facets of a solid, face by face. */
export interface RawFacets extends Mesh {
  /** First triangle of each face, and the number of triangles at the end. */
  starts: Uint32Array;
}

/** Polylines of a solid's edges. `points`: xyz of segment ends, two points a segment. */
export interface EdgeLines {
  points: Float32Array;
  /** First point of each edge, and the number of points at the end. */
  starts: Uint32Array;
}

/** A solid held open in the working kernel, so that facets can be made again and again. */
export class OpenSolid {
  private readonly kernel: Kernel;
  private shape: Kernel;
  private readonly text: string;

  /** @param text BREP text. @throws Unusable when the kernel can't read it. */
  constructor(kernel: Kernel, text: string) {
    this.kernel = kernel;
    this.text = text;
    this.shape = readShape(kernel, text);
  }

  /**
   * Facets by the kernel's mesher for a linear deflection in mm and an angle in rad. The deflection is only what is
   * asked for; what comes is measured elsewhere.
   */
  facets(deflection: number, angle: number): RawFacets {
    // The mesher keeps a finer mesh that is there already, so coarser facets need a fresh shape.
    this.shape.delete();
    this.shape = readShape(this.kernel, this.text);
    return withScope((keep) => {
      const k = this.kernel;
      let data: Kernel;
      try {
        data = keep(k.ReplicadMeshExtractor.extract(this.shape, deflection, angle, true));
      } catch (thrown) {
        throw new Unusable(
          'facets-failed',
          `The solid could not be faceted (${kernelMessage(k, thrown)}).`,
          'Try another deviation, or heal the solid in the program that made it.',
        );
      }
      const memory = k.wasmMemory.buffer;
      const vertices = new Float32Array(memory, data.getVerticesPtr(), data.getVerticesSize());
      const corners = new Uint32Array(memory, data.getTrianglesPtr(), data.getTrianglesSize());
      const groups = new Int32Array(memory, data.getFaceGroupsPtr(), data.getFaceGroupsSize());
      const welded = weldEqual(vertices, corners);
      return withoutCollapsed(welded, groups);
    });
  }

  /** The edges as polylines, from the facets made last. */
  edges(deflection: number, angle: number): EdgeLines {
    return withScope((keep) => {
      const k = this.kernel;
      const data = keep(k.ReplicadEdgeMeshExtractor.extract(this.shape, deflection, angle));
      const memory = k.wasmMemory.buffer;
      const lines = new Float32Array(memory, data.getLinesPtr(), data.getLinesSize()).slice();
      const groups = new Int32Array(memory, data.getEdgeGroupsPtr(), data.getEdgeGroupsSize());
      const starts = new Uint32Array(groups.length / 3 + 1);
      for (let i = 0; i < groups.length / 3; i++) starts[i] = groups[i * 3];
      starts[groups.length / 3] = lines.length / 3;
      return { points: lines, starts };
    });
  }

  /** The exact box after a placement (no facets involved), mm. */
  box(placement: Placement, scale: number): Box {
    return withScope((keep) => {
      const k = this.kernel;
      const { rows: m, shift } = placement;
      const transform = keep(new k.gp_Trsf());
      const r = Array.from(m, (v) => v / scale);
      transform.SetValues(r[0], r[1], r[2], shift[0] / scale, r[3], r[4], r[5], shift[1] / scale, r[6], r[7], r[8], shift[2] / scale);
      const location = keep(new k.TopLoc_Location(transform));
      const moved = keep(this.shape.Located(location, false));
      const box = keep(new k.Bnd_Box());
      k.BRepBndLib.AddOptimal(moved, box, false, false);
      const low = keep(box.CornerMin());
      const high = keep(box.CornerMax());
      return {
        min: [low.X() * scale, low.Y() * scale, low.Z() * scale],
        max: [high.X() * scale, high.Y() * scale, high.Z() * scale],
      };
    });
  }

  /** Gives the kernel's memory back. */
  close(): void {
    this.shape.delete();
  }
}

function readShape(kernel: Kernel, text: string): Kernel {
  try {
    return kernel.BRepToolsWrapper.Read(text);
  } catch (thrown) {
    throw new Unusable('solid-unreadable', `The stored solid could not be opened (${kernelMessage(kernel, thrown)}).`, 'Bring the design in again.');
  }
}

/** Drops triangles that collapsed to a line when equal vertices were joined, and counts each face's run anew. */
function withoutCollapsed(mesh: Mesh, groups: Int32Array): RawFacets {
  const faces = groups.length / 3;
  const starts = new Uint32Array(faces + 1);
  const out = new Uint32Array(mesh.triangles.length);
  let at = 0;
  for (let f = 0; f < faces; f++) {
    starts[f] = at / 3;
    const from = groups[f * 3];
    for (let i = from; i < from + groups[f * 3 + 1]; i += 3) {
      const a = mesh.triangles[i];
      const b = mesh.triangles[i + 1];
      const c = mesh.triangles[i + 2];
      if (a === b || b === c || c === a) continue;
      out[at++] = a;
      out[at++] = b;
      out[at++] = c;
    }
  }
  starts[faces] = at / 3;
  return { positions: mesh.positions, triangles: out.slice(0, at), starts };
}
