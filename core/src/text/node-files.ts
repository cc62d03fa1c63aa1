import { readFile } from 'node:fs/promises';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { LetterFiles } from './letters.ts';
import { unpacked } from './unpack.ts';

const require = createRequire(import.meta.url);
/** From src/text and from dist/text alike. */
const folder = join(dirname(fileURLToPath(import.meta.url)), '..', '..', 'letters');

/** Letters from the packages of this installation. */
export const nodeLetters: LetterFiles = {
  outlines: async (from, file) => unpacked(await readFile(join(dirname(require.resolve(`${from}/package.json`)), 'files', file))),
  strokes: (file) => readFile(join(folder, `${file}.jhf`), 'latin1'),
  plain: unpacked,
};
