import { mkdtempSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { By, Key, until } from 'selenium-webdriver';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { demoTexts } from '../../demo/src/texts.ts';
import { receiveStl, volumeOf, boxStl } from './stl.ts';
import { bring, chooseIn, click, clickOn, downloaded, eventually, makeBy, newJob, startApp, still, textOf, type App } from './app.ts';

let app: App;
let jobId: string;
let folder: string;
beforeAll(async () => {
  app = await startApp();
  folder = mkdtempSync(join(tmpdir(), 'texts-'));
  for (const { name, bytes } of await demoTexts()) writeFileSync(join(folder, name), bytes);
  writeFileSync(join(folder, 'block.stl'), boxStl(60, 30, 10));
  writeFileSync(join(folder, 'ropes.csv'), 'Rope,Metres\nG-01,12.5\nG-02,18\nG-03,\n');
  jobId = await newJob(app, 'Texts', [join(folder, 'workshop-ruler.svg')]);
  await eventually(async () => (await parts()).length === 1, 'the ruler', 60);
});
afterAll(() => app?.close());

const parts = async () => (await app.world.until(jobId, () => true)).parts;
const partOf = async (name: string) => (await parts()).find((p) => p.name === name)!;
const ledger = async () => {
  await app.driver.get(`${app.base}/jobs/${jobId}`);
  await eventually(async () => (await textOf(app.driver, '[data-test=counts]')).includes('clear'), 'the ledger');
};
const open = async (name: string, step: string, stage = 'flatstage') => {
  await app.driver.get(`${app.base}/jobs/${jobId}/parts/${(await partOf(name)).id}?step=${step}`);
  await eventually(async () => (await (await app.driver.findElement(By.css(`[data-test=${stage}]`))).getAttribute('data-drawn')) === 'yes', 'the part');
};
/** Types into a field once it is there and has opened; folds open slowly. */
const field = (css: string, text: string) =>
  eventually(async () => {
    await (await app.driver.findElement(By.css(css))).sendKeys(Key.chord(Key.CONTROL, 'a'), text, Key.ENTER);
    return true;
  }, `a field for ${css}`);
const press = (xpath: string) =>
  eventually(async () => {
    await clickOn(app.driver, await app.driver.findElement(By.xpath(xpath)));
    return true;
  }, `a click on ${xpath}`);
const words = async (text: string) => {
  const area = await app.driver.wait(until.elementLocated(By.css('textarea[aria-label=Words]')), 10_000);
  await area.sendKeys(Key.chord(Key.CONTROL, 'a'), text);
};
const shown = () => textOf(app.driver, '[data-test=lettersshown]');

test('words typed, drawn while they are typed, made, written and downloaded: as high as asked, on the layer to engrave', async () => {
  const { driver } = app;
  await ledger();
  await makeBy(driver, 'New text…');
  await words('KITE 42');
  await field('input[aria-label^="H is high"]', '8');
  await eventually(async () => /H\s*8\.0\d* mm, 6 letters/.test(await shown()), 'the letters');
  await click(driver, 'Make it');
  await eventually(async () => (await parts()).some((p) => p.name === 'KITE 42'), 'the part', 60);
  const part = await partOf('KITE 42');
  expect(part.summary.lettered!.cap).toBeCloseTo(8, 9);
  await open('KITE 42', 'words');
  expect(await textOf(driver, '[data-test=panel]')).toContain('Letters');
  await click(driver, 'Write');
  await eventually(async () => (await partOf('KITE 42')).file?.state === 'written', 'written', 60);
  expect((await partOf('KITE 42')).file!.evidence!.verdict).toBe('clear');
  await driver.get(`${app.base}/jobs/${jobId}/parts/${part.id}?step=file`);
  await click(driver, 'Download');
  const { bytes } = await downloaded(app.downloads, '.dxf');
  const text = bytes.toString('latin1');
  expect(text).toContain('ENGRAVE');
  // The H of the file: the highest y of any place less the lowest, for letters without tails or rounds beyond the line.
  expect(text).toContain('LWPOLYLINE');
});

test('other words for it: shown in coral, kept, and taken back', async () => {
  const { driver } = app;
  await open('KITE 42', 'words');
  await words('KITE 43 B');
  await click(driver, 'Show on the sheet');
  await eventually(async () => (await textOf(driver, '[data-test=lettered]')).includes('Keep it'), 'the proposal', 60);
  await click(driver, 'Keep it');
  await eventually(async () => (await partOf('KITE 42')).summary.lettered!.choice.words === 'KITE 43 B', 'kept');
  await still(driver);
  await click(driver, 'Undo');
  await eventually(async () => (await partOf('KITE 42')).summary.lettered!.choice.words === 'KITE 42', 'undone');
});

test('a list makes one drawing a row, on plates; a font of one’s own is kept in the stores', async () => {
  const { driver } = app;
  await ledger();
  await makeBy(driver, 'New text…');
  await words('x');
  await (await driver.findElement(By.css('[data-test=list]'))).sendKeys(join(folder, 'ropes.csv'));
  await eventually(async () => (await textOf(driver, '[data-test=newtext]')).includes('3 rows'), 'the list');
  await words('{Rope}: {Metres} m');
  // As large as letters come at first they would reach beyond the plate, which is said, and nothing can be made.
  await driver.findElement(By.css('button[aria-label="On a plate of its own"]')).click();
  const stencil = join(
    dirname(createRequire(join(process.cwd(), 'core', 'package.json')).resolve('@fontsource/stardos-stencil/package.json')),
    'files',
    'stardos-stencil-latin-700-normal.woff2',
  );
  await (await driver.findElement(By.css('[data-test=font]'))).sendKeys(stencil);
  await eventually(async () => (await textOf(driver, '[data-test=newtext]')).includes('Stardos'), 'the font');
  await eventually(async () => (await shown()).includes('its plate'), 'told that it is too wide');
  expect(await (await driver.findElement(By.css('[data-test=newtext] button[type=submit]'))).isEnabled()).toBe(false);
  await field('input[aria-label^="H is high"]', '6');
  await eventually(async () => !(await shown()).includes('its plate'), 'room on the plate');
  await click(driver, 'Make 3 drawings');
  await eventually(async () => (await parts()).filter((p) => p.name.startsWith('G-0')).length === 3, 'three parts', 60);
  const tag = await partOf('G-02');
  expect([tag.summary.lettered!.choice.words, tag.summary.lettered!.letters]).toEqual(['G-02: 18 m', expect.stringContaining('Stardos')]);
  expect(tag.summary.box.max[0] - tag.summary.box.min[0]).toBeCloseTo(80, 6);
  const kept = (await (await fetch(`${app.base}/api/stores/fonts`)).json()) as { name: string }[];
  expect(kept.map((f) => f.name).join()).toContain('Stardos');
  const bad = await fetch(`${app.base}/api/stores/fonts`, { method: 'POST', body: 'no font', headers: { origin: app.base } });
  expect([bad.status, ((await bad.json()) as { error: { message: string } }).error.message]).toEqual([400, expect.stringContaining("can't be read")]);
});

test('writing of a file is told, drawn as single lines, kept, and nothing is lost any more', async () => {
  const { driver } = app;
  expect((await partOf('workshop-ruler')).summary.lost?.map((f) => f.code)).toEqual(['texts']);
  await open('workshop-ruler', 'layers');
  await click(driver, 'As single lines');
  await eventually(async () => (await textOf(driver, '[data-test=writing]')).includes('Keep it'), 'the proposal', 60);
  await click(driver, 'Keep it');
  const kept = await eventually(async () => {
    const p = await partOf('workshop-ruler');
    return p.summary.drawing!.texts === 0 ? p : null;
  }, 'kept');
  expect(kept.summary.lost ?? []).toEqual([]);
  expect(kept.summary.drawing!.contours).toBeGreaterThan(180);
  // Words of one's own onto the same drawing, at a typed place.
  await driver.findElement(By.css('[data-test=puttext] .ant-collapse-header')).click();
  await words('NORTH');
  await chooseIn(driver, 'Letters', 'line');
  await field('input[aria-label^="Middle of the base line at X"]', '120');
  await click(driver, 'Show on the sheet');
  await eventually(async () => (await textOf(driver, '[data-test=puttext]')).includes('Keep it'), 'the words', 60);
  await click(driver, 'Keep it');
  await eventually(async () => (await partOf('workshop-ruler')).summary.drawing!.layers.some((l) => l.name === 'Text'), 'kept too');
  // That layer twice, one above the other, as one.
  const letters = (await partOf('workshop-ruler')).summary.drawing!.layers.find((l) => l.name === 'Text')!.contours;
  await still(driver);
  await driver.findElement(By.css('[data-test=arrange] .ant-collapse-header')).click();
  for (const name of ['cut', 'engrave'])
    await press(`//*[@data-test='arrange']//label[contains(@class, 'ant-checkbox-wrapper')][normalize-space(.)='${name}']`);
  await field('[data-test=arrange] input[aria-label^="Rows"]', '2');
  await field('[data-test=arrange] input[aria-label^="from row to row"]', '12');
  await click(driver, 'Show it moved');
  await eventually(async () => (await textOf(driver, '[data-test=arrange]')).includes('Keep it'), 'the rows', 60);
  await click(driver, 'Keep it');
  await eventually(async () => (await partOf('workshop-ruler')).summary.drawing!.layers.find((l) => l.name === 'Text')!.contours === letters * 2, 'twice');
});

test('artwork in PDF: its named ink is a layer, its clip has cut', async () => {
  await ledger();
  await bring(app, [join(folder, 'crew-badge-artwork.pdf')]);
  await eventually(async () => (await parts()).some((p) => p.name === 'crew-badge-artwork'), 'the badge', 60);
  const { summary } = await partOf('crew-badge-artwork');
  expect(summary.drawing!.layers.map((l) => l.name)).toEqual(['Drawing', 'Sail Red']);
  expect(summary.unit).toBe('mm');
});

test('a page with a frame and a picture: two parts; the picture at its size on the page, traced anew on its Trace step', async () => {
  const { driver } = app;
  await ledger();
  await bring(app, [join(folder, 'winch-label.pdf')]);
  await eventually(async () => (await parts()).some((p) => p.name === 'winch-label, picture 1'), 'the picture', 60);
  const frame = await partOf('winch-label');
  expect(frame.summary.box.max[0] - frame.summary.box.min[0]).toBeCloseTo(60, 4);
  expect(frame.summary.lost?.map((f) => f.code)).toEqual(['pictures-apart']);
  const mark = (await partOf('winch-label, picture 1')).summary;
  // The sail is 64 of the mark's 100 wide and begins at 18, its sun ends at 94: on 40 mm.
  expect(mark.box.max[0] - mark.box.min[0]).toBeCloseTo(0.76 * 40, 1);
  const before = mark.drawing!.contours;
  const shown = await fetch(`${app.base}/api/parts/${(await partOf('winch-label, picture 1')).id}/picture`);
  expect([shown.status, shown.headers.get('content-type')]).toEqual([200, 'image/png']);
  await open('winch-label, picture 1', 'trace');
  await eventually(async () => /\d contours?/.test(await textOf(driver, '[data-test=prints]')), 'the ways', 60);
  await driver.findElement(By.xpath("//*[@data-test='prints']//b[.='Outer boundary']")).click();
  await eventually(async () => /Contours\s*\d/.test(await textOf(driver, '[data-test=foreseen]')), 'the contours as they would be', 60);
  await click(driver, 'Keep these');
  await eventually(async () => (await partOf('winch-label, picture 1')).summary.drawing!.contours < before, 'fewer contours', 60);
  expect((await partOf('winch-label, picture 1')).summary.traced?.within).toEqual({ page: 1, picture: 1 });
});

test('words in a font of one’s own, with a draft, into a face: the request names the font, and the walls lean', async () => {
  const { driver } = app;
  await ledger();
  writeFileSync(join(folder, 'slab.stl'), boxStl(70, 30, 8));
  await bring(app, [join(folder, 'slab.stl')]);
  await eventually(async () => (await parts()).some((p) => p.name === 'slab'), 'the slab', 60);
  await open('slab', 'soundness', 'stage');
  await driver.findElement(By.css('[data-test=engrave] .ant-collapse-header')).click();
  await words('WS-4');
  await chooseIn(driver, 'Letters', 'Stardos Stencil');
  await field('input[aria-label^="Deep"]', '1');
  await field('input[aria-label^="Draft of its walls"]', '20');
  await still(driver);
  await click(driver, 'Pick the place');
  await driver.findElement(By.css('body')).sendKeys('t');
  await still(driver);
  await driver.actions().move({ origin: await driver.findElement(By.css('[data-test=stage]')) }).click().perform(); // prettier-ignore
  await eventually(async () => /Z 8\.0 mm/.test(await textOf(driver, '[data-test=engrave]')), 'the place');
  await click(driver, 'Show it on the part');
  await eventually(async () => (await textOf(driver, '[data-test=lettered]')).includes('Keep it'), 'the proposal', 60);
  const job = (await (await fetch(`${app.base}/api/jobs/${jobId}`)).json()) as { operations: { kind: string; request: { what: { text: { own: object } } } }[] };
  const asked = job.operations.find((o) => o.kind === 'engrave' && JSON.stringify(o.request).includes('Stardos'))!;
  expect(asked.request.what.text.own).toMatchObject({ data: '', kept: expect.stringMatching(/^[0-9a-f]{64}$/) as string });
  const taken = Number(/Taken away\s*([\d.,]+) mm³/.exec(await textOf(driver, '[data-test=lettered]'))![1].replace(',', ''));
  const area = Number(/Area of letters\s*([\d.,]+) mm²/.exec(await textOf(driver, '[data-test=lettered]'))![1].replace(',', ''));
  // Upright walls would take area times 1 mm; leaning by 20 degrees they take less, and nothing is told as missing.
  expect(taken).toBeLessThan(area * 0.95);
  expect(taken).toBeGreaterThan(area * 0.3);
  expect(await textOf(driver, '[data-test=lettered]')).not.toMatch(/reach past the face/);
});

test('words engraved into a block: picked on its face, proposed, kept, written; the STL downloaded has less volume by what the letters take', async () => {
  const { driver } = app;
  await ledger();
  await bring(app, [join(folder, 'block.stl')]);
  await eventually(async () => (await parts()).some((p) => p.name === 'block'), 'the block', 60);
  await open('block', 'soundness', 'stage');
  await driver.findElement(By.css('[data-test=engrave] .ant-collapse-header')).click();
  await words('WS-4');
  await still(driver);
  await click(driver, 'Pick the place');
  await driver.findElement(By.css('body')).sendKeys('t');
  await still(driver);
  const stage = await driver.findElement(By.css('[data-test=stage]'));
  await driver.actions().move({ origin: stage }).click().perform();
  await eventually(async () => /Z 10\.0 mm/.test(await textOf(driver, '[data-test=engrave]')), 'the place');
  await click(driver, 'Show it on the part');
  await eventually(async () => (await textOf(driver, '[data-test=lettered]')).includes('Keep it'), 'the proposal', 60);
  const said = await textOf(driver, '[data-test=lettered]');
  const taken = Number(/Taken away\s*([\d.,]+) mm³/.exec(said)![1].replace(',', ''));
  expect(taken).toBeGreaterThan(5);
  await click(driver, 'Keep it');
  const kept = await eventually(async () => {
    const p = await partOf('block');
    return p.summary.volume < 60 * 30 * 10 - 1 ? p : null;
  }, 'kept');
  await click(driver, 'Write');
  await eventually(async () => (await partOf('block')).file?.state === 'written', 'written', 60);
  await driver.get(`${app.base}/jobs/${jobId}/parts/${kept.id}?step=file`);
  await click(driver, 'Download');
  const { bytes } = await downloaded(app.downloads, '.stl');
  const facets = receiveStl(bytes);
  expect(Math.abs(60 * 30 * 10 - volumeOf(facets) - taken)).toBeLessThan(0.02);
});
