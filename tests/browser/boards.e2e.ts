/** Boards: from a drawing over the meaning of its contours and both sides to the zip downloaded, read by an independent reader; a panel; a web that is too thin. */
import { execFileSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { unzipSync } from 'fflate';
import { By } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { demoBoards } from '../../demo/src/boards.ts';
import { chooseIn, downloaded, eventually, newJob, startApp, textOf, tick, type App, press as pressOn } from './app.ts';

let app: App;
let jobId: string;
let parts: { id: string; name: string }[];
const folder = mkdtempSync(join(tmpdir(), 'tall-kite-boards-'));
const reader = fileURLToPath(new URL('../../core/tests/readers/gerber_read.py', import.meta.url));
beforeAll(async () => {
  app = await startApp();
  const files = (await demoBoards()).map((f) => {
    const file = join(folder, f.name);
    writeFileSync(file, f.bytes);
    return file;
  });
  jobId = await newJob(app, 'Boards', files);
  await eventually(async () => (await app.world.until(jobId, () => true)).parts.length === 3, 'the parts', 90);
  parts = (await app.world.until(jobId, () => true)).parts;
});
afterAll(() => app?.close());

const press = (test: string) => pressOn(app.driver, `[data-test=${test}]`);
const drawn = () => eventually(async () => (await app.driver.findElements(By.css('[data-drawn=yes]'))).length > 0, 'the board drawn', 60);
const figures = () => textOf(app.driver, '[data-test=board-figures]');
const board = async (name: string) => {
  const { id } = parts.find((p) => p.name.includes(name))!;
  await app.driver.get(`${app.base}/jobs/${jobId}/boards/${id}`);
  await press('make-board');
  await drawn();
};

describe('the disc of the wind station', () => {
  test('from its light table; each layer says what it is and why; the figures are those of the zip', async () => {
    const { driver, base } = app;
    const { id } = parts.find((p) => p.name.includes('disc'))!;
    await driver.get(`${base}/jobs/${jobId}/parts/${id}?step=board`);
    await press('to-board');
    await press('make-board');
    await drawn();
    expect(await figures()).toMatch(/16 × ⌀ 0.90 mm[\s\S]*3 × ⌀ 3.20 mm[\s\S]*1 × ⌀ 6.00 mm[\s\S]*4 × 2.40 mm wide/);
    expect(await textOf(driver, '[data-test="layer-plated"]')).toMatch(/as found: plated hole[\s\S]*name of layer "plated"/);
    expect(await textOf(driver, '[data-test=board-proof]')).toMatch(/(\d\d) of \1 claims agree/);
  });
  test('a layer said to be something else, copper on top alone: told as not in the picture yet, made again', async () => {
    const { driver } = app;
    await chooseIn(driver, 'Layer plated is', 'bare');
    await tick(driver, 'The board and its shop');
    await chooseIn(driver, 'Copper', 'top');
    await press('make-again');
    await eventually(async () => /16 × ⌀ 0.90 mm/.test(await figures()) && !/copper, bottom/.test(await figures()), 'the board made again', 60);
    expect(await figures()).toContain('holes, bare');
    expect(await figures()).not.toContain('holes, plated');
  });
  test('both sides and stacked, layers lifted off by the keys', async () => {
    const { driver } = app;
    const handle = await driver.findElement(By.css('.ant-slider-handle[aria-label="Layers lifted off"]'));
    await handle.sendKeys('\uE014\uE014\uE014');
    await eventually(async () => (await textOf(driver, '[aria-label="The board as its shop reads it"]')).includes('the board alone'), 'the board alone');
    await eventually(async () => {
      await driver.findElement(By.xpath("//*[contains(@class, 'ant-segmented-item')][contains(., 'Stacked')]")).click();
      return (await driver.findElements(By.css('svg[aria-label*="one above the other"]'))).length === 1;
    }, 'the layers stacked');
  });
  test('written, read back and downloaded: an independent reader finds every layer and hole', async () => {
    const { driver } = app;
    await press('write-board');
    await eventually(async () => (await textOf(driver, '[data-test=written]')).includes('claims agree'), 'the file', 60);
    await press('download');
    const { bytes } = await downloaded(app.downloads, '_board.zip');
    const inside = unzipSync(new Uint8Array(bytes));
    const files = Object.entries(inside).flatMap(([name, content]) => {
      if (!/\.(gbr|drl)$/.test(name)) return [];
      writeFileSync(join(folder, name), content);
      return [join(folder, name)];
    });
    const read = execFileSync('/usr/bin/python3', [reader, ...files], { encoding: 'utf8' }).trim().split('\n').map((l) => JSON.parse(l)); // prettier-ignore
    expect(read.map((r) => [r.attr['.FileFunction'].join(','), r.notes, r.error]).sort()).toEqual(
      ['Copper,L1,Top', 'Legend,Top', 'NonPlated,1,2,NPTH', 'Profile,NP', 'Soldermask,Bot', 'Soldermask,Top'].map((f) => [f, [], undefined]),
    );
    const drill = read.find((r) => r.holes !== undefined);
    expect([drill.holes, drill.slots, Object.values(drill.tools)]).toEqual([20, 4, [0.9, 2.4, 3.2, 6]]);
  });
});

test('webs too thin for the shop: told with their places, the zip is a stop', async () => {
  await board('webs too thin');
  const findings = await app.driver.findElements(By.css('[data-test=board-finding]'));
  const words = await Promise.all(findings.map((f) => f.getText()));
  expect(words).toEqual([
    expect.stringContaining('A web of 0.2 mm at 34.1, 15 mm is thinner than the shop leaves (0.5 mm)'),
    expect.stringContaining('0.3 mm at 0.15, 15 mm'),
  ]);
  // Each is ringed on both sides.
  expect(await app.driver.findElements(By.css('[data-test=thin-web]'))).toHaveLength(4);
});

test('a panel of the front, scored only when its corners are square', async () => {
  const { driver } = app;
  await board('front');
  await tick(driver, 'Several as one panel');
  await tick(driver, 'several boards in one');
  await press('make-again');
  // Two and two of 140 x 70: gaps of 2 mm, a bar of 3 mm between, a rim of 7 mm.
  await eventually(async () => (await figures()).includes('305.0 mm × 165.0 mm'), 'the panel', 60);
  await chooseIn(driver, 'Held by', 'scored');
  await press('make-again');
  await eventually(async () => (await textOf(driver, 'main')).includes('Only rectangular boards can be scored'), 'why not', 60);
});
