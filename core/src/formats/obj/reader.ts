import type { Reader } from '../format.ts';
import { readObj } from './read.ts';

export const reader: Reader = { kind: 'mesh', looksLike: null, read: readObj };
