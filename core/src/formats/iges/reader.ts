import type { Reader } from '../format.ts';
import { looksLikeIges, readIgesHeader } from './header.ts';

/** IGES 5.3. */
export const reader: Reader = {
  kind: 'solid',
  looksLike: looksLikeIges,
  header(bytes) {
    const { unit, system } = readIgesHeader(bytes);
    return { version: system, unit, uncertainty: 0, findings: [] };
  },
};
