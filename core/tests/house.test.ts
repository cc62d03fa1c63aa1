/** The papers say where things are: every file that docs/architecture.md names is there. */
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { format, resolveConfig } from 'prettier';
import { expect, test } from 'vitest';
import { commands } from '../src/cli/commands.ts';
import { helpByWord } from '../src/cli/help.ts';
import { helpFile } from '../src/cli/main.ts';
import { madePages } from '../src/cli/pages.ts';
import { modules } from '../src/cli/words.ts';

const root = fileURLToPath(new URL('../../', import.meta.url));
const paper = readFileSync(`${root}docs/architecture.md`, 'utf8');

test('files named with their house are there', () => {
  const named = [...paper.matchAll(/`((?:core|server|web|demo|truth|scripts|tests)\/[A-Za-z0-9/._-]*)`/g)].map((m) => m[1]);
  expect(named.length).toBeGreaterThan(30);
  expect(named.filter((file) => !existsSync(`${root}${file}`))).toEqual([]);
});

test('files named by their room of core are there', () => {
  const named = [...paper.matchAll(/`([a-z-]+\/[a-z0-9/-]+\.ts)`/g)]
    .map((m) => m[1])
    .filter((file) => !/^(core|server|web|demo|truth|scripts|tests)\//.test(file));
  expect(named.length).toBeGreaterThan(5);
  expect(
    named.filter((file) => !existsSync(`${root}core/src/${file}`) && !existsSync(`${root}core/${file}`) && !existsSync(`${root}server/src/${file}`)),
  ).toEqual([]);
});

test('pages that are made from the registries are up to date', async () => {
  for (const [name, text] of Object.entries(madePages())) {
    const file = `${root}docs/${name}`;
    const meant = await format(text, { ...(await resolveConfig(file)), parser: 'markdown' });
    expect(readFileSync(file, 'utf8') === meant, `docs/${name}: run "npm run docs"`).toBe(true);
  }
});

test('the README leads on to every page, and is short', () => {
  const readme = readFileSync(`${root}README.md`, 'utf8');
  const pages = readdirSync(`${root}docs`).filter((n) => n.endsWith('.md'));
  expect(pages.filter((page) => !readme.includes(`(docs/${page})`))).toEqual([]);
  expect(readme.split('\n').length).toBeLessThanOrEqual(150);
});

test('links between pages lead to files', () => {
  for (const page of [
    'README.md',
    ...readdirSync(`${root}docs`)
      .filter((n) => n.endsWith('.md'))
      .map((n) => `docs/${n}`),
  ]) {
    const folder = page.startsWith('docs/') ? 'docs/' : '';
    const links = [...readFileSync(`${root}${page}`, 'utf8').matchAll(/\]\((?!https?:|#)([^)#]+)/g)].map((m) => m[1]);
    expect({ page, lost: links.filter((link) => !existsSync(`${root}${folder}${link}`)) }).toEqual({ page, lost: [] });
  }
});

test("what is written in WebAssembly's text is what its bytes are", async () => {
  const { texts, moduleOf } = (await import(`${root}scripts/wasm.mjs`)) as { texts: string[]; moduleOf(text: string): Promise<string> };
  for (const text of texts) {
    const bytes = readFileSync(`${root}${text.replace(/\.wat$/, '.wasm.ts')}`, 'utf8');
    expect(bytes === (await moduleOf(readFileSync(`${root}${text}`, 'utf8'))), `${text}: run "npm run wasm"`).toBe(true);
  }
});

test("the picture of core's rooms shows those that lint holds, and each is a folder", async () => {
  const { layersSvg, rooms } = (await import(`${root}scripts/rooms.mjs`)) as { layersSvg(names: string[]): string; rooms: string[] };
  expect(readFileSync(`${root}docs/pictures/layers.svg`, 'utf8') === layersSvg(rooms), 'run "npm run docs"').toBe(true);
  expect(rooms.filter((room) => !existsSync(`${root}core/src/${room}`))).toEqual([]);
});

test('the help that is written is the help of the commands, and each word alone loads its own', async () => {
  const written = JSON.parse(readFileSync(helpFile, 'utf8')) as Record<string, string>;
  expect(written, 'run "npm run docs"').toEqual(helpByWord(commands));
  for (const [word, load] of Object.entries(modules)) expect(await load(), word).toBe(commands.find((c) => c.word === word));
});

test("every command that runs the pages' framework keeps it from telling anybody", () => {
  const { scripts } = JSON.parse(readFileSync(`${root}package.json`, 'utf8')) as { scripts: Record<string, string> };
  for (const [name, line] of Object.entries(scripts))
    if (/(^|\s)next\s/.test(line)) expect({ name, off: line.includes('NEXT_TELEMETRY_DISABLED=1 next') }).toEqual({ name, off: true });
  expect(readFileSync(`${root}scripts/machine.mjs`, 'utf8')).toContain("process.env.NEXT_TELEMETRY_DISABLED = '1'");
});
