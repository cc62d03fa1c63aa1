import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { By, Key } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { SolidBuilder } from 'tall-kite/kernel/build';
import { workingKernel } from 'tall-kite/kernel/load';
import { foldedPart } from 'tall-kite/kernel/sheet-build';
import { chooseIn, click, downloaded, eventually, makeBy, newJob, startApp, textOf, tick, type App } from './app.ts';

let app: App;
const folder = mkdtempSync(join(tmpdir(), 'tall-kite-sheets-'));
beforeAll(async () => {
  app = await startApp();
});
afterAll(async () => {
  await app?.close();
  rmSync(folder, { recursive: true, force: true });
});

type P2 = [number, number];
const rect = (w: number, h: number): P2[] => [[0, 0], [w, 0], [w, h], [0, h]]; // prettier-ignore
/** A bracket with two bends, three holes and a stud, as STEP; and a closed tube. */
async function files(): Promise<{ bracket: string; tube: string }> {
  const b = new SolidBuilder(await workingKernel());
  const bracket = foldedPart(
    b,
    2,
    {
      outline: rect(80, 50),
      holes: [{ at: [15, 25], r: 4 }],
      flanges: [
        { from: [80, 0], to: [80, 50], angle: 90, radius: 3, up: true, wall: { outline: rect(50, 30), holes: [{ at: [25, 12], r: 3 }] } },
        { from: [0, 50], to: [0, 0], angle: 45, radius: 2, up: true, wall: { outline: rect(50, 20), holes: [{ at: [25, 10], r: 2 }] } },
      ],
    },
    { also: [b.cylinder([50, 25, 0], [0, 0, 1], 3, 12)] },
  );
  const tube = b.cut(b.cylinder([0, 0, 0], [0, 0, 1], 20, 50), b.cylinder([0, 0, -1], [0, 0, 1], 18, 60));
  const write = (name: string, shape: typeof tube) => {
    const file = join(folder, `${name}.step`);
    writeFileSync(file, b.step(name, [{ name, colour: '#8a93a6', shape, places: [[0, 0, 0]] }]));
    return file;
  };
  return { bracket: write('bracket', bracket), tube: write('tube', tube) };
}

const panel = () => textOf(app.driver, '[data-test=panel]');
const choose = (label: string, value: string) => chooseIn(app.driver, label, value);
async function open(jobId: string, name: string, step = 'unfold'): Promise<void> {
  const { parts } = await app.world.until(jobId, (j) => j.parts.some((p) => p.name === name));
  await app.driver.get(`${app.base}/jobs/${jobId}/parts/${parts.find((p) => p.name === name)!.id}?step=${step}`);
}
/** The fold slider to its low end. */
const unfold = async () => (await app.driver.findElement(By.css('[data-test=fold] .ant-slider-handle'))).sendKeys(Key.HOME);
/** Box of what is laid over the design, in mm, from the stage itself. */
const overBox = () =>
  app.driver.executeScript(`
    const group = lightTable.received ?? null;
    let low = [1e9, 1e9, 1e9], high = [-1e9, -1e9, -1e9];
    group.traverse((o) => { const p = o.geometry?.getAttribute?.('position'); if (p && o.isMesh) for (let i = 0; i < p.count; i++) for (let k = 0; k < 3; k++) {
      const v = p.array[i * 3 + k]; low[k] = Math.min(low[k], v); high[k] = Math.max(high[k], v); } });
    return high.map((v, k) => v - low[k]);
  `) as Promise<number[]>;

describe('folded sheet', () => {
  test('from upload over the bend table in the stores, the fold slider and the proof to the DXF, the CSV and the picture', async () => {
    const { bracket } = await files();
    // A bend table typed into the stores.
    await app.driver.get(`${app.base}/stores?of=bends`);
    await click(app.driver, 'New bend table');
    const form = await eventually(() => app.driver.findElement(By.css('form[aria-label="New bend table"]')), 'the form');
    const inputs = await form.findElements(By.css('input'));
    await inputs[0].sendKeys('Shop steel');
    await inputs[1].sendKeys('steel');
    const cell = (label: string) => form.findElement(By.css(`[aria-label=${JSON.stringify(label)}]`));
    await (await cell('Row 1, inside radius, mm')).sendKeys('3');
    await (await cell('Row 1, K-factor')).sendKeys('0,42');
    await click(app.driver, 'One more row');
    await (await cell('Row 2, inside radius, mm')).sendKeys(Key.chord(Key.CONTROL, 'a'), '2');
    await (await cell('Row 2, angle, °')).sendKeys('45');
    await (await cell('Row 2, K-factor')).sendKeys('0.4');
    await click(app.driver, 'Keep the table');
    await eventually(async () => (await textOf(app.driver, '[data-test=stored]')).includes('Shop steel'), 'the table kept');

    const jobId = await newJob(app, 'Sheets', [bracket]);
    await open(jobId, 'bracket');
    await eventually(async () => (await app.driver.findElements(By.css('[aria-label="Bends counted by"]'))).length > 0, 'the choices');
    await choose('Bends counted by', 'Shop steel');
    await tick(app.driver, 'More');
    await tick(app.driver, 'Checked for the press brake');
    await click(app.driver, 'Unfold it');
    await eventually(async () => (await app.driver.findElements(By.css('[data-test=fold][data-ready=yes]'))).length > 0, 'the proposal, folded', 60);
    const said = await panel();
    expect(said).toContain('Shop steel, K 0.42');
    expect(said).toContain('Shop steel, K 0.4');
    expect(said).toContain('under 0.001 mm');
    // Force by (1 + 4 T / V) Rm L T2 / V: 2 mm of 420 MPa over 16, 50 mm long.
    expect(said).toContain(`${((1.5 * 420 * 50 * 4) / 16 / 1000).toFixed(1)} kN`);
    expect(said).toMatch(/boss, up\s+6\.00 × 6\.00 mm/);
    // Folded it is as large as the design without its stud; flat it is as thick as the sheet.
    await eventually(async () => Math.abs((await overBox())[2] - 35) < 0.01, 'folded: 30 + 3 + 2 mm high');
    await unfold();
    await eventually(async () => Math.abs((await overBox())[2] - 2) < 0.001, 'flat: 2 mm thick');
    const flatLength = 80 + 30 + 20 + (Math.PI / 2) * (3 + 0.84) + (Math.PI / 4) * (2 + 0.8);
    expect((await overBox())[0]).toBeCloseTo(flatLength, 2);
    await click(app.driver, 'Keep it');

    // The flat is a drawing of its own: bends, table, picture.
    await open(jobId, 'bracket flat', 'layers');
    await eventually(async () => (await app.driver.findElements(By.css('[data-test=fold][data-ready=yes]'))).length > 0, 'the bends panel, folded', 60);
    const links = await app.driver.findElements(By.css('[data-test=bendspanel] a'));
    const [csv, picture] = await Promise.all(links.map(async (a) => (await fetch((await a.getAttribute('href'))!)).text()));
    expect(csv.trim().split('\r\n')).toHaveLength(3);
    expect(csv).toContain('"Shop steel, K 0.42"');
    expect(picture).toContain('up 90°');
    await click(app.driver, 'Write');
    await eventually(async () => (await textOf(app.driver, '[data-test=evidence]')).includes('agree'), 'the evidence', 60);
    const job = await app.world.until(jobId, (j) => j.parts.some((p) => p.file?.state === 'written'));
    const flat = job.parts.find((p) => p.name === 'bracket flat')!;
    expect(flat.file!.evidence!.claims.find((c) => c.quantity === 'Fold-back')).toMatchObject({ verdict: 'clear' });
    await app.driver.get(`${app.base}/jobs/${jobId}/parts/${flat.id}?step=received`);
    await click(app.driver, 'Download');
    const { bytes } = await downloaded(app.downloads, '.dxf');
    // Read by somebody else's reader: layers, one outline, three holes, no complaint.
    const file = join(folder, 'read.dxf');
    writeFileSync(file, bytes);
    const script = fileURLToPath(new URL('../../core/tests/readers/dxf.py', import.meta.url));
    const [read] = JSON.parse(execFileSync('/usr/bin/python3', [script, file], { encoding: 'utf8' }));
    expect(read).toMatchObject({ errors: 0, fixes: 0, units: 4, layers: { CUT: 1, HOLES: 3, BEND_UP: 2, MARKS: 2, TEXT: 2 } });
    expect(read.circles).toEqual([4, 6, 8].map((d) => expect.closeTo(d, 9)));
    const sizes = [read.max[0] - read.min[0], read.max[1] - read.min[1]].sort((p: number, q: number) => p - q);
    expect(sizes).toEqual([50, flatLength].map((v) => expect.closeTo(v, 6)));
  });
  test('a tube that closes on itself says why and what to do, and the part stays as it was', async () => {
    const { tube } = await files();
    const jobId = await newJob(app, 'Tube', [tube]);
    await open(jobId, 'tube');
    await eventually(async () => (await app.driver.findElements(By.css('[aria-label="Bends counted by"]'))).length > 0, 'the choices');
    await click(app.driver, 'Unfold it');
    await eventually(async () => /closes on itself.*Rip it along its length/s.test(await panel()), 'the reason', 60);
    expect((await app.world.until(jobId, () => true)).parts).toHaveLength(1);

    // Picked twice, it is ripped there, and lies flat: as long as its neutral fibre less the seam.
    await click(app.driver, 'Pick two walls');
    const canvas = await app.driver.findElement(By.css('canvas'));
    for (let k = 0; k < 2; k++) await app.driver.actions().move({ origin: canvas }).click().perform();
    await eventually(async () => /down face \d/.test(await panel()), 'the rip named');
    await click(app.driver, 'Unfold it');
    await eventually(async () => (await app.driver.findElements(By.css('[data-test=fold][data-ready=yes]'))).length > 0, 'the proposal, folded', 60);
    await unfold();
    await eventually(async () => Math.max(...(await overBox())) > 100, 'flat');
    expect(await panel()).toContain('under 0.001 mm');
  });
  test('a material of the stores brings its bend table and its weight; one that does not come so thick is told', async () => {
    const { bracket } = await files();
    const tables = await (await fetch(`${app.base}/api/stores/bends`)).json(); // prettier-ignore
    const table = (tables as { id: string; table: { name: string } }[]).find((t) => t.table.name === 'Shop steel')!;
    const keep = (name: string, thickness: number) =>
      fetch(`${app.base}/api/stores/materials`, {
        method: 'POST',
        headers: { 'Content-Type': 'application/json', Origin: app.base },
        body: JSON.stringify({ name, also: [], density: 7.8, comes: [{ thickness, minus: 0.1, plus: 0.1 }], bends: table.id }),
      });
    expect((await keep('Mast steel', 2)).status).toBe(200);
    expect((await keep('Thin steel', 1)).status).toBe(200);
    const jobId = await newJob(app, 'Materials', [bracket]);
    const { parts } = await app.world.until(jobId, (j) => j.parts.length === 1);
    await app.world.db.updateTable('parts').set({ thickness: 2, material: 'thin steel' }).where('id', '=', parts[0].id).execute();
    await open(jobId, 'bracket');
    await eventually(async () => (await textOf(app.driver, '[data-test=thickness-doubt]')).includes('Thin steel does not come 2 mm thick; the stores have 1 ± 0.1 mm'), 'the doubt'); // prettier-ignore
    const field = await app.driver.findElement(By.css('[data-test=flatten] input[aria-label=Material]'));
    await field.sendKeys(Key.chord(Key.CONTROL, 'a'), 'mast', Key.ARROW_DOWN, Key.ENTER);
    await eventually(async () => (await app.driver.findElements(By.css('[data-test=thickness-doubt]'))).length === 0, 'no doubt');
    await click(app.driver, 'Unfold it');
    await eventually(async () => (await app.driver.findElements(By.css('[data-test=fold][data-ready=yes]'))).length > 0, 'the proposal, folded', 60);
    expect(await panel()).toContain('Shop steel, K 0.42');
    expect(await panel()).toContain('Mast steel');
  });
  test('a cone from its sizes: shown while it is typed, made, written, and read by another reader as its sector', async () => {
    const { tube } = await files();
    const jobId = await newJob(app, 'Sizes', [tube]);
    await app.driver.get(`${app.base}/jobs/${jobId}`);
    await makeBy(app.driver, 'From sizes…');
    const field = (id: string) => eventually(() => app.driver.findElement(By.css(`#sizes-${id}`)), id);
    const shape = await field('shape');
    await shape.sendKeys(Key.ARROW_DOWN);
    await shape.sendKeys(Key.ARROW_DOWN, Key.ENTER);
    const type = async (id: string, text: string) => (await field(id)).sendKeys(Key.chord(Key.CONTROL, 'a'), text);
    await eventually(async () => /Still to type: diameter below/.test(await textOf(app.driver, '[data-test=sizesflat]')), 'what is missing');
    for (const [id, text] of [['lower', '120'], ['upper', '60'], ['height', '0'], ['thickness', '1,5']] as const) await type(id, text); // prettier-ignore
    await eventually(async () => /height must be greater than or equal to 1/i.test(await textOf(app.driver, '[data-test=sizesflat]')), 'a wrong size told');
    await type('height', '100');
    await eventually(async () => /Flat 331\.93 × 145\.12 mm/.test(await textOf(app.driver, '[data-test=sizesflat]')), 'the flat shown');
    await type('name', 'Hood');
    await click(app.driver, 'Make it');
    const job = await app.world.until(jobId, (j) => j.parts.some((p) => p.name === 'Hood'));
    const part = job.parts.find((p) => p.name === 'Hood')!;
    expect(part.findings.map((f) => [f.code, f.severity])).toContainEqual(['developed', 'clear']);
    await open(jobId, 'Hood');
    await click(app.driver, 'Write');
    await eventually(async () => (await textOf(app.driver, '[data-test=evidence]')).includes('agree'), 'the evidence', 60);
    await app.driver.get(`${app.base}/jobs/${jobId}/parts/${part.id}?step=received`);
    await click(app.driver, 'Download');
    const { bytes } = await downloaded(app.downloads, 'Hood_mm.dxf');
    const file = join(folder, 'hood.dxf');
    writeFileSync(file, bytes);
    const script = fileURLToPath(new URL('../../core/tests/readers/dxf.py', import.meta.url));
    const [read] = JSON.parse(execFileSync('/usr/bin/python3', [script, file], { encoding: 'utf8' }));
    // Lateral area of the middle of the sheet, pi s (R + r); inside sizes and 1.5 mm of sheet.
    const slant = Math.hypot(100, 30);
    expect(read.area / (Math.PI * slant * (60.75 + 30.75))).toBeCloseTo(1, 4);
  });
  test('a table as CSV is brought in with its bad line told, taken away and brought back', async () => {
    await app.driver.get(`${app.base}/stores?of=bends`);
    const csv = join(folder, 'brass 1mm.csv');
    writeFileSync(csv, 'radius,angle,deduction\n1,90,1.7\n1,x,2\n');
    await (await eventually(() => app.driver.findElement(By.css('input[type=file]')), 'the file input')).sendKeys(csv);
    const page = () => textOf(app.driver, 'main');
    await eventually(async () => /"brass 1mm" came in with 1 row\..*Line 3/s.test(await page()), 'what came in');
    const section = await eventually(() => app.driver.findElement(By.css('section[aria-label="brass 1mm"]')), 'the table');
    await section.findElement(By.xpath('.//button[normalize-space()="Take away"]')).click();
    await eventually(async () => (await app.driver.findElements(By.css('section[aria-label="brass 1mm"]'))).length === 0, 'taken away');
    await click(app.driver, 'Undo');
    await eventually(async () => (await app.driver.findElements(By.css('section[aria-label="brass 1mm"]'))).length === 1, 'back again');
  });
});
