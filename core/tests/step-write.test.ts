/**
 * STEP files written by ourselves: the exact-geometry kernel, which had no part in them, reads the solids that were meant; the text keeps the rules of
 * ISO 10303-21; trees, names, colours, units and mirrored copies come back.
 */
import { beforeAll, describe, expect, test } from 'vitest';
import { readyReceivers } from '../src/receivers/ready.ts';
import { joinedBytes } from '../src/base/bytes.ts';
import { bodiesOfBrep, bodyOfBrep } from '../src/body/from-brep.ts';
import { bodyFigures } from '../src/body/figures.ts';
import { NotTaken, type BodyFace } from '../src/body/body.ts';
import { placedBody } from '../src/body/placed.ts';
import { openOwnStep } from '../src/formats/step/open.ts';
import { exchangeFile } from '../src/formats/step/part21.ts';
import { StepLines, stepContexts, stepEnd, stepHead, stepProduct, stepSpace } from '../src/formats/step/lines.ts';
import { exactReal } from '../src/formats/step/strings.ts';
import { stepOfPart, stepOfTree, type StepNode } from '../src/formats/step/write.ts';
import { StepBody } from '../src/formats/step/write-body.ts';
import type { Vec3 } from '../src/geometry/vector.ts';
import { identityRows, timesRows, type Rows } from '../src/geometry/rows.ts';
import { SolidBuilder } from '../src/kernel/build.ts';
import type { Kernel } from '../src/kernel/kernel.ts';
import { nodeKernels, openingKernel, workingKernel } from '../src/kernel/load.ts';
import { openStep } from '../src/kernel/open-step.ts';
import { usualChoices } from '../src/model/choices.ts';
import { assembled, provedStep } from '../src/pipeline/assembly.ts';
import { nodeTools } from '../src/pipeline/node-tools.ts';
import { makeOneFile } from '../src/pipeline/one-file.ts';
import { readDesign } from '../src/pipeline/read.ts';
import { firstRecipe } from '../src/recipe/recipe.ts';
import { curveAt, type Curve } from '../src/surfaces/curves.ts';
import { pieceOfCurve } from '../src/surfaces/nurbs.ts';
import { dataFile } from './data.ts';
import { families } from './solids.data.ts';
import { random } from './tube.data.ts';

let k: Kernel;
let b: SolidBuilder;
beforeAll(async () => {
  k = await openingKernel();
  b = new SolidBuilder(await workingKernel());
});

const grey = '#808080';
const written = (brep: string, unit: 'mm' | 'cm' | 'm' | 'in' | 'ft' = 'mm', rows: Rows = identityRows, scale = 1) =>
  joinedBytes(stepOfPart({ name: 'Hub', colour: grey, brep }, unit, rows, scale));
const textOf = (bytes: Uint8Array) => new TextDecoder().decode(bytes);
const share = (a: number, c: number) => Math.abs(a / c - 1);
const partOf = (name: string) => openOwnStep(dataFile(name), 1e-5)!.parts[0];

describe('the kernel reads what was meant', () => {
  const units = ['mm', 'cm', 'm', 'in', 'ft'] as const;
  test.each(families.map(([name, make], i) => ({ name, make, unit: units[i % 5], size: [0.8, 30, 4000][i % 3] })))('$name of $size mm, in $unit', ({ make, unit, size }) => {
    const brep = b.brep(make(b, size, 1));
    const bytes = written(brep, unit);
    const meant = openStep(k, b.step('Hub', [{ name: 'Hub', colour: grey, shape: b.fromBrep(brep), places: [[0, 0, 0]] }])).parts;
    const back = openStep(k, bytes).parts;
    expect(back).toHaveLength(meant.length);
    back.forEach((got, i) => {
      expect({ faces: got.faces, shells: got.shells }).toEqual({ faces: meant[i].faces, shells: meant[i].shells });
      // Both figures are the kernel's own sums, which settle to about a millionth.
      expect(share(got.volume, meant[i].volume)).toBeLessThan(2e-6);
      expect(share(got.area, meant[i].area)).toBeLessThan(2e-6);
      for (const c of [0, 1, 2]) expect(Math.abs(got.centre[c] - meant[i].centre[c])).toBeLessThan(size * 2e-6);
    });
    // And by ourselves, to nine digits.
    const own = openOwnStep(bytes, 1e-7)!.parts;
    bodiesOfBrep(brep).bodies.map(bodyFigures).forEach((figures, i) => {
      expect(own[i].colour).toBe(grey);
      expect(share(own[i].volume, figures.volume)).toBeLessThan(1e-9);
      expect(share(own[i].area, figures.area)).toBeLessThan(1e-9);
      for (const c of [0, 1, 2]) for (const end of ['min', 'max'] as const) expect(Math.abs(own[i].box[end][c] - figures.box[end][c])).toBeLessThan(size * 1e-9);
    });
  }); // prettier-ignore

  test.each(['screw.step', 'loft.step', 'as1-oc-214.stp', 'dm1-oc-214.stp', 'cube-in.step'])('%s, every part', (name) => {
    for (const part of openOwnStep(dataFile(name), 1e-5)!.parts) {
      const [got] = openStep(k, written(part.brep)).parts;
      expect({ faces: got.faces, shells: got.shells }).toEqual({ faces: part.faces, shells: part.shells });
      // The kernel's sums of splines are off by up to 3e-5 here; those of its own file are, too.
      expect(share(got.volume, part.volume)).toBeLessThan(5e-5);
      expect(share(got.area, part.area)).toBeLessThan(5e-5);
    }
  });

  test('a place and a scale: 25.4 times as large, a quarter turn about x, and moved', () => {
    const { brep, volume, centre } = partOf('screw.step');
    const rows: Rows = [1, 0, 0, 10, 0, 0, -1, 0, 0, 1, 0, -3];
    const [got] = openStep(k, written(brep, 'in', rows, 25.4)).parts;
    expect(share(got.volume, volume * 25.4 ** 3)).toBeLessThan(1e-5);
    [(centre[0] + 10) * 25.4, -centre[2] * 25.4, (centre[1] - 3) * 25.4].forEach((v, c) => expect(got.centre[c]).toBeCloseTo(v, 2));
  });

  test('several solids of one part are several solids of one product', () => {
    const group = b.group([b.box([0, 0, 0], [1, 2, 3]), b.cut(b.sphere([20, 0, 0], 5), b.sphere([20, 0, 0], 3))]);
    const bytes = written(b.brep(group));
    expect(textOf(bytes).match(/=(MANIFOLD_SOLID_BREP|BREP_WITH_VOIDS)\(/g)).toEqual(['=MANIFOLD_SOLID_BREP(', '=BREP_WITH_VOIDS(']);
    const volumes = openStep(k, bytes).parts.map((p) => p.volume);
    expect(volumes[0]).toBeCloseTo(6, 9);
    expect(share(volumes[1], (4 / 3) * Math.PI * (125 - 27))).toBeLessThan(1e-6);
  });
});

describe('cones and axes as the structure has them', () => {
  // Frames that the kernel's text may have and a STEP file may not: left-handed ones (mirrored), and cones that close upwards or have their zero below the tip.
  const cone = () => b.brep(b.revolved([0, 0], [{ to: [4, 0] }, { to: [1, 6] }, { to: [0, 6] }, { to: [0, 0] }]));
  const frustum = (Math.PI * 6 * (16 + 4 + 1)) / 3;
  type Cone = Extract<BodyFace['surface'], { kind: 'cone' }>;
  const minus = (v: Vec3): Vec3 => [-v[0], -v[1], -v[2]];
  const changes: [string, (s: Cone) => Partial<Cone>, boolean][] = [
    ['as it is', () => ({}), false],
    ['its axis and its angle the other way round', ({ frame: f, half }) => ({ frame: { ...f, y: minus(f.y), z: minus(f.z) }, half: -half }), false],
    ['axes left-handed', ({ frame: f }) => ({ frame: { ...f, y: minus(f.y) } }), true],
    ['its radius below 0, from a place behind the tip', ({ frame: f, r, half }) => ({ frame: { ...f, at: [0, 1, 2].map((i) => f.at[i] - (f.z[i] * 2 * r) / Math.tan(half)) as Vec3 }, r: -r }), false],
  ]; // prettier-ignore
  test.each(changes)('a frustum, %s', (_, change, turned) => {
    const body = bodyOfBrep(cone());
    let changed = 0;
    for (const face of body.faces) {
      if (face.surface.kind !== 'cone') continue;
      face.surface = { ...face.surface, ...change(face.surface) };
      face.turned = face.turned !== turned;
      changed++;
    }
    expect(changed).toBe(1);
    const lines = new StepLines();
    const text: Uint8Array[] = [stepHead('test', 'Frustum')];
    const { shape } = stepProduct(lines, stepContexts(lines), { name: 'Frustum' });
    const space = stepSpace(lines, 'mm', 1e-7);
    const writing = new StepBody(lines, body, 1).solid('Frustum');
    let step = writing.next();
    for (; !step.done; step = writing.next()) text.push(step.value);
    lines.add(`SHAPE_DEFINITION_REPRESENTATION(${shape},${lines.add(`ADVANCED_BREP_SHAPE_REPRESENTATION('',(${step.value}),${space})`)})`);
    const [got] = openStep(k, joinedBytes([...text, ...lines.rest(), stepEnd()])).parts;
    expect(share(got.volume, frustum)).toBeLessThan(1e-6);
    expect(got.faces).toBe(3);
  });
  test.each(families.map(([name, make]) => ({ name, make })))('mirrored: $name', ({ make }) => {
    for (const body of bodiesOfBrep(b.brep(make(b, 10, 2))).bodies) {
      const before = bodyFigures(structuredClone(body));
      const after = bodyFigures(placedBody(body, [1, 0, 0, 3, 0, 1, 0, 0, 0, 0, -1, 5]));
      expect(share(after.volume, before.volume)).toBeLessThan(1e-9);
      expect(share(after.area, before.area)).toBeLessThan(1e-9);
      expect(after.centre[2]).toBeCloseTo(5 - before.centre[2], 8);
      const [got] = openStep(k, written(after.brep)).parts;
      expect(share(got.volume, before.volume)).toBeLessThan(2e-6);
      expect(got.centre[2]).toBeCloseTo(after.centre[2], 4);
    }
  });
  test('a place that scales is none', () => {
    expect(() => placedBody(bodyOfBrep(cone()), [2, 0, 0, 0, 0, 2, 0, 0, 0, 0, 2, 0])).toThrow(NotTaken);
  });
});

describe('the text keeps the rules of ISO 10303-21', () => {
  test('every name once, every reference to one that is there; parts of complex instances by the alphabet; reals with a point', () => {
    const text = textOf(written(partOf('dm1-oc-214.stp').brep, 'in'));
    const data = text.slice(text.indexOf('DATA;') + 6, text.lastIndexOf('ENDSEC;'));
    const lines = data.trim().split('\n');
    const names = new Set<string>();
    for (const line of lines) {
      const [, name, rest] = /^(#\d+)=(.*);$/.exec(line)!;
      expect(names.has(name)).toBe(false);
      names.add(name);
      if (rest.startsWith('(')) {
        const types = [...rest.slice(1).matchAll(/(?<![A-Z0-9_,])([A-Z][A-Z0-9_]+)\(/g)].map((m) => m[1]).filter((t) => !/^(LENGTH|PLANE_ANGLE)_MEASURE$/.test(t));
        expect(types).toEqual([...types].sort());
      }
      for (const [number] of rest.replace(/'[^']*'/g, '').matchAll(/(?<![#\w.])-?\d[\d.]*(E[+-]?\d+)?/g)) if (!/^\d+$/.test(number)) expect(number).toContain('.');
    }
    for (const [ref] of data.matchAll(/#\d+/g)) expect(names.has(ref)).toBe(true);
    const file = exchangeFile(new TextEncoder().encode(text));
    expect([file.damage.count, file.broken.count]).toEqual([0, 0]);
  }); // prettier-ignore
  test('any real comes back as it was', () => {
    const next = random(7);
    for (const v of [0, -0, 1, -1, 1e-300, 1e21, 123456789012345680000, 0.1, 5e-324, ...Array.from({ length: 500 }, () => (next() - 0.5) * 10 ** Math.floor(next() * 60 - 30))]) {
      const text = exactReal(v);
      expect(text).toMatch(/^-?\d+\.\d*(E[+-]?\d+)?$/);
      expect(Number(text) === v).toBe(true);
    }
  }); // prettier-ignore
  test('names of all letters, a part number of its own, no colour where there is none; the same input gives the same bytes', () => {
    const { brep } = partOf('cube-in.step');
    const make = () => joinedBytes(stepOfPart({ name: "Mühle 'O' \\ 風", partNumber: 'WS-7', colour: null, brep }, 'mm'));
    const [got] = openStep(k, make()).parts;
    expect(got.name).toBe("Mühle 'O' \\ 風");
    expect(got.colour).toBeNull();
    expect(textOf(make())).toContain("PRODUCT('WS-7',");
    expect(textOf(make())).not.toContain('STYLED_ITEM');
    expect(make()).toEqual(make());
    expect(() => stepOfPart({ name: 'x', colour: 'red', brep }, 'mm')).toThrow(RangeError);
  });
});

describe('a piece of a spline', () => {
  const next = random(3);
  const curve = (degree: number, count: number, rational: boolean): Extract<Curve, { kind: 'bspline' }> => {
    const inner = Array.from({ length: count - degree - 1 }, () => next()).sort((x, y) => x - y);
    const knots = Float64Array.from([...Array<number>(degree + 1).fill(0), ...inner, ...Array<number>(degree + 1).fill(1)]);
    return { kind: 'bspline', degree, knots, poles: Float64Array.from({ length: 3 * count }, () => next() * 10), weights: rational ? Float64Array.from({ length: count }, () => 0.5 + next()) : null };
  }; // prettier-ignore
  test.each([1, 2, 3, 5])('degree %d: at every parameter it is where the whole one is', (degree) => {
    for (const rational of [false, true]) {
      const whole = curve(degree, degree + 5, rational);
      const inner = whole.knots[degree + 2];
      for (const [from, to] of [[0, 0.4], [0.3, 1], [0.21, 0.22], [inner, 1], [0, inner], [0, 1]]) {
        const piece = { ...whole, ...pieceOfCurve(whole, from, to) };
        expect([piece.knots[0], piece.knots[degree], piece.knots.at(-1)]).toEqual([from, from, to]);
        for (let i = 0; i <= 20; i++) {
          const t = from + ((to - from) * i) / 20;
          const [p, q] = [curveAt(whole, t).at, curveAt(piece, t).at];
          expect(Math.hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2])).toBeLessThan(1e-11);
        }
      }
    }
  }); // prettier-ignore
});

describe('assemblies', () => {
  const hub = () => b.brep(b.joined(b.box([0, 0, 0], [10, 4, 2]), b.cylinder([8, 2, 0], [0, 0, 1], 1, 6)));
  const flipped: Rows = [1, 0, 0, 40, 0, -1, 0, 7, 0, 0, 1, 0];
  const tree: StepNode = {
    name: 'Station',
    children: [{ name: 'Arm', children: [], parts: [{ index: 0, rows: [0, -1, 0, 5, 1, 0, 0, 6, 0, 0, 1, 7] }] }],
    parts: [
      { index: 0, rows: identityRows },
      { index: 0, rows: flipped },
      { index: 1, rows: [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 30] },
    ],
  };
  test('tree, places and a mirrored copy, read by the kernel', () => {
    const parts = [
      { name: 'Hub', colour: '#ff0000', brep: hub() },
      { name: 'Ball', colour: null, brep: b.brep(b.sphere([0, 0, 0], 3)) },
    ];
    const bytes = joinedBytes(stepOfTree(tree, parts));
    const opened = openStep(k, bytes);
    expect(opened.parts.map((p) => [p.name, p.quantity, p.colour])).toEqual(expect.arrayContaining([['Ball', 1, null]]));
    expect(opened.parts.reduce((n, p) => n + p.quantity, 0)).toBe(4);
    // Where each copy's middle lies: by the kernel's own places and middles, against those of the parts that were meant.
    const middle = ({ centre }: { centre: readonly number[] }, m: Rows) => [0, 1, 2].map((r) => m[4 * r] * centre[0] + m[4 * r + 1] * centre[1] + m[4 * r + 2] * centre[2] + m[4 * r + 3]);
    const got = opened.parts.flatMap((p) => p.places.map((m) => middle(p, m).map((v) => (Math.round(v * 1e4) / 1e4 + 0).toFixed(4)).join(' '))).sort();
    const own = bodyFigures(bodyOfBrep(parts[0].brep));
    const meant = [tree.children[0].parts[0].rows, identityRows, flipped].map((m) => middle(own, m).map((v) => (Math.round(v * 1e4) / 1e4 + 0).toFixed(4)).join(' '));
    expect(got).toEqual([...meant, '0.0000 0.0000 30.0000'].sort());
    expect(textOf(bytes).match(/=PRODUCT\('[^']*','[^']*'/g)).toEqual(["=PRODUCT('Hub','Hub'", "=PRODUCT('Arm','Arm'", "=PRODUCT('Hub (2)','Hub'", "=PRODUCT('Ball','Ball'", "=PRODUCT('Station','Station'"]);
  }); // prettier-ignore
  test('designs with a mirrored copy: proved, and told apart from the same copy turned', async () => {
    const design = await readDesign(joinedBytes(stepOfPart({ name: 'Hub', colour: '#ff0000', brep: hub() }, 'mm')), 'hub.step', nodeKernels, usualChoices);
    const [part] = design.parts;
    const at = (places: Rows[]) => ({ ...design, parts: [{ ...part, summary: { ...part.summary, places, quantity: places.length } }] });
    const mirrored = await assembled([at([flipped])], null, 'Station', nodeKernels);
    expect(mirrored.evidence.claims.filter((c) => c.verdict === 'stop').map((c) => c.quantity)).toEqual([]);
    // The same bytes held against the copy turned half round instead of mirrored.
    const turned = at([timesRows(flipped, [-1, 0, 0, 10, 0, 1, 0, 0, 0, 0, 1, 0])]);
    const wrong = provedStep([turned], 'Station', await readDesign(mirrored.bytes, 'a.step', nodeKernels, usualChoices));
    expect(wrong.claims.find((c) => c.quantity === 'Corners of the faces')!.verdict).toBe('stop');
  });
});

describe('a file of one part', () => {
  const keep = (_: string, pieces: Iterable<Uint8Array>) => Promise.resolve(joinedBytes(pieces));
  test('written and read without a kernel; facets of what was read are another mesher’s', async () => {
    const [part] = (await readDesign(dataFile('screw.step'), 'screw.step', nodeKernels, usualChoices)).parts;
    const none = () => Promise.reject(new Error('a kernel was asked for'));
    const receiver = readyReceivers.find((r) => r.formats.includes('step'))!;
    const recipe = { ...firstRecipe(part.summary, readyReceivers), receiver };
    recipe.file = { ...recipe.file, format: 'step' };
    const { bytes, evidence } = await makeOneFile(part, recipe, { ...nodeTools, kernels: { opening: none, working: workingKernel }, working: none }, keep);
    expect(evidence.verdict).toBe('clear');
    expect(openStep(k, bytes).parts[0].faces).toBe(part.summary.faces);
    expect(textOf(bytes)).toContain('geometric validation property');
  }); // prettier-ignore
  test('of a torus that crosses itself it is said which part is meant: the head of the screw is of the core', () => {
    const file = dataFile('screw.step').toString('latin1');
    expect(file).toContain("TOROIDAL_SURFACE('',#82,8.25,54.873718663856)");
    // A corner of that face stands 1.25 mm from the axis and 54.045 mm along it (by hand from the file): on the circle about the place 8.25 mm beyond the axis.
    expect(Math.hypot(1.25 + 8.25, 7.731450038723 + 46.31367)).toBeCloseTo(54.873718663856, 6);
    const said = [...textOf(written(partOf('screw.step').brep)).matchAll(/=DEGENERATE_TOROIDAL_SURFACE\('',#\d+,8\.25,54\.873718663856,(\.[TF]\.)\)/g)];
    expect(said.map((m) => m[1])).toEqual(['.F.', '.F.', '.F.']);
  });
});
