/** What a received mesh and its design differ by, triangle by triangle: against closed forms of cylinders, balls and boxes. */
import { beforeAll, describe, expect, test } from 'vitest';
import type { Mesh } from '../src/geometry/mesh.ts';
import { SolidBuilder, type Solid } from '../src/kernel/build.ts';
import { workingKernel } from '../src/kernel/load.ts';
import { asModelled, placementOf } from '../src/stance/stance.ts';
import { readBrepText } from '../src/surfaces/brep-text.ts';
import { differencesOf, mostColoured, type DrawnDesign } from '../src/surfaces/difference.ts';
import { unpackView, viewOf } from '../src/view/view.ts';
import { mesh, sphere } from './patch.data.ts';
import { code } from './thrown.ts';

let build: SolidBuilder;
beforeAll(async () => {
  build = new SolidBuilder(await workingKernel());
});

/** A solid as the light table has it. */
async function drawn(solid: Solid): Promise<DrawnDesign> {
  const brep = build.brep(solid);
  const view = unpackView((await viewOf({ kind: 'solid', brep }, workingKernel)).slice().buffer);
  return { ...view, exact: readBrepText(brep) };
}
const asMesh = (m: Mesh): DrawnDesign => ({ ...m, starts: new Uint32Array(0), exact: null });
const still = { rows: Float64Array.of(1, 0, 0, 0, 1, 0, 0, 0, 1), shift: [0, 0, 0] as [number, number, number] };

/** A block from zero, twelve triangles. */
const block = (x: number, y: number, z: number): Mesh =>
  mesh(
    [0, 0, 0, x, 0, 0, x, y, 0, 0, y, 0, 0, 0, z, x, 0, z, x, y, z, 0, y, z],
    [0, 2, 1, 0, 3, 2, 4, 5, 6, 4, 6, 7, 0, 1, 5, 0, 5, 4, 1, 2, 6, 1, 6, 5, 2, 3, 7, 2, 7, 6, 3, 0, 4, 3, 4, 7],
  );

/** A cylinder of n sides round Z, its corners on the circle. */
function prism(n: number, r: number, h: number): Mesh {
  const positions: number[] = [0, 0, 0, 0, 0, h];
  const triangles: number[] = [];
  for (let k = 0; k < n; k++) {
    const [x, y] = [r * Math.cos((2 * Math.PI * k) / n), r * Math.sin((2 * Math.PI * k) / n)];
    positions.push(x, y, 0, x, y, h);
  }
  for (let k = 0; k < n; k++) {
    const [a, b] = [2 + 2 * k, 2 + 2 * ((k + 1) % n)];
    triangles.push(a, b, b + 1, a, b + 1, a + 1, 0, b, a, 1, a + 1, b + 1);
  }
  return mesh(positions, triangles);
}
/** Sagitta of a chord of a circle: r (1 - cos(pi / n)). */
const sagitta = (n: number, r: number) => r * (1 - Math.cos(Math.PI / n));

describe('of a solid, from its exact surfaces', () => {
  test('facets of a cylinder lie within it by their sagitta, whatever facets are drawn; its lids lie on it', async () => {
    const design = await drawn(build.cylinder([0, 0, 0], [0, 0, 1], 30, 80));
    for (const n of [24, 90, 400]) {
      const found = differencesOf(design, prism(n, 30, 80), still);
      const walls = Array.from(found.received).filter((_, k) => k % 4 < 2);
      for (const d of walls) expect(d).toBeCloseTo(-sagitta(n, 30), 4);
      expect(found.largest).toBeCloseTo(sagitta(n, 30), 4);
      expect(Math.hypot(found.at[0], found.at[1])).toBeLessThan(30.0001);
    }
  });
  test('what is 0.2 mm too large lies outside by 0.2 everywhere', async () => {
    const design = await drawn(build.cylinder([0, 0, 0], [0, 0, 1], 30, 80));
    const n = 400;
    const found = differencesOf(design, prism(n, 30.2, 80), still);
    for (const d of Array.from(found.received).filter((_, k) => k % 4 < 2)) expect(d).toBeCloseTo(0.2, 3);
    // Seen from the design: all of its wall is covered by 0.2 less what facets take.
    const wall = design.starts.findIndex((_, f) => f + 1 < design.starts.length && design.exact!.faces[f].surface.kind === 'cylinder');
    for (let t = design.starts[wall]; t < design.starts[wall + 1]; t++) {
      expect(found.designed[t]).toBeLessThan(0.2001);
      expect(found.designed[t]).toBeGreaterThan(0.2 - sagitta(n, 30.2) - 1e-3);
    }
  });
  test('in inches, turned and set down: the same in mm', async () => {
    const design = await drawn(build.cylinder([3, 1, 0], [0, 0, 1], 1.2, 3));
    const turn = [Math.SQRT1_2, 0, 0, Math.SQRT1_2] as const;
    const placed = placementOf({ ...asModelled, turn: [...turn], drop: true }, 25.4, design.positions);
    const own = prism(60, 1.2, 3);
    const positions = new Float64Array(own.positions.length);
    for (let v = 0; v < positions.length; v += 3) {
      const p = [own.positions[v] + 3, own.positions[v + 1] + 1, own.positions[v + 2]];
      for (let i = 0; i < 3; i++)
        positions[v + i] = placed.rows[i * 3] * p[0] + placed.rows[i * 3 + 1] * p[1] + placed.rows[i * 3 + 2] * p[2] + placed.shift[i];
    }
    expect(differencesOf(design, { positions, triangles: own.triangles }, placed).largest).toBeCloseTo(25.4 * sagitta(60, 1.2), 3);
  });
  test('a hole that was not made: its place stands out on the plate, its wall on the design', async () => {
    const plate = build.cut(build.box([0, 0, 0], [60, 40, 8]), build.cylinder([30, 20, -1], [0, 0, 1], 10, 10));
    const design = await drawn(plate);
    const found = differencesOf(design, block(60, 40, 8), still); // prettier-ignore
    const hole = design.exact!.faces.findIndex((f) => f.surface.kind === 'cylinder');
    let most = 0;
    for (let t = design.starts[hole]; t < design.starts[hole + 1]; t++) most = Math.max(most, found.designed[t]);
    // Half way up its wall there is half of the plate's thickness too much on each side.
    expect(most).toBeCloseTo(4, 6);
    // The middle of the plate's two large triangles is that of the hole: its radius from any wall.
    expect(found.largest).toBeCloseTo(10, 6);
    expect(found.at.slice(0, 2).map((v) => Math.round(v))).toEqual([30, 20]);
    expect(Math.max(...found.received)).toBeCloseTo(10, 5);
    // From the received plate's own faces nothing lies off the design but what closes the hole.
    const flat = Array.from(found.received).filter((_, t) => t >= 4);
    expect(Math.max(...flat.map(Math.abs))).toBeLessThan(1e-9);
  });
  test('a boss that nobody designed stands out', async () => {
    const design = await drawn(build.box([0, 0, 0], [60, 40, 8]));
    const found = differencesOf(design, block(60, 40, 11), still); // prettier-ignore
    expect(found.largest).toBeCloseTo(3, 9);
    expect(Math.max(...found.received)).toBeCloseTo(3, 9);
    expect(found.at[2]).toBeCloseTo(11, 9);
  });
});

describe('of a mesh, from its own triangles', () => {
  test('the same mesh lies on it; a ball of fewer facets within it by what its facets take', () => {
    const ball = sphere(20, 4);
    expect(differencesOf(asMesh(ball), ball, still).largest).toBeLessThan(1e-9);
    const coarse = differencesOf(asMesh(ball), sphere(20, 2), still);
    // The largest facets of the coarse ball: their middle is nearer to the centre than 20 by the distance of its plane.
    const m = sphere(20, 2);
    let deepest = 0;
    for (let t = 0; t < m.triangles.length; t += 3) {
      const c = [0, 1, 2].map((d) => [0, 1, 2].reduce((sum, i) => sum + m.positions[m.triangles[t + i] * 3 + d] / 3, 0));
      deepest = Math.max(deepest, 20 - Math.hypot(...c));
    }
    // The fine ball's own facets take up to 0.06 mm.
    expect(Math.abs(coarse.largest - deepest)).toBeLessThan(0.1);
    expect(Math.max(...coarse.received)).toBeLessThan(1e-9);
  });
  test('a file without triangles is never as designed: refused; faces that are measured by their facets only are counted', async () => {
    const none: Mesh = { positions: new Float64Array(0), triangles: new Uint32Array(0) };
    expect(code(() => differencesOf(asMesh(sphere(1, 1)), none, still))).toBe('nothing-to-colour');
    const design = await drawn(build.box([0, 0, 0], [60, 40, 8]));
    expect(differencesOf(design, block(60, 40, 8), still).byFacets).toBe(0);
    const unknown = {
      ...design,
      exact: { ...design.exact!, faces: design.exact!.faces.map((f, i) => (i === 2 ? { ...f, surface: { kind: 'other' as const } } : f)) },
    };
    expect(differencesOf(unknown as DrawnDesign, block(60, 40, 8), still).byFacets).toBe(1);
    expect(differencesOf({ ...design, starts: design.starts.slice(0, 4) }, block(60, 40, 8), still).byFacets).toBe(3);
    expect(differencesOf(asMesh(sphere(1, 1)), sphere(1, 1), still).byFacets).toBe(0);
  });
  test('too heavy a mesh is refused in a sentence', () => {
    const heavy: Mesh = { positions: new Float64Array(9), triangles: new Uint32Array(3 * (mostColoured + 1)) };
    expect(code(() => differencesOf(asMesh(sphere(1, 0)), heavy, still))).toBe('too-heavy-to-colour');
  });
});
