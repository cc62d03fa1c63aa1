import { createHash } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import { request } from 'node:http';
import { join } from 'node:path';
import { By, Key, until } from 'selenium-webdriver';
import { STLLoader } from 'three/examples/jsm/loaders/STLLoader.js';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { bring, button, click, dataPath, downloaded, eventually, marksOf, newJob, startApp, still, textOf, type App } from './app.ts';

let app: App;
beforeAll(async () => {
  app = await startApp();
});
afterAll(() => app?.close());

const stage = () => app.driver.findElement(By.css('[data-test=stage]'));
const claimed = async (name: string) =>
  (await app.driver.findElement(By.xpath(`//*[@data-test='claim'][starts-with(normalize-space(.), ${JSON.stringify(name)})]`)).getText()).split('\n');

/** An STL in inches, with no unit, made from open data in mm. */
function inInches(name: string): string {
  const bytes = Buffer.from(readFileSync(dataPath('Helix.stl')));
  for (let i = 0; i < bytes.readUInt32LE(80); i++)
    for (let k = 3; k < 12; k++) bytes.writeFloatLE(bytes.readFloatLE(84 + 50 * i + 4 * k) / 25.4 / 5, 84 + 50 * i + 4 * k);
  const file = join(app.downloads, name);
  writeFileSync(file, bytes);
  return file;
}

describe('the way through on a real assembly', () => {
  test('bring in, ledger, facets, stance, write, receive, evidence, download: the bytes are the part that was meant', async () => {
    const { driver } = app;
    const jobId = await newJob(app, 'Assembly', [dataPath('as1-oc-214.stp')]);
    await eventually(async () => (await marksOf(driver, 'plate')).length === 7, 'rows of the ledger', 60);
    expect(await textOf(driver, '[data-test=counts]')).toContain('5 parts');
    expect(await textOf(driver, 'tr[data-part=bolt]')).toContain('15.0 × 15.0 × 37.0');

    await driver.findElement(By.css('tr[data-part=bolt] [data-test=partname] a')).click();
    await eventually(async () => (await (await stage()).getAttribute('data-drawn')) === 'yes', 'the part drawn');
    // Facets: a typed deviation is measured live, below the promise.
    const deviation = await driver.wait(until.elementLocated(By.xpath("//label[contains(., 'Deviation, at most')]//input")), 15_000);
    await deviation.sendKeys(Key.chord(Key.CONTROL, 'a'), '0.02', Key.ENTER);
    const shown = await eventually(async () => {
      const preview = await driver.findElement(By.css('[data-test=preview]'));
      const text = await preview.getText();
      return (await preview.getAttribute('data-busy')) === 'no' && /measured deviation 0\.0[01]\d+ mm/.test(text) ? text : null;
    }, 'the live measure');
    expect(Number(/deviation ([\d.]+) mm/.exec(shown)![1])).toBeLessThanOrEqual(0.02);
    const triangles = Number(/([\d,]+) triangles/.exec(shown)![1].replace(',', ''));

    // Stance: laid down by a quarter turn.
    await click(driver, 'Stance');
    await click(driver, '90° about X');
    await eventually(async () => (await textOf(driver, '[data-test=panel]')).includes('−Y side, turned'), 'the turn saved');

    await click(driver, 'Write');
    await eventually(async () => /(\d+) of \1 agree/.test(await textOf(driver, '[data-test=evidence]')), 'the evidence');
    expect(await claimed('Width Y')).toEqual(['Width Y (mm)', '37.000', '37.000', 'clear']);
    // What agrees and has no room is folded away, counted, and told on the step Received.
    await eventually(async () => /and \d+ more claims/.test(await textOf(driver, '[data-test=evidence]')), 'the claims that have no room');
    await click(driver, 'Show them');
    const { claims } = (await app.world.until(jobId, () => true)).parts.find((p) => p.name === 'bolt')!.file!.evidence!;
    expect(claims.find((c) => c.quantity === 'Side down')).toMatchObject({ designed: '−Y side', received: '−Y side', verdict: 'clear' });
    expect(claims.find((c) => c.quantity === 'Triangles')!.received).toBe(triangles);
    const told = await textOf(driver, '[data-test=claimlist]');
    for (const { quantity } of claims) expect(told).toContain(quantity);
    await click(driver, 'File');
    await eventually(async () => (await (await stage()).getAttribute('data-received')) === 'yes', 'the received mesh drawn');
    await click(driver, 'Download');
    const { name, bytes } = await downloaded(app.downloads, 'bolt_mm.stl');
    expect(name).toBe('bolt_mm.stl');
    expect(bytes.length).toBe(84 + 50 * triangles);
    const geometry = new STLLoader().parse(new Uint8Array(bytes).buffer);
    geometry.computeBoundingBox();
    const size = geometry.boundingBox!.max.clone().sub(geometry.boundingBox!.min);
    expect([size.x, size.y, size.z].map((v) => Math.round(v * 10) / 10)).toEqual([15, 37, 15]);
    expect(geometry.boundingBox!.min.z).toBeCloseTo(0, 5);
    await click(driver, 'Evidence as JSON');
    const evidence = JSON.parse((await downloaded(app.downloads, 'bolt_mm.evidence.json')).bytes.toString());
    expect(evidence.file.sha256).toBe(createHash('sha256').update(bytes).digest('hex'));
    expect(evidence).toMatchObject({ job: 'Assembly', part: 'bolt', quantity: 6, source: { file: 'as1-oc-214.stp' } });

    // Back in the ledger the row's thread runs to its end; a page made for paper holds the same verdict.
    const page = await fetch(`${app.base}/api/files/${(await app.world.until(jobId, () => true)).parts[2].file!.id}/evidence?as=page`).then((r) => r.text());
    expect(page).toContain('Side down');
  });

  test('a click on a flat face sets it down; two clicks measure; views turn by the unfolded box', async () => {
    const { driver, world } = app;
    const jobId = await newJob(app, 'Plate', [dataPath('cube-in.step')]);
    await eventually(async () => (await marksOf(driver, 'Cube')).length === 7, 'the row');
    await driver.get(`${app.base}/jobs/${jobId}/parts/${(await world.until(jobId, () => true)).parts[0].id}?step=stance`);
    await eventually(async () => (await (await stage()).getAttribute('data-drawn')) === 'yes', 'the part drawn');
    await click(driver, 'Right');
    await click(driver, 'Set down a face');
    expect(await textOf(driver, '[data-test=prompt]')).toContain('Pick the flat face');
    const canvas = await driver.findElement(By.css('[data-test=stage] canvas'));
    await driver.actions().move({ origin: canvas }).click().perform();
    await eventually(async () => (await textOf(driver, '[data-test=panel]')).includes('+X side, set down on a face'), 'the face set down');
    await click(driver, 'Front');
    await click(driver, 'Measure');
    const { width, height } = await canvas.getRect();
    const reach = Math.round(Math.min(width, height) * 0.15);
    await driver.actions().move({ origin: canvas, x: -reach, y: 0 }).click().perform();
    await driver.actions().move({ origin: canvas, x: reach, y: 0 }).click().perform();
    const said = await eventually(
      async () => {
        const text = await textOf(driver, '[data-test=prompt]');
        const found = /([\d.]+) mm between places picked on one plane/.exec(text);
        if (!found) throw new Error(text);
        return found[1];
      },
      'the measure',
      15,
    );
    expect(Number(said)).toBeGreaterThan(100);
  });
});

describe('size', () => {
  test('a file in inches with no unit is stopped, read as inches with one click, undone and done again by keys', async () => {
    const { driver } = app;
    await newJob(app, 'Inches', [inInches('part in inches.stl')]);
    const row = 'part in inches';
    await eventually(async () => (await marksOf(driver, row))[1] === 'stop', 'the stop at Size');
    expect(await textOf(driver, '[data-test=foot]')).toMatch(/Read as millimetres it is 0\.79 mm/);
    await click(driver, 'Read as inches');
    await eventually(async () => (await marksOf(driver, row))[1] === 'clear', 'the size clear');
    expect(await textOf(driver, `tr[data-part="${row}"]`)).toContain('20.0 × 20.0 × 11.3');
    const body = await driver.findElement(By.css('body'));
    await body.sendKeys(Key.chord(Key.CONTROL, 'z'));
    await eventually(async () => (await marksOf(driver, row))[1] === 'stop', 'undone');
    await body.sendKeys(Key.chord(Key.CONTROL, Key.SHIFT, 'z'));
    await eventually(async () => (await marksOf(driver, row))[1] === 'clear', 'done again');
  });
  test('one known length names the mistake', async () => {
    const { driver, world } = app;
    const jobId = (await driver.getCurrentUrl()).split('/').pop()!;
    const [part] = (await world.until(jobId, () => true)).parts;
    await driver.get(`${app.base}/jobs/${jobId}/parts/${part.id}?step=size`);
    const known = await driver.wait(until.elementLocated(By.css('[aria-label="Known length, mm"]')), 20_000);
    await driver.findElement(By.css('[data-test=reading]')).click();
    await eventually(async () => (await world.until(jobId, () => true)).parts[0].recipe.size.reading === 'mm', 'the reading kept');
    await still(driver);
    await known.sendKeys(String((100 / 25.4 / 5) * 25.4));
    await eventually(async () => (await textOf(driver, 'fieldset')).includes('the numbers are inches'), 'the name of the factor');
  });
});

describe('when things go wrong', () => {
  test('a broken file says why; an empty one is refused before it is sent; the job stays whole', async () => {
    const { driver } = app;
    const half = join(app.downloads, 'half.stl');
    writeFileSync(half, readFileSync(dataPath('Helix.stl')).subarray(0, 9000));
    const empty = join(app.downloads, 'empty.stl');
    writeFileSync(empty, '');
    await newJob(app, 'Broken', [half, empty, dataPath('Helix.stl')]);
    await eventually(async () => (await textOf(driver, 'main')).includes('says that it has 500 triangles but holds only 178'), 'the sentence');
    expect(await textOf(driver, 'main')).toContain('The file is empty (0 bytes)');
    await eventually(async () => (await marksOf(driver, 'Helix')).length === 7, 'the good part');
    await click(driver, 'Take it off the list');
    await eventually(async () => !(await textOf(driver, 'main')).includes('half.stl'), 'the broken one dismissed');
  });
  test('a cancelled upload leaves nothing', async () => {
    const { driver, world } = app;
    const big = join(app.downloads, 'big.stl');
    writeFileSync(big, Buffer.alloc(6_000_000));
    const jobId = await newJob(app, 'A slow line', []);
    const tools = driver as unknown as { sendDevToolsCommand(command: string, options: object): Promise<void> };
    const slow = (uploadThroughput: number) =>
      tools.sendDevToolsCommand('Network.emulateNetworkConditions', { offline: false, latency: 20, downloadThroughput: -1, uploadThroughput });
    await tools.sendDevToolsCommand('Network.enable', {});
    await slow(200_000);
    await bring(app, [big]);
    await click(driver, 'Cancel');
    await eventually(async () => (await textOf(driver, 'main')).includes('Cancelled; nothing was kept'), 'the cancel said');
    await slow(-1);
    await still(driver);
    expect((await world.until(jobId, () => true)).designs).toEqual([]);
  });
  test('a change on an older version is refused with a clear message, and the newer settings are shown', async () => {
    const { driver } = app;
    const file = inInches('two windows.stl');
    await newJob(app, 'Two windows', [file]);
    await eventually(async () => (await marksOf(driver, 'two windows'))[1] === 'stop', 'the row');
    // The other window's change arrives while this one still holds the old version.
    await driver.executeScript(
      `const f = window.fetch; window.fetch = (u, o) => { if (o && o.method === 'PATCH') { const b = JSON.parse(o.body); b.version -= 1; if (b.version < 1) b.version = 99; o = { ...o, body: JSON.stringify(b) }; } return f(u, o); }`,
    );
    await click(driver, 'Read as inches');
    await eventually(async () => (await textOf(driver, '[role=alert]')).includes('changed in another window'), 'the message');
    expect((await marksOf(driver, 'two windows'))[1]).toBe('stop');
  });
  test('an address that leads nowhere says so', async () => {
    await app.driver.get(`${app.base}/jobs/00000000-0000-4000-8000-000000000000`);
    await eventually(async () => (await textOf(app.driver, 'main')).includes('There is no such job'), 'the sentence');
    expect(await button(app.driver, 'Jobs')).toBeTruthy();
  });
});

describe('keyboard', () => {
  test('rows, the light table, its steps and the list of keys', async () => {
    const { driver } = app;
    await newJob(app, 'Keys', [dataPath('triangle_with_two_solids.stl')]);
    await eventually(async () => (await marksOf(driver, 'testTriangle_2')).length === 7, 'the rows');
    const body = await driver.findElement(By.css('body'));
    await body.sendKeys(Key.ARROW_DOWN);
    expect(await (await driver.findElement(By.css('tr[data-part=testTriangle_2]'))).getAttribute('aria-selected')).toBe('true');
    await body.sendKeys('?');
    await eventually(async () => (await textOf(driver, '[role=dialog]')).includes('step before, step after'), 'the keys');
    await driver.actions().sendKeys(Key.ESCAPE).perform();
    await eventually(async () => (await driver.findElements(By.css('[role=dialog]'))).length === 0, 'the keys closed');
    await driver.actions().sendKeys(Key.ENTER).perform();
    await driver.wait(until.urlContains('/parts/'), 15_000);
    const step = async () => (await driver.findElement(By.css('[data-test=knot][aria-current]'))).getText();
    await eventually(async () => (await step()).startsWith('Soundness'), 'the worst step first');
    await driver.actions().sendKeys(']').perform();
    await eventually(async () => (await step()).startsWith('Stance'), 'the next step');
  });
});

describe('only from here', () => {
  test('a foreign Host and a foreign Origin are refused; pages carry a policy without wide holes', async () => {
    const port = Number(new URL(app.base).port);
    const statusFor = (path: string, headers: Record<string, string>, method = 'GET') =>
      new Promise<number>((resolve, reject) => {
        request({ host: '127.0.0.1', port, path, method, headers }, (response) => resolve(response.resume().statusCode!))
          .on('error', reject)
          .end();
      });
    expect(await statusFor('/', { host: 'evil.example' })).toBe(403);
    expect(await statusFor('/api/jobs', { host: 'evil.example' })).toBe(403);
    expect(await statusFor('/api/jobs', { host: `127.0.0.1:${port}`, origin: 'http://evil.example' }, 'POST')).toBe(403);
    expect(await statusFor('/api/jobs', { host: `127.0.0.1:${port}` })).toBe(200);
    const page = await fetch(app.base);
    const policy = page.headers.get('content-security-policy')!;
    expect(policy).toMatch(/script-src 'self' 'nonce-/);
    expect(policy).not.toMatch(/script-src[^;]*unsafe|\*/);
    expect(page.headers.get('x-content-type-options')).toBe('nosniff');
  });
});
