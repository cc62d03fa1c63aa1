/** Tubes: a row of marks from a frame, the table, the bending seen, rules of a shop, files downloaded and read by themselves. */
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { unzipSync } from 'fflate';
import { By, Key } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { demoBendRules, launchingFrame } from '../../demo/src/tubes.ts';
import { downloaded, eventually, newJob, startApp, textOf, tick, type App } from './app.ts';

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
    await find(test).click();
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
  test('rules of the shop from a CSV: a bad one is told, a good one sets the machine’s angles', async () => {
    const { driver } = app;
    await tick(driver, 'The bender');
    const [bad, good] = ['bad.csv', 'good.csv'].map((n) => join(folder, n));
    writeFileSync(bad, 'material,radius,ratio,offset,elongation\nsteel,,1,0,0\n');
    writeFileSync(good, demoBendRules.replaceAll('steel', ''));
    const input = () => driver.findElement(By.css('[data-test=bender] input[type=file]'));
    await (await eventually(input, 'the file input')).sendKeys(bad);
    await eventually(async () => (await textOf(driver, '[data-test=bender]')).includes('it is missing'), 'the sentence');
    await (await input()).sendKeys(good);
    await eventually(async () => (await textOf(driver, '[data-test=bender]')).includes('3 rules'), 'the rules');
    await press('look-again');
    await eventually(async () => (await driver.findElements(By.css('[data-test=bend-table]'))).length === 1, 'the table again', 90);
    // 48.707 degrees * 1.006 + 0.9
    await eventually(async () => (await cells()).includes('49.9°'), 'the angle that the machine is set to');
    // What is shown is for these rules now: files can be written.
    await eventually(async () => find('write-tubes').isEnabled(), 'files can be written');
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
});
