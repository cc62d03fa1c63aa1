import type { Reader } from '../format.ts';
import { looksLikeGltf, readGltf } from './read.ts';

export const reader: Reader = { kind: 'mesh', looksLike: looksLikeGltf, read: readGltf };
