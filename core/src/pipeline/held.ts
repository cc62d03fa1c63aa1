import { zipSync } from 'fflate';
import { joinedBytes } from '../base/bytes.ts';
import type { Keep } from './one-file.ts';

/** Keeps files in the hand until they are all there. @returns how one is kept, and all of them as one zip: equal inputs give equal bytes */
export function heldFiles(): { keep: Keep; zip: () => Uint8Array } {
  const inside: Record<string, Uint8Array> = {};
  const keep: Keep = (name, pieces) => {
    const bytes = joinedBytes(pieces);
    inside[name] = bytes;
    return Promise.resolve(bytes);
  };
  // No time of day: the same inputs give the same bytes.
  return { keep, zip: () => zipSync(inside, { mtime: new Date(1980, 0, 1) }) };
}
