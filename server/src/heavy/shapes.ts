import type { DesignPart } from 'tall-kite/model/design';
import { packGeometry } from 'tall-kite/model/pack';
import { workingKernel } from 'tall-kite/kernel/load';
import { thumbnail } from 'tall-kite/pipeline/thumbnail';
import { thumbOf } from 'tall-kite/view/thumb';
import { unpackView, viewOf } from 'tall-kite/view/view';
import type { MadePart } from '../operations/requests.ts';
import type { Keep } from 'tall-kite/pipeline/one-file';
import type { Blobs } from '../storage/blobs.ts';

/** Puts a part's geometry and what is drawn of it into the store. A drawing is drawn as it is. */
export async function storePart(blobs: Blobs, part: DesignPart): Promise<MadePart> {
  const { name } = part.summary;
  const geometry = await blobs.put([packGeometry(part.geometry)]);
  if (part.geometry.kind === 'drawing') return { name, summary: part.summary, findings: part.findings, geometry: geometry.sha256, view: geometry.sha256 };
  const drawn = await viewOf(part.geometry, workingKernel);
  const view = await blobs.put([drawn]);
  const seen = unpackView(drawn.slice().buffer);
  const thumb = thumbOf(seen);
  const picture = (await blobs.put([await thumbnail({ positions: Float64Array.from(seen.positions), triangles: seen.triangles })])).sha256;
  return { name, summary: { ...part.summary, thumb, picture }, findings: part.findings, geometry: geometry.sha256, view: view.sha256 };
}

/** Stores the pieces of a file and reads them back from the store. */
export const keepIn =
  (blobs: Blobs): Keep =>
  async (_, pieces) =>
    blobs.read((await blobs.put(pieces)).sha256);
