/** Reliefs into stock and the stores: a sign set into a block to the STL and the height map downloaded; designs kept, found, put into a job, out and in as a zip. */
import { mkdirSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { unzipSync } from 'fflate';
import { By, Key } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { demoReliefs } from '../../demo/src/reliefs.ts';
import { chooseIn, click, downloaded, eventually, makeBy, newJob, startApp, textOf, type App, press as pressOn } from './app.ts';

let app: App;
let jobId: string;
const folder = mkdtempSync(join(tmpdir(), 'tall-kite-stores-'));
const files = demoReliefs().map((f) => {
  const file = join(folder, f.name);
  writeFileSync(file, f.bytes);
  return file;
});
beforeAll(async () => {
  app = await startApp();
  jobId = await newJob(app, 'Signs', files);
  await eventually(async () => (await app.world.until(jobId, () => true)).parts.length === 3, 'the parts', 90);
});
afterAll(() => app?.close());

const partNamed = async (name: string) => (await app.world.until(jobId, () => true)).parts.find((p) => p.name.includes(name))!;
const press = (test: string) => pressOn(app.driver, `[data-test=${test}]`);
/** Types a length into the field with this label in a row. */
const type = async (row: string, label: string, value: string) => {
  const field = await app.driver.findElement(By.xpath(`//*[@data-test="${row}"]//label[normalize-space(text())="${label}"]//input`));
  await field.sendKeys(Key.chord(Key.CONTROL, 'a'), value, Key.TAB);
};
const drawn = () =>
  eventually(async () => (await app.driver.findElement(By.css('[data-test=relief-picture]')).getAttribute('data-drawn')) === 'yes', 'the picture', 60);

describe('a relief', () => {
  test('is seen in its stock while it is set; what can not be is said, and no block is made of it', async () => {
    const { driver, base } = app;
    await driver.get(`${base}/jobs/${jobId}/relief/${(await partNamed('wave sign')).id}`);
    await drawn();
    // As large as the stock of 300 x 200 x 20 allows: 210 wide becomes 300.
    await eventually(async () => /1\.4286/.test(await textOf(driver, '[data-test=relief-figures]')), 'its factor');
    await type('relief-stock', 'Z', '2');
    await eventually(async () => (await textOf(driver, '[data-test=relief-failed]')).includes('leaves nothing of a stock of 2 mm'), 'why it can not be');
    expect(await driver.findElement(By.css('[data-test=make-block]')).isEnabled()).toBe(false);
    await type('relief-stock', 'Z', '3/4 in');
    await eventually(async () => (await driver.findElements(By.css('[data-test=relief-failed]'))).length === 0, 'that to be gone');
    // A size typed keeps the proportions.
    await type('relief-size', 'X', '150');
    await eventually(async () => /0\.71429/.test(await textOf(driver, '[data-test=relief-figures]')), 'half of that');
  });

  test('what a bit leaves is shown, as a picture and in figures', async () => {
    const { driver } = app;
    const picture = () => driver.executeScript<string>('return document.querySelector("[data-test=relief-picture]").toDataURL()');
    await driver
      .findElement(By.xpath('//aside//*[contains(@class, "collapse") and contains(., "Carved with")]//*[@role="button" or contains(@class, "header")]'))
      .click();
    await press('relief-bits');
    await eventually(async () => /ridges on level ground\s+0\.0075 mm/.test(await textOf(driver, '[data-test=relief-plan]')), 'the ridges');
    const before = await picture();
    await driver.findElement(By.xpath('//*[@aria-label="What is shown"]//*[contains(text(), "As the bit leaves it")]')).click();
    await eventually(async () => (await picture()) !== before, 'another picture');
    expect(await textOf(driver, '[data-test=relief-told]')).toContain('0.05 mm');
  });

  test('becomes a block: kept, written, downloaded; its heights as a picture in 16 bits', async () => {
    const { driver } = app;
    await press('make-block');
    await eventually(async () => (await driver.findElements(By.css('[data-test=relief-proposal]'))).length === 1, 'the proposal', 90);
    await press('keep-block');
    await eventually(async () => (await driver.findElements(By.css('[data-test=relief-kept]'))).length === 1, 'the block', 60);
    const block = await partNamed('on stock');
    expect(block.summary).toMatchObject({ kind: 'mesh', openEdges: 0, shells: 1 });
    await press('write-heights');
    await eventually(async () => (await driver.findElements(By.css('[data-test=heights-file]'))).length === 1, 'the heights', 60);
    await press('heights-file');
    const name = (await driver.findElement(By.css('[data-test=heights-file]')).getText()).trim();
    const inside = unzipSync(new Uint8Array((await downloaded(app.downloads, name)).bytes));
    const png = Object.entries(inside).find(([n]) => n.endsWith('.png'))![1];
    const scale = JSON.parse(Buffer.from(Object.entries(inside).find(([n]) => n.endsWith('.json'))![1]).toString()) as {
      columns: number;
      rows: number;
      pixel: number[];
    };
    // PNG, third edition (W3C), 11.2.1: width, height, bit depth, colour type 0 (grey).
    const head = Buffer.from(png);
    expect([head.readUInt32BE(16), head.readUInt32BE(20), head[24], head[25]]).toEqual([scale.columns, scale.rows, 16, 0]);
    expect([scale.pixel[0] * (scale.columns - 1), scale.pixel[1] * (scale.rows - 1)].map(Math.round)).toEqual([300, 200]);
    await driver.get(`${app.base}/jobs/${jobId}/parts/${block.id}?step=file`);
    await click(driver, 'Write, and read it back');
    await eventually(async () => /(\d+) of \1 agree/.test(await textOf(driver, '[data-test=evidence]')), 'the evidence', 90);
    await click(driver, 'Download');
    const { bytes } = await downloaded(app.downloads, 'WS-600-wave-sign-on-stock_mm.stl');
    // STL by hand: the box of all corners is the stock's in X and Y.
    const high = [-Infinity, -Infinity, -Infinity];
    for (let t = 0; t < bytes.readUInt32LE(80); t++)
      for (let c = 0; c < 3; c++) for (let k = 0; k < 3; k++) high[k] = Math.max(high[k], bytes.readFloatLE(84 + t * 50 + 12 + c * 12 + k * 4));
    expect(high[0]).toBeCloseTo(300, 3);
    expect(high[1]).toBeCloseTo(200, 3);
    expect(high[2]).toBeLessThan(19.05);
  });
});

describe('the stores', () => {
  const send = (path: string) =>
    eventually(async () => {
      await app.driver
        .findElement(
          By.css(
            `[data-test=${path.endsWith('.zip') ? 'take-zip' : 'keep-files'}] input[type=file], input[data-test=${path.endsWith('.zip') ? 'take-zip' : 'keep-files'}]`,
          ),
        )
        .sendKeys(path);
      return true;
    }, `a field for ${path}`);
  const cards = () => app.driver.findElements(By.css('[data-test=kept]'));

  test('a part of the ledger is kept with its recipe; a file is kept, the same again told as a double', async () => {
    const { driver, base } = app;
    await driver.get(`${base}/jobs/${jobId}`);
    await press('keep-in-stores');
    await eventually(async () => (await textOf(driver, '[data-test=keep-in-stores]')).includes('in the stores'), 'it to be kept');
    await driver.get(`${base}/stores`);
    await send(files[2]);
    await eventually(async () => (await textOf(driver, '[data-test=intake]')).includes('1 of 1 kept'), 'the file', 30);
    await eventually(async () => (await driver.findElements(By.css('[data-test=kept] img'))).length === 2, 'two pictures', 60);
    await driver.navigate().refresh();
    await eventually(async () => (await cards()).length === 2, 'both after a reload');
    const copy = join(folder, 'the same.stl');
    writeFileSync(copy, readFileSync(files[2]));
    await send(copy);
    await eventually(async () => /0 of 1 kept, 1 here already/.test(await textOf(driver, '[data-test=intake]')), 'the double');
  });

  test('found by name; onto a shelf; tagged; into a job; where it is used', async () => {
    const { driver, base } = app;
    const look = await driver.findElement(By.css('[aria-label="Look for a design"]'));
    await look.sendKeys('round');
    await eventually(async () => (await cards()).length === 1, 'the one');
    await driver.findElement(By.css('[aria-label="Name of a new shelf"]')).sendKeys('Marks', Key.ENTER);
    await eventually(async () => (await textOf(driver, 'nav[aria-label=Shelves]')).includes('Marks'), 'the shelf');
    await driver.findElement(By.css('[data-test=kept] input[type=checkbox]')).click();
    await chooseIn(driver, 'Onto a shelf', 'Marks');
    await eventually(async () => /Marks\s*1/.test(await textOf(driver, 'nav[aria-label=Shelves]')), 'it on the shelf');
    await driver.findElement(By.css('[aria-label="A tag for those chosen"]')).sendKeys('sail mark', Key.ENTER);
    const other = await app.world.job();
    await driver.get(`${base}/stores`);
    await eventually(async () => (await cards()).length === 2, 'the cards');
    await driver.findElement(By.css('[aria-label="Look for a design"]')).sendKeys('sail mark');
    await eventually(async () => (await cards()).length === 1, 'the one by its tag');
    await driver.findElement(By.css('[data-test=kept] input[type=checkbox]')).click();
    await chooseIn(driver, 'Into a job', 'Test job');
    await app.world.until(other, (j) => j.parts.length === 1);
    await driver.findElement(By.css('[data-test=kept] button')).click();
    await eventually(async () => (await textOf(driver, '[data-test=kept-used]')).includes('Test job'), 'where it is used');
    expect(await textOf(driver, '[data-test=kept-used]')).toContain('Signs');
  });

  test('from the stores into a job on its ledger; a shelf as a zip, taken in again', async () => {
    const { driver, base } = app;
    await driver.get(`${base}/jobs/${jobId}`);
    await makeBy(driver, 'From stores');
    await eventually(async () => (await cards()).length === 2, 'the cards beside the ledger');
    const before = (await app.world.until(jobId, () => true)).parts.length;
    await eventually(async () => {
      await driver.findElement(By.css('[data-test=from-stores] [data-test=kept] button')).click();
      return true;
    }, 'a click on the first');
    await eventually(async () => (await textOf(driver, '[data-test=brought]')).includes('is in the job'), 'it in the job');
    await app.world.until(jobId, (j) => j.parts.length === before + 1);
    await driver.get(`${base}/stores`);
    await eventually(async () => (await cards()).length === 2, 'the stores');
    await driver.findElement(By.xpath('//nav[@aria-label="Shelves"]//button[contains(., "Marks")]')).click();
    await press('shelf-zip');
    const { bytes } = await downloaded(app.downloads, 'Marks_shelf.zip');
    const inside = unzipSync(new Uint8Array(bytes));
    expect(Object.keys(inside).sort()).toEqual(['WS-606-round-mark.stl', 'shelf.json'].sort()); // prettier-ignore
    expect(Buffer.from(inside['WS-606-round-mark.stl']).equals(readFileSync(files[2]))).toBe(true);
    mkdirSync(join(folder, 'zips'));
    writeFileSync(join(folder, 'zips', 'marks.zip'), bytes);
    await send(join(folder, 'zips', 'marks.zip'));
    await eventually(async () => /0 of 1 kept, 1 here already/.test(await textOf(driver, '[data-test=intake]')), 'the zip told as a double');
  });

  test('taken away and brought back; stock with its price', async () => {
    const { driver, base } = app;
    await driver.get(`${base}/stores`);
    await eventually(async () => (await cards()).length === 2, 'the stores');
    await driver.findElement(By.css('[data-test=kept] input[type=checkbox]')).click();
    await click(driver, 'Take away');
    await eventually(async () => (await cards()).length === 1, 'one less');
    await click(driver, 'Undo');
    await eventually(async () => (await cards()).length === 2, 'it back');
    await driver.get(`${base}/stores?of=stock`);
    await click(driver, 'New sheet or block');
    const form = await driver.findElement(By.css('form[aria-label="New sheet or block"]'));
    const inputs = await form.findElements(By.css('input'));
    for (const [i, value] of ['ash block', 'ash', '300', '200', '20', '14'].entries()) await inputs[i].sendKeys(value);
    await click(driver, 'Keep it');
    await eventually(async () => /ash block\s+ash\s+300 mm|ash block[\s\S]*14\.00/.test(await textOf(driver, '[data-test=stored-sheets]')), 'the block');
    await driver.get(`${base}/jobs/${jobId}/relief/${(await partNamed('round mark')).id}`);
    await drawn();
    await eventually(async () => (await driver.findElements(By.css('[aria-label="Stock from the stores"]'))).length === 1, 'stock to choose from');
  });

  test('a card is dragged onto a shelf, and from the stores onto the ledger', async () => {
    const { driver, base } = app;
    // The browser's own drag events with one and the same carrier, as a mouse makes them.
    const drag = (card: string, target: string) =>
      driver.executeScript(
        `const [card, target] = [document.querySelectorAll(arguments[0])[0], document.evaluate(arguments[1], document, null, 9, null).singleNodeValue];
         const carrier = new DataTransfer();
         const send = (to, type) => to.dispatchEvent(new DragEvent(type, { bubbles: true, cancelable: true, dataTransfer: carrier }));
         send(card, 'dragstart'); send(target, 'dragenter'); send(target, 'dragover'); send(target, 'drop'); send(card, 'dragend');`,
        card,
        target,
      );
    await driver.get(`${base}/stores`);
    await eventually(async () => (await cards()).length === 2, 'the cards');
    const before = Number(/Marks\s*(\d+)/.exec(await textOf(driver, 'nav[aria-label=Shelves]'))![1]);
    await driver.findElement(By.css('[aria-label="Look for a design"]')).sendKeys('wave');
    await eventually(async () => (await cards()).length === 1, 'the one');
    await drag('[data-test=kept][draggable=true], [data-test=kept] [draggable=true]', '//nav[@aria-label="Shelves"]//li[contains(., "Marks")]');
    await eventually(async () => new RegExp(`Marks\\s*${before + 1}`).test(await textOf(driver, 'nav[aria-label=Shelves]')), 'one more on the shelf');
    await driver.get(`${base}/jobs/${jobId}`);
    await makeBy(driver, 'From stores');
    await eventually(async () => (await cards()).length === 2, 'the cards beside the ledger');
    const parts = (await app.world.until(jobId, () => true)).parts.length;
    await drag('[data-test=from-stores] [draggable=true]', '//main');
    await app.world.until(jobId, (j) => j.parts.length > parts);
  });

  test('a material with its weight and thicknesses: kept, counted where it is used, changed, taken away and brought back', async () => {
    const { driver, base, world } = app;
    await driver.get(`${base}/stores?of=materials`);
    await click(driver, 'New material');
    const form = () => driver.findElement(By.css('form[aria-label="New material"]'));
    const field = async (words: string) => (await form()).findElement(By.xpath(`.//label[contains(normalize-space(.), "${words}")]//input`));
    await (await field('Name')).sendKeys('ash');
    await (await field('Density')).sendKeys('0.66');
    await click(driver, 'It comes in one thickness …');
    await (await field('Thickness')).sendKeys('3/4 in');
    await (await field('thinner by up to')).sendKeys(Key.chord(Key.CONTROL, 'a'), '25');
    // Thinner by more than it is thick: it can not be kept so.
    expect(await (await form()).findElement(By.css('button[type=submit]')).isEnabled()).toBe(false);
    await (await field('thinner by up to')).sendKeys(Key.chord(Key.CONTROL, 'a'), '0.5');
    await eventually(async () => (await (await form()).findElement(By.css('button[type=submit]'))).isEnabled(), 'that it can be kept');
    await click(driver, 'Keep it');
    await eventually(async () => (await driver.findElements(By.css('form[aria-label="New material"]'))).length === 0, 'it kept');
    const listed = () => textOf(driver, '[data-test=materials]');
    await eventually(async () => /ash\s+0\.66\s+19\.05 mm −0\.5 mm \+0 mm/.test(await listed()), 'the material');
    await world.db.updateTable('parts').set({ material: 'Ash' }).where('job_id', '=', jobId).execute();
    await driver.navigate().refresh();
    await eventually(async () => /\d+ parts, 1 job/.test(await listed()), 'what is made of it');
    await driver.findElement(By.css('[aria-label="Change ash"]')).click();
    await driver.findElement(By.css('form[aria-label="Change ash"] [aria-label="Density, g/cm³"]')).sendKeys(Key.chord(Key.CONTROL, 'a'), '0.7');
    await click(driver, 'Keep it');
    await eventually(async () => /ash\s+0\.7\s/.test(await listed()), 'the other weight');
    await driver.findElement(By.css('[aria-label="Take ash away"]')).click();
    await eventually(async () => (await driver.findElements(By.css('[data-test=materials]'))).length === 0, 'none');
    await click(driver, 'Undo');
    await eventually(async () => (await listed()).includes('ash'), 'it back');
  });

  test('fonts: those of the app in their own letters; one is kept, shown, taken away and brought back; what is none is told', async () => {
    const { driver, base } = app;
    await driver.get(`${base}/stores?of=fonts`);
    const shown = () => driver.findElements(By.css('[data-test=sample][data-ready=yes]'));
    const comeWith = (await import('tall-kite/text/fonts')).families.filter((f) => f.files).length;
    await eventually(async () => (await shown()).length === comeWith, 'the samples');
    const put = (file: string) =>
      eventually(async () => {
        await driver.findElement(By.css('[data-test=keep-font] input[type=file], input[data-test=keep-font]')).sendKeys(file);
        return true;
      }, 'a field for a font');
    await put(files[0]);
    await eventually(async () => /font/i.test(await textOf(driver, '[data-test=notice]')), 'why it is none');
    expect((await shown()).length).toBe(comeWith);
    const { letters } = { letters: (await import('tall-kite/text/node-files')).nodeLetters };
    const family = (await import('tall-kite/text/fonts')).families.find((f) => f.files)!;
    const own = join(folder, 'own.ttf');
    writeFileSync(own, await letters.outlines(family.package!, family.files![0]));
    await put(own);
    await eventually(async () => (await textOf(driver, '[data-test=notice]')).includes('is kept'), 'it kept');
    await eventually(async () => (await shown()).length === comeWith + 1, 'its sample');
    await driver.findElement(By.css('[data-test=fonts] button')).click();
    await eventually(async () => (await shown()).length === comeWith, 'it gone');
    await click(driver, 'Undo');
    await eventually(async () => (await shown()).length === comeWith + 1, 'it back');
  });
});

describe('the files of a job', () => {
  test('one is removed with its parts after a question, and brought back from the same list', async () => {
    const { driver, base } = app;
    await driver.get(`${base}/jobs/${jobId}`);
    const { parts, designs } = await app.world.until(jobId, () => true);
    await eventually(async () => (await driver.findElements(By.css('tr[data-part]'))).length > 0, 'the rows');
    await click(driver, 'Files…');
    const at = (word: string) => `[data-test=job-files] button[aria-label^="${word} "]`;
    const named = async (word: string) => (await driver.findElement(By.css(at(word))).getAttribute('aria-label')) ?? '';
    await eventually(() => named('Remove'), 'the files');
    const file = (await named('Remove')).slice('Remove '.length);
    await pressOn(driver, at('Remove'));
    await click(driver, 'Keep it');
    expect((await app.world.until(jobId, () => true)).designs).toHaveLength(designs.length);
    await pressOn(driver, at('Remove'));
    await click(driver, 'Remove it');
    await app.world.until(jobId, (j) => j.parts.length < parts.length && j.designs.length === designs.length - 1);
    await eventually(async () => (await named('Bring back')) === `Bring back ${file}`, 'the way back');
    await pressOn(driver, at('Bring back'));
    await app.world.until(jobId, (j) => j.parts.length === parts.length && j.designs.length === designs.length);
  });
});
