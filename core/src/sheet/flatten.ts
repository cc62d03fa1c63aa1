import { readBrepText } from '../surfaces/brep-text.ts';
import type { Shape } from '../model/design.ts';
import { solidFacets } from '../kernel/facet-source.ts';
import { NeedsKernel, type Kernel } from '../kernel/kernel.ts';
import { SolidBuilder } from '../kernel/build.ts';
import { measureMesh } from '../geometry/mesh.ts';
import { Unusable } from '../base/finding.ts';
import { usualFlatten, type FlattenChoice, type Pattern } from './pattern.ts';
import { slitOpen } from './slit.ts';
import { topologyOfMesh } from './from-mesh.ts';
import { heightOver, middleOfFace, topologyOf, type Topology } from './topology.ts';
import { distance } from '../geometry/vector.ts';
import { sheetFacets, unfold, type Progress } from './unfold.ts';
import { middleOfTriangle } from '../geometry/triangle.ts';

/** A folded sheet part. */
export interface SheetSource {
  shape: Shape;
  /** mm in one of its numbers. */
  scale: number;
  /** Of the part as it is, mm3 once scaled; null to take it from the facets. */
  volume: number | null;
}

/** A part of a design as it is unfolded: the volume of a solid is known exactly, that of a mesh is its facets'. */
export function sheetSource(shape: Shape, scale: number, volume: number): SheetSource {
  return { shape, scale, volume: shape.kind === 'solid' ? volume * scale ** 3 : null };
}

/**
 * The flat pattern of a solid or a mesh of a folded sheet part.
 * @param kernel only for solids that our own mesher does not take, that are not in mm, or that a seam is cut into
 * @throws NeedsKernel where it is needed and not there
 * @throws Unusable with the reason and the place when it can't be unfolded.
 * @example flattenShape(null, { shape, scale: 1, volume: null }, usualFlatten).bends.length
 */
export function flattenShape(kernel: Kernel | null, { shape, scale, volume }: SheetSource, asked: FlattenChoice, progress: Progress = () => {}): Pattern {
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
  const brep = scaledBrep(kernel, shape.brep, scale);
  progress(0.02, 'reading the faces');
  const { top, volume: found } = faceted(kernel, brep);
  if (seams.length === 0) return unfold(top, choice, volume ?? found, progress);
  if (!kernel) throw new NeedsKernel();
  progress(0.05, 'ripping the seam');
  const slit = slitOpen(kernel, brep, top, seams);
  const { top: opened, volume: left } = faceted(kernel, slit.brep);
  // The slot numbers the faces anew.
  const now = (f: number) => sameFace(top, f, opened);
  const rips = choice.rips.flatMap((r) => ('between' in r ? [{ between: [now(r.between[0]), now(r.between[1])] as [number, number] }] : []));
  const pattern = unfold(opened, { ...choice, face: choice.face === null ? null : now(choice.face), rips }, left, progress);
  return { ...pattern, choice, findings: [...pattern.findings, ...slit.findings] };
}

/** Faces and edges of a solid, with its volume by its facets, mm3. @throws NeedsKernel where our own mesher does not take it and there is none */
export function faceted(kernel: Kernel | null, brep: string): { top: Topology; volume: number } {
  const facets = solidFacets(brep, sheetFacets.deflection, sheetFacets.angle, kernel);
  return { top: topologyOf(readBrepText(brep), facets), volume: measureMesh(facets).volume };
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
    const apart = Math.min(...Array.from(f.triangles, (t) => distance(middleOfTriangle(slit.mesh, t), at)));
    if (apart < least) [best, least] = [i, apart];
  });
  return best < 0 ? face : best;
}

/** A solid made larger or smaller about zero. @throws NeedsKernel unless it stays as it is */
export function scaledBrep(kernel: Kernel | null, brep: string, k: number): string {
  if (k === 1) return brep;
  if (!kernel) throw new NeedsKernel();
  const b = new SolidBuilder(kernel);
  return b.brep(b.placed(b.fromBrep(brep), [k, 0, 0, 0, 0, k, 0, 0, 0, 0, k, 0]));
}
