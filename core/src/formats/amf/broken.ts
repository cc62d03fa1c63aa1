import { Unusable } from '../../base/finding.ts';

/** A file that can't be read, with why. */
export const broken = (why: string) =>
  new Unusable('amf-broken', `The AMF file could not be read: ${why}.`, 'Copy or export it again; a half of a part is never used.');
