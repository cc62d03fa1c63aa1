/** Operations on parts: what each gives, that lengths are mm whatever the part's own numbers are, and what comes from outside is checked. */
import { describe, expect, test } from 'vitest';
import { Unusable } from '../src/base/finding.ts';
import { timesRows, type Rows } from '../src/geometry/rows.ts';
import { measureMesh, type Mesh } from '../src/geometry/mesh.ts';
import { boxOf } from '../src/geometry/box.ts';
import { safeMend } from '../src/mesh/mend/mend.ts';
import { nothingToMend } from '../src/curves/mend.ts';
import { Cancelled, type OperationPart, type Outcome } from '../src/operations/operation.ts';
import { checkRequest, operate, operationForms, operationOf, operations, partsOf, withKeptFont, type OperationRequest } from '../src/operations/registry.ts';
import { meshIn } from '../src/operations/shape.ts';
import { laidOnto } from '../src/drawing/onto.ts';
import { partOfDrawing } from '../src/drawing/part.ts';
import { partOfMesh } from '../src/pipeline/mesh-design.ts';
import { readDesign } from '../src/pipeline/read.ts';
import { nodeTools } from '../src/pipeline/node-tools.ts';
import { firstRecipe } from '../src/recipe/recipe.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { usualFlatten } from '../src/sheet/pattern.ts';
import { boxMesh } from './data.ts';
import { drawingOf, lines } from './drawing.data.ts';
import { areaOfContour, boxOfContour, contoursOf } from '../src/curves/drawing.ts';
import { circleContour } from '../src/curves/offset.ts';
import { textFile } from '../src/formats/text/file.ts';
import { checkMesh } from '../src/mesh/soundness/check-mesh.ts';
import { usualPlate, usualText, type TextChoice } from '../src/text/choice.ts';
import { lettered } from '../src/text/lettering.ts';
import { nodeLetters } from '../src/text/node-files.ts';

const identity: Rows = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0];
const scaledMesh = ({ positions, triangles }: Mesh, by: number): Mesh => ({ positions: positions.map((v) => v * by), triangles });

/** A mesh as a part; `inches`: the same size, its own numbers being inches that somebody read as that. */
function partOf(mesh: Mesh, name: string, inches = false, place: Rows = identity): OperationPart {
  const own = inches ? scaledMesh(mesh, 1 / 25.4) : mesh;
  const about = { name, path: [name], quantity: 2, colour: null, unit: null, format: 'STL' };
  const { summary, geometry } = partOfMesh(own, about);
  const recipe = firstRecipe(summary, readyReceivers);
  recipe.size.reading = inches ? 'in' : null;
  return { id: name, summary, geometry, recipe, place };
}

function drawingPart(): OperationPart {
  const { summary, geometry } = partOfDrawing(
    drawingOf(
      lines([
        [0, 0],
        [40, 0],
        [40, 20],
        [0, 20],
      ]),
    ),
    { name: 'plate', path: ['plate'], quantity: 1, unit: 'mm', format: 'DXF' },
  );
  return { id: 'plate', summary, geometry, recipe: firstRecipe(summary, readyReceivers), place: identity };
}

const keep = async (_: string, pieces: Iterable<Uint8Array>) => Uint8Array.from(Buffer.concat([...pieces]));
const run = (request: OperationRequest, ...parts: OperationPart[]): Promise<Outcome> =>
  operate({ request, parts, tools: nodeTools, progress: () => false, keep });

const box = () => boxMesh(10, 20, 30);
/** Two boxes as one mesh: two shells. */
function twoBoxes(): Mesh {
  const [a, b] = [box(), box()];
  const moved = b.positions.map((v, i) => (i % 3 === 0 ? v + 50 : v));
  const n = a.positions.length / 3;
  return { positions: Float64Array.from([...a.positions, ...moved]), triangles: Uint32Array.from([...a.triangles, ...b.triangles.map((t) => t + n)]) };
}
const shifted = (by: number): Rows => timesRows([1, 0, 0, by, 0, 1, 0, 0, 0, 0, 1, 0], identity);

/** What an operation on one part is asked, and the figure in mm that must not depend on the part's own unit. */
const cases: { request: OperationRequest; mesh?: () => Mesh; figure: (done: Outcome, factor: number) => number; value: number }[] = [
  { request: { kind: 'check', part: 'a', thickness: true }, figure: ({ report }) => report.check!.thickness!.least, value: 10 },
  {
    request: { kind: 'cut', part: 'a', plane: { normal: [0, 0, 1], offset: 12 }, pegs: null, keep: 'both' },
    figure: ({ report }) => report.cut!.area,
    value: 200,
  },
  {
    request: { kind: 'cut', part: 'a', plane: { normal: [0, 0, 1], offset: 12 }, pegs: null, keep: 'below' },
    figure: ({ made }, k) => measureMesh(meshIn(made[0])).volume * k ** 3,
    value: 10 * 20 * 12,
  },
  {
    request: { kind: 'body', part: 'a', as: 'boss', body: { kind: 'box', at: [5, 10, 30], normal: [0, 0, 1], width: 4, length: 4, depth: 5, turn: 0 } },
    figure: ({ report }) => report.combine!.volumeAfter - report.combine!.volumeBefore,
    value: 4 * 4 * 5,
  },
  {
    request: { kind: 'body', part: 'a', as: 'hole', body: { kind: 'box', at: [5, 10, 30], normal: [0, 0, 1], width: 4, length: 4, depth: 5, turn: 0 } },
    figure: ({ report }) => report.combine!.volumeBefore - report.combine!.volumeAfter,
    value: 4 * 4 * 5,
  },
  { request: { kind: 'lighter', part: 'a', triangles: null, deviation: 0.01 }, figure: ({ report }) => report.lighter!.measured, value: 0 },
  { request: { kind: 'mirror', part: 'a', axis: 0 }, figure: ({ made }, k) => boxOf(meshIn(made[0]).positions).max[2] * k, value: 30 },
  { request: { kind: 'divide', part: 'a' }, mesh: twoBoxes, figure: ({ made }, k) => measureMesh(meshIn(made[1])).volume * k ** 3, value: 6000 },
  { request: { kind: 'stances', part: 'a' }, figure: ({ report }) => Math.min(...report.stances!.map((s) => s.height)), value: 10 },
  {
    request: { kind: 'hollow', part: 'a', wall: 2, cell: 0.5, drain: null, drains: 1 },
    figure: ({ report }) => Math.round(report.figures!.find((f) => f.name === 'Thinnest wall')!.value),
    value: 2,
  },
];

describe('lengths are mm of the finished part, whatever its own numbers are', () => {
  test.each(cases.map((c) => [c.request.kind, c] as const))('%s', async (_, { request, mesh = box, figure, value }) => {
    expect(figure(await run(request, partOf(mesh(), 'a')), 1)).toBeCloseTo(value, 3);
    expect(figure(await run(request, partOf(mesh(), 'a', true)), 25.4)).toBeCloseTo(value, 3);
  });
  test('several parts stand where they are placed: what they share, and the gap between them', async () => {
    for (const inches of [false, true]) {
      const beside = (by: number) => partOf(box(), 'b', inches, shifted(by));
      const shared = await run({ kind: 'common', parts: ['a', 'b'] }, partOf(box(), 'a', inches), beside(4));
      expect(shared.report.combine!.volumeAfter).toBeCloseTo(6 * 20 * 30, 3);
      const { report } = await run({ kind: 'clearance', parts: ['a', 'b'] }, partOf(box(), 'a', inches), beside(10.15));
      expect(report.clearance!.pairs).toHaveLength(1);
      expect(report.clearance!.pairs[0]).toMatchObject({ a: 'a', b: 'b', how: 'apart' });
      expect(report.clearance!.pairs[0].gap).toBeCloseTo(0.15, 4);
      // Nearer than the 0.2 mm that the printer needs: the whole side is.
      expect(report.clearance!.pairs[0].tightArea).toBeCloseTo(600, 0);
    }
  });
  test('files of several parts: each as often as it is wanted, in a row or as it stands', async () => {
    const [receiver] = readyReceivers;
    const asked = { kind: 'together' as const, parts: ['a'], receiver, format: '3mf' as const, unit: 'mm', name: 'all' };
    const row = await run({ ...asked, placing: 'set-down' }, partOf(box(), 'a', true));
    expect(row.report.file!.evidence).toMatchObject({ verdict: 'clear' });
    expect(row.report.file!.evidence.claims.find((c) => c.quantity === 'Parts')).toMatchObject({ designed: 2, received: 2 });
    // Two boxes of 10 mm with the receiver's spacing between them.
    expect(row.report.file!.evidence.claims.find((c) => c.quantity === 'Length X')!.received).toBeCloseTo(20 + receiver.spacing, 4);
    const off = { kind: 'bed', receiver, unit: 'mm', bed: 0, name: 'bed', laid: [{ id: 'a', copy: 0, bed: 0, turn: 0, x: -5, y: 10 }] } as const;
    expect((await run({ ...off, laid: [...off.laid] }, partOf(box(), 'a'))).report.file!.evidence.findings.map((f) => f.code)).toContain('off-the-bed');
  });
});

describe('what comes of an operation', () => {
  test('a sound part needs no mending; what is asked for beside is proposed in its place, told once', async () => {
    expect((await run({ kind: 'mend', part: 'a', choice: safeMend }, partOf(box(), 'a'))).made).toEqual([]);
    const done = await run({ kind: 'mend', part: 'a', choice: { ...safeMend, largestOnly: true } }, partOf(twoBoxes(), 'a'));
    expect(done.inPlace).toBe(true);
    expect(done.made[0].part().summary).toMatchObject({ shells: 1, made: ['mended'] });
  });
  test('a drawing raised stands beside it; cleaned it is changed in its place; nothing to clean changes nothing', async () => {
    const raised = await run({ kind: 'raise', part: 'plate', thickness: 3 }, drawingPart());
    expect(raised).toMatchObject({ inPlace: false, beside: true });
    expect(measureMesh(meshIn(raised.made[0])).volume).toBeCloseTo(40 * 20 * 3, 6);
    expect((await run({ kind: 'clean', part: 'plate', choice: nothingToMend }, drawingPart())).made).toEqual([]);
  });
  test('a view of a part is a drawing beside it, with its area', async () => {
    const drawn = await run({ kind: 'draw', part: 'a', view: { kind: 'section', axis: 'z', height: 5 }, fit: null }, partOf(box(), 'a'));
    expect(drawn.report.drawn!.area).toBeCloseTo(200, 3);
    expect(drawn.made[0].geometry.kind).toBe('drawing');
  });
  test('what suits no operation is refused in a sentence', async () => {
    const refused = async (request: OperationRequest, part: OperationPart) => run(request, part).then(() => 'done', (e: Unusable) => e.code); // prettier-ignore
    expect(await refused({ kind: 'divide', part: 'a' }, partOf(box(), 'a'))).toBe('one-shell');
    expect(await refused({ kind: 'raise', part: 'a', thickness: 2 }, partOf(box(), 'a'))).toBe('not-flat');
    expect(await refused({ kind: 'draw', part: 'plate', view: { kind: 'face', face: 0 }, fit: null }, drawingPart())).toBe('already-flat');
    expect(await refused({ kind: 'flatten', part: 'plate', choice: usualFlatten }, drawingPart())).toBe('already-flat');
    expect(await refused({ kind: 'mirror', part: 'plate', axis: 0 }, drawingPart())).toBe('flat');
  });
  test('given up, nothing comes of it', async () => {
    const work = { request: { kind: 'divide', part: 'a' } as OperationRequest, parts: [partOf(twoBoxes(), 'a')], tools: nodeTools, progress: () => true, keep };
    await expect(operate(work)).rejects.toBeInstanceOf(Cancelled);
  });
  test('what reading left out of a source is missing in what is made of it', async () => {
    const lost = [{ code: 'left-out', severity: 'look' as const, count: 1, message: 'A text was left out.', remedy: '' }];
    const part = partOf(box(), 'a');
    const { made } = await run({ kind: 'mirror', part: 'a', axis: 0 }, { ...part, summary: { ...part.summary, lost } });
    expect(made[0].part().summary.lost!.map((f) => f.message)).toEqual(['A text was left out.']);
  });
});

describe('words on parts', () => {
  const words = (over: Partial<TextChoice> = {}): TextChoice => ({ ...usualText, words: 'HI', size: { by: 'cap', mm: 4 }, ...over });
  const top = { at: [5, 6, 30] as [number, number, number], normal: [0, 0, 1] as [number, number, number], angle: 0 };
  /** Area of the letters by their own contours, mm2. */
  const area = async (choice: TextChoice) => contoursOf((await lettered(choice, nodeLetters)).drawing).reduce((n, c) => n + areaOfContour(c), 0);
  test('engraved: the volume is less by area times depth, in mm and in a part of inches; raised, it is more by that', async () => {
    const wanted = (await area(words())) * 0.5;
    for (const inches of [false, true]) {
      const part = partOf(box(), 'a', inches);
      const scale = inches ? 25.4 ** 3 : 1;
      for (const depth of [0.5, -0.5]) {
        const { made, report } = await run({ kind: 'engrave', part: 'a', what: { text: words() }, on: top, depth }, part);
        const volume = measureMesh(meshIn(made[0])).volume * scale;
        // Round letters are cut in facets: within a thousandth of what they are.
        expect(Math.abs((6000 - volume) * Math.sign(depth) - wanted)).toBeLessThan(wanted * 1e-3);
        expect(report.findings).toEqual([]);
        expect(checkMesh(meshIn(made[0])).openEdges).toBe(0);
      }
    }
  });
  test('on a side the words stand upright; turned, they lie as typed', async () => {
    const side = { at: [10, 10, 15] as [number, number, number], normal: [1, 0, 0] as [number, number, number], angle: 0 };
    const boxOfCut = async (angle: number) => {
      const { made } = await run({ kind: 'engrave', part: 'a', what: { text: words({ words: 'I' }) }, on: { ...side, angle }, depth: -1 }, partOf(box(), 'a'));
      const { positions } = meshIn(made[0]);
      const out: number[][] = [];
      for (let i = 0; i < positions.length; i += 3) if (positions[i] > 10.5) out.push([positions[i + 1], positions[i + 2]]);
      return [0, 1].map((k) => Math.max(...out.map((p) => p[k])) - Math.min(...out.map((p) => p[k])));
    };
    const [wide, high] = await boxOfCut(0);
    expect(high).toBeCloseTo(4, 3);
    expect(wide).toBeLessThan(1.5);
    expect((await boxOfCut(Math.PI / 2))[0]).toBeCloseTo(4, 3);
  });
  test('past the edge of its face it is told by how much; beside the part it is refused; single lines have no width', async () => {
    const half = { ...top, at: [0, 6, 30] as [number, number, number] };
    const { report } = await run({ kind: 'engrave', part: 'a', what: { text: words({ words: 'HH' }) }, on: half, depth: 0.5 }, partOf(box(), 'a'));
    expect(report.findings!.map((f) => f.code)).toEqual(['letters-past-face']);
    expect(report.findings![0].message).toMatch(/^5\d\.\d %|^4\d\.\d %/);
    const refused = (over: Partial<TextChoice>, at: [number, number, number]) =>
      run({ kind: 'engrave', part: 'a', what: { text: words(over) }, on: { ...top, at }, depth: 0.5 }, partOf(box(), 'a')).catch((e: Unusable) => e.code);
    expect(await refused({}, [100, 100, 30])).toBe('nothing-met');
    expect(await refused({ font: 'line' }, [5, 6, 30])).toBe('nothing-closed');
    const drawn = await run(
      { kind: 'engrave', part: 'a', what: { drawing: 'plate' }, on: { ...top, at: [-15, 0, 30] }, depth: 1 },
      partOf(box(), 'a'),
      drawingPart(),
    );
    expect(6000 - measureMesh(meshIn(drawn.made[0])).volume).toBeCloseTo(10 * 20, 6);
  });
  test('text onto a drawing is a layer of its own, where it is said to stand; its letters that nobody has are lost in what is made of it', async () => {
    const place = { at: [20, 10] as [number, number], angle: Math.PI / 2 };
    const { made } = await run({ kind: 'put-text', part: 'plate', choice: words({ words: 'I' }), place }, drawingPart());
    const { geometry } = made[0].part();
    if (geometry.kind !== 'drawing') throw new TypeError('a drawing');
    expect(geometry.drawing.layers.map((l) => l.name)).toEqual(['L', 'Text']);
    const [left, low, right, high] = boxOfContour(geometry.drawing.layers[1].contours[0]);
    expect([right - left, right]).toEqual([expect.closeTo(4, 9), expect.closeTo(20, 9)]);
    expect((low + high) / 2).toBeCloseTo(10, 0);
    const lacking = await run({ kind: 'put-text', part: 'plate', choice: words({ words: 'I✈' }), place }, drawingPart());
    expect(lacking.made[0].part().summary.lost!.map((f) => f.code)).toEqual(['letters-missing']);
  });
  test('along a contour: letters stand on it at its own distance, on either side; longer than it, that is told', async () => {
    const round: OperationPart = { ...drawingPart(), geometry: { kind: 'drawing', drawing: drawingOf(circleContour([0, 0], 30)) } };
    const at = async (along: { off: number; other: boolean }, text = 'HHH') => {
      const { made, report } = await run({ kind: 'put-text', part: 'plate', choice: words({ words: text }), place: { at: [0, 31], angle: 0 }, along }, round);
      const { geometry } = made[0].part();
      if (geometry.kind !== 'drawing') throw new TypeError('a drawing');
      const far = geometry.drawing.layers[1].contours.flatMap((c) => c.segments.flatMap((g) => (g.kind === 'line' ? [Math.hypot(...g.a)] : [])));
      return {
        low: Math.min(...far),
        high: Math.max(...far),
        codes: report.findings!.map((f) => f.code),
        box: boxOfContour(geometry.drawing.layers[1].contours[1]),
      };
    };
    // The circle runs counter-clockwise: its left is inside. H is 4 mm high, its feet are chords of the round.
    const inside = await at({ off: 1, other: false });
    expect([inside.high, inside.low]).toEqual([expect.closeTo(29, 1), expect.closeTo(25, 1)]);
    const outside = await at({ off: 0.5, other: true });
    expect([outside.low, outside.high]).toEqual([expect.closeTo(30.5, 1), expect.closeTo(34.5, 0)]);
    // The middle letter stands at the nearest place: the top.
    expect((outside.box[0] + outside.box[2]) / 2).toBeCloseTo(0, 1);
    expect([outside.codes, (await at({ off: 0, other: true }, 'H'.repeat(80))).codes]).toEqual([[], ['text-past-contour']]);
  });
  test('layers moved, turned about their middle, scaled, repeated; a layer that is not there is refused', async () => {
    const how = {
      layers: ['L'],
      by: [5, 0] as [number, number],
      turn: Math.PI / 2,
      scale: 0.5,
      mirror: false,
      columns: 3,
      rows: 2,
      step: [100, 50] as [number, number],
    };
    const { made } = await run({ kind: 'arrange', part: 'plate', how }, drawingPart());
    const { geometry } = made[0].part();
    if (geometry.kind !== 'drawing') throw new TypeError('a drawing');
    const boxes = geometry.drawing.layers[0].contours.map(boxOfContour);
    expect(boxes.length).toBe(6);
    // 40 x 20 turned and halved about (20, 10): 10 x 20, then 5 to the right.
    expect(boxes[0].map((v) => Number(v.toFixed(9)) + 0)).toEqual([20, 0, 30, 20]);
    expect(boxes[5].map((v) => Number(v.toFixed(9)) + 0)).toEqual([220, 50, 230, 70]);
    const mirrored = await run({ kind: 'arrange', part: 'plate', how: { ...how, mirror: true, columns: 1, rows: 1 } }, drawingPart());
    const turned = mirrored.made[0].part().geometry;
    if (turned.kind !== 'drawing') throw new TypeError('a drawing');
    expect(areaOfContour(turned.drawing.layers[0].contours[0])).toBeCloseTo(200, 9);
    const noted = drawingPart().geometry;
    if (noted.kind !== 'drawing') throw new TypeError('a drawing');
    const written = { ...noted.drawing, texts: [{ layer: 'L', at: [20, 10] as [number, number], height: 4, angle: 0, text: 'a' }] };
    const along = (await run({ kind: 'arrange', part: 'plate', how }, { ...drawingPart(), geometry: { kind: 'drawing', drawing: written } })).made[0].part()
      .geometry;
    if (along.kind !== 'drawing') throw new TypeError('a drawing');
    expect(along.drawing.texts.map((t) => [t.at.map((v) => Math.round(v)), t.height])).toEqual(
      [0, 50].flatMap((y) => [0, 100, 200].map((x) => [[25 + x, 10 + y], expect.closeTo(2, 9)])),
    );
    const refused = (more: object) => run({ kind: 'arrange', part: 'plate', how: { ...how, ...more } }, drawingPart()).catch((e: Unusable) => e.code);
    expect(await refused({ layers: ['M'] })).toBe('no-such-layer');
    expect(await refused({ columns: 101, rows: 100 })).toBe('too-many-copies');
  });
  test('other words for a drawing of words, and a drawing that has none says so', async () => {
    const bytes = new TextEncoder().encode(textFile({ choice: words() }));
    const [part] = (await readDesign(bytes, 'a.lettering', nodeTools.kernels)).parts;
    const given: OperationPart = { id: 'a', ...part, recipe: firstRecipe(part.summary, readyReceivers), place: identity, source: () => Promise.resolve(bytes) };
    const { made } = await run({ kind: 'text', part: 'a', choice: words({ words: 'HIII' }) }, given);
    expect(made[0].part().summary.lettered!.count).toBe(4);
    expect(await run({ kind: 'text', part: 'plate', choice: words() }, drawingPart()).catch((e: Unusable) => e.code)).toBe('no-words');
  });
  test('words that were moved and turned as a whole are words still, and stand where they were moved to; scaled, mirrored, repeated or in part they are not', async () => {
    const bytes = new TextEncoder().encode(textFile({ choice: words({ words: 'HI', plate: { ...usualPlate, holes: 0 } }) }));
    const [part] = (await readDesign(bytes, 'a.lettering', nodeTools.kernels)).parts;
    const as = (p: typeof part): OperationPart => ({ id: 'a', ...p, recipe: firstRecipe(p.summary, readyReceivers), place: identity, source: () => Promise.resolve(bytes) }); // prettier-ignore
    const still = { layers: null, by: [0, 0] as [number, number], turn: 0, scale: 1, mirror: false, columns: 1, rows: 1, step: [0, 0] as [number, number] };
    const arranged = async (p: typeof part, more: Partial<typeof still>) => (await run({ kind: 'arrange', part: 'a', how: { ...still, ...more } }, as(p))).made[0].part(); // prettier-ignore
    // Moved, then turned by a quarter about its middle: the plate of 80 x 30 stands upright about (40 + 100, 15 - 7).
    const moved = await arranged(await arranged(part, { by: [100, -7] }), { turn: Math.PI / 2 });
    expect(moved.summary.lettered?.moved).toBeDefined();
    const { made } = await run({ kind: 'text', part: 'a', choice: words({ words: 'HII', plate: { ...usualPlate, holes: 0 } }) }, as(moved as typeof part));
    const next = made[0].part();
    expect(next.summary.lettered).toMatchObject({ count: 3, moved: moved.summary.lettered!.moved });
    expect([...next.summary.box.min.slice(0, 2), ...next.summary.box.max.slice(0, 2)].map((v) => Number(v.toFixed(9)))).toEqual([125, -32, 155, 48]);
    for (const lost of [{ scale: 2 }, { mirror: true }, { columns: 2 }, { layers: ['Text'] }] as object[]) {
      const { report, made: other } = await run({ kind: 'arrange', part: 'a', how: { ...still, ...lost } }, as(part));
      expect(other[0].part().summary.lettered).toBeUndefined();
      expect(report.said.join(' ')).toMatch(/words can not be changed any more/);
    }
  });
  test('another drawing laid onto one: zeros, middles or corners on each other, turned, scaled, in mm of both; its layers beside, under names of their own', async () => {
    const square = (inches: boolean): OperationPart => {
      const by = inches ? 1 / 25.4 : 1;
      const drawing = drawingOf(lines([[10 * by, 10 * by], [16 * by, 10 * by], [16 * by, 14 * by], [10 * by, 14 * by]])); // prettier-ignore
      const named = { ...drawing, texts: [{ layer: 'L', at: [10 * by, 10 * by] as [number, number], height: by, angle: 0, text: 'a' }] };
      const { summary, geometry } = partOfDrawing(named, { name: 'mark', path: ['mark'], quantity: 1, unit: inches ? null : 'mm', format: 'DXF' });
      const recipe = firstRecipe(summary, readyReceivers);
      recipe.size.reading = inches ? 'in' : null;
      return { id: 'mark', summary, geometry, recipe, place: identity };
    };
    const how = { anchor: 'zero' as const, by: [0, 0] as [number, number], turn: 0, scale: 1 };
    const laid = async (more: Partial<Omit<typeof how, 'anchor'>> & { anchor?: 'zero' | 'middle' | 'corner' }, inches = false) => {
      const { made } = await run({ kind: 'lay-onto', part: 'plate', other: 'mark', how: { ...how, ...more } }, drawingPart(), square(inches));
      const { geometry, summary } = made[0].part();
      if (geometry.kind !== 'drawing') throw new TypeError('a drawing');
      expect(summary.name).toBe('plate');
      expect(geometry.drawing.layers.map((l) => l.name)).toEqual(['L', 'mark']);
      expect(geometry.drawing.texts.map((t) => t.layer)).toEqual(['mark']);
      expect(boxOfContour(geometry.drawing.layers[0].contours[0])).toEqual([0, 0, 40, 20]);
      return boxOfContour(geometry.drawing.layers[1].contours[0]).map((v) => Number(v.toFixed(6)) + 0);
    };
    for (const inches of [false, true]) {
      expect(await laid({}, inches)).toEqual([10, 10, 16, 14]);
      expect(await laid({ anchor: 'middle' }, inches)).toEqual([17, 8, 23, 12]);
      expect(await laid({ anchor: 'corner', by: [1, 2] }, inches)).toEqual([1, 2, 7, 6]);
      // A quarter about its middle, twice as large: 8 wide and 12 high about (20, 10).
      expect(await laid({ anchor: 'middle', turn: Math.PI / 2, scale: 2 }, inches)).toEqual([16, 4, 24, 16]);
    }
    // Our own numbers go along uncut and untold only while no other writing lies among them: that would be lost in silence.
    const numbered = drawingPart();
    if (numbered.geometry.kind !== 'drawing') throw new TypeError('a drawing');
    numbered.geometry = {
      kind: 'drawing',
      drawing: { ...numbered.geometry.drawing, labels: true, texts: [{ layer: 'L', at: [1, 1], height: 2, angle: 0, text: '90°' }] },
    };
    for (const [other, labels] of [
      [square(false), undefined],
      [{ ...drawingPart(), id: 'mark' }, true],
    ] as const) {
      // prettier-ignore
      const { geometry } = (await run({ kind: 'lay-onto', part: 'plate', other: 'mark', how }, numbered, other)).made[0].part();
      expect(geometry.kind === 'drawing' && geometry.drawing.labels).toBe(labels);
    }
    const id = '00000000-0000-4000-8000-000000000001';
    expect(() => checkRequest({ kind: 'lay-onto', part: id, other: id, how })).toThrow(/another drawing/);
    expect(partsOf(checkRequest({ kind: 'lay-onto', part: id, other: id.replace(/1$/, '2'), how }))).toEqual([id, id.replace(/1$/, '2')]);
    expect(await run({ kind: 'lay-onto', part: 'plate', other: 'a', how }, drawingPart(), partOf(box(), 'a')).catch((e: Unusable) => e.code)).toBe('not-flat');
  });
  test('names that are taken: by the other drawing, by its layer, with a number', () => {
    const one = (...names: string[]) => ({ ...drawingOf(), layers: names.map((name) => ({ name, colour: null, lineType: '', contours: [lines([[0, 0], [1, 0], [1, 1]])] })) }); // prettier-ignore
    const how = { anchor: 'zero' as const, by: [0, 0] as [number, number], turn: 0, scale: 1 };
    const names = (a: string[], b: string[]) => laidOnto(one(...a), one(...b), 'mark', how).layers.map((l) => l.name);
    expect(names(['A'], ['B'])).toEqual(['A', 'B']);
    expect(names(['A'], ['A'])).toEqual(['A', 'mark']);
    expect(names(['A', 'mark'], ['A'])).toEqual(['A', 'mark', 'mark (2)']);
    expect(names(['A', 'B'], ['A', 'B'])).toEqual(['A', 'B', 'mark, A', 'mark, B']);
  });
  test('a font that is kept elsewhere is fetched by its id for every kind of request with words, and only then', async () => {
    const own = { name: 'Lamp', data: '', kept: 'a'.repeat(64) };
    const fetched: string[] = [];
    const fetch = (font: string) => {
      fetched.push(font);
      return Promise.resolve('AAAA');
    };
    const choice = words({ font: 'own', own });
    const place = { at: [0, 0] as [number, number], angle: 0 };
    const on = { at: [0, 0, 0] as [number, number, number], normal: [0, 0, 1] as [number, number, number], angle: 0 };
    const texts = [
      await withKeptFont({ kind: 'text' as const, part: 'a', choice }, fetch),
      await withKeptFont({ kind: 'put-text' as const, part: 'a', choice, place }, fetch),
    ].map((r) => r.choice.own?.data);
    const engraved = await withKeptFont({ kind: 'engrave' as const, part: 'a', what: { text: choice }, on, depth: 1 }, fetch);
    expect([texts, engraved.what.text.own?.data]).toEqual([['AAAA', 'AAAA'], 'AAAA']); // prettier-ignore
    expect(fetched).toEqual([own.kept, own.kept, own.kept]);
    // Bytes that are there are kept, other letters and other requests ask nothing.
    await withKeptFont({ kind: 'text' as const, part: 'a', choice: words({ font: 'own', own: { ...own, data: 'BBBB' } }) }, fetch);
    await withKeptFont({ kind: 'text' as const, part: 'a', choice: words() }, fetch);
    await withKeptFont({ kind: 'engrave' as const, part: 'a', what: { drawing: 'b' }, on, depth: 1 }, fetch);
    expect(fetched.length).toBe(3);
    // Without its bytes a font says so.
    expect(await run({ kind: 'put-text', part: 'plate', choice, place }, drawingPart()).catch((e: Unusable) => e.code)).toBe('no-font');
  });
});

describe('requests from outside', () => {
  const id = '00000000-0000-4000-8000-000000000001';
  const other = id.replace(/1$/, '2');
  test.each([
    [{ kind: 'check', part: id, thickness: true }, [id]],
    [{ kind: 'join', parts: [id, other] }, [id, other]],
    [{ kind: 'hollow', part: id, wall: 2, cell: null, drain: null, drains: 2 }, [id]],
    [
      { kind: 'bed', receiver: readyReceivers[0], unit: 'mm', bed: 0, name: 'b', laid: [0, 1].map((copy) => ({ id, copy, bed: 0, turn: 0, x: 1, y: 1 })) },
      [id],
    ],
  ])('%j is taken, and says which parts it is about', (request, parts) => expect(partsOf(checkRequest(request))).toEqual(parts));
  test.each([
    [null, 'nothing that can be asked for'],
    [{ kind: 'toString' }, 'nothing that can be asked for'],
    [{ kind: 'check', part: 'a', thickness: true }, 'part'],
    [{ kind: 'check', part: id, thickness: 1 }, 'thickness'],
    [{ kind: 'check', part: id, thickness: true, more: 1 }, 'more'],
    [{ kind: 'join', parts: [id] }, 'at least 2'],
    [{ kind: 'join', parts: [id, id] }, 'duplicate'],
    [{ kind: 'raise', part: id, thickness: 0.0099 }, '0.01'],
    [{ kind: 'raise', part: id, thickness: 10_000.1 }, '10000'],
    [{ kind: 'mirror', part: id, axis: 3 }, 'axis'],
    [{ kind: 'hollow', part: id, wall: '2', cell: null, drain: null, drains: 1 }, 'wall'],
    [{ kind: 'bed', receiver: 'lark', unit: 'mm', bed: 0, name: 'b', laid: [] }, 'receiver'],
  ])('%j is refused', (request, why) => expect(() => checkRequest(request)).toThrow(why));
  test('each stands once; a proposal has a word for the history', () => {
    expect(new Set(operations.map((o) => o.kind)).size).toBe(operations.length);
    for (const { kind, verb } of operations) expect([kind, verb.length > 2]).toEqual([kind, true]);
    expect(() => operationOf('nothing' as never)).toThrow(RangeError);
    for (const { fields, kind } of operationForms()) expect(fields.length, kind).toBeGreaterThan(0);
  });
});
