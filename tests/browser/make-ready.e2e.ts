import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { By, Key } from 'selenium-webdriver';
import { unzipSync } from 'fflate';
import { OBJLoader } from 'three/examples/jsm/loaders/OBJLoader.js';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { chooseIn, click, dataPath, downloaded, eventually, longestTask, marksOf, newJob, prompt, startApp, textOf, tick, type App } from './app.ts';

let app: App;
beforeAll(async () => {
  app = await startApp();
});
afterAll(() => app?.close());

const panel = () => textOf(app.driver, '[data-test=panel]');
const stage = (what: string) => app.driver.findElement(By.css('[data-test=stage]')).getAttribute(`data-${what}`);
async function open(jobId: string, name: string, step: string): Promise<void> {
  const { parts } = await app.world.until(jobId, (j) => j.parts.some((p) => p.name === name));
  await app.driver.get(`${app.base}/jobs/${jobId}/parts/${parts.find((p) => p.name === name)!.id}?step=${step}`);
  await eventually(async () => (await stage('drawn')) === 'yes', 'the part drawn');
}
/** Waits until the panel says something; what it says instead is told when it does not. */
const says = (what: RegExp, name: string, seconds = 40) =>
  eventually(
    async () => {
      const text = await panel();
      if (!what.test(text)) throw new Error(text);
      return true;
    },
    name,
    seconds,
  );
/** Whether the button can be pressed: not while its work goes on. */
const ready = async (button: string) => {
  const found = await app.driver.findElements(By.xpath(`//button[contains(normalize-space(.), '${button}')]`));
  return found.length > 0 && found[0].isEnabled();
};

describe('soundness', () => {
  test('a messy mesh: checked, findings shown, mended as proposed, kept, undone, kept again, written and clear', async () => {
    const { driver } = app;
    const jobId = await newJob(app, 'Messy', [dataPath('Spider_binary.stl')]);
    await eventually(async () => (await marksOf(driver, 'Spider_binary'))[2] === 'stop', 'the stop at Soundness');
    await open(jobId, 'Spider_binary', 'soundness');
    const longest = await longestTask(app.driver, async () => {
      // A round of its own each time: what stands there from the one before does not count.
      const old = new Set((await app.world.until(jobId, () => true)).operations.map((o) => o.id));
      await click(driver, (await ready('Check again')) ? 'Check again' : 'Check everything, walls too');
      await app.world.until(jobId, (j) => j.operations.some((o) => o.kind === 'check' && o.state === 'ready' && !old.has(o.id)));
      await eventually(async () => (await ready('Check again')) && (await textOf(driver, '[data-test=findings]')).includes('72 open edges'), 'findings');
    });
    expect(longest).toBeLessThan(prompt);
    expect(await panel()).toContain('72 open edges in 8 holes');
    expect(await panel()).toContain('10 edges between triangles that face opposite ways');
    expect(await panel()).toContain('56 triangles without area');
    await click(driver, 'Show');
    await click(driver, 'Mend all that is safe');
    await eventually(async () => (await textOf(driver, '[data-test=proposal]')).includes('Closed 5 holes'), 'the proposal');
    expect(await textOf(driver, '[data-test=proposal]')).toContain('Joined a seam of 26 edges');
    expect(await textOf(driver, '[data-test=proposal]')).toMatch(/Open edges\s+72\s+0/);
    await eventually(async () => (await stage('received')) === 'yes', 'the proposal drawn');
    await click(driver, 'Keep it');
    await eventually(async () => (await panel()).includes('Closed: one inside, one outside'), 'the part closed');
    await driver.findElement(By.css('body')).sendKeys(Key.chord(Key.CONTROL, 'z'));
    await eventually(async () => (await panel()).includes('Not closed'), 'undone');
    await driver.findElement(By.css('body')).sendKeys(Key.chord(Key.CONTROL, Key.SHIFT, 'z'));
    await eventually(async () => (await panel()).includes('Closed: one inside, one outside'), 'done again');
    await click(driver, 'Write');
    await eventually(async () => /(\d+) of \1 agree/.test(await textOf(driver, '[data-test=evidence]')), 'the evidence');
  });
  test('lighter: the distance measured is shown before it is kept', async () => {
    const { driver } = app;
    const jobId = await newJob(app, 'Heavy', [dataPath('Helix.stl')]);
    await open(jobId, 'Helix', 'soundness');
    await chooseIn(driver, 'Limit of', 'triangles');
    await click(driver, 'Make it lighter');
    await eventually(async () => /surfaces are [\d.]+ mm apart at most/.test(await textOf(driver, '[data-test=proposal]')), 'the measure');
    await click(driver, 'Drop it');
    await eventually(async () => (await driver.findElements(By.css('[data-test=proposal]'))).length === 0, 'dropped');
    expect((await app.world.until(jobId, () => true)).parts[0].summary.triangles).toBe(500);
  });
});

describe('stance, file and layers', () => {
  test('a stance is found and picked, a 3MF written, read back and downloaded; its layers are looked through', async () => {
    const { driver } = app;
    const jobId = await newJob(app, 'Print', [dataPath('as1-oc-214.stp')]);
    await eventually(async () => (await marksOf(driver, 'plate')).length === 7, 'the rows');
    await open(jobId, 'l-bracket', 'stance');
    // They are found without being asked for.
    await eventually(async () => (await driver.findElements(By.css('[data-test=stances] li'))).length > 2, 'stances');
    const first = await driver.findElement(By.css('[data-test=stances] li button'));
    expect(await first.getText()).toMatch(/side down[\s\S]*support [\d.]+ cm³/);
    await first.click();
    await eventually(async () => (await panel()).includes('picked'), 'the pick kept');
    await click(driver, 'File');
    await chooseIn(driver, 'Format', '3mf');
    await eventually(async () => (await panel()).includes('.3mf'), 'the format');
    await click(driver, 'Write, and read it back');
    await eventually(async () => /(\d+) of \1 agree/.test(await textOf(driver, '[data-test=evidence]')), 'the evidence', 60);
    await click(driver, 'Download');
    const { bytes } = await downloaded(app.downloads, '.3mf');
    expect(new TextDecoder().decode(unzipSync(new Uint8Array(bytes))['3D/3dmodel.model'])).toContain('name="l-bracket"');
    await click(driver, 'Received');
    const longest = await longestTask(app.driver, async () => {
      await click(driver, (await ready('Slice again')) ? 'Slice again' : 'Slice it');
      await eventually(async () => (await ready('Slice again')) && (await panel()).includes('of filament'), 'the layers', 60);
    });
    expect(longest).toBeLessThan(prompt);
    const slider = await driver.findElement(By.css('.ant-slider-handle[aria-label=Layer]'));
    await slider.sendKeys(Key.HOME);
    await eventually(async () => /Layer 1 of/.test(await panel()), 'the first layer');
    const layers = Number(await driver.findElement(By.css('[data-test=layers]')).getAttribute('data-layers'));
    const { parts } = await app.world.until(jobId, () => true);
    const height = parts.find((p) => p.name === 'l-bracket')!.file!.evidence!.claims.find((c) => c.quantity === 'Height Z')!.received as number;
    expect(layers).toBe(Math.ceil(height / 0.2 - 1e-6));
  });
});

describe('join and divide', () => {
  test('a face is clicked, a hole set on it: what is taken away is a cylinder of the typed size', async () => {
    const { driver } = app;
    const jobId = await newJob(app, 'Drilled', [dataPath('cube-in.step')]);
    await eventually(async () => (await marksOf(driver, 'Cube')).length === 7, 'the row');
    await click(driver, 'Join and divide');
    await eventually(async () => (await stage('drawn')) === 'yes', 'the part drawn');
    const middle = driver.actions().move({ origin: await driver.findElement(By.css('[data-test=stage] canvas')) });
    await middle.click().perform();
    await eventually(async () => (await panel()).includes('Hole or boss on a face'), 'the part chosen by a click');
    await driver.actions().click().perform();
    await eventually(async () => (await panel()).includes('On the face at'), 'the face');
    await click(driver, 'Propose');
    await eventually(async () => (await textOf(driver, '[data-test=proposal]')).includes('Volume'), 'the proposal', 60);
    await click(driver, 'Keep it');
    const whole = 1e9;
    const { parts } = await app.world.until(jobId, (j) => Math.abs(j.parts[0].summary.volume - whole) > 1);
    expect(whole - parts[0].summary.volume).toBeCloseTo(Math.PI * 2.5 ** 2 * 10, 3);
  });

  test('two parts joined, the result kept; one cut with pegs; a copy moved; one file of all, downloaded and read by another loader', async () => {
    const { driver } = app;
    const jobId = await newJob(app, 'Joined', [dataPath('Helix.stl')]);
    await eventually(async () => (await marksOf(driver, 'Helix')).length === 7, 'the row');
    await click(driver, 'Join and divide');
    await eventually(async () => (await stage('drawn')) === 'yes', 'the parts drawn');
    const pick = async (name: string) =>
      (await driver.findElement(By.xpath(`//ul[@data-test='partlist']//label[starts-with(normalize-space(.), ${JSON.stringify(name)})]//input`))).click();
    await pick('Helix');
    await tick(driver, 'Copy, mirror, scale');
    await click(driver, 'Copy beside it');
    await eventually(async () => (await panel()).includes('Helix copy'), 'the copy');
    await pick('Helix copy');
    // Both are chosen now: they stand apart.
    await click(driver, 'Measure the gaps');
    await says(/\d mm apart/, 'the gap');
    await pick('Helix');
    await eventually(async () => (await panel()).includes('Drag along X'), 'one part');
    const x = await driver.findElement(By.xpath("//label[contains(@class,'nowrap')][starts-with(normalize-space(.), 'X')]//input"));
    await x.sendKeys(Key.chord(Key.CONTROL, 'a'), '-60');
    await driver.findElement(By.xpath("//button[normalize-space(.)='Move']")).click();
    await eventually(async () => (await app.world.until(jobId, () => true)).parts[1].place[3] === 45, 'moved');
    await pick('Helix');
    await click(driver, 'Join into one solid');
    await eventually(async () => (await textOf(driver, '[data-test=proposal]')).includes('Volume'), 'the proposal', 60);
    await click(driver, 'Keep it');
    const joined = await app.world.until(jobId, (j) => j.parts.length === 3);
    expect(joined.parts.map((p) => p.leftOut)).toEqual([true, true, false]);
    expect(joined.parts[2].summary.volume).toBeLessThan(2 * joined.parts[0].summary.volume);
    await says(/Helix copy \+ Helix/, 'the joined part in the list');
    await driver.findElement(By.css('body')).sendKeys(Key.chord(Key.CONTROL, 'z'));
    await app.world.until(jobId, (j) => j.parts.length === 2 && j.parts.every((p) => !p.leftOut));
    await driver.navigate().refresh();
    await eventually(async () => (await stage('drawn')) === 'yes', 'the parts drawn');
    await pick('Helix');
    await pick('Helix copy');
    await chooseIn(driver, 'As', 'obj');
    await click(driver, 'Write, and read it back');
    await eventually(async () => /of \d+ claims agree/.test(await textOf(driver, '[data-test=written]')), 'the file', 60);
    const { operations } = await app.world.until(jobId, () => true);
    expect(operations.find((o) => o.kind === 'together')!.report!.file!.evidence.claims.filter((c) => c.verdict !== 'clear')).toEqual([]);
    await click(driver, 'Download');
    const { bytes } = await downloaded(app.downloads, 'Joined_mm.obj');
    const group = new OBJLoader().parse(bytes.toString());
    expect(group.children.map((c) => c.name)).toEqual(['Helix', 'Helix copy']);
    // Cut by a plane, flat.
    await driver.navigate().refresh();
    await eventually(async () => (await stage('drawn')) === 'yes', 'the parts drawn');
    await pick('Helix');
    await tick(driver, 'Cut by a plane');
    await click(driver, 'Propose the cut');
    await eventually(async () => (await textOf(driver, '[data-test=proposal]')).includes('the cut is'), 'the cut', 60);
    await click(driver, 'Keep it');
    const cut = await app.world.until(jobId, (j) => j.parts.length === 4);
    const halves = cut.parts.filter((p) => /upper|lower/.test(p.name));
    expect(halves.reduce((n, p) => n + p.summary.volume, 0)).toBeCloseTo(cut.parts[0].summary.volume, 0);
  });
});

describe('beds', () => {
  test('copies laid out on a bed, one moved onto another is told, laid out again, written and downloaded', async () => {
    const { driver } = app;
    const jobId = await newJob(app, 'Bed', [dataPath('as1-oc-214.stp')]);
    await eventually(async () => (await marksOf(driver, 'plate')).length === 7, 'the rows');
    await click(driver, 'Beds');
    await eventually(async () => (await panel()).includes('nothing too near'), 'the layout', 60);
    expect(await panel()).toMatch(/18 parts on 1 bed/);
    await click(driver, 'How long does this bed take?');
    await eventually(async () => /About (\d+ h )?\d+ min, \d+ g of filament/.test(await textOf(driver, '[data-test=bed-time]')), 'the time', 90);
    const bolt = await driver.findElement(By.css('[data-test=bed] g[aria-label="bolt, number 1"]'));
    await bolt.sendKeys(Key.chord(Key.SHIFT, Key.ARROW_LEFT), Key.chord(Key.SHIFT, Key.ARROW_LEFT), Key.chord(Key.SHIFT, Key.ARROW_LEFT));
    await eventually(async () => (await panel()).includes('too near to each other or off the bed'), 'the clash');
    await click(driver, 'Lay out again');
    await eventually(async () => (await panel()).includes('nothing too near'), 'laid out again');
    await click(driver, 'Write bed 1');
    await eventually(async () => /of \d+ claims agree/.test(await textOf(driver, '[data-test=written]')), 'the file', 90);
    const { operations } = await app.world.until(jobId, () => true);
    const evidence = operations[0].report!.file!.evidence;
    expect(evidence.claims.filter((c) => c.verdict === 'stop')).toEqual([]);
    expect(evidence.claims.find((c) => c.quantity === 'Parts')).toMatchObject({ designed: 18, received: 18 });
    await click(driver, 'Download');
    expect((await downloaded(app.downloads, 'bed-1_mm.3mf')).bytes.length).toBeGreaterThan(10_000);
  });
});

describe('choices before reading', () => {
  test('a file made with Y up is turned; brought in again as Z up it is left; its colour is as chosen', async () => {
    const { driver } = app;
    const file = join(app.downloads, 'table.obj');
    // A wedge with a flat base at Y 0 and an edge at Z 0.
    writeFileSync(file, 'v 0 0 0\nv 40 0 0\nv 40 0 30\nv 0 0 30\nv 10 20 15\nv 30 20 15\nf 1 2 3 4\nf 1 5 6 2\nf 4 3 6 5\nf 2 6 3\nf 1 4 5\n');
    const jobId = await newJob(app, 'Choices', [file]);
    await eventually(async () => (await marksOf(driver, 'table')).length === 7, 'the row');
    expect(await textOf(driver, 'tr[data-part=table]')).toContain('40.0 × 30.0 × 20.0');
    await click(driver, 'How files are read');
    await chooseIn(driver, 'Up axis', 'Z is up');
    await tick(driver, 'get one');
    await driver.findElement(By.css('[data-test=files]')).sendKeys(file);
    // The same name again may be a next revision: it is asked, and here it is not.
    await click(driver, 'No, another design');
    const job = await app.world.until(jobId, (j) => j.parts.length === 2);
    expect(job.parts[1].summary.colour).toBe('#8796b0');
    expect(job.parts[1].summary.box.max[1]).toBe(20);
    expect(readFileSync(file).length).toBe(job.designs[1].bytes);
  });
});
