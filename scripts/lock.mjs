// After the lock file changed: takes out names of optional packages that have no entry, on which "npm ci" would fail.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { root } from './machine.mjs';

const file = join(root, 'package-lock.json');
const lock = JSON.parse(readFileSync(file, 'utf8'));
let dropped = 0;
for (const [path, entry] of Object.entries(lock.packages)) {
  for (const name of Object.keys(entry.optionalDependencies ?? {})) {
    const places = [`${path}/node_modules/${name}`, `node_modules/${name}`];
    if (places.some((place) => lock.packages[place])) continue;
    delete entry.optionalDependencies[name];
    dropped++;
  }
  if (entry.resolved && !entry.link) delete entry.resolved;
}
writeFileSync(file, `${JSON.stringify(lock, null, 2)}\n`);
console.log(`${dropped} names without an entry taken out.`);
