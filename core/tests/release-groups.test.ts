import { misfit } from '../src/release/misfit.ts';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { unzipSync } from 'fflate';
import { afterAll, describe, expect, test } from 'vitest';
import { usualChoices } from '../src/model/choices.ts';
import { readDesign } from '../src/pipeline/read.ts';
import { boxOfDrawing, contoursOf, type Drawing } from '../src/curves/drawing.ts';
import { setOut } from '../src/curves/set-out.ts';
import { sha256 } from '../src/base/sha256.ts';
import { foldedPart } from '../src/kernel/sheet-build.ts';
import { nodeKernels, workingKernel } from '../src/kernel/load.ts';
import { nodeTools } from '../src/pipeline/node-tools.ts';
import { receiveDrawing } from '../src/processes/cutters.ts';
import { receiveFile } from '../src/processes/receive.ts';
import { isBender, receiverIn } from '../src/receivers/receivers.ts';
import { tablesInZip } from '../src/bender/files.ts';
import { receiveTable } from '../src/bender/receive.ts';
import { readTable } from '../src/bender/table-file.ts';
import { tubeSolid } from '../src/kernel/tube-build.ts';
import { stretchesOf } from '../src/tubes/rebuild.ts';
import { piecesThrough } from '../src/tubes/run.ts';
import { sectionBy } from '../src/tubes/sections.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { makeFile } from '../src/release/make.ts';
import { readPartsList, type PartsRow } from '../src/release/parts-list.ts';
import { planned, printOf } from '../src/release/plan.ts';
import type { PlanPart } from '../src/release/recipe.ts';
import { partsOf, run, type Source } from '../src/release/run.ts';
import { checkRelease } from '../src/release/schema.ts';
import { builder as b, rect } from './sheet.data.ts';

const folder = mkdtempSync(join(tmpdir(), 'tall-kite-groups-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const data = (name: string) => readFileSync(fileURLToPath(new URL(`./data/${name}`, import.meta.url)));

async function source(file: string, bytes: Uint8Array): Promise<Source> {
  return { file, sha256: sha256([bytes]), bytes: bytes.length, design: await readDesign(bytes, file, nodeKernels, usualChoices) };
}

/** A release run in memory: its manifest, its bytes by name, and how many files were made. */
async function released(sources: Source[], recipe: object, list: PartsRow[] = []) {
  const { parts, geometryOf } = partsOf(sources, list, readyReceivers);
  const plan = planned(parts, sources, checkRelease(recipe, readyReceivers), { program: 'test' });
  const kept = new Map<string, Uint8Array>();
  const keep = async (name: string, pieces: Iterable<Uint8Array>) => {
    const bytes = Buffer.concat([...pieces]);
    kept.set(name, bytes);
    return bytes;
  };
  const done = await run(plan, null, { tools: nodeTools, geometryOf, keep, there: async () => null });
  return { ...done, kept, plan };
}

const square = (x: number, y: number, side: number, layer: string): Drawing => ({
  layers: [
    {
      name: layer,
      colour: null,
      lineType: 'CONTINUOUS',
      contours: [
        {
          closed: true,
          colour: null,
          meaning: null,
          segments: rect(side, side).map(([a, c], i, all) => ({
            kind: 'line' as const,
            a: [a + x, c + y] as [number, number],
            b: [all[(i + 1) % 4][0] + x, all[(i + 1) % 4][1] + y] as [number, number],
          })),
        },
      ],
    },
  ],
  texts: [],
  points: [],
});

test('drawings are set out in rows, the highest first, spaced and within the sheet; layers of one name become one', () => {
  const sheet = setOut([{ drawing: square(7, -3, 20, 'CUT'), copies: 3 }, { drawing: square(100, 100, 30, 'CUT'), copies: 1 }, { drawing: square(0, 0, 10, 'MARKS'), copies: 1 }], 100, 5); // prettier-ignore
  // By hand: 30 at 5; 20 at 40 and 65; the third 20 would end at 110, so a new row begins above the 30: y = 5 + 30 + 5; the 10 stands beside it.
  const boxes = contoursOf(sheet).map((c) => boxOfDrawing({ layers: [{ name: '', colour: null, lineType: '', contours: [c] }], texts: [], points: [] }));
  expect(boxes).toEqual([[5, 5, 35, 35], [40, 5, 60, 25], [65, 5, 85, 25], [5, 40, 25, 60], [30, 40, 40, 50]]); // prettier-ignore
  expect(sheet.layers.map((l) => [l.name, l.contours.length])).toEqual([['CUT', 4], ['MARKS', 1]]); // prettier-ignore
});

describe('grouping', () => {
  test('all in one: an assembly keeps its places; its volume is that of the published assembly (as1, STEP AP214 sample, 764519.81 mm3)', async () => {
    const { manifest, kept } = await released([await source('as1-oc-214.stp', data('as1-oc-214.stp'))], {
      job: 'as1',
      lines: [{ receiver: 'heron', format: 'obj', group: 'all', facets: { deviation: 0.05, angle: 15 } }],
    });
    expect(manifest.notMade).toEqual([]);
    const [file] = manifest.files;
    expect(file.parts).toEqual(['nut', 'rod', 'bolt', 'l-bracket', 'plate']);
    const got = await receiveFile(kept.get(file.file)!, 'obj', receiverIn(readyReceivers, 'heron'), nodeKernels);
    expect(got.parts).toBe(18);
    expect(Math.abs(got.measures.volume / 764519.81 - 1)).toBeLessThan(2e-3);
    expect(file.claims.filter((c) => c.verdict !== 'clear')).toEqual([]);
  });

  test('one file a material and thickness: drawings and unfolded parts side by side, as many as are wanted; others are left out and told', async () => {
    const angle = (name: string, w: number) => {
      const shape = foldedPart(b, 2, { outline: rect(60, w), holes: [{ at: [20, 15], r: 4 }], flanges: [{ from: [60, 0], to: [60, w], angle: 90, radius: 3, up: true, wall: { outline: rect(w, 25) } }] }); // prettier-ignore
      return { name, colour: '#808080', shape, places: [[0, 0, 0]] as [number, number, number][] };
    };
    const bytes = b.step('parts', [angle('Angle', 40), angle('Short', 24), { name: 'Ball', colour: '#808080', shape: b.sphere([0, 0, 0], 12), places: [[300, 0, 0]] }]); // prettier-ignore
    const list = readPartsList('part number,name,quantity,material,thickness\nA,Angle,3,steel,2\nB,Short,2,Steel,2\nC,Ball,1,steel,2\nD,Other,1,,\n').rows;
    const { manifest, kept } = await released(
      [await source('parts.step', bytes)],
      { lines: [{ receiver: 'martin', format: 'dxf', group: 'stock', flatten: { rule: { kind: 'k', k: 0.5 } } }], naming: { file: [{ field: 'material' }, { text: '_' }, { field: 'thickness' }], folder: [] } }, // prettier-ignore
      list.map((r) => ({ ...r, material: r.material.toLowerCase() })),
    );
    expect(manifest.notMade).toEqual([]);
    expect(manifest.files.map((f) => f.file)).toEqual(['steel_2mm.dxf']);
    const [file] = manifest.files;
    expect(file.findings).toContainEqual(expect.objectContaining({ code: 'left-out', severity: 'look', message: expect.stringContaining('"Ball" is not in this file') })); // prettier-ignore
    const got = await receiveDrawing(kept.get(file.file)!, 'dxf', receiverIn(readyReceivers, 'martin'));
    // Flat length by hand: 60 + 25 and the neutral fibre of a quarter bend at K 0.5, pi / 2 (3 + 0.5 x 2). Circles are exact.
    const flat = (w: number) => w * (60 + 25 + (Math.PI / 2) * 4) - Math.PI * 16;
    const cut = got.drawing.layers.filter((l) => !/BEND/.test(l.name));
    const holes = cut.flatMap((l) => l.contours).filter((c) => c.segments.length === 1 && c.segments[0].kind === 'arc');
    expect(holes).toHaveLength(5);
    expect(got.check.area).toBeCloseTo(3 * flat(40) + 2 * flat(24), 3);
    // Another program reads it without a complaint (python3-ezdxf).
    const path = join(folder, 'stock.dxf');
    writeFileSync(path, kept.get(file.file)!);
    const audit = execFileSync('/usr/bin/python3', ['-c', 'import ezdxf,sys; d=ezdxf.readfile(sys.argv[1]); a=d.audit(); print(len(a.errors), len(a.fixes), len([e for e in d.modelspace() if e.dxftype()=="CIRCLE"]))', path], { encoding: 'utf8' }); // prettier-ignore
    expect(audit.trim()).toBe('0 0 5');
  });

  test('one a bed: every copy on a bed, apart and on it, with no more beds than a plain grid needs; what fits none is told', async () => {
    const box = (w: number, d: number, h: number) => b.box([0, 0, 0], [w, d, h]);
    const bytes = b.step('boxes', [{ name: 'Tile', colour: '#808080', shape: box(100, 60, 10), places: [[0, 0, 0]] }, { name: 'Mast', colour: '#808080', shape: box(20, 20, 900), places: [[300, 0, 0]] }]); // prettier-ignore
    const list = readPartsList('name,quantity\nTile,17\nMast,1\n').rows;
    const { plan } = await released([await source('boxes.step', bytes)], { job: 'kit', lines: [{ receiver: 'lark', format: '3mf', group: 'bed' }] }, list);
    const beds = plan.rows.filter((r) => r.bed);
    const laid = beds.flatMap((r) => r.bed!);
    expect(laid).toHaveLength(17);
    // Lark is 250 x 210: two across and three along, six a bed, so three beds.
    expect(beds.length).toBeLessThanOrEqual(3);
    for (const row of beds) {
      const half = ({ turn }: { turn: number }) => (Math.abs(turn) === 90 ? [30, 50] : [50, 30]);
      for (const [i, p] of row.bed!.entries()) {
        const [w, d] = half(p);
        expect(p.x - w >= 0 && p.x + w <= 250 && p.y - d >= 0 && p.y + d <= 210).toBe(true);
        for (const q of row.bed!.slice(0, i)) {
          const [v, e] = half(q);
          expect(Math.abs(p.x - q.x) >= w + v + 4 - 1e-9 || Math.abs(p.y - q.y) >= d + e + 4 - 1e-9).toBe(true);
        }
      }
    }
    const off = plan.rows.find((r) => r.skip)!;
    expect([off.parts[0].summary.name, off.skip!.code]).toEqual(['Mast', 'does-not-fit']);
    expect(off.skip!.message).toContain('690.0 mm too long in its height');
  });
});

describe('inputs of a file', () => {
  const part = (change: Partial<PlanPart> = {}): Promise<PlanPart> =>
    source('cube.step', b.step('cube', [{ name: 'Cube', colour: '#808080', shape: b.box([0, 0, 0], [10, 10, 10]), places: [[0, 0, 0]] }])).then((s) => ({ ...partsOf([s], [], readyReceivers).parts[0], ...change })); // prettier-ignore
  const inputOf = (p: PlanPart, line: object) => planned([p], [], checkRelease({ lines: [line] }, readyReceivers), { program: 'test' }).rows[0].input;
  test('equal whatever the order in which they were written down or how parts were chosen; another for all that changes bytes', async () => {
    const cube = await part();
    const plain = { receiver: 'lark', format: 'stl', unit: 'mm', facets: { deviation: 0.1, angle: 20 } };
    const same = inputOf(cube, plain);
    expect(inputOf(cube, { facets: { angle: 20, deviation: 0.1 }, unit: 'mm', format: 'stl', receiver: 'lark', choose: { text: 'cube' }, name: 'prints' })).toBe(same); // prettier-ignore
    expect(inputOf({ ...cube, key: 'other', quantity: 9, source: 'else.step', material: 'PLA' }, plain)).toBe(same);
    const others = [
      inputOf({ ...cube, shape: 'f'.repeat(64) }, plain),
      inputOf({ ...cube, summary: { ...cube.summary, name: 'Die' } }, plain),
      inputOf({ ...cube, recipe: { ...cube.recipe, size: { reading: null, factor: 2 } } }, plain),
      inputOf(cube, { ...plain, unit: 'in' }),
      inputOf(cube, { ...plain, receiver: 'wren' }),
      inputOf(cube, { ...plain, facets: { deviation: 0.2, angle: 20 } }),
      inputOf(cube, { ...plain, group: 'all' }),
    ];
    expect(new Set([same, ...others]).size).toBe(8);
  });
  test('a name by hand holds for its own row only, and is made safe', async () => {
    const cube = await part();
    const naming = { file: [{ field: 'part' as const }], folder: [], own: { [`${cube.key} 2`]: 'my:own/name' } };
    const { rows } = planned(
      [cube],
      [],
      checkRelease(
        {
          lines: [
            { receiver: 'lark', format: 'stl' },
            { receiver: 'wren', format: '3mf' },
          ],
          naming,
        },
        readyReceivers,
      ),
      { program: 'test' },
    );
    expect(rows.map((r) => [r.key, r.name])).toEqual([[`${cube.key} 1`, 'Cube.stl'], [`${cube.key} 2`, 'my_own_name.3mf']]); // prettier-ignore
  });
  test('kinds that do not suit are known before the run, each with its reason', async () => {
    const cube = await part();
    const [line] = checkRelease({ lines: [{ receiver: 'swift', format: 'dxf' }] }, readyReceivers).lines;
    expect(misfit(cube, line)!.message).toContain('takes drawings, and this is a solid');
    expect(misfit(cube, { ...line, receiver: receiverIn(readyReceivers, 'lark'), format: 'stl' })).toBeNull();
    const drawing = { ...cube, summary: { ...cube.summary, kind: 'drawing' as const } };
    expect(misfit(drawing, { ...line, receiver: receiverIn(readyReceivers, 'lark'), format: 'stl' })!.message).toContain(
      'prints solids, and this is a drawing',
    );
    const plan = planned([cube], [], checkRelease({ lines: [{ receiver: 'swift', format: 'dxf' }] }, readyReceivers), { program: 'test' });
    await expect(makeFile(plan.rows[0], async () => { throw new Error('not asked for'); }, nodeTools, async () => new Uint8Array())).rejects.toThrow('takes drawings'); // prettier-ignore
    const print = printOf({ ...cube, recipe: { ...cube.recipe, size: { reading: null, factor: 2 } } });
    expect(print.size).toEqual([20, 20, 20]);
    expect(print.volume).toBeCloseTo(8000, 6);
  });
});

describe('panels nested by a line', () => {
  const crate = async () => {
    const board = (w: number, h: number) => b.cut(b.box([0, 0, 0], [w, h, 12]), b.cylinder([30, 30, -1], [0, 0, 1], 4, 20));
    const parts = [['Side', board(400, 200)], ['Lid', board(300, 150)], ['Leg', b.box([0, 0, 0], [30, 30, 200])]] as const; // prettier-ignore
    const bytes = b.step('crate', parts.map(([name, shape], i) => ({ name, colour: '#cccccc', shape, places: [[i * 500, 0, 0]] }))); // prettier-ignore
    return source('crate.step', bytes);
  };
  const line = { name: 'router', receiver: 'martin', format: 'dxf', group: 'nested', nest: { sheets: [{ name: 'ply', width: 800, height: 500, copies: null, price: null, remnant: false, material: '', thickness: null, outline: null }], rounds: 5 } }; // prettier-ignore
  test('one zip with a file a sheet, the list, labels and plan; every part found again; the same bytes twice', async () => {
    const from = await crate();
    const [one, two] = [await released([from], { job: 'crate', lines: [line] }), await released([from], { job: 'crate', lines: [line] })];
    const [file] = one.manifest.files;
    expect([one.manifest.files.length, file.file, file.verdict]).toEqual([1, 'router_mm.zip', 'clear']);
    expect(file.claims.find((c) => c.quantity === 'Every listed part on a sheet')!.received).toBe('once each');
    const bytes = one.kept.get(file.file)!;
    expect(Buffer.from(bytes).equals(Buffer.from(two.kept.get(file.file)!))).toBe(true);
    const names = Object.keys(unzipSync(new Uint8Array(bytes))).map((n) => n.replace(/^router_/, ''));
    expect(names.sort()).toEqual(['cut-list.csv', 'labels.pdf', 'plan.pdf', 'ply_01_12mm.dxf']);
  });
  test('a printer cuts no sheets; spacing beyond its limits is refused with the field; nothing but bars is no error', async () => {
    expect(() => checkRelease({ lines: [{ ...line, receiver: 'lark', format: 'stl' }] }, readyReceivers)).toThrow(/cuts no sheets/);
    expect(() => checkRelease({ lines: [{ ...line, nest: { spacing: 500 } }] }, readyReceivers)).not.toThrow();
    expect(() => checkRelease({ lines: [{ ...line, nest: { spacing: 500.1 } }] }, readyReceivers)).toThrow(/spacing/);
    const bar = await source('bar.step', b.step('bar', [{ name: 'Bar', colour: '#cccccc', shape: b.box([0, 0, 0], [30, 30, 200]), places: [[0, 0, 0]] }]));
    const { manifest } = await released([bar], { lines: [line] });
    expect([manifest.files, manifest.notMade[0].code]).toEqual([[], 'no-panel']);
  });
});

describe('tubes for a bender by a line', () => {
  const square = { kind: 'square' as const, slant: 0, normal: null };
  const tubeFile = async (quantity: number) => {
    const { pieces } = piecesThrough([[0, 0, 0], [300, 0, 0], [300, 250, 0]], 70); // prettier-ignore
    const tube = { section: sectionBy('round', [42.4, 42.4], 2.6, 21.2), pieces, across: [0, 0, 1] as [number, number, number], ends: [square, square] };
    const shape = tubeSolid(await workingKernel(), stretchesOf({ ...tube, ends: [square, square] }));
    const plate = { name: 'Plate', colour: '#cccccc', shape: b.box([500, 0, 0], [60, 60, 8]), places: [[0, 0, 0]] as [number, number, number][] };
    const places = Array.from({ length: quantity }, (_, i) => [0, 0, 100 * i] as [number, number, number]);
    return source('frame.step', b.step('frame', [{ name: 'Rail', colour: '#cccccc', shape, places }, plate]));
  };
  const line = { name: 'bent', receiver: 'curlew', format: 'step' };
  test('one zip with the table, what goes along, and what is no tube told; the same bytes twice', async () => {
    const from = await tubeFile(2);
    const recipe = { job: 'frame', lines: [line] };
    const [one, two] = [await released([from], recipe), await released([from], recipe)];
    const [file] = one.manifest.files;
    expect([one.manifest.files.length, file.file]).toEqual([1, 'bent_mm.zip']);
    expect(file.findings.map((f) => f.message).join(' ')).toContain('Plate');
    const bytes = one.kept.get(file.file)!;
    const [a, c] = [bytes, two.kept.get(file.file)!].map((z) => Object.entries(unzipSync(new Uint8Array(z))).map(([n, x]) => [n, sha256([x])]));
    expect(c).toEqual(a);
    expect(Object.keys(unzipSync(new Uint8Array(bytes))).sort()).toEqual(['R1.step', 'R1_bends.csv', 'R1_points.csv', 'R1_sheet.pdf']);
    // What goes to the machine is the table alone, and it bends the tube: 300 - 70, then 90 degrees about 70, then 250 - 70.
    const sent = tablesInZip(new Uint8Array(bytes));
    expect(sent.map((f) => f.name)).toEqual(['R1_bends.csv']);
    const got = receiveTable(sent[0].bytes, readyReceivers.find(isBender)!, 'R1');
    expect(got.developed).toBeCloseTo(230 + 35 * Math.PI + 180, 6);
    expect(got.findings).toEqual([]);
  });
  test('a quantity that was typed counts beside what the design places', async () => {
    const recipe = { job: 'frame', lines: [{ ...line, tubes: { quantity: true } }] };
    const names = async (list: PartsRow[]) => {
      const { kept } = await released([await tubeFile(2)], recipe, list);
      return Object.keys(unzipSync(new Uint8Array([...kept.values()][0]))).filter((n) => n.endsWith('_bends.csv'));
    };
    expect(await names([])).toEqual(['R1_x2_bends.csv']);
    const { rows } = readPartsList('name,qty\nRail,7\n');
    expect(await names(rows)).toEqual(['R1_x7_bends.csv']);
  });
  test('rules and dies of the machine; a part without a tube is no error; what does not suit is refused with why', async () => {
    const curlew = readyReceivers.find(isBender)!;
    const own = {
      ...curlew,
      id: 'own',
      name: 'Own',
      bender: { ...curlew.bender, dies: [60], rules: [{ material: 'steel', radius: 60, ratio: 1.01, offset: 1, elongation: 2 }] },
    };
    const from = await tubeFile(1);
    const without = await released([from], { lines: [{ ...line, receiver: own }] });
    expect(without.manifest.files[0].findings.map((f) => f.code)).toContain('no-die');
    const { kept, manifest } = await released([from], { lines: [{ ...line, receiver: own, tubes: { material: 'steel', toDie: true } }] });
    expect(manifest.files[0].findings.map((f) => f.code)).toContain('die-taken');
    const table = readTable(tablesInZip(new Uint8Array([...kept.values()][0]))[0].bytes);
    expect(table.table.rows[0].radius).toBe(60);
    expect(table.set[0]).toBeCloseTo(90 * 1.01 + 1, 9);
    // 240 + 30 pi + 190, less 2 for the one bend.
    expect(table.cut).toBeCloseTo(428 + 30 * Math.PI, 6);
    const plate = await source(
      'plate.step',
      b.step('plate', [{ name: 'Plate', colour: '#cccccc', shape: b.box([0, 0, 0], [60, 60, 8]), places: [[0, 0, 0]] }]),
    );
    expect((await released([plate], { lines: [line] })).manifest.notMade[0].code).toBe('no-tube');
    for (const [wrong, why] of [
      [{ ...line, group: 'all' }, /grouped as tubes/],
      [{ ...line, receiver: 'lark', format: 'stl', group: 'tubes' }, /bends no tubes/],
      [{ ...line, flatten: {} }, /no flat patterns/],
      [{ ...line, format: 'stl' }, /does not read STL/],
      [{ ...line, tubes: { density: 31 } }, /tubes:.*density/],
    ] as const)
      expect(() => checkRelease({ lines: [wrong] }, readyReceivers)).toThrow(why);
  });
});
