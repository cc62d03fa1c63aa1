/** Files that were once handled wrongly: each is read right, told right, and written to every target without a false stop. */
import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from 'vitest';
import { usualChoices } from '../src/model/choices.ts';
import { readDesign } from '../src/pipeline/read.ts';
import type { Design, DesignPart } from '../src/model/design.ts';
import { nodeKernels } from '../src/kernel/load.ts';
import { nodeTools } from '../src/pipeline/node-tools.ts';
import { makeOneFile } from '../src/pipeline/one-file.ts';
import { firstDrawingRecipe } from '../src/model/drawing-recipe.ts';
import { firstRecipe, safeFileName } from '../src/recipe/recipe.ts';
import { Unusable } from '../src/base/finding.ts';
import { receiveDrawing } from '../src/processes/cutters.ts';
import { receiverIn } from '../src/receivers/receivers.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { busy, dataFile } from './data.ts';

const open = (name: string): Promise<Design> => readDesign(dataFile(join('faults', name)), name, nodeKernels, usualChoices);

const targets = [
  { format: 'dxf', version: 'R12', receiver: 'swift', unit: 'mm' },
  { format: 'dxf', version: '2000', receiver: 'martin', unit: 'mm' },
  { format: 'dxf', version: '2018', receiver: 'martin', unit: 'mm' },
  { format: 'svg', version: '2000', receiver: 'martin', unit: 'mm' },
  { format: 'svg', version: '2000', receiver: 'plover', unit: '96dpi' },
  { format: 'pdf', version: '2000', receiver: 'pipit', unit: 'mm' },
] as const;

async function written(part: DesignPart, target: (typeof targets)[number]) {
  const recipe = firstRecipe(part.summary, readyReceivers);
  recipe.receiver = receiverIn(readyReceivers, target.receiver);
  recipe.file = { ...recipe.file, format: target.format, unit: target.unit };
  recipe.drawing = { ...firstDrawingRecipe(), version: target.version };
  return makeOneFile(part, recipe, nodeTools, async (_, pieces) => Buffer.concat([...pieces]));
}

interface Right {
  size: [number, number];
  contours: number;
  /** mm2. */
  area: number;
  open?: number;
  holes?: number;
  /** Whether something of the source is not in files made from it. */
  lost?: RegExp;
  touches?: number;
  crossings?: number;
  layers?: string[];
  colours?: string[];
}

const sq = { size: [40, 40] as [number, number], contours: 1, area: 1600 };
// Sizes and areas follow from how the files were made: squares of 40, circles, ellipses; ellipse area = pi a b; a cubic arch rises to 3/4.
const right: Record<string, Right> = {
  'arch.svg': { size: [80, 60], contours: 1, area: 3840 },
  'arch_spline.dxf': { size: [80, 30], contours: 1, area: 1920 },
  'arch_fit.dxf': { size: [80, 30], contours: 1, area: 1500 },
  'half_ellipse.dxf': { size: [80, 20], contours: 1, area: (Math.PI * 40 * 20) / 2 },
  'corner_touch.dxf': { size: [20, 20], contours: 2, area: 200 },
  'checker.dxf': { size: [40, 40], contours: 8, area: 800 },
  'pinwheel.dxf': { size: [33.7787, 39.0042], contours: 3, area: 3 * 19.10673 * 5.910404 },
  'text2.dxf': { ...sq, lost: /2 texts are writing/ },
  'block_case.dxf': { ...sq, contours: 2, holes: 1, area: 1600 - Math.PI * 9 },
  'xref.dxf': { ...sq, lost: /outside reference/ },
  'embedded_object_2018.dxf': { ...sq, lost: /1 text is writing/ },
  'layer_case.dxf': { ...sq, lost: /layer "Hidden" \(the layer is off\)/ },
  'insert_on_freeze_layer.dxf': { ...sq, lost: /2 × entities on layer "REF" \(the layer is frozen\)/ },
  'noplot.dxf': { ...sq, lost: /the layer is not plotted/ },
  'defpoints.dxf': { ...sq, lost: /the layer is never plotted/ },
  'linetypes.dxf': { ...sq, lost: /a broken line \("CENTER"\) is for reading/ },
  'hatch_on_outline.dxf': { ...sq, contours: 2, holes: 0 },
  'bulge_1e-09.dxf': { ...sq, area: 800 },
  'bulge_1e-12.dxf': { ...sq, area: 800 },
  'nest6.dxf': { size: [120, 120], contours: 6, holes: 3, area: Math.PI * (60 ** 2 - 50 ** 2 + 40 ** 2 - 30 ** 2 + 20 ** 2 - 10 ** 2) },
  'hole_touch.dxf': { size: [100, 50], contours: 2, holes: 1, area: 5000 - Math.PI * 100, touches: 1, crossings: 0 },
  'ellipse.svg': { size: [60, 20], contours: 1, area: Math.PI * 300, crossings: 0 },
  'ellipse_R2010.dxf': { size: [40.4475, 23.3238], contours: 1, area: 150 * Math.PI, crossings: 0 },
  'arc_R2010.dxf': { size: [18.6603, 13.4202], contours: 1, open: 1, area: 0 },
  'lwp_R2010.dxf': { size: [20, 30], contours: 1, area: 504.07 },
  'spline_rat_closed_R2010.dxf': { size: [25.9848, 17.6817], contours: 1, area: 13.467 },
  'rect_rx.svg': { size: [80, 40], contours: 2, area: Math.PI * 400 + 600 - (4 - Math.PI) * 100 },
  'switch_fo.svg': sq,
  'entities_used.svg': sq,
  'basic.svg': sq,
  'basic.svgz': sq,
  'use_cycle.svg': { ...sq, lost: /copy of "#a" inside itself/ },
  'css_transform.svg': sq,
  'tr_origin.svg': { size: [20, 40], contours: 1, area: 800 },
  'root_transform.svg': { size: [20, 20], contours: 1, area: 400 },
  'desc_sel.svg': { ...sq, lost: /hidden path/ },
  'media_print.svg': { ...sq, colours: ['#ff0000'] },
  'important.svg': { ...sq, lost: /hidden rect/ },
  'css_geom.svg': { size: [70, 70], contours: 2, area: Math.PI * 400 + 50 },
  'invisible_paint.svg': sq,
  'nested_layers_id.svg': { ...sq, contours: 2, holes: 1, area: 1600 - Math.PI * 25, layers: ['CUT', 'ENGRAVE'] },
  'colours.svg': { size: [55, 5], contours: 6, area: 150 },
  'insert_z_R2010.dxf': { size: [11.7118, 10.6635], contours: 2, open: 1, area: 62.8319 },
  'dm-square.dxf': { size: [200, 100], contours: 1, area: 20000 },
};

test('every drawing among them has its right figures here', () => {
  const heavy = /^(redos|blocks|surrogate|nul|use-lol|fuzz|art\.svg)/;
  const files = readdirSync(join(import.meta.dirname, 'data', 'faults')).filter((f) => /\.(dxf|svgz?)$/.test(f) && !heavy.test(f));
  expect(files.sort()).toEqual(Object.keys(right).sort());
});

describe.each(Object.entries(right))('%s', (name, want) => {
  test('is read right, and told', async () => {
    const design = await open(name);
    const [{ summary, findings }] = design.parts;
    const figures = summary.drawing!;
    expect(summary.box.max[0] - summary.box.min[0]).toBeCloseTo(want.size[0], 3);
    expect(summary.box.max[1] - summary.box.min[1]).toBeCloseTo(want.size[1], 3);
    expect({ contours: figures.contours, open: figures.openContours }).toEqual({ contours: want.contours, open: want.open ?? 0 });
    expect(Math.abs(figures.area - want.area)).toBeLessThan(want.area * 1e-4 + 0.01);
    if (want.holes !== undefined) expect(figures.holes).toBe(want.holes);
    if (want.touches !== undefined) expect(figures.touches).toBe(want.touches);
    if (want.crossings !== undefined) expect(figures.crossings).toBe(want.crossings);
    if (want.layers) expect(figures.layers.map((l) => l.name)).toEqual(want.layers);
    if (want.colours) expect(figures.layers.map((l) => l.colour)).toEqual(want.colours);
    const said = [...design.findings, ...findings].filter(
      (f) => f.severity !== 'clear' && !['no-unit', 'open-contours', 'touches', 'crossings'].includes(f.code),
    );
    expect(said.length > 0).toBe(want.lost !== undefined);
  });
  test.each(targets)('$format $version for $receiver: no false stop, and what is lost is told', async (target) => {
    const [part] = (await open(name)).parts;
    const { evidence } = await written(part, target);
    expect(evidence.claims.filter((c) => c.verdict !== 'clear')).toEqual([]);
    if (!want.lost) return;
    expect(evidence.verdict).toBe('look');
    expect(evidence.findings.map((f) => f.message).join(' ')).toMatch(want.lost);
    expect(evidence.reason).toBe(evidence.findings.find((f) => f.severity === 'look')!.message);
  });
});

test('rings in rings are cut from the inside out at any depth', async () => {
  const [part] = (await open('nest6.dxf')).parts;
  const { bytes } = await written(part, targets[1]);
  const { order, meant } = await receiveDrawing(bytes, 'dxf', receiverIn(readyReceivers, 'martin'));
  const radii = order.map((step) => (meant[step.number].contour.segments[0] as { radius: number }).radius);
  expect(radii).toEqual([10, 20, 30, 40, 50, 60]);
});

test('heights count in a tilted insert: the box lies where ezdxf 0.18 finds it', async () => {
  const [{ summary }] = (await open('insert_z_R2010.dxf')).parts;
  // Source: ezdxf.path.make_path over INSERT.virtual_entities, flattened within 0.001.
  expect(summary.box.min[0]).toBeCloseTo(-53.13421041517723, 9);
  expect(summary.box.min[1]).toBeCloseTo(50.25060750208463, 9);
  expect(summary.box.max[1]).toBeCloseTo(60.91411800646373, 9);
});

test('all colours of CSS come through', async () => {
  const [part] = (await open('colours.svg')).parts;
  const drawing = (part.geometry as { drawing: { layers: { colour: string | null; contours: { colour: string | null }[] }[] } }).drawing;
  const [layer] = drawing.layers;
  // Source of the values: CSS Color Module Level 4, named colours and hsl().
  expect(layer.contours.map((c) => c.colour ?? layer.colour).sort()).toEqual(['#0000ff', '#00ff00', '#00ff00', '#dc143c', '#ff0000', '#ff4500']);
});

test('a drawing in decimetres is 2 by 1 mm to a machine that looks at no unit, and that is a stop with its name', async () => {
  const [part] = (await open('dm-square.dxf')).parts;
  const got = await receiveDrawing(dataFile('faults/dm-square.dxf'), 'dxf', {
    ...receiverIn(readyReceivers, 'swift'),
    cutter: { ...receiverIn(readyReceivers, 'swift').cutter!, versions: ['R12', '2000', '2018'] },
  });
  expect([got.check.box[2] - got.check.box[0], got.taken]).toEqual([2, 'mm']);
  expect(part.summary.unit).toBe('dm');
});

describe('small files that stopped a reader', () => {
  test.each([
    ['redos-comment.dxf', /not-dxf|unknown-format/],
    ['blocks-empty-array.dxf', /nothing-drawn/],
    ['blocks-empty-nested.dxf', /nothing-drawn/],
    ['use-lol.svg', /too-many-entities/],
    ['unit-constructor.3mf', /3mf-broken/],
    ['components-missing-lol.3mf', /too-many-parts/],
  ])('%s is refused at once', async (name, code) => {
    const started = busy();
    const thrown = await open(name).catch((e: unknown) => e);
    expect((thrown as { code: string }).code).toMatch(code);
    expect(busy() - started).toBeLessThan(20_000);
  });
  test.each([['fuzz-dxf-347.dxf'], ['fuzz-dxf-4240.dxf'], ['components-empty-lol.3mf'], ['fuzz-pdf-hang.pdf']])('%s is read in bounded time', async (name) => {
    const started = busy();
    await open(name).catch(() => null);
    expect(busy() - started).toBeLessThan(90_000);
  });
  test('names that would be pages, formulas, paths or machines of their own are names', async () => {
    const names = (await open('name-html.3mf')).parts.map((p) => p.summary.name);
    expect(names).toContain('<img src=x onerror=alert(1)>');
    for (const name of names) {
      const safe = `${safeFileName(name)}.stl`;
      expect(safe).not.toMatch(/[\0-\x1f<>:"/\\|?*\u202a-\u202e\u2066-\u2069]|^\.|^(con|nul)\./i);
      expect(Buffer.byteLength(safe)).toBeLessThan(255);
    }
  });
  // Attributes and styles of a few hundred thousand signs, which once kept an expression at work for minutes.
  const svg = (inner: string) => Buffer.from(`<svg xmlns="http://www.w3.org/2000/svg" width="9mm" height="9mm" viewBox="0 0 9 9">${inner}</svg>`);
  test.each([
    ['a transform', svg(`<path d="M0 0L5 5" stroke="red" transform="${'a'.repeat(200_000)}"/>`)],
    ['a transform of spaces', svg(`<path d="M0 0L5 5" stroke="red" transform="rotate(${' '.repeat(200_000)}x"/>`)],
    ['a length', svg(`<path d="M0 0L5 5" stroke="red" stroke-width="${'1'.repeat(100_000)}x"/><rect width="${'1'.repeat(100_000)}e" height="1"/>`)],
    ['comments of a style', svg(`<style>${'/*'.repeat(150_000)}</style><path d="M0 0L5 5" stroke="red"/>`)],
    ['selectors of a style', svg(`<style>${'a '.repeat(150_000)}</style><path d="M0 0L5 5" stroke="red"/>`)],
    ['a reference', svg(`<path d="M0 0L5 5" stroke="url(${'('.repeat(150)}${' '.repeat(100_000)}" clip-path="url(#${' '.repeat(100_000)}"/>`)],
  ])('%s of a few hundred thousand signs: read, in bounded time', async (_, bytes) => {
    const started = busy();
    const design = await readDesign(bytes, 'x.svg', nodeKernels).catch((e: unknown) => e);
    expect(design instanceof Unusable || (design as { parts: unknown[] }).parts.length >= 1).toBe(true);
    expect(busy() - started).toBeLessThan(20_000);
  });
  test('names hold no halves of characters and no control characters', async () => {
    for (const name of ['surrogate.dxf', 'nul-layer.dxf']) {
      const [part] = (await open(name)).parts;
      for (const layer of part.summary.drawing!.layers)
        expect(layer.name).not.toMatch(/[\0-\x1f]|[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/);
    }
  });
});
