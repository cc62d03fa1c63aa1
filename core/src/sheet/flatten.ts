import { readBrepText } from '../surfaces/brep-text.ts';
import type { Shape } from '../model/design.ts';
import { ownFacets } from '../kernel/facet-source.ts';
import { OpenSolid } from '../kernel/facets.ts';
import type { Kernel } from '../kernel/kernel.ts';
import { SolidBuilder } from '../kernel/build.ts';
import { measureMesh } from '../geometry/mesh.ts';
import { Unusable } from '../base/finding.ts';
import { usualFlatten, type FlattenChoice, type Pattern } from './pattern.ts';
import { slitOpen } from './slit.ts';
import { topologyOfMesh } from './from-mesh.ts';
import { heightOver, middleOf, middleOfFace, topologyOf, type Topology } from './topology.ts';
import { distance } from '../geometry/vector.ts';
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
  asked: FlattenChoice,
  volume: number | null,
  progress: Progress = () => {},
): Pattern {
  const choice = { ...usualFlatten, ...asked };
  const seams = choice.rips.filter((r) => 'face' in r);
  if (shape.kind === 'mesh') {
    if (seams.length > 0)
      throw new Unusable(
        'seam-mesh',
        'A closed round wall of a mesh is not ripped here.',
        'Rip the solid (STEP) that it was made from, or cut a slot along it first.',
      );
    progress(0.02, 'looking for walls and bends in the mesh');
    const mesh = { positions: scale === 1 ? shape.mesh.positions : shape.mesh.positions.map((v) => v * scale), triangles: shape.mesh.triangles };
    return unfold(topologyOfMesh(mesh), choice, volume ?? measureMesh(mesh).volume, progress);
  }
  if (!kernel) throw new RangeError('a solid needs the kernel');
  const brep = scale === 1 ? shape.brep : scaledBrep(kernel, shape.brep, scale);
  progress(0.02, 'reading the faces');
  const { top, volume: found } = faceted(kernel, brep);
  if (seams.length === 0) return unfold(top, choice, volume ?? found, progress);
  progress(0.05, 'ripping the seam');
  const slit = slitOpen(kernel, brep, top, seams);
  const { top: opened, volume: left } = faceted(kernel, slit.brep);
  // The slot numbers the faces anew.
  const now = (f: number) => sameFace(top, f, opened);
  const rips = choice.rips.flatMap((r) => ('between' in r ? [{ between: [now(r.between[0]), now(r.between[1])] as [number, number] }] : []));
  const pattern = unfold(opened, { ...choice, face: choice.face === null ? null : now(choice.face), rips }, left, progress);
  return { ...pattern, choice, findings: [...pattern.findings, ...slit.findings] };
}

/** Faces and edges of a solid by our own facets, without the kernel; null where those can't be had. */
export function facetedByOwn(brep: string): Topology | null {
  const facets = ownFacets(brep, sheetFacets.deflection, sheetFacets.angle);
  return facets && topologyOf(readBrepText(brep), facets);
}

/** Faces and edges of a solid, with its volume by its facets, mm3. */
export function faceted(kernel: Kernel, brep: string): { top: Topology; volume: number } {
  const open = new OpenSolid(kernel, brep);
  try {
    const facets = open.facets(sheetFacets.deflection, sheetFacets.angle);
    return { top: topologyOf(readBrepText(brep), facets), volume: measureMesh(facets).volume };
  } finally {
    open.close();
  }
}

/** The face of a slit solid that a face of the whole one became: of the same surface, and nearest. */
function sameFace(whole: Topology, face: number, slit: Topology): number {
  if (!whole.faces[face]) return face;
  const at = middleOfFace(whole, face);
  let best = -1;
  let least = Infinity;
  slit.faces.forEach((f, i) => {
    if (f.surface.kind !== whole.faces[face].surface.kind || f.sign !== whole.faces[face].sign) return;
    const off = Math.abs(heightOver(f, at) ?? Infinity);
    // A triangle's middle lies off a round face by what facets may deviate.
    if (off > 2 * sheetFacets.deflection) return;
    const apart = Math.min(...Array.from(f.triangles, (t) => distance(middleOf(slit.mesh, t), at)));
    if (apart < least) [best, least] = [i, apart];
  });
  return best < 0 ? face : best;
}

/** A solid made larger or smaller about zero. */
export function scaledBrep(kernel: Kernel, brep: string, k: number): string {
  const b = new SolidBuilder(kernel);
  return b.brep(b.placed(b.fromBrep(brep), [k, 0, 0, 0, 0, k, 0, 0, 0, 0, k, 0]));
}
