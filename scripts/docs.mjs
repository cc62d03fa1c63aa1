// npm run docs: writes the pages of docs/ that are made from the registries of commands and formats, and the picture of core's rooms.
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { format, resolveConfig } from 'prettier';
import { root } from './machine.mjs';
import { layersSvg, rooms } from './rooms.mjs';
import { commands } from '../core/dist/cli/commands.js';
import { helpByWord } from '../core/dist/cli/help.js';
import { madePages } from '../core/dist/cli/pages.js';

for (const [name, text] of Object.entries(madePages())) {
  const file = join(root, 'docs', name);
  writeFileSync(file, await format(text, { ...(await resolveConfig(file)), parser: 'markdown' }));
  console.log(`docs/${name}`);
}
writeFileSync(join(root, 'docs', 'pictures', 'layers.svg'), layersSvg(rooms));
writeFileSync(join(root, 'core', 'help.json'), await format(JSON.stringify(helpByWord(commands)), { ...(await resolveConfig('help.json')), parser: 'json' }));
