/** Surfaces laid flat: a sail in gores from its light table to the DXF downloaded, read by an independent reader; faces of a solid chosen by a click; what can't be spread says so. */
import { execFileSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { By, Key } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { demoPatches } from '../../demo/src/patches.ts';
import { chooseIn, click, downloaded, eventually, newJob, startApp, textOf, type App, press as pressOn } from './app.ts';

let app: App;
let jobId: string;
let parts: { id: string; name: string }[];
const folder = mkdtempSync(join(tmpdir(), 'tall-kite-spread-'));
beforeAll(async () => {
  app = await startApp();
  const files = (await demoPatches()).map((f) => {
    const file = join(folder, f.name);
    writeFileSync(file, f.bytes);
    return file;
  });
  jobId = await newJob(app, 'Sails', files);
  await eventually(async () => (await app.world.until(jobId, () => true)).parts.length === 3, 'the parts', 90);
  parts = (await app.world.until(jobId, () => true)).parts;
});
afterAll(() => app?.close());

const press = (test: string) => pressOn(app.driver, `[data-test=${test}]`);
const figures = () => textOf(app.driver, '[data-test=spread-figures]');
const partNamed = (name: string) => parts.find((p) => p.name.includes(name))!;
const open = (name: string) => app.driver.get(`${app.base}/jobs/${jobId}/spread/${partNamed(name).id}`);
/** Types into one of antd's number fields. */
const count = async (test: string, value: number) => {
  const field = await app.driver.findElement(By.css(`[data-test=${test}], [data-test=${test}] input`));
  await field.sendKeys(Key.chord(Key.CONTROL, 'a'), String(value), Key.TAB);
};

describe('the dome sail', () => {
  test('an open surface is a patch: no volume, no stop, and its way is spreading', async () => {
    const { driver, base } = app;
    await driver.get(`${base}/jobs/${jobId}/parts/${partNamed('sail').id}?step=soundness`);
    await eventually(async () => (await textOf(driver, 'aside[data-test=panel]')).includes('patch, 3,096 triangles'), 'the patch');
    expect(await textOf(driver, 'aside[data-test=panel]')).toMatch(/Area\s+23,250.9 cm²/);
    await driver.get(`${base}/jobs/${jobId}/parts/${partNamed('sail').id}?step=spread`);
    await press('to-spread');
    await eventually(async () => (await driver.findElements(By.css('[data-test=surface]'))).length === 1, 'the surface');
  });
  test('in six gores: seams as long on both sides, stretch with its bound; the map changes with what is inked', async () => {
    const { driver } = app;
    await chooseIn(driver, 'Divide it', 'gores');
    await press('spread');
    await eventually(async () => (await driver.findElements(By.css('[data-test=spread-proposal]'))).length === 1, 'the proposal', 120);
    const seamRows = () => driver.findElements(By.css('[data-test=spread-seams] tbody tr.ant-table-row'));
    // The list unfolds after the proposal stands.
    await eventually(async () => (await seamRows()).length === 6, 'the six seams');
    const rows = await seamRows();
    const lengths = await Promise.all(
      rows.map(async (r) =>
        (await r.getText())
          .split('\n')
          .slice(1)
          .join(' ')
          .match(/[\d.]+(?= mm)/g),
      ),
    );
    for (const row of lengths) expect([row![1], row![2]]).toEqual([row![0], row![0]]);
    expect(await figures()).toMatch(/flat longer by at most[\s\S]*a cap as bent: 1.0\d+ at least[\s\S]*pieces\s*6/);
    const scale = () => textOf(driver, '[data-test=stretch-scale]');
    expect(await scale()).toContain('smaller on the flat');
    await driver.findElement(By.xpath("//*[contains(@class, 'ant-segmented-item')][contains(., 'Most lengthened')]")).click();
    await eventually(async () => (await scale()).includes('longer, +'), 'the other inks');
    // A seam that is pressed stands out; pressed again it does not.
    const seam = await driver.findElement(By.css('[data-test=spread-seams] tbody button'));
    await seam.click();
    await eventually(async () => (await seam.getAttribute('aria-pressed')) === 'true', 'the seam chosen');
  });
  test('other choices are told as not in the picture yet; turned by the keys; kept, written and downloaded: ezdxf finds six pieces', async () => {
    const { driver } = app;
    await count('cuts', 0);
    const canvas = await driver.findElement(By.css('[data-test=surface]'));
    const drawn = async () => (await canvas.getAttribute('data-drawn'))!.split(' ').map(Number);
    const [turn, lean] = await drawn();
    await canvas.sendKeys(Key.ARROW_RIGHT, Key.ARROW_RIGHT);
    await eventually(async () => (await drawn())[0] !== turn, 'the surface turned');
    await canvas.sendKeys(Key.HOME);
    await eventually(async () => String(await drawn()) === String([turn, lean]), 'the surface turned back');
    await press('keep-spread');
    const flat = await eventually(async () => (await app.world.until(jobId, () => true)).parts.find((p) => p.name.endsWith('spread')), 'the flat', 60);
    await driver.get(`${app.base}/jobs/${jobId}/parts/${flat.id}?step=file`);
    await eventually(async () => {
      await driver.findElement(By.xpath("//button[contains(., 'Write')]")).click();
      return true;
    }, 'the file asked for');
    const file = await eventually(
      async () => (await app.world.until(jobId, () => true)).parts.find((p) => p.id === flat.id)?.file?.evidence && true,
      'the file',
      90,
    );
    expect(file).toBe(true);
    const written = (await app.world.until(jobId, () => true)).parts.find((p) => p.id === flat.id)!;
    const evidence = written.file!.evidence!;
    expect([written.recipe.receiver.name, evidence.verdict]).toEqual(['Dunlin', 'clear']);
    for (const name of ['Laid back on the surface', 'Two sides of a seam', 'Seams to the surface', 'Area of the pieces'])
      expect(evidence.claims.map((c) => c.quantity)).toContain(name);
    await driver.get(`${app.base}/jobs/${jobId}/parts/${flat.id}?step=received`);
    await press('download');
    const { bytes } = await downloaded(app.downloads, '.dxf');
    writeFileSync(join(folder, 'sail.dxf'), bytes);
    const script = `
import ezdxf, sys
doc = ezdxf.readfile(sys.argv[1])
m = doc.modelspace()
print(doc.audit().errors, len(m.query('LWPOLYLINE[layer=="CUT"]')), len(m.query('*[layer=="MARKS"]')) > 100)`;
    expect(execFileSync('/usr/bin/python3', ['-c', script, join(folder, 'sail.dxf')], { encoding: 'utf8' }).trim()).toBe('[] 6 True');
  });
});

describe('the cone of the post cover', () => {
  test('all of it is closed: told what to do; a click chooses a face, which unrolls exactly', async () => {
    const { driver } = app;
    await open('Post cover');
    await press('spread');
    await eventually(async () => (await textOf(driver, '[role=status]')).includes('closed all round'), 'why not', 60);
    await driver.findElement(By.xpath("//button[contains(., 'Understood')]")).click();
    const canvas = await eventually(async () => driver.findElement(By.css('[data-test=surface]')), 'the part');
    await eventually(async () => {
      await driver.actions().move({ origin: canvas, x: 0, y: 60 }).click().perform();
      return (await textOf(driver, '[data-test=spread-faces]')).startsWith('2');
    }, 'the cone chosen');
    await count('cuts', 1);
    await press('spread');
    await eventually(async () => (await figures()).includes('it unrolls exactly'), 'the cone unrolled', 90);
    expect(await textOf(driver, '[data-test=spread-cuts]')).toContain('cut 1');
  });
});

const show = (words: string) =>
  eventually(async () => {
    await app.driver.findElement(By.xpath(`//*[contains(@class, 'ant-segmented-item')][contains(., '${words}')]`)).click();
    return true;
  }, words);
const surface = () => eventually(async () => app.driver.findElement(By.css('[data-test=surface]')), 'the part');
/** Clicks so many pixels beside the middle of the picture. */
const clickAt = async (x: number, y: number) => {
  const canvas = await surface();
  await app.driver.actions().move({ origin: canvas, x, y }).click().perform();
};
const area = () => textOf(app.driver, '[data-test=spread-area]');
const flatArea = async () => Number((await figures()).match(/surface, flat\s*([\d.]+) cm²/)![1]);

test('a cut drawn by hand from the top of the seat pad to its border: told as not in the picture yet, listed, taken out', async () => {
  const { driver } = app;
  await open('Seat pad');
  await show('Cuts by hand');
  await eventually(async () => {
    await clickAt(0, 0);
    return (await driver.findElements(By.css('[data-test=cut-to-border]'))).length === 1;
  }, 'the cut begun');
  await press('cut-to-border');
  await eventually(async () => (await textOf(driver, '[data-test=cut-lines]')).includes('to the border'), 'the cut listed');
  await driver.findElement(By.css('[aria-label="Take out cut 1"]')).click();
  await eventually(async () => (await driver.findElements(By.css('[data-test=cut-lines]'))).length === 0, 'the cut taken out');
});

test('a cut through several places as a smooth curve, a place taken back, ended where it is', async () => {
  const { driver } = app;
  await open('Seat pad');
  await show('Cuts by hand');
  await surface();
  const places = () => textOf(driver, '[data-test=cut-bar]');
  for (const [k, [x, y]] of [
    [-60, 0],
    [0, 12],
    [60, 0],
    [20, -10],
  ].entries()) {
    await clickAt(x, y);
    await eventually(async () => (await places()).includes(`${k + 1} place`), `place ${k + 1}`);
  }
  await click(driver, 'Last place back');
  await eventually(async () => (await places()).includes('3 places'), 'the last one back');
  await click(driver, 'End the cut');
  await eventually(async () => /cut from .* through 1 place to /.test((await textOf(driver, '[data-test=cut-lines]')).replace(/\s+/g, ' ')), 'the cut listed');
});

describe('a part of the seat pad', () => {
  let whole: number;
  test('within a loop: places round it, a place within; less is spread than the whole pad', async () => {
    const { driver } = app;
    await open('Seat pad');
    whole = (await app.world.until(jobId, () => true)).parts.find((p) => p.id === partNamed('Seat pad').id)!.summary.area / 100;
    await show('A part of them');
    await surface();
    for (const [x, y] of [[-70, -20], [70, -20], [70, 25], [-70, 25]]) await clickAt(x, y); // prettier-ignore
    await click(driver, 'Close the loop');
    await eventually(async () => (await textOf(driver, '[data-test=area-bar]')).includes('Click a place within the loop'), 'closed');
    await clickAt(0, 0);
    await eventually(async () => (await area()).includes('within a loop of 4 places'), 'the loop taken');
    await press('spread');
    await eventually(async () => (await figures().catch(() => '')) !== '' && (await flatArea()) < 0.9 * whole, 'a part of the pad', 120);
  });
  test('painted: the brush drawn over it, taken, spread, kept, written and downloaded: as large as what was painted', async () => {
    const { driver, base } = app;
    await show('A part of them');
    await click(driver, 'Take all of it again');
    await show('Painted');
    const field = await driver.findElement(By.css('[aria-label^="Radius of the brush"]'));
    await field.sendKeys(Key.chord(Key.CONTROL, 'a'), '60', Key.TAB);
    const canvas = await surface();
    await driver.actions().move({ origin: canvas, x: -40, y: 0 }).press().move({ origin: canvas, x: 0, y: 4 }).move({ origin: canvas, x: 40, y: 0 }).release().perform(); // prettier-ignore
    await click(driver, 'Take what is painted');
    await eventually(async () => /what \d+ dabs painted/.test(await area()), 'what was painted');
    await press('spread');
    const disc = (Math.PI * 6 * 6) / 1;
    await eventually(
      async () => (await figures().catch(() => '')) !== '' && (await flatArea()) > disc && (await flatArea()) < 0.9 * whole,
      'what was painted, spread',
      120,
    );
    const painted = await flatArea();
    await press('keep-spread');
    const flat = await eventually(async () => (await app.world.until(jobId, () => true)).parts.find((p) => p.name.includes('Seat pad') && p.name.endsWith('spread')), 'the flat', 60); // prettier-ignore
    await driver.get(`${base}/jobs/${jobId}/parts/${flat.id}?step=file`);
    await click(driver, 'Write');
    const written = await eventually(
      async () => (await app.world.until(jobId, () => true)).parts.find((p) => p.id === flat.id && p.file?.evidence),
      'the file',
      90,
    );
    expect(written.file!.evidence!.claims.find((c) => c.quantity === 'Laid back on the surface')!.verdict).not.toBe('stop');
    await driver.get(`${base}/jobs/${jobId}/parts/${flat.id}?step=received`);
    await press('download');
    const { bytes } = await downloaded(app.downloads, written.file!.fileName!);
    const file = join(folder, 'painted.dxf');
    writeFileSync(file, bytes);
    // The outline's area by an independent reader, in mm2.
    const script = `
import ezdxf, sys
from ezdxf.path import make_path
from shapely.geometry import Polygon
areas = []
for e in ezdxf.readfile(sys.argv[1]).modelspace():
    if e.dxftype() in ('LWPOLYLINE', 'POLYLINE', 'SPLINE', 'CIRCLE'):
        p = list(make_path(e).flattening(0.01))
        if len(p) > 3: areas.append(Polygon([(q.x, q.y) for q in p]).area)
print(max(areas))
`;
    const largest = Number(execFileSync('/usr/bin/python3', ['-c', script, file]).toString());
    expect(Math.abs(largest / 100 / painted - 1)).toBeLessThan(0.1);
  });
});

test('up to the rim of the seat pad by one click, a line drawn on it, the rim at its length; the line is in the file downloaded', async () => {
  const { driver, base } = app;
  await open('Seat pad');
  await show('A part of them');
  await show('Up to edges');
  await surface();
  // Near the front of the rim: what it runs on into is the rim all round.
  await clickAt(0, 110);
  await click(driver, 'These are all');
  await eventually(async () => (await textOf(driver, '[data-test=area-bar]')).includes('Click a place within the edges'), 'the edge chosen');
  await clickAt(0, 0);
  await eventually(async () => (await area()).includes('up to the edge that was clicked'), 'the top taken');
  await show('Lines to draw');
  await clickAt(-80, 0);
  await clickAt(80, 0);
  await click(driver, 'End the line');
  await eventually(async () => (await textOf(driver, '[data-test=drawn-lines]')).includes('line through 2 places'), 'the line listed');
  await show('Kept edges');
  await clickAt(0, 110);
  await eventually(async () => (await textOf(driver, '[data-test=kept-edges]')).includes('keeps its length'), 'the rim listed');
  await press('spread');
  const kept = await eventually(async () => (await figures()).match(/kept edge, on the flat\s*([\d,.]+) mm, ([\d,.]+) mm/), 'the rim on the flat', 120);
  expect(Math.abs(Number(kept[1].replace(',', '')) - Number(kept[2].replace(',', '')))).toBeLessThan(0.011);
  await press('keep-spread');
  const flat = await eventually(async () => (await app.world.until(jobId, () => true)).parts.filter((p) => p.name.includes('Seat pad') && p.name.includes('spread'))[1], 'the flat', 60); // prettier-ignore
  await driver.get(`${base}/jobs/${jobId}/parts/${flat.id}?step=file`);
  await click(driver, 'Write');
  const written = await eventually(
    async () => (await app.world.until(jobId, () => true)).parts.find((p) => p.id === flat.id && p.file?.evidence),
    'the file',
    90,
  );
  expect(written.file!.evidence!.verdict).not.toBe('stop');
  await driver.get(`${base}/jobs/${jobId}/parts/${flat.id}?step=received`);
  await press('download');
  const { bytes } = await downloaded(app.downloads, written.file!.fileName!);
  const file = join(folder, 'lined.dxf');
  writeFileSync(file, bytes);
  const script = `
import ezdxf, sys
from ezdxf.path import make_path
long = 0
for e in ezdxf.readfile(sys.argv[1]).modelspace():
    if e.dxf.layer == 'ENGRAVE':
        p = list(make_path(e).flattening(0.01))
        long = max(long, sum(a.distance(b) for a, b in zip(p, p[1:])))
print(long)
`;
  // Names and the arrow are shorter than a line over a third of the pad (400 mm).
  expect(Number(execFileSync('/usr/bin/python3', ['-c', script, file]).toString())).toBeGreaterThan(60);
});
