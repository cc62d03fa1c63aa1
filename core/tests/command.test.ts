/** What is typed on the command line, read option by option; figures in words; one triangle at a time. */
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { bytesText, counted, countText, lengthText, threeLengths } from '../src/base/figures.ts';
import { Unusable } from '../src/base/finding.ts';
import { Sets } from '../src/base/sets.ts';
import { command, toFile, toFolder } from '../src/command/command.ts';
import { choice, choiceOrNone, each, flag, millimetres, parsed, text, typedName } from '../src/command/option.ts';
import { parse } from '../src/command/parse.ts';
import { axisOf, directionOf, knownLengthOf, planeOf, threeOf, turnOf } from '../src/command/vectors.ts';
import { commands } from '../src/cli/commands.ts';
import { helpOf, helpOfAll } from '../src/cli/help.ts';
import { Triangle } from '../src/geometry/triangle.ts';
import { measureMesh } from '../src/geometry/mesh.ts';
import { boxMesh } from './data.ts';

const options = {
  width: millimetres([1, 10], 'How wide.'),
  fast: flag('Quickly.'),
  name: text('NAME', 'Its name.'),
  kind: choice(['round', 'square'], 'round', 'Which.'),
  unit: choiceOrNone(['mm', 'in'], 'Its unit.'),
  at: parsed('X,Y,Z', 'Where.', threeOf),
  turn: each('z=90', 'Turned.', turnOf),
};
const base = { takes: 'IN', least: 1, most: 2, options, does: '', example: '', run: () => Promise.reject(new Error('not run')) };
const list = [command({ ...base, word: 'make', out: toFile }), command({ ...base, word: 'fill', out: toFolder, options: { depth: millimetres([0, 5], '') } })];
const asked = (...argv: string[]) => {
  const typed = parse(list, argv);
  return typed.help ? 'help' : typed.asked;
};
const refusal = (...argv: string[]) => {
  try {
    asked(...argv);
    return 'taken';
  } catch (thrown) {
    if (!(thrown instanceof Unusable)) throw thrown;
    return `${thrown.message} ${thrown.remedy}`;
  }
};

describe('options', () => {
  test('what is left away has its usual value', () => {
    expect(asked('make', 'a', '--out', 'b.stl')).toEqual({
      files: ['a'],
      out: 'b.stl',
      width: null,
      fast: false,
      name: null,
      kind: 'round',
      unit: null,
      at: null,
      turn: [],
    });
  });
  test('all typed, in any order, with an equals sign or without; some as often as needed', () => {
    expect(
      asked(
        'make',
        '--turn',
        'z=90',
        'a',
        '--width=2.5',
        '--fast',
        '--at',
        '-1,2,3',
        '--turn',
        'x=-45',
        '--kind',
        'square',
        '--unit',
        'in',
        'b',
        '--out',
        'c.3mf',
      ),
    ).toEqual({
      files: ['a', 'b'],
      out: 'c.3mf',
      width: 2.5,
      fast: true,
      name: null,
      kind: 'square',
      unit: 'in',
      at: [-1, 2, 3],
      turn: [{ axis: 2, degrees: 90 }, { axis: 0, degrees: -45 }], // prettier-ignore
    });
  });
  test.each(['1', '10'])('a number at its limit, %s, is taken', (width) =>
    expect(asked('make', 'a', '--out', 'b.stl', '--width', width)).toMatchObject({ width: Number(width) }),
  );
  test.each(['0.999', '10.001', 'wide', '', ' ', '1mm', 'NaN', '1e999'])('"%s" is no number from 1 to 10 mm', (width) =>
    expect(refusal('make', 'a', '--out', 'b.stl', '--width', width)).toContain('--width must be a number from 1 to 10 mm'),
  );
  test.each([
    [['make'], '"make" needs a file.'],
    [['make', 'a', 'b', 'c', '--out', 'd.stl'], '2 files at a time'],
    [['make', 'a'], 'Add --out FILE, ending in .stl, .3mf, .obj, .ply or .step.'],
    [['fill', 'a'], 'Add --out DIR.'],
    [['make', 'a', '--out', 'b.doc'], '"b.doc" ends in no format'],
    [['make', 'a', '--out', 'b.stl', '--depth', '1'], '"make" takes no --depth. It takes --json, --out, --width'],
    [['make', 'a', '--out', 'b.stl', '--colour', 'red'], 'See "tall-kite make --help".'],
    [['make', 'a', '--out', 'b.stl', '--kind', 'oval'], '--kind must be one of round, square, not "oval".'],
    [['make', 'a', '--out', 'b.stl', '--name'], '--name'],
    [['unmake', 'a'], 'There is no command "unmake".'],
    [['help', 'unmake'], 'There is no command "unmake".'],
  ])('%j is refused: %s', (argv, why) => expect(refusal(...argv)).toContain(why));
  test('help is asked for in four ways', () => {
    for (const argv of [[], ['help'], ['--help'], ['make', '--help'], ['help', 'make'], ['make', '-h']]) expect(asked(...argv)).toBe('help');
    expect(parse(list, ['make', '-h', '--json'])).toMatchObject({ help: true, of: { word: 'make' }, json: true });
  });
  test('names are typed with dashes', () => expect(['fromUnit', 'wall', 'dxfVersion'].map(typedName)).toEqual(['from-unit', 'wall', 'dxf-version']));
});

describe('vectors', () => {
  test.each([
    [() => axisOf('a', 'Y'), 1],
    [() => directionOf('a', '-z'), [0, 0, -1]],
    [() => directionOf('a', '+x'), [1, 0, 0]],
    [() => directionOf('a', '0, 2 ,0'), [0, 2, 0]],
    [() => planeOf('p', 'z=12.5'), { normal: [0, 0, 1], offset: 12.5 }],
    [() => planeOf('p', '1,0,1=-20'), { normal: [1, 0, 1], offset: -20 }],
    [() => knownLengthOf('k', 'x=1524'), { axis: 0, length: 1524 }],
    [() => turnOf('t', 'y=1e1'), { axis: 1, degrees: 10 }],
  ] as const)('%s', (read, value) => expect(read()).toEqual(value));
  test.each([
    () => axisOf('a', 'w'),
    () => directionOf('a', '0,0,0'),
    () => threeOf('a', '1,2'),
    () => threeOf('a', '1,,3'),
    () => threeOf('a', '1,2,1e8'),
    () => planeOf('p', 'z'),
    () => planeOf('p', 'z=1=2'),
    () => knownLengthOf('k', 'x=0'),
    () => knownLengthOf('k', 'x=-5'),
    () => turnOf('t', 'z=3601'),
  ])('%s is refused', (read) => expect(read).toThrow('must be like'));
});

describe('the real commands', () => {
  test('each stands once; its help says every option and an example that begins with it', () => {
    expect(new Set(commands.map((c) => c.word)).size).toBe(commands.length);
    for (const c of commands) {
      const help = helpOf(c);
      for (const key of Object.keys(c.options)) expect(help).toContain(`--${typedName(key)}`);
      expect(c.example.split(' ')[0]).toBe(c.word);
      expect(helpOfAll(commands)).toContain(`tall-kite ${c.word} `);
    }
  });
  test('an option is of one kind, value or none, in every command, so that words can be told from values', () => {
    const kinds = new Map<string, boolean>();
    for (const c of commands)
      for (const [key, o] of Object.entries(c.options)) {
        expect([c.word, key, kinds.get(key) ?? o.hint === null]).toEqual([c.word, key, o.hint === null]);
        kinds.set(key, o.hint === null);
      }
  });
  test('whatever is typed is read or refused in a sentence', () => {
    const word = fc.oneof(fc.string(), fc.constantFrom('mend', 'write', '--out', '--weld', '-x', '--', '=', '--face', 'z=1', 'a.stl'));
    fc.assert(
      fc.property(fc.array(word, { maxLength: 8 }), (argv) => {
        try {
          parse(commands, argv);
        } catch (thrown) {
          expect(thrown).toBeInstanceOf(Unusable);
          expect((thrown as Unusable).message).toMatch(/[.)"]$/);
        }
      }),
      { numRuns: 500 },
    );
  });
});

describe('figures in words', () => {
  test.each([
    [0, '0.00'],
    [9.994, '9.99'],
    [10, '10.0'],
    [-12.34, '-12.3'],
    [0.1, '0.10'],
    [0.0999, '0.10'],
    [0.01234, '0.012'],
  ])('%s mm is written %s', (mm, words) => expect(lengthText(mm)).toBe(words));
  test.each([
    [999, '999 B'],
    [1000, '1.0 kB'],
    [999_999, '1000.0 kB'],
    [1_000_000, '1.0 MB'],
  ])('%s bytes are %s', (bytes, words) => expect(bytesText(bytes)).toBe(words));
  test('counts have their thousands apart, and one is one', () => {
    expect([countText(1234567), counted(1, 'hole'), counted(0, 'hole'), counted(2, 'body', 'bodies')]).toEqual(['1,234,567', '1 hole', '0 holes', '2 bodies']);
    expect(threeLengths([1, 20, 0.5])).toBe('1.00 × 20.0 × 0.50');
  });
});

test('a triangle at a time: areas add up to the mesh’s, normals look outside, a point on it lies in its plane', () => {
  const mesh = boxMesh(2, 3, 5);
  const tri = new Triangle(mesh);
  let area = 0;
  for (let i = 0; i < tri.count; i++) {
    const { nx, ny, nz, a } = tri.at(i);
    area += tri.twice() / 2;
    const [x, y, z] = [tri.x(0.2, 0.3), tri.y(0.2, 0.3), tri.z(0.2, 0.3)];
    const p = mesh.positions;
    expect((x - p[a]) * nx + (y - p[a + 1]) * ny + (z - p[a + 2]) * nz).toBeCloseTo(0, 12);
    // From the middle of the box the normal looks away.
    expect((x - 1) * nx + (y - 1.5) * ny + (z - 2.5) * nz).toBeGreaterThan(0);
  }
  expect(area).toBeCloseTo(2 * (2 * 3 + 3 * 5 + 5 * 2), 12);
  expect(area).toBeCloseTo(measureMesh(mesh).area, 12);
});

test('sets: what is joined by any way has one root; a chain of a million takes no stack', () => {
  const sets = new Sets(1_000_000);
  for (let i = 1; i < 1_000_000; i++) sets.join(i - 1, i);
  expect(sets.root(0)).toBe(999_999);
  fc.assert(
    fc.property(fc.array(fc.tuple(fc.nat(19), fc.nat(19)), { maxLength: 40 }), (pairs) => {
      const joined = new Sets(20);
      for (const [a, b] of pairs) joined.join(a, b);
      // The other way: numbers spread along pairs until nothing changes.
      const low = Array.from({ length: 20 }, (_, i) => i);
      for (let again = true; again;) {
        again = false;
        for (const [a, b] of pairs) {
          if (low[a] === low[b]) continue;
          low[a] = low[b] = Math.min(low[a], low[b]);
          again = true;
        }
      }
      for (let a = 0; a < 20; a++) for (let b = 0; b < 20; b++) expect(joined.root(a) === joined.root(b)).toBe(low[a] === low[b]);
    }),
  );
});
