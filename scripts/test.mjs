// npm test: everything, with its own set-up. Ends with "N passed, N failed" over all suites.
import { spawn, spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { startCluster } from './cluster.mjs';
import { browserPackages, ensureBuild, ensureModules, ensurePackages, postgresPackage, readerPackages, root } from './machine.mjs';

ensurePackages({ ...postgresPackage, ...browserPackages, ...readerPackages });
ensureModules();
ensureBuild();

const folder = join(root, '.test-data');
rmSync(folder, { recursive: true, force: true });
mkdirSync(folder, { recursive: true });
const only = process.argv.slice(2);
let passed = 0;
let failed = 0;
// What failed is named once more below everything else: of a long log often only the end is kept.
const ends = [];
const times = [];

/** Checks that use one processor each, in rows beside each other; what each says is shown when it has ended. */
async function beside(...rows) {
  await Promise.all(
    rows.map(async (row) => {
      for (const [name, command, args] of row) await check(name, command, args);
    }),
  );
}

function check(name, command, args) {
  if (only.length > 0 && !only.includes(name)) return;
  const begun = Date.now();
  const child = spawn(command, args, { cwd: root, stdio: ['ignore', 'pipe', 'pipe'] });
  const said = [];
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (piece) => said.push(piece));
  return new Promise((done) => {
    const ended = (why) => {
      console.log(`\n== ${name}`);
      process.stdout.write(Buffer.concat(said));
      times.push(`${name} ${((Date.now() - begun) / 1000).toFixed(0)} s`);
      if (why === 0) passed++;
      else {
        failed++;
        ends.push(`${name}: ended with ${why}`);
      }
      done();
    };
    child.once('error', (error) => ended(error.message));
    child.once('close', (code, signal) => ended(code ?? signal));
  });
}

function named(name, result) {
  for (const file of result.testResults) {
    if (file.status !== 'passed' && file.assertionResults.every((test) => test.status !== 'failed'))
      ends.push(`${name}: ${file.name} could not be run: ${file.message}`);
    for (const test of file.assertionResults) {
      if (test.status === 'failed') ends.push(`${name}: ${file.name}: ${test.fullName}\n${test.failureMessages.join('\n').slice(0, 1500)}`);
    }
  }
}

function suite(name, config, env) {
  if (only.length > 0 && !only.includes(name)) return;
  console.log(`\n== ${name}`);
  const report = join(folder, `${name}.json`);
  const some = process.env.ONLY ? ['-t', process.env.ONLY] : [];
  const args = ['node_modules/vitest/vitest.mjs', 'run', ...some, '--config', config, '--reporter=default', '--reporter=json', `--outputFile.json=${report}`];
  const begun = Date.now();
  const done = spawnSync(process.execPath, args, { cwd: root, stdio: 'inherit', env: { ...process.env, ...env } });
  times.push(`${name} ${((Date.now() - begun) / 1000).toFixed(0)} s`);
  try {
    const result = JSON.parse(readFileSync(report, 'utf8'));
    passed += result.numPassedTests;
    failed += result.numFailedTests;
    named(name, result);
    // A file that could not be loaded, or an error outside a test, has no failed test of its own.
    if (done.status !== 0 && result.numFailedTests === 0) {
      failed++;
      ends.push(`${name}: ended with ${done.status ?? done.signal} though no test failed`);
    }
  } catch {
    failed++;
    ends.push(`${name}: left no report (${done.status ?? done.signal})`);
  }
}

const bin = (name) => join('node_modules', '.bin', name);
await beside(
  [
    ['format', bin('prettier'), ['--check', '--log-level', 'warn', '.']],
    ['types', bin('tsc'), ['-p', 'tsconfig.tests.json']],
    ['unused', bin('knip'), ['--no-progress']],
  ],
  [
    ['lint', bin('eslint'), ['.', '--max-warnings', '0']],
    ['types-web', bin('tsc'), ['-p', 'web', '--noEmit']],
    ['rooms', bin('depcruise'), ['--config', '.dependency-cruiser.cjs', 'core/src', 'server/src']],
  ],
);
suite('core', 'core/vitest.config.ts', {});
// The truth corpus, shortened: a twelfth of its sources and sixty of its sabotages.
process.env.TRUTH_SHARE ??= '0.08';
process.env.TRUTH_SABOTAGES ??= '60';
await check('truth', process.execPath, ['truth/run.mjs']);
suite('web', 'web/vitest.config.ts', {});
const cluster = await startCluster(folder, { durable: false, wantedPort: 54430 });
const env = { DATABASE_URL: cluster.url, DATA_DIR: join(folder, 'data') };
suite('server', 'server/vitest.config.ts', env);
suite('browser', 'tests/browser/vitest.config.ts', env);
await cluster.stop();

console.log(`\n${times.join(', ')}`);
for (const end of ends) console.log(`\nFAILED ${end}`);
console.log(`\n${passed} passed, ${failed} failed`);
process.exit(failed === 0 && passed > 0 ? 0 : 1);
