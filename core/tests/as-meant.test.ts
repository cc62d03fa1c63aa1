/** Meshes are taken as they are meant: hollows, islands, captives and shells inside out; mending is held against what came. */
import { beforeAll, describe, expect, test } from 'vitest';
import { usualChoices } from '../src/model/choices.ts';
import { readDesign } from '../src/pipeline/read.ts';
import { buildBvh } from '../src/geometry/bvh/build.ts';
import { measureMesh, type Mesh } from '../src/geometry/mesh.ts';
import { together } from '../src/geometry/shells.ts';
import { windingNumber, windingTree } from '../src/geometry/winding.ts';
import { combine, misplaced } from '../src/mesh/join/booleans.ts';
import { bodiesOf } from '../src/mesh/join/bodies.ts';
import type { Engine } from '../src/engine/engine.ts';
import { nodeEngine } from '../src/engine/load.ts';
import { nodeKernels } from '../src/kernel/load.ts';
import { farShare, heldAgainst, mostSurfaceLost, mostVolumeChanged } from '../src/mesh/repair/held.ts';
import { mend, safeMend, seamJoinedShare, widestFlatShare, widestShare, type MendChoice } from '../src/mesh/mend/mend.ts';
import { seamShare, seamsOf } from '../src/mesh/repair/seams.ts';
import { finestCell, wrapped } from '../src/mesh/repair/wrap.ts';
import { fullCheck } from '../src/mesh/soundness/full-check.ts';
import { boxMesh, dataFile } from './data.ts';
import { ballMesh, closedByMap, movedMesh } from './data.more.ts';

let engine: Engine;
beforeAll(async () => {
  engine = await nodeEngine();
});
async function fault(name: string): Promise<Mesh> {
  const design = await readDesign(dataFile(`faults/${name}`), name, nodeKernels, usualChoices);
  const { geometry } = design.parts[0];
  if (geometry.kind !== 'mesh') throw new Error('no mesh');
  return geometry.mesh;
}
const volume = (mesh: Mesh) => measureMesh(mesh).volume;
const mended = (mesh: Mesh, choice: Partial<MendChoice> = {}) => mend(mesh, { ...safeMend, ...choice }, engine)!;
const cube = (size: number, at: number, inward = false) => movedMesh(boxMesh(size, size, size), [at, at, at], inward);
const join = (...meshes: Mesh[]) => combine(engine, 'join', meshes);

describe('files that were handled wrongly', () => {
  // 30 cubes with a 20 hollow (27000 - 8000), a 10 hollow (27000 - 1000), a ball in the hollow (19000 + its own volume).
  test.each([
    ['hollow.stl', 19000],
    ['nested_void.stl', 26000],
    ['captive.stl', 19896.99],
  ])('%s: joined, its hollow stays; mended, nothing is done', async (name, right) => {
    const mesh = await fault(name);
    expect(volume(mesh)).toBeCloseTo(right, 1);
    expect(volume(join(mesh).mesh)).toBeCloseTo(right, 1);
    expect(mended(mesh).report).toMatchObject({ steps: [], left: [], refused: null });
    const rod = await fault('rod.stl');
    // What is joined to it does not fill the hollow either; the rod of 25 x 4 x 4 reaches in from outside.
    const both = join(mesh, movedMesh(rod, [0, 0, 0])).mesh;
    expect(misplaced('join', [mesh, rod], both, 5000)).toBeLessThan(0.002);
  });
  test('hollow_rod.stl: a rod that reaches into the hollow stays there (19000 + 400 - the 80 that are in the wall)', async () => {
    const { mesh, report } = mended(await fault('hollow_rod.stl'));
    expect(volume(mesh)).toBeCloseTo(19320, 3);
    expect(report.left).toEqual([]);
  });
  test('cross_spheres.stl less rod.stl: both balls are one solid first; the volume is known by winding numbers too', async () => {
    const [balls, rod] = [await fault('cross_spheres.stl'), await fault('rod.stl')];
    const { mesh, told } = combine(engine, 'subtract', [balls, rod]);
    expect(told).toEqual([]);
    expect(closedByMap(mesh)).toBe(true);
    const tree = windingTree(buildBvh(balls));
    const cut = windingTree(buildBvh(rod));
    let inside = 0;
    const n = 36;
    const at = (i: number, low: number, size: number) => low + ((i + 0.5) * size) / n;
    const { box } = measureMesh(balls);
    const size = [0, 1, 2].map((k) => box.max[k] - box.min[k]);
    for (let i = 0; i < n; i++)
      for (let j = 0; j < n; j++)
        for (let k = 0; k < n; k++) {
          const [x, y, z] = [at(i, box.min[0], size[0]), at(j, box.min[1], size[1]), at(k, box.min[2], size[2])];
          if (windingNumber(tree, [x, y, z]) > 0.5 && windingNumber(cut, [x, y, z]) < 0.5) inside++;
        }
    expect(volume(mesh) / ((inside / n ** 3) * size[0] * size[1] * size[2])).toBeCloseTo(1, 1.5);
  });
  test('two_one_inverted.stl: the one inside out is turned, and it is said', async () => {
    const mesh = await fault('two_one_inverted.stl');
    const made = join(mesh);
    expect(volume(made.mesh)).toBeCloseTo(2000, 6);
    expect(made.told).toEqual(['One shell was inside out and was turned.']);
    expect(volume(mended(mesh).mesh)).toBeCloseTo(2000, 6);
  });
  test('mpi.stl goes through itself: refused as an operand, never mended to nothing, remade on a grid', async () => {
    const mesh = await fault('mpi.stl');
    expect(() => join(mesh, cube(1, 100))).toThrow(/goes through itself .* change its shape/);
    const { mesh: kept, report } = mended(mesh);
    expect(volume(kept) / volume(mesh)).toBeCloseTo(1, 3);
    expect(report.left.join()).toMatch(/still go through each other/);
    const remade = mended(mesh, { wrap: 0.5 });
    expect(remade.report.after).toMatchObject({ closed: true, selfIntersections: 0 });
  });
  test('seam_gap.stl: two halves 0.05 apart are no two holes; the weld that joins them is proposed and works', async () => {
    const mesh = await fault('seam_gap.stl');
    const { report, mesh: same } = mended(mesh);
    expect(report.proposedWeld).toBeCloseTo(0.0525, 6);
    expect(report.steps).toEqual([]);
    expect(same).toBe(mesh);
    const joined = mended(mesh, { weld: report.proposedWeld });
    expect(joined.report).toMatchObject({ left: [], after: { closed: true, shells: 1 } });
    expect(mended(mesh, { weld: 0.02 }).report.after.closed).toBe(false);
  });
  test('two_scaled_items and two_mirrored_items .3mf are two parts each', async () => {
    const scaled = await readDesign(dataFile('faults/two_scaled_items.3mf'), 'a.3mf', nodeKernels, usualChoices);
    expect(scaled.parts.map((p) => [p.summary.quantity, Math.round(p.summary.volume)])).toEqual([
      [1, 6000],
      [1, 48000],
    ]);
    const mirrored = await readDesign(dataFile('faults/two_mirrored_items.3mf'), 'a.3mf', nodeKernels, usualChoices);
    expect(mirrored.parts.map((p) => [p.summary.quantity, Math.round(p.summary.volume)])).toEqual([
      [1, 6000],
      [1, 6000],
    ]);
  });
  test('asc_bom.stl (a byte-order mark) and the same text in UTF-16 are read; decimal commas are named', async () => {
    const bytes = dataFile('faults/asc_bom.stl');
    const read = async (b: Uint8Array) => (await readDesign(b, 'a.stl', nodeKernels, usualChoices)).parts[0].summary.volume;
    expect(await read(bytes)).toBeCloseTo(6000, 6);
    const text = new TextDecoder('utf-8').decode(bytes);
    expect(await read(Buffer.concat([Buffer.from([0xff, 0xfe]), Buffer.from(text, 'utf16le')]))).toBeCloseTo(6000, 6);
    await expect(read(Buffer.from(text.replace(/(vertex \S+)\.0/g, '$1,0').replace(/vertex (\d+) /g, 'vertex $1,5 ')))).rejects.toThrow(/decimal comma/);
  });
});

describe('bodies, at any depth', () => {
  test('cube in hollow in cube in hollow: two bodies with a hollow each', () => {
    const mesh = together([cube(50, 0), cube(40, 5, true), cube(30, 10), cube(20, 15, true)]);
    const { bodies, told } = bodiesOf(mesh);
    expect(bodies.map(volume)).toEqual([125000 - 64000, 27000 - 8000]);
    expect(told).toEqual([]);
    expect(volume(join(mesh).mesh)).toBeCloseTo(80000, 6);
    expect(fullCheck(mesh)!.roles.map((r) => r.role)).toEqual(['outer', 'void', 'island', 'void']);
  });
  test('an island inside out is turned; a second wall that faces out is solid already; all turned together is one part inside out', () => {
    const island = bodiesOf(together([cube(50, 0), cube(40, 5, true), cube(30, 10, true)]));
    expect([island.bodies.map(volume), island.told]).toEqual([[61000, 27000], ['One shell was inside out and was turned.']]);
    expect(bodiesOf(together([cube(50, 0), cube(40, 5)])).bodies.map(volume)).toEqual([125000]);
    const turned = bodiesOf(together([cube(50, 0, true), cube(40, 5)]));
    expect(turned.bodies.map(volume)).toEqual([61000]);
  });
  test('a hollow that breaks out of its wall is refused', () => {
    expect(() => bodiesOf(together([cube(50, 0), cube(40, 20, true)]))).toThrow(/breaks through the wall, or a body turned inside out/);
  });
  test('a result that fills the hollow would be seen', () => {
    const hollow = together([cube(30, 0), cube(20, 5, true)]);
    expect(misplaced('join', [hollow], cube(30, 0))).toBeGreaterThan(0.2);
    expect(misplaced('join', [hollow], hollow)).toBe(0);
  });
});

describe('winding numbers', () => {
  test('far sums agree with ray crossings on a part of many shells, and add up in nested ones', () => {
    const mesh = together([ballMesh(10, 60, 40), movedMesh(ballMesh(6, 40, 30), [0, 0, 0], true), movedMesh(ballMesh(3, 30, 20), [0, 0, 0])]);
    const tree = windingTree(buildBvh(mesh));
    for (const [x, right] of [[0, 1], [2.5, 1], [4, 0], [7, 1], [9.5, 1], [10.5, 0], [80, 0]] as const) expect(windingNumber(tree, [x, 0.1, 0.2])).toBeCloseTo(right, 1); // prettier-ignore
    expect(windingNumber(windingTree(buildBvh(together([cube(10, 0), cube(10, 0)]))), [5, 5, 5])).toBeCloseTo(2, 6);
  });
});

describe('mending is held against what came', () => {
  test('just inside and just outside of the shares', () => {
    const part = boxMesh(100, 10, 10);
    const shorter = (share: number) => boxMesh(100 * (1 - share), 10, 10);
    expect(heldAgainst(part, shorter(mostVolumeChanged - 0.02)).refused ?? '').not.toMatch(/of the space/);
    expect(heldAgainst(part, shorter(mostVolumeChanged + 0.02)).refused).toMatch(/of the space that the part fills/);
    // A pin that hardly fills space: surface and distance tell.
    const diagonal = Math.hypot(100, 100, 100);
    const pin = (length: number) => together([boxMesh(100, 100, 100), movedMesh(boxMesh(1, 1, length), [50, 50, 100.001])]);
    expect(heldAgainst(pin(diagonal * farShare * 0.8), boxMesh(100, 100, 100)).refused).toBeNull();
    expect(heldAgainst(pin(diagonal * farShare * 20), boxMesh(100, 100, 100)).refused).toMatch(/piece of the part's outer surface|of the space/);
    const fins = together([boxMesh(100, 100, 1), ...Array.from({ length: 12 }, (_, i) => movedMesh(boxMesh(100, 0.02, 8), [0, 4 + 8 * i, 1.0001]))]);
    expect(heldAgainst(fins, boxMesh(100, 100, 1)).surfaceLost).toBeGreaterThan(mostSurfaceLost);
    expect(heldAgainst(part, part)).toMatchObject({ volumeChanged: 0, surfaceLost: 0, refused: null });
  });
  test('what was dropped by choice does not count; nothing left is refused', () => {
    const two = together([cube(10, 0), cube(10, 20)]);
    expect(heldAgainst(two, cube(10, 0)).refused).toMatch(/space/);
    expect(heldAgainst(two, cube(10, 0), { dropped: cube(10, 20) }).refused).toBeNull();
    expect(heldAgainst(two, { positions: new Float64Array(0), triangles: new Uint32Array(0) }).refused).toMatch(/Nothing would be left/);
  });
});

describe('holes', () => {
  const without = (mesh: Mesh, gone: (x: number, y: number, z: number) => boolean): Mesh => ({
    ...mesh,
    triangles: mesh.triangles.filter((_, i) => {
      const t = Math.floor(i / 3) * 3;
      const at = [0, 1, 2].map((k) => [0, 1, 2].reduce((sum, c) => sum + mesh.positions[mesh.triangles[t + c] * 3 + k], 0) / 3);
      return !gone(at[0], at[1], at[2]);
    }),
  });
  test('an island in a hole stays, and the ring around it is filled once', () => {
    const ball = ballMesh(20, 80, 60);
    const ring = without(ball, (x, y, z) => z > 0 && Math.hypot(x, y) > 3.5 && Math.hypot(x, y) < 6);
    expect(fullCheck(ring)!.shells).toBe(2);
    const { mesh, report } = mended(ring);
    expect(report).toMatchObject({ left: [], after: { closed: true, shells: 1, selfIntersections: 0, lyingOn: 0 } });
    expect(volume(mesh) / volume(ball)).toBeCloseTo(1, 2);
  });
  test('wide ones only when asked: just inside and just outside of half the part, 85 % where the rim is flat', () => {
    const diagonal = Math.hypot(40, 40, 40);
    const open = (share: number) => without(ballMesh(20, 120, 90), (x, y, z) => Math.hypot(x, y) < (share * diagonal) / 2 && z > 0);
    // A rim along triangles is not flat.
    expect(mended(open(widestShare - 0.03)).report.left).toEqual([]);
    expect(mended(open(widestShare + 0.03)).report.left.join()).toMatch(/it may be meant/);
    const lid = (height: number) => {
      const box = boxMesh(10, 10, height);
      return without(box, (_x, _y, z) => z > height - 1e-9);
    };
    const share = (height: number) => Math.hypot(10, 10) / Math.hypot(10, 10, height);
    expect(share(9)).toBeLessThan(widestFlatShare);
    expect(mended(lid(9)).report.left).toEqual([]);
    expect(share(8)).toBeGreaterThan(widestFlatShare);
    expect(mended(lid(8)).report.left.join()).toMatch(/it may be meant/);
    expect(volume(mended(lid(8), { widestHole: 100 }).mesh)).toBeCloseTo(800, 9);
  });
  test('a flat sheet is not made a solid of two skins', () => {
    const square: Mesh = { positions: Float64Array.of(0, 0, 0, 10, 0, 0, 10, 10, 0, 0, 10, 0), triangles: Uint32Array.of(0, 1, 2, 0, 2, 3) };
    const { mesh, report } = mended(square, { widestHole: 100 });
    expect(mesh.triangles).toHaveLength(6);
    expect(report.left.join()).toMatch(/left open/);
  });
  test('a seam counts as one while it gapes by less than a share of its edges, and is joined unasked while it gapes by a hair', () => {
    const halves = (gap: number) => {
      const ball = ballMesh(20, 60, 40);
      const upper = without(ball, (_x, _y, z) => z < 0);
      const lower = without(ball, (_x, _y, z) => z > 0);
      return together([movedMesh(upper, [0, 0, gap]), lower]);
    };
    const edge = 2 * 20 * Math.sin(Math.PI / 60);
    expect(seamsOf(halves(edge * (seamShare - 0.02)))).toMatchObject({ edges: 120 });
    expect(seamsOf(halves(edge * (seamShare + 0.02)))).toBeNull();
    const diagonal = Math.hypot(40, 40, 40);
    expect(mended(halves(diagonal * seamJoinedShare * 0.95)).report.steps.map((s) => s.code)).toEqual(['seam']);
    expect(mended(halves(diagonal * seamJoinedShare * 1.05)).report).toMatchObject({ steps: [] });
  });
});

describe('the surface made anew', () => {
  test('closed, never through itself, near to the old one; hollows stay; too fine a cell is refused', () => {
    const hollow = together([ballMesh(10, 60, 40), movedMesh(ballMesh(6, 40, 30), [0, 0, 0], true)]);
    const made = wrapped(hollow, 0.5)!;
    expect(closedByMap(made)).toBe(true);
    expect(fullCheck(made)).toMatchObject({ selfIntersections: 0, lyingOn: 0, shells: 2 });
    expect(volume(made) / volume(hollow)).toBeCloseTo(1, 1.5);
    const cell = finestCell(boxMesh(10, 10, 10));
    expect(() => wrapped(boxMesh(10, 10, 10), cell * 0.9)).toThrow(/too many places/);
    expect(() => wrapped({ positions: Float64Array.of(0, 0, 0, 9, 0, 0, 0, 9, 0), triangles: Uint32Array.of(0, 1, 2) }, 1)).toThrow(/wraps no room/);
  });
});
