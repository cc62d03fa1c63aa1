// Writes docs/NOTICE.md: every package that ships, with its licence, from the lock file and the packages themselves.
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { root } from './machine.mjs';

const lock = JSON.parse(readFileSync(join(root, 'package-lock.json'), 'utf8'));
const rows = [];
for (const [path, entry] of Object.entries(lock.packages)) {
  if (!path.includes('node_modules/') || entry.dev || entry.link || entry.optional) continue;
  const name = path.slice(path.lastIndexOf('node_modules/') + 13);
  const file = join(root, path, 'package.json');
  const own = existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : {};
  const licence = entry.license ?? own.license ?? own.licenses?.map((l) => l.type).join(' or ') ?? 'not stated';
  rows.push([name, entry.version, typeof licence === 'string' ? licence : licence.type]);
}
rows.sort((a, b) => a[0].localeCompare(b[0]) || a[1].localeCompare(b[1]));
const text = `# Notice

Tall Kite itself is under the MIT licence (LICENSE). It ships with the packages below, each under its own licence; the
text of each licence is in the package's folder in node_modules.

The two builds of the exact-geometry kernel, **opencascade.js** and **replicad-opencascadejs**, are under LGPL-2.1-only.
They are not part of any bundle: on the server they are loaded from node_modules, in the browser from
web/public/kernel/ (replicad_single.js and replicad_single.wasm, with LICENSE.txt beside them). Replacing those files
with others of the same interface replaces the kernel. The only change made to them is made in memory when the server
loads opencascade.js: its generated binding functions are made when first called (core/src/kernel/load.ts).

Letters to set text in are the @fontsource packages below, under the SIL Open Font License 1.1; pages get them unpacked from web/public/kernel/letters/.
Single-line letters are in core/letters/, unchanged: the Hershey Fonts were originally created by Dr. A. V. Hershey while working at the U. S.
National Bureau of Standards; the format of the font data was originally created by James Hurt, Cognition, Inc., 900 Technology Park Drive,
Billerica, MA 01821 (mit-eddie!ci-dandelion!hurt).

| package | version | licence |
|---|---|---|
${[...new Set(rows.map((r) => `| ${r.join(' | ')} |`))].join('\n')}
`;
writeFileSync(join(root, 'docs', 'NOTICE.md'), text);
console.log(`${rows.length} packages listed.`);
