import { mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { beforeAll, describe, expect, test } from 'vitest';
import { facetsFinding, makeFacets, type Facets } from '../src/facets/make.ts';
import { openOwnStep } from '../src/formats/step/open.ts';
import { buildBvh } from '../src/geometry/bvh/build.ts';
import { edgesOf } from '../src/geometry/edges.ts';
import { crossingsOf } from '../src/mesh/soundness/crossings.ts';
import { measureMesh } from '../src/geometry/mesh.ts';
import { SolidBuilder } from '../src/kernel/build.ts';
import { FacetSource } from '../src/kernel/facet-source.ts';
import { workingKernel } from '../src/kernel/load.ts';
import { mesherOf } from '../src/mesher/mesher.ts';
import { shiftAt } from '../src/mesher/metric.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { firstRecipe } from '../src/recipe/recipe.ts';
import { recipeSchema } from '../src/recipe/schema.ts';
import { Bend } from '../src/surfaces/bend.ts';
import { readBrepText } from '../src/surfaces/brep-text.ts';
import { measureDeviation } from '../src/surfaces/deviation.ts';
import type { Surface } from '../src/surfaces/surfaces.ts';
import { run } from './cli.data.ts';
import { some } from './some.ts';

let b: SolidBuilder;
beforeAll(async () => {
  b = new SolidBuilder(await workingKernel());
});
const data = (name: string) => fileURLToPath(new URL(`data/${name}`, import.meta.url));
const noKernel = () => Promise.reject(new Error('the kernel was asked for'));
const both = async (brep: string, deviation: number): Promise<[Facets, Facets]> => {
  const exact = readBrepText(brep);
  const one = (balanced: boolean) => makeFacets(new FacetSource(brep, noKernel), exact, { deviation, angle: 90, balanced });
  return [await one(false), await one(true)];
};
const countOf = (f: { triangles: Uint32Array }) => f.triangles.length / 3;
/** The largest and the least of a signed distance over a lattice in every triangle. */
function spread({ positions: p, triangles: t }: Facets, signed: (q: number[]) => number): [number, number] {
  let [low, high] = [Infinity, -Infinity];
  const n = 8;
  for (let i = 0; i < t.length; i += 3) {
    for (let a = 0; a <= n; a++) {
      for (let c = 0; a + c <= n; c++) {
        const w = [a / n, c / n, (n - a - c) / n];
        const d = signed([0, 1, 2].map((k) => w[0] * p[3 * t[i] + k] + w[1] * p[3 * t[i + 1] + k] + w[2] * p[3 * t[i + 2] + k]));
        low = Math.min(low, d);
        high = Math.max(high, d);
      }
    }
  }
  return [low, high];
}

describe('balanced facets', () => {
  test('of a ball: about half as many, to both sides of it by no more than was promised, and closed', async () => {
    const [plain, balanced] = await both(b.brep(b.sphere([0, 0, 0], 10)), 0.01);
    expect(countOf(balanced) / countOf(plain)).toBeGreaterThan(0.45);
    expect(countOf(balanced) / countOf(plain)).toBeLessThan(0.6);
    // By the ball's own formula.
    const [low, high] = spread(balanced, (q) => Math.hypot(q[0], q[1], q[2]) - 10);
    expect(low).toBeGreaterThan(-0.01);
    expect(low).toBeLessThan(-0.008);
    expect(high).toBeLessThan(0.01);
    expect(high).toBeGreaterThan(0.008);
    expect(spread(plain, (q) => Math.hypot(q[0], q[1], q[2]) - 10)[1]).toBeLessThan(1e-9);
    const { open, nonManifold, flipped } = edgesOf(balanced.triangles, balanced.positions.length / 3);
    expect(open + nonManifold + flipped).toBe(0);
    // What lies outside makes up for what lies inside: the volume of the handbook is met nearer, with half of the facets.
    const off = (f: Facets) => Math.abs(measureMesh(f).volume / ((4 / 3) * Math.PI * 1000) - 1);
    expect(off(balanced)).toBeLessThan(off(plain) / 2);
  });
  test('a ring: outside of it as a ball, inside, where it is a saddle, on its surface', async () => {
    const [plain, balanced] = await both(b.brep(b.torus([0, 0, 0], [0, 0, 1], 20, 6)), 0.02);
    expect(countOf(balanced) / countOf(plain)).toBeLessThan(0.85);
    const { positions: p } = balanced;
    for (let i = 0; i < p.length; i += 3) {
      const rho = Math.hypot(p[i], p[i + 1]);
      const off = Math.hypot(rho - 20, p[i + 2]) - 6;
      if (rho < 19.9) expect(Math.abs(off)).toBeLessThan(1e-9);
      else expect(off).toBeGreaterThan(-1e-9);
      expect(off).toBeLessThanOrEqual(0.02);
    }
  });
  test('edges stay on both of their faces: a bored ball, a rounded block, a plate with a round hole', async () => {
    const solids = [b.cut(b.sphere([0, 0, 0], 20), b.cylinder([0, 0, -30], [0, 0, 1], 5, 60)), b.rounded(b.box([0, 0, 0], [40, 30, 20]), 8)];
    for (const solid of solids) {
      const brep = b.brep(solid);
      const [plain, balanced] = await both(brep, 0.02);
      expect([balanced.kept, balanced.left]).toEqual([true, null]);
      expect(countOf(balanced)).toBeLessThan(0.85 * countOf(plain));
      const exact = readBrepText(brep);
      // Corners that two faces share lie on both surfaces.
      const faceOf = new Map<number, Set<number>>();
      exact.faces.forEach((_, f) => {
        for (let i = 3 * balanced.starts[f]; i < 3 * balanced.starts[f + 1]; i++) {
          const v = balanced.triangles[i];
          faceOf.set(v, (faceOf.get(v) ?? new Set()).add(f));
        }
      });
      for (const [v, list] of faceOf) {
        if (list.size < 2) continue;
        for (const f of list) {
          const s = exact.faces[f].surface;
          if (s.kind !== 'sphere' && s.kind !== 'plane') continue;
          const d = [0, 1, 2].map((k) => balanced.positions[3 * v + k] - s.frame.at[k]);
          const off = s.kind === 'sphere' ? Math.hypot(...d) - s.r : d[0] * s.frame.z[0] + d[1] * s.frame.z[1] + d[2] * s.frame.z[2];
          expect(Math.abs(off)).toBeLessThan(1e-7);
        }
      }
    }
    const [plain, balanced] = await both(b.brep(b.cut(b.box([0, 0, 0], [60, 40, 5]), b.cylinder([20, 20, -1], [0, 0, 1], 6, 9))), 0.02);
    expect([...balanced.positions]).toEqual([...plain.positions]);
  });
  test('left-handed frames, a tube that reaches over its own axis, splines, poles: kept, and no more than without', async () => {
    for (const [file, deviation] of [['screw.step', 0.02], ['ellipsoid.step', 0.02], ['torus-spline.step', 0.02], ['loft.step', 0.05]] as const) {
      const { brep } = openOwnStep(new Uint8Array(readFileSync(data(file))), 1e-5)!.parts[0];
      const [plain, balanced] = await both(brep, deviation);
      expect([balanced.kept, balanced.rounds]).toEqual([true, 1]);
      expect(countOf(balanced)).toBeLessThan(countOf(plain));
      expect(measureDeviation(readBrepText(brep), balanced).largest).toBeLessThanOrEqual(deviation);
    }
  }); // prettier-ignore
  test('how far points stand off: against the bend, all of 0.97 of the deviation from a tenth of the other bend on, none on a saddle', () => {
    const frame = { at: [0, 0, 0] as [number, number, number], x: [1, 0, 0] as [number, number, number], y: [0, 1, 0] as [number, number, number], z: [0, 0, 1] as [number, number, number] }; // prettier-ignore
    const shift = (s: Surface, v: number, balanced = true) => {
      const bend = new Bend(s);
      bend.look(0.3, v);
      return shiftAt(bend, { deviation: 0.1, angle: 1, balanced });
    };
    expect(shift({ kind: 'sphere', frame, r: 5 }, 0.4)).toBeCloseTo(0.097, 12);
    expect(shift({ kind: 'sphere', frame, r: 5 }, 0.4, false)).toBe(0);
    expect(shift({ kind: 'cylinder', frame, r: 5 }, 0.4)).toBeCloseTo(0, 15);
    // A ring of radii 10 and 1 is bent by cos v / (10 + cos v) round its axis (do Carmo, 3.3): 1/11 of the tube's at most.
    const ring: Surface = { kind: 'torus', frame, major: 10, minor: 1 };
    expect(shift(ring, 0)).toBeCloseTo((0.097 * 10) / 11, 12);
    expect(shift({ ...ring, major: 8.9 } as Surface, 0)).toBeCloseTo(0.097, 12);
    expect(shift(ring, Math.PI)).toBeCloseTo(0, 15);
  });
  test('the file says it; the kernel makes none such', async () => {
    const [plain, balanced] = await both(b.brep(b.sphere([0, 0, 0], 10)), 0.1);
    expect(facetsFinding(plain)).toEqual([]);
    expect(facetsFinding(balanced)).toMatchObject([{ code: 'balanced-facets', severity: 'clear' }]);
    expect(facetsFinding(balanced)[0].message).toContain('0.1 mm');
    // A solid in inches that is written 25.4 times as large moves by as much more.
    expect(facetsFinding(balanced, 25.4)[0].message).toContain('2.54 mm');
    const source = new FacetSource(b.brep(b.sphere([0, 0, 0], 10)), workingKernel);
    await source.byKernel();
    const theirs = await makeFacets(source, readBrepText(b.brep(b.sphere([0, 0, 0], 10))), { deviation: 0.1, angle: 60, balanced: true });
    expect([theirs.balanced, facetsFinding(theirs)[0].code]).toEqual([false, 'kernel-facets']);
    source.close();
  });
  test('a recipe may ask for it, or not; nothing but yes and no', () => {
    const recipe = firstRecipe({ kind: 'solid', survey: null }, readyReceivers);
    const asked = (balanced: unknown) => recipeSchema.validate({ ...recipe, facets: { ...recipe.facets, balanced } }).error?.message;
    expect(recipeSchema.validate(recipe).error).toBeUndefined();
    expect([asked(true), asked(false)]).toEqual([undefined, undefined]);
    expect(asked('yes')).toContain('balanced');
  });
  test('on the command line: fewer triangles, deviation proved, told in the report', () => {
    const made = (...more: string[]) => {
      const out = mkdtempSync(join(tmpdir(), 'balanced-'));
      const { stdout } = run('write', data('ellipsoid.step'), '--format', 'stl', '--deviation', '0.1', '--out', out, '--json', ...more);
      type Row = { file: string; kept: boolean; evidence: { quantity: string; received: number; verdict: string }[]; findings: { code: string }[] };
      const [row] = (JSON.parse(stdout) as { written: Row[] }).written;
      return { row, triangles: readFileSync(row.file).readUInt32LE(80), deviation: row.evidence.find((c) => c.quantity === 'Deviation')! };
    };
    const [plain, balanced] = [made(), made('--balanced')];
    for (const { row, deviation } of [plain, balanced]) {
      expect(row.evidence.every((c) => c.verdict === 'clear')).toBe(true);
      expect(deviation.received).toBeLessThanOrEqual(0.1);
    }
    expect(balanced.row.findings.map((f) => f.code)).toContain('balanced-facets');
    expect(plain.row.findings.map((f) => f.code)).not.toContain('balanced-facets');
    expect(balanced.triangles).toBeLessThan(0.65 * plain.triangles);
  });
  test('no facet goes through another, balanced or not: a thin cup whose rim is a narrow ring, coarse and fine, by any angle', () => {
    const [r, wall, k] = [29, 1.6, Math.SQRT1_2];
    const cup = b.revolved(
      [r, 0],
      [{ to: [0, r], through: [r * k, r * k] }, { to: [0, r - wall] }, { to: [r - wall, 0], through: [(r - wall) * k, (r - wall) * k] }, { to: [r, 0], through: [r - wall / 2, -wall / 2] }],
    );
    const read = (file: string) => openOwnStep(new Uint8Array(readFileSync(data(file))), 1e-5)!.parts[0].brep;
    for (const brep of [b.brep(cup), read('ellipsoid.step'), read('torus-spline.step')]) {
      for (const degrees of some([5, 10, 30, 90], [10, 90])) {
        for (const deviation of some([0.2, 0.1, 0.04, 0.02], [0.2, 0.04])) {
          for (const balanced of [false, true]) {
            const facets = mesherOf(brep).facets({ deviation, angle: (degrees * Math.PI) / 180, balanced });
            const { crossingPairs, lyingPairs } = crossingsOf(buildBvh(facets));
            expect([degrees, deviation, balanced, crossingPairs, lyingPairs]).toEqual([degrees, deviation, balanced, 0, 0]);
          }
        }
      }
    }
  }); // prettier-ignore
  test('edges are cut as without', () => {
    const brep = b.brep(b.cut(b.sphere([0, 0, 0], 20), b.cylinder([0, 0, -30], [0, 0, 1], 5, 60)));
    const lines = (balanced: boolean) => mesherOf(brep).edgeLines({ deviation: 0.05, angle: 1.5, balanced });
    expect([...lines(true).points]).toEqual([...lines(false).points]);
  });
});
