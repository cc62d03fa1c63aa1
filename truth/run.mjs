// npm run truth: the whole corpus and the sabotage, one table, exit code 1 when anything is wrong that is not known by name.
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { judge, sources } from './corpus.mjs';
import { Reader } from './reader.mjs';
import { sabotage } from './sabotage.mjs';

const here = dirname(fileURLToPath(import.meta.url));
const work = join(dirname(here), '.truth');
mkdirSync(join(work, 'out'), { recursive: true });
const share = Number(process.env.TRUTH_SHARE ?? 1);
const only = process.env.TRUTH_ONLY ? new RegExp(process.env.TRUTH_ONLY) : null;
const wanted = Number(process.env.TRUTH_SABOTAGES ?? 500);
const known = JSON.parse(readFileSync(join(here, 'known.json'), 'utf8'));

const reader = new Reader();
const started = Date.now();
const list = sources(join(work, 'sources')).filter((s, i) => (only ? only.test(s.file) : (i * 0.6180339887) % 1 < share));
const table = new Map();
const all = [];
for (const [i, source] of list.entries()) {
  const row = table.get(source.family) ?? { cases: 0, mismatch: 0, 'false stop': 0, 'wrong clear': 0, refused: 0, unread: 0 };
  table.set(source.family, row);
  let judged;
  try {
    judged = await judge(source, reader, join(work, 'out'));
  } catch (thrown) {
    judged = {
      cases: 1,
      wrong: [
        { kind: 'mismatch', file: source.file, family: source.family, target: 'read', why: thrown.stack?.split('\n').slice(0, 3).join(' ') ?? String(thrown) },
      ],
    };
  }
  row.cases += judged.cases;
  row.refused += judged.refused ?? 0;
  if (judged.unread) row.unread++;
  for (const w of judged.wrong) {
    const name = `${w.kind} ${w.file} ${w.target}`;
    const excuse = Object.keys(known).find((k) => name.includes(k));
    row[w.kind]++;
    all.push({ ...w, known: excuse ? known[excuse] : null });
  }
  if (process.stderr.isTTY && i % 20 === 0) process.stderr.write(`\r${i} of ${list.length} `);
}
const told = wanted > 0 ? await sabotage(list, reader, join(work, 'out'), wanted) : { rows: [], missed: [] };
reader.close();

const line = (cells) => `| ${cells.join(' | ')} |`;
const heads = ['family', 'cases', 'mismatches', 'false stops', 'wrong clears', 'refused', 'not read by the other reader'];
const rows = [...table].map(([family, r]) => [family, r.cases, r.mismatch, r['false stop'], r['wrong clear'], r.refused, r.unread]);
const total = ['all', ...[1, 2, 3, 4, 5, 6].map((k) => rows.reduce((n, r) => n + r[k], 0))];
const text = [line(heads), line(heads.map(() => '---')), ...rows.map(line), line(total)];
if (told.rows.length > 0) {
  text.push('', line(['sabotage of', 'damaged', 'told']), line(['---', '---', '---']), ...told.rows.map(line));
}
console.log(text.join('\n'));
const bad = all.filter((w) => !w.known);
for (const w of all) console.log(`${w.known ? `known (${w.known}) ` : ''}${w.kind}: ${w.file} -> ${w.target}: ${w.why}`);
for (const m of told.missed) console.log(`not told: ${m}`);
console.log(
  `${Math.round((Date.now() - started) / 1000)} s; ${bad.length} wrong, ${all.length - bad.length} known by name, ${told.missed.length} sabotages not told`,
);
writeFileSync(join(work, 'result.json'), JSON.stringify({ table: [...table], wrong: all, missed: told.missed }, null, 1));
process.exit(bad.length + told.missed.length > 0 ? 1 : 0);
