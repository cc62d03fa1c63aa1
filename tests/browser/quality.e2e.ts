import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { By } from 'selenium-webdriver';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { click, dataPath, eventually, marksOf, newJob, pause, startApp, type App } from './app.ts';

const axe = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');
let app: App;
let jobId: string;
let partId: string;
let flatId: string;
beforeAll(async () => {
  app = await startApp();
  jobId = await newJob(app, 'Quality', [dataPath('as1-oc-214.stp'), dataPath('Spider_binary.stl'), dataPath('paths-data-02-t.svg')]);
  await eventually(async () => (await marksOf(app.driver, 'plate')).length === 7 && (await marksOf(app.driver, 'Spider_binary')).length === 7, 'the rows', 60);
  const { parts } = await app.world.until(jobId, (j) => j.parts.some((p) => p.name === 'paths-data-02-t'));
  partId = parts.find((p) => p.name === 'l-bracket')!.id;
  flatId = parts.find((p) => p.name === 'paths-data-02-t')!.id;
});
afterAll(() => app?.close());

/** Serious and critical findings of axe-core on the page as it stands. */
async function serious(): Promise<string[]> {
  await app.driver.executeScript(axe);
  const violations = (await app.driver.executeAsyncScript(`const done = arguments[0]; window.axe.run().then((r) => done(r.violations))`)) as {
    id: string;
    impact: string;
    nodes: { html: string }[];
  }[];
  return violations.filter((v) => v.impact === 'serious' || v.impact === 'critical').map((v) => `${v.id}: ${v.nodes[0].html.slice(0, 160)}`);
}

test('axe-core finds nothing serious on any main view, in both themes', async () => {
  const { driver, base } = app;
  const views = [
    '/',
    `/jobs/${jobId}`,
    '/receivers',
    ...['source', 'size', 'soundness', 'stance', 'facets', 'file', 'received'].flatMap((s) =>
      [partId, flatId].map((id) => `/jobs/${jobId}/parts/${id}?step=${s}`),
    ),
  ];
  for (const theme of ['light', 'dark']) {
    for (const view of views) {
      await driver.get(base + view);
      await driver.executeScript(`localStorage.setItem('tall-kite-theme', '${theme}')`);
      await driver.navigate().refresh();
      await eventually(async () => (await driver.findElements(By.css('main'))).length > 0, view);
      await pause(view.includes('parts') ? 1500 : 700);
      expect({ view, theme, found: await serious() }).toEqual({ view, theme, found: [] });
    }
  }
  await driver.executeScript(`localStorage.setItem('tall-kite-theme', 'light')`);
});

test('first load of the Ledger: at most 350 kB of JavaScript (gzip); three and the kernel are not among it', async () => {
  const { driver, base } = app;
  await driver.get(`${base}/jobs/${jobId}`);
  await eventually(async () => (await marksOf(driver, 'plate')).length === 7, 'the rows');
  await pause(500);
  const scripts = (await driver.executeScript(
    `return performance.getEntriesByType('resource').filter((e) => e.initiatorType === 'script' || /\\.js($|\\?)/.test(e.name)).map((e) => [e.name, e.encodedBodySize])`,
  )) as [string, number][];
  const total = scripts.reduce((sum, [, size]) => sum + size, 0);
  console.log(`Ledger: ${(total / 1000).toFixed(0)} kB of JavaScript in ${scripts.length} files`);
  expect(total).toBeGreaterThan(50_000);
  expect(total).toBeLessThanOrEqual(350_000);
  expect(scripts.some(([name]) => name.includes('/kernel/'))).toBe(false);
});

test('no page scrolls at 1280 x 800, and no script of ours fails', async () => {
  const { driver, base } = app;
  for (const view of ['/', `/jobs/${jobId}`, ...[partId, flatId].map((id) => `/jobs/${jobId}/parts/${id}?step=facets`)]) {
    await driver.get(base + view);
    await pause(1200);
    const [wide, high] = (await driver.executeScript(
      'return [document.documentElement.scrollWidth - innerWidth, document.documentElement.scrollHeight - innerHeight]',
    )) as number[];
    expect({ view, wide: Math.max(0, wide), high: Math.max(0, high) }).toEqual({ view, wide: 0, high: 0 });
  }
  await click(driver, 'Side by side').catch(() => {});
  const severe = (await driver.manage().logs().get('browser')).filter((l) => l.level.name === 'SEVERE' && !/status of (409|404)/.test(l.message));
  expect(severe.map((l) => l.message)).toEqual([]);
});
