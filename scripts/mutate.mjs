// npm run mutate -- --lines 200 [--seed 1] [--only sheet]: changes random lines of core one at a time and tells whether the tests of its own
// module notice. A change that no test kills is a line whose meaning nothing holds. Method: DeMillo, Lipton and Sayward, Hints on test data
// selection, 1978. Works in a copy, so that the code itself is never touched.
import { spawn } from 'node:child_process';
import { cpSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync, symlinkSync, writeFileSync } from 'node:fs';
import { dirname, join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';
import ts from 'typescript';

const root = dirname(dirname(fileURLToPath(import.meta.url)));
const option = (name, usual) => {
  const at = process.argv.indexOf(`--${name}`);
  return at < 0 ? usual : process.argv[at + 1];
};
const wanted = Number(option('lines', 50));
const only = option('only', '');
let seed = Number(option('seed', 1));
const workers = 2;
/** A change that makes its tests run longer than this is noticed, too. */
const longest = 240_000;

/** Tests that hold a room of core without naming it. */
const besides = {
  base: ['size-stance', 'proof', 'soundness', 'release.test'],
  cli: ['cli', 'tests/ready'],
  command: ['cli', 'tests/ready'],
  facets: ['deviation', 'pass', 'exact'],
  formats: ['formats', 'drawing-files', 'svg-bounds', 'as-meant'],
  kernel: ['step', 'assemblies', 'drawing-machine', 'formats'],
  model: ['formats', 'assemblies', 'release.test'],
  operations: ['tests/ready', 'make-ready'],
  pipeline: ['proof', 'pass', 'together', 'formats', 'assemblies', 'ledger', 'faults-solids'],
  receivers: ['proof', 'drawing-machine', 'pass'],
  recipe: ['proof', 'pass', 'release.test'],
  view: ['exact', 'proof'],
};
const testFiles = readdirSync(join(root, 'core', 'tests'))
  .filter((name) => name.endsWith('.test.ts'))
  .map((name) => ({ name, text: readFileSync(join(root, 'core', 'tests', name), 'utf8') }));

/** Tests that are asked about a file: those that name it, else those that name its room; and those that hold the room without naming it. */
function testsOf(file) {
  const [, , room] = file.split('/');
  const naming = (what) => testFiles.filter(({ text }) => text.includes(`'../${what}`)).map(({ name }) => `tests/${name}`);
  const own = naming(`${file.slice('core/'.length)}'`);
  return [...new Set([...(own.length > 0 ? own : naming(`src/${room}/`)), ...(besides[room] ?? [])])];
}

const random = () => {
  // Mulberry32: the same seed gives the same lines.
  seed = (seed + 0x6d2b79f5) | 0;
  let t = Math.imul(seed ^ (seed >>> 15), 1 | seed);
  t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
  return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
};

/** What may be changed in a line of code, each to something that means another thing. */
const changes = [
  [/ < /, ' <= '],
  [/ > /, ' >= '],
  [/ <= /, ' < '],
  [/ >= /, ' > '],
  [/ === /, ' !== '],
  [/ !== /, ' === '],
  [/ && /, ' || '],
  [/ \|\| /, ' && '],
  [/ \+ /, ' - '],
  [/ - /, ' + '],
  [/ \* /, ' / '],
  [/Math\.max\(/, 'Math.min('],
  [/Math\.min\(/, 'Math.max('],
  [/\btrue\b/, 'false'],
  [/\bfalse\b/, 'true'],
  [/(?<![\w.#'"`])(\d+(?:\.\d+)?(?:e-?\d+)?)(?![\w.'"`])/, (n) => String(Number(n) === 0 ? 1 : Number(n) * 3)],
];

function filesOf(folder) {
  return readdirSync(folder).flatMap((name) => {
    const path = join(folder, name);
    return statSync(path).isDirectory() ? filesOf(path) : /\.ts$/.test(name) && !/\.d\.ts$/.test(name) ? [path] : [];
  });
}

/** Every line that can be changed, and how. Comments, imports, types and words for people are left alone. */
function candidates() {
  const out = [];
  for (const path of filesOf(join(root, 'core', 'src'))) {
    const file = relative(root, path);
    if (only && !file.includes(only)) continue;
    let comment = false;
    readFileSync(path, 'utf8')
      .split('\n')
      .forEach((line, i) => {
        const text = line.trim();
        if (text.startsWith('/*')) comment = true;
        const skip = comment || /^(\/\/|\*|import|export type|export interface|interface|type |['"`]|message:|remedy:)/.test(text) || text === '';
        if (text.endsWith('*/')) comment = false;
        if (skip) return;
        const code = line.replace(/(?<!\/)\/\/.*$/, '').replace(/(['"`])(?:\\.|(?!\1).)*\1/g, (s) => '\u0000'.repeat(s.length));
        const fitting = changes.map((c, k) => k).filter((k) => changes[k][0].test(code));
        if (fitting.length > 0) out.push({ file, line: i, fitting });
      });
  }
  return out;
}

function changed(line, which) {
  const [find, put] = changes[which];
  const code = line.replace(/(?<!\/)\/\/.*$/, (s) => ' '.repeat(s.length)).replace(/(['"`])(?:\\.|(?!\1).)*\1/g, (s) => '\u0000'.repeat(s.length));
  const found = find.exec(code);
  const by = typeof put === 'string' ? put : put(found[0]);
  return line.slice(0, found.index) + by + line.slice(found.index + found[0].length);
}

function tested(work, list) {
  return new Promise((resolve) => {
    const args = [join(root, 'node_modules', 'vitest', 'vitest.mjs'), 'run', '--bail', '1', '--config', join(work, 'core', 'vitest.config.ts'), ...list];
    const child = spawn(process.execPath, args, { cwd: work, stdio: 'ignore', detached: true, env: { ...process.env, AS_BUILT: 'whatever' } });
    const timer = setTimeout(() => process.kill(-child.pid, 'SIGKILL'), longest);
    child.on('exit', (code) => {
      clearTimeout(timer);
      resolve(code === 0);
    });
  });
}

/** A file of core as it is built, whatever its types. */
const transpiled = (source) =>
  ts.transpileModule(source, {
    compilerOptions: { module: ts.ModuleKind.ESNext, target: ts.ScriptTarget.ES2023, rewriteRelativeImportExtensions: true, verbatimModuleSyntax: true },
  }).outputText;

function copy(n) {
  const work = join(root, '.mutate', String(n));
  rmSync(work, { recursive: true, force: true });
  mkdirSync(join(work, 'core'), { recursive: true });
  for (const name of ['src', 'tests', 'bin', 'package.json', 'tsconfig.json', 'vitest.config.ts'])
    cpSync(join(root, 'core', name), join(work, 'core', name), { recursive: true });
  for (const name of ['tsconfig.base.json', 'package.json', 'tests/as-built.ts']) cpSync(join(root, name), join(work, name));
  cpSync(join(root, 'core', 'dist'), join(work, 'core', 'dist'), { recursive: true });
  symlinkSync(join(root, 'node_modules'), join(work, 'node_modules'));
  try {
    symlinkSync(join(root, 'core', 'node_modules'), join(work, 'core', 'node_modules'));
  } catch {
    // A workspace without modules of its own.
  }
  return work;
}

const all = candidates();
const picked = Array.from({ length: Math.min(wanted, all.length) }, () => {
  const { file, line, fitting } = all[Math.floor(random() * all.length)];
  return { file, line, which: fitting[Math.floor(random() * fitting.length)] };
});
const survived = [];
let [next, killed] = [0, 0];
async function worker(n) {
  const work = copy(n);
  while (next < picked.length) {
    const { file, line, which } = picked[next++];
    const path = join(work, file);
    const source = readFileSync(path, 'utf8');
    const lines = source.split('\n');
    const before = lines[line];
    lines[line] = changed(before, which);
    writeFileSync(path, lines.join('\n'));
    // The tests load what was built.
    const built = join(work, file.replace('/src/', '/dist/').replace(/\.ts$/, '.js'));
    const whole = readFileSync(built, 'utf8');
    writeFileSync(built, transpiled(lines.join('\n')));
    const list = testsOf(file);
    const passes = await tested(work, list);
    writeFileSync(path, source);
    writeFileSync(built, whole);
    if (passes) survived.push(`${file}:${line + 1}: ${before.trim()}  ->  ${lines[line].trim()}`);
    else killed++;
    console.log(`${passes ? 'survived' : 'killed'}: ${file}:${line + 1}: ${lines[line].trim().slice(0, 120)}`);
  }
}
await Promise.all(Array.from({ length: workers }, (_, n) => worker(n)));
rmSync(join(root, '.mutate'), { recursive: true, force: true });
for (const s of survived) console.log(`survived: ${s}`);
console.log(
  `${killed} of ${picked.length} changes noticed (${Math.round((100 * killed) / picked.length)} %), of ${all.length.toLocaleString('en')} lines that can be changed`,
);
process.exit(killed / picked.length >= 0.8 ? 0 : 1);
