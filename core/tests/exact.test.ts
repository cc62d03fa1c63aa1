import { beforeAll, describe, expect, test } from 'vitest';
import { readBrepText, type ExactSolid } from '../src/surfaces/brep-text.ts';
import { curveAt, type Curve } from '../src/surfaces/curves.ts';
import { Nearest } from '../src/surfaces/nearest.ts';
import { basisAt, findSpan, flatKnots } from '../src/surfaces/nurbs.ts';
import { recognised } from '../src/surfaces/recognise.ts';
import { surfaceAt, type BsplineSurface, type Surface } from '../src/surfaces/surfaces.ts';
import { readDesign } from '../src/pipeline/read.ts';
import { determinantOf, identityRows, invertedRows, timesRows } from '../src/geometry/rows.ts';
import { SolidBuilder, type Solid } from '../src/kernel/build.ts';
import { OpenSolid } from '../src/kernel/facets.ts';
import { nodeKernels, workingKernel } from '../src/kernel/load.ts';
import { dataFile } from './data.ts';

let build: SolidBuilder;
let kernel: Awaited<ReturnType<typeof workingKernel>>;
beforeAll(async () => {
  kernel = await workingKernel();
  build = new SolidBuilder(kernel);
});

/** Largest distance of the mesher's own vertices from the surface of the face that they are said to lie on. */
function offSurface(solid: ExactSolid, text: string): number {
  const open = new OpenSolid(kernel, text);
  const facets = open.facets(0.2, 0.4);
  open.close();
  expect(facets.starts).toHaveLength(solid.faces.length + 1);
  let largest = 0;
  solid.faces.forEach((face, f) => {
    const nearest = new Nearest(face.surface);
    for (let i = facets.starts[f] * 3; i < facets.starts[f + 1] * 3; i++) {
      const v = facets.triangles[i] * 3;
      largest = Math.max(largest, nearest.find(facets.positions[v], facets.positions[v + 1], facets.positions[v + 2]));
    }
  });
  return largest;
}

describe('B-splines (The NURBS Book, 2nd edition)', () => {
  test('basis functions of degree 2 at u = 5/2 on {0,0,0,1,2,3,4,4,5,5,5} are 1/8, 6/8, 1/8 (example 2.3)', () => {
    const knots = Float64Array.of(0, 0, 0, 1, 2, 3, 4, 4, 5, 5, 5);
    const span = findSpan(knots, 2, 8, 2.5);
    expect(span).toBe(4);
    const out = new Float64Array(9);
    basisAt({ knots, degree: 2 }, span, 2.5, out);
    expect(Array.from(out.slice(0, 3))).toEqual([1 / 8, 6 / 8, 1 / 8]);
    // First derivatives there, worked by hand: -1/2, 0, 1/2 (example 2.4).
    expect(Array.from(out.slice(3, 6))).toEqual([-1 / 2, 0, 1 / 2]);
  });
  test('basis functions add up to one, their derivatives to nothing, everywhere', () => {
    const knots = flatKnots([0, 0.3, 0.35, 1], [4, 2, 1, 4]);
    const out = new Float64Array(12);
    for (let u = 0; u <= 1; u += 0.01) {
      basisAt({ knots, degree: 3 }, findSpan(knots, 3, 7, u), u, out);
      for (const [row, want] of [[0, 1], [1, 0], [2, 0]]) expect(out.slice(row * 4, row * 4 + 4).reduce((a, b) => a + b)).toBeCloseTo(want, 6); // prettier-ignore
    }
  });
  test('a quarter circle as a rational quadratic is a circle, and its curvature 1 / r', () => {
    const quarter: Curve = {
      kind: 'bspline',
      degree: 2,
      knots: flatKnots([0, 1], [3, 3]),
      poles: Float64Array.of(5, 0, 0, 5, 5, 0, 0, 5, 0),
      weights: Float64Array.of(1, Math.SQRT1_2, 1),
    };
    for (let u = 0; u <= 1; u += 0.05) {
      const p = curveAt(quarter, u);
      expect(Math.hypot(p.at[0], p.at[1])).toBeCloseTo(5, 12);
      const turn = p.d1[0] * p.d2[1] - p.d1[1] * p.d2[0];
      expect(turn / Math.hypot(p.d1[0], p.d1[1]) ** 3).toBeCloseTo(1 / 5, 9);
    }
  });
});

describe('surfaces written as B-splines are known for what they are', () => {
  const quarter = (r: number, z: number) => [[r, 0, z], [r, r, z], [0, r, z]]; // prettier-ignore
  const ruled = (low: number[][], high: number[][]): BsplineSurface => ({
    kind: 'bspline', uDegree: 2, vDegree: 1, uCount: 3, vCount: 2, uKnots: flatKnots([0, 1], [3, 3]), vKnots: flatKnots([0, 1], [2, 2]),
    poles: Float64Array.from([0, 1, 2].flatMap((i) => [...low[i], ...high[i]])),
    weights: Float64Array.of(1, 1, Math.SQRT1_2, Math.SQRT1_2, 1, 1),
  }); // prettier-ignore
  const agrees = (a: Surface, b: Surface) => {
    const nearest = new Nearest(b);
    for (let k = 0; k <= 20; k++) expect(nearest.find(...surfaceAt(a, k / 20, ((k * 7) % 21) / 20).at)).toBeLessThan(1e-9);
  };
  test('a cylinder, a cone, a cone to its tip and a plane', () => {
    const cases: [BsplineSurface, string][] = [
      [ruled(quarter(4, 1), quarter(4, 9)), 'cylinder'],
      [ruled(quarter(4, 1), quarter(7, 9)), 'cone'],
      [ruled(quarter(4, 1), quarter(0, 9)), 'cone'],
      [ruled(quarter(4, 1), quarter(7, 1)), 'plane'],
    ];
    for (const [surface, kind] of cases) {
      const found = recognised(surface);
      expect(found.kind).toBe(kind);
      agrees(surface, found);
    }
  });
  test('what is only nearly one stays a B-spline', () => {
    const bent = quarter(4, 9);
    bent[1][0] += 1e-4;
    expect(recognised(ruled(quarter(4, 1), bent)).kind).toBe('bspline');
    const oval = quarter(4, 9).map(([x, y, z]) => [x, y * 1.01, z]);
    expect(recognised(ruled(quarter(4, 1), oval)).kind).toBe('bspline');
    const aside = quarter(4, 9).map(([x, y, z]) => [x + 1, y, z]);
    expect(recognised(ruled(quarter(4, 1), aside)).kind).toBe('bspline');
  });
  test('as1-oc-214.stp has B-spline faces only that are cylinders of radius 5 and 7.5 (bolts M10 by their heads)', async () => {
    const design = await readDesign(dataFile('as1-oc-214.stp'), 'as1.stp', nodeKernels);
    for (const part of design.parts) {
      expect(part.summary.survey).toMatchObject({ bothWays: 0 });
      const geometry = part.geometry as { brep: string };
      for (const face of readBrepText(geometry.brep).faces)
        if (face.surface.kind === 'cylinder') expect(Math.min(Math.abs(face.surface.r - 5), Math.abs(face.surface.r - 7.5))).toBeLessThan(1e-9);
    }
  });
});

describe('BREP text read without the kernel: every facet vertex lies on the surface of its own face', () => {
  const solids: [string, () => Solid, string[]][] = [
    ['planes', () => build.box([1, 2, 3], [4, 5, 6]), ['plane']],
    ['a ball', () => build.sphere([5, 0, 0], 7), ['sphere']],
    ['a ring about a tilted axis', () => build.torus([1, 2, 3], [1, 1, 1], 20, 6), ['torus']],
    ['a turned profile with lines and arcs', () => build.revolved([4, 0], [{ to: [10, 0] }, { to: [12, 6] }, { to: [6, 12], through: [11, 11] }, { to: [4, 12] }, { to: [4, 0] }]), ['plane', 'cone', 'cylinder']],
    ['a raised profile with an arc', () => build.raised([0, 0], [{ to: [20, 0] }, { to: [20, 10] }, { to: [0, 10], through: [10, 16] }, { to: [0, 0] }], 7), ['plane', 'cylinder']],
    ['rounds of a box', () => build.rounded(build.box([0, 0, 0], [30, 20, 10]), 3), ['plane', 'cylinder', 'sphere']],
    ['a hollow box', () => build.shelled(build.box([0, 0, 0], [30, 20, 10]), 1, ([, , z]) => z > 9.9), ['plane']],
    ['a part moved after it was made', () => build.moved(build.rounded(build.box([0, 0, 0], [30, 20, 10]), 3), [100, -50, 7]), ['cylinder']],
  ]; // prettier-ignore
  for (const [name, make, kinds] of solids) {
    test(name, () => {
      const text = build.brep(make());
      const solid = readBrepText(text);
      for (const kind of kinds) expect(solid.faces.map((f) => f.surface.kind)).toContain(kind);
      expect(offSurface(solid, text)).toBeLessThan(2e-5);
    });
  }
  test('the open files too: screw (lobed recess), as1, dm1', async () => {
    for (const name of ['screw.step', 'as1-oc-214.stp', 'dm1-oc-214.stp']) {
      for (const part of (await readDesign(dataFile(name), name, nodeKernels)).parts) {
        const { brep } = part.geometry as { brep: string };
        // A file's own tolerance between faces and edges is larger than float32's rounding.
        expect(offSurface(readBrepText(brep), brep)).toBeLessThan(1e-3);
      }
    }
  });
  test('text that is cut off is a RangeError, not a wrong solid', () => {
    const text = build.brep(build.box([0, 0, 0], [1, 1, 1]));
    for (const share of [0.2, 0.5, 0.9]) expect(() => readBrepText(text.slice(0, text.length * share))).toThrow(RangeError);
  });
});

describe('placements as rows', () => {
  const turn = [0, -1, 0, 5, 1, 0, 0, 6, 0, 0, 1, 7];
  const mirror = [-1, 0, 0, 1, 0, 1, 0, 2, 0, 0, 1, 3];
  test('a placement and its inverse undo each other; a mirrored one has determinant -1', () => {
    for (const m of [turn, mirror, timesRows(turn, mirror)]) expect(timesRows(m, invertedRows(m)).map((v) => v + 0)).toEqual(identityRows);
    expect(determinantOf(turn)).toBe(1);
    expect(determinantOf(timesRows(turn, mirror))).toBe(-1);
  });
  test('first b, then a', () => {
    expect(timesRows(turn, mirror)).not.toEqual(timesRows(mirror, turn));
    // (1, 0, 0) mirrored is (0, 2, 3); turned that is (3, 6, 10).
    const m = timesRows(turn, mirror);
    expect([0, 4, 8].map((r) => m[r] * 1 + m[r + 3])).toEqual([3, 6, 10]);
  });
});

describe('curves of cones cut by planes', () => {
  // A cone cut beside its axis: its edges are hyperbolas; cut along a ruling's slope: a parabola. Source: Apollonius, any handbook.
  test('hyperbola and parabola edges lie on both surfaces', () => {
    const b = build;
    const cone = b.revolved([20, 0], [{ to: [0, 40] }, { to: [0, 0] }, { to: [20, 0] }]);
    // A half space whose plane runs along the ruling that falls 2 for 1 in Y.
    const w = 1 / Math.sqrt(5);
    const slanted = b.placed(b.box([-100, -100, 0], [200, 200, 200]), [1, 0, 0, 0, 0, w, 2 * w, 0, 0, -2 * w, w, 20]);
    let hyperbolas = 0;
    let parabolas = 0;
    for (const solid of [b.cut(cone, b.box([-30, 6, -1], [60, 60, 60])), b.cut(cone, slanted)]) {
      for (const face of readBrepText(b.brep(solid)).faces) {
        if (face.surface.kind !== 'plane') continue;
        for (const e of face.edges) {
          if (e.curve?.kind === 'hyperbola') hyperbolas++;
          else if (e.curve?.kind === 'parabola') parabolas++;
          else continue;
          for (let k = 0; k <= 8; k++) {
            const p = curveAt(e.curve, e.from + ((e.to - e.from) * k) / 8).at;
            // On the cone: radius falls from 20 to 0 over 40 mm.
            expect(Math.hypot(p[0], p[1])).toBeCloseTo(20 - p[2] / 2, 6);
          }
        }
      }
    }
    expect(hyperbolas).toBeGreaterThan(0);
    expect(parabolas).toBeGreaterThan(0);
  });
});
