/** Solids and folded parts that were once handled wrongly: each is read right, told right, and unfolded right or refused with the true reason. */
import { readFileSync } from 'node:fs';
import { beforeAll, describe, expect, test } from 'vitest';
import { usualChoices } from '../src/model/choices.ts';
import { offEdges } from '../src/pipeline/exact-design.ts';
import { readDesign } from '../src/pipeline/read.ts';
import type { Design } from '../src/model/design.ts';
import { drawShape } from '../src/drawing/from-shape.ts';
import { contourOf, contoursOf, lengthOfContour } from '../src/curves/drawing.ts';
import { raiseDrawing } from '../src/drawing/raise.ts';
import { readStl } from '../src/formats/stl/read.ts';
import { binaryStl } from '../src/formats/stl/write.ts';
import { checkMesh } from '../src/mesh/soundness/check-mesh.ts';
import { readBrepText } from '../src/surfaces/brep-text.ts';
import { offOwnEdges } from '../src/surfaces/off-edges.ts';
import { recognised } from '../src/surfaces/recognise.ts';
import type { Surface } from '../src/surfaces/surfaces.ts';
import type { Finding } from '../src/base/finding.ts';
import { placementOf, asModelled } from '../src/stance/stance.ts';
import { nodeEngine } from '../src/engine/load.ts';
import { nodeKernels, workingKernel } from '../src/kernel/load.ts';
import type { Kernel } from '../src/kernel/kernel.ts';
import { flattenShape } from '../src/sheet/flatten.ts';
import { usualFlatten, type FlattenChoice, type Pattern } from '../src/sheet/pattern.ts';
import { allowanceFor, readBendTable } from '../src/sheet/rules.ts';
import { pilotFor } from '../src/sheet/features.ts';
import { stripFinding, stripShare } from '../src/sheet/remarks.ts';
import { roundHoles } from './sheet.data.ts';
import { dataFile } from './data.ts';

let kernel: Kernel;
beforeAll(async () => {
  kernel = await workingKernel();
});
const open = (name: string): Promise<Design> => readDesign(dataFile(`faults/${name}`), name, nodeKernels, usualChoices);
async function flat(name: string, choice: Partial<FlattenChoice> = {}): Promise<Pattern> {
  const { parts } = await open(name);
  const [{ geometry, summary }] = parts;
  if (geometry.kind === 'drawing') throw new Error('a drawing');
  return flattenShape(kernel, { shape: geometry, scale: 1, volume: summary.volume }, { ...usualFlatten, rule: { kind: 'k', k: 0.44 }, ...choice });
}
const codes = (list: readonly Finding[]) => list.map((f) => f.code);
const size = (p: Pattern) => [p.box[2] - p.box[0], p.box[3] - p.box[1]].sort((a, b) => a - b);
/** Flat length of an L of legs a and b to the outside, by hand: legs less setbacks, and the bend by K 0.44. */
const ell = (a: number, b: number, r: number, t: number, turn = 90) => {
  const setback = Math.tan((turn * Math.PI) / 360) * (r + t);
  return a + b - 2 * setback + ((turn * Math.PI) / 180) * (r + 0.44 * t);
};

describe('what a file says of itself', () => {
  test('shell_2.step: a plane that lies 2 mm off its own edges is a stop, with the distance', async () => {
    const [part] = (await open('shell_2.step')).parts;
    expect(part.findings).toMatchObject([{ code: 'surface-off-edges', severity: 'stop' }]);
    expect(part.findings[0].message).toMatch(/by 2\.00 mm/);
    await expect(flat('shell_2.step')).rejects.toThrow(/2\.00 mm off its own edges/);
  });
  test('sound files say nothing: surfaces lie on their edges within micrometres', async () => {
    for (const name of ['block.step', 'lying.step', 'countersink.step', 'sphere_25.step', 'cone_10_5_20.step']) {
      const [part] = (await open(name)).parts;
      expect([name, codes(part.findings)]).toEqual([name, []]);
    }
  });
  test('a plane just inside of what is worth a look, just outside, and beyond what is another part', () => {
    const square = (off: number) => ({
      faces: [
        {
          surface: { kind: 'plane' as const, frame: { at: [0, 0, off] as [number, number, number], x: [1, 0, 0] as [number, number, number], y: [0, 1, 0] as [number, number, number], z: [0, 0, 1] as [number, number, number] } }, // prettier-ignore
          edges: [{ curve: { kind: 'line' as const, at: [0, 0, 0] as [number, number, number], along: [1, 0, 0] as [number, number, number] }, from: 0, to: 5, id: 1, ends: [0, 1] as [number, number] }], // prettier-ignore
          loops: 1,
          outward: 1 as const,
        },
      ],
    });
    expect(offOwnEdges(square(offEdges.look * 0.99), offEdges.look).count).toBe(0);
    expect(offOwnEdges(square(offEdges.look * 1.01), offEdges.look)).toMatchObject({ count: 1, face: 0 });
    expect(offOwnEdges(square(2), 0.1).farthest).toBeCloseTo(2, 12);
  });
  test('a STEP file with no point is refused before any kernel starts', async () => {
    const text = dataFile('faults/block.step')
      .toString('latin1')
      .replaceAll(/^#\d+\s*=\s*CARTESIAN_POINT.*$/gm, '');
    const never = { opening: () => Promise.reject(new Error('started')), working: () => Promise.reject(new Error('started')) };
    await expect(readDesign(Buffer.from(text, 'latin1'), 'a.step', never, usualChoices)).rejects.toThrow(/holds no point in space/);
  });
  test('revspline.step: a solid and a loose face are two parts; the face has no volume', async () => {
    const { parts } = await open('revspline.step');
    expect(parts.map((p) => [p.summary.kind, p.summary.openEdges === null ? 0 : Math.sign(p.summary.openEdges)])).toEqual([['solid', 0], ['mesh', 1]]); // prettier-ignore
  });
});

describe('extrusions and revolutions are what they are', () => {
  const circle = (at: [number, number, number], x: [number, number, number], y: [number, number, number], r: number) => ({
    kind: 'circle' as const,
    at,
    x,
    y,
    rx: r,
    ry: r,
  });
  const is = (surface: Surface) => recognised(surface);
  test('an extruded circle is a cylinder, a slanted one is not; a line is a plane', () => {
    expect(is({ kind: 'extrusion', along: [0, 0, 2], profile: circle([1, 2, 3], [1, 0, 0], [0, 1, 0], 4) })).toMatchObject({
      kind: 'cylinder',
      r: 4,
      frame: { at: [1, 2, 3] },
    });
    expect(is({ kind: 'extrusion', along: [0, 1, 2], profile: circle([1, 2, 3], [1, 0, 0], [0, 1, 0], 4) }).kind).toBe('extrusion');
    expect(is({ kind: 'extrusion', along: [0, 0, 1], profile: { kind: 'line', at: [0, 0, 0], along: [1, 1, 0] } }).kind).toBe('plane');
  });
  test('a line round an axis is a cylinder, cone or plane; skew to it, none of them', () => {
    const turn = (at: [number, number, number], along: [number, number, number]) =>
      is({ kind: 'revolution', at: [0, 0, 0], axis: [0, 0, 1], profile: { kind: 'line', at, along } });
    expect(turn([5, 0, 0], [0, 0, 1])).toMatchObject({ kind: 'cylinder', r: 5 });
    expect(turn([5, 0, 0], [1, 0, 0]).kind).toBe('plane');
    const cone = turn([5, 0, 0], [1, 0, 1]);
    expect(cone).toMatchObject({ kind: 'cone', r: 5 });
    expect(cone.kind === 'cone' && cone.half).toBeCloseTo(Math.PI / 4, 12);
    expect(turn([5, 0, 0], [0, 1, 1]).kind).toBe('revolution');
  });
  test('a circle round an axis in its plane is a torus, on the axis a sphere; beside the plane none', () => {
    const turn = (at: [number, number, number]) => is({ kind: 'revolution', at: [0, 0, 0], axis: [0, 0, 1], profile: circle(at, [1, 0, 0], [0, 0, 1], 2) });
    expect(turn([10, 0, 3])).toMatchObject({ kind: 'torus', major: 10, minor: 2, frame: { at: [0, 0, 3] } });
    expect(turn([0, 0, 3])).toMatchObject({ kind: 'sphere', r: 2, frame: { at: [0, 0, 3] } });
    expect(turn([10, 1, 3]).kind).toBe('revolution');
    // A tube that reaches over its axis stays what it was.
    expect(turn([1, 0, 3]).kind).toBe('revolution');
  });
});

describe('drawings of solids', () => {
  test('block.step from above: every line is on one layer once (outline 2 x (80 + 50), a hole, a pocket by their diameters)', async () => {
    const [{ geometry, summary }] = (await open('block.step')).parts;
    if (geometry.kind !== 'solid') throw new Error('no solid');
    const { drawing } = drawShape(geometry, placementOf(asModelled, 1, [summary.box.min, summary.box.max].flat()), { kind: 'view', view: 'top', edges: 'visible' }, { engine: await nodeEngine(), kernel }); // prettier-ignore
    const length = contoursOf(drawing).reduce((sum, c) => sum + lengthOfContour(c), 0);
    expect(length).toBeCloseTo(2 * (80 + 50) + Math.PI * (20 + 24), 3);
  });
});

describe('folded parts', () => {
  test.each([
    ['tilt20.step', 'one slanted hole'],
    ['tilted_hole.step', 'one slanted hole'],
  ])('%s: %s is a clean hole, no overlap', async (name) => {
    const p = await flat(name);
    expect(codes(p.findings)).not.toContain('flat-overlaps');
    expect(p.holes).toBe(1);
    expect(size(p)[1]).toBeCloseTo(ell(65, 35, 3, 2), 6);
  });
  test('ecc_0.002.step: 90 degrees from the walls, though the arc turns 90.04; the accuracy is said, and nothing stops', async () => {
    const p = await flat('ecc_0.002.step');
    expect(p.bends[0].angle).toBeCloseTo(90, 6);
    expect(p.fit).toBeGreaterThan(1e-3);
    expect(p.fit).toBeLessThan(1e-2);
    expect(p.findings.find((f) => f.code === 'source-inexact')?.message).toMatch(/accurate to 0\.00\d+ mm/);
    expect(p.foldBack!.distance).toBeLessThan(0.01);
  });
  test('noise.step: a step of 0.001 mm on one side is no reason to refuse; the other side is followed, and that is said', async () => {
    const p = await flat('noise.step');
    expect(p.bends).toHaveLength(2);
    expect(codes(p.findings)).toContain('other-side');
  });
  test('curved_edge_flange.step is refused for what it is', async () => {
    await expect(flat('curved_edge_flange.step')).rejects.toMatchObject({ code: 'curved-bend', message: expect.stringMatching(/bent along a curved line/) });
  });
  test('countersink.step: the through diameter is cut; the other only when asked', async () => {
    expect(roundHoles((await flat('countersink.step')).drawing).map((h) => h.r)).toEqual([expect.closeTo(2, 6)]);
    expect(roundHoles((await flat('countersink.step', { countersinks: 'cut-side' })).drawing).map((h) => h.r)).toEqual([expect.closeTo(4, 6)]);
  });
  test('edge_chamfer_all.step: the blank is as wide as the part at its widest, and the bevel is listed', async () => {
    const p = await flat('edge_chamfer_all.step');
    expect(size(p)[1]).toBeCloseTo(ell(65, 35, 3, 2), 6);
    expect(p.findings.find((f) => f.code === 'edges-bevelled')?.message).toMatch(/0\.5 mm at X .*the blank takes the wider outline/);
  });
  test('tapped_boss_flange.step: whether a pilot follows from the volume of the collar is said', async () => {
    expect(codes((await flat('tapped_boss_flange.step')).findings)).toContain('no-pilot');
    // A collar of outer 6, bore 5, 1 high on 1.5: 5^2 - (36 - 25) / 1.5.
    expect(pilotFor(5, 6, 1, 1.5)).toBeCloseTo(Math.sqrt(25 - 11 / 1.5), 12);
    // What is pressed up weighs what was there: ring between pilot and bore, t high, is the collar.
    const d0 = pilotFor(5, 6, 1, 1.5)!;
    expect((25 - d0 ** 2) * 1.5).toBeCloseTo((36 - 25) * 1, 12);
    const just = (25 * (1 - 0.1 ** 2) * 1.5) / 11;
    expect(pilotFor(5, 6, just * 0.999, 1.5)).toBeCloseTo(0.5, 0);
    expect(pilotFor(5, 6, just * 1.001, 1.5)).toBeNull();
  });
  test('L_a120.step with tab.csv: a deduction is not carried to 120 degrees; the K of the nearest row is, and it is said', async () => {
    const { table } = readBendTable(readFileSync(new URL('./data/faults/tab.csv', import.meta.url), 'utf8'), 'tab');
    const p = await flat('L_a120.step', { rule: { kind: 'table', table } });
    // Its row for 90 degrees, R 3, T 2: allowance 10 - 4.1 = 5.9, K = (5.9 / (pi / 2) - 3) / 2.
    const k = (5.9 / (Math.PI / 2) - 3) / 2;
    expect(p.bends[0].k).toBeCloseTo(k, 9);
    expect(p.findings.find((f) => f.code === 'rule-stretched')?.message).toMatch(/row for 90° comes to K 0\.378/);
    // At the ends of the table nothing is said, just beyond it is.
    const said = (angle: number) => allowanceFor({ kind: 'table', table }, angle, 3, 2).doubt;
    expect([said(60), said(90), said(75)]).toEqual([null, null, null]);
    expect(said(90.001)).toMatch(/carried on/);
    expect(said(59.999)).toMatch(/carried on/);
  });
  test('narrow_strip and wire_strip.step: as wide as thick is told as ambiguous, just inside and outside of the share', async () => {
    for (const name of ['narrow_strip.step', 'wire_strip.step']) expect(codes((await flat(name)).findings)).toContain('strip-or-profile');
    const strip = (w: number) => {
      const corners: [number, number][] = [[0, 0], [1000, 0], [1000, w], [0, w]]; // prettier-ignore
      const contour = contourOf(corners.map((a, i) => ({ kind: 'line' as const, a, b: corners[(i + 1) % 4] })), true); // prettier-ignore
      return stripFinding(2, 1000 * w, [contour], 0);
    };
    const wide = (mean: number) => (1000 * mean) / (1000 - mean);
    expect(strip(wide(2 * (1 + stripShare) - 0.01))).toHaveLength(1);
    expect(strip(wide(2 * (1 + stripShare) + 0.01))).toEqual([]);
    expect(stripFinding(2, 2000, [], 1)).toEqual([]);
  });
  test('sheet_dimple.step: less its dimple it is the bracket without one', async () => {
    const p = await flat('sheet_dimple.step');
    expect(p.features.map((f) => f.kind)).toEqual(['dimple']);
    expect(size(p)[0]).toBeCloseTo(120, 9);
  });
  test('lying.step and the others are what they were: no sheet, or a block of one', async () => {
    expect(codes((await flat('block.step')).findings)).toContain('more-a-block');
    expect(codes((await flat('lying.step')).findings)).toContain('more-a-block');
    for (const name of ['sphere_25.step', 'cone_10_5_20.step', 'cone_1_0_200.step', 'revspline.step']) await expect(flat(name)).rejects.toMatchObject({ code: 'no-sheet' }); // prettier-ignore
  });
});

test('art.svg: contours that cross and touch are raised to a part that is closed in an STL too', async () => {
  const [{ geometry }] = (await open('art.svg')).parts;
  if (geometry.kind !== 'drawing') throw new Error('no drawing');
  const mesh = raiseDrawing(await nodeEngine(), geometry.drawing, 3);
  const again = readStl(Buffer.concat([...binaryStl(mesh, 1, '')])).blocks[0].mesh;
  expect(checkMesh(again)).toMatchObject({ closed: true, nonManifoldEdges: 0 });
});

test('every exact face of these files is read', async () => {
  for (const name of ['hole_through_bend.step', 'bracket4_move.step']) {
    const [{ geometry, summary }] = (await open(name)).parts;
    expect(geometry.kind === 'solid' && readBrepText(geometry.brep).faces.length).toBe(summary.faces);
  }
});
