import { execFileSync, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import Papa from 'papaparse';
import { By, Key } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { nodeKernels } from 'tall-kite/kernel/load';
import { receiveFile } from 'tall-kite/processes/receive';
import { receiverIn } from 'tall-kite/receivers/receivers';
import { readyReceivers } from 'tall-kite/receivers/ready';
import type { Manifest } from 'tall-kite/release/manifest';
import { manyBoxes } from '../../server/tests/world.ts';
import { bring, chooseIn, click, downloaded, eventually, newJob, press, startApp, textOf, tick, type App } from './app.ts';

let app: App;
const folder = mkdtempSync(join(tmpdir(), 'tall-kite-releases-'));
beforeAll(async () => {
  app = await startApp(true);
});
afterAll(async () => {
  await app?.close();
  rmSync(folder, { recursive: true, force: true });
});

const parts = 30;
const sha = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex');
const count = async (css: string) => (await app.driver.findElements(By.css(css))).length;
const body = () => textOf(app.driver, 'body');
const says = (words: string | RegExp, seconds = 40) => eventually(async () => ((await body()).match(words) ? true : null), `"${words}" on the page`, seconds);
const clickOn = (css: string) => press(app.driver, css);
const choose = (label: string, value: string) => chooseIn(app.driver, label, value);
async function type(css: string, text: string): Promise<void> {
  const field = await app.driver.findElement(By.css(css));
  await field.sendKeys(Key.chord(Key.CONTROL, 'a'), text === '' ? Key.BACK_SPACE : text);
}
const outlook = () => textOf(app.driver, '[data-test=outlook]');

describe('releases', () => {
  let jobId = '';
  test('thirty parts: a parts list fills them, the ledger narrows, all are ticked', async () => {
    const source = join(folder, 'frame_A.obj');
    writeFileSync(source, manyBoxes(parts));
    const list = join(folder, 'parts.csv');
    const rows = Array.from({ length: parts }, (_, i) => `FR-${101 + i},Box ${i + 1},${i === 4 ? 'some' : 2},${i < 10 ? 'PETG' : 'PLA'},${i < 10 ? 3 : 4}`);
    writeFileSync(list, ['part number,name,quantity,material,thickness', ...rows, 'FR-999,Nobody,1,,'].join('\n'));
    jobId = await newJob(app, 'Frame', [source]);
    await eventually(async () => (await count('tr[data-part]')) === parts, 'all rows', 60);
    await (await app.driver.findElement(By.css('[data-test=parts-list]'))).sendKeys(list);
    await says('30 good rows, 29 parts filled');
    await says('Line 6 was not taken: the quantity must be a whole number');
    await says('No part answers to FR-999');
    await eventually(async () => (await textOf(app.driver, 'tr[data-part="Box 3"]')).includes('2 off, FR-103, PETG 3 mm'), 'the properties in the row');
    await type('[data-test=filter]', 'fr-11');
    await says('10 of 30 shown');
    expect(await count('tr[data-part]')).toBe(10);
    await type('[data-test=filter]', 'nowhere');
    await says('No part answers to this choice');
    await click(app.driver, 'Show all');
    await choose('Material', 'PETG');
    await says('9 of 30 shown');
    await click(app.driver, 'Show all');
    // By keys: the first row, then all that are shown.
    await app.driver.findElement(By.css('h1')).click();
    await app.driver.actions().sendKeys('x').perform();
    await says(/1 part\s+chosen/);
    await clickOn('input[aria-label="Choose all that are shown"]');
    await says(/30 parts\s+chosen/);
    await clickOn('[data-test=release]');
    await says('30 ticked in the ledger');
  });

  test('two receivers; names composed by pieces with a live example; clashes are seen before the run', async () => {
    await type('[data-test=revision]', 'A');
    await click(app.driver, 'Add a receiver');
    await choose('Receiver of line 2', 'wren');
    await choose('Format of line 2', '3mf');
    await eventually(async () => (await outlook()).includes('60 files'), 'sixty files');
    expect(await outlook()).toContain('Box-1_mm.stl');
    // Without the part's name all files of a receiver would be called the same.
    await clickOn('button[aria-label="Take part name out"]');
    await eventually(async () => /would be given to several files, first mm\.stl to 30/.test(await outlook()), 'the clash');
    await tick(app.driver, 'make nothing');
    await eventually(async () => !(await app.driver.findElement(By.css('[data-test=begin]')).isEnabled()), 'nothing can begin');
    await choose('Add a piece to the file name', 'number');
    await choose('Add a piece to the file name', 'revision');
    await choose('Add a piece to the folder', 'receiver');
    // Box 5 got no number, since its row was bad: its name is the unit and revision only, and alone.
    await eventually(async () => (await outlook()).includes('Lark/_mmFR-101A.stl') || (await outlook()).includes('Lark/mmFR-101A.stl'), 'the new names');
    const field = await app.driver.findElement(By.css('input[aria-label="Plain text for the file name"]'));
    await field.sendKeys('_rev', Key.ENTER);
    // The text is moved before the revision by keys: Space, left, Space.
    const grip = await eventually(
      async () => (await app.driver.findElements(By.css('[data-test=namechips] [data-test=chip-text] [data-test=grip]'))).at(-1),
      'the chip',
    );
    // What is read out to those who don't see it says how far it is.
    const readOut = () => app.driver.executeScript<string>("return [...document.querySelectorAll('[id^=DndLiveRegion]')].map((e) => e.textContent).join()");
    await grip.sendKeys(Key.SPACE);
    const over = await eventually(async () => /moved over droppable area ([^.]+)/.exec(await readOut())?.[1], 'taken up');
    // A key that comes before the places are measured is lost, and nothing says when they are: it is pressed again when nothing was moved.
    let last = 0;
    await eventually(async () => {
      const said = await readOut();
      if (/moved over droppable area ([^.]+)/.exec(said)?.[1] !== over) return true;
      if (Date.now() - last > 1500) {
        last = Date.now();
        await app.driver.actions().sendKeys(Key.ARROW_LEFT).perform();
      }
      throw new Error(said);
    }, 'moved to the left');
    await app.driver.actions().sendKeys(Key.SPACE).perform();
    await eventually(async () => /FR-101_revA\.stl/.test(await outlook()), 'the chip moved');
    // One name by hand.
    await click(app.driver, 'FR-102_revA.stl');
    await type('[data-test=ownname]', 'second box');
    await app.driver.findElement(By.css('[data-test=ownname]')).sendKeys(Key.ENTER);
    await eventually(async () => (await outlook()).includes('Lark/second-box.stl'), 'the name by hand');
  });

  let files: Record<string, Uint8Array> = {};
  let manifest: Manifest;
  test('the run: progress, sixty files, inboxes, evidence, the light table', async () => {
    await tick(app.driver, 'inbox');
    await tick(app.driver, 'server\u2019s folder').catch(() => tick(app.driver, 'folder'));
    await clickOn('[data-test=begin]');
    await says('all clear', 90);
    await says(/60\s*made/);
    await says(/inboxes:\s*60\s*accepted,\s*0\s*refused/, 60);
    expect(await textOf(app.driver, '[data-test=runfigures]')).toContain('Frame_1');
    expect(await count('tr[data-state=made]')).toBe(60);
    await clickOn('tr[data-file$="second-box.stl"]');
    await eventually(async () => (await textOf(app.driver, '[data-test=foot]')).includes('Volume'), 'the evidence');
    await click(app.driver, 'Lay it on the light table');
    await says('On the table: second-box.stl');
    await says(/(\d+) of \1 agree/);
    await app.driver.navigate().back();
    await says('all clear');
  });

  test('zip, report and manifest: the evidence computed again from the zip alone agrees', async () => {
    await clickOn('[data-test=zip]');
    const zip = await downloaded(app.downloads, '.zip');
    const file = join(folder, 'all.zip');
    writeFileSync(file, zip.bytes);
    const out = join(folder, 'unzipped');
    execFileSync('/usr/bin/python3', ['-m', 'zipfile', '-e', file, out]);
    manifest = JSON.parse(readFileSync(join(out, 'manifest.json'), 'utf8')) as Manifest;
    expect(manifest.files).toHaveLength(60);
    expect(manifest.sources).toEqual([{ file: 'frame_A.obj', sha256: sha(manyBoxes(parts)), bytes: manyBoxes(parts).length }]);
    files = Object.fromEntries(manifest.files.map((f) => [f.file, readFileSync(join(out, f.file))]));
    for (const f of manifest.files) {
      expect(sha(files[f.file])).toBe(f.sha256);
      const got = await receiveFile(files[f.file], f.format as 'stl', receiverIn(readyReceivers, f.format === 'stl' ? 'lark' : 'wren'), nodeKernels);
      expect(got.measures.volume).toBe(f.claims.find((c) => c.quantity === 'Volume')!.received);
      expect(got.soundness.triangles).toBe(12);
    }
    const report = Papa.parse<Record<string, string>>(readFileSync(join(out, 'report.csv'), 'utf8'), { header: true, skipEmptyLines: true });
    expect(report.data).toHaveLength(60);
    expect(new Set(report.data.map((r) => r.sha256))).toEqual(new Set(manifest.files.map((f) => f.sha256)));
    const page = await app.driver.getCurrentUrl();
    await app.driver.get(`${page}/print`);
    await eventually(async () => (await count('[data-test=printed] tbody tr')) === 60, 'all rows on paper');
    await app.driver.get(`${app.base}/receivers/wren`);
    await eventually(async () => (await count('tr[data-test=accepted]')) === 30, 'thirty in the inbox');
    await says('1 part, 10.0 × 5.00 × 3.00 mm, 12 triangles');
  });

  test('the next revision: what changed is told, only that is made, undo takes it back', async () => {
    const source = join(folder, 'frame_B.obj');
    writeFileSync(source, manyBoxes(parts + 1, [1]));
    await app.driver.get(`${app.base}/jobs/${jobId}`);
    await eventually(async () => (await count('tr[data-part]')) === parts, 'the ledger');
    await bring(app, [source]);
    await says(/Is frame_B\.obj the next revision of/);
    await click(app.driver, 'Yes, next revision');
    await eventually(async () => (await count('tr[data-part]')) === parts + 1, 'the new part');
    expect(await textOf(app.driver, 'tr[data-part="Box 2"]')).toContain('changed: size 11 x 6 x 3.01 to 12 x 6 x 3.01 mm');
    expect(await textOf(app.driver, 'tr[data-part="Box 31"]')).toContain('new');
    // What the parts list gave is still there.
    expect(await textOf(app.driver, 'tr[data-part="Box 2"]')).toContain('FR-102');
    await choose('At this revision', 'changed');
    await says('1 of 31 shown');
    await app.driver.executeScript('sessionStorage.clear()');
    await app.driver.get(`${app.base}/jobs/${jobId}/releases/new`);
    await says('31 in the job');
    await says('Set as release 1 was');
    await eventually(async () => (await outlook()).includes('62 files'), 'sixty-two files');
    // Box 5 and Box 31 have no number, so both would be called by the revision alone: nothing begins until that is settled.
    await says('would be given to several files');
    expect(await outlook()).toContain('Lark/second-box.stl');
    await tick(app.driver, 'number them');
    await clickOn('[data-test=begin]');
    await says('all clear', 60);
    await says(/4\s*made/);
    await says(/58\s*same as before/);
    await says('since the release before: 29 same, 1 changed, 1 new, 0 gone');
    await app.driver.get(`${app.base}/jobs/${jobId}`);
    await eventually(async () => (await count('tr[data-part]')) === parts + 1, 'the ledger');
    await click(app.driver, 'Undo');
    await eventually(async () => (await count('tr[data-part]')) === parts, 'the parts of before');
    await click(app.driver, 'Redo');
    await eventually(async () => (await count('tr[data-part]')) === parts + 1, 'the parts of now');
  });

  test('a variant is made of ticked parts, and a release takes it alone', async () => {
    for (const name of ['Box 1', 'Box 2']) await clickOn(`input[aria-label="Choose ${name}"]`);
    await click(app.driver, 'Make a variant');
    const fields = await eventually(async () => {
      const found = await app.driver.findElements(By.css('[role=dialog] input'));
      return found.length >= 4 ? found : null;
    }, 'the dialog');
    await fields[0].sendKeys('tall');
    await fields[1].sendKeys(Key.chord(Key.CONTROL, 'a'), '3');
    await click(app.driver, 'Make the variant');
    await eventually(async () => (await count('tr[data-part]')) === parts + 3, 'two rows more');
    await choose('Variant', 'tall');
    await says('2 of 33 shown');
    expect(await textOf(app.driver, 'tr[data-part="Box 1"]')).toContain('6 off');
    await app.driver.get(`${app.base}/jobs/${jobId}/releases/new`);
    await says('33 in the job');
    await tick(app.driver, 'the design itself');
    await choose('Files of line 1', 'bed');
    await clickOn('button[aria-label="Take out line 2"]');
    await eventually(async () => /\b1 file\b/.test(await outlook()), 'one bed');
    await clickOn('[data-test=begin]');
    await says('all clear', 60);
    await says('2 parts');
  });

  test('the command line releases the job by its address; files that were made already are the same', () => {
    const recipe = join(folder, 'recipe.json');
    writeFileSync(recipe, JSON.stringify({ revision: 'A', lines: [{ receiver: 'lark', format: 'stl', choose: { variants: [''] } }] }));
    const program = fileURLToPath(new URL('../../core/bin/tall-kite.mjs', import.meta.url));
    const out = join(folder, 'by-command');
    const run = (address: string) =>
      spawnSync(process.execPath, [program, 'release', address, '--recipe', recipe, '--out', out, '--json'], { encoding: 'utf8' });
    const done = run(`${app.base}/jobs/${jobId}`);
    expect(done.stderr).toBe('');
    expect(done.status).toBe(0);
    const json = JSON.parse(done.stdout) as { made: number; same: number; files: { file: string; sha256: string }[] };
    expect([json.made, json.same]).toEqual([0, 31]);
    for (const f of json.files) expect(sha(readFileSync(join(out, f.file)))).toBe(f.sha256);
    // Box 1 did not change with the revision: its bytes are those of the first release.
    expect(json.files[0].sha256).toBe(manifest.files[0].sha256);
    expect(run(`${app.base}/jobs/nothing`).stdout).toContain('is not the address of a job');
    expect(run(`${app.base}/jobs/00000000-0000-4000-8000-000000000000`).stdout).toContain('There is no such job');
  });
});
