/** Formats that are opened: one list, from which endings, pickers and sentences come. */
import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { describe, expect, test } from 'vitest';
import { formats } from '../src/formats/registry.ts';
import { acceptedEndings, endings, openedInWords } from '../src/pipeline/opened.ts';
import { formatByBytes } from '../src/pipeline/read.ts';
import { dataFile } from './data.ts';

describe('the list of formats', () => {
  test('no ending belongs to two formats, and every one is offered', () => {
    const all = formats.flatMap((f) => [...f.endings]);
    expect(new Set(all).size).toBe(all.length);
    expect(acceptedEndings.split(',').map((e) => e.slice(1))).toEqual(expect.arrayContaining(all));
    for (const { id, endings: own } of formats) for (const e of own) expect(endings[e]).toBe(id);
    for (const { id } of formats) expect(openedInWords).toContain(id);
  });
  test('bytes tell the formats apart, whatever the file is called; STL and OBJ are told by their endings', async () => {
    for (const [file, id] of [
      ['screw.step', 'STEP'],
      ['cube_binary.ply', 'PLY'],
      ['box.3mf', '3MF'],
      ['faces3d.dxf', 'DXF'],
      ['paths-data-02-t.svg', 'SVG'],
      ['Spider_binary.stl', null],
      ['sphereWithHole.stl', null],
    ] as const)
      expect([file, await formatByBytes(dataFile(file))]).toEqual([file, id]);
    for (const [text, id] of [
      ['OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n', 'OFF'],
      ['<?xml version="1.0"?><amf unit="millimeter"></amf>', 'AMF'],
      ['{"asset":{"version":"2.0"}}', 'glTF'],
      ['v 0 0 0\n', null],
    ] as const)
      expect([text, await formatByBytes(new TextEncoder().encode(text))]).toEqual([text, id]);
  });
  test('a mesh format says whether it knows what is up; a drawing format what its bare numbers are', async () => {
    for (const format of formats) {
      const { kind } = await format.load();
      expect([format.id, format.saysUp !== undefined, format.bare !== undefined]).toEqual([
        format.id,
        kind === 'mesh',
        kind === 'drawing' && format.unit !== 'stated',
      ]);
    }
  });
  test('the papers name every one', () => {
    const paper = readFileSync(fileURLToPath(new URL('../../docs/formats.md', import.meta.url)), 'utf8');
    expect(formats.filter((f) => !paper.includes(f.id)).map((f) => f.id)).toEqual([]);
  });
});
