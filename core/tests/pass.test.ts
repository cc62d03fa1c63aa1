import { beforeAll, describe, expect, test } from 'vitest';
import { evidencePage } from '../src/prove/page.ts';
import { readDesign } from '../src/pipeline/read.ts';
import type { DesignPart } from '../src/model/design.ts';
import { turnAbout } from '../src/geometry/placement.ts';
import { SolidBuilder } from '../src/kernel/build.ts';
import { nodeKernels, workingKernel } from '../src/kernel/load.ts';
import { stepsOf } from '../src/steps/registry.ts';
import { prove } from '../src/prove/prove.ts';
import { writePart } from '../src/pipeline/write-part.ts';
import { fileNameOf, firstRecipe, safeFileName, type Recipe } from '../src/recipe/recipe.ts';
import { recipeSchema } from '../src/recipe/schema.ts';
import { receiveStl } from '../src/processes/printer.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { dataFile } from './data.ts';

let part: DesignPart;
let mesh: DesignPart;

beforeAll(async () => {
  const b = new SolidBuilder(await workingKernel());
  // An L with a hole, unlike itself from every side, so that a stance can be told.
  const angle = b.joined(b.box([0, 0, 0], [40, 24, 6]), b.box([0, 0, 0], [6, 24, 30]));
  const shape = b.cut(angle, b.cylinder([25, 12, -1], [0, 0, 1], 5, 20));
  part = (await readDesign(b.step('Angle', [{ name: 'Angle', colour: '#808080', shape, places: [[0, 0, 0]] }]), 'angle.step', nodeKernels)).parts[0];
  mesh = (await readDesign(dataFile('Helix.stl'), 'Helix.stl', nodeKernels)).parts[0];
});

async function run(of: DesignPart, change: (r: Recipe) => void = () => {}, spoil: (bytes: Buffer) => Buffer = (b) => b) {
  const recipe = structuredClone(firstRecipe(of.summary, readyReceivers));
  change(recipe);
  const { pieces, designed, fileName } = await writePart(of.summary, of.geometry, recipe, workingKernel);
  const bytes = Buffer.concat([...pieces]);
  const receiver = recipe.receiver;
  const evidence = prove(designed, receiveStl(spoil(bytes), receiver));
  const stopped = evidence.claims.filter((c) => c.verdict === 'stop').map((c) => c.quantity);
  return { evidence, stopped, fileName, bytes };
}

describe('an honest file is clear in every claim', () => {
  test('solid, as modelled and turned, binary and ASCII', async () => {
    for (const encoding of ['binary', 'ascii'] as const) {
      for (const turn of [turnAbout([0, 0, 1], 0), turnAbout([1, 0, 0], Math.PI / 2), turnAbout([0.6, 0.8, 0], 0.9)]) {
        const { stopped, evidence } = await run(part, (r) => {
          r.file.encoding = encoding;
          r.stance = { turn, drop: true, how: 'turned' };
          r.facets.deviation = 0.02;
        });
        expect(stopped).toEqual([]);
        const deviation = evidence.claims.find((c) => c.quantity === 'Deviation')!;
        expect(deviation.received).toBeGreaterThan(0.001);
        expect(deviation.received).toBeLessThanOrEqual(0.02);
      }
    }
  });
  test('mesh, read as inches: 25.4 times the size, every corner where it was meant', async () => {
    const { stopped, evidence } = await run(mesh, (r) => (r.size.reading = 'in'));
    expect(stopped).toEqual([]);
    expect(evidence.claims[0].received as number).toBeCloseTo(2540, 2);
    // It is too large for the bed, and the stand-in says so.
    expect(evidence.findings.map((f) => f.code)).toContain('off-the-bed');
  });
});

describe('a file that is wrong cannot pass', () => {
  const float = (b: Buffer, triangle: number, k: number, edit: (v: number) => number) =>
    b.writeFloatLE(edit(b.readFloatLE(84 + 50 * triangle + 12 + 4 * k)), 84 + 50 * triangle + 12 + 4 * k);
  const every = (b: Buffer, edit: (xyz: number[]) => number[]) => {
    for (let i = 0; i < b.readUInt32LE(80); i++) {
      for (let c = 0; c < 9; c += 3) {
        const at = 84 + 50 * i + 12 + 4 * c;
        edit([0, 4, 8].map((o) => b.readFloatLE(at + o))).forEach((v, k) => b.writeFloatLE(v, at + 4 * k));
      }
    }
    return b;
  };
  test('numbers in inches, which the printer takes for mm: sizes, volume and area stop', async () => {
    const { stopped, evidence } = await run(part, (r) => (r.file.unit = 'in'));
    expect(stopped).toEqual(expect.arrayContaining(['Length X', 'Width Y', 'Height Z', 'Volume', 'Area', 'Deviation']));
    expect((evidence.claims[0].designed as number) / (evidence.claims[0].received as number)).toBeCloseTo(25.4, 3);
  });
  test('a triangle lost: not closed, other count, other length', async () => {
    const spoil = (b: Buffer) => {
      const cut = Buffer.from(b.subarray(0, b.length - 50));
      cut.writeUInt32LE(b.readUInt32LE(80) - 1, 80);
      return cut;
    };
    expect((await run(part, undefined, spoil)).stopped).toEqual(expect.arrayContaining(['Closed', 'Deviation', 'File length']));
  });
  test('one corner moved by 0.3 mm: open, and beyond the deviation', async () => {
    const spoil = (b: Buffer) => ([0, 1, 2].forEach((k) => float(b, 9, k, (v) => v + 0.3)), b);
    expect((await run(part, undefined, spoil)).stopped).toEqual(expect.arrayContaining(['Closed', 'Deviation']));
    expect((await run(mesh, undefined, spoil)).stopped).toEqual(expect.arrayContaining(['Closed', 'Deviation']));
  });
  test('laid on another side: the sizes may swap, and the side down is another', async () => {
    const spoil = (b: Buffer) => every(b, ([x, y, z]) => [x, -z, y]);
    expect((await run(part, undefined, spoil)).stopped).toEqual(expect.arrayContaining(['Side down', 'Deviation']));
  });
  test('upside down, where no size changes, is still found', async () => {
    const spoil = (b: Buffer) => every(b, ([x, y, z]) => [x, 24 - y, 30 - z]);
    const { stopped } = await run(part, undefined, spoil);
    expect(stopped).toEqual(expect.arrayContaining(['Side down', 'Deviation']));
    expect(stopped).not.toContain('Height Z');
  });
  test('mirrored: the volume turns negative', async () => {
    const spoil = (b: Buffer) => every(b, ([x, y, z]) => [x, 24 - y, z]);
    expect((await run(part, undefined, spoil)).stopped).toContain('Volume');
  });
});

describe('recipes, names and pages', () => {
  test('the first recipe passes its own schema; a bad figure names its limit', () => {
    const recipe = firstRecipe(part.summary, readyReceivers);
    expect(recipeSchema.validate(recipe).error).toBeUndefined();
    expect(recipeSchema.validate({ ...recipe, facets: { ...recipe.facets, deviation: 0 } }).error!.message).toContain('at least 0.001 mm');
    expect(recipeSchema.validate({ ...recipe, receiver: 'none' }).error).toBeDefined();
  });
  test('file names are safe on every operating system and carry the unit', () => {
    expect(fileNameOf({ name: 'Clamp half' }, firstRecipe(part.summary, readyReceivers))).toBe('Clamp-half_mm.stl');
    for (const bad of ['../../etc/passwd', 'a\\b:c*d?', 'CON', '...', '', 'x\u0000y', 'name.']) {
      expect(safeFileName(bad)).toMatch(/^[^\\/:*?"<>|\0]+$/);
      expect(safeFileName(bad)).not.toMatch(/^\.|[. ]$|^(con|nul)$/i);
    }
  });
  test('a budget is met or refused with a sentence', async () => {
    const { evidence, stopped } = await run(part, (r) => (r.facets.budget = { kind: 'triangles', most: 200 }));
    expect(stopped).toEqual([]);
    expect(evidence.claims.find((c) => c.quantity === 'Triangles')!.received as number).toBeLessThanOrEqual(200);
    await expect(run(part, (r) => (r.facets.budget = { kind: 'triangles', most: 8 }))).rejects.toMatchObject({ code: 'budget-too-small' });
  });
  test('the ledger stops a tiny unitless part at Size and reaches nothing after it', () => {
    const summary = { ...mesh.summary, box: { min: [0, 0, 0], max: [0.87, 0.87, 0.55] } as never };
    const steps = stepsOf({ summary, findings: [], recipe: firstRecipe(summary, readyReceivers), quantity: 1 }, null);
    expect(steps.filter((s) => s.column !== null).map((s) => s.mark)).toEqual(['clear', 'stop', 'none', 'none', 'none', 'none', 'none']);
    const read = { ...firstRecipe(summary, readyReceivers), size: { reading: 'in', factor: 1 } };
    expect(stepsOf({ summary, findings: [], recipe: read, quantity: 1 }, null)[1]).toMatchObject({ mark: 'clear', figure: '22.1 × 22.1 × 14.0' });
  });
  test('the page for print escapes what people typed', async () => {
    const { evidence } = await run(part);
    const page = evidencePage({
      job: '<b>job</b>',
      part: 'a & "b"',
      quantity: 2,
      source: { file: '<script>', sha256: 'x' },
      file: { name: 'f.stl', bytes: 1, sha256: 'y', written: '2026-01-02T03:04:05Z' },
      ...evidence,
    });
    expect(page).not.toMatch(/<script>|<b>job/);
    expect(page).toContain('Length X');
  });
});
