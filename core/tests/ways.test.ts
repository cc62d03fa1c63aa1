import { describe, expect, test } from 'vitest';
import { firstRecipe } from '../src/recipe/recipe.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { noReceiver, receiverIn } from '../src/receivers/receivers.ts';
import { steps, stepNamed, stepsFor, stepsOf, threadOf, trunk } from '../src/steps/registry.ts';
import type { MadePart, PartState } from '../src/steps/step.ts';
import { receiverOfWay, wayIds, wayOf, ways, waysFor, waysOf, waysWith } from '../src/steps/way.ts';
import { sheetLike } from '../src/surfaces/sheetlike.ts';

const survey = { flat: 10, oneWay: 4, bothWays: 0, smallestRadius: 2, largestRadius: 4, sheet: null as number | null };
/** A box-shaped part's summary of a size, mm. */
const part = (size: [number, number, number], more: object = {}, ways: PartState['ways'] = null): PartState => {
  const [x, y, z] = size;
  const summary = {
    name: 'Part', path: ['Part'], kind: 'solid', quantity: 1, colour: null, box: { min: [0, 0, 0], max: size }, volume: x * y * z, area: 2 * (x * y + y * z + z * x), centre: [0, 0, 0],
    faces: 6, triangles: null, shells: 1, openEdges: null, nonManifoldEdges: null, flippedEdges: null, degenerateTriangles: null, survey, unit: 'mm', format: 'STEP', ...more,
  } as never as PartState['summary']; // prettier-ignore
  return { summary, findings: [], recipe: firstRecipe(summary, readyReceivers), quantity: 1, ways };
};
const names = (p: PartState) => waysOf(p).map((w) => w.way);
const clearCell = { mark: 'clear' as const, figure: '120 × 80', context: 'mm', finding: null };
const flatMade: MadePart = {
  id: 'f',
  name: 'Part flat',
  kind: 'drawing',
  flat: true,
  size: clearCell,
  file: { ...clearCell, figure: 'Part-flat.dxf' },
  received: { ...clearCell, figure: 'clear' },
};

describe('what a part is for', () => {
  test('nothing said: the way of its machine, and of sheet first when it looks like sheet, with the reason', () => {
    expect(names(part([40, 30, 20]))).toEqual(['print']);
    const folded = part([40, 30, 20], { survey: { ...survey, sheet: 1.5 } });
    expect(names(folded)).toEqual(['fold', 'print']);
    expect(waysOf(folded)[0]).toMatchObject({ chosen: false, why: 'walls of 1.5 mm with round bends between them' });
    expect(waysOf(part([40, 30, 20]))[0].why).toBe('it goes to Lark');
  });
  test('a plain plate is one up to a fifth of its second side and 40 mm', () => {
    expect(names(part([300, 200, 40]))).toEqual(['cut', 'print']);
    expect(names(part([300, 200, 40.01]))).toEqual(['print']);
    expect(names(part([300, 100, 20]))).toEqual(['cut', 'print']);
    expect(names(part([300, 100, 20.01]))).toEqual(['print']);
    // Round both ways, or a mesh: not asked.
    expect(names(part([300, 100, 10], { survey: { ...survey, bothWays: 1 } }))).toEqual(['print']);
    expect(names(part([300, 100, 10], { survey: null, kind: 'mesh' }))).toEqual(['print']);
  });
  test('a plate that is mostly air is none: twice the volume over the area must come near the thickness', () => {
    const thin = { volume: 300 * 200 * 2, area: 2 * 300 * 200 + 1000 };
    expect(names(part([300, 200, 30], thin))).toEqual(['print']);
  });
  test('what was made of it tells the way', () => {
    expect(names({ ...part([40, 30, 20]), made: [flatMade] })).toEqual(['fold', 'print']);
    expect(names({ ...part([40, 30, 20]), made: [{ ...flatMade, flat: false }] })).toEqual(['cut', 'print']);
  });
  test('what was chosen holds; the file of the part itself goes to its machine', () => {
    const chosen = part([40, 30, 20], {}, ['fold', 'print']);
    chosen.recipe = { ...chosen.recipe, receiver: receiverIn(readyReceivers, 'heron') };
    expect(names(chosen)).toEqual(['fold', 'carve']);
    expect(waysOf(chosen).every((w) => w.chosen)).toBe(true);
    // A drawing can't be folded: what does not suit is left out, never all.
    expect(names(part([40, 30, 0], { kind: 'drawing', drawing: {}, survey: null }, ['fold']))).toEqual(['cut']);
  });
  test('one more way: a second file of the part itself takes the place of the first', () => {
    expect(waysWith(['print'], 'fold', 'solid')).toEqual(['print', 'fold']);
    expect(waysWith(['print', 'fold'], 'carve', 'solid')).toEqual(['carve', 'fold']);
    expect(waysWith(['cut'], 'print', 'drawing')).toEqual(['print', 'cut']);
    expect(waysWith(['fold'], 'fold', 'solid')).toEqual(['fold']);
  });
});

describe('which machine does what', () => {
  test('each ready machine has a way, and the way finds one for the kind', () => {
    const way = Object.fromEntries(readyReceivers.map((r) => [r.id, wayOf(r)]));
    expect(way).toMatchObject({ lark: 'print', wren: 'print', heron: 'carve', swift: 'cut', martin: 'carve', pipit: 'cut' });
    expect(receiverOfWay('carve', 'solid', readyReceivers)!.id).toBe('heron');
    expect(receiverOfWay('carve', 'drawing', readyReceivers)!.id).toBe('martin');
    expect(receiverOfWay('pass', 'solid', readyReceivers)).toBe(noReceiver);
    expect(receiverOfWay('print', 'solid', [])).toBeNull();
  });
});

describe('the strands of a thread', () => {
  test('every way names steps that exist, and says what comes of it for each kind it takes', () => {
    const known = steps.map((s) => s.id as string);
    for (const way of ways) {
      expect(Object.keys(way.does).sort()).toEqual(Object.keys(way.steps).sort());
      for (const list of Object.values(way.steps)) expect(list!.every((id) => known.includes(id) && !trunk.includes(id as never))).toBe(true);
    }
    expect(ways.map((w) => w.id)).toEqual([...wayIds]);
    for (const kind of ['solid', 'mesh', 'drawing'] as const) expect(waysFor(kind).length).toBeGreaterThan(2);
  });
  test('each way has its own steps; the trunk is shared', () => {
    const { trunk: first, strands } = threadOf(part([40, 30, 20], {}, ['print', 'fold']), null);
    // Trace is a step of pictures only, Words of words.
    expect(trunk).toEqual(['Source', 'Trace', 'Words', 'Size', 'Soundness']);
    expect(first.map((s) => s.step)).toEqual(['Source', 'Size', 'Soundness']);
    expect(strands.map((s) => s.steps.map((x) => x.step))).toEqual([['Unfold'], ['Stance', 'Facets', 'File', 'Received']].reverse());
    expect(stepsFor('drawing', 'cut').map((s) => s.id)).toEqual([...trunk, 'Sheet', 'Layers', 'File', 'Received']);
  });
  test('a way that ends in another part shows that part, its file and its verdict', () => {
    const { strands } = threadOf({ ...part([40, 30, 20], {}, ['fold']), made: [flatMade] }, null);
    expect(strands[0]).toMatchObject({
      made: { id: 'f' },
      form: { step: 'Unfold', figure: '120 × 80', mark: 'clear' },
      file: { figure: 'Part-flat.dxf' },
      received: { figure: 'clear' },
    });
    const before = threadOf(part([40, 30, 20], {}, ['fold']), null).strands[0];
    expect(before).toMatchObject({ made: null, form: { mark: 'none', figure: 'not unfolded yet' }, file: { mark: 'none' } });
  });
  test('a stop in the trunk cuts every strand; one in a strand only its own', () => {
    const finding = { code: 'open-edges', severity: 'stop' as const, count: 3, message: 'Not closed.', remedy: 'Close it.' };
    const stopped = threadOf({ ...part([40, 30, 20], {}, ['print', 'fold']), made: [flatMade], findings: [finding] }, null);
    expect(stopped.strands.every((s) => s.form.mark === 'none' && s.received.mark === 'none')).toBe(true);
    const failed = { state: 'failed', fileName: null, bytes: null, evidence: null, failure: null, stale: false, recipe: part([1, 1, 1]).recipe } as const;
    const { strands } = threadOf({ ...part([40, 30, 20], {}, ['print', 'fold']), made: [flatMade] }, failed);
    expect(strands.map((s) => s.file.mark)).toEqual(['stop', 'clear']);
  });
  test('the cell before the file is that of the worst step, with the others beside it', () => {
    const { strands } = threadOf(part([40, 30, 20]), null);
    expect(strands[0].form).toMatchObject({ step: 'Facets', figure: '≤ 0.08 mm' });
    expect(strands[0].form.context).toContain('down');
  });
  test('every step once', () => {
    const list = stepsOf(part([40, 30, 20], {}, ['print', 'fold', 'cut']), null).map((s) => s.step);
    expect(new Set(list).size).toBe(list.length);
    expect(list).toContain('Draw');
  });
  test('an address names a step that a kind can have, on the way that has it', () => {
    expect(stepNamed('unfold', 'solid')).toEqual({ step: 'Unfold', way: 'fold' });
    expect(stepNamed('size', 'drawing')).toEqual({ step: 'Size', way: null });
    expect(stepNamed('unfold', 'drawing')).toBeNull();
    expect(stepNamed('nothing', 'solid')).toBeNull();
  });
});

describe('what looks like folded sheet', () => {
  const frame = (at: number[], z: number[], x: number[]) => ({
    at,
    z,
    x,
    y: [z[1] * x[2] - z[2] * x[1], z[2] * x[0] - z[0] * x[2], z[0] * x[1] - z[1] * x[0]],
  });
  const plane = (at: number[], z: number[], x: number[]) => ({ surface: { kind: 'plane', frame: frame(at, z, x) }, edges: [], loops: 1 });
  const round = (r: number) => ({ surface: { kind: 'cylinder', r, frame: frame([0, 0, 0], [0, 1, 0], [1, 0, 0]) }, edges: [], loops: 1 });
  /** An angle of sheet of a thickness: two walls at a right angle round the Y axis. */
  const angle = (t: number, second = t) =>
    ({ faces: [plane([0, 0, -2], [0, 0, 1], [1, 0, 0]), plane([0, 0, -2 - t], [0, 0, -1], [1, 0, 0]), plane([2, 0, 0], [1, 0, 0], [0, 1, 0]), plane([2 + second, 0, 0], [-1, 0, 0], [0, 1, 0]), round(2), round(2 + t)] }) as never; // prettier-ignore
  test('two walls and a bend of one thickness; the mean thickness may be lower by half, not above it', () => {
    expect(sheetLike(angle(1.5), 1500, 2000)).toBe(1.5);
    expect(sheetLike(angle(1.5), 750.1, 2000)).toBe(1.5);
    expect(sheetLike(angle(1.5), 749, 2000)).toBeNull();
    expect(sheetLike(angle(1.5), 1531, 2000)).toBeNull();
  });
  test('a floor that hangs on no bend is no sheet: a printed box with round corners', () => {
    const { faces } = angle(1.5) as { faces: object[] };
    const floor = [plane([0, 0, 0], [0, 1, 0], [1, 0, 0]), plane([0, 1.5, 0], [0, -1, 0], [1, 0, 0])];
    expect(sheetLike({ faces: [...faces, ...floor] } as never, 1500, 2000)).toBeNull();
    // At another distance the two planes are no wall of the sheet.
    const ends = [plane([0, 0, 0], [0, 1, 0], [1, 0, 0]), plane([0, 40, 0], [0, -1, 0], [1, 0, 0])];
    expect(sheetLike({ faces: [...faces, ...ends] } as never, 1500, 2000)).toBe(1.5);
  });
  test('a corner that goes round both ways is no fold: two spheres about one middle, a thickness apart', () => {
    const { faces } = angle(1.5) as { faces: object[] };
    const ball = (r: number) => ({ surface: { kind: 'sphere', r, frame: frame([9, 9, 9], [0, 0, 1], [1, 0, 0]) }, edges: [], loops: 1 });
    expect(sheetLike({ faces: [...faces, ball(2), ball(3.5)] } as never, 1500, 2000)).toBeNull();
    // A dimple has radii of its own: another inner one, another step, or one ball alone.
    expect(sheetLike({ faces: [...faces, ball(5), ball(6.5)] } as never, 1500, 2000)).toBe(1.5);
    expect(sheetLike({ faces: [...faces, ball(2)] } as never, 1500, 2000)).toBe(1.5);
    expect(sheetLike({ faces: [...faces, ball(2), ball(3)] } as never, 1500, 2000)).toBe(1.5);
  });
  test('walls of two thicknesses, or no bend, or no volume: none', () => {
    expect(sheetLike(angle(1.5, 1.6), 1500, 2000)).toBeNull();
    // A difference of 0.2 % is rounding of an exporter, 0.3 % is not.
    expect(sheetLike(angle(1.5, 1.5 * 1.0019), 1500, 2000)).toBe(1.5);
    expect(sheetLike(angle(1.5, 1.5 * 1.003), 1500, 2000)).toBeNull();
    expect(sheetLike({ faces: (angle(1.5) as { faces: unknown[] }).faces.slice(0, 4) } as never, 1500, 2000)).toBeNull();
    expect(sheetLike(angle(1.5), 0, 2000)).toBeNull();
  });
});
