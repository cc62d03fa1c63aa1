import type { Reader } from '../format.ts';
import { readThreeMf } from './read.ts';

export const reader: Reader = {
  kind: 'mesh',
  looksLike: (bytes) => bytes[0] === 0x50 && bytes[1] === 0x4b && bytes[2] === 3 && bytes[3] === 4,
  read: readThreeMf,
};
