/** The example of every command, as the command reference shows it, on the designs of the demo. */
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { execFileSync } from 'node:child_process';
import { fileURLToPath, pathToFileURL } from 'node:url';
import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { commands } from '../src/cli/commands.ts';
import { main } from '../src/cli/main.ts';

const demo = (name: string) => pathToFileURL(fileURLToPath(new URL(`../../demo/dist/${name}.js`, import.meta.url))).href;

/** Writes the demo's designs to a folder, in a process of its own: the demo is made with the built core. */
const designs = (folder: string) => `
  const { writeFileSync } = await import('node:fs');
  const [a, b, c, d, e, f, g] = await Promise.all([import('${demo('designs')}'), import('${demo('drawings')}'), import('${demo('sheets')}'), import('${demo('cases')}'), import('${demo('tubes')}'), import('${demo('boards')}'), import('${demo('patches')}')]);
  for (const { name, fileName, bytes, data } of [...(await a.demoFiles()), ...b.demoDrawings(), ...(await c.demoSheets()), ...(await d.demoCases()), ...(await e.demoTubes()), ...(await f.demoBoards()), ...(await g.demoPatches())])
    writeFileSync(${JSON.stringify(folder)} + '/' + (name ?? fileName), bytes ?? data);
  writeFileSync(${JSON.stringify(folder)} + '/shop.csv', e.demoBendRules);
`;

let folder = '';
const before = process.cwd();
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'tall-kite-examples-'));
  execFileSync(process.execPath, ['--input-type=module', '-e', designs(folder)]);
  mkdirSync(join(folder, 'designs'));
  writeFileSync(
    join(folder, 'designs', 'crate.svg'),
    '<svg xmlns="http://www.w3.org/2000/svg" width="80mm" height="50mm" viewBox="0 0 80 50"><rect width="80" height="50"/></svg>',
  );
  const mark =
    '<svg xmlns="http://www.w3.org/2000/svg" width="200" height="200"><rect width="200" height="200" fill="#fff"/><path d="M100 20L160 90L100 180L40 90Z"/></svg>';
  writeFileSync(join(folder, 'sail-mark.png'), await sharp(Buffer.from(mark)).png().toBuffer());
  writeFileSync(join(folder, 'recipe.json'), JSON.stringify({ job: 'Wind station', lines: [{ name: 'sheet', choose: {}, receiver: 'swift', format: 'dxf' }] }));
  process.chdir(folder);
}, 120_000);
afterAll(() => {
  process.chdir(before);
  rmSync(folder, { recursive: true, force: true });
});

/** Words as a shell splits them; quotes hold a word together. */
const words = (line: string) => [...line.matchAll(/"([^"]*)"|(\S+)/g)].map((m) => m[1] ?? m[2]);

describe('examples of the command reference', () => {
  test.each(commands.map((c) => [c.word, c.example] as const))(
    '%s',
    async (word, example) => {
      let [out, err] = ['', ''];
      const argv = words(example);
      expect(argv[0]).toBe(word);
      await main([...argv, '--json'], (t) => (out += t), (t) => (err += t)); // prettier-ignore
      expect(err).toBe('');
      const json = JSON.parse(out) as { error?: unknown };
      expect(json.error).toBeUndefined();
    },
    120_000,
  );
});
