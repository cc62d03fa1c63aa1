import { thumbnail } from 'tall-kite/pipeline/thumbnail';
import { unpackView } from 'tall-kite/view/view';
import type { Blobs } from '../storage/blobs.ts';

/** The small picture of a part, from what is drawn of it; WebP. */
export const pictureOf = (view: ReturnType<typeof unpackView>): Promise<Uint8Array> =>
  thumbnail({ positions: Float64Array.from(view.positions), triangles: view.triangles });

/** Makes the small picture of a part from what is drawn of it, and keeps it. Gives its hash. @param view hash of what is drawn */
export async function keepPicture(blobs: Blobs, view: string): Promise<string> {
  const drawn = await blobs.read(view);
  return (await blobs.put([await pictureOf(unpackView(new Uint8Array(drawn).buffer))])).sha256;
}
