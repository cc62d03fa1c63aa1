import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { By, Key } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { chooseIn, click, dataPath, downloaded, eventually, longestTask, marksOf, newJob, prompt, startApp, still, textOf, tick, type App } from './app.ts';

let app: App;
const folder = mkdtempSync(join(tmpdir(), 'tall-kite-drawings-'));
beforeAll(async () => {
  app = await startApp();
});
afterAll(async () => {
  await app?.close();
  rmSync(folder, { recursive: true, force: true });
});

const panel = () => textOf(app.driver, '[data-test=panel]');
const says = (what: RegExp, name: string) =>
  eventually(async () => {
    const text = await panel();
    if (!what.test(text)) throw new Error(text);
    return true;
  }, name);
const stage = (what: string) => app.driver.findElement(By.css('[data-test=flatstage]')).getAttribute(`data-${what}`);
async function open(jobId: string, name: string, step: string): Promise<void> {
  const { parts } = await app.world.until(jobId, (j) => j.parts.some((p) => p.name === name));
  await app.driver.get(`${app.base}/jobs/${jobId}/parts/${parts.find((p) => p.name === name)!.id}?step=${step}`);
  await eventually(async () => (await stage('drawn')) === 'yes', 'the drawing drawn');
}
/** Types into a field and leaves it, so that it is saved. */
async function type(label: string, text: string): Promise<void> {
  // A field that has just been unfolded takes keys a moment later.
  await eventually(async () => {
    const field = await app.driver.findElement(By.css(`[aria-label="${label}"]`));
    await field.sendKeys(Key.chord(Key.CONTROL, 'a'), text, Key.ENTER);
    return true;
  }, label);
}
const choose = (label: string, value: string) => chooseIn(app.driver, label, value);
/** Facts of a DXF by an independent reader. */
const facts = (bytes: Buffer) => {
  const file = join(folder, 'read.dxf');
  writeFileSync(file, bytes);
  return JSON.parse(
    execFileSync('/usr/bin/python3', [fileURLToPath(new URL('../../core/tests/readers/dxf.py', import.meta.url)), file], { encoding: 'utf8' }).trim(),
  )[0];
};
const dxf = (...pairs: (string | number)[]) => `0\nSECTION\n2\nENTITIES\n${pairs.join('\n')}\n0\nENDSEC\n0\nEOF\n`;
const line = (...[a, b, c, d]: number[]) => [0, 'LINE', 8, 'cut', 10, a, 20, b, 11, c, 21, d];

/** A plate of loose lines with a gap of 0.05 mm, one line drawn twice, a hole. */
const untidy = dxf(
  ...line(0, 0, 120, 0),
  ...line(120.05, 0, 120, 80),
  ...line(120, 80, 0, 80),
  ...line(0, 80, 0, 0),
  ...line(20, 80, 60, 80),
  0,
  'CIRCLE',
  8,
  'cut',
  10,
  60,
  20,
  40,
  40,
  12,
);

describe('an untidy DXF to a clean one', () => {
  test('gap shown and counted by the slider, mended, kept, undone, kept; kerf; written, received, proved, downloaded, audited', async () => {
    const { driver } = app;
    writeFileSync(join(folder, 'plate.dxf'), untidy);
    const jobId = await newJob(app, 'Plate', [join(folder, 'plate.dxf')]);
    await eventually(async () => (await marksOf(driver, 'plate'))[2] === 'stop', 'the stop at Soundness');
    await open(jobId, 'plate', 'soundness');
    await says(/1 gap/, 'the gap');
    expect(await textOf(driver, '[data-test=gapcount]')).toBe('would join 1 of 1');
    const slider = await driver.findElement(By.css('[aria-label="Join gaps up to, mm"]'));
    await slider.sendKeys(Key.HOME);
    await eventually(async () => (await textOf(driver, '[data-test=gapcount]')) === 'would join 0 of 1', 'no gap joined at the least tolerance');
    expect(await textOf(driver, '[data-test=flatfindings]')).toMatch(/1 piece lies wholly on another/);
    await slider.sendKeys(Key.END);
    await click(driver, 'Mend all that is safe');
    await eventually(async () => /Open\s+2\s+0/.test(await textOf(driver, '[data-test=proposal]')), 'the proposal');
    await click(driver, 'Keep it');
    await says(/every contour closes|Clean/i, 'the drawing closed');
    await driver.findElement(By.css('body')).sendKeys(Key.chord(Key.CONTROL, 'z'));
    await says(/contours are open/, 'undone');
    await driver.findElement(By.css('body')).sendKeys(Key.chord(Key.CONTROL, Key.SHIFT, 'z'));
    await says(/every contour closes|Clean/i, 'done again');

    await open(jobId, 'plate', 'layers');
    await says(/cut\s+1[\s\S]*hole\s+1/, 'layers by meaning');
    await type('Kerf, mm', '0.2');
    await says(/move by 0\.10 mm to the waste side/, 'the kerf');
    await click(driver, 'Write');
    await eventually(async () => /(\d+) of \1 agree/.test(await textOf(driver, '[data-test=evidence]')), 'the evidence');
    expect(await textOf(driver, '[data-test=evidence]')).toContain('120.2');
    await eventually(async () => (await stage('received')) === 'yes', 'what was received, drawn');
    await open(jobId, 'plate', 'received');
    await says(/Cut\s+[\d.]+ mm in 2 cuts/, 'the cuts');
    await click(driver, 'Download');
    const { name, bytes } = await downloaded(app.downloads, '.dxf');
    expect(name).toBe('plate_mm.dxf');
    const read = facts(bytes);
    expect(read).toMatchObject({ version: 'AC1015', errors: 0, fixes: 0, units: 4, kinds: { CIRCLE: 1, LWPOLYLINE: 1 }, layers: { CUT: 1, HOLES: 1 } });
    expect(read.circles[0]).toBeCloseTo(23.8, 6);
    // The right edge leans: its line began 0.05 mm too far out.
    expect(Math.abs(read.max[0] - read.min[0] - 120.25)).toBeLessThan(0.001);
  });

  test('a node is moved by typed places and by dragging, and each is undone', async () => {
    const { driver } = app;
    writeFileSync(join(folder, 'square.dxf'), dxf(0, 'LWPOLYLINE', 8, 'cut', 90, 4, 70, 1, 10, 0, 20, 0, 10, 100, 20, 0, 10, 100, 20, 60, 10, 0, 20, 60));
    const jobId = await newJob(app, 'Nodes', [join(folder, 'square.dxf')]);
    await open(jobId, 'square', 'soundness');
    await tick(driver, 'Change single nodes');
    await type('Number of the contour', '1');
    await says(/of 4/, 'the nodes');
    for (let i = 0; i < 3; i++) await click(driver, 'Next');
    await says(/3 of 4/, 'the third node');
    await type('X of the node, mm', '130');
    await click(driver, 'Move it');
    const box = async () => (await app.world.until(jobId, () => true)).parts[0].summary.box.max;
    await eventually(async () => Math.abs((await box())[0] - 130) < 1e-9, 'the node moved');
    await driver.findElement(By.css('body')).sendKeys(Key.chord(Key.CONTROL, 'z'));
    await eventually(async () => Math.abs((await box())[0] - 100) < 1e-9, 'undone');
    await still(driver);
    // Dragged from where it is on the sheet to 20 mm further down: what is above the drawing may not be on the screen.
    const canvas = await driver.findElement(By.css('[data-test=flatstage] canvas'));
    const places = (await driver.executeScript('return [window.flatTable.toScreen(100, 60), window.flatTable.toScreen(100, 40)]')) as [number, number][];
    const { width, height } = await canvas.getRect();
    const from = places[0].map((v, k) => Math.round(v - (k === 0 ? width : height) / 2));
    const to = places[1].map((v, k) => Math.round(v - (k === 0 ? width : height) / 2));
    await driver
      .actions()
      .move({ origin: canvas, x: from[0], y: from[1] })
      .press()
      .move({ origin: canvas, x: from[0], y: from[1] + 20 })
      .move({ origin: canvas, x: to[0], y: to[1] })
      .release()
      .perform();
    // 100 x 60 less a triangle of 100 x 20; a millimetre at the node is 50 mm2.
    const area = async () => (await app.world.until(jobId, () => true)).parts[0].summary.area;
    await eventually(async () => Math.abs((await area()) - 5000) < 50, 'the node dragged');
  });

  test('a stretch of splinters between two nodes is made smooth: fewer pieces, and how far they lie off is told on its Source step', async () => {
    const { driver } = app;
    const arch = Array.from({ length: 41 }, (_, k) => [50 + 50 * Math.cos((Math.PI * k) / 40), 50 * Math.sin((Math.PI * k) / 40)]);
    const pairs = [0, 'LWPOLYLINE', 8, 'cut', 90, arch.length, 70, 1, ...arch.flatMap(([x, y]) => [10, x, 20, y])];
    writeFileSync(join(folder, 'arch.dxf'), dxf(...pairs));
    const jobId = await newJob(app, 'Arch', [join(folder, 'arch.dxf')]);
    await open(jobId, 'arch', 'soundness');
    await tick(driver, 'Change single nodes');
    await type('Number of the contour', '1');
    await says(/of 41/, 'the nodes');
    await click(driver, 'Next');
    await says(/1 of 41/, 'the first node');
    await click(driver, 'Begin a stretch');
    await says(/from node 1/, 'begun');
    for (let i = 0; i < 20; i++) await click(driver, 'Next');
    await says(/21 of 41/, 'the last node');
    await click(driver, 'Make it smooth');
    const part = async () => (await app.world.until(jobId, () => true)).parts[0];
    const made = await eventually(async () => (await part()).summary.made?.find((m) => m.includes('made smooth')), 'made smooth', 60);
    expect(made).toMatch(/^a stretch of 20 pieces made smooth with [1-6], at most 0\.0\d+ mm off$/);
    // Half a disc of radius 50, as a half polygon of 40 sides it was 3,923.
    expect(Math.abs((await part()).summary.area - (Math.PI * 2500) / 2)).toBeLessThan(8);
    await driver.get(`${app.base}/jobs/${jobId}/parts/${(await part()).id}?step=source`);
    await says(/made smooth with/, 'told on the Source step');
  });
});

describe('SVG without a unit', () => {
  test('readings side by side; one known length names the mistake; SVG written in mm agrees', async () => {
    const { driver } = app;
    const px = 72 / 25.4;
    writeFileSync(
      join(folder, 'tile.svg'),
      `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${200 * px} ${100 * px}"><rect width="${90 * px}" height="${50 * px}"/></svg>`,
    );
    const jobId = await newJob(app, 'Tile', [join(folder, 'tile.svg')]);
    await eventually(async () => (await marksOf(driver, 'tile'))[1] === 'look', 'the look at Size');
    await open(jobId, 'tile', 'size');
    expect(await panel()).toMatch(/72\/in\s+90\.0 × 50\.0 mm/);
    expect(await panel()).toMatch(/96\/in\s+67\.5 × 37\.5 mm/);
    await driver.findElement(By.css('[aria-label="Known length, mm"]')).sendKeys('90');
    await says(/96 per inch was read as 72|72 per inch was read as 96|1\.33333/, 'the factor named');
    await driver.findElement(By.xpath('//button[@role="radio"][contains(., "72/in")]')).click();
    await says(/90\.0 × 50\.0 mm/, 'the size');
    await open(jobId, 'tile', 'file');
    await choose('Format', 'svg');
    await says(/one unit is one mm/, 'SVG in mm');
    await click(driver, 'Write, and read it back');
    await eventually(async () => /(\d+) of \1 agree/.test(await textOf(driver, '[data-test=evidence]')), 'the evidence');
    await click(driver, 'Download');
    const { bytes } = await downloaded(app.downloads, 'tile_mm.svg');
    expect(bytes.toString()).toMatch(/width="90(\.0+\d*)?mm" height="50(\.0+\d*)?mm"/);
  });
});

describe('a board to the router', () => {
  test('sheet, datum, pocket; carved from the bytes of the file; an unread version is said and refused', async () => {
    const { driver } = app;
    const circle = [0, 'CIRCLE', 8, 'pocket 3 mm', 10, 5, 20, 8, 40, 3];
    const text = dxf(0, 'LWPOLYLINE', 8, 'outer', 90, 4, 70, 1, 10, 0, 20, 0, 10, 10, 20, 0, 10, 10, 20, 16, 10, 0, 20, 16, ...circle);
    // In inches, as the header says.
    writeFileSync(join(folder, 'board.dxf'), `0\nSECTION\n2\nHEADER\n9\n$ACADVER\n1\nAC1015\n9\n$INSUNITS\n70\n1\n0\nENDSEC\n${text}`);
    const jobId = await newJob(app, 'Board', [join(folder, 'board.dxf')]);
    await open(jobId, 'board', 'sheet');
    await choose('Receiver', 'martin');
    await says(/Martin/, 'the router');
    await click(driver, 'Choose a sheet');
    await type('Thickness Z, mm', '12');
    await says(/254\.0 × 406\.4 mm/, 'the size of 10 by 16 inch');
    await says(/lies on the sheet/, 'the fit');
    // Depths are chosen beside the sheet as it would be carved, before anything is written.
    await click(driver, 'Depths');
    await eventually(
      async () => (await driver.findElement(By.css('[data-test=carving]')).getAttribute('data-ready')) === 'yes',
      'the sheet as it would be carved',
    );
    await choose('Where the bit runs', 'on');
    await type('Engraving deep, mm', '0.4');
    await says(/stand in the names of the layers/, 'the depths in the file');
    await click(driver, 'Write');
    await eventually(async () => /(\d+) of \1 agree/.test(await textOf(driver, '[data-test=evidence]')), 'the evidence');
    await open(jobId, 'board', 'received');
    await eventually(async () => (await driver.findElement(By.css('[data-test=carved]')).getAttribute('data-ready')) === 'yes', 'the carved sheet');
    expect(await textOf(driver, '[data-test=carved]')).toMatch(/deepest 12\.2 mm in a sheet of 12\.0 mm/);
    expect(await driver.findElements(By.css('[data-test=carved] canvas'))).toHaveLength(1);
    await open(jobId, 'board', 'file');
    await choose('Receiver', 'swift');
    await says(/Swift, laser, sheet/, 'the laser');
    await choose('DXF version', '2018');
    await says(/Swift reads R12, 2000 only/, 'the unread version');
    await click(driver, 'Write, and read it back');
    await says(/does not read DXF 2018/, 'the refusal');
  });
});

/** So many lines are in paths of the page. */
const linesIn = async (paths: By) => (await Promise.all((await app.driver.findElements(paths)).map((p) => p.getAttribute('d')))).join('').split('M').length - 1;

describe('drawn from a solid, raised from a drawing', () => {
  test('a section of a solid is shown before it is kept, becomes a part, and is written with true circles', async () => {
    const { driver } = app;
    const jobId = await newJob(app, 'Drawn', [dataPath('as1-oc-214.stp')]);
    const { parts } = await app.world.until(jobId, (j) => j.parts.some((p) => p.name === 'plate'), 120);
    await driver.get(`${app.base}/jobs/${jobId}/parts/${parts.find((p) => p.name === 'plate')!.id}?step=draw`);
    await eventually(async () => (await driver.findElement(By.css('[data-test=stage]')).getAttribute('data-drawn')) === 'yes', 'the solid drawn');
    await choose('What is drawn', 'section');
    await click(driver, 'Draw it');
    await eventually(async () => (await textOf(driver, '[data-test=drawn]')).includes('7 contours'), 'the proposal');
    await eventually(async () => (await linesIn(By.css('[data-test=drawn] svg path'))) === 7, 'the drawing, before it is kept');
    await click(driver, 'Keep it');
    const name = 'plate, section at Z 10 mm';
    await open(jobId, name, 'file');
    await click(driver, 'Write, and read it back');
    await eventually(async () => /(\d+) of \1 agree/.test(await textOf(driver, '[data-test=evidence]')), 'the evidence');
    await click(driver, 'Download');
    const { bytes } = await downloaded(app.downloads, 'section-at-Z-10-mm_mm.dxf');
    const read = facts(bytes);
    expect({ errors: read.errors, kinds: read.kinds }).toEqual({ errors: 0, kinds: { CIRCLE: 6, LWPOLYLINE: 1 } });
    for (const d of facts(bytes).circles) expect(d).toBeCloseTo(10, 3);

    await open(jobId, name, 'raise');
    await click(driver, 'Show the solid');
    await click(driver, 'Keep the solid');
    const raised = await app.world.until(jobId, (j) => j.parts.some((p) => p.name === `${name}, raised`));
    const solid = raised.parts.find((p) => p.name === `${name}, raised`)!;
    expect(solid.summary).toMatchObject({ kind: 'mesh', openEdges: 0 });
    expect(Math.abs(solid.summary.volume / ((180 * 150 - 150 * Math.PI) * 3) - 1)).toBeLessThan(1e-3);
  });
});

test('the pages stay responsive while a drawing of 20,000 pieces is checked', async () => {
  const { driver } = app;
  const pairs: (string | number)[] = [];
  for (let i = 0; i < 20_000; i++) pairs.push(...line((i % 200) * 5, Math.floor(i / 200) * 5, (i % 200) * 5 + 3, Math.floor(i / 200) * 5 + (i % 7) / 3));
  writeFileSync(join(folder, 'many.dxf'), `0\nSECTION\n2\nENTITIES\n${pairs.join('\n')}\n0\nENDSEC\n0\nEOF\n`);
  const jobId = await newJob(app, 'Many', [join(folder, 'many.dxf')]);
  await open(jobId, 'many', 'source');
  await still(driver);
  const longest = await longestTask(driver, async () => {
    await driver.findElement(By.xpath('//nav[@aria-label="Steps"]//button[contains(., "Soundness")]')).click();
    await says(/gaps?/, 'the gaps');
  });
  expect(longest).toBeLessThan(prompt);
});
