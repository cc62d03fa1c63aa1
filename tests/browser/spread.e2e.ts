/** Surfaces laid flat: a sail in gores from its light table to the DXF downloaded, read by an independent reader; faces of a solid chosen by a click; what can't be spread says so. */
import { execFileSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { By, Key } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { demoPatches } from '../../demo/src/patches.ts';
import { chooseIn, downloaded, eventually, newJob, startApp, textOf, type App, press as pressOn } from './app.ts';

let app: App;
let jobId: string;
let parts: { id: string; name: string }[];
const folder = mkdtempSync(join(tmpdir(), 'tall-kite-spread-'));
beforeAll(async () => {
  app = await startApp();
  const files = (await demoPatches()).map((f) => {
    const file = join(folder, f.name);
    writeFileSync(file, f.bytes);
    return file;
  });
  jobId = await newJob(app, 'Sails', files);
  await eventually(async () => (await app.world.until(jobId, () => true)).parts.length === 3, 'the parts', 90);
  parts = (await app.world.until(jobId, () => true)).parts;
});
afterAll(() => app?.close());

const press = (test: string) => pressOn(app.driver, `[data-test=${test}]`);
const figures = () => textOf(app.driver, '[data-test=spread-figures]');
const partNamed = (name: string) => parts.find((p) => p.name.includes(name))!;
const open = (name: string) => app.driver.get(`${app.base}/jobs/${jobId}/spread/${partNamed(name).id}`);
/** Types into one of antd's number fields. */
const count = async (test: string, value: number) => {
  const field = await app.driver.findElement(By.css(`[data-test=${test}], [data-test=${test}] input`));
  await field.sendKeys(Key.chord(Key.CONTROL, 'a'), String(value), Key.TAB);
};

describe('the dome sail', () => {
  test('an open surface is a patch: no volume, no stop, and its way is spreading', async () => {
    const { driver, base } = app;
    await driver.get(`${base}/jobs/${jobId}/parts/${partNamed('sail').id}?step=soundness`);
    await eventually(async () => (await textOf(driver, 'aside.panel')).includes('patch, 3,096 triangles'), 'the patch');
    expect(await textOf(driver, 'aside.panel')).toMatch(/Area\s+23,250.9 cm²/);
    await driver.get(`${base}/jobs/${jobId}/parts/${partNamed('sail').id}?step=spread`);
    await press('to-spread');
    await eventually(async () => (await driver.findElements(By.css('[data-test=surface]'))).length === 1, 'the surface');
  });
  test('in six gores: seams as long on both sides, stretch with its bound; the map changes with what is inked', async () => {
    const { driver } = app;
    await chooseIn(driver, 'Divide it', 'gores');
    await press('spread');
    await eventually(async () => (await driver.findElements(By.css('[data-test=spread-proposal]'))).length === 1, 'the proposal', 120);
    const seamRows = () => driver.findElements(By.css('[data-test=spread-seams] tbody tr.ant-table-row'));
    // The list unfolds after the proposal stands.
    await eventually(async () => (await seamRows()).length === 6, 'the six seams');
    const rows = await seamRows();
    const lengths = await Promise.all(
      rows.map(async (r) =>
        (await r.getText())
          .split('\n')
          .slice(1)
          .join(' ')
          .match(/[\d.]+(?= mm)/g),
      ),
    );
    for (const row of lengths) expect([row![1], row![2]]).toEqual([row![0], row![0]]);
    expect(await figures()).toMatch(/flat longer by at most[\s\S]*a cap as bent: 1.0\d+ at least[\s\S]*pieces\s*6/);
    const scale = () => textOf(driver, '[data-test=stretch-scale]');
    expect(await scale()).toContain('smaller on the flat');
    await driver.findElement(By.xpath("//*[contains(@class, 'ant-segmented-item')][contains(., 'Most lengthened')]")).click();
    await eventually(async () => (await scale()).includes('longer, +'), 'the other inks');
    // A seam that is pressed stands out; pressed again it does not.
    const seam = await driver.findElement(By.css('[data-test=spread-seams] tbody button'));
    await seam.click();
    await eventually(async () => (await seam.getAttribute('aria-pressed')) === 'true', 'the seam chosen');
  });
  test('other choices are told as not in the picture yet; turned by the keys; kept, written and downloaded: ezdxf finds six pieces', async () => {
    const { driver } = app;
    await count('cuts', 0);
    const canvas = await driver.findElement(By.css('[data-test=surface]'));
    const drawn = async () => (await canvas.getAttribute('data-drawn'))!.split(' ').map(Number);
    const [turn, lean] = await drawn();
    await canvas.sendKeys(Key.ARROW_RIGHT, Key.ARROW_RIGHT);
    await eventually(async () => (await drawn())[0] !== turn, 'the surface turned');
    await canvas.sendKeys(Key.HOME);
    await eventually(async () => String(await drawn()) === String([turn, lean]), 'the surface turned back');
    await press('keep-spread');
    const flat = await eventually(async () => (await app.world.until(jobId, () => true)).parts.find((p) => p.name.endsWith('spread')), 'the flat', 60);
    await driver.get(`${app.base}/jobs/${jobId}/parts/${flat.id}?step=file`);
    await eventually(async () => {
      await driver.findElement(By.xpath("//button[contains(., 'Write')]")).click();
      return true;
    }, 'the file asked for');
    const file = await eventually(
      async () => (await app.world.until(jobId, () => true)).parts.find((p) => p.id === flat.id)?.file?.evidence && true,
      'the file',
      90,
    );
    expect(file).toBe(true);
    const written = (await app.world.until(jobId, () => true)).parts.find((p) => p.id === flat.id)!;
    const evidence = written.file!.evidence!;
    expect([written.recipe.receiver.name, evidence.verdict]).toEqual(['Dunlin', 'clear']);
    for (const name of ['Laid back on the surface', 'Two sides of a seam', 'Seams to the surface', 'Area of the pieces'])
      expect(evidence.claims.map((c) => c.quantity)).toContain(name);
    await driver.get(`${app.base}/jobs/${jobId}/parts/${flat.id}?step=received`);
    await press('download');
    const { bytes } = await downloaded(app.downloads, '.dxf');
    writeFileSync(join(folder, 'sail.dxf'), bytes);
    const script = `
import ezdxf, sys
doc = ezdxf.readfile(sys.argv[1])
m = doc.modelspace()
print(doc.audit().errors, len(m.query('LWPOLYLINE[layer=="CUT"]')), len(m.query('*[layer=="MARKS"]')) > 100)`;
    expect(execFileSync('/usr/bin/python3', ['-c', script, join(folder, 'sail.dxf')], { encoding: 'utf8' }).trim()).toBe('[] 6 True');
  });
});

describe('the cone of the post cover', () => {
  test('all of it is closed: told what to do; a click chooses a face, which unrolls exactly', async () => {
    const { driver } = app;
    await open('Post cover');
    await press('spread');
    await eventually(async () => (await textOf(driver, '[role=status]')).includes('closed all round'), 'why not', 60);
    await driver.findElement(By.xpath("//button[contains(., 'Understood')]")).click();
    const canvas = await eventually(async () => driver.findElement(By.css('[data-test=surface]')), 'the part');
    await eventually(async () => {
      await driver.actions().move({ origin: canvas, x: 0, y: 60 }).click().perform();
      return (await textOf(driver, '[data-test=spread-faces]')).startsWith('2');
    }, 'the cone chosen');
    await count('cuts', 1);
    await press('spread');
    await eventually(async () => (await figures()).includes('it unrolls exactly'), 'the cone unrolled', 90);
    expect(await textOf(driver, '[data-test=spread-cuts]')).toContain('cut 1');
  });
});

test('a cut drawn by hand from the top of the seat pad to its border: told as not in the picture yet, listed, taken out', async () => {
  const { driver } = app;
  await open('Seat pad');
  const canvas = await eventually(async () => driver.findElement(By.css('[data-test=surface]')), 'the part');
  const show = (words: string) =>
    eventually(async () => {
      await driver.findElement(By.xpath(`//*[contains(@class, 'ant-segmented-item')][contains(., '${words}')]`)).click();
      return true;
    }, words);
  await show('Cuts by hand');
  await eventually(async () => {
    await driver.actions().move({ origin: canvas, x: 0, y: 0 }).click().perform();
    return (await driver.findElements(By.css('[data-test=cut-to-border]'))).length === 1;
  }, 'the cut begun');
  await press('cut-to-border');
  await eventually(async () => (await textOf(driver, '[data-test=cut-lines]')).includes('to the border'), 'the cut listed');
  await driver.findElement(By.css('[aria-label="Take out cut 1"]')).click();
  await eventually(async () => (await driver.findElements(By.css('[data-test=cut-lines]'))).length === 0, 'the cut taken out');
});
