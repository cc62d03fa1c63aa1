import type { Reader } from '../format.ts';
import { looksLikeSvg, readSvg } from './read.ts';

export const reader: Reader = {
  kind: 'drawing',
  looksLike: looksLikeSvg,
  read: (bytes, choices) => ({ ...readSvg(bytes, choices.layersFrom ?? 'groups'), metric: null }),
};
