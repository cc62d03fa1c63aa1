/** Text from files and people: what any store can keep; and nothing that a few bytes could keep at work for ever. */
import { describe, expect, test } from 'vitest';
import { Unusable } from '../src/base/finding.ts';
import { cutTo, longestName, shownFileName, sound, soundData } from '../src/base/sound.ts';
import { formats } from '../src/formats/registry.ts';
import { nodeKernels } from '../src/kernel/load.ts';
import { formatByBytes, readDesign } from '../src/pipeline/read.ts';
import { safeFileName } from '../src/recipe/recipe.ts';
import { dataFile } from './data.ts';
import { dice } from './data.more.ts';

const utf8 = (text: string) => new TextEncoder().encode(text);

describe('sound text', () => {
  test('control characters go, halves of characters are shown, everything else stays', () => {
    expect(sound('a\u0000b\u001f\u007f')).toBe('ab');
    expect(sound('\ud83d\ude00 é 漢 \u0020\u0080')).toBe('\ud83d\ude00 é 漢 \u0020\u0080');
    expect(sound('\ud83d')).toBe('\ufffd');
    expect(sound('\ude00\ud83d\ude00\ud83d')).toBe('\ufffd\ud83d\ude00\ufffd');
    expect(sound('\ude00\ude00')).toBe('\ufffd\ufffd');
  });
  test('random code units: always well-formed, as the language itself says, and what was sound is not touched', () => {
    const random = dice(5);
    for (let i = 0; i < 3000; i++) {
      const units = Array.from({ length: random(8) }, () => [random(0x80), 0xd800 + random(0x800), 0x4e00 + random(99)][random(3)]);
      const made = sound(String.fromCharCode(...units));
      expect(made).toBe((made as unknown as { toWellFormed(): string }).toWellFormed());
      expect(sound(made)).toBe(made);
    }
  });
  test('of data: texts and keys, at any depth; numbers, arrays of numbers and nothing stay', () => {
    const list = new Float64Array([1, 2]);
    const made = soundData({ 'a\u0000': ['x\u0001', { b: '\ud800' }], n: 1.5, none: null, list, on: true });
    expect(made).toEqual({ a: ['x', { b: '\ufffd' }], n: 1.5, none: null, list, on: true });
    expect((made as unknown as { list: Float64Array }).list).toBe(list);
    expect(Object.getPrototypeOf(soundData(JSON.parse('{"__proto__":{"x":1}}')))).toBe(Object.prototype);
  });
  test('what is thrown can be kept too', () => {
    expect(new Unusable('x', 'The name "a\u0000b\ud800" is none.', 'Mend it.').message).toBe('The name "ab\ufffd" is none.');
  });
});

describe('names of files', () => {
  test.each([
    ['C:\\parts\\..\\mast.stl', 'mast.stl'],
    ['../../etc/Hélix part.stl', 'Hélix part.stl'],
    ['a\u0007b\u0000.stl', 'ab.stl'],
    // Reads as "partlts.exe" backwards: the mark is shown.
    ['part\u202elts.exe', 'part\ufffdlts.exe'],
    ['\u2066x\u2069.dxf', '\ufffdx\ufffd.dxf'],
    ['///', ''],
    ['  ', ''],
  ])('%j is shown as %j', (name, shown) => expect(shownFileName(name)).toBe(shown));
  test('255 bytes stay, 256 are cut before the ending, never within a character', () => {
    const at = `${'a'.repeat(longestName - 4)}.stl`;
    expect(shownFileName(at)).toBe(at);
    expect(shownFileName(`b${at}`)).toBe(`b${'a'.repeat(longestName - 5)}.stl`);
    for (const letter of ['é', '漢', '\ud83d\ude00']) {
      for (let lead = 0; lead < 5; lead++) {
        const cut = shownFileName(`${'x'.repeat(lead)}${letter.repeat(200)}.step`);
        expect(utf8(cut).length).toBeLessThanOrEqual(longestName);
        expect(utf8(cut).length).toBeGreaterThan(longestName - 4);
        expect(cut).toMatch(new RegExp(`^x*(${letter})+\\.step$`));
      }
    }
    expect(utf8(shownFileName('é'.repeat(300))).length).toBe(254);
  });
});

test('a mesh of which nothing is left is no part without a size', async () => {
  const cut = `${['o a', 'v 0 0 0', 'v 1e400 0 0', 'v 0 1 0', 'f 1 2 3', 'o b', 'v 0 0 0', 'v 1 0 0', 'v 0 1 0', 'f 4 5 6'].join('\n')}\n`;
  const { parts, findings } = await readDesign(utf8(cut), 'a.obj', nodeKernels);
  expect(parts.map((p) => p.summary.triangles)).toEqual([1]);
  expect(findings.map((f) => f.code)).toContain('no-triangles');
  const off = 'OFF\n3 1 0\n0 0 0\n1e400 0 0\n0 1 0\n3 0 1 2\n';
  expect((await readDesign(utf8(off), 'a.off', nodeKernels)).parts).toEqual([]);
});

describe('found by the fuzz run', () => {
  const gltf = (more: object) => utf8(JSON.stringify({ asset: { version: '2.0' }, scenes: [{ nodes: [0] }], nodes: [{ mesh: 0 }], meshes: [{ primitives: [] }], ...more })); // prettier-ignore
  test.each([
    ['buffers', { buffers: {} }],
    ['a buffer', { buffers: [null] }],
    ['nodes', { nodes: 'x' }],
    ['nodes of a scene', { scenes: [{ nodes: 7 }] }],
    ['primitives', { meshes: [{ primitives: [null] }] }],
    ['a place', { nodes: [{ mesh: 0, matrix: 'x' }] }],
  ])('a glTF whose %s are none is refused in a sentence', async (_, more) => {
    await expect(readDesign(gltf(more), 'a.gltf', nodeKernels)).rejects.toMatchObject({ name: 'Unusable', code: 'gltf-broken' });
  });
  test('places so far off that their volume is no number are left out and told; nearer ones stay', async () => {
    const box = (far: string) => utf8(['v 0 0 0', `v ${far} 0 0`, 'v 0 9 0', 'v 0 0 9', 'f 1 3 2', 'f 1 2 4', 'f 2 3 4', 'f 1 4 3'].join('\n'));
    const [near] = (await readDesign(box('1e100'), 'a.obj', nodeKernels)).parts;
    expect([near.summary.triangles, Number.isFinite(near.summary.volume)]).toEqual([4, true]);
    const [left] = (await readDesign(box('1.01e100'), 'a.obj', nodeKernels)).parts;
    expect(left.summary.triangles).toBe(1);
  });
});

describe('names of files that are written', () => {
  test.each([
    ['evil\u202elts.exe', 'evil_lts.exe'],
    ['a\ud800b', 'a\ufffdb'],
    ['CON', 'part_CON'],
    ['..\\..\\x', 'x'],
    ['tab\there', 'tab_here'],
  ])('%j becomes %j', (name, safe) => expect(safeFileName(name)).toBe(safe));
  test('120 characters and 200 bytes are taken, one more is not; no character is cut', () => {
    expect(safeFileName('a'.repeat(120))).toHaveLength(120);
    expect(safeFileName('a'.repeat(121))).toHaveLength(120);
    expect(safeFileName('é'.repeat(100))).toBe('é'.repeat(100));
    expect(safeFileName('é'.repeat(101))).toBe('é'.repeat(100));
    expect(safeFileName('\ud83d\ude00'.repeat(100))).toBe('\ud83d\ude00'.repeat(50));
    // The 120th is the first half of one.
    expect(safeFileName(`a${'\ud83d\ude00'.repeat(100)}`)).toBe(`a${'\ud83d\ude00'.repeat(49)}`);
    expect(cutTo('aé漢', 2)).toBe('a');
    expect([3, 5, 6].map((n) => cutTo('aé漢', n))).toEqual(['aé', 'aé', 'aé漢']);
  });
});

describe('names within files', () => {
  const box = ['v 0 0 0', 'v 1 0 0', 'v 0 1 0', 'v 0 0 1', 'f 1 3 2', 'f 1 2 4', 'f 2 3 4', 'f 1 4 3'].join('\n');
  const step = dataFile('cube-mm.step').toString('latin1');
  test.each([
    ['NUL in an OBJ', 'a.obj', `o a\u0000b\n${box}`],
    [
      'NUL and half a character in a STEP name',
      'a.step',
      step.replace(/PRODUCT\('[^']*','[^']*'/, "PRODUCT('x\\X\\00y\\X2\\D83D\\X0\\','x\\X\\00y\\X2\\D83D\\X0\\'"),
    ],
    ['half a character in a DXF layer', 'a.dxf', '0\nSECTION\n2\nENTITIES\n0\nLINE\n8\na\\U+D83Db\\U+0000\n10\n0\n20\n0\n11\n9\n21\n5\n0\nENDSEC\n0\nEOF\n'],
    [
      'a number for NUL in an SVG',
      'a.svg',
      '<svg xmlns="http://www.w3.org/2000/svg" width="9mm" height="9mm" viewBox="0 0 9 9"><g id="a&#1;b&#xd83d;"><path d="M0 0L5 5"/></g></svg>',
    ],
    ['NUL in the sizes of a shape', 'a.json', '{"shape": "co\\u0000ne", "lower": 120}'],
  ])('%s: whatever comes of it can be kept', async (_, name, text) => {
    const design = await readDesign(Buffer.from(text, 'latin1'), name, nodeKernels).catch((thrown: unknown) => {
      if (!(thrown instanceof Unusable)) throw thrown;
      return { failure: { message: thrown.message, remedy: thrown.remedy } };
    });
    const kept = JSON.stringify(design, (key, value) => (key === 'geometry' ? undefined : value));
    expect(kept).not.toMatch(/\\u00[01]|\\ud[89a-f]/);
    if ('parts' in design)
      for (const { geometry, summary } of design.parts)
        if (geometry.kind === 'drawing') expect(geometry.drawing.layers.map((l) => l.name)).toEqual(summary.drawing!.layers.map((l) => l.name));
  });
});

describe('a few bytes keep nothing at work for ever', () => {
  const pieces = [
    '\n',
    ' ',
    ';',
    '0',
    '1',
    '.',
    '-',
    '#',
    '/',
    '(',
    ')',
    '"',
    "'",
    '<',
    '&',
    '%',
    '*',
    '\\',
    '=',
    ',',
    'M',
    'T',
    'G',
    'url(',
    '<!--',
    '/*',
    '\r\n',
    '\t',
    '\0',
    '_',
    '; \n',
    'solid ',
    '[',
    '{"a":',
  ];
  // One more quantifier within another is felt at some thirty signs; one after another at some ten thousand.
  const texts = pieces.flatMap((p) => [p.repeat(40), p.repeat(4000), `${p.repeat(40)}X`, `${p.repeat(4000)}X`, `X${p.repeat(4000)}!`]);
  test('telling the format of any of them takes a few seconds in all at most', async () => {
    await formatByBytes(utf8('x'));
    const from = process.cpuUsage().user;
    for (const text of texts) await formatByBytes(utf8(text));
    expect(process.cpuUsage().user - from).toBeLessThan(1e6 * 5);
  });
  test.each(formats.flatMap((f) => f.endings.slice(0, 1)))('as .%s: read or refused in a sentence', async (ending) => {
    for (const text of texts) {
      const from = process.cpuUsage().user;
      await readDesign(utf8(text), `x.${ending}`, nodeKernels).catch((thrown: unknown) => {
        if (!(thrown instanceof Unusable) || thrown.code === 'unexpected') throw new Error(`${JSON.stringify(text.slice(0, 60))}: ${(thrown as Error).stack}`);
        expect(thrown.message).toMatch(/\.$/);
      });
      expect({ text: text.slice(0, 20), took: process.cpuUsage().user - from > 4e6 }).toEqual({ text: text.slice(0, 20), took: false });
    }
  });
  test('a name of a million signs is made a file name at once', () => {
    for (const p of ['-', '.', ' ', '_-. ', 'a-']) {
      const from = process.cpuUsage().user;
      expect(safeFileName(`x${p.repeat(500_000)}y`).length).toBeLessThanOrEqual(120);
      expect(process.cpuUsage().user - from).toBeLessThan(2e6);
    }
  });
});
