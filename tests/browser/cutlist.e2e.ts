import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { unzipSync } from 'fflate';
import { By, Key } from 'selenium-webdriver';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { instrumentCrate } from '../../demo/src/cases.ts';
import { click, downloaded, eventually, newJob, startApp, textOf, type App, press as pressOn } from './app.ts';

let app: App;
let jobId: string;
let folder: string;
beforeAll(async () => {
  app = await startApp();
  folder = mkdtempSync(join(tmpdir(), 'cases-'));
  const { name, bytes } = await instrumentCrate();
  writeFileSync(join(folder, name), bytes);
  writeFileSync(join(folder, 'list.csv'), 'name,quantity,material,grain\nSide front,2,birch plywood,length\nFoot 1,8,birch plywood,none\n');
  jobId = await newJob(app, 'Crate', [join(folder, name)]);
  await eventually(async () => (await parts()).length >= 14, 'the crate', 120);
});
afterAll(() => app?.close());

const parts = async () => (await app.world.until(jobId, () => true)).parts;
const operations = async () => (await app.world.until(jobId, () => true)).operations;
const press = (css: string) => pressOn(app.driver, css);
const cell = (label: string) => app.driver.findElement(By.css(`[aria-label="${label}"]`));
const shown = () => textOf(app.driver, 'main');

test('the list: equal parts in one row, what is no panel with why, figures typed and taken from a file, kept over a reload', async () => {
  const { driver } = app;
  await driver.get(`${app.base}/jobs/${jobId}`);
  await click(driver, 'Cut list');
  await press('[data-test=make-list]');
  await eventually(async () => (await shown()).includes('Worked on it'), 'the list', 120);
  const text = await shown();
  expect(text).toContain('2 equal parts');
  expect(text).toContain('Not cut here');
  expect(text).toContain('It is a bar of 460 × 30 × 30 mm, no panel: cut it to length.');
  const pieces = await cell('Pieces of Lid');
  await pieces.sendKeys(Key.chord(Key.CONTROL, 'a'), '2', Key.ENTER);
  await eventually(async () => (await (await cell('Pieces of Lid')).getAttribute('value')) === '2', 'two lids');
  await (await driver.findElement(By.css('[data-test=csv-in] input[type=file], input[type=file][accept*=csv]'))).sendKeys(join(folder, 'list.csv'));
  await eventually(async () => (await shown()).includes('2 rows filled'), 'the list to be taken');
  expect(await (await cell('Pieces of Foot 1')).getAttribute('value')).toBe('8');
  await eventually(async () => ((await (await fetch(`${app.base}/api/jobs/${jobId}/cutlist`)).json()) as { version: number }).version > 0, 'kept');
  await driver.navigate().refresh();
  await eventually(async () => (await (await cell('Pieces of Lid')).getAttribute('value')) === '2', 'two lids after a reload', 60);
  await press('[data-test=csv-out]');
  const { bytes } = await downloaded(app.downloads, '.csv');
  const lines = bytes.toString('utf8').split('\r\n');
  expect(lines[0].split(',').slice(0, 7)).toEqual(['number', 'name', 'quantity', 'material', 'thickness mm', 'length mm', 'width mm']);
  expect(lines.find((l) => l.includes('Side front'))).toContain('2,birch plywood,12,720,300,length');
});

test('sheets: laid out with the picture, moved by hand until it clashes, taken back, written, read back and downloaded', async () => {
  const { driver } = app;
  await driver.findElement(By.xpath("//div[contains(@class,'segmented-item-label')][text()='Sheets']")).click();
  await press('[data-test=lay-out]');
  await eventually(
    async () =>
      /parts on \d+ sheet/.test(await textOf(driver, '[data-test=nest-figures]')) && (await driver.findElements(By.css('[data-test=stop-nest]'))).length === 0,
    'parts to be laid',
    120,
  );
  const figures = await textOf(driver, '[data-test=nest-figures]');
  expect(figures).toMatch(/^17 parts on [12] sheets?/);
  const part = await driver.findElement(By.css('[data-test=sheet] g[role=button]'));
  await driver.executeScript('arguments[0].focus()', part);
  // Left of its place is the rim.
  await part.sendKeys(
    Key.chord(Key.SHIFT, Key.ARROW_LEFT),
    Key.chord(Key.SHIFT, Key.ARROW_LEFT),
    Key.chord(Key.SHIFT, Key.ARROW_DOWN),
    Key.chord(Key.SHIFT, Key.ARROW_DOWN),
  );
  await eventually(async () => (await textOf(driver, '[data-test=nest-figures]')).includes('too near or off the sheet'), 'the clash to be told');
  expect(await (await driver.findElement(By.css('[data-test=write-nest]'))).isEnabled()).toBe(false);
  for (let k = 0; k < 4; k++) await click(driver, 'Undo');
  await eventually(async () => !(await textOf(driver, '[data-test=nest-figures]')).includes('too near'), 'the clash to be gone');
  await press('[data-test=write-nest]');
  await eventually(async () => (await operations()).some((o) => o.kind === 'nest' && o.state === 'ready'), 'the files', 120);
  const done = (await operations()).find((o) => o.kind === 'nest')!;
  const { evidence } = done.report!.file!;
  expect(evidence.claims.filter((c) => c.verdict !== 'clear')).toEqual([]);
  expect(evidence.claims.find((c) => c.quantity === 'Every listed part on a sheet')!.received).toBe('once each');
  await press('[data-test=download]');
  const { bytes } = await downloaded(app.downloads, '.zip');
  const inside = unzipSync(new Uint8Array(bytes));
  const names = Object.keys(inside);
  expect(names.filter((n) => n.endsWith('.dxf')).length).toBeGreaterThan(0);
  expect(names.some((n) => n.endsWith('_labels.pdf'))).toBe(true);
  const dxf = Buffer.from(inside[names.find((n) => n.endsWith('.dxf'))!]).toString('latin1');
  for (const layer of ['CUT_LARGE', 'SHEET_EDGE', 'LABEL']) expect(dxf).toContain(layer);
});

test('what is left of a sheet is kept in the stores, used from there, and taken away again', async () => {
  const { driver } = app;
  await click(driver, 'Keep in the stores');
  await eventually(async () => ((await (await fetch(`${app.base}/api/stores/sheets`)).json()) as unknown[]).length === 1, 'the remnant');
  await driver.get(`${app.base}/stores?of=stock`);
  await eventually(async () => (await textOf(driver, '[data-test=stored-sheets]')).includes('rest of'), 'the stores');
  await driver.findElement(By.xpath("//*[@data-test='stored-sheets']//button[.='Take away']")).click();
  await eventually(async () => ((await (await fetch(`${app.base}/api/stores/sheets`)).json()) as unknown[]).length === 0, 'it to be gone');
});

test('a panel of typed sizes is laid with the others; parts share cuts; parted by hand and pushed together again', async () => {
  const { driver } = app;
  await driver.get(`${app.base}/jobs/${jobId}/cutlist`);
  await eventually(async () => (await shown()).includes('Worked on it'), 'the list', 60);
  await press('[data-test=add-panel]');
  await eventually(async () => (await driver.findElements(By.css('[aria-label="Length of panel 1, mm"]'))).length === 1, 'the panel');
  const length = await cell('Length of panel 1, mm');
  await length.sendKeys(Key.chord(Key.CONTROL, 'a'), '20 in', Key.TAB);
  await eventually(async () => (await (await cell('Length of panel 1, mm')).getAttribute('value')) === '508', '20 inches in mm');
  await driver.findElement(By.xpath("//div[contains(@class,'segmented-item-label')][text()='Sheets']")).click();
  await driver.findElement(By.xpath("//label[.//text()='parts share cuts']//input")).click();
  await eventually(async () => (await shown()).includes('cut once'), 'what sharing means');
  await press('[data-test=lay-out]');
  await eventually(async () => (await textOf(driver, '[data-test=nest-figures]')).startsWith('18 parts') && (await driver.findElements(By.css('[data-test=stop-nest]'))).length === 0, 'parts to be laid', 120); // prettier-ignore
  // To the right, where it clashes or stands apart; pushed together it touches again.
  const part = (await driver.findElements(By.css('[data-test=sheet] g[role=button]'))).at(-1)!;
  await driver.executeScript('arguments[0].focus()', part);
  await part.sendKeys(Key.ARROW_UP, Key.ARROW_UP);
  const places = async () => (await (await fetch(`${app.base}/api/jobs/${jobId}/cutlist`)).json() as { content: { laid: { sheets: { parts: { y: number }[] }[] } } }).content.laid.sheets[0].parts.map((p) => p.y); // prettier-ignore
  await eventually(async () => !(await textOf(driver, '[data-test=nest-figures]')).includes('too near'), 'no clash');
  await click(driver, 'Push together');
  await eventually(async () => (await places()).length > 0, 'places');
  await press('[data-test=write-nest]');
  await eventually(async () => (await operations()).filter((o) => o.kind === 'nest' && o.state === 'ready').length === 2, 'the files', 120);
  const { report } = (await operations()).filter((o) => o.kind === 'nest').at(-1)!;
  const { evidence } = report!.file!;
  expect(evidence.claims.filter((c) => c.verdict !== 'clear')).toEqual([]);
  expect(evidence.findings.map((f) => f.code)).toContain('middle-of-cut');
  await driver.findElement(By.xpath("//label[.//text()='parts share cuts']//input")).click();
  const shares = async () => ((await (await fetch(`${app.base}/api/jobs/${jobId}/cutlist`)).json()) as { content: { choice: { shared?: boolean } } }).content.choice.shared; // prettier-ignore
  await eventually(async () => (await shares()) === false, 'no sharing any more');
});

test('a panel saw: the cuts are drawn in their order and replayed from the file', async () => {
  const { driver } = app;
  const kept = (await (await fetch(`${app.base}/api/jobs/${jobId}/cutlist`)).json()) as { version: number; content: { choice: object } };
  const content = { ...kept.content, choice: { ...kept.content.choice, saw: { stages: 3, trim: 10 }, kerf: 4.4 }, laid: null };
  const put = await fetch(`${app.base}/api/jobs/${jobId}/cutlist`, {
    method: 'PUT',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ version: kept.version, content }),
  });
  expect(put.status).toBe(200);
  // Somebody else's older version is refused, nothing is lost.
  const old = await fetch(`${app.base}/api/jobs/${jobId}/cutlist`, {
    method: 'PUT',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ version: kept.version, content }),
  });
  expect(old.status).toBe(409);
  await driver.get(`${app.base}/jobs/${jobId}/cutlist`);
  await eventually(async () => (await shown()).includes('Worked on it'), 'the list', 60);
  await driver.findElement(By.xpath("//div[contains(@class,'segmented-item-label')][text()='Sheets']")).click();
  await press('[data-test=lay-out]');
  await eventually(async () => (await driver.findElements(By.css('[data-test=sheet] line'))).length > 8, 'the cuts', 120);
  await eventually(async () => (await driver.findElements(By.css('[data-test=stop-nest]'))).length === 0, 'the end', 120);
  await press('[data-test=write-nest]');
  await eventually(async () => (await operations()).filter((o) => o.kind === 'nest' && o.state === 'ready').length === 3, 'the files', 120);
  const done = (await operations()).filter((o) => o.kind === 'nest').at(-1)!;
  expect(done.report!.file!.evidence.claims.filter((c) => c.verdict !== 'clear')).toEqual([]);
});
