// npm run truth: the whole corpus and the sabotage, one table, exit code 1 when anything is wrong that is not known by name.
// TRUTH_SHARE takes a share of the sources, TRUTH_ONLY those whose name matches, TRUTH_SABOTAGES so many damaged files; TRUTH_CASES=0 damages only.
import { spawn } from 'node:child_process';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { ensurePackages, readerPackages } from '../scripts/machine.mjs';

const here = dirname(fileURLToPath(import.meta.url));
const work = join(dirname(here), '.truth');
const share = Number(process.env.TRUTH_SHARE ?? 1);
const only = process.env.TRUTH_ONLY ? new RegExp(process.env.TRUTH_ONLY) : null;
const wanted = Number(process.env.TRUTH_SABOTAGES ?? 500);
/** So many processes share the work. */
const workers = 2;
const kinds = ['mismatch', 'false stop', 'wrong clear', 'refused'];

/** The share of one process: every `workers`-th source and sabotage, from `part` on. */
async function work1(part) {
  const { judge, sources } = await import('./corpus.mjs');
  const { Reader } = await import('./reader.mjs');
  const { sabotage } = await import('./sabotage.mjs');
  const reader = new Reader();
  const out = join(work, `out-${part}`);
  mkdirSync(out, { recursive: true });
  const all = sources(join(work, 'sources')).filter((s, i) => (only ? only.test(s.file) : (i * 0.6180339887) % 1 < share));
  const table = {};
  const wrong = [];
  for (const source of process.env.TRUTH_CASES === '0' ? [] : all.filter((_, i) => i % workers === part)) {
    const row = (table[source.family] ??= { cases: 0, refused: 0, unread: 0 });
    let judged;
    try {
      judged = await judge(source, reader, out);
    } catch (thrown) {
      const why = thrown.stack?.split('\n').slice(0, 3).join(' ') ?? String(thrown);
      judged = { cases: 1, wrong: [{ kind: 'mismatch', file: source.file, family: source.family, target: 'read', why }] };
    }
    row.cases += judged.cases;
    row.refused += judged.refused ?? 0;
    if (judged.unread) row.unread++;
    wrong.push(...judged.wrong);
  }
  const told = wanted > 0 ? await sabotage(all, reader, out, Math.ceil(wanted / workers), part * 100_003) : { rows: [], missed: [] };
  reader.close();
  writeFileSync(join(work, `result-${part}.json`), JSON.stringify({ table, wrong, told }));
  process.exit(0);
}

async function main() {
  ensurePackages(readerPackages);
  mkdirSync(work, { recursive: true });
  const started = Date.now();
  // The sources are made once, before the processes share them.
  const { sources } = await import('./corpus.mjs');
  sources(join(work, 'sources'));
  const ended = await Promise.all(
    Array.from({ length: workers }, (_, part) => {
      const child = spawn(process.execPath, [fileURLToPath(import.meta.url), '--part', String(part)], { stdio: ['ignore', 'inherit', 'inherit'] });
      return new Promise((resolve) => child.on('exit', (code) => resolve(code)));
    }),
  );
  if (ended.some((code) => code !== 0)) {
    console.error('A process of the truth corpus ended early.');
    process.exit(1);
  }
  const results = Array.from({ length: workers }, (_, part) => JSON.parse(readFileSync(join(work, `result-${part}.json`), 'utf8')));
  report(results, Math.round((Date.now() - started) / 1000));
}

function report(results, seconds) {
  const known = JSON.parse(readFileSync(join(here, 'known.json'), 'utf8'));
  const wrong = results
    .flatMap((r) => r.wrong)
    .map((w) => ({ ...w, known: Object.entries(known).find(([k]) => `${w.kind} ${w.file} ${w.target}`.includes(k))?.[1] ?? null }));
  const families = new Map();
  for (const { table } of results) {
    for (const [family, row] of Object.entries(table)) {
      const sum = families.get(family) ?? { cases: 0, refused: 0, unread: 0 };
      for (const k of Object.keys(sum)) sum[k] += row[k];
      families.set(family, sum);
    }
  }
  const line = (cells) => `| ${cells.join(' | ')} |`;
  const count = (family, kind) => wrong.filter((w) => w.family === family && w.kind === kind).length;
  const rows = [...families].map(([family, r]) => [
    family,
    r.cases,
    ...kinds.slice(0, 3).map((k) => count(family, k)),
    count(family, 'refused'),
    r.refused,
    r.unread,
  ]);
  const heads = ['family', 'cases', 'mismatches', 'false stops', 'wrong clears', 'not opened', 'not written, with a reason', 'not read by the other reader'];
  const total = ['all', ...heads.slice(1).map((_, k) => rows.reduce((n, r) => n + r[k + 1], 0))];
  console.log([line(heads), line(heads.map(() => '---')), ...rows.map(line), line(total)].join('\n'));
  const formats = new Map();
  for (const { told } of results) {
    for (const [format, damaged, said] of told.rows) {
      const [d, t] = formats.get(format) ?? [0, 0];
      formats.set(format, [d + damaged, t + said]);
    }
  }
  if (formats.size > 0)
    console.log(['', line(['sabotage of', 'damaged', 'told']), line(['---', '---', '---']), ...[...formats].map(([f, n]) => line([f, ...n]))].join('\n'));
  const missed = results.flatMap((r) => r.told.missed);
  for (const w of wrong) console.log(`${w.known ? `known (${w.known}) ` : ''}${w.kind}: ${w.file} -> ${w.target}: ${w.why}`);
  for (const m of missed) console.log(`not told: ${m}`);
  const bad = wrong.filter((w) => !w.known).length;
  console.log(`${seconds} s; ${bad} wrong, ${wrong.length - bad} known by name, ${missed.length} sabotages not told`);
  process.exit(bad + missed.length > 0 ? 1 : 0);
}

const part = process.argv.indexOf('--part');
if (part >= 0) await work1(Number(process.argv[part + 1]));
else await main();
