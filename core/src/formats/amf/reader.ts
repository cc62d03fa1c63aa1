import type { Reader } from '../format.ts';
import { looksLikeAmf, readAmf } from './read.ts';

export const reader: Reader = { kind: 'mesh', looksLike: looksLikeAmf, read: readAmf };
