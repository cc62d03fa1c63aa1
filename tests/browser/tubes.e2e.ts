/** Tubes: a row of marks from a frame, the table, the bending seen, rules of a shop, files downloaded and read by themselves. */
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { unzipSync } from 'fflate';
import { By, Key } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { demoBendRules, launchingFrame } from '../../demo/src/tubes.ts';
import { changePart } from '../../server/src/parts/change.ts';
import { receiversOf } from '../../server/src/stores/receivers.ts';
import { chooseIn, click, clickOn, downloaded, eventually, newJob, startApp, textOf, tick, type App } from './app.ts';

let app: App;
let jobId: string;
const folder = mkdtempSync(join(tmpdir(), 'tall-kite-tubes-'));
beforeAll(async () => {
  app = await startApp();
  const frame = await launchingFrame();
  const file = join(folder, frame.name);
  writeFileSync(file, frame.bytes);
  jobId = await newJob(app, 'Frame', [file]);
  await eventually(async () => (await app.world.until(jobId, () => true)).parts.length === 5, 'the parts', 90);
});
afterAll(() => app?.close());

const find = (test: string) => app.driver.findElement(By.css(`[data-test=${test}]`));
const press = (test: string) =>
  eventually(async () => {
    await clickOn(app.driver, await find(test));
    return true;
  }, `a click on ${test}`);
const cells = async () => (await textOf(app.driver, '[data-test=bend-table] tbody')).split(/\s+/);

describe('a frame of bent tubes', () => {
  test('marks, mirror images apart, the ring that has no end, what is left out; the table of each', async () => {
    const { driver, base } = app;
    await driver.get(`${base}/jobs/${jobId}/tubes`);
    await press('look-for-tubes');
    await eventually(async () => (await driver.findElements(By.css('[data-test^=mark-]'))).length === 3, 'the marks', 90);
    expect(await textOf(driver, '[data-test=mark-R2]')).toContain('R1 mirrored');
    expect(await textOf(driver, '[data-test=mark-R3]')).toMatch(/× 3[\s\S]*tube 33.7 x 2.6, straight/);
    const marks = await textOf(driver, 'nav[aria-label=Marks]');
    expect(marks).toContain('A closed ring of bar 12');
    expect(marks).toContain('Foot plate: it is no tube or bar');
    await press('mark-R1');
    // Bend 2: after 427.3 mm, turned by -25.57 degrees, bent by 44.24 at radius 120.
    expect(await cells()).toEqual(expect.arrayContaining(['427.3', '-25.57°', '44.24°', '120.0']));
    await press('mark-R2');
    await eventually(async () => (await cells()).includes('25.57°'), 'the turn of the other hand');
  });
  test('a bend chosen on the stick; the tube bent step by step with the keys', async () => {
    const { driver } = app;
    await press('bend-2');
    await eventually(async () => (await find('bend-2').getAttribute('aria-pressed')) === 'true', 'the bend chosen');
    await eventually(async () => {
      await driver.findElement(By.xpath("//label[contains(normalize-space(.), 'As it is bent')]")).click();
      return true;
    }, 'the bending shown');
    await eventually(async () => /bend 2/.test(await textOf(driver, '[data-test=moment]')), 'the moment of that bend');
    const handle = await driver.findElement(By.css('.ant-slider-handle[aria-label="Step of bending"]'));
    await handle.sendKeys(Key.END);
    await eventually(async () => /bend 4, 35° bent/.test(await textOf(driver, '[data-test=moment]')), 'the last moment');
  });
  test('rules of the shop are the machine’s, in the stores: a bad CSV is told, a good one sets the angles of the tubes', async () => {
    const { driver, base } = app;
    const [bad, good] = ['bad.csv', 'good.csv'].map((n) => join(folder, n));
    writeFileSync(bad, 'material,radius,ratio,offset,elongation\nsteel,,1,0,0\n');
    writeFileSync(good, demoBendRules.replaceAll('steel', ''));
    await driver.get(`${base}/receivers`);
    await press('edit-curlew');
    const form = () => textOf(driver, '[data-test=receiver-form]');
    const input = () => driver.findElement(By.css('[data-test=receiver-form] input[type=file]'));
    await (await eventually(input, 'the file input')).sendKeys(bad);
    await eventually(async () => (await form()).includes('it is missing'), 'the sentence');
    await (await input()).sendKeys(good);
    const rows = () => driver.findElements(By.css('[data-test=receiver-form] [aria-label^="Elongation of row"]'));
    await eventually(async () => (await rows()).length === 3, 'the rows');
    // A figure typed over is held to its limits, and kept.
    const ratio = await driver.findElement(By.css('[aria-label="Ratio of row 3"]'));
    await ratio.sendKeys(Key.chord(Key.CONTROL, 'a'), '1.6');
    await click(driver, 'Keep these rules');
    await eventually(async () => (await form()).includes('Row 3: ratio from 0.8 to 1.5.'), 'the limit');
    await ratio.sendKeys(Key.chord(Key.CONTROL, 'a'), '1.006');
    await click(driver, 'Keep these rules');
    await eventually(async () => (await driver.findElements(By.css('[data-test=receiver-form]'))).length === 0, 'the form closed');
    expect((await receiversOf(app.world.db)).find((r) => r.id === 'curlew')!.bender!.rules[2]).toEqual({ material: '', radius: 120, ratio: 1.006, offset: 0.9, elongation: 1.2 }); // prettier-ignore
    // What was found by the rules from before says so.
    await driver.get(`${base}/jobs/${jobId}/tubes`);
    await press('look-again');
    await eventually(async () => (await driver.findElements(By.css('[data-test=bend-table]'))).length === 1, 'the table again', 90);
    // 48.707 degrees * 1.006 + 0.9
    await eventually(async () => (await cells()).includes('49.9°'), 'the angle that the machine is set to');
    // What is shown is for these rules now: files can be written.
    await eventually(async () => find('write-tubes').isEnabled(), 'files can be written');
  });
  test('a machine typed for this job alone, with rules of its own', async () => {
    const { driver } = app;
    await tick(driver, 'The bender');
    await chooseIn(driver, 'Machine', '');
    const input = () => driver.findElement(By.css('[data-test=bender] input[type=file]'));
    await (await eventually(input, 'the file input')).sendKeys(join(folder, 'bad.csv'));
    await eventually(async () => (await textOf(driver, '[data-test=bender]')).includes('it is missing'), 'the sentence');
    await chooseIn(driver, 'Machine', 'curlew');
    await eventually(async () => (await textOf(driver, '[data-test=bender]')).includes('24, 32, 45, 70, 90, 120 mm'), 'its dies again');
    await eventually(async () => find('write-tubes').isEnabled(), 'files can be written again');
  });
  test('written, read back and downloaded: the table in the zip bends the tube; the template is there', async () => {
    const { driver } = app;
    await press('write-tubes');
    await eventually(async () => (await textOf(driver, '[data-test=written]')).includes('claims agree'), 'the file', 120);
    await press('download');
    const { bytes } = await downloaded(app.downloads, '_tubes.zip');
    const inside = unzipSync(new Uint8Array(bytes));
    const names = Object.keys(inside);
    expect(names).toEqual(
      expect.arrayContaining(['R1_bends.csv', 'R1.step', 'R1_sheet.pdf', 'R2.step', 'R3.step', 'R3_end-A_template.pdf', 'R3_end-B_template.pdf']),
    );
    const rows = new TextDecoder().decode(inside['R1_bends.csv']).trim().split('\r\n').map((l) => l.split(',')); // prettier-ignore
    expect(rows).toHaveLength(6);
    expect(rows[2].slice(1, 5).map((v) => Number(Number(v).toFixed(2)))).toEqual([427.29, -25.57, 44.24, 120]);
    expect(Number(rows[1][rows[0].indexOf('machine_angle_deg')])).toBeCloseTo(49.899, 2);
  });
  test('a release to the bender: one zip with the tables, proved', async () => {
    const { driver, base } = app;
    // The ring has no end to begin at: a stop, by which the whole file would be held back.
    const ring = (await app.world.until(jobId, () => true)).parts.find((p) => p.name === 'Line ring')!;
    await changePart(app.world.db, ring.id, { version: ring.version, what: 'leave out', fields: { left_out: true } });
    await driver.get(`${base}/jobs/${jobId}/releases/new`);
    await chooseIn(driver, 'Receiver of line 1', 'curlew');
    await eventually(async () => (await textOf(driver, '[data-test=line-1]')).includes('bend tables, STEP, PDF; one zip'), 'what it takes');
    await eventually(async () => /\.zip/.test(await textOf(driver, 'main')), 'the name of its file');
    await eventually(async () => find('begin').isEnabled(), 'it can begin');
    await press('begin');
    const id = await eventually(async () => /releases\/([0-9a-f-]{36})/.exec(await driver.getCurrentUrl())?.[1], 'the run');
    const { rows } = await app.world.untilReleased(id);
    expect(rows.map((r) => [r.receiver, r.state, r.name.endsWith('.zip')])).toEqual([['Curlew', 'made', true]]);
    const whole = unzipSync(new Uint8Array(await (await fetch(`${base}/api/releases/${id}/zip`)).arrayBuffer()));
    const tubes = unzipSync(Object.entries(whole).find(([n]) => n.endsWith('.zip'))![1]);
    expect(Object.keys(tubes)).toEqual(expect.arrayContaining(['R1_bends.csv', 'R2_bends.csv', 'R3_bends.csv', 'R1.step', 'R1_sheet.pdf']));
  });
});
