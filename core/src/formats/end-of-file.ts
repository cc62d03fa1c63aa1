import type { Finding } from '../base/finding.ts';

/** A file that does not end with the word that its format ends with: part of it may be missing. */
export const noEndOfFile = (word: string): Finding => ({
  code: 'no-end-of-file',
  severity: 'look',
  count: 1,
  message: `The file ends without its last word ("${word}"); it may be cut off.`,
  remedy: 'Compare it with the program that made it, or copy it again.',
});
