import { execFileSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { beforeAll, describe, expect, test } from 'vitest';
import { samplesOf } from '../src/body/samples.ts';
import { bodyOfBrep } from '../src/body/from-brep.ts';
import { trimmed } from '../src/body/trim.ts';
import { nodeEngine } from '../src/engine/load.ts';
import { toManifold, type Engine } from '../src/engine/engine.ts';
import { facetAllowance } from '../src/facets/allowance.ts';
import { facetsFinding, facetsWithin, kernelFacets, makeFacets } from '../src/facets/make.ts';
import { buildBvh } from '../src/geometry/bvh/build.ts';
import { edgesOf } from '../src/geometry/edges.ts';
import { crossingsOf } from '../src/mesh/soundness/crossings.ts';
import { measureMesh, type Mesh } from '../src/geometry/mesh.ts';
import { rowsOf, turnAbout } from '../src/geometry/placement.ts';
import { SolidBuilder, type Solid } from '../src/kernel/build.ts';
import { FacetSource } from '../src/kernel/facet-source.ts';
import { OpenSolid } from '../src/kernel/facets.ts';
import { nodeKernels, workingKernel } from '../src/kernel/load.ts';
import type { Kernel } from '../src/kernel/kernel.ts';
import { Bend } from '../src/surfaces/bend.ts';
import { metricOf } from '../src/mesher/metric.ts';
import { mesherOf } from '../src/mesher/mesher.ts';
import { Off } from '../src/mesher/off.ts';
import { readDesign } from '../src/pipeline/read.ts';
import { readBrepText } from '../src/surfaces/brep-text.ts';
import { measureDeviation } from '../src/surfaces/deviation.ts';
import { surfaceAt, type Surface } from '../src/surfaces/surfaces.ts';
import { leastTriangles } from '../src/surfaces/survey.ts';
import { dataFile } from './data.ts';
import { families, ringOf } from './solids.data.ts';

type P3 = [number, number, number];
let b: SolidBuilder;
let kernel: Kernel;
let engine: Engine;
beforeAll(async () => {
  kernel = await workingKernel();
  b = new SolidBuilder(kernel);
  engine = await nodeEngine();
});

const noKernel = (): Promise<Kernel> => Promise.reject(new Error('the kernel was asked for'));
const frame = { at: [1, 2, 3] as P3, x: [0, 1, 0] as P3, y: [0, 0, 1] as P3, z: [1, 0, 0] as P3 };
const splines = async (name: string) => (await readDesign(dataFile(name), name, nodeKernels)).parts.map((p) => (p.geometry as { brep: string }).brep);
describe('two hundred solids of twenty kinds, from a tenth of a millimetre to a hundred metres', () => {
  for (const [name, make] of families) {
    test(`${name}: the promise kept on every face, closed, and as much volume as the kernel finds`, async () => {
      const taken: boolean[] = [];
      for (let k = 0; k < 10; k++) {
        const size = 10 ** (-1 + (k * 6) / 9);
        const made = make(b, size, k % 5);
        const brep = b.brep(made);
        const exact = readBrepText(brep);
        const solid = new FacetSource(brep, workingKernel);
        const deviation = size * [0.02, 0.004, 0.001][k % 3];
        const facets = await makeFacets(solid, exact, { deviation, angle: [60, 20, 60][k % 3] });
        taken.push(solid.own);
        expect(facets.kept).toBe(true);
        const { crossingPairs, lyingPairs } = crossingsOf(buildBvh(facets));
        expect([crossingPairs, lyingPairs]).toEqual([0, 0]);
        expect(Math.max(...facets.measured.perFace)).toBeLessThanOrEqual(deviation);
        isSolid(facets);
        const { volume, area } = kernelFigures(brep);
        expect(Math.abs(measureMesh(facets).volume - volume)).toBeLessThanOrEqual(1.02 * area * deviation);
        solid.close();
      }
      // The kernel's mesher is there for what ours does not take; of these it takes all.
      expect(taken.every(Boolean)).toBe(true);
    });
  }
});

/** Closed and no edge doubly used: manifold-3d takes it as a solid of more than nothing. */
function isSolid(mesh: Mesh): void {
  const { open, nonManifold, flipped } = edgesOf(mesh.triangles, mesh.positions.length / 3);
  expect([open, nonManifold, flipped]).toEqual([0, 0, 0]);
  // Brought near to one: the library's own resolution is not what is asked about.
  const far = mesh.positions.reduce((most, x) => Math.max(most, Math.abs(x)), 0);
  const solid = toManifold(engine, { positions: mesh.positions.map((x) => (x / far) * 100), triangles: mesh.triangles }, { shift: [0, 0, 0], scale: 1 });
  expect(solid.status()).toBe('NoError');
  expect(solid.volume()).toBeGreaterThan(0);
  solid.delete();
}

/** Volume and area by the kernel's integrals over the exact solid. */
function kernelFigures(brep: string): { volume: number; area: number } {
  const shape = kernel.BRepToolsWrapper.Read(brep);
  const props = new kernel.GProp_GProps();
  kernel.BRepGProp.VolumeProperties(shape, props, false, false, false);
  const volume = props.Mass() as number;
  const other = new kernel.GProp_GProps();
  kernel.BRepGProp.SurfaceProperties(shape, other, false, false);
  return { volume, area: other.Mass() as number };
}

describe('how many triangles, against the least possible', () => {
  const ratio = (solid: Solid, deviation: number): number => {
    const brep = b.brep(solid);
    const facets = mesherOf(brep).facets({ deviation, angle: Math.PI / 2 });
    return facets.triangles.length / 3 / leastTriangles(readBrepText(brep), facets, deviation);
  };
  test('cylinder, extrusion: strips, none more than its ends need', () => {
    expect(ratio(b.cylinder([0, 0, 0], [0, 0, 1], 10, 20), 0.02)).toBeLessThanOrEqual(1.001);
    expect(ratio(b.cut(b.box([0, 0, 0], [60, 40, 5]), b.cylinder([20, 20, -1], [0, 0, 1], 6, 9)), 0.02)).toBeLessThanOrEqual(1.001);
  });
  test('cones: fewer at the narrow end, and one tip', () => {
    // Two rims of n1 and n2 chords: n1 + n2 triangles on the side, n1 - 2 and n2 - 2 on the ends. n = pi / acos(1 - d / r), any handbook.
    const chords = (r: number, d: number) => Math.ceil(Math.PI / Math.acos(1 - d / r));
    const cone = b.revolved([0, 0], [{ to: [40, 0] }, { to: [5, 60] }, { to: [0, 60] }, { to: [0, 0] }]);
    const [wide, narrow] = [chords(40, 0.05), chords(5, 0.05)];
    expect(mesherOf(b.brep(cone)).facets({ deviation: 0.05, angle: Math.PI / 2 }).triangles.length / 3).toBeLessThanOrEqual((2 * (wide + narrow) - 4) * 1.01);
    const needle = b.revolved([0, 0], [{ to: [1, 0] }, { to: [0, 200] }, { to: [0, 0] }]);
    expect(mesherOf(b.brep(needle)).facets({ deviation: 0.02, angle: Math.PI / 2 }).triangles.length / 3).toBe(2 * chords(1, 0.02) - 2);
  });
  test('ball and ball with holes at most 1.3, rounded block and ring at most 1.4 times the least', () => {
    expect(ratio(b.sphere([0, 0, 0], 10), 0.005)).toBeLessThanOrEqual(1.3);
    expect(ratio(b.cut(b.sphere([0, 0, 0], 20), b.cylinder([0, 0, -30], [0, 0, 1], 5, 60)), 0.02)).toBeLessThanOrEqual(1.3);
    expect(ratio(b.rounded(b.box([0, 0, 0], [40, 30, 20]), 4), 0.02)).toBeLessThanOrEqual(1.4);
    expect(ratio(b.torus([0, 0, 0], [0, 0, 1], 20, 6), 0.005)).toBeLessThanOrEqual(1.4);
  });
  test('fewer than half as many as the kernel needs at the same promise, on spline solids', async () => {
    const [brep] = await splines('loft.step');
    const exact = readBrepText(brep);
    const solid = new FacetSource(brep, workingKernel);
    const own = await makeFacets(solid, exact, { deviation: 0.1, angle: 60 });
    expect([own.kept, solid.own]).toEqual([true, true]);
    const theirs = kernelFacets(await solid.byKernel(), exact, { deviation: 0.1, angle: 60 });
    expect(own.triangles.length).toBeLessThan(theirs.triangles.length / 2);
    solid.close();
  });
});

describe('what facets may lose', () => {
  test('area and volume by the handbook: never more lost than is allowed, and not allowed many times over', () => {
    const r = 100;
    const cap = r * (1 - Math.cos(Math.PI / 6));
    const cases: [Solid, number, number][] = [
      // Cap of 30 degrees: volume pi h² (3 r - h) / 3, area 2 pi r h and the circle below.
      [b.cut(b.sphere([0, 0, 0], r), b.box([-r, -r, -r], [2 * r, 2 * r, 2 * r - cap])), (Math.PI * cap * cap * (3 * r - cap)) / 3, 2 * Math.PI * r * cap + (Math.PI * r * r) / 4],
      [b.cylinder([0, 0, 0], [0, 0, 1], 10, 20), Math.PI * 2000, 2 * Math.PI * 10 * 30],
      [b.sphere([0, 0, 0], 10), (4 / 3) * Math.PI * 1000, 4 * Math.PI * 100],
      // Pappus.
      [b.torus([0, 0, 0], [0, 0, 1], 20, 6), 2 * Math.PI ** 2 * 20 * 36, 4 * Math.PI ** 2 * 120],
    ]; // prettier-ignore
    for (const [solid, volume, area] of cases) {
      const brep = b.brep(solid);
      for (const deviation of [0.5, 0.05]) {
        const facets = mesherOf(brep).facets({ deviation, angle: 1 });
        const { perFace } = measureDeviation(readBrepText(brep), facets);
        const allowed = facetAllowance(facets, facets.starts, perFace);
        const found = measureMesh(facets);
        for (const [lost, most] of [[Math.abs(volume - found.volume), allowed.volume], [Math.abs(area - found.area), allowed.area]]) {
          expect(lost).toBeLessThanOrEqual(most);
          expect(lost).toBeGreaterThan(most / 8);
        } // prettier-ignore
      }
    }
  });
});

describe('what is asked for', () => {
  test('the angle counts where the deviation would allow more: 15 degrees make 24 chords of a circle, 60 make 6', () => {
    const mesher = mesherOf(b.brep(b.cylinder([0, 0, 0], [0, 0, 1], 10, 20)));
    for (const [angle, chords] of [[15, 24], [15.1, 24], [14.9, 25], [60, 6]]) expect(mesher.facets({ deviation: 5, angle: (angle * Math.PI) / 180 }).triangles.length / 3).toBe(4 * chords - 4); // prettier-ignore
  });
  test('so coarse that hardly anything is left of two balls, a lens, a cap: closed all the same', async () => {
    const ball = (x: number, r: number) => b.sphere([x, 0, 0], r);
    for (const made of [b.joined(ball(0, 10), ball(8, 7)), b.common(ball(0, 10), ball(15, 10)), b.common(ball(0, 10), b.box([8, -20, -20], [20, 40, 40]))]) {
      const solid = new FacetSource(b.brep(made), noKernel);
      for (const deviation of [9, 3, 1]) isSolid(await solid.facets(deviation, Math.PI / 2));
      expect(solid.own).toBe(true);
    }
  });
  test('chords that would cross the next circle are made shorter: a ring a hundredth wide', () => {
    const thin = b.brep(b.cut(b.cylinder([0, 0, 0], [0, 0, 1], 10, 5), b.cylinder([0, 0, -1], [0, 0, 1], 9.99, 9)));
    const facets = mesherOf(thin).facets({ deviation: 0.5, angle: Math.PI / 2 });
    isSolid(facets);
    // Outside the inner circle's chords, within the outer one's: never less than nothing.
    expect(measureMesh(facets).volume / (Math.PI * (100 - 9.99 ** 2) * 5)).toBeGreaterThan(0.9);
  });
  test('needless of any kernel: facets, edges, box and points come without one', async () => {
    const solid = new FacetSource(b.brep(b.rounded(b.box([0, 0, 0], [40, 30, 20]), 4)), noKernel);
    expect((await solid.facets(0.05, 1)).starts.length).toBe(27);
    expect((await solid.edges(0.05, 1)).points.length).toBeGreaterThan(300);
    expect((await solid.box({ rows: rowsOf([0, 0, 0, 1]), shift: [0, 0, 0] }, 1)).max.map((x) => Math.round(x * 1e9) / 1e9)).toEqual([40, 30, 20]);
    expect(solid.points()!.length).toBeGreaterThan(1000);
    expect([solid.own, solid.left]).toEqual([true, null]);
  });
  test('what our mesher does not take goes to the kernel, with a word why', async () => {
    const torn = b.brep(b.sphere([0, 0, 0], 10));
    expect(new FacetSource(torn, noKernel).own).toBe(true);
    const asked = new FacetSource(torn, workingKernel);
    await asked.byKernel();
    expect([asked.own, asked.left, asked.points()]).toEqual([false, 'asked', null]);
    expect((await asked.facets(0.5, 1)).triangles.length).toBeGreaterThan(100);
    // Told with the file; nothing is told of our own.
    const told = facetsFinding(await makeFacets(asked, readBrepText(torn), { deviation: 0.5, angle: 60 }));
    expect(told).toMatchObject([{ code: 'kernel-facets', severity: 'clear' }]);
    expect(facetsFinding(await makeFacets(new FacetSource(torn, noKernel), readBrepText(torn), { deviation: 0.5, angle: 60 }))).toEqual([]);
    asked.close();
    const unreadable = new FacetSource('no BREP text', workingKernel);
    expect([unreadable.own, unreadable.left]).toEqual([false, 'unreadable']);
  });
  test('more facets than are made is a sentence with a remedy', async () => {
    const solid = new FacetSource(b.brep(b.cylinder([0, 0, 0], [0, 0, 1], 1e6, 1)), noKernel);
    await expect(solid.facets(1e-7, 1)).rejects.toMatchObject({ code: 'too-many-facets', message: expect.stringContaining('200,000 chords') as string });
    solid.close();
  });
  test('the finest within a budget: hardly less than it, never more, promise kept', async () => {
    const brep = b.brep(b.torus([0, 0, 0], [0, 0, 1], 20, 6));
    const solid = new FacetSource(brep, noKernel);
    for (const budget of [200, 1000, 5000]) {
      const facets = (await facetsWithin(solid, readBrepText(brep), budget, { angle: 60 }))!;
      expect(facets.triangles.length / 3).toBeLessThanOrEqual(budget);
      expect(facets.triangles.length / 3).toBeGreaterThan(0.9 * budget);
      expect(facets.kept).toBe(true);
    }
  });
});

describe('exact boxes and points', () => {
  test('the box in any stance is the one that the kernel finds', async () => {
    for (const shape of [
      b.torus([3, 0, 0], [0, 1, 1], 20, 6),
      b.rounded(b.box([0, 0, 0], [40, 30, 20]), 4),
      b.lofted([ringOf(0, 10), ringOf(8, 14), ringOf(16, 7)]),
    ]) {
      const brep = b.brep(shape);
      const solid = new FacetSource(brep, noKernel);
      const peer = new OpenSolid(kernel, brep);
      for (const [axis, angle, scale] of [[[0, 0, 1], 0, 1], [[1, 0, 0], Math.PI / 2, 1], [[1, 2, 3], 0.7, 1], [[0, 1, 1], 2, 25.4]] as [P3, number, number][]) {
        const rows = rowsOf(turnAbout(axis.map((x) => x / Math.hypot(...axis)) as P3, angle)).map((x) => x * scale);
        const placement = { rows, shift: [5, -6, 7] as P3 };
        const [own, theirs] = [await solid.box(placement, scale), peer.box(placement, scale)];
        for (const end of ['min', 'max'] as const) own[end].forEach((x, k) => expect(Math.abs(x - theirs[end][k])).toBeLessThan(2e-6 * scale));
      } // prettier-ignore
      peer.close();
    }
  });
  test('points of the surface lie on it by its own formula, on every face, and show a face that is missing', () => {
    const body = bodyOfBrep(b.brep(b.torus([0, 0, 0], [0, 0, 1], 20, 6)));
    const points = samplesOf(body, body.faces.map((face) => trimmed(body, face, 60))); // prettier-ignore
    expect(points.length / 3).toBeGreaterThan(60);
    for (let i = 0; i < points.length; i += 3) expect(Math.hypot(Math.hypot(points[i], points[i + 1]) - 20, points[i + 2])).toBeCloseTo(6, 9);
    const plate = bodyOfBrep(b.brep(b.cut(b.box([0, 0, 0], [40, 40, 4]), b.cylinder([20, 20, -1], [0, 0, 1], 8, 9))));
    const on = samplesOf(plate, plate.faces.map((face) => trimmed(plate, face, 57))); // prettier-ignore
    const onBore = Array.from({ length: on.length / 3 }, (_, i) => i * 3).filter(
      (i) => on[i + 2] > 0.1 && on[i + 2] < 3.9 && Math.abs(Math.hypot(on[i] - 20, on[i + 1] - 20) - 8) < 1e-9,
    );
    expect(onBore.length).toBeGreaterThan(20);
    // None in the hole itself.
    for (let i = 0; i < on.length; i += 3) expect(Math.hypot(on[i] - 20, on[i + 1] - 20)).toBeGreaterThan(8 - 1e-9);
    // Nor just within it, where chords of its rim would let some through: holes of many sizes and places.
    for (let k = 0; k < 30; k++) {
      const [x, y, r] = [12 + k * 0.5, 20 - k * 0.21, 4 + k * 0.13];
      const drilled = bodyOfBrep(b.brep(b.cut(b.box([0, 0, 0], [40, 40, 4]), b.cylinder([x, y, -1], [0, 0, 1], r, 9))));
      const all = samplesOf(drilled, drilled.faces.map((face) => trimmed(drilled, face, 57))); // prettier-ignore
      for (let i = 0; i < all.length; i += 3) expect(Math.hypot(all[i] - x, all[i + 1] - y)).toBeGreaterThan(r - 1e-9);
    }
  });
  test('edges as lines end where facets have corners', async () => {
    const solid = new FacetSource(b.brep(b.cut(b.sphere([0, 0, 0], 20), b.cylinder([0, 0, -30], [0, 0, 1], 5, 60))), noKernel);
    const [facets, lines] = [await solid.facets(0.1, 1), await solid.edges(0.1, 1)];
    const key = (list: ArrayLike<number>, i: number) => [0, 1, 2].map((k) => Math.fround(list[i + k]) + 0).join(' ');
    const corners = new Set(Array.from({ length: facets.positions.length / 3 }, (_, i) => key(facets.positions, 3 * i)));
    for (let i = 0; i < lines.points.length; i += 3) expect(corners.has(key(lines.points, i))).toBe(true);
  });
});

describe('how surfaces bend', () => {
  const at = (surface: Surface, u: number, v: number) => {
    const bend = new Bend(surface);
    bend.look(u, v);
    return bend;
  };
  test('curvatures of the handbook: ball 1 / r twice, ring 1 / r and cos v / (R + r cos v), cone and cylinder one and none (do Carmo, 3.3)', () => {
    const both = ({ most, least }: Bend) => [Math.abs(most), Math.abs(least)];
    expect(both(at({ kind: 'sphere', frame, r: 4 }, 1, 0.4))).toEqual([0.25, 0.25]);
    const ring = at({ kind: 'torus', frame, major: 20, minor: 6 }, 0.3, 2);
    expect(ring.most * ring.least).toBeCloseTo(Math.cos(2) / (6 * (20 + 6 * Math.cos(2))), 12);
    expect(both(at({ kind: 'cylinder', frame, r: 4 }, 1, 9))).toEqual([0.25, 0]);
    expect(at({ kind: 'cone', frame, r: 4, half: 0.5 }, 1, 2).most).toBeCloseTo(-Math.cos(0.5) / (4 + 2 * Math.sin(0.5)), 12);
  });
  test('a revolved circle bends as the ring that it is, an extruded one as a cylinder', () => {
    const profile = { kind: 'circle', at: [20, 0, 0], x: [1, 0, 0], y: [0, 0, 1], rx: 6, ry: 6 } as const;
    const turned = at({ kind: 'revolution', at: [0, 0, 0], axis: [0, 0, 1], profile: { ...profile, at: [20, 0, 0], x: [1, 0, 0], y: [0, 0, 1] } }, 0.7, 2);
    const ring = at({ kind: 'torus', frame: { at: [0, 0, 0], x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] }, major: 20, minor: 6 }, 0.7, 2);
    expect(turned.most * turned.least).toBeCloseTo(ring.most * ring.least, 10);
    expect(Math.abs(turned.most + turned.least)).toBeCloseTo(Math.abs(ring.most + ring.least), 10);
    const pressed = at({ kind: 'extrusion', along: [0, 1, 0], profile: { ...profile, at: [0, 0, 0], x: [1, 0, 0], y: [0, 0, 1] } }, 1, 3);
    expect([Math.abs(pressed.most), Math.abs(pressed.least)].map((x) => Number(x.toFixed(12)))).toEqual([0.166666666667, 0]);
  });
  test('splines: points and tangents as surfaceAt has them, second form as differences of normals', async () => {
    const [brep] = await splines('screw.step');
    const surfaces = [...readBrepText(brep).faces, ...readBrepText((await splines('loft.step'))[0]).faces]
      .map((f) => f.surface)
      .filter((s) => s.kind === 'bspline');
    expect(surfaces.length).toBeGreaterThan(0);
    for (const s of surfaces.slice(0, 6)) {
      const [u, v] = [0.37 * s.uKnots[s.uDegree] + 0.63 * s.uKnots[s.uCount], 0.59 * s.vKnots[s.vDegree] + 0.41 * s.vKnots[s.vCount]];
      const bend = at(s, u, v);
      const p = surfaceAt(s, u, v);
      for (let k = 0; k < 3; k++) {
        expect(bend.at[k]).toBeCloseTo(p.at[k], 9);
        expect(bend.du[k]).toBeCloseTo(p.du[k], 6);
        expect(bend.dv[k]).toBeCloseTo(p.dv[k], 6);
      }
      const h = 1e-4 * (s.uKnots[s.uCount] - s.uKnots[s.uDegree]);
      const n = normalOf(p);
      const tangent = (x: number) => surfaceAt(s, x, v).du;
      const slope = tangent(u + h).map((x, k) => (x - tangent(u - h)[k]) / (2 * h));
      expect(bend.l).toBeCloseTo(slope[0] * n[0] + slope[1] * n[1] + slope[2] * n[2], 1);
    }
  });
  test('the metric: 1 for an edge as long as may be, sqrt(6 d r) on a ball and sqrt(8 d r) round a cylinder, 60 degrees at most', () => {
    const m = new Float64Array(3);
    const long = (surface: Surface, want: { deviation: number; angle: number }) => {
      const bend = at(surface, 0.4, 0.3);
      metricOf(bend, surface.kind === 'cylinder' ? 'ruled' : 'both', { want, size: 100 }, m);
      // Length of a step along u that the form counts as 1.
      return Math.sqrt(bend.e / m[0]);
    };
    expect(long({ kind: 'sphere', frame, r: 10 }, { deviation: 1e-4, angle: 2 }) / Math.sqrt(6 * 1e-4 * 10)).toBeCloseTo(1, 4);
    expect(long({ kind: 'cylinder', frame, r: 10 }, { deviation: 1e-4, angle: 2 }) / Math.sqrt(8 * 1e-4 * 10)).toBeCloseTo(1, 4);
    expect(long({ kind: 'cylinder', frame, r: 10 }, { deviation: 9, angle: Math.PI / 3 })).toBeCloseTo((10 * Math.PI) / 3, 9);
  });
});

describe('how far a facet lies off', () => {
  const corner = (s: Surface, u: number, v: number) => {
    const bend = new Bend(s);
    bend.look(u, v);
    const n = new Float64Array(3);
    bend.normal(n, 0);
    return { p: Float64Array.from(surfaceAt(s, u, v).at), u, v, n, off: 0 };
  };
  /** The largest distance over a dense lattice of a facet, by a formula of its own. */
  const dense = (corners: { p: Float64Array }[], distance: (q: number[]) => number) => {
    let most = 0;
    const n = 120;
    for (let i = 0; i <= n; i++) {
      for (let j = 0; i + j <= n; j++) {
        const w = [i / n, j / n, 1 - (i + j) / n];
        most = Math.max(most, distance([0, 1, 2].map((k) => w[0] * corners[0].p[k] + w[1] * corners[1].p[k] + w[2] * corners[2].p[k])));
      }
    }
    return most;
  };
  const local = (q: number[]) => q.map((x, k) => x - frame.at[k]);
  const cases: [Surface, (q: number[]) => number][] = [
    [{ kind: 'cylinder', frame, r: 5 }, (q) => Math.abs(Math.hypot(local(q)[1], local(q)[2]) - 5)],
    [{ kind: 'cone', frame, r: 5, half: 0.6 }, (q) => Math.abs((Math.hypot(local(q)[1], local(q)[2]) - 5) * Math.cos(0.6) - local(q)[0] * Math.sin(0.6))],
    [{ kind: 'sphere', frame, r: 5 }, (q) => Math.abs(Math.hypot(...local(q)) - 5)],
    [{ kind: 'torus', frame, major: 8, minor: 3 }, (q) => Math.abs(Math.hypot(Math.hypot(local(q)[1], local(q)[2]) - 8, local(q)[0]) - 3)],
  ]; // prettier-ignore
  for (const [surface, distance] of cases) {
    test(`${surface.kind}: as a dense lattice finds it by the implicit formula`, () => {
      const off = new Off(surface, new Bend(surface));
      for (let i = 0; i < 40; i++) {
        const [u, v, w] = [i * 0.7, Math.sin(i) * 1.2, 0.15 + 0.02 * (i % 20)];
        const corners = [corner(surface, u, v), corner(surface, u + w, v + 0.2 * w), corner(surface, u + 0.3 * w, v + w)];
        const found = off.of(corners, 0);
        const lattice = dense(corners, distance);
        expect(found).toBeGreaterThan(lattice * 0.98 - 1e-9);
        expect(found).toBeLessThan(lattice * 1.02 + 1e-4);
      }
    });
  }
  test('a facet that the axis goes through is off by the whole radius', () => {
    const s: Surface = { kind: 'cylinder', frame, r: 5 };
    const off = new Off(s, new Bend(s));
    expect(off.of([corner(s, 0, 0), corner(s, 2.1, 0.1), corner(s, 4.2, -0.1)], 0)).toBeCloseTo(5, 9);
  });
});

describe('against another kernel', () => {
  test('facets lie within the promise of the surfaces as gmsh finds closest points, and the surfaces within it of the facets', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'closest-'));
    for (const [name, deviation] of [
      ['loft.step', 0.1],
      ['screw.step', 0.02],
    ] as const) {
      const { positions, triangles } = mesherOf((await splines(name))[0]).facets({ deviation, angle: Math.PI / 2 });
      writeFileSync(join(folder, 'mesh.json'), JSON.stringify({ p: [...positions], t: [...triangles] }));
      writeFileSync(join(folder, name), dataFile(name));
      const found = JSON.parse(
        execFileSync('/usr/bin/python3', [fileURLToPath(new URL('readers/gmsh_closest.py', import.meta.url)), join(folder, name), join(folder, 'mesh.json')], {
          encoding: 'utf8',
        }),
      ) as { facets: number; surfaces: number };
      for (const far of [found.facets, found.surfaces]) {
        expect(far).toBeLessThanOrEqual(deviation * 1.005);
        // Near the promise too: it is what was asked for, not something finer.
        expect(far).toBeGreaterThan(deviation * 0.7);
      }
    }
  });
});

describe('measuring afterwards', () => {
  test('a loft that folds back near itself: steps to another fold are not taken for a distance', async () => {
    const [brep] = await splines('loft.step');
    const exact = readBrepText(brep);
    const facets = mesherOf(brep).facets({ deviation: 0.02, angle: 1 });
    // Every corner lies on the surface; what is measured is at most a little more than was asked for, not several times that.
    expect(measureDeviation(exact, facets).largest).toBeLessThan(0.0205);
  });
});

function normalOf({ du, dv }: { du: P3; dv: P3 }): P3 {
  const n: P3 = [du[1] * dv[2] - du[2] * dv[1], du[2] * dv[0] - du[0] * dv[2], du[0] * dv[1] - du[1] * dv[0]];
  return n.map((x) => x / Math.hypot(...n)) as P3;
}
