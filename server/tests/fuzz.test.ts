/** The fuzz run itself: its changes are the same each time, and what is wrong with a reader is found, kept and passed over. */
import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { unzipSync, zipSync } from 'fflate';
import { afterEach, describe, expect, test, vi } from 'vitest';

const root = fileURLToPath(new URL('../..', import.meta.url));
type Change = (bytes: Uint8Array, random: (n: number) => number) => Buffer;
const { dice, inBytes, inJson, inLines, inTags, inZip } = (await import(new URL('../../fuzz/changes.mjs', import.meta.url).href)) as {
  dice(seed: number): (n: number) => number;
  inBytes: Change;
  inJson: Change;
  inLines: Change;
  inTags: Change;
  inZip(member: Change): Change;
};

describe('changes', () => {
  afterEach(() => void vi.useRealTimers());
  const json = Buffer.from(JSON.stringify({ a: [1, 2, { b: 'c' }], d: { e: null } }));
  const xml = Buffer.from('<a x="1"><b y="2.5 3">t</b><c/></a>');
  test.each<[string, Change, Buffer]>([
    ['bytes', inBytes, xml],
    ['lines', inLines, Buffer.from('v 0 0 0\nv 1 0 0\n#12=A(#3);\n')],
    ['tags', inTags, xml],
    ['JSON', inJson, json],
    ['zip', inZip(inLines), Buffer.from(zipSync({ 'a.txt': xml }))],
  ])('of %s: the same for a seed, others for others, and most of them are changes', (_, change, source) => {
    const some = (n: number) => Array.from({ length: n }, (__, i) => change(source, dice(i)).toString('latin1'));
    const made = some(60);
    vi.useFakeTimers({ toFake: ['Date'], now: new Date(2031, 4, 6, 7, 8, 9) });
    expect(some(20)).toEqual(made.slice(0, 20));
    expect(new Set(made).size).toBeGreaterThan(25);
    expect(made.filter((m) => m === source.toString('latin1')).length).toBeLessThan(20);
  });
  test('what is JSON stays JSON; a zip is mostly still one that opens', () => {
    for (let i = 0; i < 200; i++) expect(() => JSON.parse(inJson(json, dice(i)).toString()) as unknown).not.toThrow();
    let open = 0;
    for (let i = 0; i < 100; i++) {
      try {
        unzipSync(inZip(inLines)(Buffer.from(zipSync({ 'a.txt': xml, 'b.txt': json })), dice(i)));
        open++;
      } catch {
        // the zip's own bytes were changed
      }
    }
    expect(open).toBeGreaterThan(60);
  });
  test('numbers of a stream are below n and spread', () => {
    const random = dice(1);
    const seen = Array.from({ length: 1000 }, () => random(10));
    for (let n = 0; n < 10; n++) expect(seen.filter((s) => s === n).length).toBeGreaterThan(60);
  });
});

test('an error without a sentence, a crash, a hang and too much memory are each found and kept; the run goes on, and on again where it ended', () => {
  const out = mkdtempSync(join(tmpdir(), 'tall-kite-fuzz-run-'));
  const run = (cases: number) =>
    spawnSync(process.execPath, ['scripts/fuzz.mjs', '--cases', String(cases), '--out', out, '--silence', '3', '--minutes', '2'], {
      cwd: root,
      encoding: 'utf8',
      env: { ...process.env, FUZZ_TARGETS: new URL('./data/fuzz-bad.mjs', import.meta.url).href },
    });
  const first = run(10);
  expect(first.status).toBe(1);
  const state = () => JSON.parse(readFileSync(join(out, 'state.json'), 'utf8')) as Record<string, { done: number; read: number; refused: number; bad: { case: number; what: string }[] }>; // prettier-ignore
  // One without a file to begin with is told once, not as often as there are cases.
  expect(state().empty).toMatchObject({ done: 0, bad: [{ case: 0, what: expect.stringContaining('no file to begin with') as string }] });
  expect(state().sound).toEqual({ done: 10, read: 5, refused: 5, bad: [] });
  const { done, bad } = state().faulty;
  expect(done).toBe(10);
  expect(bad.map((b) => [b.case, /^(bad TypeError: of undefined|crash: code 3|hang|large \d+)/.exec(b.what)?.[1].split(' ')[0]])).toEqual([[1, 'bad'], [3, 'crash:'], [5, 'hang'], [7, 'large']]); // prettier-ignore
  // The case's own bytes, as the seed gives them.
  expect(existsSync(join(out, 'faulty-5'))).toBe(true);
  expect(readFileSync(join(out, 'faulty-1'))[0]).toBe('x'.charCodeAt(0));
  run(12);
  expect(state().sound).toMatchObject({ done: 12, read: 6, refused: 6 });
  expect(state().faulty.done).toBe(12);
});
