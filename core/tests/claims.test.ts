import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from 'vitest';
import { claimsInWords } from '../src/prove/claims.ts';

const source = join(import.meta.dirname, '..', 'src');
const code = ['prove', 'pipeline'].flatMap((room) =>
  readdirSync(join(source, room))
    .filter((f) => f !== 'claims.ts')
    .map((f) => readFileSync(join(source, room, f), 'utf8')),
);

describe('claims in words', () => {
  test('every name that the code gives a claim is described, and none that it does not', () => {
    const used = new Set<string>();
    for (const text of code) {
      for (const [, name] of text.matchAll(/\b(?:within|same|atMost)\(\s*'([^']+)'/g)) used.add(name);
      for (const [, list] of text.matchAll(/\[((?:'[^']+'(?:, )?)+)\]\.map\(\(name, k\) => within/g))
        for (const [, name] of list.matchAll(/'([^']+)'/g)) used.add(name);
      for (const [, list] of text.matchAll(/const kindNames = \{([^}]+)\}/g)) for (const [, name] of list.matchAll(/'([^']+)'/g)) used.add(name);
    }
    // The two sides of a drawing are those of a solid under their own letters.
    for (const name of ['Width X', 'Height Y']) used.delete(name);
    const described = claimsInWords.flatMap((c) => c.names);
    expect([...used].sort()).toEqual([...described].sort());
    expect(new Set(described).size).toBe(described.length);
  });
});
