/** Which wrong file would pass, and which right file would be stopped: both are made here, and looked at. */
import { existsSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { beforeAll, describe, expect, test } from 'vitest';
import { main } from '../src/cli/main.ts';
import type { DesignPart } from '../src/model/design.ts';
import { readDesign } from '../src/pipeline/read.ts';
import { usualChoices } from '../src/model/choices.ts';
import { partOfDrawing } from '../src/drawing/part.ts';
import { transformedDrawing, type Drawing } from '../src/curves/drawing.ts';
import { evidenceOf, same, withFindings, within } from '../src/prove/evidence.ts';
import { claimFigure } from '../src/prove/page.ts';
import { lossesAmong, lossFinding, Losses } from '../src/base/loss.ts';
import type { Finding } from '../src/base/finding.ts';
import { readDxf } from '../src/formats/dxf/read.ts';
import { readStl } from '../src/formats/stl/read.ts';
import { readSvg } from '../src/formats/svg/read.ts';
import { paintOf, readLength, readOrigin, readTransform } from '../src/formats/svg/style.ts';
import { sizeOf } from '../src/geometry/box.ts';
import { SolidBuilder } from '../src/kernel/build.ts';
import { nodeKernels, workingKernel } from '../src/kernel/load.ts';
import { nodeTools } from '../src/pipeline/node-tools.ts';
import type { Mesh } from '../src/geometry/mesh.ts';
import { identityRows } from '../src/geometry/rows.ts';
import { makeOneFile, makeTogether } from '../src/pipeline/one-file.ts';
import { prove } from '../src/prove/prove.ts';
import { proveDrawing } from '../src/prove/prove-drawing.ts';
import { writeDrawing, type WrittenDrawingFile } from '../src/pipeline/write-drawing.ts';
import { writePart } from '../src/pipeline/write-part.ts';
import { firstDrawingRecipe } from '../src/model/drawing-recipe.ts';
import { firstRecipe, type Recipe } from '../src/recipe/recipe.ts';
import { receiveDrawing, type ReceivedDrawing } from '../src/processes/cutters.ts';
import { receiveFile } from '../src/processes/receive.ts';
import { noReceiver, receiverFor, receiverIn } from '../src/receivers/receivers.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { farLoss, lossAt } from '../src/geometry/far.ts';
import { placementOf, asModelled, inPlace } from '../src/stance/stance.ts';
import { checkDrawing } from '../src/curves/check.ts';
import { board, drawingOf, lines, round } from './drawing.data.ts';
import { busy } from './data.ts';

const cubeAt = (x: number, y: number, s = 20): string => {
  const v = [[0, 0, 0], [s, 0, 0], [0, s, 0], [s, s, 0], [0, 0, s], [s, 0, s], [0, s, s], [s, s, s]]; // prettier-ignore
  const f = [[1, 3, 2], [2, 3, 4], [5, 6, 7], [6, 8, 7], [1, 2, 5], [2, 6, 5], [3, 7, 4], [4, 7, 8], [1, 5, 3], [3, 5, 7], [2, 4, 6], [4, 8, 6]]; // prettier-ignore
  return [...v.map((p) => `v ${p[0] + x} ${p[1] + y} ${p[2]}`), ...f.map((t) => `f ${t.join(' ')}`)].join('\n');
};

const partOf = async (bytes: Uint8Array | string, name: string): Promise<DesignPart> =>
  (await readDesign(typeof bytes === 'string' ? Buffer.from(bytes) : bytes, name, nodeKernels, usualChoices)).parts[0];

async function sent(part: DesignPart, change: (recipe: Recipe) => void) {
  const recipe = firstRecipe(part.summary, readyReceivers);
  change(recipe);
  return makeOneFile(part, recipe, nodeTools, async (_, pieces) => Buffer.concat([...pieces]));
}

describe('parts stand near their zero', () => {
  test('a 20 mm cube 500 km away is written as 20 mm, with a word', async () => {
    const { bytes, evidence } = await sent(await partOf(cubeAt(5e8, 5e8), 'far.obj'), () => {});
    const [{ mesh }] = readStl(bytes).blocks;
    const box = [0, 1, 2].map((k) => [Math.min(...mesh.positions.filter((_, i) => i % 3 === k)), Math.max(...mesh.positions.filter((_, i) => i % 3 === k))]);
    expect(box).toEqual([[-10, 10], [-10, 10], [0, 20]]); // prettier-ignore
    expect(evidence.claims.find((c) => c.quantity === 'Volume')).toMatchObject({ designed: 8000, verdict: 'clear' });
    expect(evidence.verdict).toBe('clear');
    expect(evidence.findings.map((f) => f.code)).toContain('brought-to-zero');
  });
  test('kept at its far place it is no 20 mm cube any more, and that is told with the loss', async () => {
    const { evidence } = await sent(await partOf(cubeAt(5e8, 5e8), 'far.obj'), (r) => (r.stance = inPlace));
    expect(evidence.verdict).toBe('stop');
    expect(evidence.findings.find((f) => f.code === 'far-from-zero')!.message).toMatch(/lose up to 30 mm/);
  });
  test('nor is it one in a file of several parts: no allowance grows with how far away a file says it lies', async () => {
    const { mesh } = (await partOf(cubeAt(5e8, 5e8), 'far.obj')).geometry as { mesh: Mesh };
    const list = [{ name: 'far', partNumber: null, colour: null, mesh, places: [identityRows] }];
    const as = { format: 'stl' as const, encoding: 'binary' as const, unit: 'mm', title: 'far', quads: false };
    const { evidence } = await makeTogether(
      list,
      as,
      { receiver: noReceiver, fileName: 'far.stl' },
      { tools: nodeTools, keep: async (_, pieces) => Buffer.concat([...pieces]) },
    );
    expect(evidence.verdict).toBe('stop');
    expect(evidence.findings.map((f) => f.code)).toContain('far-from-zero');
  });
  // float32 loses 2^-24 of the distance: 0.0005 mm at 8389 mm.
  test.each([
    ['just inside', 8300, false],
    ['just outside', 8420, true],
  ])('%s of what is far', (_, x, moved) => {
    expect(lossAt(x) > farLoss).toBe(moved);
    const positions = [x - 1, 0, 0, x, 1, 0, x, 0, 1];
    expect(placementOf(asModelled, 1, positions).shift[0] !== 0).toBe(moved);
    expect(placementOf(inPlace, 1, positions).shift).toEqual([0, 0, 0]);
  });
  test('a terrain as large as it is far stays where it is', () => {
    expect(placementOf(asModelled, 1, [0, 0, 0, 20_000, 0, 0, 0, 20_000, 10]).shift).toEqual([0, 0, 0]);
  });
});

describe('a lost hole of 2 mm in a housing of 100 mm', () => {
  let whole: DesignPart;
  let plain: DesignPart;
  beforeAll(async () => {
    const b = new SolidBuilder(await workingKernel());
    const outer = b.rounded(b.box([0, 0, 0], [100, 60, 40]), 6);
    const housing = b.cut(outer, b.box([3, 3, 3], [94, 54, 60]));
    const holed = b.cut(housing, b.cylinder([50, -5, 20], [0, 1, 0], 1, 20));
    const stepOf = (s: Parameters<typeof b.brep>[0]) => Buffer.from(b.step('housing', [{ name: 'housing', colour: '#b0b0b0', shape: s, places: [[0, 0, 0]] }]));
    whole = await partOf(stepOf(holed), 'a.step');
    plain = await partOf(stepOf(housing), 'b.step');
  });
  test('is a stop in every format, by more than one claim', async () => {
    for (const format of ['stl', '3mf', 'obj', 'ply', 'step'] as const) {
      const recipe: Recipe = { ...firstRecipe(whole.summary, readyReceivers), receiver: noReceiver };
      recipe.file = { ...recipe.file, format };
      const designed = (await writePart(whole.summary, whole.geometry, recipe, workingKernel)).designed;
      const other = await writePart(plain.summary, plain.geometry, recipe, workingKernel);
      const evidence = prove(designed, await receiveFile(Buffer.concat([...other.pieces]), format, noReceiver, nodeKernels));
      const stopped = evidence.claims.filter((c) => c.verdict === 'stop').map((c) => c.quantity);
      expect(evidence.verdict).toBe('stop');
      expect(stopped).toContain('Through holes');
      expect(stopped.length).toBeGreaterThan(1);
      expect(evidence.reason).toBeTruthy();
    }
  });
  test('the right file is clear, and may lose less volume than the hole has in each wall', async () => {
    const { evidence } = await sent(whole, (r) => {
      r.facets = { ...r.facets, deviation: 0.05, angle: 15, preset: null };
      r.receiver = noReceiver;
    });
    expect(evidence.verdict).toBe('clear');
    const volume = evidence.claims.find((c) => c.quantity === 'Volume')!;
    expect(Math.abs(volume.difference!)).toBeLessThan(volume.tolerance!);
    // 1 % of the volume, and it was 3.4 % when the whole area counted.
    expect(volume.tolerance! / (volume.designed as number)).toBeLessThan(0.01);
  });
});

describe('no machine: nothing is assumed but what the file states and what was typed', () => {
  test('an STL in inches is right for nobody in particular, and 25.4 times too small for a machine that takes mm', async () => {
    const part = await partOf(cubeAt(0, 0), 'cube.obj');
    const inches = (receiver: string) => sent(part, (r) => ((r.receiver = receiverIn(readyReceivers, receiver)), (r.file.unit = 'in')));
    expect((await inches('none')).evidence.verdict).toBe('clear');
    expect((await inches('lark')).evidence.verdict).toBe('stop');
    expect(receiverFor({ receiver: noReceiver, file: { unit: 'in' } }).unit).toBe('in');
    expect(() => receiverIn(readyReceivers, 'nobody')).toThrow('There is no receiver "nobody"');
  });
});

describe('a drawing that arrives otherwise is told', () => {
  const drawing = (): Drawing => {
    const plate = drawingOf(...board(), round(30, 40, 12), lines([[60, 20], [90, 20], [90, 35], [70, 50]])); // prettier-ignore
    return {
      ...plate,
      layers: [
        { ...plate.layers[0], name: 'A', contours: plate.layers[0].contours.slice(0, 2) },
        { ...plate.layers[0], name: 'ENGRAVE', contours: plate.layers[0].contours.slice(2) },
      ],
    };
  };
  async function made(format: 'dxf' | 'svg' | 'pdf'): Promise<{ file: WrittenDrawingFile; got: ReceivedDrawing }> {
    const part = partOfDrawing(drawing(), { name: 'p', path: ['p'], quantity: 1, unit: 'mm', format: 'DXF' });
    const recipe: Recipe = { ...firstRecipe(part.summary, readyReceivers), receiver: noReceiver, drawing: { ...firstDrawingRecipe(), version: '2018' } };
    recipe.file = { ...recipe.file, format };
    const file = await writeDrawing(part.summary, drawing(), recipe, await nodeTools.engine());
    return { file, got: await receiveDrawing(Buffer.concat([...file.pieces]), format, noReceiver) };
  }
  const changed = (got: ReceivedDrawing, change: (d: Drawing) => Drawing): ReceivedDrawing => {
    const next = change(structuredClone(got.drawing));
    return { ...got, drawing: next, check: checkDrawing(next) };
  };
  const verdictOf = (file: WrittenDrawingFile, got: ReceivedDrawing) => proveDrawing(file.designed, got);
  test.each(['dxf', 'svg', 'pdf'] as const)('%s: as written it is clear; each change is not', async (format) => {
    const { file, got } = await made(format);
    expect(verdictOf(file, got).verdict).toBe('clear');
    const ways: Record<string, (d: Drawing) => Drawing> = {
      'moved by 0.05 mm': (d) => transformedDrawing(d, [1, 0, 0, 1, 0.05, 0]),
      mirrored: (d) => transformedDrawing(d, [-1, 0, 0, 1, 254, 0]),
      '0.1 % larger': (d) => transformedDrawing(d, [1.001, 0, 0, 1.001, 0, 0]),
      'a contour lost': (d) => ({ ...d, layers: d.layers.map((l, i) => (i === 0 ? { ...l, contours: l.contours.slice(1) } : l)) }),
      'a contour twice': (d) => ({ ...d, layers: d.layers.map((l, i) => (i === 0 ? { ...l, contours: [...l.contours, l.contours[0]] } : l)) }),
      'a layer in another colour': (d) => ({ ...d, layers: d.layers.map((l, i) => (i === 0 ? { ...l, colour: '#123456' } : l)) }),
      ...(format === 'pdf'
        ? {}
        : { 'a layer by another name': (d: Drawing) => ({ ...d, layers: d.layers.map((l, i) => (i === 0 ? { ...l, name: 'OTHER' } : l)) }) }),
    };
    for (const [name, way] of Object.entries(ways)) expect([name, verdictOf(file, changed(got, way)).verdict]).not.toEqual([name, 'clear']);
  });
  test('where exact forms and chords part, the chords count: a box that leaves out the top is no box', async () => {
    const { file, got } = await made('dxf');
    const wrong: ReceivedDrawing = { ...got, check: { ...got.check, box: [0, 0, 254, 0], area: 0, length: got.check.length / 2 } };
    // The exact figures were spoilt on the received side only; the chords of the same curves show what is really there.
    const claims = verdictOf(file, wrong).claims;
    for (const quantity of ['Height Y', 'Area', 'Length']) {
      const claim = claims.find((c) => c.quantity === quantity)!;
      expect(Math.abs((claim.received as number) - (claim.designed as number))).toBeLessThan(1);
      expect(claim.received).not.toBe(0);
    }
  });
  test.each([
    [0.9e-6, true],
    [1.1e-6, false],
  ])('a drawing of %f mm is refused: %s', async (size, refused) => {
    const tiny = drawingOf(lines([[0, 0], [size, 0], [size, size]])); // prettier-ignore
    const part = partOfDrawing(tiny, { name: 'p', path: ['p'], quantity: 1, unit: 'mm', format: 'DXF' });
    const made = writeDrawing(part.summary, tiny, { ...firstRecipe(part.summary, readyReceivers), receiver: noReceiver }, await nodeTools.engine());
    if (refused) await expect(made).rejects.toMatchObject({ code: 'too-small' });
    else await expect(made).resolves.toBeTruthy();
  });
  test('a size that is off says by which known factor', async () => {
    const { file, got } = await made('dxf');
    const inch = verdictOf(
      file,
      changed(got, (d) => transformedDrawing(d, [1 / 25.4, 0, 0, 1 / 25.4, 0, 0])),
    );
    expect(inch.findings.find((f) => f.code === 'other-size')!.message).toMatch(/0.03937\d* times as large/);
    const little = verdictOf(
      file,
      changed(got, (d) => transformedDrawing(d, [1.001, 0, 0, 1.001, 0, 0])),
    );
    expect(little.findings.find((f) => f.code === 'other-size')!.message).toMatch(/arrives 254\.2540 × 406\.8064 mm large and not 254\.0000 × 406\.4000 mm/);
  });
});

describe('a verdict has its reason beside it', () => {
  const finding = (severity: Finding['severity'], message: string): Finding => ({ code: message, severity, count: 1, message, remedy: 'Do so.' });
  test.each([
    ['all agree', [within('Width', 'mm', [10, 10], 0.1)], [], null],
    [
      'a claim',
      [within('Width', 'mm', [10, 12], 0.1)],
      [finding('look', 'odd')],
      'Width: designed 10 mm, received 12 mm, off by 2 mm where 0.1 mm is allowed.',
    ],
    ['a finding, with all claims agreeing', [within('Width', 'mm', [10, 10], 0.1)], [finding('look', 'odd'), finding('stop', 'bad')], 'bad'],
    ['words', [same('Layers', 'CUT 3', 'CUT 2')], [], 'Layers: designed CUT 3, received CUT 2.'],
  ])('%s', (_, claims, findings, reason) => {
    expect(evidenceOf(claims, findings).reason).toBe(reason);
  });
  test('findings from before are told once and count for the verdict', () => {
    const first = evidenceOf([same('A', 1, 1)], [finding('look', 'odd')]);
    const all = withFindings(first, [finding('look', 'odd'), finding('stop', 'bad')]);
    expect(all.findings.map((f) => f.message)).toEqual(['bad', 'odd']);
    expect([all.verdict, all.reason]).toEqual(['stop', 'bad']);
    expect(withFindings(first, [])).toBe(first);
  });
  test('figures keep their unit', () => expect(claimFigure(12.3456, 'mm')).toBe('12.346'));
});

describe('losses', () => {
  test('are gathered by kind and reason, and said in one sentence', () => {
    const losses = new Losses();
    for (let i = 0; i < 3; i++) losses.add('text', 'not cut');
    losses.add('text', 'hidden', 2);
    expect(losses.list()).toEqual([{ what: 'text', why: 'not cut', count: 3 }, { what: 'text', why: 'hidden', count: 2 }]); // prettier-ignore
    expect(lossFinding(losses.list())).toMatchObject({ severity: 'look', count: 5, message: 'Left out or not obeyed: 3 × text (not cut); 2 × text (hidden).' });
    expect(lossFinding([])).toBeNull();
  });
  test('of a source go with its parts, a stop of reading as a look; what is odd in another way does not', () => {
    const f = (code: string, severity: Finding['severity']): Finding => ({ code, severity, count: 1, message: code, remedy: '' });
    expect(lossesAmong([f('left-out', 'look'), f('missing-object', 'stop'), f('no-unit', 'look'), f('y-up', 'look')]).map((l) => [l.code, l.severity])).toEqual(
      [
        ['left-out', 'look'],
        ['missing-object', 'look'],
      ],
    );
  });
  test('a PLY of several colours gives files that say what they lack', async () => {
    const ply = `ply\nformat ascii 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\nelement face 4\nproperty list uchar int vertex_indices\nend_header\n0 0 0 255 0 0\n10 0 0 0 255 0\n0 10 0 255 0 0\n0 0 10 255 0 0\n3 0 2 1\n3 0 1 3\n3 1 2 3\n3 2 0 3\n`;
    const { evidence } = await sent(await partOf(ply, 'p.ply'), () => {});
    expect([evidence.verdict, evidence.findings.map((f) => f.code)]).toEqual(['look', expect.arrayContaining(['colours-lost'])]);
    const one = ply.replace('0 255 0\n', '255 0 0\n');
    expect((await sent(await partOf(one, 'p.ply'), () => {})).evidence.verdict).toBe('clear');
  });
});

describe('SVG as the standard says', () => {
  const svg = (inside: string, head = 'width="100mm" height="100mm" viewBox="0 0 100 100"') =>
    readSvg(Buffer.from(`<svg xmlns="http://www.w3.org/2000/svg" ${head}>${inside}</svg>`));
  const boxes = (inside: string) =>
    svg(inside)
      .drawing.layers.flatMap((l) => l.contours)
      .map((c) => checkDrawing(drawingOf(c)).box.map((v) => Number(v.toFixed(6))));
  const rect = '<rect x="10" y="10" width="40" height="20"/>';
  const shown = (inside: string) => svg(inside).drawing.layers.reduce((n, l) => n + l.contours.length, 0);
  // Source: Selectors Level 3, 9 (specificity); CSS Cascading Level 3 (order, importance).
  test.each([
    ['an id beats a class', '<style>#a{display:inline} .b{display:none}</style><rect id="a" class="b" width="1" height="1"/>', 1],
    ['two classes beat one', '<style>.a.b{display:none} .a{display:inline}</style><rect class="a b" width="1" height="1"/>', 0],
    ['of equals the later', '<style>.a{display:none} .b{display:inline}</style><rect class="a b" width="1" height="1"/>', 1],
    ['a style attribute beats all rules', '<style>#a{display:none}</style><rect id="a" style="display:inline" width="1" height="1"/>', 1],
    ['an attribute is beaten by any rule', '<style>rect{display:none}</style><rect display="inline" width="1" height="1"/>', 0],
    ['important in a sheet beats a style attribute', '<style>rect{display:none !important}</style><rect style="display:inline" width="1" height="1"/>', 0],
    ['attribute selector', '<style>[data-x="1"]{display:none}</style><rect data-x="1" width="1" height="1"/><rect data-x="2" width="1" height="1"/>', 1],
    ['first child', '<style>g > rect:first-child{display:none}</style><g><rect width="1" height="1"/><rect width="2" height="1"/></g>', 1],
    ['sibling', '<style>circle + rect{display:none}</style><circle r="1"/><rect width="1" height="1"/>', 1],
    ['not', '<style>rect:not(.keep){display:none}</style><rect class="keep" width="1" height="1"/><rect width="1" height="1"/>', 1],
    ['for the screen', '<style>@media screen{rect{display:none}}</style><rect width="1" height="1"/>', 0],
    ['a sheet for print', '<style media="print">rect{display:none}</style><rect width="1" height="1"/>', 1],
    ['custom properties', '<style>:root{--d:none} rect{display:var(--d)}</style><rect width="1" height="1"/>', 0],
    ['a fallback of one that is not there', '<style>rect{display:var(--x, none)}</style><rect width="1" height="1"/>', 0],
  ])('%s', (_, inside, contours) => expect(shown(`${inside}<path d="M0 0L1 1"/>`) - 1).toBe(contours));
  test('rules that can not be obeyed are told', () => {
    const { leftOut } = svg(`<style>@import "x.css"; rect:unknown-thing{display:none} @media (min-width: 5px){rect{display:none}}</style>${rect}`);
    expect(leftOut.map((l) => l.what).sort()).toEqual(
      ['style rule "rect:unknown-thing"', 'style rules for "(min-width:5px)"', 'style sheet in another file'].sort(),
    );
  });
  test.each([
    ['fill none, no stroke', 'fill="none"', 0],
    ['transparent', 'fill="transparent"', 0],
    ['opacity 0 of a group', 'opacity="0"', 0],
    ['fill-opacity 0', 'fill-opacity="0%"', 0],
    ['stroke of width 0', 'fill="none" stroke="red" stroke-width="0"', 0],
    ['a stroke', 'fill="none" stroke="red"', 1],
    ['black by default', '', 1],
    ['a gradient that is not there', 'fill="url(#no)"', 0],
    ['with a fallback', 'fill="url(#no) red"', 1],
  ])('what paints nothing is nothing: %s', (_, attributes, contours) => {
    const file = svg(`<g ${attributes}>${rect}</g><path d="M0 0L1 1" stroke="red"/>`);
    expect(file.drawing.layers.flatMap((l) => l.contours).length - 1).toBe(contours);
    expect(file.findings.filter((f) => f.severity !== 'clear')).toEqual([]);
  });
  test('a pattern that is painted with itself paints nothing, nor one by way of another', () => {
    const pattern = (id: string, fill: string) => `<pattern id="${id}" width="5" height="5"><rect width="2" height="2" fill="${fill}"/></pattern>`;
    const count = (inside: string) => shown(`${inside}<rect width="9" height="9" fill="url(#a)"/><path d="M0 0L1 1" stroke="red"/>`) - 1;
    expect(count(pattern('a', 'red'))).toBe(1);
    expect(count(pattern('a', 'url(#a)'))).toBe(0);
    expect(count(pattern('a', 'url(#b)') + pattern('b', 'url(#a)'))).toBe(0);
    expect(count(pattern('a', 'url(#b)') + pattern('b', 'red'))).toBe(1);
  });
  // The page is 100 high and Y runs up in the drawing.
  test.each([
    ['rotate about a point', '<g transform="rotate(90 30 20)">R</g>', [20, 60, 40, 100]],
    ['an origin as attribute', '<g transform="rotate(90)" transform-origin="30 20">R</g>', [20, 60, 40, 100]],
    ['percentages of the view box', '<g style="transform:rotate(180deg);transform-origin:50% 50%">R</g>', [50, 10, 90, 30]],
    [
      'a box of its own',
      '<rect x="10" y="10" width="40" height="20" style="transform:rotate(90deg);transform-box:fill-box;transform-origin:center"/>',
      [20, 60, 40, 100],
    ],
    ['turns and gradians', '<g style="transform:rotate(0.25turn) rotate(-100grad) translateX(5px)">R</g>', [15, 70, 55, 90]],
    ['numbers glued by signs', '<g transform="translate(5-5)">R</g>', [15, 75, 55, 95]],
    ['single properties', '<g style="translate:5px 5px;scale:0.5">R</g>', [10, 80, 30, 90]],
  ])('transforms: %s', (_, inside, box) => expect(boxes(inside.replace('R', rect))[0].map((v) => Number(v.toFixed(4)))).toEqual(box));
  test.each([
    ['all inside', '0 0 60 60', 1, false],
    ['on its rim', '10 10 40 20', 1, false],
    ['cut through', '20 0 60 60', 1, true],
    ['outside', '60 60 20 20', 0, false],
    ['the clip inside the shape', '20 15 5 5', 1, true],
  ])('a clip path: %s', (_, at, contours, told) => {
    const [x, y, w, h] = at.split(' ');
    const file = svg(
      `<clipPath id="c"><rect x="${x}" y="${y}" width="${w}" height="${h}"/></clipPath><g clip-path="url(#c)">${rect}</g><path d="M0 0L1 1" stroke="red"/>`,
    );
    expect(file.drawing.layers.flatMap((l) => l.contours).length - 1).toBe(contours);
    expect(file.leftOut.some((l) => l.what === 'clip path')).toBe(told);
  });
  test.each([
    ['nested svg clips', '<svg x="0" y="0" width="5" height="5">R</svg>', 0],
    ['unless it overflows', '<svg x="0" y="0" width="5" height="5" overflow="visible">R</svg>', 1],
    ['of a switch the first that is understood', '<switch><g requiredExtensions="x">R</g><g systemLanguage="de">R</g><g>R</g><g>RR</g></switch>', 1],
    ['symbols only when used', '<symbol id="s" viewBox="0 0 100 100" overflow="visible">R</symbol><use href="#s"/><use href="#s"/>', 2],
    ['scaled to nothing', '<g transform="scale(0)">R</g>', 0],
  ])('%s', (_, inside, contours) => expect(shown(`${inside.replaceAll('R', rect)}<path d="M0 0L1 1" stroke="red"/>`) - 1).toBe(contours));
  test.each([
    ['a', '<g id="a">R</g>', 'a'],
    ['the innermost id', '<g id="out"><g id="in">R</g></g>', 'in'],
    ['a counted id gives way', '<g id="CUT"><g id="g123">R</g></g>', 'CUT'],
    ['a label beats an id', '<g data-name="Top"><g id="in">R</g></g>', 'Top'],
    ['nothing named', 'R', 'Drawing'],
  ])('the name of a layer: %s', (_, inside, name) => expect(svg(inside.replace('R', rect)).drawing.layers.map((l) => l.name)).toEqual([name]));
  test('long texts are not looked at for ever', () => {
    const long = 'a'.repeat(200_000);
    const started = busy();
    expect(readTransform(long)).toBeNull();
    expect(readLength('1'.repeat(200_000), 1)).toBeNull();
    expect(paintOf(long, undefined).painted).toBe(false);
    expect(busy() - started).toBeLessThan(4000);
  });
  test.each([
    ['left top', [0, 0]],
    ['center', [50, 40]],
    ['right 10px', [100, 10]],
    ['top', [50, 0]],
    ['25% 75%', [25, 60]],
  ])('an origin "%s" in a box of 100 by 80', (text, at) => expect(readOrigin(text, [0, 0, 100, 80])).toEqual(at));
});

describe('DXF: what is drawn to be cut', () => {
  const dxf = (tables: string, entities: (string | number)[]) =>
    Buffer.from(`0\nSECTION\n2\nTABLES\n${tables}0\nENDSEC\n0\nSECTION\n2\nENTITIES\n${entities.join('\n')}\n0\nENDSEC\n0\nEOF\n`);
  const layer = (name: string, ...more: (string | number)[]) => `0\nLAYER\n2\n${name}\n${more.join('\n')}\n`;
  const circleOn = (name: string, ...more: (string | number)[]) => [0, 'CIRCLE', 8, name, ...more, 10, 5, 20, 5, 40, 2];
  test.each([
    ['plain', layer('A', 70, 0, 62, 7), 'A', true],
    ['off by its colour', layer('A', 70, 0, 62, -7), 'A', false],
    ['off, named in other letters', layer('Abc', 70, 0, 62, -7), 'aBC', false],
    ['frozen', layer('A', 70, 1, 62, 7), 'A', false],
    ['locked is still drawn', layer('A', 70, 4, 62, 7), 'A', true],
    ['not plotted', layer('A', 70, 0, 62, 7, 290, 0), 'A', false],
    ['plotted', layer('A', 70, 0, 62, 7, 290, 1), 'A', true],
    ['never plotted by its name', layer('DefPoints', 70, 0, 62, 7), 'defpoints', false],
  ])('a layer that is %s', (_, tables, name, taken) => {
    const file = readDxf(dxf(tables, [...circleOn(name), ...circleOn('0')]));
    expect(file.drawing.layers.some((l) => l.name.toUpperCase() === name.toUpperCase())).toBe(taken);
    expect(file.leftOut.length).toBe(taken ? 0 : 1);
    expect(readDxf(dxf(tables, circleOn(name)), { hidden: true, keepBad: true }).drawing.layers.length).toBe(1);
  });
  test.each([
    ['a type with gaps by its table', '0\nLTYPE\n2\nGAPS\n73\n2\n40\n5.0\n', 'GAPS', 'A', false],
    ['a type without gaps by its table, whatever its name', '0\nLTYPE\n2\nCENTER\n73\n0\n40\n0.0\n', 'CENTER', 'A', true],
    ['a known name without a table', '', 'HIDDEN2', 'A', false],
    ['on a layer that says what it is for', '', 'DASHED', 'BEND_UP', true],
    ['through', '', 'CONTINUOUS', 'A', true],
  ])('a line type: %s', (_, tables, type, name, taken) => {
    const file = readDxf(dxf(tables, [...circleOn(name, 6, type), ...circleOn('0')]));
    expect(file.drawing.layers.reduce((n, l) => n + l.contours.length, 0)).toBe(taken ? 2 : 1);
  });
  test('when broken lines are all there is they are what is meant', () => {
    expect(readDxf(dxf('', circleOn('A', 6, 'DASHED'))).drawing.layers.length).toBe(1);
  });
  test('a polyline with a width is its middle line, and that is told', () => {
    const line = (width: number) => [0, 'LWPOLYLINE', 8, '0', 90, 2, 70, 0, 43, width, 10, 0, 20, 0, 10, 9, 20, 0];
    expect(readDxf(dxf('', line(0.5))).leftOut).toEqual([{ what: 'width of LWPOLYLINE', count: 1, why: 'its middle line is taken' }]);
    expect(readDxf(dxf('', line(0))).leftOut).toEqual([]);
  });
  test('what is only in a block that nobody uses is not lost', () => {
    const unused = Buffer.from(
      `0\nSECTION\n2\nBLOCKS\n0\nBLOCK\n2\nB\n10\n0\n20\n0\n0\nTEXT\n8\n0\n1\nHI\n0\nENDBLK\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n${circleOn('0').join('\n')}\n0\nENDSEC\n0\nEOF\n`,
    );
    expect(readDxf(unused)).toMatchObject({ leftOut: [], drawing: { texts: [] } });
  });
  test('filled areas are no edges: a hatch and a solid leave area and holes alone', () => {
    const hatch = [
      0,
      'HATCH',
      8,
      '0',
      10,
      0,
      20,
      0,
      30,
      0,
      91,
      1,
      92,
      2,
      72,
      0,
      73,
      1,
      93,
      4,
      10,
      0,
      20,
      0,
      10,
      10,
      20,
      0,
      10,
      10,
      20,
      10,
      10,
      0,
      20,
      10,
      97,
      0,
    ];
    const solid = [0, 'SOLID', 8, '0', 10, 20, 20, 0, 11, 30, 21, 0, 12, 20, 22, 10, 13, 30, 23, 10];
    const { drawing } = readDxf(dxf('', [...circleOn('0'), ...hatch, ...solid]));
    expect(drawing.layers[0].contours.filter((c) => c.meaning === 'fill').length).toBe(2);
    const check = checkDrawing(drawing);
    expect(check.area).toBeCloseTo(Math.PI * 4, 9);
    expect([check.holes, check.doubles.length]).toEqual([0, 0]);
  });
});

describe('the command line', () => {
  const folder = mkdtempSync(join(tmpdir(), 'tall-kite-proof-'));
  const put = (name: string, text: string) => {
    writeFileSync(join(folder, name), text);
    return join(folder, name);
  };
  const svg = put(
    'art.svg',
    '<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="100mm" viewBox="0 0 100 100"><g id="Red stuff" stroke="#ff0000" fill="none"><rect x="10" y="10" width="60" height="40"/></g><g id="Inner" stroke="#0000ff" fill="none" stroke-width="2"><circle cx="40" cy="30" r="8"/></g><path id="bar" stroke="#00ff00" fill="none" d="M40 10V50"/></svg>',
  );
  async function run(...args: string[]) {
    let [out, err] = ['', ''];
    const code = await main([...args, '--json'], (t) => (out += t), (t) => (err += t)); // prettier-ignore
    return { code, json: JSON.parse(out || 'null'), err };
  }
  const write = (...args: string[]) => run('write', svg, '--format', 'dxf', '--receiver', 'none', '--out', folder, ...args);
  const back = (row: { file: string }) => readDxf(readFileSync(row.file));
  const names = (d: Drawing) => d.layers.map((l) => l.name).sort();

  test('a file with the verdict stop is not left on the disk, unless asked', async () => {
    const gap = put(
      'gap.dxf',
      '0\nSECTION\n2\nENTITIES\n0\nLINE\n8\n0\n10\n0\n20\n0\n11\n50\n21\n0\n0\nLINE\n8\n0\n10\n50\n20\n0\n11\n50\n21\n50\n0\nLINE\n8\n0\n10\n50\n20\n50\n11\n0\n21\n0.1\n0\nENDSEC\n0\nEOF\n',
    );
    const args = ['write', gap, '--format', 'svg', '--receiver', 'none', '--out', folder];
    const held = await run(...args);
    const [row] = held.json.written;
    expect([held.code, row.verdict, row.kept, existsSync(row.file)]).toEqual([2, 'stop', false, false]);
    expect(row.reason).toMatch(/looks closed but has a gap/);
    const even = await run(...args, '--even-so');
    expect([even.code, even.json.written[0].kept, existsSync(row.file)]).toEqual([2, true, true]);
  });
  test('layers keep their names and colours when asked; else they are named by meaning', async () => {
    const kept = back((await write('--layers', 'keep')).json.written[0]);
    expect(names(kept.drawing)).toEqual(['Drawing', 'Inner', 'Red stuff']);
    expect(Object.fromEntries(kept.drawing.layers.map((l) => [l.name, l.colour]))).toEqual({ Drawing: '#00ff00', Inner: '#0000ff', 'Red stuff': '#ff0000' });
    expect(names(back((await write()).json.written[0]).drawing)).toEqual(['CUT', 'HOLES', 'SCORE']);
  });
  test.each(['R12', '2000', '2018'])('names with other letters, kept in %s, come back as they were meant', async (version) => {
    const umlaut = put('umlaut.svg', readFileSync(svg, 'utf8').replace('Red stuff', 'Außen – Gehäuse'));
    const { json } = await run('write', umlaut, '--format', 'dxf', '--receiver', 'none', '--out', folder, '--layers', 'keep', '--dxf-version', version);
    expect(json.written[0].evidence.find((c: { quantity: string }) => c.quantity === 'Layers').verdict).toBe('clear');
    if (version !== 'R12') expect(names(back(json.written[0]).drawing)).toContain('Außen – Gehäuse');
  });
  test('meanings by colour and by layer, typed and from a file of rules; what is typed wins', async () => {
    const rules = put('rules.json', '{"blue": "engrave", "layer:Red stuff": "score", "#00ff00": "bend"}');
    expect(names(back((await write('--rules', rules)).json.written[0]).drawing)).toEqual(['BEND', 'ENGRAVE', 'SCORE']);
    expect(names(back((await write('--rules', rules, '--meaning', 'blue=pocket')).json.written[0]).drawing)).toEqual(['BEND', 'POCKET', 'SCORE']);
    const bad = await run('write', svg, '--format', 'dxf', '--out', folder, '--meaning', 'blue=fly');
    expect([bad.code, bad.json.error.code]).toEqual([2, 'bad-meaning']);
  });
  test('tabs, ways in, mirror, place, splitting and strokes as outlines', async () => {
    const tabs = back((await write('--tabs', '3x1.5')).json.written[0]).drawing;
    expect(tabs.layers.find((l) => l.name === 'CUT')!.contours.length).toBe(3);
    const led = back((await write('--lead-in', '4')).json.written[0]).drawing;
    expect(led.layers.find((l) => l.name === 'LEAD')!.contours.length).toBe(2);
    const corner = checkDrawing(back((await write('--place', 'corner', '--mirror')).json.written[0]).drawing).box;
    expect(corner.map((v) => Number(v.toFixed(6)))).toEqual([0, 0, 60, 40]);
    const split = (await write('--split')).json.written[0];
    expect(split.findings.map((f: Finding) => f.message).join(' ')).toMatch(/Cut at 4 places/);
    const strokes = back((await write('--strokes', 'outline')).json.written[0]).drawing;
    const radii = strokes.layers.flatMap((l) => l.contours.flatMap((c) => c.segments)).filter((s) => s.kind === 'arc').map((s) => (s as { radius: number }).radius); // prettier-ignore
    expect(radii).toEqual(expect.arrayContaining([9, 7]));
    expect(await run('write', svg, '--format', 'dxf', '--out', folder, '--tabs', 'many')).toMatchObject({
      code: 2,
      err: expect.stringMatching(/--tabs must be like 3x1\.5/),
    });
  });
  test('a drawing 50 km away comes to its zero with a word; asked for, it stays, and the loss is told', async () => {
    const far = put(
      'far.dxf',
      '0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n0\nCIRCLE\n8\n0\n10\n50000000\n20\n50000000\n40\n10\n0\nENDSEC\n0\nEOF\n',
    );
    const args = ['write', far, '--format', 'dxf', '--receiver', 'none', '--out', folder];
    const near = await run(...args);
    expect([near.code, near.json.written[0].verdict]).toEqual([0, 'clear']);
    expect(near.json.written[0].findings.map((f: Finding) => f.code)).toContain('brought-to-zero');
    expect(checkDrawing(back(near.json.written[0]).drawing).box.map((v) => Number(v.toFixed(9)))).toEqual([0, 0, 20, 20]);
    const kept = await run(...args, '--place', 'drawn');
    expect(kept.json.written[0].findings.find((f: Finding) => f.code === 'far-from-zero').message).toMatch(/lose up to 3\.0 mm/);
  });
  test('what is hidden is taken when asked, and the box of a drawing is {min, max} as for all kinds', async () => {
    const off = put(
      'off.dxf',
      '0\nSECTION\n2\nTABLES\n0\nLAYER\n2\nX\n70\n1\n62\n7\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n0\nCIRCLE\n8\n0\n10\n0\n20\n0\n40\n10\n0\nCIRCLE\n8\nX\n10\n0\n20\n0\n40\n20\n0\nENDSEC\n0\nEOF\n',
    );
    const size = async (...more: string[]) => (await run('inspect', off, ...more)).json.files[0].parts[0].box;
    expect(await size()).toEqual({ min: [-10, -10, 0], max: [10, 10, 0] });
    expect(await size('--hidden')).toEqual({ min: [-20, -20, 0], max: [20, 20, 0] });
  });
});

test('sizes of a box', () => expect(sizeOf({ min: [0, 1, 2], max: [1, 3, 5] })).toEqual([1, 2, 3]));
