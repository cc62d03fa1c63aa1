import type { DesignPart } from 'tall-kite/model/design';
import { packGeometry } from 'tall-kite/model/pack';
import { workingKernel } from 'tall-kite/kernel/load';
import { thumbOf } from 'tall-kite/view/thumb';
import { unpackView, viewOf } from 'tall-kite/view/view';
import type { MadePart } from '../operations/requests.ts';
import type { Keep } from 'tall-kite/pipeline/one-file';
import { pictureOf } from './pictures.ts';
import { Batch } from '../storage/batch.ts';
import type { Blobs } from '../storage/blobs.ts';

/** Puts the parts' geometry and what is drawn of them into the store, all of them or none. */
export async function storeParts(blobs: Blobs, parts: Iterable<DesignPart>, told: (done: number) => void = () => {}): Promise<MadePart[]> {
  const batch = new Batch(blobs);
  const stored: MadePart[] = [];
  try {
    for (const part of parts) {
      stored.push(await storePart(batch, part, stored.length < mostPictured));
      told(stored.length);
    }
    await batch.done();
  } finally {
    batch.drop();
  }
  return stored;
}

/** Small pictures are made of so many parts at once; of the others when somebody looks at them. */
const mostPictured = 60;

/** One part. A drawing is drawn as it is. */
async function storePart(blobs: Batch, part: DesignPart, pictured: boolean): Promise<MadePart> {
  const { name } = part.summary;
  const geometry = await blobs.put([packGeometry(part.geometry)]);
  if (part.geometry.kind === 'drawing') return { name, summary: part.summary, findings: part.findings, geometry: geometry.sha256, view: geometry.sha256 };
  const drawn = await viewOf(part.geometry, workingKernel);
  const view = await blobs.put([drawn]);
  const seen = unpackView(drawn.slice().buffer);
  const thumb = thumbOf(seen);
  const picture = pictured ? (await blobs.put([await pictureOf(seen)])).sha256 : undefined;
  return { name, summary: { ...part.summary, thumb, ...(picture ? { picture } : {}) }, findings: part.findings, geometry: geometry.sha256, view: view.sha256 };
}

/** Stores the pieces of a file and reads them back from the store. */
export const keepIn =
  (blobs: Blobs): Keep =>
  async (_, pieces) =>
    blobs.read((await blobs.put(pieces)).sha256);
