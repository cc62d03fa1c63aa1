import { execFileSync, spawnSync } from 'node:child_process';
import { cpSync, existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, unlinkSync, writeFileSync } from 'node:fs';
import { createHash } from 'node:crypto';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { run as runInThread } from './cli.data.ts';
import { foldedPart } from '../src/kernel/sheet-build.ts';
import type { Solid } from '../src/kernel/build.ts';
import { receiveFile } from '../src/processes/receive.ts';
import { receiveDrawing } from '../src/processes/cutters.ts';
import { receiverIn } from '../src/receivers/receivers.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { nodeKernels } from '../src/kernel/load.ts';
import { comparedParts, type Manifest, type PartPrint } from '../src/release/manifest.ts';
import { composed, settledNames, usualNaming, type NameFigures, type NamePiece } from '../src/release/names.ts';
import { partsListCsv, readPartsList, rowFinder } from '../src/release/parts-list.ts';
import { checkRelease } from '../src/release/schema.ts';
import { zipped } from '../src/release/zip.ts';
import { builder as b, rect } from './sheet.data.ts';

const folder = mkdtempSync(join(tmpdir(), 'tall-kite-release-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

describe('name pieces', () => {
  const figures: NameFigures = { job: 'Kite', part: 'Cup', number: 'WS-104', variant: '', body: '', material: 'PETG', thickness: '', quantity: '3x', revision: 'C', receiver: 'Lark', unit: 'mm', date: '2026-11-26' }; // prettier-ignore
  test('pieces in their order; text beside an empty field goes with it', () => {
    const of = (...pieces: (string | NamePiece)[]) => composed(pieces.map((p) => (typeof p === 'string' ? { text: p } : p)), figures); // prettier-ignore
    expect(of({ field: 'number' }, '_', { field: 'part' }, '_rev', { field: 'revision' })).toBe('WS-104_Cup_revC');
    expect(of({ field: 'part' }, '_', { field: 'variant' }, '_', { field: 'quantity' })).toBe('Cup_3x');
    expect(of({ field: 'variant' }, '_', { field: 'part' })).toBe('Cup');
    expect(of({ field: 'material' }, '/', { field: 'receiver' })).toBe('PETG/Lark');
    expect(of('cut ', { field: 'part' })).toBe('cut-Cup');
  });
  test('safe on every operating system: no reserved names, characters or ends (published: Microsoft, Naming files; POSIX)', () => {
    const named = (part: string) => composed([{ field: 'part' }], { ...figures, part });
    expect(named('a<b>:"c/d\\e|f?g*h')).not.toMatch(/[<>:"\\|?*]/);
    expect(named('con')).not.toMatch(/^con$/i);
    expect(named('..')).not.toBe('..');
    expect(named('tail. ')).not.toMatch(/[. ]$/);
    // A slash in a part's name begins no folder.
    expect(named('../../etc/passwd').split('/').every((p) => p !== '..')).toBe(true); // prettier-ignore
  });
  test('names that differ in capitals only clash; they are numbered in order, past what is taken', () => {
    const row = (name: string) => ({ folder: 'cut', name, ending: 'dxf' });
    const { names, clashes } = settledNames(['Plate', 'plate', 'Plate_2', 'side'].map(row), usualNaming);
    expect(names).toEqual(['cut/Plate.dxf', 'cut/plate_3.dxf', 'cut/Plate_2.dxf', 'cut/side.dxf']);
    expect(clashes).toEqual([{ name: 'cut/Plate.dxf', rows: [0, 1] }]);
    expect(new Set(names.map((n) => n.toLowerCase())).size).toBe(4);
  });
});

describe('parts lists', () => {
  test('good rows come in, bad ones are told with their line; commas in quotes, semicolons, decimal commas', () => {
    const { rows, bad } = readPartsList(
      'Part number;Name;Qty;Material;Thickness mm\r\nA-1;"Plate; left";2;steel;1,5\r\nA-2;Side;two;steel;1\r\n;;3;;\r\nA-3;Lid;1;;\r\n',
    );
    expect(rows).toEqual([
      { number: 'A-1', name: 'Plate; left', quantity: 2, material: 'steel', thickness: 1.5, variant: null },
      { number: 'A-3', name: 'Lid', quantity: 1, material: '', thickness: null, variant: null },
    ]);
    expect(bad).toEqual([{ line: 3, why: expect.stringContaining('quantity') }, { line: 4, why: expect.stringContaining('neither') }]); // prettier-ignore
    expect(() => readPartsList('colour,weight\nred,3\n')).toThrow('no column for part number or name');
  });
  test('written, it is read the same by itself and by another reader (Python’s csv module)', () => {
    const rows = [{ number: 'A "1"', name: 'Plate, left', quantity: 2, material: 'steel\nhot', thickness: 1.5, variant: '' }, { number: '=SUM(A1)', name: 'Lid', quantity: null, material: '', thickness: null, variant: 'tall' }]; // prettier-ignore
    const text = partsListCsv(rows);
    expect(readPartsList(text).rows).toEqual(rows);
    const theirs = JSON.parse(
      execFileSync('/usr/bin/python3', ['-c', 'import csv,json,sys; print(json.dumps(list(csv.reader(sys.stdin))))'], { input: text, encoding: 'utf8' }),
    );
    expect(theirs[1]).toEqual(['A "1"', 'Plate, left', '2', 'steel\nhot', '1.5', '']);
    // A cell that begins like a formula stays a text.
    expect(theirs[2][0]).toBe("'=SUM(A1)");
  });
  test('a part finds its row by number first, then by name', () => {
    const list = readPartsList('part number,name,quantity\nA-1,Cup,2\nA-2,Lid,3\n').rows;
    const rowOf = rowFinder(list);
    expect(rowOf({ name: 'Lid', partNumber: 'A-1' })!.quantity).toBe(2);
    expect(rowOf({ name: 'LID' })!.quantity).toBe(3);
    expect(rowOf({ name: 'a-2' })!.name).toBe('Lid');
    expect(rowOf({ name: 'other' })).toBeNull();
    // A list without variants speaks of all of them.
    expect(rowOf({ name: 'Lid', variant: 'tall' })!.quantity).toBe(3);
  });
  test('with a column for variants each row speaks of its own', () => {
    const rowOf = rowFinder(readPartsList('name,quantity,material,variant\nCup,2,PETG,\nCup,3,brass,Tall\nLid,1,PLA,tall\n').rows);
    expect(rowOf({ name: 'Cup' })!.material).toBe('PETG');
    expect(rowOf({ name: 'Cup', variant: 'tall' })!.material).toBe('brass');
    expect(rowOf({ name: 'Cup', variant: 'short' })).toBeNull();
    expect(rowOf({ name: 'Lid' })).toBeNull();
  });
  test('a quantity with a comma is refused, since it may be a thousand; a thickness may have a decimal comma', () => {
    const { rows, bad } = readPartsList('name;quantity;thickness\nCup;1,000;2\nLid;12;1,5\nRod;1e3;\n');
    expect(bad).toEqual([{ line: 2, why: expect.stringMatching(/whole number from 1 to 100,000/) }]);
    expect(rows.map((r) => [r.name, r.quantity, r.thickness])).toEqual([['Lid', 12, 1.5], ['Rod', 1000, null]]); // prettier-ignore
  });
});

describe('revisions', () => {
  const part = (name: string, change: Partial<PartPrint> = {}): PartPrint => ({ name, source: 'a.step', variant: '', kind: 'solid', quantity: 1, shape: `shape of ${name}`, size: [10, 20, 30], volume: 100, area: 60, faces: 6, holes: null, ...change }); // prettier-ignore
  test('parts are matched by name and by shape: same, changed with what, new, gone', () => {
    const before = [part('Cup'), part('Vane'), part('Hub'), part('Lid')];
    const after = [
      part('Cup'),
      part('Vane', { shape: 'x', size: [10, 20, 31], faces: 8, volume: 120 }),
      part('Cap', { shape: 'shape of Lid' }),
      part('Mast'),
      part('Hub', { quantity: 2 }),
    ];
    expect(comparedParts(before, after)).toEqual([
      { part: 'Cup', state: 'same', what: [] },
      { part: 'Vane', state: 'changed', what: ['size 10 x 20 x 30 to 10 x 20 x 31 mm', 'faces 6 to 8', 'volume 100 to 120 mm3'] },
      { part: 'Cap', state: 'changed', what: ['named "Lid" before'] },
      { part: 'Mast', state: 'new', what: [] },
      { part: 'Hub', state: 'changed', what: ['quantity 1 to 2'] },
    ]);
    expect(comparedParts([part('Cup'), part('Old')], [part('Cup')])).toContainEqual({ part: 'Old', state: 'gone', what: [] });
  });
  test('bodies of one name are paired in their order; variants of one name are kept apart', () => {
    const before = [part('Body', { shape: 'a' }), part('Body', { shape: 'b' }), part('Cup', { variant: 'tall', shape: 'c' }), part('Cup', { variant: 'low', shape: 'd' })]; // prettier-ignore
    const after = [part('Body', { shape: 'a' }), part('Body', { shape: 'x' }), part('Cup', { variant: 'low', shape: 'd' }), part('Cup', { variant: 'tall', shape: 'c' })]; // prettier-ignore
    expect(comparedParts(before, after).map((c) => c.state)).toEqual(['same', 'changed', 'same', 'same']);
  });
});

test('a recipe from outside is checked, and what it leaves open is filled in', () => {
  const filled = checkRelease({ lines: [{ receiver: 'lark', format: 'stl' }] }, readyReceivers);
  expect(filled).toMatchObject({ revision: '', naming: usualNaming, lines: [{ unit: 'mm', flatten: null, choose: { parts: null, kinds: null } }] });
  for (const bad of [
    {},
    { lines: [] },
    { lines: [{ receiver: 'nobody', format: 'stl' }] },
    { lines: [{ receiver: 'lark', format: 'stl' }], date: 'today' },
    { lines: [{ receiver: 'swift', format: 'dxf', flatten: { rule: { kind: 'luck' } } }] },
    { lines: [{ receiver: 'swift', format: 'dxf', drawing: { kerf: 99 } }] },
    { lines: [{ receiver: 'lark', format: 'dxf' }] },
    { lines: [{ receiver: 'lark', format: 'obj', group: 'bed' }] },
    { lines: [{ receiver: 'swift', format: 'dxf', group: 'bed' }] },
  ])
    // prettier-ignore
    expect(() => checkRelease(bad, readyReceivers)).toThrow('recipe can');
});

test('a zip is the same each time, and another program finds every file in it whole (Python’s zipfile)', async () => {
  const files = [['cut/a.dxf', Buffer.from('0\nEOF\n')], ['prints/b.3mf', Buffer.alloc(40_000, 7)], ['ä.txt', Buffer.from('umlaut')]] as const; // prettier-ignore
  const make = async () => {
    const pieces: Uint8Array[] = [];
    for await (const piece of zipped(files.map(([name, bytes]) => ({ name, bytes: async () => bytes })))) pieces.push(piece);
    return Buffer.concat(pieces);
  };
  const zip = await make();
  expect((await make()).equals(zip)).toBe(true);
  const file = join(folder, 'some.zip');
  writeFileSync(file, zip);
  const read = JSON.parse(execFileSync('/usr/bin/python3', ['-c', 'import zipfile,json,sys,hashlib; z=zipfile.ZipFile(sys.argv[1]); assert z.testzip() is None; print(json.dumps({n: hashlib.sha256(z.read(n)).hexdigest() for n in z.namelist()}))', file], { encoding: 'utf8' })); // prettier-ignore
  expect(read).toEqual(Object.fromEntries(files.map(([n, bytes]) => [n, createHash('sha256').update(bytes).digest('hex')])));
});

describe('tall-kite release', () => {
  const program = fileURLToPath(new URL('../bin/tall-kite.mjs', import.meta.url));
  const input = join(folder, 'designs');
  const recipe = join(folder, 'recipe.json');
  const run = (out: string, ...more: string[]) => {
    const done = runInThread('release', input, '--recipe', recipe, '--out', join(folder, out), '--json', ...more);
    return { status: done.status, stderr: done.stderr, json: done.stdout ? JSON.parse(done.stdout) : null };
  };
  const step = (file: string, name: string, shape: Solid) =>
    writeFileSync(join(input, file), b.step(name, [{ name, colour: '#808080', shape, places: [[0, 0, 0]] }]));
  const angle = (width: number) =>
    foldedPart(b, 2, {
      outline: rect(60, width),
      holes: [{ at: [20, 15], r: 4 }],
      flanges: [{ from: [60, 0], to: [60, width], angle: 90, radius: 3, up: true, wall: { outline: rect(width, 25) } }],
    });
  const hashes = (out: string) => {
    const manifest = JSON.parse(readFileSync(join(folder, out, 'manifest.json'), 'utf8')) as Manifest;
    return Object.fromEntries(manifest.files.map((f) => [f.file, createHash('sha256').update(readFileSync(join(folder, out, f.file))).digest('hex')])); // prettier-ignore
  };
  beforeAll(() => {
    mkdirSync(input);
    step('angle.step', 'Angle', angle(40));
    step('ball.step', 'Ball', b.sphere([0, 0, 0], 12));
    cpSync(fileURLToPath(new URL('./data/paths-data-02-t.svg', import.meta.url)), join(input, 'sign.svg'));
    writeFileSync(
      recipe,
      JSON.stringify({
        job: 'Wind station',
        revision: 'B',
        lines: [
          { name: 'prints', choose: { kinds: ['solid'] }, receiver: 'lark', format: 'stl', facets: { deviation: 0.05, angle: 20 } },
          { name: 'sheet', receiver: 'martin', format: 'dxf', flatten: { rule: { kind: 'k', k: 0.44 } } },
        ],
        naming: {
          file: [{ field: 'number' }, { text: '_' }, { field: 'part' }, { text: '_rev' }, { field: 'revision' }],
          folder: [{ field: 'receiver' }],
          clash: 'number',
        },
      }),
    );
    writeFileSync(join(folder, 'parts.csv'), 'part number,name,quantity,material,thickness\nWS-7,Angle,4,steel,2\n,Nobody,x,,\n');
  });
  test('every part to every line that suits it, each proved; what does not suit is told, not failed', () => {
    const { status, json, stderr } = run('one', '--parts', join(folder, 'parts.csv'), '--zip');
    expect(stderr).toBe('');
    expect(json.files.map((f: { file: string }) => f.file)).toEqual(['Lark/WS-7_Angle_revB.stl', 'Martin/WS-7_Angle_revB.dxf', 'Lark/Ball_revB.stl']);
    // The ball is no sheet and the sign is flat already: looks, with the reason. The bad row of the list is a look too.
    expect(json.notMade.map((n: { part: string; severity: string; message: string }) => [n.part, n.severity])).toEqual([['Ball', 'look'], ['sign', 'look']]); // prettier-ignore
    expect(json.notMade[0].message).toContain('Not a folded sheet part, so no flat pattern');
    expect(json.findings).toEqual([expect.objectContaining({ code: 'bad-row', severity: 'look' })]);
    expect(status).toBe(1);
    const fold = json.files[1].claims.find((c: { quantity: string }) => c.quantity === 'Fold-back');
    expect(fold.verdict).toBe('clear');
  });
  test('evidence computed again from the zip alone agrees with the report', async () => {
    const out = join(folder, 'unzipped');
    execFileSync('/usr/bin/python3', ['-m', 'zipfile', '-e', join(folder, 'one', 'release.zip'), out]);
    const manifest = JSON.parse(readFileSync(join(out, 'manifest.json'), 'utf8')) as Manifest;
    for (const f of manifest.files) {
      const bytes = readFileSync(join(out, f.file));
      expect(createHash('sha256').update(bytes).digest('hex')).toBe(f.sha256);
      const claim = (q: string) => f.claims.find((c) => c.quantity === q)!.received as number;
      if (f.format === 'stl') {
        const got = await receiveFile(bytes, 'stl', receiverIn(readyReceivers, 'lark'), nodeKernels);
        expect(got.measures.volume).toBeCloseTo(claim('Volume'), 6);
      } else {
        const got = await receiveDrawing(bytes, 'dxf', receiverIn(readyReceivers, 'martin'));
        expect(got.check.area).toBeCloseTo(claim('Area'), 6);
      }
    }
    expect(readFileSync(join(out, 'report.csv'), 'utf8').trim().split('\r\n')).toHaveLength(1 + manifest.files.length + manifest.notMade.length);
  });
  test('two runs give equal bytes; a run over a finished one makes nothing', () => {
    run('two', '--parts', join(folder, 'parts.csv'), '--zip');
    expect(hashes('two')).toEqual(hashes('one'));
    for (const f of ['manifest.json', 'release.zip']) expect(readFileSync(join(folder, 'two', f)).equals(readFileSync(join(folder, 'one', f)))).toBe(true);
    const again = run('two', '--parts', join(folder, 'parts.csv'), '--zip').json;
    expect(again).toMatchObject({ made: 0, same: 3 });
  });
  test('at the next revision only what changed is made; a file that was spoilt meanwhile is made again; old files are told', () => {
    step('angle.step', 'Angle', angle(44));
    unlinkSync(join(input, 'sign.svg'));
    writeFileSync(join(folder, 'two', 'Lark', 'Ball_revB.stl'), 'spoilt');
    const { json } = run('two', '--parts', join(folder, 'parts.csv'));
    expect(json.files.map((f: { file: string; state: string }) => f.state)).toEqual(['made', 'made', 'made']);
    const next = run('two', '--parts', join(folder, 'parts.csv')).json;
    expect(next).toMatchObject({ made: 0, same: 3 });
    expect(json.changes).toContainEqual({
      part: 'Angle',
      state: 'changed',
      what: expect.arrayContaining([expect.stringMatching(/^size .* 40 x .* to .* 44 x /)]),
    });
    expect(json.changes).toContainEqual({ part: 'Ball', state: 'same', what: [] });
    expect(json.changes).toContainEqual({ part: 'sign', state: 'gone', what: [] });
    // Without the parts list the names differ: the files of before still stand there.
    const other = run('two').json;
    expect(other.findings).toContainEqual(expect.objectContaining({ code: 'old-files', count: 2 }));
    expect(existsSync(join(folder, 'two', 'Lark', 'WS-7_Angle_revB.stl'))).toBe(true);
  });
  test('what was left even so is held back when it is not asked for again, and taken away', () => {
    const own = join(folder, 'open');
    mkdirSync(own);
    const line = ([x1, y1]: number[], [x2, y2]: number[]) => `0\nLINE\n8\n0\n10\n${x1}\n20\n${y1}\n11\n${x2}\n21\n${y2}\n`;
    writeFileSync(join(own, 'gap.dxf'), `0\nSECTION\n2\nENTITIES\n${line([0, 0], [50, 0])}${line([50, 0], [50, 50])}${line([50, 50], [0, 0.1])}0\nENDSEC\n0\nEOF\n`); // prettier-ignore
    writeFileSync(join(folder, 'flat.json'), JSON.stringify({ lines: [{ name: 'sheet', receiver: 'martin', format: 'dxf' }] }));
    const release = (...more: string[]) => {
      const done = runInThread('release', own, '--recipe', join(folder, 'flat.json'), '--out', join(folder, 'held'), '--json', ...more);
      return { status: done.status, json: JSON.parse(done.stdout) };
    };
    const left = release('--even-so');
    expect([left.status, left.json.made, left.json.files[0].verdict]).toEqual([2, 1, 'stop']);
    const file = join(folder, 'held', left.json.files[0].file);
    expect(existsSync(file)).toBe(true);
    // Asked for in the same way it goes on as it is.
    expect(release('--even-so').json).toMatchObject({ made: 0, same: 1 });
    const held = release();
    expect(held.json).toMatchObject({ made: 0, same: 0, files: [], notMade: [{ code: 'held-back', severity: 'stop' }], findings: [] });
    expect([held.status, existsSync(file)]).toEqual([2, false]);
  });
  test('a manifest that is none is told with what to do, and nothing is made over it', () => {
    for (const text of ['nonsense', '{}', 'null', '{"parts": 3, "files": []}']) {
      mkdirSync(join(folder, 'odd'), { recursive: true });
      writeFileSync(join(folder, 'odd', 'manifest.json'), text);
      const done = runInThread('release', input, '--recipe', recipe, '--out', join(folder, 'odd'));
      expect(done.status).toBe(2);
      expect(done.stderr).toMatch(/manifest\.json" is not what a release says of itself, so what changed since can't be told\. Take it away/);
      expect(readFileSync(join(folder, 'odd', 'manifest.json'), 'utf8')).toBe(text);
    }
  });
  test('no recipe, a bad recipe, an empty folder, a broken file', () => {
    expect(spawnSync(process.execPath, [program, 'release', input, '--out', folder], { encoding: 'utf8' })).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('needs a recipe'),
    });
    writeFileSync(join(folder, 'bad.json'), '{"lines": [');
    expect(
      spawnSync(process.execPath, [program, 'release', input, '--recipe', join(folder, 'bad.json'), '--out', folder], { encoding: 'utf8' }).stderr,
    ).toContain('is not JSON');
    writeFileSync(join(input, 'broken.step'), 'ISO-10303-21; nonsense');
    const { status, json } = run('three');
    expect(status).toBe(2);
    expect(json.findings).toContainEqual(expect.objectContaining({ severity: 'stop', message: expect.stringContaining('broken.step') }));
    expect(json.files).toHaveLength(3);
  });
});
