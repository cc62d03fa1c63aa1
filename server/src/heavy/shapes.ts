import type { DesignPart, Geometry, PartSummary } from 'tall-kite/design/design';
import { packDrawing, unpackDrawing } from 'tall-kite/drawing/drawing';
import { packMesh, unpackMesh } from 'tall-kite/geometry/mesh';
import { workingKernel } from 'tall-kite/kernel/load';
import { thumbOf } from 'tall-kite/view/thumb';
import { unpackView, viewOf } from 'tall-kite/view/view';
import type { MadePart } from '../operations/requests.ts';
import type { Keep } from 'tall-kite/pass/one-file';
import type { Blobs } from '../storage/blobs.ts';

/** A part's geometry from its bytes in the store. */
export function geometryOf(kind: PartSummary['kind'], stored: Buffer): Geometry {
  switch (kind) {
    case 'solid':
      return { kind, brep: stored.toString('utf8') };
    case 'mesh':
      return { kind, mesh: unpackMesh(stored) };
    case 'drawing':
      return { kind, drawing: unpackDrawing(stored) };
  }
}

function packed(geometry: Geometry): Uint8Array {
  switch (geometry.kind) {
    case 'solid':
      return new TextEncoder().encode(geometry.brep);
    case 'mesh':
      return packMesh(geometry.mesh);
    case 'drawing':
      return packDrawing(geometry.drawing);
  }
}

/** Puts a part's geometry and what is drawn of it into the store. A drawing is drawn as it is. */
export async function storePart(blobs: Blobs, part: DesignPart): Promise<MadePart> {
  const { name } = part.summary;
  const geometry = await blobs.put([packed(part.geometry)]);
  if (part.geometry.kind === 'drawing') return { name, summary: part.summary, findings: part.findings, geometry: geometry.sha256, view: geometry.sha256 };
  const drawn = await viewOf(part.geometry, workingKernel);
  const view = await blobs.put([drawn]);
  const thumb = thumbOf(unpackView(drawn.slice().buffer));
  return { name, summary: { ...part.summary, thumb }, findings: part.findings, geometry: geometry.sha256, view: view.sha256 };
}

/** Stores the pieces of a file and reads them back from the store. */
export const keepIn =
  (blobs: Blobs): Keep =>
  async (_, pieces) =>
    blobs.read((await blobs.put(pieces)).sha256);
