import { createHash } from 'node:crypto';

/** SHA-256 of pieces of bytes, as hex. */
export function sha256(pieces: Iterable<Uint8Array>): string {
  const hash = createHash('sha256');
  for (const piece of pieces) hash.update(piece);
  return hash.digest('hex');
}
