/** Depths for a router: in the names of layers, read back from the bytes alone, told in the evidence. */
import { describe, expect, test } from 'vitest';
import type { Drawing } from '../src/curves/drawing.ts';
import { partOfDrawing } from '../src/drawing/part.ts';
import { identityRows } from '../src/geometry/rows.ts';
import type { CarveRecipe, DrawingRecipe } from '../src/model/drawing-recipe.ts';
import { nodeTools } from '../src/pipeline/node-tools.ts';
import { writeDrawing } from '../src/pipeline/write-drawing.ts';
import { carve } from '../src/processes/carve.ts';
import { receiveDrawing } from '../src/processes/cutters.ts';
import { proveDrawing } from '../src/prove/prove-drawing.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { receiverIn } from '../src/receivers/receivers.ts';
import { checkReceiver } from '../src/receivers/rules.ts';
import { firstRecipe, type Recipe } from '../src/recipe/recipe.ts';
import { recipeSchema } from '../src/recipe/schema.ts';
import { depthsStep } from '../src/steps/depths.ts';
import { lines, round } from './drawing.data.ts';

const martin = receiverIn(readyReceivers, 'martin');
const usual: CarveRecipe = { bit: 6, side: 'waste', pocket: 3.5, engrave: 0.5, below: 0.2 };
const rect = (x: number, y: number, w: number, h: number) => lines([[x, y], [x + w, y], [x + w, y + h], [x, y + h]]); // prettier-ignore
/** A panel with a pocket, an engraved line and a hole, each on a layer that says what it is. */
const panel = (pocket = 'pocket'): Drawing => {
  const layer = (name: string, contours: Drawing['layers'][number]['contours']) => ({ name, colour: null, lineType: 'CONTINUOUS', contours });
  return { layers: [layer('cut', [rect(0, 0, 120, 80)]), layer(pocket, [rect(20, 20, 40, 30)]), layer('engrave', [lines([[70, 10], [110, 10]], false)]), layer('holes', [round(100, 60, 8)])], texts: [], points: [] }; // prettier-ignore
};
const stock = { width: 140, height: 100, thickness: 12, material: '', zZero: 'bed' as const };

async function pass(drawing: Drawing, change: Partial<DrawingRecipe>, format: Recipe['file']['format'] = 'dxf', machine = martin) {
  const part = partOfDrawing(drawing, { name: 'panel', path: ['panel'], quantity: 1, unit: 'mm', format: 'DXF', places: [identityRows] });
  const first = firstRecipe(part.summary, readyReceivers);
  const recipe: Recipe = { ...first, receiver: machine, file: { ...first.file, format }, drawing: { ...first.drawing!, stock, ...change } };
  const written = await writeDrawing(part.summary, drawing, recipe, await nodeTools.engine());
  const bytes = Buffer.concat([...written.pieces]);
  const received = await receiveDrawing(bytes, format, machine);
  const depths = Object.fromEntries(received.meant.map((m) => [m.meaning, m.contour.depth ?? null]));
  const carved = carve(await nodeTools.engine(), received.meant, martin.cutter!, {
    stock,
    bit: 6,
    side: 'waste',
    below: 0.2,
    pocketDepth: 9.9,
    engraveDepth: 9.9,
  });
  return { written, bytes, received, depths, carved, evidence: proveDrawing(written.designed, received) };
}

describe('depths in a file for a router', () => {
  test.each(['R12', '2000', '2018'] as const)('DXF %s: the layers name them, and a reader of the bytes alone finds them', async (version) => {
    const { received, depths, evidence } = await pass(panel(), { carve: usual, version });
    expect(received.drawing.layers.map((l) => l.name).sort()).toEqual(
      version === 'R12' ? ['CUT', 'ENGRAVE_0_5MM', 'HOLES', 'POCKET_3_5MM'] : ['CUT', 'ENGRAVE_0.5MM', 'HOLES', 'POCKET_3.5MM'],
    );
    expect(depths).toEqual({ cut: null, hole: null, pocket: 3.5, engrave: 0.5 });
    expect(evidence.claims.filter((c) => c.verdict === 'stop')).toEqual([]);
  });
  test('SVG too', async () => {
    const { depths } = await pass(panel(), { carve: usual }, 'svg');
    expect([depths.pocket, depths.engrave]).toEqual([3.5, 0.5]);
  });
  test('the stand-in carves what the bytes say, not what it would do by itself: volume of the pocket times its depth', async () => {
    const shallow = await pass(panel(), { carve: { ...usual, pocket: 2 } });
    const deep = await pass(panel(), { carve: { ...usual, pocket: 6 } });
    // Corners are left by the bit: 40 by 30 less (4 - pi) r2.
    const area = 1200 - (4 - Math.PI) * 9;
    expect(Math.abs((deep.carved.removed - shallow.carved.removed) / (4 * area) - 1)).toBeLessThan(0.01);
  });
  test('a depth of the source goes before the recipe; nothing said leaves the names as they were', async () => {
    expect((await pass(panel('pocket 5 mm'), { carve: usual })).depths.pocket).toBe(5);
    const { received, written } = await pass(panel(), {});
    expect(received.drawing.layers.map((l) => l.name).sort()).toEqual(['CUT', 'ENGRAVE', 'HOLES', 'POCKET']);
    expect(written.findings.some((f) => f.code === 'depths')).toBe(false);
  });
  test('a file whose layers name another depth, or none, is stopped', async () => {
    const { bytes, written } = await pass(panel(), { carve: { ...usual, pocket: 3 } });
    for (const [wrong, said] of [
      ['POCKET_8MM', '1 at 8'],
      ['POCKET_XMM', 'no depth'],
    ] as const) {
      const other = Buffer.from(bytes.toString('latin1').replaceAll('POCKET_3MM', wrong), 'latin1');
      const claim = proveDrawing(written.designed, await receiveDrawing(other, 'dxf', martin)).claims.find((c) => c.quantity === 'Depths')!;
      // Under another name the layer is another one: nothing goes 3 mm deep.
      expect(claim, said).toMatchObject({ designed: '1 at 0.5, 1 at 3', verdict: 'stop' });
    }
  });
  test('a page has no layers to name depths: told as a look, and no claim is made', async () => {
    const pipit = receiverIn(readyReceivers, 'pipit');
    const { written, evidence } = await pass(panel(), { carve: usual }, 'pdf', pipit);
    expect(written.findings.find((f) => f.code === 'depths')).toMatchObject({ severity: 'look' });
    expect(evidence.claims.some((c) => c.quantity === 'Depths')).toBe(false);
  });
  test('the evidence says bit, side, zero and depths; kept names of the source lose the depths, which is told as a look', async () => {
    const said = (await pass(panel(), { carve: usual })).written.findings.find((f) => f.code === 'depths')!;
    expect(said).toMatchObject({
      severity: 'clear',
      message: 'Carved with a bit of 6 mm on the waste side, Z 0 on the bed: pocket 3.5 mm, engrave 0.5 mm. They stand in the names of the layers.',
    });
    const lost = (await pass(panel(), { carve: usual, keepLayers: true })).written.findings.find((f) => f.code === 'depths')!;
    expect(lost).toMatchObject({ severity: 'look' });
    expect(lost.message).toContain('the depths are not in the file');
  });
});

describe('layers that a machine expects', () => {
  const look = (name: string) => ({ name, colour: '#112233', lineType: 'CONTINUOUS' as const });
  const own = { ...martin, cutter: { ...martin.cutter!, looks: { cut: look('T1'), pocket: look('T2'), engrave: look('V-BIT') } } };
  test('are written by its names, the recipe of a part before them, the usual name where it has none', async () => {
    const { received } = await pass(panel(), { carve: usual, looks: { engrave: look('MINE') } }, 'dxf', own);
    expect(received.drawing.layers.map((l) => l.name).sort()).toEqual(['HOLES', 'MINE_0.5MM', 'T1', 'T2-3.5MM']);
  });
  test.each(['R12', '2000'] as const)('DXF %s: a name that ends in a figure is not read into the depth, and a long one keeps its depth', async (version) => {
    const tools = { ...martin, cutter: { ...martin.cutter!, looks: { pocket: look('T2'), engrave: look('AN_ENGRAVING_BIT_WITH_A_LONG_NAME') } } };
    const { depths, evidence } = await pass(panel(), { carve: { ...usual, pocket: 3 }, version }, 'dxf', tools);
    expect([depths.pocket, Object.values(depths).includes(0.5)]).toEqual([3, true]);
    expect(evidence.claims.find((c) => c.quantity === 'Depths')).toMatchObject({
      designed: '1 at 0.5, 1 at 3',
      received: '1 at 0.5, 1 at 3',
      verdict: 'clear',
    });
  });
  test('its stand-in knows what they are for by those names alone; another machine does not', async () => {
    const mine = await pass(panel(), { carve: usual }, 'dxf', own);
    expect(mine.depths).toEqual({ cut: null, hole: null, pocket: 3.5, engrave: 0.5 });
    const other = await receiveDrawing(mine.bytes, 'dxf', martin);
    expect(other.meant.map((m) => m.meaning)).not.toContain('pocket');
    expect(mine.evidence.claims.filter((c) => c.verdict === 'stop')).toEqual([]);
  });
  test('a receiver with a layer without a name, or a colour that is none, is refused', () => {
    expect(() => checkReceiver({ ...own, cutter: { ...own.cutter, looks: { cut: look('') } } })).toThrow();
    expect(() => checkReceiver({ ...own, cutter: { ...own.cutter, looks: { cut: { ...look('A'), colour: 'red' } } } })).toThrow();
    expect(() => checkReceiver({ ...own, cutter: { ...own.cutter, looks: { nothing: look('A') } } })).toThrow();
    expect(checkReceiver(own).cutter!.looks!.pocket!.name).toBe('T2');
  });
});

describe('the step', () => {
  const state = (carved: CarveRecipe | undefined, thickness: number | null) =>
    depthsStep.state({ recipe: { drawing: { carve: carved, stock: thickness === null ? null : { ...stock, thickness } } } } as never, null);
  test('a pocket as deep as the sheet is a stop; a hair less is not; without a sheet nothing is known', () => {
    expect(state({ ...usual, pocket: 12 }, 12)).toMatchObject({ mark: 'stop', finding: { code: 'pocket-through' } });
    expect(state({ ...usual, pocket: 11.99 }, 12).mark).toBe('clear');
    expect(state({ ...usual, pocket: 50 }, null).mark).toBe('clear');
    expect(state(undefined, 12)).toMatchObject({ mark: 'clear', figure: 'as the machine does' });
  });
  test('limits of a recipe that comes from outside, just inside and just outside', () => {
    const part = partOfDrawing(panel(), { name: 'panel', path: ['panel'], quantity: 1, unit: 'mm', format: 'DXF', places: [identityRows] });
    const first = firstRecipe(part.summary, readyReceivers);
    const good = (change: Partial<CarveRecipe>) =>
      recipeSchema.validate({ ...first, drawing: { ...first.drawing!, carve: { ...usual, ...change } } }, { convert: false }).error === undefined;
    const edges: [Partial<CarveRecipe>, Partial<CarveRecipe>][] = [[{ bit: 0.1 }, { bit: 0.09 }], [{ bit: 50 }, { bit: 50.1 }], [{ pocket: 100 }, { pocket: 100.1 }], [{ pocket: 0.1 }, { pocket: 0.09 }], [{ engrave: 0.05 }, { engrave: 0.04 }], [{ engrave: 20 }, { engrave: 20.1 }], [{ below: 0 }, { below: -0.1 }], [{ below: 5 }, { below: 5.1 }]]; // prettier-ignore
    for (const [inside, outside] of edges) expect([good(inside), good(outside)], JSON.stringify(inside)).toEqual([true, false]);
    expect(good({ side: 'middle' as never })).toBe(false);
  });
});
