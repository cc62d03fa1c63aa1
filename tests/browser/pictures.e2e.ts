import { readFileSync } from 'node:fs';
import { By, Key, until } from 'selenium-webdriver';
import sharp from 'sharp';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { demoPictures, templateCorners } from '../../demo/src/pictures.ts';
import { bring, chooseIn, click, downloaded, eventually, longestTask, marksOf, newJob, prompt, startApp, still, textOf, type App } from './app.ts';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

let app: App;
let jobId: string;
const files: Record<string, string> = {};
beforeAll(async () => {
  app = await startApp();
  const folder = mkdtempSync(join(tmpdir(), 'pictures-'));
  for (const { name, bytes } of await demoPictures()) writeFileSync((files[name] = join(folder, name)), bytes);
  jobId = await newJob(app, 'Pictures', [files['cheek-template.jpg'], files['crew-badge.png'], files['sail-mark.png']]);
  await eventually(async () => (await marksOf(app.driver, 'sail-mark')).length >= 6, 'the rows', 60);
});
afterAll(() => app?.close());

const job = () => app.world.until(jobId, () => true);
const partOf = async (name: string) => (await job()).parts.find((p) => p.name === name)!;
const open = async (name: string, step: string) => {
  await app.driver.get(`${app.base}/jobs/${jobId}/parts/${(await partOf(name)).id}?step=${step}`);
  await eventually(async () => (await (await app.driver.findElement(By.css('[data-test=flatstage]'))).getAttribute('data-drawn')) === 'yes', 'the drawing');
};
const panel = () => textOf(app.driver, '[data-test=panel]');
const type = async (label: string, value: number) => {
  const field = await app.driver.wait(until.elementLocated(By.css(`[data-test=panel] input[aria-label^="${label}"]`)), 10_000);
  await field.sendKeys(Key.chord(Key.CONTROL, 'a'), String(value), Key.ENTER);
};
/** Clicks on a pixel of the picture where the stage shows it, once all of it is in sight. */
async function clickPixel(x: number, y: number): Promise<void> {
  const at = await eventually(async () => {
    const [px, py, inside] = await app.driver.executeScript<[number, number, boolean]>(
      `const s = window.flatTable, m = s.picture.beneath.map, [x, y] = arguments;
       const w = m[6] * x + m[7] * y + m[8];
       const p = s.toScreen((m[0] * x + m[1] * y + m[2]) / w, (m[3] * x + m[4] * y + m[5]) / w);
       const r = s.canvas.getBoundingClientRect();
       return [r.left + p[0], r.top + p[1], p[0] >= 0 && p[1] >= 0 && p[0] < r.width && p[1] < r.height];`,
      x,
      y,
    );
    return inside && [px, py];
  }, `pixel ${x}, ${y} in sight`);
  await app.driver
    .actions()
    .move({ x: Math.round(at[0]), y: Math.round(at[1]) })
    .click()
    .perform();
}

/** Waits until the page shows what the choice at hand would make. */
const foreseen = () =>
  eventually(
    async () => {
      const section = await app.driver.findElement(By.css('[data-test=foreseen]'));
      return (await section.getAttribute('aria-busy')) === 'false' && /Contours\s*\d/.test(await section.getText());
    },
    'the contours as they would be',
    60,
  );
const tracings = async () => (await job()).operations.filter((o) => o.request.kind === 'trace').length;

test('a photograph that leans: four corners of its paper, the contours looked at, kept, written, downloaded: the size is that of the template', async () => {
  const { driver } = app;
  await open('cheek-template', 'trace');
  await eventually(async () => /\d contours?/.test(await textOf(driver, '[data-test=prints]')), 'the ways', 90);
  await eventually(async () => driver.executeScript('return window.flatTable.picture.beneath !== null'), 'the picture beneath');
  await chooseIn(driver, 'How the size is told', 'rectangle');
  await still(driver);
  // A person clicks as well as a screen shows; the corners of the picture on it are half a millimetre wide.
  for (const [x, y] of templateCorners) await clickPixel(x, y);
  await type('From 1 to 2', 210);
  await type('From 2 to 3', 148);
  await foreseen();
  expect(await textOf(driver, '[data-test=foreseen]')).toMatch(/Contours\s*4, 3 holes/);
  expect((await partOf('cheek-template')).summary.traced!.choice.size.kind).toBe('stated');
  await click(driver, 'Keep these');
  const kept = await eventually(async () => {
    const p = await partOf('cheek-template');
    return p.summary.traced!.choice.size.kind === 'rectangle' ? p : null;
  }, 'kept');
  expect(kept.summary.unit).toBe('mm');
  // 190 x 100 mm by the drawing that the photograph is of (demo/src/pictures.ts); a click is good for about a millimetre in 210.
  const { min, max } = kept.summary.box;
  expect(Math.abs(max[0] - min[0] - 190)).toBeLessThan(2);
  expect(Math.abs(max[1] - min[1] - 100)).toBeLessThan(2);
  await click(driver, 'Write');
  await eventually(async () => (await partOf('cheek-template')).file?.state === 'written', 'written', 60);
  const claims = (await partOf('cheek-template')).file!.evidence!.claims;
  expect(claims.find((c) => c.quantity === 'Distance to the picture')?.verdict).toBe('clear');
  await driver.get(`${app.base}/jobs/${jobId}/parts/${kept.id}?step=file`);
  await click(driver, 'Download');
  const { bytes } = await downloaded(app.downloads, '.dxf');
  expect(bytes.toString('latin1')).toContain('CIRCLE');
  await driver.get(`${app.base}/jobs/${jobId}/parts/${kept.id}?step=trace`);
  await click(driver, 'Undo');
  await eventually(async () => (await partOf('cheek-template')).summary.traced!.choice.size.kind === 'stated', 'undone');
});

test('a mark that is alike on both sides of a line: said on the panel, made exactly so, kept', async () => {
  const { driver } = app;
  await open('sail-mark', 'trace');
  await eventually(
    async () => (await textOf(driver, '[data-test=regular]')).includes('3 circles, 5 contours alike on both sides of a line'),
    'what is regular',
  );
  await driver.findElement(By.css('[data-test=regular] input')).click();
  await foreseen();
  // The file has a colour profile: the server has decoded it, and told how large it is. The kite's frame has 1,890 mm2 by its drawing (demo/src/pictures.ts).
  expect(await textOf(driver, '[data-test=foreseen]')).toMatch(/Area\s*1,88\d\.\d mm²|Area\s*1,89\d\.\d mm²/);
  await click(driver, 'Keep these');
  await eventually(async () => (await partOf('sail-mark')).summary.traced!.choice.regular === true, 'kept');
  await eventually(async () => (await textOf(driver, '[data-test=regular]')).startsWith('Made regular'), 'said as made');
});

test('twelve million pixels: what a choice would make is seen while it is chosen, the page answers, and nothing is changed or asked of the server', async () => {
  const { driver } = app;
  const file = join(mkdtempSync(join(tmpdir(), 'pictures-')), 'cheek-large.jpg');
  writeFileSync(file, await sharp(files['cheek-template.jpg']).resize(4000, 3000, { fit: 'fill' }).jpeg({ quality: 92 }).toBuffer());
  await driver.get(`${app.base}/jobs/${jobId}`);
  await bring(app, [file]);
  await eventually(async () => (await job()).parts.some((p) => p.name === 'cheek-large'), 'the photograph', 120);
  const before = (await partOf('cheek-large')).summary;
  await open('cheek-large', 'trace');
  await eventually(async () => driver.executeScript('return window.flatTable.picture.beneath !== null'), 'the picture beneath', 60);
  await driver.findElement(By.xpath("//*[@data-test='prints']//b[.='Outer boundary']")).click();
  await foreseen();
  const slow = await longestTask(driver, async () => {
    for (const way of ['By colour', 'Outer boundary']) {
      await driver.findElement(By.xpath(`//*[@data-test='prints']//b[.='${way}']`)).click();
      await foreseen();
    }
  });
  expect(slow).toBeLessThan(prompt);
  expect(await textOf(driver, '[data-test=foreseen]')).toContain('2 × 2 pixels as one');
  // The lines in coral lie on the picture, within its sides.
  const [lines, box] = await driver.executeScript<[number, number[]]>(
    `const s = window.flatTable.picture, p = s.proposed.points, xs = [], ys = [];
     for (let i = 0; i < p.length; i += 2) { xs.push(p[i]); ys.push(p[i + 1]); }
     return [s.proposed.starts.length - 1, [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)]];`,
  );
  expect(lines).toBeGreaterThan(0);
  expect(box[0]).toBeGreaterThan(-1);
  expect(box[2]).toBeLessThan(before.traced!.width / before.traced!.perNumber + 1);
  await click(driver, 'As they are');
  await eventually(async () => (await panel()).includes('Change a setting below'), 'as they are');
  expect(await tracings()).toBe(0);
  expect((await partOf('cheek-large')).summary).toEqual(before);
});

test('two colours raised to two heights on a plate, and the STL downloaded is closed and as large as it should be', async () => {
  const { driver } = app;
  await open('crew-badge', 'trace');
  await eventually(async () => /\d contours?/.test(await textOf(driver, '[data-test=prints]')), 'the ways', 60);
  await driver.findElement(By.xpath("//*[@data-test='prints']//b[.='By colour']")).click();
  await foreseen();
  await click(driver, 'Keep these');
  await eventually(async () => (await partOf('crew-badge')).summary.drawing!.layers.length === 2, 'two layers');
  await open('crew-badge', 'raise');
  await eventually(async () => (await panel()).includes('Each layer to its own'), 'the panel');
  const [blue, red] = (await partOf('crew-badge')).summary.drawing!.layers.map((l) => l.name);
  await type(blue, 1);
  await type(red, 2);
  await click(driver, 'Show the solid');
  await eventually(async () => (await textOf(driver, '[data-test=raised]')).includes('Keep the solid'), 'the solid', 60);
  expect(await textOf(driver, '[data-test=raised]')).toContain('2 mm');
  await click(driver, 'Keep the solid');
  const solid = await eventually(async () => (await job()).parts.find((p) => p.name === 'crew-badge, raised'), 'the solid');
  expect(solid!.summary.openEdges).toBe(0);
  expect(solid!.summary.box.max[2]).toBeCloseTo(2, 6);
  await eventually(async () => (await driver.getCurrentUrl()).includes(solid!.id), 'the page of the solid');
  await driver.get(`${app.base}/jobs/${jobId}/parts/${solid!.id}?step=file`);
  await eventually(async () => (await (await driver.findElement(By.css('[data-test=stage]'))).getAttribute('data-drawn')) === 'yes', 'the solid drawn');
  await still(driver);
  await click(driver, 'Write');
  await eventually(async () => (await partOf('crew-badge, raised')).file?.state === 'written', 'written', 60);
  expect((await partOf('crew-badge, raised')).file!.evidence!.verdict).not.toBe('stop');
  await driver.get(`${app.base}/jobs/${jobId}/parts/${solid!.id}?step=file`);
  await click(driver, 'Download');
  const { bytes } = await downloaded(app.downloads, '.stl');
  // Binary STL: 84 bytes and 50 a triangle; the volume by the divergence theorem from the bytes alone.
  const triangles = bytes.readUInt32LE(80);
  expect(bytes.length).toBe(84 + 50 * triangles);
  let six = 0;
  for (let t = 0; t < triangles; t++) {
    const v = Array.from({ length: 9 }, (_, i) => bytes.readFloatLE(84 + 50 * t + 12 + 4 * i));
    six += v[0] * (v[4] * v[8] - v[5] * v[7]) - v[1] * (v[3] * v[8] - v[5] * v[6]) + v[2] * (v[3] * v[7] - v[4] * v[6]);
  }
  // A disc of 52 units of 60 in 76.2 mm, 1 mm high, and four triangles of the kite 1 mm higher (demo/src/pictures.ts).
  const unit = 76.2 / 60;
  expect(six / 6).toBeGreaterThan(Math.PI * (26 * unit) ** 2);
  expect(six / 6).toBeLessThan(Math.PI * (26 * unit) ** 2 + 24 * 40 * 0.5 * unit * unit);
});

test('a stencil’s island is held by bridges, shown first, kept, and none is left', async () => {
  const { driver } = app;
  await open('sail-mark', 'layers');
  await driver.findElement(By.css('[data-test=stencil] [role=button]')).click();
  await click(driver, 'Show the bridges');
  await eventually(async () => (await textOf(driver, '[data-test=stencil]')).includes('Keep the bridges'), 'the bridges', 60);
  const before = (await partOf('sail-mark')).summary.drawing!.holes;
  expect(before).toBeGreaterThan(0);
  await click(driver, 'Keep the bridges');
  await eventually(async () => (await partOf('sail-mark')).summary.drawing!.holes === 0, 'no island left');
});

test('files that are no picture say why; the job stays whole', async () => {
  const { driver } = app;
  const folder = mkdtempSync(join(tmpdir(), 'bad-pictures-'));
  const png = readFileSync(files['sail-mark.png']);
  const cut = join(folder, 'cut.png');
  writeFileSync(cut, png.subarray(0, 2000));
  await driver.get(`${app.base}/jobs/${jobId}`);
  await bring(app, [cut]);
  await eventually(async () => (await textOf(driver, 'main')).includes("can't be decoded"), 'the sentence', 60);
  expect((await job()).parts.length).toBeGreaterThanOrEqual(3);
});

test('two pictures in one drawing: laid on each other in register, proposed, kept, each on its layer', async () => {
  const { driver } = app;
  await open('sail-mark', 'layers');
  const before = (await partOf('sail-mark')).summary;
  await driver.findElement(By.css('[data-test=onto] .ant-collapse-header')).click();
  await chooseIn(driver, 'Drawing that is laid on', 'crew-badge');
  await click(driver, 'Show both on the sheet');
  await eventually(async () => (await textOf(driver, '[data-test=onto]')).includes('Keep it'), 'the proposal', 60);
  expect(await textOf(driver, '[data-test=onto]')).toMatch(/"crew-badge" lies on it/);
  expect((await partOf('sail-mark')).summary.drawing!.contours).toBe(before.drawing!.contours);
  await click(driver, 'Keep it');
  const other = (await partOf('crew-badge')).summary.drawing!;
  await eventually(async () => (await partOf('sail-mark')).summary.drawing!.contours === before.drawing!.contours + other.contours, 'both');
  expect((await partOf('sail-mark')).summary.drawing!.layers.length).toBe(before.drawing!.layers.length + other.layers.length);
});
