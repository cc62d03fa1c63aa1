// npm run status: what runs on the data folder, and how it is.
import { join, resolve } from 'node:path';
import { holderOf, readJson } from './hold.mjs';
import { root } from './machine.mjs';

const dataDir = resolve(process.env.DATA_DIR ?? join(root, 'data'));
const holder = holderOf(dataDir);
if (!holder) {
  console.log(`Nothing runs on ${dataDir}.`);
  process.exit(1);
}
const status = readJson(join(dataDir, 'status.json'));
console.log(`${holder.what}, process ${holder.pid}, since ${holder.since}, on ${dataDir}`);
for (const { name, state, since, restarts, last } of status?.children ?? [])
  console.log(`  ${name.padEnd(18)} ${state.padEnd(9)} since ${since}${restarts > 0 ? `, begun again ${restarts} times, last because of ${last}` : ''}`);
const health = status?.url && (await fetch(`${status.url}/api/health`).then((r) => r.json()).catch(() => null)); // prettier-ignore
for (const { what, mark, figure, sentence } of health?.checks ?? [])
  console.log(`  ${what.padEnd(18)} ${mark.padEnd(9)} ${figure}${sentence ? `  ${sentence}` : ''}`);
if (!health) console.log('  The pages do not answer yet.');
process.exit(health?.ok ? 0 : 1);
