import { formats } from '../formats/registry.ts';

/** Shapes given by their sizes are opened like a format; they are made by `develop`. */
export const sizesFormat = 'sizes';

/** Endings that are opened, with the format they stand for. */
export const endings: Readonly<Record<string, string>> = Object.fromEntries([
  ...formats.flatMap(({ id, endings: all }) => all.map((ending) => [ending, id])),
  [sizesFormat, sizesFormat],
]);

/** For file pickers: every ending with its dot. */
export const acceptedEndings = Object.keys(endings)
  .map((e) => `.${e}`)
  .join(',');

const ids = formats.map((f) => f.id);

/** "STEP, IGES, ... or SVG", for sentences. */
export const openedInWords = `${ids.slice(0, -1).join(', ')} or ${ids[ids.length - 1]}`;
