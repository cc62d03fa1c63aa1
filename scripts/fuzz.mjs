// npm run fuzz: changed files for every reader, each in a process that is watched. Goes on where the last run ended; what is found is kept as a file.
import { spawn, spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { readJson, writeJson } from './hold.mjs';
import { giveUp, root } from './machine.mjs';

const usual = { cases: 30_000, minutes: 15, only: '', out: 'data/fuzz', processes: 2, silence: 60 };
const wish = { ...usual };
for (let i = 2; i < process.argv.length; i += 2) {
  const name = process.argv[i].replace(/^--/, '');
  if (!(name in usual) || process.argv[i + 1] === undefined) giveUp('Known: --cases N (for each reader), --minutes N (of this run), --only NAME, --out FOLDER, --processes N, --silence SECONDS.'); // prettier-ignore
  wish[name] = typeof usual[name] === 'number' ? Number(process.argv[i + 1]) : process.argv[i + 1];
}

/** Cases of one process; kernels leave something behind each time. */
const perProcess = { step: 300, igs: 300 };
const usualPerProcess = 2000;
/** Silence after which a case counts as hanging, ms. */
const silence = wish.silence * 1000;

// Another list of readers, for the test of this run itself.
const list = process.env.FUZZ_TARGETS ?? new URL('../fuzz/targets.mjs', import.meta.url).href;
const { targets } = await import(list);
const names = targets.map((t) => t.name).filter((n) => wish.only === '' || n === wish.only);
if (names.length === 0) giveUp(`There is no reader "${wish.only}". Known: ${targets.map((t) => t.name).join(', ')}.`);
const out = resolve(root, wish.out);
mkdirSync(out, { recursive: true });
const file = join(out, 'state.json');
/** Per reader: cases done, what came of them, and what was wrong. */
const state = readJson(file) ?? {};
for (const name of names) state[name] ??= { done: 0, read: 0, refused: 0, bad: [] };

/** Time that a process has worked, ms; 0 when it is gone. Source: proc(5), /proc/pid/stat, fields 14 and 15 in clock ticks of 10 ms. */
function worked(pid) {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8');
    const fields = stat.slice(stat.lastIndexOf(')') + 2).split(' ');
    return (Number(fields[11]) + Number(fields[12])) * 10;
  } catch {
    return 0;
  }
}

/** Cases from..to in a process; resolves with the first that was not done. */
function run(name, from, to) {
  const counts = state[name];
  return new Promise((done) => {
    const child = spawn(process.execPath, [join(root, 'fuzz/one.mjs'), name, String(from), String(to)], { stdio: ['ignore', 'pipe', 'pipe'] });
    let [at, next, text, said, hung, began] = [from, from, '', '', false, false];
    const found = (what) => {
      counts.bad.push({ case: at, what });
      const kept = join(out, `${name.replaceAll(' ', '-')}-${at}`);
      spawnSync(process.execPath, [join(root, 'fuzz/one.mjs'), name, String(at), kept]);
      console.log(`${name} ${at}: ${what} (${kept})`);
    };
    const late = () => {
      hung = true;
      child.kill('SIGKILL');
    };
    let [heard, had, watch] = [Date.now(), 0, null];
    // Time that it had counts, not time that passed: beside other work everything takes longer.
    const look = () => {
      const used = worked(child.pid) - had;
      if (used >= silence * 0.8 || Date.now() - heard > silence * 10) late();
      else watch = setTimeout(look, Math.max(500, silence - used));
    };
    const alive = () => {
      clearTimeout(watch);
      [heard, had] = [Date.now(), worked(child.pid)];
      watch = setTimeout(look, silence);
    };
    alive();
    child.stderr.on('data', (chunk) => (said = `${said}${chunk}`.slice(-600)));
    child.stdout.on('data', (chunk) => {
      alive();
      text += chunk;
      const lines = text.split('\n');
      text = lines.pop();
      for (const line of lines) {
        const word = line.split(' ', 1)[0];
        if (word === 'at') [at, began] = [Number(line.slice(3)), true];
        else if (word === 'until') next = Number(line.slice(6));
        else if (word === 'slow' || word === 'large') found(line);
        else {
          next = at + 1;
          if (word === 'read' || word === 'refused') counts[word]++;
          else found(line);
        }
      }
    });
    child.on('close', (code, signal) => {
      clearTimeout(watch);
      if (!began) {
        // It has nothing to begin with: no case would get further.
        counts.bad.push({ case: from, what: `could not begin: ${said.replaceAll('\n', ' | ').slice(-300)}` });
        return done(Infinity);
      }
      if (next < to && (hung || code !== 0)) {
        found(hung ? `hang: nothing for ${silence / 1000} s` : `crash: ${signal ?? `code ${code}`} ${said.replaceAll('\n', ' | ').slice(-300)}`);
        next = Math.max(next, at + 1);
      }
      done(next);
    });
  });
}

const until = Date.now() + wish.minutes * 60_000;
const queue = [...names];
async function worker() {
  for (;;) {
    // The one that is least far goes on.
    queue.sort((a, b) => state[a].done - state[b].done);
    const name = queue.shift();
    if (name === undefined || Date.now() > until) return;
    const from = state[name].done;
    if (from < wish.cases) {
      const size = Math.min(perProcess[name] ?? usualPerProcess, wish.cases - from);
      const reached = await run(name, from, from + size);
      if (reached !== Infinity) state[name].done = reached;
      writeJson(file, state);
      if (reached < wish.cases) queue.push(name);
    }
  }
}
await Promise.all(Array.from({ length: wish.processes }, worker));

console.log('\n| reader | cases | read | refused | wrong |\n|---|---|---|---|---|');
for (const name of names) console.log(`| ${name} | ${state[name].done} | ${state[name].read} | ${state[name].refused} | ${state[name].bad.length} |`);
const bad = names.flatMap((name) => state[name].bad.map((b) => `${name} ${b.case}: ${b.what}`));
console.log(bad.length === 0 ? '\nNo crash, no hang, no error without a sentence, nothing over 1 GB.' : `\nWrong:\n${bad.join('\n')}`);
process.exit(bad.length === 0 ? 0 : 1);
