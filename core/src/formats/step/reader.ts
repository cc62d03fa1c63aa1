import { latin } from '../../base/latin.ts';
import type { Reader } from '../format.ts';
import { readStepHeader } from './header.ts';

/** STEP. Source: ISO 10303-21. */
export const reader: Reader = {
  kind: 'solid',
  looksLike: (bytes) => /^\s*ISO-10303-21\s*;/.test(latin(bytes.subarray(0, 256))),
  header(bytes) {
    const { protocol, unit, uncertainty, stated, findings } = readStepHeader(bytes);
    return { version: protocol, unit, uncertainty, stated, findings };
  },
};
