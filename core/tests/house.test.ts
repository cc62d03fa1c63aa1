/** The papers say where things are: every file that docs/architecture.md names is there. */
import { existsSync, readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { expect, test } from 'vitest';

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
