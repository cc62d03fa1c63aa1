/** A machine of your own, from a kind of machine to a file that is stopped by its rules; a small operation asked for by its form. */
import { By, Key } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { receiversOf, storedReceivers } from '../../server/src/stores/receivers.ts';
import { chooseIn, click, dataPath, downloaded, eventually, marksOf, newJob, startApp, textOf, type App, press as pressOn } from './app.ts';

let app: App;
let jobId: string;
beforeAll(async () => {
  app = await startApp();
  jobId = await newJob(app, 'Machines', [dataPath('cube-mm.step')]);
  await eventually(async () => (await marksOf(app.driver, 'Cube')).length === 7, 'the row', 60);
});
afterAll(() => app?.close());

const rules = async (id: string) => (await receiversOf(app.world.db, true)).find((r) => r.id === id);
const part = async () => (await app.world.until(jobId, () => true)).parts[0];
/** Types into a field once it stands there: a form that opens or unfolds takes nothing at first. */
const fill = (id: string, text: string) =>
  eventually(async () => {
    const field = await app.driver.findElement(By.id(id));
    await field.sendKeys(Key.chord(Key.CONTROL, 'a'), text);
    return (await field.getAttribute('value')) === text;
  }, `"${text}" in ${id}`);
/** Takes an entry of an open menu, by its words, once it stands where it can be clicked. */
const take = (words: string) =>
  eventually(async () => {
    for (const item of await app.driver.findElements(By.css('.ant-dropdown-menu-item')))
      if ((await item.getText()) === words) {
        await item.click();
        return true;
      }
    return false;
  }, `a click on ${words}`);
const press = (test: string) => pressOn(app.driver, `[data-test=${test}]`);
const closed = () => eventually(async () => (await app.driver.findElements(By.css('[data-test=receiver-form]'))).length === 0, 'the form closed');

describe('a machine without a line of code', () => {
  test('from a kind, with a name; a figure outside its limits is told beside it', async () => {
    await app.driver.get(`${app.base}/receivers`);
    await eventually(async () => (await textOf(app.driver, 'main')).includes('Lark'), 'the list');
    await press('add-receiver');
    await take('Filament printer');
    await eventually(async () => (await app.driver.findElements(By.id('name'))).length > 0, 'the form');
    await fill('name', 'Great Auk');
    await fill('bead', '200');
    await click(app.driver, 'Keep these rules');
    await eventually(async () => (await textOf(app.driver, '[data-test=receiver-form]')).includes('Bead, pixel or bit from 0 to 100 mm.'), 'the limit');
    await fill('bead', '0.8');
    await fill('bed_0', '1200');
    await fill('bed_1', '1200');
    await fill('bed_2', '1200');
    await click(app.driver, 'Keep these rules');
    await closed();
    expect(await rules('great-auk')).toMatchObject({ name: 'Great Auk', bead: 0.8, bed: [1200, 1200, 1200], process: 'filament printer' });
    expect(await textOf(app.driver, 'main')).toContain('1200 × 1200 × 1200 mm');
  });
  test('a part is sent to it and fits; when its bed becomes smaller, the part says so', async () => {
    const { id, steps } = await part();
    // A cube of a metre is too large for the printer that it goes to at first.
    expect(steps.find((s) => s.step === 'Size')!.finding!.code).toBe('does-not-fit');
    await app.driver.get(`${app.base}/jobs/${jobId}/parts/${id}?step=size`);
    await chooseIn(app.driver, 'Receiver', 'great-auk');
    await eventually(async () => (await part()).recipe.receiver.id === 'great-auk', 'sent to it');
    expect((await part()).steps.find((s) => s.step === 'Size')!.mark).toBe('clear');
    await app.driver.get(`${app.base}/receivers`);
    await eventually(async () => (await app.driver.findElements(By.css('[data-test=edit-great-auk]'))).length > 0, 'the list');
    await press('edit-great-auk');
    await eventually(async () => (await app.driver.findElements(By.id('bed_0'))).length > 0, 'the form');
    await fill('bed_0', '999');
    await click(app.driver, 'Keep these rules');
    await closed();
    expect((await part()).steps.find((s) => s.step === 'Size')!.finding!.message).toContain('does not fit the bed of Great Auk (999 × 1200 × 1200 mm)');
  });
  test('archived it leaves the choice, comes back, and is saved as a file', async () => {
    await press('more-great-auk');
    await take('Archive');
    await eventually(async () => (await app.driver.findElements(By.css('.ant-modal-confirm-btns button'))).length === 2, 'the question');
    await eventually(async () => (await textOf(app.driver, '.ant-modal-confirm')).includes('The 1 part that goes to it keeps it.'), 'what becomes of its part');
    await (await app.driver.findElement(By.css('.ant-modal-confirm-btns .ant-btn-primary'))).click();
    await eventually(async () => (await storedReceivers(app.world.db)).find((r) => r.rules.id === 'great-auk')!.archived, 'archived');
    const file = await fetch(`${app.base}/api/receivers/great-auk`);
    expect(file.headers.get('content-disposition')).toContain('great-auk.json');
    expect(await file.json()).toEqual(await rules('great-auk'));
  });
  test('what is no receiver is refused in a sentence, and nothing is kept', async () => {
    const before = (await storedReceivers(app.world.db)).length;
    const post = (body: unknown) =>
      fetch(`${app.base}/api/receivers`, { method: 'POST', headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body) });
    const answer = await post({ ...(await rules('lark')), id: 'x', name: 'X', bead: -1 });
    expect(answer.status).toBe(400);
    expect((await answer.json()).error.message).toContain('Bead, pixel or bit');
    expect((await post({ ...(await rules('lark')), id: 'y' })).status).toBe(400);
    expect((await storedReceivers(app.world.db)).length).toBe(before);
  });
});

test('hollow: asked for by its form, shown with its walls measured, kept', async () => {
  await app.driver.get(`${app.base}/jobs/${jobId}/join`);
  const box = await eventually(async () => (await app.driver.findElements(By.css('aside label input')))[0] ?? null, 'the list');
  await box!.click();
  const form = await eventually(async () => (await app.driver.findElements(By.css('[data-test=form-hollow] .ant-collapse-header')))[0] ?? null, 'the form');
  await form!.click();
  await fill('hollow-wall', '2000');
  await eventually(async () => (await textOf(app.driver, '[data-test=form-hollow]')).includes('From 0.050 mm to 1000.0 mm.'), 'the limit');
  await fill('hollow-wall', '200');
  await fill('hollow-cell', '50');
  await click(app.driver, 'Make hollow');
  await eventually(async () => (await textOf(app.driver, '[data-test=proposal]')).includes('The hollow is closed'), 'the proposal', 60);
  await click(app.driver, 'Keep it');
  await eventually(async () => (await part()).summary.shells === 2, 'kept');
});

describe('a test piece', () => {
  test('strips are downloaded, measured, and what they give becomes the kerf of the machine', async () => {
    const { driver } = app;
    await driver.get(`${app.base}/receivers`);
    await eventually(async () => (await driver.findElements(By.css('[data-test=more-swift]'))).length > 0, 'the list');
    await press('more-swift');
    await take('Test piece…');
    await eventually(async () => (await textOf(driver, '[data-test=test-piece]')).includes('Download the strips'), 'the piece');
    await click(driver, 'Download the strips');
    const { bytes } = await downloaded(app.downloads, 'kerf-test-Swift_mm.dxf');
    expect(bytes.toString('latin1').match(/LWPOLYLINE|POLYLINE/g)!.length).toBeGreaterThanOrEqual(10);
    await fill('together', '105');
    await eventually(async () => (await textOf(driver, '[data-test=test-piece]')).includes('No kerf gives that'), 'the refusal');
    // Typed in another unit: 3.87 in are 98.298 mm, ten strips narrower by 0.1702 mm each.
    await fill('together', '3.87 in');
    await eventually(async () => (await textOf(driver, '[data-test=test-piece]')).includes('The kerf is 0.1702 mm'), 'the kerf');
    await click(driver, 'Keep it as the kerf');
    await eventually(async () => (await rules('swift'))!.cutter!.kerf === 0.1702, 'kept');
  });
});
