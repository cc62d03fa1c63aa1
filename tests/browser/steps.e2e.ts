import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { By, Key, until, type WebElement } from 'selenium-webdriver';
import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import type { JobView } from '../../server/src/jobs/jobs.ts';
import { chooseIn, click, dataPath, downloaded, eventually, marksOf, newJob, startApp, still, textOf, type App } from './app.ts';
import { ringStl } from './stl.ts';

let app: App;
let jobId: string;
let job: JobView;
beforeAll(async () => {
  app = await startApp();
  jobId = await newJob(app, 'Steps', [dataPath('as1-oc-214.stp'), dataPath('Helix.stl')]);
  await eventually(async () => (await marksOf(app.driver, 'plate')).length === 7 && (await marksOf(app.driver, 'Helix')).length === 7, 'the rows', 60);
  job = await app.world.until(jobId, () => true);
});
afterAll(() => app?.close());

const idOf = (name: string) => job.parts.find((p) => p.name === name)!.id;
const partOf = async (name: string) => (await app.world.until(jobId, () => true)).parts.find((p) => p.name === name)!;
const open = async (name: string, step: string) => {
  await app.driver.get(`${app.base}/jobs/${jobId}/parts/${idOf(name)}?step=${step}`);
  await eventually(async () => (await (await app.driver.findElement(By.css('[data-test=stage]'))).getAttribute('data-drawn')) === 'yes', 'the part drawn');
};
const panel = () => textOf(app.driver, '[data-test=panel]');
const field = (css: string): Promise<WebElement> => app.driver.wait(until.elementLocated(By.css(css)), 15_000) as unknown as Promise<WebElement>;
const type = async (css: string, text: string) => (await field(css)).sendKeys(Key.chord(Key.CONTROL, 'a'), text, Key.ENTER);
const previewed = (look: (text: string) => boolean) =>
  eventually(async () => {
    const preview = await app.driver.findElement(By.css('[data-test=preview]'));
    const text = await preview.getText();
    return (await preview.getAttribute('data-busy')) === 'no' && look(text) ? text : null;
  }, 'the preview');
const trianglesIn = (text: string) => Number(/([\d,]+) triangles/.exec(text)![1].replaceAll(',', ''));

describe('facets', () => {
  test('the surfaces found decide what is recommended; each preset is saved and finer ones have more triangles', async () => {
    await open('bolt', 'facets');
    expect(await panel()).toContain('3 flat, 4 round one way, 0 round both ways. Round one way suits');
    const counts: number[] = [];
    for (const [name, deviation] of [
      ['Flat-faced', 0.2],
      ['Round both ways', 0.04],
      ['Show face', 0.015],
    ] as const) {
      await click(app.driver, name);
      await eventually(async () => (await partOf('bolt')).recipe.facets.deviation === deviation, `${name} saved`);
      counts.push(trianglesIn(await previewed((text) => text.includes('measured deviation'))));
      await still(app.driver);
    }
    const last = trianglesIn(await previewed((text) => trianglesIn(text) > counts[0]));
    expect(last).toBeGreaterThan(counts[0]);
  });
  test('a budget is kept in the preview and in the written file, and can be taken off', async () => {
    await open('bolt', 'facets');
    await previewed((text) => text.includes('measured deviation'));
    await type('[data-test=panel] form input', '150');
    const shown = trianglesIn(await previewed((text) => trianglesIn(text) <= 150));
    expect(shown).toBeGreaterThan(40);
    await eventually(async () => (await partOf('bolt')).recipe.facets.budget?.most === 150, 'the budget saved');
    await click(app.driver, 'Write');
    const part = await app.world.until(jobId, (j) => j.parts.find((p) => p.name === 'bolt')!.file?.state === 'written');
    const claims = part.parts.find((p) => p.name === 'bolt')!.file!.evidence!.claims;
    expect(claims.find((c) => c.quantity === 'Triangles')).toMatchObject({ designed: 150, verdict: 'clear' });
    // Writing went on to what was received.
    await click(app.driver, 'Facets');
    await click(app.driver, 'Off');
    await eventually(async () => (await partOf('bolt')).recipe.facets.budget === null, 'the budget off');
  });
  test('balanced: about half as many, saved, told with the written file, and off again; not offered where nothing is round both ways', async () => {
    await open('bolt', 'facets');
    await previewed((text) => text.includes('measured deviation'));
    expect(await panel()).not.toContain('Balanced');
    const other = await newJob(app, 'Balanced', [dataPath('ellipsoid.step')]);
    const seen = async () => (await app.world.until(other, () => true)).parts[0];
    await eventually(async () => (await seen())?.summary.kind === 'solid', 'the part read', 60);
    const { id } = await seen();
    await app.driver.get(`${app.base}/jobs/${other}/parts/${id}?step=facets`);
    const plain = trianglesIn(await previewed((text) => text.includes('measured deviation')));
    const tick = async () => (await field('[data-test=panel] .ant-checkbox-wrapper')).click();
    await tick();
    await eventually(async () => (await seen()).recipe.facets.balanced === true, 'balanced saved');
    const balanced = await previewed((text) => text.includes('measured deviation') && trianglesIn(text) < 0.7 * plain);
    expect(trianglesIn(balanced)).toBeGreaterThan(0.4 * plain);
    await click(app.driver, 'Write');
    const written = await app.world.until(other, (j) => j.parts[0].file?.state === 'written');
    expect(written.parts[0].file!.evidence!.findings.map((f) => f.code)).toContain('balanced-facets');
    expect(written.parts[0].file!.evidence!.claims.find((c) => c.quantity === 'Deviation')).toMatchObject({ verdict: 'clear' });
    await click(app.driver, 'Facets');
    await tick();
    await eventually(async () => (await seen()).recipe.facets.balanced === false, 'off again');
    await previewed((text) => text.includes('measured deviation') && trianglesIn(text) === plain);
  });
  test('a mesh is written as it came, and the step says so', async () => {
    await open('Helix', 'facets');
    expect(await panel()).toContain('500 triangles are written as they are');
  });
});

describe('size and receiver', () => {
  test('a known length sets the factor, is undone from the button, and can be set back', async () => {
    await open('Helix', 'size');
    await type('[aria-label="Known length, mm"]', '254');
    await eventually(async () => (await panel()).includes('Factor 2.54: the numbers are inches, read as centimetres.'), 'the name of the factor');
    await click(app.driver, 'Make it so');
    await eventually(async () => (await panel()).includes('254.0 × 254.0'), 'the size');
    expect((await partOf('Helix')).steps[1]).toMatchObject({ mark: 'look', finding: { code: 'does-not-fit' } });
    await click(app.driver, 'Undo');
    await eventually(async () => (await partOf('Helix')).recipe.size.factor === 1, 'undone');
  });
  test('another receiver has another bed', async () => {
    await open('plate', 'size');
    await chooseIn(app.driver, 'Receiver', 'Wren');
    await eventually(async () => (await panel()).includes('does not fit the bed of Wren'), 'the sentence');
    expect((await partOf('plate')).steps[1].mark).toBe('look');
    await app.driver.findElement(By.css('body')).sendKeys(Key.chord(Key.CONTROL, 'z'));
    await eventually(async () => (await partOf('plate')).recipe.receiver.id === 'lark', 'undone by key');
  });
});

describe('source', () => {
  test('the tree of the file with every place of the part, its hash and its unit', async () => {
    await open('bolt', 'source');
    const text = await panel();
    // Files brought in together may be listed in either order.
    expect(text).toContain(job.designs.find((d) => d.fileName === 'as1-oc-214.stp')!.sha256);
    expect(text).toContain('STEP AP214');
    const places = await app.driver.findElements(By.css('[data-test=tree] b'));
    expect(places).toHaveLength(6);
    expect(await textOf(app.driver, '[data-test=tree]')).toContain('l-bracket-assembly_2');
  });
});

describe('file and received', () => {
  test('numbers in inches are warned of before, and stopped with figures after', async () => {
    await open('rod', 'file');
    await chooseIn(app.driver, 'Numbers are', 'inches');
    await eventually(async () => (await panel()).includes('takes numbers for mm: the part will come out in another size'), 'the warning');
    await click(app.driver, 'Write, and read it back');
    await eventually(async () => (await textOf(app.driver, '[data-test=evidence]')).includes('stop'), 'the verdict');
    await click(app.driver, 'All of it');
    await eventually(async () => /^Received:\s*stop/.test(await panel()), 'the panel');
    await app.driver.get(`${app.base}/jobs/${jobId}`);
    await eventually(async () => (await marksOf(app.driver, 'rod'))[6] === 'stop', 'the stop in the ledger');
    await app.driver.findElement(By.css('tr[data-part=rod] td')).click();
    await eventually(async () => (await textOf(app.driver, '[data-test=foot]')).includes('designed 10'), 'the sentence at the foot');
  });
  test('a name of the file is saved and shown as it will be', async () => {
    await open('nut', 'file');
    await type('[data-test=panel] input.ant-input', 'WS-9 nut / left');
    await eventually(async () => (await partOf('nut')).recipe.file.name === 'WS-9 nut / left', 'saved');
    expect(await panel()).toContain('WS-9-nut-_-left.stl');
  });
});

describe('the ledger', () => {
  test('name, quantity and leaving out are saved at once and undone in order', async () => {
    await app.driver.get(`${app.base}/jobs/${jobId}`);
    await eventually(async () => (await marksOf(app.driver, 'Helix')).length === 7, 'the rows');
    await app.driver.findElement(By.css('tr[data-part=Helix] td')).click();
    await type('[data-test=foot] input.num', '12');
    await eventually(async () => (await partOf('Helix')).quantity === 12, 'the quantity');
    // Enter goes on to the row below, in the same field, so that a column is typed through; the last row stays, which is that of the file brought in last.
    const chosen = () => app.driver.findElement(By.css('tr[aria-selected=true]')).getAttribute('data-part');
    expect(await chosen()).toBe('Helix');
    await app.driver.findElement(By.css('tr[data-part=nut] td')).click();
    await type('[data-test=foot] input.num', '8');
    await eventually(async () => (await chosen()) === 'rod', 'the row below');
    await app.driver.switchTo().activeElement().sendKeys(Key.chord(Key.CONTROL, 'a'), '5', Key.ENTER);
    await eventually(async () => (await partOf('rod')).quantity === 5 && (await chosen()) === 'bolt', 'the next one typed through');
    await click(app.driver, 'Undo');
    await eventually(async () => (await partOf('rod')).quantity === 1, 'as it was');
    await app.driver.findElement(By.css('tr[data-part=Helix] td')).click();
    const before = await textOf(app.driver, '[data-test=counts]');
    await click(app.driver, 'Leave out');
    await eventually(async () => (await textOf(app.driver, 'tr[data-part=Helix]')).includes('left out'), 'left out');
    expect(await textOf(app.driver, '[data-test=counts]')).not.toBe(before);
    await click(app.driver, 'Undo');
    await eventually(async () => !(await partOf('Helix')).leftOut, 'taken in');
    await click(app.driver, 'Undo');
    await eventually(async () => (await partOf('Helix')).quantity === 1, 'the old quantity');
  });
  test('a change in one window shows in another by itself', async () => {
    const { driver } = app;
    const first = await driver.getWindowHandle();
    await driver.switchTo().newWindow('tab');
    await driver.get(`${app.base}/jobs/${jobId}`);
    await eventually(async () => (await marksOf(driver, 'Helix')).length === 7, 'the rows in the second');
    await driver.findElement(By.css('tr[data-part=Helix] td')).click();
    await type('[data-test=foot] input.num', '3');
    await eventually(async () => (await partOf('Helix')).quantity === 3, 'saved');
    await driver.close();
    await driver.switchTo().window(first);
    await eventually(async () => (await textOf(driver, 'tr[data-part=Helix]')).includes('3 off'), 'seen in the first');
  });
});

/** Presses one of the buttons that say what is shown; a step has the same name as one of them. */
const showIds = { Designed: 'designed', 'Both, overlaid': 'both', Received: 'received', 'Side by side': 'beside', Split: 'split', Difference: 'difference' };
const show = async (name: keyof typeof showIds) => (await field(`[data-test=show-${showIds[name]}]`)).click();

/** Pixels in the middle of the stage's picture that are bluer than red, and redder than blue; of the columns from one share of the width to another. Words in both inks stand above and below. */
async function inks(from: number, to: number): Promise<{ blue: number; coral: number }> {
  const picture = await app.driver.findElement(By.css('[data-test=stage] canvas')).takeScreenshot();
  const { data, info } = await sharp(Buffer.from(picture, 'base64')).removeAlpha().raw().toBuffer({ resolveWithObject: true });
  const seen = { blue: 0, coral: 0 };
  for (let i = 0; i < data.length; i += 3) {
    const [x, y] = [(i / 3) % info.width, Math.floor(i / 3 / info.width)];
    if (x < from * info.width || x >= to * info.width || y < info.height * 0.2 || y > info.height * 0.75) continue;
    if (data[i + 2] > data[i] + 25) seen.blue++;
    if (data[i] > data[i + 2] + 60) seen.coral++;
  }
  return seen;
}

/** Lays a part on the light table with its file written and received. */
async function openReceived(name: string): Promise<void> {
  if ((await partOf(name)).file?.state !== 'written') await fetch(`${app.base}/api/parts/${idOf(name)}/write`, { method: 'POST' });
  await app.world.until(jobId, (j) => j.parts.find((p) => p.name === name)!.file?.state === 'written');
  await open(name, 'received');
  await eventually(async () => (await (await app.driver.findElement(By.css('[data-test=stage]'))).getAttribute('data-received')) === 'yes', 'received');
}

describe('looking', () => {
  test('side by side, edges of triangles and the theme; the theme is kept', async () => {
    await openReceived('bolt');
    const pressed = async (text: string) =>
      (await app.driver.findElement(By.xpath(`//*[@data-test='stage']/..//button[normalize-space(.)='${text}']`))).getAttribute('aria-pressed');
    for (const name of ['Side by side', 'Received', 'Designed', 'Both, overlaid'] as const) {
      await show(name);
      expect(await pressed(name)).toBe('true');
    }
    await app.driver.actions().sendKeys('e').perform();
    await eventually(async () => (await pressed('Edges of triangles')) === 'true', 'the wires by key');
    for (const [key, name] of [
      ['t', 'Top'],
      ['f', 'Front'],
      ['l', 'Left'],
      ['r', 'Right'],
      ['k', 'Back'],
      ['u', 'Under'],
    ]) {
      await app.driver.actions().sendKeys(key).perform();
      await eventually(async () => (await pressed(name)) === 'true', `${name} by key`);
    }
    await click(app.driver, 'Dark theme');
    await app.driver.navigate().refresh();
    await eventually(async () => (await app.driver.executeScript('return document.documentElement.dataset.theme')) === 'dark', 'dark kept');
    await click(app.driver, 'Light theme');
  });
  test('how far both prints lie apart, as colours: as much as the evidence measured, blue within the design', async () => {
    await openReceived('bolt');
    await show('Difference');
    const said = await eventually(async () => (await textOf(app.driver, '[data-test=difference]')).match(/−([\d.]+) mm[^]*farthest at ([-\d.]+), ([-\d.]+), ([-\d.]+) mm/), 'the key'); // prettier-ignore
    const { claims } = (await partOf('bolt')).file!.evidence!;
    const measured = claims.find((c) => c.quantity.startsWith('Deviation'))!.received as number;
    // The evidence looks for the largest of all places, the colours at the middles of edges and triangles.
    expect(Number(said[1])).toBeLessThanOrEqual(measured + 0.0006);
    expect(Number(said[1])).toBeGreaterThan(0.5 * measured);
    // Facets of a round bolt lie within it: much of the picture is blue, nothing coral.
    await eventually(async () => {
      const { blue, coral } = await inks(0, 1);
      return blue > 400 && coral < blue / 20;
    }, 'blue within');
    await app.driver.actions().sendKeys('d').perform();
    await eventually(async () => (await app.driver.findElements(By.css('[data-test=difference]'))).length === 0, 'the next way of showing');
  });
  test('split by a line that keys and the pointer move: the design left of it, what was received right of it', async () => {
    await openReceived('plate');
    await show('Split');
    const line = await field('[data-test=split]');
    const at = async () => Number(await line.getAttribute('aria-valuenow'));
    expect(await at()).toBe(50);
    await line.sendKeys(Key.ARROW_LEFT, Key.ARROW_LEFT);
    expect(await at()).toBe(46);
    // A margin beside the line, for the handle on it.
    const onlyOwn = async (share: number) => {
      const [left, right] = [await inks(0, share - 0.04), await inks(share + 0.04, 1)];
      return left.blue > 200 && left.coral === 0 && right.coral > 200 && right.blue === 0;
    };
    await eventually(() => onlyOwn(0.46), 'each ink on its own side');
    const wide = (await app.driver.findElement(By.css('[data-test=stage]')).getRect()).width;
    await app.driver
      .actions()
      .move({ origin: line })
      .press()
      .move({ origin: line, x: Math.round(wide * 0.07), y: 0 })
      .release()
      .perform();
    expect(Math.abs((await at()) - 53)).toBeLessThanOrEqual(1);
    await eventually(() => onlyOwn(0.53), 'each ink on its own side of the line that was dragged');
    // A step that nothing is received on has both, and the choice comes back with the one that has it.
    await open('plate', 'source');
    expect(await app.driver.findElements(By.css('[data-test=split]'))).toEqual([]);
  });
  test('measured by picks: a round face by its diameter and what is behind it, an edge, and how far both lie apart', async () => {
    await open('bolt', 'source');
    const keys = (text: string) => app.driver.actions().sendKeys(text).perform();
    await keys('f');
    await keys('m');
    expect(await textOf(app.driver, '[data-test=prompt]')).toContain('Pick a face, an edge or a corner');
    const stage = await field('[data-test=stage] canvas');
    const clickAt = (x: number, y: number) => app.driver.actions().move({ origin: stage, x, y }).click().perform();
    // The shank is in the middle of the picture: 10 mm thick (CIRCLE of radius 5 in the STEP file), and so it is behind its front.
    await clickAt(0, 0);
    const said = () => textOf(app.driver, '[data-test=prompt]');
    await eventually(async () => /round outside, ø 10\.000 mm, radius 5\.000 mm/.test(await said()), 'the shank');
    expect(await said()).toMatch(/10\.000 mm through the part there/);
    expect(await said()).toContain('A second pick measures between both');
    await clickAt(0, 3);
    await eventually(async () => /0\.000 mm between axes; parallel/.test(await said()), 'the same axis');
    // A third pick begins anew.
    await clickAt(0, 0);
    await eventually(async () => (await said()).includes('A second pick'), 'one pick again');
    await app.driver.actions().sendKeys(Key.ESCAPE).perform();
    await eventually(async () => (await app.driver.findElements(By.css('[data-test=prompt]'))).length === 0, 'stopped');
  });
  test('a heavy part is drawn light while it is turned, whole once it rests', async () => {
    const { driver } = app;
    // Half a million triangles are drawn by the processor here: seconds a picture on a busy machine.
    const patience = 90;
    const { bytes, triangles } = ringStl(502);
    const file = join(mkdtempSync(join(tmpdir(), 'heavy-')), 'ring.stl');
    writeFileSync(file, bytes);
    const own = await newJob(app, 'Heavy', [file]);
    await eventually(async () => (await marksOf(driver, 'ring')).length === 7, 'the row', 60);
    const { parts } = await app.world.until(own, () => true);
    await driver.get(`${app.base}/jobs/${own}/parts/${parts[0].id}?step=Size`);
    await driver.wait(until.elementLocated(By.css('[data-test=stage][data-drawn=yes]')), 20_000);
    const drawn = () => driver.executeScript<number>('return window.lightTable.renderer.info.render.triangles');
    expect(parts[0].summary.triangles).toBe(triangles);
    await eventually(async () => (await drawn()) === triangles, 'all triangles drawn', patience);
    const canvas = await driver.findElement(By.css('[data-test=stage] canvas'));
    const turned = async (by: number) =>
      driver
        .actions()
        .move({ origin: canvas, x: 30, y: 20 })
        .press()
        .move({ origin: canvas, x: 30 + by, y: 20 })
        .perform();
    // The light picture comes from the worker a moment later.
    await eventually(
      async () => {
        await turned(25);
        const now = await drawn();
        if (now === triangles) await driver.actions().release().perform();
        return now < triangles / 2 && now > 1000;
      },
      'the light picture while it is turned',
      patience,
    );
    await driver.actions().release().perform();
    await eventually(async () => (await drawn()) === triangles, 'all triangles again', patience);
    // All shaders were made ready: none comes with what is drawn later.
    const shaders = () => driver.executeScript<number>('return window.lightTable.renderer.info.programs.length');
    const before = await shaders();
    for (const key of ['t', 'm']) await driver.findElement(By.css('body')).sendKeys(key);
    const { width, height } = await canvas.getRect();
    await driver
      .actions()
      .move({ origin: canvas, x: Math.round(0.32 * Math.min(width, height)), y: 9 })
      .click()
      .perform();
    await eventually(async () => /\d mm through the part there/.test(await textOf(driver, '[data-test=prompt]')), 'the wall measured', 90);
    await driver.findElement(By.css('body')).sendKeys('s');
    await driver.wait(until.elementLocated(By.css('[data-test=section]')), 20_000);
    await eventually(async () => (await driver.executeScript<number>('return window.lightTable.renderer.info.render.lines')) > 0, 'the cut drawn');
    expect(await shaders()).toBe(before);
  });
  test('a section is cut through both prints, measured on each, moved by a typed height, and closed', async () => {
    await openReceived('bolt');
    await app.driver.actions().sendKeys('s').perform();
    const figures = async () => [...(await textOf(app.driver, '[data-test=section]')).matchAll(/([\d,.]+) mm²/g)].map((m) => Number(m[1].replaceAll(',', '')));
    const [designed, received] = await eventually(async () => ((await figures()).length === 2 ? figures() : null), 'both areas');
    // The shank is 10 mm thick (CIRCLE of radius 5 in the STEP file). The file at hand was written for a budget of triangles, so that its chords take more away.
    expect(await textOf(app.driver, '[data-test=section]')).toContain('about ');
    const round = Math.PI * 25;
    expect(Math.abs(designed / round - 1)).toBeLessThan(0.003);
    expect(received).toBeLessThan(designed);
    expect(received / round).toBeGreaterThan(0.95);
    await type('[data-test=section] [aria-label="Place of the section, mm"]', '1');
    await eventually(async () => Math.abs((await figures())[0] - designed) > 1, 'another place, another area');
    await click(app.driver, 'Close');
    await eventually(async () => (await app.driver.findElements(By.css('[data-test=section]'))).length === 0, 'closed');
  });
  test('the received print really is coral where it stands alone, and the designed one blue', async () => {
    await openReceived('bolt');
    // The mean colour of the middle of the stage, read from a picture of it.
    const mean = async () => {
      const picture = await app.driver.findElement(By.css('[data-test=stage] canvas')).takeScreenshot();
      return (await app.driver.executeAsyncScript(
        `const done = arguments[1]; const i = new Image(); i.onload = () => { const c = document.createElement('canvas'); c.width = i.width; c.height = i.height; const g = c.getContext('2d'); g.drawImage(i, 0, 0); const d = g.getImageData(i.width / 2 - 20, i.height / 2 - 20, 40, 40).data; let r = 0, b = 0; for (let k = 0; k < d.length; k += 4) { r += d[k]; b += d[k + 2]; } done([r / 1600, b / 1600]); }; i.src = 'data:image/png;base64,' + arguments[0];`,
        picture,
      )) as [number, number];
    };
    await show('Designed');
    await eventually(async () => {
      const [red, blue] = await mean();
      return blue > red;
    }, 'the designed one blue');
    await show('Received');
    await eventually(async () => {
      const [red, blue] = await mean();
      return red > blue;
    }, 'the received one coral');
  });
  test('receivers and their rules are listed with units', async () => {
    await app.driver.get(`${app.base}/receivers`);
    const text = await textOf(app.driver, 'main');
    for (const wanted of ['Lark', '250 × 210 × 210 mm', 'Wren', '0.05 mm', '45° from the vertical', 'STL, 3MF', 'gap 0.2 mm']) expect(text).toContain(wanted);
  });
});

describe('by the keyboard alone', () => {
  test('from bringing in to the download: the focus goes to what is new and to what was written; few presses of Tab between', async () => {
    const { driver } = app;
    const own = await newJob(app, 'Keyboard', [dataPath('Helix.stl')]);
    await eventually(async () => (await marksOf(driver, 'Helix')).length === 7, 'the row');
    const active = () => driver.switchTo().activeElement();
    await eventually(async () => (await active()).getText().then((text) => text === 'Helix'), 'the new part has the focus');
    let tabs = 0;
    while (!/^Write the file/.test(await (await active()).getText())) {
      expect(++tabs, 'presses of Tab').toBeLessThanOrEqual(12);
      await driver.actions().sendKeys(Key.TAB).perform();
    }
    await driver.actions().sendKeys(Key.ENTER).perform();
    await eventually(async () => (await (await active()).getAttribute('data-test')) === 'download', 'the written file has the focus', 60);
    await driver.actions().sendKeys(Key.ENTER).perform();
    const { parts } = await app.world.until(own, () => true);
    const { bytes } = await downloaded(app.downloads, '.stl');
    expect(bytes.length).toBe(parts[0].file!.bytes);
  });
  test('who goes down the rows with the arrows opens what is chosen, not what had the focus before', async () => {
    const { driver } = app;
    const own = await newJob(app, 'Two by the keyboard', [dataPath('Helix.stl'), dataPath('cube-in.step')]);
    await eventually(async () => (await marksOf(driver, 'Cube')).length === 7, 'both rows');
    const { parts } = await app.world.until(own, () => true);
    const focused = async () => (await driver.switchTo().activeElement()).getText();
    await eventually(async () => ['Helix', 'Cube'].includes(await focused()), 'a new part has the focus');
    await driver.actions().sendKeys(Key.ARROW_UP, Key.ARROW_UP, Key.ARROW_DOWN).perform();
    await eventually(async () => (await focused()) === parts[1].name, 'the focus goes along');
    await driver.actions().sendKeys(Key.ENTER).perform();
    await eventually(async () => (await driver.getCurrentUrl()).includes(parts[1].id), 'the second part opened');
  });
});
