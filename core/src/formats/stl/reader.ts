import { identityRows } from '../../geometry/rows.ts';
import type { Reader } from '../format.ts';
import { readStl } from './read.ts';

/** STL; its blocks are its parts. Bytes do not tell it from others. */
export const reader: Reader = {
  kind: 'mesh',
  looksLike: null,
  read(bytes) {
    const { encoding, blocks, findings } = readStl(bytes);
    const full = blocks.filter((block) => block.mesh.triangles.length > 0);
    const parts = full.map(({ name, mesh }) => ({
      name: full.length > 1 ? name : null,
      above: [],
      partNumber: null,
      colour: null,
      mesh,
      places: [identityRows],
    }));
    return { version: encoding, unit: null, parts, findings };
  },
};
