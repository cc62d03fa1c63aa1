import { readBrepText } from '../exact/brep-text.ts';
import type { Shape } from '../design/design.ts';
import { OpenSolid } from '../kernel/facets.ts';
import type { Kernel } from '../kernel/kernel.ts';
import { SolidBuilder } from '../kernel/build.ts';
import { measureMesh } from '../geometry/mesh.ts';
import type { FlattenChoice, Pattern } from './pattern.ts';
import { topologyOfMesh } from './from-mesh.ts';
import { topologyOf } from './topology.ts';
import { sheetFacets, unfold, type Progress } from './unfold.ts';

/**
 * The flat pattern of a solid or a mesh of a folded sheet part.
 * @param scale mm in one of its numbers.
 * @param volume of the part as it is, mm3 once scaled; null to take it from the facets.
 * @throws Unusable with the reason and the place when it can't be unfolded.
 */
export function flattenShape(
  kernel: Kernel | null,
  shape: Shape,
  scale: number,
  choice: FlattenChoice,
  volume: number | null,
  progress: Progress = () => {},
): Pattern {
  if (shape.kind === 'mesh') {
    progress(0.02, 'looking for walls and bends in the mesh');
    const mesh = { positions: scale === 1 ? shape.mesh.positions : shape.mesh.positions.map((v) => v * scale), triangles: shape.mesh.triangles };
    return unfold(topologyOfMesh(mesh), choice, volume ?? measureMesh(mesh).volume, progress);
  }
  if (!kernel) throw new RangeError('a solid needs the kernel');
  const brep = scale === 1 ? shape.brep : scaledBrep(kernel, shape.brep, scale);
  const open = new OpenSolid(kernel, brep);
  try {
    progress(0.02, 'reading the faces');
    const facets = open.facets(sheetFacets.deflection, sheetFacets.angle);
    return unfold(topologyOf(readBrepText(brep), facets), choice, volume ?? measureMesh(facets).volume, progress);
  } finally {
    open.close();
  }
}

function scaledBrep(kernel: Kernel, brep: string, k: number): string {
  const b = new SolidBuilder(kernel);
  return b.brep(b.placed(b.fromBrep(brep), [k, 0, 0, 0, 0, k, 0, 0, 0, 0, k, 0]));
}
