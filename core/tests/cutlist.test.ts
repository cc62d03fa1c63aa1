/** Cut list and sheet files: read by ezdxf, decoded by zbar, and the proof against files that were spoilt on purpose. */
import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Papa from 'papaparse';
import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { contourOf, type Contour, type Drawing } from '../src/curves/drawing.ts';
import { cutListCsv, listedEdits, readCutList } from '../src/cutlist/csv.ts';
import { usualNest, type NestChoice } from '../src/cutlist/how.ts';
import { labelPages, labelsOf } from '../src/cutlist/labels.ts';
import { cutListOf, type ListPart } from '../src/cutlist/list.ts';
import { nestRows } from '../src/cutlist/nest-rows.ts';
import type { Nest } from '../src/cutlist/nested.ts';
import { typedSchema } from '../src/cutlist/schema.ts';
import { typedFrom, typedRow } from '../src/cutlist/typed.ts';
import { edited, totalsOf, type CutRow } from '../src/cutlist/row.ts';
import { machineFor, nestFiles, nestZip, sheetsInZip } from '../src/cutlist/run.ts';
import { sheetClaims } from '../src/cutlist/prove-sheet.ts';
import { skinDepth } from '../src/cutlist/row-drawing.ts';
import { badNames, sheetDrawing } from '../src/cutlist/sheet-drawing.ts';
import { nodeEngine } from '../src/engine/load.ts';
import { SolidBuilder, type Solid } from '../src/kernel/build.ts';
import { workingKernel } from '../src/kernel/load.ts';
import { firstDrawingRecipe } from '../src/model/drawing-recipe.ts';
import { nodeTools } from '../src/pipeline/node-tools.ts';
import { readDesign } from '../src/pipeline/read.ts';
import { writeDrawing } from '../src/pipeline/write-drawing.ts';
import { receiveDrawing } from '../src/processes/cutters.ts';
import { partOfDrawing } from '../src/drawing/part.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { firstRecipe } from '../src/recipe/recipe.ts';
import { nodeLetters } from '../src/text/node-files.ts';
import { nodeKernels } from '../src/kernel/load.ts';
import { usualChoices } from '../src/model/choices.ts';

const martin = readyReceivers.find((r) => r.id === 'martin')!;
let folder = '';
let rows: CutRow[] = [];
let nest: Nest;
const choice: NestChoice = { ...usualNest, sheets: [{ ...usualNest.sheets[0], width: 900, height: 600 }], rounds: 6, grain: 'x' };
const up = [0, 0, 1] as [number, number, number];

/** A small case: two equal sides with grain, a left and a right, a small foot, a bar that is no panel. */
async function smallCase(): Promise<ListPart[]> {
  const b = new SolidBuilder(await workingKernel());
  const side = () =>
    b.cut(
      b.box([0, 0, 0], [400, 200, 12]),
      b.cylinder([40, 40, -1], up, 4, 20),
      b.box([-1, 150, 8], [402, 6.2, 9]),
      ...[0, 32, 64].map((x) => b.cylinder([100 + x, 37, 4], up, 2.5, 20)),
    );
  const hand = (left: boolean) =>
    b.cut(b.box([0, 0, 0], [300, 180, 12]), b.cylinder([left ? 40 : 260, 60, 5], up, 10, 20), b.cylinder([150, 150, -1], up, 6, 20));
  const turn = [0, -1, 0, 500, 1, 0, 0, 60, 0, 0, 1, 9];
  const list: [string, Solid][] = [['side a', side()], ['side b', b.placed(side(), turn)], ['left', hand(true)], ['right', hand(false)], ['foot', b.cylinder([0, 0, 0], up, 25, 12)], ['bar', b.box([0, 0, 0], [20, 20, 300])]]; // prettier-ignore
  const bytes = b.step('small case', list.map(([name, shape]) => ({ name, colour: '#cccccc', shape, places: [[0, 0, 0]] }))); // prettier-ignore
  const design = await readDesign(bytes, 'case.step', nodeKernels, usualChoices);
  return design.parts.map(({ summary, geometry }, i) => ({
    key: `k${i}`,
    summary,
    recipe: firstRecipe(summary, readyReceivers),
    geometry,
    quantity: 1,
    number: '',
    material: 'birch plywood',
    thickness: null,
  }));
}

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'cutlist-'));
  rows = cutListOf(await smallCase(), await workingKernel())!.map((r) => (r.name === 'side a' ? { ...r, grain: 'length' as const, number: 'C-1' } : r));
  nest = nestRows(rows, choice, await nodeEngine());
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

test('equal parts are one row with both, mirror images are two that say so, a bar is none and says why', () => {
  expect(rows.map((r) => [r.name, r.kind, r.quantity, r.mirrorOf])).toEqual([
    ['side a', 'panel', 2, null],
    ['left', 'panel', 1, null],
    ['right', 'panel', 1, 'k2'],
    ['foot', 'panel', 1, null],
    ['bar', 'other', 1, null],
  ]);
  expect(rows[4].why).toContain('bar of 300 × 20 × 20 mm');
  // 12 mm birch of 0.68 g/cm3 (handbook value): the foot weighs its volume times that.
  expect(rows[3].weight).toBeCloseTo(Math.PI * 6.25 * 1.2 * 0.68, 3);
  // Another material weighs otherwise, one that is not known is not weighed.
  expect(edited(rows[3], { material: 'MDF' }).weight).toBeCloseTo(Math.PI * 6.25 * 1.2 * 0.75, 3);
  expect(edited(rows[3], { material: 'cork' }).weight).toBeNull();
  const [total] = totalsOf(rows);
  expect([total.pieces, total.stock]).toEqual([5, 'birch plywood, 12 mm']);
});

describe('the list as CSV', () => {
  test('what is written is read again, with point or comma, with and without a mark; formulas are made harmless', () => {
    const odd = rows.map((r, i) =>
      i === 0
        ? edited(r, { name: '=SUM(A1)', notes: 'say "when", please; or not', quantity: 7, bands: { front: 'oak 0,8', back: '', left: '', right: '' } })
        : r,
    );
    for (const how of [
      { comma: false, mark: false },
      { comma: true, mark: true },
    ]) {
      const text = cutListCsv(odd, how);
      expect(text.startsWith('\ufeff')).toBe(how.mark);
      // By the library alone, as a spreadsheet would.
      const plain = Papa.parse<string[]>(text.replace('\ufeff', ''), { delimiter: how.comma ? ';' : ',', skipEmptyLines: true }).data;
      expect(plain[1][1]).toBe("'=SUM(A1)");
      expect(plain[1][4]).toBe('12');
      expect(plain.length).toBe(1 + rows.length);
      const { rows: read, bad } = readCutList(text);
      expect(bad).toEqual([]);
      expect(read[0]).toMatchObject({
        number: 'C-1',
        name: '=SUM(A1)',
        quantity: 7,
        thickness: 12,
        length: 400,
        width: 200,
        grain: 'length',
        notes: 'say "when", please; or not',
      });
      expect(read[0].bands).toEqual({ front: 'oak 0,8', back: '', left: '', right: '' });
    }
  });
  test('bad rows are told with their line and never stop the good ones; just within and just beyond the limits', () => {
    const { rows: read, bad } = readCutList(
      'number;name;quantity;thickness mm;grain\nA;;100000;0,01;length\nB;;100001;1;\nC;;2;0;\nD;;1;1000;up\n;;1;1;\nE;;1;1.000,5;none\n',
    );
    expect(read.map((r) => [r.number, r.quantity, r.thickness])).toEqual([['A', 100_000, 0.01]]);
    expect(bad.map((b) => b.line)).toEqual([3, 4, 5, 6, 7]);
    expect(() => readCutList('size,colour\n1,2\n')).toThrow(/no column for part number or name/);
  });
  test('a list speaks of rows by number, by name and by the name of any equal part', () => {
    const { edits, unknown } = listedEdits(rows, readCutList('number,name,quantity\nC-1,,4\n,side B,5\n,foot,9\n,ghost,1\n').rows);
    expect([...edits].map(([k, e]) => [k, e.quantity])).toEqual([['k0', 5], ['k4', 9]]); // prettier-ignore
    expect(unknown.map((u) => u.name)).toEqual(['ghost']);
  });
});

const box = (x: number, y: number, w: number, h: number): Contour => {
  const ring: [number, number][] = [[x, y], [x + w, y], [x + w, y + h], [x, y + h]]; // prettier-ignore
  return contourOf(ring.map((a, i) => ({ kind: 'line' as const, a, b: ring[(i + 1) % 4] })), true); // prettier-ignore
};
const round = (x: number, y: number, radius: number): Contour => contourOf([{ kind: 'arc', centre: [x, y], radius, start: 0, sweep: 2 * Math.PI }], true);

const recipe = () => {
  const usual = firstDrawingRecipe();
  const first = firstRecipe({ survey: null, kind: 'drawing' }, [martin]);
  return {
    ...first,
    receiver: martin,
    file: { ...first.file, format: 'dxf' as const },
    drawing: { ...usual, place: { ...usual.place, datum: 'drawn' as const }, keepLayers: true },
  };
};
/** The claims of a sheet whose drawing was changed before it was written. */
async function proved(spoil: (d: Drawing) => Drawing, how: NestChoice = choice, of: Nest = nest, list: CutRow[] = rows): Promise<Record<string, string>> {
  const engine = await nodeEngine();
  const { drawing } = await sheetDrawing(of, 0, { rows: list, choice: how }, { engine, letters: nodeLetters });
  const part = partOfDrawing(spoil(drawing), { name: 'sheet', path: ['sheet'], quantity: 1, unit: 'mm', format: 'made here' });
  const { pieces } = await writeDrawing(part.summary, (part.geometry as { drawing: Drawing }).drawing, recipe(), engine);
  const received = await receiveDrawing(Buffer.concat([...pieces]), 'dxf', martin);
  const { claims } = sheetClaims(of.sheets[0], { rows: list, choice: how, engine }, received);
  return Object.fromEntries(claims.map((c) => [c.quantity, c.verdict]));
}
const onLayer = (d: Drawing, name: string, change: (contours: Drawing['layers'][number]['contours']) => Drawing['layers'][number]['contours']): Drawing => ({ ...d, layers: d.layers.map((l) => (l.name.startsWith(name) ? { ...l, contours: change(l.contours) } : l)) }); // prettier-ignore
const shifted = (c: Drawing['layers'][number]['contours'][number], dx: number, dy: number) => ({ ...c, segments: c.segments.map((s) => (s.kind === 'line' ? { ...s, a: [s.a[0] + dx, s.a[1] + dy] as [number, number], b: [s.b[0] + dx, s.b[1] + dy] as [number, number] } : s.kind === 'arc' ? { ...s, centre: [s.centre[0] + dx, s.centre[1] + dy] as [number, number] } : s)) }); // prettier-ignore

describe('panels of typed sizes', () => {
  test('rows of no part that state both sizes become plain panels with all that the list says; just within and just beyond the limits', () => {
    const list = readCutList('number,name,quantity,material,thickness mm,length mm,width mm,grain,band front\nX-1,shelf,3,MDF,18,600,300.5,length,oak\n,loose,1,,,,\n,dot,1,,,1,1\n,too small,1,,,0.99,50\n,long,1,,,20000,20000\n,too long,1,,,20000.1,10\n'); // prettier-ignore
    const { unknown } = listedEdits(rows, list.rows);
    const { panels, edits } = typedFrom(unknown, 7);
    expect(panels).toEqual([{ id: '7', name: 'shelf', length: 600, width: 300.5 }, { id: '8', name: 'dot', length: 1, width: 1 }, { id: '9', name: 'long', length: 20000, width: 20000 }]); // prettier-ignore
    const row = edited(typedRow(panels[0]), edits.get('typed 7'));
    expect([row.number, row.quantity, row.material, row.thickness, row.grain, row.bands.front, row.area]).toEqual([
      'X-1',
      3,
      'MDF',
      18,
      'length',
      'oak',
      180300,
    ]);
    // 0.75 g/cm3 (handbook value) over the volume of the typed thickness.
    expect(row.weight).toBeCloseTo(0.75 * 60 * 30.05 * 1.8, 3);
    expect(typedSchema.validate(panels).error).toBeUndefined();
    expect(typedSchema.validate([{ ...panels[0], width: 0.99 }]).error).toBeDefined();
    expect(typedSchema.validate([panels[0], panels[0]]).error?.message).toContain('duplicate');
  });
  test('they are laid, written, labelled and found again in the bytes beside the others', async () => {
    const own = typedRow({ id: '1', name: 'shelf', length: 250, width: 120 });
    const list = [...rows, edited(own, { quantity: 2, material: 'birch plywood', thickness: 12 })];
    const laid = nestRows(list, choice, await nodeEngine());
    const keep = async (_: string, pieces: Iterable<Uint8Array>) => Buffer.concat([...pieces]);
    const done = (await nestFiles({ rows: list, nest: laid, choice }, { receiver: martin, format: 'dxf', name: 'x', csv: { comma: false, mark: false } }, { tools: nodeTools, letters: nodeLetters, keep }))!; // prettier-ignore
    expect(done.evidence.claims.map((c) => c.verdict)).toEqual(['clear', 'clear', 'clear']);
    expect(laid.sheets.flatMap((s) => s.parts.filter((p) => p.row === 'typed 1')).length).toBe(2);
    expect(labelsOf(list, laid).filter((l) => l.row.name === 'shelf').length).toBe(2);
  });
});

describe('the proof of a sheet', () => {
  test('the file as it is made is clear in every claim', async () => {
    const claims = await proved((d) => d);
    expect(Object.entries(claims).filter(([, v]) => v !== 'clear')).toEqual([]);
    expect(Object.keys(claims).length).toBeGreaterThanOrEqual(9);
  });
  test('each spoilt file is stopped by the claim that it belongs to', async () => {
    const missing = await proved((d) => onLayer(d, 'CUT_LARGE', (c) => c.slice(1)));
    expect(missing['Parts found by shape']).toBe('stop');
    const twice = await proved((d) => onLayer(d, 'CUT_SMALL', (c) => [...c, shifted(c[0], 0, 430)]));
    expect(twice['Quantity of each part']).toBe('stop');
    const hole = await proved((d) => onLayer(d, 'HOLES_D8', (c) => c.slice(1)));
    expect(hole['Openings and pockets missing']).toBe('stop');
    const row = await proved((d) => onLayer(d, 'ROW_HOLES', (c) => c.slice(1)));
    expect(row['Openings and pockets missing']).toBe('stop');
    const pocket = await proved((d) => onLayer(d, 'POCKET', (c) => c.map((k) => shifted(k, 0.5, 0))));
    expect(pocket['Openings and pockets missing']).toBe('stop');
    const off = await proved((d) => ({
      ...d,
      layers: d.layers.map((l) => (l.name === 'SHEET_EDGE' ? l : { ...l, contours: l.contours.map((c) => shifted(c, -4, 0)) })),
    }));
    expect(off['Parts off the sheet or in its rim']).toBe('stop');
    const edge = await proved((d) => ({ ...d, layers: d.layers.filter((l) => l.name !== 'SHEET_EDGE') }));
    expect(edge['Parts off the sheet']).toBe('stop');
  });
  test('two that overlap, and two a hundredth nearer than asked; exactly as near is clear', async () => {
    const lie = (gap: number): Nest => ({ ...nest, sheets: [{ ...nest.sheets[0], parts: [{ row: 'k0', copy: 0, turn: 0, mirrored: false, x: 10, y: 10 }, { row: 'k0', copy: 1, turn: 0, mirrored: false, x: 10, y: 210 + gap }] }] }); // prettier-ignore
    expect((await proved((d) => d, choice, lie(8)))['Least distance of parts']).toBe('clear');
    expect((await proved((d) => d, choice, lie(7.99)))['Least distance of parts']).toBe('stop');
    expect((await proved((d) => d, choice, lie(-3)))['Parts that overlap']).toBe('stop');
  });
  test('a mirrored part is found by its shape, and grain across too', async () => {
    const lie = (row: string, turn: number, mirrored: boolean, x: number, y: number): Nest => ({
      ...nest,
      sheets: [{ ...nest.sheets[0], parts: [{ row, copy: 0, turn, mirrored, x, y }] }],
    });
    expect((await proved((d) => d, choice, lie('k0', 0, true, 500, 20)))['Mirrored parts']).toBe('stop');
    // The left one mirrored is the right one: found as that, and so not the one that was listed.
    expect((await proved((d) => d, choice, lie('k2', 0, true, 500, 20)))['Quantity of each part']).toBe('stop');
    expect((await proved((d) => d, choice, lie('k0', 90, false, 300, 20)))['Parts with the grain across']).toBe('stop');
    expect((await proved((d) => d, choice, lie('k0', 180, false, 500, 300)))['Parts with the grain across']).toBe('clear');
  });
  test('a square part with a hole off its middle lies along the grain or across, told by the hole; a plain one and a disc have no across', async () => {
    const square = { ...rows[0], key: 'sq', length: 100, width: 100, grain: 'length' as const, layers: [{ meaning: 'cut' as const, depth: null, back: false, contours: [box(0, 0, 100, 100), round(20, 35, 6)] }] }; // prettier-ignore
    const plain = { ...square, key: 'plain', layers: [{ ...square.layers[0], contours: [box(0, 0, 100, 100)] }] };
    const disc = { ...square, key: 'disc', layers: [{ ...square.layers[0], contours: [round(50, 50, 50)] }] };
    const across = async (row: CutRow, turn: number) => (await proved((d) => d, choice, { ...nest, sheets: [{ ...nest.sheets[0], parts: [{ row: row.key, copy: 0, turn, mirrored: false, x: 300, y: 300 }] }] }, [row]))['Parts with the grain across']; // prettier-ignore
    expect([await across(square, 0), await across(square, 180), await across(square, 90)]).toEqual(['clear', 'clear', 'stop']);
    expect([await across(plain, 90), await across(disc, 90)]).toEqual(['clear', 'clear']);
  });
  test('an island near the rim of its opening is no neighbour that comes too near', async () => {
    const ring = { ...rows[0], key: 'ring', layers: [{ meaning: 'cut' as const, depth: null, back: false, contours: [box(0, 0, 200, 100), round(50, 50, 30), round(50, 50, 28)] }] }; // prettier-ignore
    const lie = { ...nest, sheets: [{ ...nest.sheets[0], parts: [{ row: 'ring', copy: 0, turn: 0, mirrored: false, x: 20, y: 20 }, { row: 'ring', copy: 1, turn: 0, mirrored: false, x: 20, y: 128 }] }] }; // prettier-ignore
    const claims = await proved((d) => d, { ...choice, grain: 'none' }, lie, [ring]);
    expect(Object.entries(claims).filter(([, v]) => v !== 'clear')).toEqual([]);
  });
  test('a saw plan is replayed from the file: a cut moved, and one left out, are told', async () => {
    const saw = { ...choice, grain: 'none' as const, kerf: 4.4, saw: { stages: 3 as const, trim: 10 } };
    const plan = nestRows(rows, saw, await nodeEngine());
    expect((await proved((d) => d, saw, plan))['Saw cuts replayed']).toBe('clear');
    expect((await proved((d) => onLayer(d, 'SAW_005', (c) => c.map((k) => shifted(k, 3, 3))), saw, plan))['Saw cuts replayed']).toBe('stop');
    expect((await proved((d) => ({ ...d, layers: d.layers.filter((l) => l.name !== 'SAW_006') }), saw, plan))['Saw cuts replayed']).toBe('stop');
  });
});

describe('drawings as panels', () => {
  const drawn = async (svg: string, name: string): Promise<ListPart> => {
    const { parts } = await readDesign(
      Buffer.from(`<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="100mm" viewBox="0 0 200 100" fill="none" stroke="#000">${svg}</svg>`),
      name,
      nodeKernels,
      usualChoices,
    );
    const [{ summary, geometry }] = parts;
    return { key: name, summary, recipe: firstRecipe(summary, readyReceivers), geometry, quantity: 1, number: '', material: '', thickness: 6 };
  };
  const rings =
    '<rect x="5" y="5" width="80" height="60"/><circle cx="45" cy="35" r="20"/><circle cx="45" cy="35" r="5"/><rect x="110" y="5" width="80" height="60"/><circle cx="150" cy="35" r="20"/><circle cx="150" cy="35" r="5"/>';
  test('several outlines are a row each, equal ones cannot be told apart on a sheet, an island belongs to its part', async () => {
    const found = cutListOf([await drawn(rings, 'two.svg')], null)!;
    expect(found.map((r) => [r.name, r.length, r.width, r.thickness, r.holes.map((h) => h.diameter)])).toEqual([['two 1', 80, 60, 6, [40]], ['two 2', 80, 60, 6, [40]]]); // prettier-ignore
    // 80 x 60 less a circle of 40 plus the island of 10 in it.
    expect(found[0].area).toBeCloseTo(4800 - Math.PI * 400 + Math.PI * 25, 6);
    const how = { ...usualNest, sheets: [{ ...usualNest.sheets[0], width: 300, height: 200 }], rounds: 2 };
    const lying = nestRows(found, how, await nodeEngine());
    const done = (await nestFiles({ rows: found, nest: lying, choice: how }, { receiver: martin, format: 'dxf', name: 'two', csv: { comma: false, mark: false } }, { tools: nodeTools, letters: nodeLetters, keep: async (_, pieces) => Buffer.concat([...pieces]) }))!; // prettier-ignore
    expect(done.evidence.claims.map((c) => c.verdict)).toEqual(['clear', 'clear', 'clear']);
    expect(done.files[0].evidence!.claims.filter((c) => c.verdict !== 'clear')).toEqual([]);
  });
  test('an outline with a gap is no panel, and its holes are none either', async () => {
    const [row] = cutListOf([await drawn('<path d="M5 5H95V65H5V6"/><circle cx="30" cy="30" r="8"/>', 'gap.svg')], null)!;
    expect([row.kind, row.why]).toEqual(['other', expect.stringContaining('Its outline is open')]);
  });
});

test('a skin under small parts: their depth in the layer, found by shape all the same, told; as thick as the sheet or of unknown thickness they are cut through, told', async () => {
  const how = { ...choice, skin: 0.4 };
  const tools = { engine: await nodeEngine(), letters: nodeLetters };
  const made = await sheetDrawing(nest, 0, { rows, choice: how }, tools);
  const small = rows.filter((r) => r.kind === 'panel' && r.area < choice.smallArea);
  const thickness = small[0].thickness!;
  const layer = made.drawing.layers.find((l) => l.name.startsWith('CUT_SMALL'))!;
  expect(layer.name).toBe(`CUT_SMALL_${String(Number((thickness - 0.4).toFixed(3))).replace('.', '_')}MM`);
  expect(layer.contours.every((c) => c.depth === thickness - 0.4)).toBe(true);
  expect(made.drawing.layers.find((l) => l.name === 'CUT_LARGE')!.contours.some((c) => c.depth)).toBe(false);
  expect(made.findings.find((f) => f.code === 'skin-left')).toMatchObject({ severity: 'look', count: layer.contours.length });
  // Read back by a machine that knows shapes only: every part is there, none is strange.
  const claims = await proved((d) => d, how);
  expect(Object.entries(claims).filter(([, verdict]) => verdict !== 'clear')).toEqual([]);
  // Just under the thickness there is something to cut, at it there is not.
  expect(skinDepth({ thickness: 18 }, { skin: 17.999 })).toBeCloseTo(0.001, 9);
  expect([skinDepth({ thickness: 18 }, { skin: 18 }), skinDepth({ thickness: null }, { skin: 1 }), skinDepth({ thickness: 18 }, {})]).toEqual([
    null,
    null,
    null,
  ]);
  const through = await sheetDrawing(nest, 0, { rows, choice: { ...choice, skin: thickness } }, tools);
  expect(through.findings.map((f) => f.code)).toContain('no-skin');
  expect(through.drawing.layers.some((l) => l.name === 'CUT_SMALL')).toBe(true);
});

test('files of a nest: ezdxf reads layers by meaning and as many contours; the run is clear; equal inputs give equal bytes', async () => {
  const how = { receiver: martin, format: 'dxf' as const, name: 'Small case', csv: { comma: false, mark: false } };
  const keep = (name: string, pieces: Iterable<Uint8Array>) => {
    const bytes = Buffer.concat([...pieces]);
    writeFileSync(join(folder, name), bytes);
    return Promise.resolve(bytes);
  };
  const done = (await nestFiles({ rows, nest, choice }, how, { tools: nodeTools, letters: nodeLetters, keep }))!;
  expect(done.evidence.claims.map((c) => c.verdict)).toEqual(['clear', 'clear', 'clear']);
  const sheetFile = done.files.find((f) => f.sheet === 0)!;
  const code = `import ezdxf, json, sys
d = ezdxf.readfile(sys.argv[1])
out = {}
for e in d.modelspace():
    out[e.dxf.layer] = out.get(e.dxf.layer, 0) + 1
print(json.dumps(out))`;
  const layers = JSON.parse(execFileSync('/usr/bin/python3', ['-c', code, join(folder, sheetFile.name)]).toString()) as Record<string, number>;
  // Two sides, a left and a right; the foot is small; holes by their diameter; a row of three 32 mm apart on each side.
  expect(layers).toMatchObject({
    CUT_LARGE: 4,
    CUT_SMALL: 1,
    HOLES_D8: 2,
    HOLES_D12: 2,
    HOLES_D20_7MM: 2,
    ROW_HOLES_D5_8MM: 6,
    POCKET_4MM: 2,
    SHEET_EDGE: 1,
    SUMMARY_TEXT: 1,
  });
  expect(layers.LABEL).toBeGreaterThan(5);
  expect(done.files.map((f) => f.name.replace(/^Small-case_/, '')).sort()).toEqual(
    ['cut-list.csv', 'labels.pdf', 'plan.pdf', sheetFile.name.replace(/^Small-case_/, '')].sort(),
  );
  const [a, b] = [
    await nestZip({ rows, nest, choice }, how, { tools: nodeTools, letters: nodeLetters }),
    await nestZip({ rows, nest, choice }, how, { tools: nodeTools, letters: nodeLetters }),
  ];
  expect(Buffer.from(a!.bytes).equals(Buffer.from(b!.bytes))).toBe(true);
  expect(sheetsInZip(a!.bytes).map((s) => s.name)).toEqual([sheetFile.name]);
});

test('what can not be proved of a page is told; a plan that speaks of a part off the list is refused; a pocket carved twice is told', async () => {
  const keep = async (_: string, pieces: Iterable<Uint8Array>) => Buffer.concat([...pieces]);
  const tools = { tools: nodeTools, letters: nodeLetters, keep };
  const pipit = readyReceivers.find((r) => r.id === 'pipit')!;
  const page = (await nestFiles({ rows, nest, choice }, { receiver: pipit, format: 'pdf', name: 'x', csv: { comma: false, mark: false } }, tools))!;
  expect([page.evidence.verdict, page.evidence.findings[0].code]).toEqual(['look', 'parts-not-found']);
  const how = { receiver: martin, format: 'dxf' as const, name: 'x', csv: { comma: false, mark: false } };
  await expect(nestFiles({ rows: rows.slice(1), nest, choice }, how, tools)).rejects.toMatchObject({ code: 'not-on-the-list' });
  const twice = rows.map((r) => ({ ...r, layers: r.layers.flatMap((l) => (l.meaning === 'pocket' ? [l, l] : [l])) }));
  const codes = async (list: CutRow[]) => (await nestFiles({ rows: list, nest, choice }, how, tools))!.files[0].evidence!.findings.map((f) => f.code);
  expect(await codes(rows)).not.toContain('cut-twice');
  expect(await codes(twice)).toContain('cut-twice');
});

test('every code on the labels is decoded by zbar, and says which part, which copy and which sheet', async () => {
  const labels = labelsOf(rows, { ...nest, notPlaced: [{ row: 'k3', copies: 1, why: '' }] });
  expect(labels.length).toBe(nest.sheets.reduce((n, s) => n + s.parts.length, 0) + 1);
  const many = Array.from({ length: 27 }, (_, i) => ({ ...labels[i % labels.length], code: `${labels[i % labels.length].code} ${i}` }));
  writeFileSync(join(folder, 'labels.pdf'), await labelPages(many, 'labels', nodeLetters));
  execFileSync('pdftoppm', ['-r', '300', '-png', join(folder, 'labels.pdf'), join(folder, 'label')]);
  // One label after another, as a scanner is held to it.
  const read: string[] = [];
  for (const [page, count] of [
    [1, 24],
    [2, 3],
  ]) {
    const picture = sharp(join(folder, `label-${page}.png`));
    const { width, height } = await picture.metadata();
    const [w, h] = [Math.floor(width / 3), Math.floor(height / 8)];
    for (let k = 0; k < count; k++) await picture.clone().extract({ left: (k % 3) * w, top: Math.floor(k / 3) * h, width: w, height: h }).toFile(join(folder, `one-${page}-${String(k).padStart(2, '0')}.png`)); // prettier-ignore
    const files = Array.from({ length: count }, (_, k) => join(folder, `one-${page}-${String(k).padStart(2, '0')}.png`));
    read.push(...execFileSync('zbarimg', ['--quiet', '--raw', '-Sdisable', '-Sqrcode.enable', ...files], { stdio: ['ignore', 'pipe', 'ignore'] }).toString().trim().split('\n')); // prettier-ignore
  }
  expect(read).toEqual(many.map((l) => l.code));
});

test('names in other scripts stand on labels and plans as outlines', async () => {
  const [first] = labelsOf(rows, nest);
  const bytes = await labelPages([{ ...first, row: { ...first.row, number: '', name: 'Дверца шкафа' } }], 'labels', nodeLetters);
  expect(bytes.length).toBeGreaterThan(3000);
  expect(Buffer.from(bytes).toString('latin1')).toContain('%PDF');
});

test('layers may be called otherwise, but not twice the same; a machine that takes the sheet is found', () => {
  expect(badNames(usualNest.names)).toBeNull();
  expect(badNames({ ...usualNest.names, large: 'cut_small' })).toContain('Two kinds of layers');
  expect(badNames({ ...usualNest.names, large: 'a'.repeat(40) })).toBeNull();
  expect(badNames({ ...usualNest.names, large: 'a'.repeat(41) })).toContain("can't be called");
  expect(machineFor([{ width: 900, height: 600 }], 'dxf', readyReceivers)!.id).toBe('swift');
  expect(machineFor([{ width: 900.1, height: 600 }], 'dxf', readyReceivers)!.id).toBe('martin');
  expect(machineFor([{ width: 9000, height: 6000 }], 'dxf', readyReceivers)!.id).toBe('martin');
});
