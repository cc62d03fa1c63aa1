import { spawn, type ChildProcess } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, readFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { Builder, By, until, type WebDriver, type WebElement } from 'selenium-webdriver';
import chrome from 'selenium-webdriver/chrome.js';
import { makeWorld, type World } from '../../server/tests/world.ts';

const root = fileURLToPath(new URL('../..', import.meta.url));
export const dataPath = (name: string) => join(root, 'core', 'tests', 'data', name);

export interface App extends Site {
  driver: WebDriver;
  downloads: string;
}

export interface Site {
  world: World;
  base: string;
  close(): Promise<void>;
}

/** A worker and the web process on a database of their own; with `releases` a folder for released files and the receivers' inboxes too. */
export async function startSite(releases = false): Promise<Site> {
  const inboxPort = releases ? await freePort() : 0;
  const more: Record<string, string> = releases
    ? { RELEASE_DIR: mkdtempSync(join(tmpdir(), 'tall-kite-released-')), INBOX_URL: `http://127.0.0.1:${inboxPort}` }
    : {};
  const world = await makeWorld(undefined, more);
  if (releases) await world.inboxes(inboxPort);
  world.worker();
  const port = await freePort();
  const env = {
    ...process.env,
    ...more,
    DATABASE_URL: world.url,
    DATA_DIR: world.dataDir,
    NODE_ENV: 'production',
    HOST: '127.0.0.1',
    NEXT_TELEMETRY_DISABLED: '1',
  } as NodeJS.ProcessEnv;
  const args = [join(root, 'node_modules/next/dist/bin/next'), 'start', join(root, 'web'), '-H', '127.0.0.1', '-p', String(port)];
  const web: ChildProcess = spawn(process.execPath, args, { env, stdio: ['ignore', 'ignore', 'inherit'] });
  const base = `http://127.0.0.1:${port}`;
  const up = () =>
    fetch(`${base}/api/health`).then(
      (r) => r.ok,
      () => false,
    );
  await eventually(up, 'the pages being served');
  return {
    world,
    base,
    async close() {
      web.kill('SIGTERM');
      await world.close();
    },
  };
}

/** The whole app, and a browser at 1280 x 800. */
export async function startApp(releases = false): Promise<App> {
  const site = await startSite(releases);
  const downloads = mkdtempSync(join(tmpdir(), 'tall-kite-downloads-'));
  const driver = await startBrowser(downloads);
  return {
    ...site,
    driver,
    downloads,
    async close() {
      await driver.quit();
      await site.close();
    },
  };
}

async function startBrowser(downloads: string): Promise<WebDriver> {
  const options = new chrome.Options();
  options.setChromeBinaryPath('/usr/bin/chromium');
  options.addArguments(
    '--headless=new',
    '--no-sandbox',
    '--disable-dev-shm-usage',
    '--use-angle=swiftshader',
    '--enable-unsafe-swiftshader',
    // Pages are put together without the pretended graphics card, which draws the tables; nothing moves that the page lets be.
    '--disable-gpu-compositing',
    '--force-prefers-reduced-motion',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
    '--no-first-run',
    `--user-data-dir=${mkdtempSync(join(tmpdir(), 'tall-kite-chromium-'))}`,
  );
  options.setUserPreferences({ 'download.default_directory': downloads, 'download.prompt_for_download': false });
  const service = new chrome.ServiceBuilder('/usr/bin/chromedriver');
  const driver = await new Builder().forBrowser('chrome').setChromeOptions(options).setChromeService(service).build();
  mkdirSync(downloads, { recursive: true });
  // A picture drawn without a graphics card on a busy machine takes its time.
  await driver.manage().setTimeouts({ script: 120_000 });
  // The window is set until what is seen of the page is 1280 x 800: it takes a new size only after a while, and has a frame.
  let [width, height] = [1280, 800];
  await driver.manage().window().setRect({ width, height });
  let before = '';
  const isSet = async () => {
    const [w, h] = (await driver.executeScript('return [innerWidth, innerHeight]')) as [number, number];
    if (w === 1280 && h === 800) return true;
    // It is asked for another size only when it has come to rest, and only by a frame: a size from before would send it far off.
    const rests = `${w} ${h}` === before;
    before = `${w} ${h}`;
    if (!rests) return false;
    if (Math.abs(w - width) < 300 && Math.abs(h - height) < 300) [width, height] = [width + 1280 - w, height + 800 - h];
    await driver.manage().window().setRect({ width, height });
    return false;
  };
  await eventually(isSet, 'a window of 1280 x 800', 40, 200);
  return driver;
}

const pause = (ms: number) => new Promise((r) => setTimeout(r, ms));

/** Waits until a page stands still: nothing moves on it, and nothing more has been fetched since it was looked at before. */
export async function still(driver: WebDriver): Promise<void> {
  let before = -1;
  await eventually(
    async () => {
      const [moving, fetched] = await driver.executeScript<[boolean, number]>(
        `return [document.getAnimations().some((a) => a.playState === 'running'), performance.getEntriesByType('resource').length]`,
      );
      const same = !moving && fetched === before;
      before = fetched;
      return same;
    },
    'the page standing still',
    40,
    200,
  );
}

/** How long is waited between two looks, ms: little at first, since most things are there at once. */
const [firstPause, longestPause] = [20, 200];

/** Waits for a condition, at most some seconds; gives what it returned. @param every ms between two looks; usually few at first, then more */
export async function eventually<T>(look: () => Promise<T | null | undefined | false>, what: string, seconds = 40, every?: number): Promise<T> {
  let last: unknown = null;
  let wait = every ?? firstPause;
  for (const until = performance.now() + seconds * 1000; performance.now() < until;) {
    try {
      const found = await look();
      if (found) return found;
    } catch (thrown) {
      last = thrown;
    }
    await pause(wait);
    wait = every ?? Math.min(longestPause, wait * 1.6);
  }
  throw new Error(`${what}: not within ${seconds} s${last ? ` (${(last as Error).message})` : ''}`);
}

/**
 * A page whose longest task takes no longer than this many of its own sorts of 200,000 numbers still answers promptly
 * (about 200 ms on an idle machine: "good" of Interaction to Next Paint, web.dev/articles/inp).
 */
export const prompt = 8;

/**
 * Longest task of the page's main thread in a round, as a multiple of what this very browser takes for a piece of work of its own
 * just before and just after, so that a busy machine asks no more of the page. The least of at most three rounds, since a
 * processor that another program takes for a moment is not the page's doing.
 */
export async function longestTask(driver: WebDriver, round: () => Promise<void>): Promise<number> {
  const pace = () =>
    driver.executeScript<number>(
      'const took = []; for (let n = 0; n < 5; n++) { const t = performance.now(); const list = Array.from({ length: 200000 }, (_, i) => (i * 7919) % 200003); list.sort((a, b) => a - b); took.push(performance.now() - t); } return took.sort((a, b) => a - b)[2];',
    );
  await driver.executeScript(
    'window.longest = 0; new PerformanceObserver((l) => l.getEntries().forEach((e) => (window.longest = Math.max(window.longest, e.duration)))).observe({ type: "longtask" });',
  );
  let least = Infinity;
  for (let i = 0; i < 3 && least >= prompt; i++) {
    const before = await pace();
    await driver.executeScript('window.longest = 0');
    await round();
    const longest = await driver.executeScript<number>('return window.longest');
    least = Math.min(least, longest / Math.max(before, await pace()));
  }
  return least;
}

export const button = (driver: WebDriver, text: string): Promise<WebElement> =>
  driver.wait(
    until.elementLocated(By.xpath(`//*[self::button or self::a][contains(normalize-space(.), ${JSON.stringify(text)})]`)),
    5_000,
  ) as unknown as Promise<WebElement>;

/** Whether the page answers: React puts its own marks on what it has taken over from the server's page; before that, what is done to it is lost. */
const answers = (driver: WebDriver, element: WebElement) =>
  driver.executeScript<boolean>('return Object.keys(arguments[0]).some((key) => key.startsWith("__react"))', element);

/** What a CSS selector finds, once the page answers. */
const answering = (driver: WebDriver, css: string): Promise<WebElement> =>
  eventually(async () => {
    const element = await driver.findElement(By.css(css));
    return (await answers(driver, element)) ? element : null;
  }, `${css} of a page that answers`);

/** Clicks on something once the page answers. */
export async function clickOn(driver: WebDriver, element: WebElement): Promise<void> {
  if (!(await answers(driver, element))) throw new Error('the page does not answer yet');
  // One that waits for what was just changed: a click on it would do nothing.
  if (!(await element.isEnabled())) throw new Error('it can not be clicked yet');
  await element.click();
}

export async function click(driver: WebDriver, text: string): Promise<void> {
  await eventually(async () => {
    await clickOn(driver, await button(driver, text));
    return true;
  }, `a click on "${text}"`);
}

/** Chooses on a ledger where a new part comes from. */
export async function makeBy(driver: WebDriver, what: string): Promise<void> {
  await click(driver, 'Make…');
  await eventually(async () => {
    await clickOn(driver, await driver.findElement(By.xpath(`//li[@role='menuitem'][contains(normalize-space(.), ${JSON.stringify(what)})]`)));
    return true;
  }, `a click on "${what}"`);
}

/** Clicks on what a CSS selector finds. */
export async function press(driver: WebDriver, css: string): Promise<void> {
  await eventually(async () => {
    await clickOn(driver, await driver.findElement(By.css(css)));
    return true;
  }, `a click on ${css}`);
}

/** Opens a fold, or ticks what a label says. */
export async function tick(driver: WebDriver, text: string): Promise<void> {
  await eventually(async () => {
    const path = `//*[self::label or contains(@class, 'ant-collapse-header') or contains(@class, 'ant-radio-wrapper')][contains(normalize-space(.), ${JSON.stringify(text)})]`;
    await clickOn(driver, await driver.findElement(By.xpath(path)));
    return true;
  }, `a click on "${text}"`);
}

const select = "*[contains(concat(' ', @class, ' '), ' ant-select ')]";

/** Takes an option of the choice with this name, or under a label with these words: by its value, or by words that it shows. */
export async function chooseIn(driver: WebDriver, label: string, wanted: string): Promise<void> {
  const named = JSON.stringify(label);
  const place = By.xpath(`//*[@aria-label=${named}]/ancestor::${select} | //label[contains(normalize-space(.), ${named})]//${select}`);
  await eventually(async () => {
    const box = await driver.findElement(place);
    if (!(await box.getAttribute('class'))!.includes('ant-select-open')) await box.click();
    const options = await driver.findElements(By.css('.ant-select-dropdown:not(.ant-select-dropdown-hidden) .ant-select-item-option'));
    const values = await Promise.all(options.map(async (o) => (await o.findElement(By.css('[data-value]'))).getAttribute('data-value')));
    const words = await Promise.all(options.map((o) => o.getText()));
    const at = values.includes(wanted) ? values.indexOf(wanted) : words.findIndex((w) => w.includes(wanted));
    if (at >= 0) await options[at].click();
    if (at >= 0) return true;
    return false;
  }, `${label} chosen`);
}

export const textOf = async (driver: WebDriver, css: string) => (await driver.findElement(By.css(css))).getText();

/** Makes a job through the page and brings files in through its own input. */
export async function newJob(app: App, name: string, files: string[]): Promise<string> {
  const { driver, base } = app;
  await driver.get(base);
  const input = await answering(driver, '#job-name');
  await input.sendKeys(name);
  await click(driver, 'Make the job');
  await driver.wait(until.urlContains('/jobs/'), 40_000);
  if (files.length > 0) await bring(app, files);
  return (await driver.getCurrentUrl()).split('/').pop()!;
}

export async function bring({ driver }: App, files: string[]): Promise<void> {
  const input = await answering(driver, '[data-test=files]');
  await input.sendKeys(files.join('\n'));
}

/** The marks of a row's steps, as a screen reader hears them. */
export async function marksOf(driver: WebDriver, part: string): Promise<string[]> {
  const script = `return [...(document.querySelector('tr[data-part=' + JSON.stringify(arguments[0]) + ']')?.cells ?? [])]
    .map((cell) => [...cell.querySelectorAll('[data-test=strand] .visually-hidden')].at(-1)?.textContent.trim()).filter(Boolean)`;
  return driver.executeScript<string[]>(script, part);
}

/** Waits for a finished download with this ending. */
export async function downloaded(folder: string, ending: string): Promise<{ name: string; bytes: Buffer }> {
  return eventually(async () => {
    const names = readdirSync(folder);
    const name = names.find((f) => f.endsWith(ending));
    // The browser keeps the name by an empty file while it loads beside it.
    if (!name || names.some((f) => f.endsWith('.crdownload'))) return null;
    const bytes = readFileSync(join(folder, name));
    return bytes.length > 0 ? { name, bytes } : null;
  }, `download of *${ending}`);
}

function freePort(): Promise<number> {
  return new Promise((resolve) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address() as { port: number };
      server.close(() => resolve(port));
    });
  });
}
