import { Unusable } from '../base/finding.ts';
import { developChoice, type DevelopChoice } from './develop.ts';

/** A shape given by its sizes is a design like any other: a small file of JSON, kept, revised and read again. */
interface SizesFile {
  shape: string;
  [size: string]: unknown;
}

const decoder = new TextDecoder();
/** Largest such file, bytes. */
const mostBytes = 64 * 1024;

/** Whether bytes are the sizes of a shape. */
export function looksLikeSizes(bytes: Uint8Array): boolean {
  if (bytes.length > mostBytes || bytes[0] !== 0x7b) return false;
  return /^\{\s*"shape"\s*:/.test(decoder.decode(bytes.subarray(0, 64)));
}

/**
 * Reads the sizes of a shape: `{"shape": "cone", "lower": 120, "upper": 60, "height": 100, "thickness": 1.5}`; lengths in mm.
 * @throws Unusable when it is no JSON, or a size is wrong or missing.
 */
export function readSizes(bytes: Uint8Array): DevelopChoice {
  let given: SizesFile;
  try {
    given = JSON.parse(decoder.decode(bytes)) as SizesFile;
  } catch (thrown) {
    throw new Unusable('bad-sizes', `The file of sizes is not whole: ${(thrown as Error).message}.`, 'Write it again.');
  }
  const { shape, ...sizes } = given;
  return developChoice({ kind: shape, ...sizes });
}

/** Sizes as such a file. */
export const sizesFile = (kind: string, sizes: Record<string, unknown>): string => `${JSON.stringify({ shape: kind, ...sizes }, null, 2)}\n`;
