import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';

const folder = dirname(createRequire(import.meta.url).resolve('pdfjs-dist/package.json'));

/** Folders of the reader's own: fonts for the fourteen that need not be in a file, and tables of characters. */
export const standardFontDataUrl = `${join(folder, 'standard_fonts')}/`;
export const cMapUrl = `${join(folder, 'cmaps')}/`;
