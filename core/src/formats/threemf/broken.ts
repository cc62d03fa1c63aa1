import { Unusable } from '../../base/finding.ts';

/** A package that can't be read, with why. */
export const broken = (why: string): Unusable =>
  new Unusable('3mf-broken', `The 3MF file could not be opened: ${why}.`, 'Copy or export it again; a half of a part is never used.');
