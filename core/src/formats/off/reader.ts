import type { Reader } from '../format.ts';
import { looksLikeOff, readOff } from './read.ts';

export const reader: Reader = { kind: 'mesh', looksLike: looksLikeOff, read: readOff };
