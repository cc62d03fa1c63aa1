import { describe, expect, test } from 'vitest';
import { openStep } from '../src/kernel/open-step.ts';
import { SolidBuilder } from '../src/kernel/build.ts';
import type { Kernel } from '../src/kernel/kernel.ts';
import { openingKernel, nodeKernels, workingKernel } from '../src/kernel/load.ts';
import { openExact } from '../src/formats/exact.ts';
import { openOwnIges } from '../src/formats/iges/open.ts';
import { openOwnStep } from '../src/formats/step/open.ts';
import { readDesign } from '../src/pipeline/read.ts';
import { usualChoices } from '../src/model/choices.ts';
import type { OpenedStep } from '../src/model/opened.ts';
import { Unusable } from '../src/base/finding.ts';
import { dataFile } from './data.ts';
import { random } from './tube.data.ts';
import { IgesText, real } from './iges.data.ts';
import { families } from './solids.data.ts';

/** Opened by ourselves; the reason in its place where the kernel has to. */
function own(bytes: Uint8Array, choices = usualChoices): OpenedStep {
  let reason = '';
  const opened = openOwnIges(bytes, choices, (r) => (reason = r));
  if (!opened) throw new Error(`left to the kernel: ${reason}`);
  return opened;
}
function whyNot(bytes: Uint8Array): string {
  let reason = '';
  expect(openOwnIges(bytes, usualChoices, (r) => (reason = r))).toBeNull();
  return reason;
}
const volumes = (o: OpenedStep) => o.parts.map((p) => p.volume);
const codes = (o: OpenedStep) => o.findings.map((f) => `${f.code} ${f.count}`);

/** An IGES file by the kernel: as solids of shared edges (mode 1), or as loose faces (0). */
function igesBy(k: Kernel, breps: readonly string[], mode: number, unit: string): Uint8Array {
  const writer = new k.IGESControl_Writer_2(unit, mode);
  for (const brep of breps) {
    const shape = new k.TopoDS_Shape();
    k.FS.writeFile('/a.brep', brep);
    k.BRepTools.Read_2(shape, '/a.brep', new k.BRep_Builder(), new k.Message_ProgressRange_1());
    writer.AddShape(shape, new k.Message_ProgressRange_1());
  }
  writer.ComputeModel();
  writer.Write_2('/o.igs', false);
  return k.FS.readFile('/o.igs') as Uint8Array;
}

describe('files that another program wrote: solids and loose faces of the same designs as from STEP', () => {
  test.each(['screw.step', 'as1-oc-214.stp', 'dm1-oc-214.stp', 'loft.step', 'cube-in.step'])('%s', async (name) => {
    const k = await openingKernel();
    const step = openOwnStep(dataFile(name), 1e-5)!;
    for (const [mode, unit, mm] of [[1, 'MM', 1], [0, 'MM', 1], [0, 'IN', 1]] as const) {
      const opened = own(igesBy(k, step.parts.map((p) => p.brep), mode, unit));
      expect(opened.parts).toHaveLength(step.parts.length);
      opened.parts.forEach((part, i) => {
        const other = step.parts[i];
        expect(part.faces).toBe(other.faces);
        // Loose faces: the kernel writes lengths with about ten digits, curves on both sides of an edge apart by 1e-7.
        expect(Math.abs(part.volume / other.volume - mm)).toBeLessThan(mode === 1 ? 1e-9 : 2e-7);
        expect(Math.abs(part.area / other.area - mm)).toBeLessThan(mode === 1 ? 1e-9 : 1e-6);
        for (let c = 0; c < 3; c++) expect(Math.abs(part.box.min[c] - other.box.min[c]) + Math.abs(part.box.max[c] - other.box.max[c])).toBeLessThan(2e-5);
      });
      expect(codes(opened)).toEqual(mode === 1 ? [] : [`sewn ${step.parts.length}`]);
    }
  }); // prettier-ignore
});

describe('sixty solids of twenty kinds, from a millimetre to thirty metres, as solids and as loose faces', () => {
  test.each(families.map(([name, make]) => ({ name, make })))('$name', async ({ name, make }) => {
    const [k, b] = [await openingKernel(), new SolidBuilder(await workingKernel())];
    // At 30 m the kernel writes the meeting of the two cylinders with knots that fall into one by their digits: left to it.
    for (const [i, size] of (name === 'two cylinders across' ? [1, 170] : [1, 170, 30_000]).entries()) {
      const shape = make(b, size, i * 2);
      const known = openOwnStep(b.step(name, [{ name, colour: '#808080', shape, places: [[0, 0, 0]] }]), 1e-5)!.parts;
      for (const mode of [0, 1]) {
        const { parts } = own(igesBy(k, [b.brep(shape)], mode, ['MM', 'IN', 'M'][i]));
        expect([size, mode, parts.map((p) => [p.faces, p.shells])]).toEqual([size, mode, known.map((p) => [p.faces, p.shells])]);
        parts.forEach((part, n) => {
          expect(Math.abs(part.volume / known[n].volume - 1)).toBeLessThan(2e-7);
          expect(Math.abs(part.area / known[n].area - 1)).toBeLessThan(1e-6);
          expect(Math.hypot(...part.centre.map((x, c) => x - known[n].centre[c]))).toBeLessThan(1e-6 * size);
        });
      }
    }
  });
});

describe('faces by hand, against figures in closed form and against the kernel', () => {
  test('a block of six loose squares in inches is one solid; group by group, two blocks that touch stay two', async () => {
    const file = new IgesText();
    file.block([0, 0, 0], [1, 2, 3]);
    const opened = own(file.bytes({ flag: 1 }));
    expect(volumes(opened)[0] / (6 * 25.4 ** 3)).toBeCloseTo(1, 12);
    expect(codes(opened)).toEqual(['sewn 1']);
    const two = new IgesText();
    const groups = [two.block([0, 0, 0], [10, 10, 10]), two.block([10, 0, 0], [10, 10, 10])];
    groups.forEach((ids, i) => two.add(402, [ids.length, ...ids, 0, 1, two.name(`Half ${i + 1}`)], { form: 7 }));
    expect(own(two.bytes()).parts.map((p) => `${p.name} ${p.volume.toFixed(6)}`)).toEqual(['Half 1 1000.000000', 'Half 2 1000.000000']);
    // Without groups four faces meet in the edges between them: not ours to tell.
    const none = new IgesText();
    none.block([0, 0, 0], [10, 10, 10]);
    none.block([10, 0, 0], [10, 10, 10]);
    expect(whyNot(none.bytes())).toBe('not-sewn');
  });

  test('a block with a face less stays open, whole where surfaces are not wanted', async () => {
    const file = new IgesText();
    file.block([0, 0, 0], [10, 20, 30], { but: 3 });
    const opened = own(file.bytes());
    expect(opened.parts).toHaveLength(0);
    expect(codes(opened)).toEqual(['surfaces-open 1', 'no-solids 1']);
    expect(opened.surfaces[0]).toMatchObject({ faces: 5 });
    expect(opened.surfaces[0].span).toBeCloseTo(Math.hypot(10, 20, 30), 9);
    const design = await readDesign(file.bytes(), 'tray.igs', nodeKernels);
    expect(design.parts[0].summary).toMatchObject({ kind: 'mesh', openEdges: 4 });
    expect(design.parts[0].summary.area).toBeCloseTo(2 * (200 + 300 + 600) - 300, 6);
    expect(codes(own(file.bytes(), { ...usualChoices, surfaces: false }))).toEqual(['loose-faces 5', 'no-solids 1']);
  });

  test('an open bowl as a mesh, by no kernel: as near to its area at a twentieth of a millimetre as at 50 m', async () => {
    const none = () => Promise.reject(new Error('no kernel is needed'));
    for (const r of [0.05, 20, 50_000]) {
      const file = new IgesText();
      const matrix = file.matrix([1, 0, 0, 0, 0, 0, -1, 0, 0, 1, 0, 0]);
      file.add(120, [file.line([0, 0, -1], [0, 0, 1]), file.arc(0, [0, 0], [0, -r], [r, 0], { matrix }), real(0), real(2 * Math.PI)]);
      const { parts } = await readDesign(file.bytes(), 'bowl.igs', { opening: none, working: none });
      expect(parts[0].summary).toMatchObject({ kind: 'mesh', nonManifoldEdges: 0, flippedEdges: 0 });
      // A thousandth of the size off at most: less than a hundredth of the area.
      expect(Math.abs(parts[0].summary.area / (2 * Math.PI * r * r) - 1)).toBeLessThan(0.01);
    }
  });

  test('an edge that lies along two of its neighbour is divided at their ends', async () => {
    const file = new IgesText();
    file.block([0, 0, 0], [10, 10, 10], { but: 5 });
    // The top in three pieces: edges of the sides are twice and thrice as long.
    file.polygon([[0, 0, 10], [4, 0, 10], [4, 10, 10], [0, 10, 10]]);
    file.polygon([[4, 0, 10], [10, 0, 10], [10, 5, 10], [4, 5, 10]]);
    file.polygon([[4, 5, 10], [10, 5, 10], [10, 10, 10], [4, 10, 10]]);
    const opened = own(file.bytes());
    expect(volumes(opened)[0]).toBeCloseTo(1000, 9);
    expect(opened.parts[0].faces).toBe(8);
  }); // prettier-ignore

  test('bounded surfaces (143) whose curves are gone along either way', () => {
    const file = new IgesText();
    file.block([0, 0, 0], [10, 10, 10], { but: 5 });
    const surface = file.plane([0, 0, 1], 10);
    const [a, b, c, d] = [[0, 0, 10], [10, 0, 10], [10, 10, 10], [0, 10, 10]] as const; // prettier-ignore
    const lines = [file.line(a, b), file.line(c, b), file.line(c, d), file.line(a, d)];
    const bound = file.add(141, [0, 2, surface, 4, ...lines.flatMap((l, i) => [l, i % 2 === 0 ? 1 : 2, 0])], { status: '00010000' });
    file.add(143, [0, surface, 1, bound]);
    expect(volumes(own(file.bytes()))[0]).toBeCloseTo(1000, 9);
  });

  test('a plate with a hole: the inner bound lies either way round, the wall is a tabulated cylinder without bounds', async () => {
    for (const start of [0, 1]) {
      const file = new IgesText();
      const [r, h] = [3, 5];
      const rim = (z: number) => (start === 0 ? file.arc(z, [0, 0], [r, 0], [r, 0]) : file.chain([file.arc(z, [0, 0], [0, r], [0, -r]), file.arc(z, [0, 0], [0, -r], [0, r])])); // prettier-ignore
      const square = (z: number) => file.ring([[-10, -10, z], [10, -10, z], [10, 10, z], [-10, 10, z]]); // prettier-ignore
      for (const z of [0, h]) file.trimmed(file.plane([0, 0, 1], z), square(z), [rim(z)]);
      for (const [a, b] of [[[-10, -10], [10, -10]], [[10, -10], [10, 10]], [[10, 10], [-10, 10]], [[-10, 10], [-10, -10]]]) file.polygon([[a[0], a[1], 0], [b[0], b[1], 0], [b[0], b[1], h], [a[0], a[1], h]]); // prettier-ignore
      // The wall begins where the rims do, or a quarter turn away from there.
      file.add(122, [file.arc(0, [0, 0], [r, 0], [r, 0]), ...[r, 0, h].map(real)]);
      const opened = own(file.bytes());
      expect(volumes(opened)[0] / ((400 - Math.PI * r * r) * h)).toBeCloseTo(1, 10);
    }
  });

  test('an elliptic post: conic arcs (104) as bounds and as the directrix', async () => {
    const file = new IgesText();
    const [a, b, h] = [4, 7, 11];
    // x2/a2 + y2/b2 = 1, from (a, 0) round to (a, 0).
    const conic = (z: number) => file.add(104, [...[1 / (a * a), 0, 1 / (b * b), 0, 0, -1, z, a, 0, a, 0].map(real)], { form: 1, status: '00010000' });
    for (const z of [0, h]) file.trimmed(file.plane([0, 0, 1], z), conic(z));
    file.add(122, [conic(0), ...[a, 0, h].map(real)]);
    const [part] = own(file.bytes()).parts;
    expect(part.volume / (Math.PI * a * b * h)).toBeCloseTo(1, 9);
    expect(part.box.max.map((x) => x.toFixed(6))).toEqual(['4.000000', '7.000000', '11.000000']);
  });

  test('a bowl turned about an axis (120), open at its rim, closed by a plane; the same mirrored by its matrix', async () => {
    for (const mirror of [1, -1]) {
      const file = new IgesText();
      const r = 8;
      const matrix = file.matrix([mirror, 0, 0, 0, 0, 0, -1, 0, 0, 1, 0, 0]);
      // A quarter circle in the plane of x and z, from the lowest point to the rim.
      const profile = file.arc(0, [0, 0], [0, -r], [r, 0], { matrix });
      const axis = file.line([0, 0, -20], [0, 0, 20]);
      file.add(120, [axis, profile, real(0), real(2 * Math.PI)]);
      file.trimmed(file.plane([0, 0, 1], 0), file.arc(0, [0, 0], [mirror * r, 0], [mirror * r, 0]));
      const [part] = own(file.bytes()).parts;
      expect(part.volume / ((2 / 3) * Math.PI * r ** 3)).toBeCloseTo(1, 9);
      expect(part.area / (3 * Math.PI * r * r)).toBeCloseTo(1, 9);
    }
  });

  test('a prism of polylines (106) with a ruled side (118) and a parametric cubic (112)', async () => {
    const file = new IgesText();
    const h = 4;
    // y = x (10 - x) / 10 over x from 0 to 10: a parabola in one cubic piece; the area below it is 1000 / 60.
    const bow = (z: number) => file.add(112, [3, 2, 3, 1, ...[0, 10, 0, 1, 0, 0, 0, 1, -0.1, 0, z, 0, 0, 0].map(real)], { status: '00010000' });
    const back = (z: number) => file.add(106, [1, 3, real(z), ...[10, 0, 5, -3, 0, 0].map(real)], { form: 11, status: '00010000' });
    for (const z of [0, h]) file.trimmed(file.plane([0, 0, 1], z), file.chain([bow(z), back(z)]));
    file.add(118, [bow(0), bow(h), 0, 0], { form: 1 });
    for (const [a, b] of [[[10, 0], [5, -3]], [[5, -3], [0, 0]]]) file.add(118, [file.line([a[0], a[1], 0], [b[0], b[1], 0]), file.line([b[0], b[1], h], [a[0], a[1], h]), 1, 0]); // prettier-ignore
    const [part] = own(file.bytes()).parts;
    expect(part.volume / ((1000 / 60 + 15) * h)).toBeCloseTo(1, 9);
  });

  test('a ball of a half circle turned right round, without bounds; a ring of a whole one', () => {
    const file = new IgesText();
    const matrix = file.matrix([1, 0, 0, 0, 0, 0, -1, 0, 0, 1, 0, 0]);
    const axis = file.line([0, 0, -20], [0, 0, 20]);
    file.add(120, [axis, file.arc(0, [0, 0], [0, -5], [0, 5], { matrix }), real(0), real(2 * Math.PI)]);
    expect(volumes(own(file.bytes()))[0] / ((4 / 3) * Math.PI * 125)).toBeCloseTo(1, 9);
    const ring = new IgesText();
    const up = ring.matrix([1, 0, 0, 0, 0, 0, -1, 0, 0, 1, 0, 0]);
    ring.add(120, [ring.line([0, 0, 0], [0, 0, 1]), ring.arc(0, [9, 0], [11, 0], [11, 0], { matrix: up }), real(0), real(2 * Math.PI)]);
    expect(volumes(own(ring.bytes()))[0] / (2 * Math.PI ** 2 * 9 * 4)).toBeCloseTo(1, 9);
  });

  test('a shell within another one is a hollow of it, however it lies in the file; beside it, it is a solid', () => {
    for (const first of [true, false]) {
      const file = new IgesText();
      const hollow = () => file.block([3, 3, 3], [2, 2, 2]);
      if (first) hollow();
      file.block([0, 0, 0], [10, 10, 10]);
      if (!first) hollow();
      file.block([20, 0, 0], [1, 1, 1]);
      const opened = own(file.bytes());
      expect(volumes(opened).map((v) => Math.round(v)).sort((a, b) => a - b)).toEqual([1, 992]); // prettier-ignore
      expect(opened.parts.map((p) => p.shells).sort()).toEqual([1, 2]);
      expect(opened.findings[0].message).toMatch(/2 of what came of them are closed solids, with 1 hollow in them/);
    }
  });

  test('a part in a hollow is a part: 1,000 less 216, and 8 within', () => {
    const file = new IgesText();
    file.block([4, 4, 4], [2, 2, 2]);
    file.block([0, 0, 0], [10, 10, 10]);
    file.block([2, 2, 2], [6, 6, 6]);
    const opened = own(file.bytes());
    expect(opened.parts.map((p) => [Math.round(p.volume), p.shells]).sort((a, b) => a[0] - b[0])).toEqual([[8, 1], [784, 2]]); // prettier-ignore
  });

  test('groups without names, or of the same one: shells of one solid; of different names: parts', () => {
    const nested = (...names: (string | null)[]) => {
      const file = new IgesText();
      [[0, 10], [4, 2]].forEach(([at, size], i) => {
        const ids = file.block([at, at, at], [size, size, size]);
        file.add(402, [ids.length, ...ids, ...(names[i] === null ? [] : [0, 1, file.name(names[i]!)])], { form: 7 });
      });
      return volumes(own(file.bytes())).map(Math.round);
    };
    expect(nested(null, null)).toEqual([992]);
    expect(nested('Case', 'Case')).toEqual([992]);
    expect(nested('Case', 'Core')).toEqual([1000, 8]);
  }); // prettier-ignore

  test('a face that is there twice is told to nobody as a solid', () => {
    const file = new IgesText();
    file.block([0, 0, 0], [10, 10, 10]);
    file.polygon([[0, 0, 0], [10, 0, 0], [10, 10, 0], [0, 10, 0]]); // prettier-ignore
    expect(whyNot(file.bytes())).toBe('not-sewn');
  });

  test('solids not wanted are left out and told', () => {
    const file = new IgesText();
    file.solidBlock([0, 0, 0], [1, 1, 1]);
    file.block([5, 0, 0], [1, 1, 1], { but: 2 });
    expect(codes(own(file.bytes(), { ...usualChoices, solids: false }))).toEqual(['surfaces-open 1', 'solids-left-out 1', 'no-solids 1']);
  });

  test('shares within which faces are sewn: just inside closes, just outside stays open; any size', () => {
    for (const size of [0.5, 100, 30_000]) {
      const block = (back: number) => {
        const file = new IgesText();
        file.block([0, 0, 0], [size, size, size], { back });
        return own(file.bytes());
      };
      // Corners drawn back lie the square root of 2 of that apart; the size is the diagonal round the edges.
      const most = (1e-4 * Math.sqrt(3) * size) / Math.SQRT2;
      expect(block(0.97 * most).parts).toHaveLength(1);
      expect(block(1.03 * most).parts).toHaveLength(0);
      expect(block(1.03 * most).surfaces).toHaveLength(6);
    }
  });
});

describe('solids, definitions, assemblies, names and colours', () => {
  test('a solid of shared edges; its name by a property, its colour by a definition, in metres', () => {
    const file = new IgesText();
    const colour = file.add(314, [...[100, 50, 0].map(real), '6Horange'], { status: '00000200' });
    file.solidBlock([0, 0, 0], [1, 2, 3], { colour: -colour, label: 'B1' }, [file.name('Mast foot')]);
    file.solidBlock([5, 0, 0], [1, 1, 1], { colour: 4, label: 'CLAMP' });
    const opened = own(file.bytes({ flag: 6 }));
    expect(opened.parts.map((p) => [p.name, p.colour, Math.round(p.volume)])).toEqual([['Mast foot', '#ff8000', 6e9], ['CLAMP', '#0000ff', 1e9]]); // prettier-ignore
    expect(opened.findings).toEqual([]);
  });

  test.each([['INCH', 25.4], ['in', 25.4], ['MM', 1], ['UM', 0.001], ['MIL', 0.0254], ['CM', 10], ['FT', 304.8]] as const)('a unit by its name: %s', (name, mm) => {
    const file = new IgesText();
    file.solidBlock([0, 0, 0], [1, 2, 3]);
    expect(volumes(own(file.bytes({ flag: 3, name })))[0] / (6 * mm ** 3)).toBeCloseTo(1, 12);
  }); // prettier-ignore
  test('a unit that is not known is refused in words', async () => {
    const file = new IgesText();
    file.solidBlock([0, 0, 0], [1, 2, 3]);
    await expect(readDesign(file.bytes({ flag: 3, name: 'ELL' }), 'a.igs', nodeKernels)).rejects.toMatchObject({
      code: 'iges-unit',
      message: expect.stringContaining('"ELL"'),
    });
  });

  test('definitions shown several times, one within another: one part with its places, and the tree', async () => {
    const file = new IgesText();
    const block = file.solidBlock([0, 0, 0], [1, 2, 3], { label: 'Pin', status: '00010000' });
    const pins = file.add(308, [0, '4HPins', 1, block], { status: '00000200' });
    const turned = file.matrix([0, -1, 0, 0, 1, 0, 0, 0, 0, 0, 1, 0]);
    const [one, two] = [file.add(408, [pins, ...[10, 0, 0, 1].map(real)], { status: '00010000' }), file.add(408, [pins, ...[0, 10, 0, 1].map(real)], { matrix: turned, status: '00010000' })]; // prettier-ignore
    const frame = file.add(308, [1, '5HFrame', 2, one, two], { status: '00000200' });
    file.add(408, [frame, ...[0, 0, 100, 1].map(real)]);
    file.add(408, [frame, ...[0, 0, 200, 1].map(real)]);
    const opened = own(file.bytes());
    expect(opened.parts).toMatchObject([{ name: 'Pin', quantity: 4, path: ['Frame', 'Pins', 'Pin'] }]);
    expect(opened.parts[0].places).toEqual([
      [1, 0, 0, 10, 0, 1, 0, 0, 0, 0, 1, 100],
      // First moved, then turned: the matrix holds for the instance.
      [0, -1, 0, -10, 1, 0, 0, 0, 0, 0, 1, 100],
      [1, 0, 0, 10, 0, 1, 0, 0, 0, 0, 1, 200],
      [0, -1, 0, -10, 1, 0, 0, 0, 0, 0, 1, 200],
    ]);
    expect(opened.tree.map((n) => [n.name, n.children.map((c) => c.name)])).toEqual([['Frame', ['Pins', 'Pins']], ['Frame', ['Pins', 'Pins']]]); // prettier-ignore
    const scaled = new IgesText();
    const small = scaled.add(308, [0, '1HA', 1, scaled.solidBlock([0, 0, 0], [1, 1, 1])], { status: '00000200' });
    scaled.add(408, [small, ...[0, 0, 0, 2].map(real)]);
    expect(whyNot(scaled.bytes())).toBe('scaled-place');
  });

  test('solid assemblies (184) and instances (430)', () => {
    const file = new IgesText();
    const block = file.solidBlock([0, 0, 0], [1, 2, 3], { label: 'Pin', status: '00010000' });
    const up = file.matrix([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 50]);
    const again = file.add(430, [block], { form: 1, matrix: up, status: '00010000' });
    file.add(184, [2, block, again, 0, up], { label: 'Pair' });
    const opened = own(file.bytes());
    expect(opened.parts[0]).toMatchObject({ quantity: 2, path: ['Pair', 'Pin'] });
    expect(opened.parts[0].places.map((p) => p[11])).toEqual([0, 100]);
  });

  test('nested definitions without end are refused', () => {
    const file = new IgesText();
    // Entry 1 shows the definition of entry 3, which holds entry 1.
    file.add(408, [3, ...[0, 0, 1, 1].map(real)]);
    file.add(308, [0, '1HA', 1, 1], { status: '00000200' });
    file.add(408, [3, ...[0, 0, 1, 1].map(real)]);
    expect(() => openOwnIges(file.bytes(), usualChoices)).toThrow(Unusable);
  });

  test('curves, points and notes that nothing is made of are counted; pieces of other entities are not', () => {
    const file = new IgesText();
    file.solidBlock([0, 0, 0], [1, 1, 1]);
    file.add(110, [...[0, 0, 0, 5, 5, 5].map(real)]);
    file.add(116, [...[1, 2, 3].map(real), 0]);
    file.add(212, [1, 4, real(1), real(1), 1, real(0), real(0), 0, 0, real(0), real(0), real(0), '4Hkite'], { status: '00000100' });
    file.add(110, [...[0, 0, 0, 1, 0, 0].map(real)], { status: '00010000' });
    expect(codes(own(file.bytes()))).toEqual(['curves-left-out 1', 'points-left-out 1', 'notes-left-out 1']);
  });
});

describe('what is not taken goes to the kernel', () => {
  test('another scale of the model, solids made of sums, edges that leave their surface', async () => {
    const block = new IgesText();
    block.solidBlock([0, 0, 0], [1, 1, 1]);
    expect(whyNot(block.bytes({ scale: 0.5 }))).toBe('model-scale');
    const csg = new IgesText();
    csg.add(150, [1, 1, 1, 0, 0, 0].map(real));
    expect(whyNot(csg.bytes())).toBe('entity 150');
    const off = new IgesText();
    off.trimmed(off.plane([0, 0, 1], 0), off.ring([[0, 0, 0], [10, 0, 0], [10, 10, 1], [0, 10, 0]])); // prettier-ignore
    expect(whyNot(off.bytes())).toBe('edge-off-surface');
  });

  test('what both read is the same: by hand, through the kernel and by ourselves', async () => {
    const file = new IgesText();
    file.solidBlock([0, 0, 0], [1, 2, 3], { label: 'A' });
    file.solidBlock([10, 0, 0], [3, 2, 1], { label: 'B' });
    const [ours, theirs] = [own(file.bytes()), openStep(await openingKernel(), file.bytes(), usualChoices, 'IGES')];
    expect(theirs.parts).toHaveLength(2);
    theirs.parts.forEach((p, i) => {
      expect(ours.parts[i].volume).toBeCloseTo(p.volume, 6);
      expect(ours.parts[i].name).toBe(p.name);
    });
    const loose = new IgesText();
    loose.block([0, 0, 0], [10, 20, 30]);
    const sewnThere = openStep(await openingKernel(), loose.bytes(), usualChoices, 'IGES');
    expect(own(loose.bytes()).parts[0].volume).toBeCloseTo(sewnThere.parts[0].volume, 3);
  });

  test('1,500 damaged files: opened, left to the kernel or refused in words, never another error', () => {
    const files = [new IgesText(), new IgesText(), new IgesText()];
    files[0].block([0, 0, 0], [1, 2, 3]);
    files[1].solidBlock([0, 0, 0], [1, 2, 3], { label: 'A' }, [files[1].name('Foot')]);
    const block = files[2].solidBlock([0, 0, 0], [1, 2, 3], { status: '00010000' });
    files[2].add(408, [files[2].add(308, [0, '4HPins', 1, block]), ...[0, 0, 1, 1].map(real)]);
    files[2].add(112, [3, 2, 3, 1, ...[0, 10, 0, 1, 0, 0, 0, 1, -0.1, 0, 0, 0, 0, 0].map(real)]);
    const next = random(5);
    const counts = { opened: 0, left: 0, refused: 0 };
    for (let i = 0; i < 1500; i++) {
      const bytes = files[i % 3].bytes();
      const lines = bytes.toString('latin1').split('\n');
      for (let n = 1 + Math.floor(next() * 3); n > 0; n--) {
        const k = Math.floor(next() * lines.length);
        const at = Math.floor(next() * 66);
        const kind = Math.floor(next() * 3);
        if (kind === 0) lines.splice(k, 1);
        else if (kind === 1) lines[k] = (lines[k] ?? '').slice(0, at) + '0123456789,;-.H '[Math.floor(next() * 16)] + (lines[k] ?? '').slice(at + 1);
        else lines[k] = (lines[k] ?? '').replace(/\d+/, (d) => String(Math.floor(next() * 10 ** d.length)));
      }
      try {
        counts[openOwnIges(Buffer.from(lines.join('\n'), 'latin1'), usualChoices) ? 'opened' : 'left']++;
      } catch (thrown) {
        if (!(thrown instanceof Unusable)) throw thrown;
        counts.refused++;
      }
    }
    expect(counts.opened + counts.left + counts.refused).toBe(1500);
    expect(counts.left).toBeGreaterThan(300);
    expect(counts.opened).toBeGreaterThan(100);
  });

  test('opened as designs are: no kernel is asked for', async () => {
    const file = new IgesText();
    file.block([0, 0, 0], [10, 20, 30]);
    const opened = await openExact('IGES', file.bytes(), { opening: () => Promise.reject(new Error('no kernel is needed')) });
    expect(opened.parts[0].volume).toBeCloseTo(6000, 9);
    const design = await readDesign(file.bytes(), 'crate.igs', nodeKernels);
    expect(design.parts[0].summary).toMatchObject({ name: 'crate', volume: expect.closeTo(6000, 6) });
  });
});
