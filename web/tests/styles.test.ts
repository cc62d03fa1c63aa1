import { readdirSync, readFileSync } from 'node:fs';
import { dirname, join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';
import { describe, expect, test } from 'vitest';

const web = join(dirname(fileURLToPath(import.meta.url)), '..');
const files = readdirSync(web, { recursive: true, encoding: 'utf8' }).filter((f) => !f.includes('node_modules') && !f.startsWith('.next'));
const text = (file: string) => readFileSync(join(web, file), 'utf8');
const sheets = files.filter((f) => f.endsWith('.module.css'));
const pages = files.filter((f) => /\.tsx?$/.test(f) && !f.startsWith('tests'));

/** Classes that a sheet has of its own, without those of antd and of the whole page. */
const ownIn = (sheet: string): Set<string> => {
  const plain = text(sheet)
    .replaceAll(/\/\*[^]*?\*\//g, '')
    .replaceAll(/:global\([^)]*\)/g, '')
    .replaceAll(/\{[^{}]*\}/g, '{}');
  return new Set([...plain.matchAll(/\.([a-zA-Z][\w-]*)/g)].map((m) => m[1]));
};

/** What a page takes of each sheet: names, or '*' where it looks one up. */
function takenBy(page: string): Map<string, Set<string>> {
  const source = text(page);
  const taken = new Map<string, Set<string>>();
  for (const [, alias, from] of source.matchAll(/import (\w+) from '([^']+\.module\.css)'/g)) {
    const sheet = from.startsWith('@/') ? from.slice(2) : relative(web, join(web, dirname(page), from));
    const names = [...source.matchAll(new RegExp(`(?<![\\w.'"/])${alias}\\.(\\w+)`, 'g'))].map((m) => m[1]).filter((name) => name !== 'module');
    taken.set(sheet, new Set(source.includes(`${alias}[`) ? [...names, '*'] : names));
  }
  return taken;
}

describe('style sheets', () => {
  const taken = pages.map((page) => ({ page, sheets: takenBy(page) }));
  test('what a page takes of a sheet is there', () => {
    const missing = taken.flatMap(({ page, sheets: of }) =>
      [...of].flatMap(([sheet, names]) => [...names].filter((n) => n !== '*' && !ownIn(sheet).has(n)).map((n) => `${page}: ${n} of ${sheet}`)),
    );
    expect(missing).toEqual([]);
  });
  test('what a sheet has is taken by a page', () => {
    const unused = sheets.flatMap((sheet) => {
      const names = taken.flatMap(({ sheets: of }) => [...(of.get(sheet) ?? [])]);
      return names.includes('*') ? [] : [...ownIn(sheet)].filter((n) => !names.includes(n)).map((n) => `${n} of ${sheet}`);
    });
    expect(unused).toEqual([]);
  });
  test('no name is left that only a sheet for the whole page could have', () => {
    const everywhere = new Set([...(text('app/globals.css') + text('shell/antd.css')).matchAll(/\.([a-z][\w-]*)/g)].map((m) => m[1]));
    const lost = pages.flatMap((page) =>
      [...text(page).matchAll(/className="([^"]*)"/g)].flatMap(([, names]) =>
        names
          .split(/\s+/)
          .filter((n) => n !== '' && !everywhere.has(n))
          .map((n) => `${page}: ${n}`),
      ),
    );
    expect(lost).toEqual([]);
  });
  test('names that a sheet takes for those of the whole page are there', () => {
    const everywhere = (text('app/globals.css') + text('shell/antd.css')).matchAll(/\.([a-z][\w-]*)/g);
    const known = new Set([...everywhere].map((m) => m[1]));
    const lost = sheets.flatMap((sheet) =>
      [...text(sheet).matchAll(/:global\(\.([\w-]+)\)/g)]
        .map((m) => m[1])
        .filter((n) => !n.startsWith('ant-') && !known.has(n))
        .map((n) => `${n} of ${sheet}`),
    );
    expect(lost).toEqual([]);
  });
  test('what holds for the whole page is short', () => {
    expect(text('app/globals.css').split('\n').length).toBeLessThanOrEqual(151);
  });
});
