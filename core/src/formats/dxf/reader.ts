import type { Reader } from '../format.ts';
import { looksLikeDxf, readDxf, versionNames } from './read.ts';

export const reader: Reader = {
  kind: 'drawing',
  looksLike: looksLikeDxf,
  read(bytes, choices) {
    const file = readDxf(bytes, { hidden: choices.hidden ?? false, keepBad: choices.bad !== 'stop' });
    return { ...file, version: `${versionNames[file.version] ?? file.version}${file.binary ? ', binary' : ''}` };
  },
};
