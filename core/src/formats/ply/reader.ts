import { latin } from '../../base/latin.ts';
import type { Reader } from '../format.ts';
import { readPly } from './read.ts';

export const reader: Reader = { kind: 'mesh', looksLike: (bytes) => /^ply\r?\n/.test(latin(bytes.subarray(0, 5))), read: readPly };
