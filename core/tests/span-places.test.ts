import { readFileSync } from 'node:fs';
import { Triangle, Vector3 } from 'three';
import { describe, expect, test } from 'vitest';
import { boxOfBody, boxOfPlaced } from '../src/body/extent.ts';
import { bodyFigures } from '../src/body/figures.ts';
import { samplesOf } from '../src/body/samples.ts';
import { trimmed } from '../src/body/trim.ts';
import { makeFacets } from '../src/facets/make.ts';
import { openOwnStep } from '../src/formats/step/open.ts';
import { FacetSource } from '../src/kernel/facet-source.ts';
import { mesherOf } from '../src/mesher/mesher.ts';
import { readBrepText } from '../src/surfaces/brep-text.ts';
import { curveAt } from '../src/surfaces/curves.ts';
import { measureDeviation } from '../src/surfaces/deviation.ts';
import { Nearest } from '../src/surfaces/nearest.ts';
import { Bend } from '../src/surfaces/bend.ts';
import { PlacesOver, type FarOf } from '../src/surfaces/places-over.ts';
import { chebyshev, placesWithin, reachesPlaces, spanPlaces, type SpanPlaces } from '../src/surfaces/span-places.ts';
import { surfaceAt, type Surface } from '../src/surfaces/surfaces.ts';
import { bump, bumpedPlate, bumpedRidge, bumpedSurface, bumpedTube, spindle, tube } from './bumped.data.ts';
import { boxMesh } from './data.ts';
import { random } from './tube.data.ts';

const noKernel = () => Promise.reject(new Error('the kernel was asked for'));
/** Of a pole's height a bump of even cubic spans reaches 2/3 each way (the uniform cubic B-spline's largest value: The NURBS Book, 2.4). */
const peak = (height: number) => bump.top + (4 / 9) * height;
/** The uniform cubic B-spline. */
const cubic = (x: number) => (Math.abs(x) < 1 ? 2 / 3 - x * x + Math.abs(x) ** 3 / 2 : Math.max(0, 2 - Math.abs(x)) ** 3 / 6);
const spans = [5, 2, 0.5, 0.05, 0.01];

describe('a plate with one bump four spans wide, however narrow its knots make that', () => {
  test.each(spans)('spans of %d mm: facets keep the promise by our own mesher, and the bump is among them', async (span) => {
    for (const height of [1, -1]) {
      const { brep, volume } = bodyFigures(bumpedPlate(span, height));
      // The integral of a B-spline is the length of its support over its order (de Boor, A Practical Guide to Splines, X).
      expect(volume).toBeCloseTo(bump.side ** 2 * bump.under + height * span ** 2, 8);
      for (const deviation of [0.2, 0.05, 0.01]) {
        const made = await makeFacets(new FacetSource(brep, noKernel), readBrepText(brep), { deviation, angle: 90 });
        expect(made.kept).toBe(true);
        const heights = Array.from({ length: made.positions.length / 3 }, (_, i) => made.positions[3 * i + 2]).filter((z) => z > bump.under);
        expect(Math.abs((height > 0 ? Math.max(...heights) : Math.min(...heights)) - peak(height))).toBeLessThanOrEqual(deviation);
        // Places of the bump by the cubic B-spline's own formula (de Boor): none lies farther from the facets.
        for (let i = 0; i < 144; i++) {
          const [x, y] = [(i % 12) / 3 - 11 / 6, Math.floor(i / 12) / 3 - 11 / 6];
          const place = [bump.at + span * x, bump.at + span * y, bump.top + height * cubic(x) * cubic(y)];
          expect(nearestOfAll(made, place)).toBeLessThanOrEqual(deviation);
        }
      }
    }
  });
  test.each(spans)('spans of %d mm: a flat box in its place is found to lack it', (span) => {
    const flat = boxMesh(bump.side, bump.side, bump.under);
    const box = { ...flat, positions: flat.positions.map((x, i) => (i % 3 === 2 ? x + bump.under : x)) };
    const { brep } = bodyFigures(bumpedPlate(span, 1));
    const solid = readBrepText(brep);
    // The facets of the box face by face: each of the solid's faces gets those that lie in it.
    const starts = new Uint32Array(solid.faces.length + 1);
    const triangles: number[] = [];
    solid.faces.forEach(({ surface }, f) => {
      for (let k = 0; k < box.triangles.length; k += 3) {
        const three = [...box.triangles.subarray(k, k + 3)];
        const lies = three.every((v) => {
          const p = box.positions.subarray(3 * v, 3 * v + 3);
          if (surface.kind === 'bspline') return p[2] === bump.top;
          if (surface.kind !== 'plane') throw new Error('a plane was meant');
          return Math.abs(surface.frame.z.reduce((sum, n, c) => sum + n * (p[c] - surface.frame.at[c]), 0)) < 1e-9;
        });
        if (lies) triangles.push(...three);
      }
      starts[f + 1] = triangles.length / 3;
    });
    expect(triangles).toHaveLength(36);
    const found = measureDeviation(solid, { positions: box.positions, triangles: Uint32Array.from(triangles), starts });
    expect(found.largest).toBeGreaterThan(0.99 * (4 / 9));
    expect(found.largest).toBeLessThanOrEqual(4 / 9 + 1e-9);
    expect(found.face).toBe(0);
    expect(found.perFace[0]).toBe(found.largest);
    for (const [c, x] of [bump.at, bump.at, bump.top].entries()) expect(Math.abs(found.at[c] - x)).toBeLessThan(span);
  });
  test.each(spans)('spans of %d mm: its box holds the bump, straight and turned; its samples have one on it', (span) => {
    const body = bumpedPlate(span, 1);
    const trims = body.faces.map((face) => trimmed(body, face, 150));
    const own = boxOfBody(body, trims);
    expect(own.max[2]).toBeCloseTo(peak(1), 9);
    for (const [c, x] of [0, 0, bump.under].entries()) expect(own.min[c]).toBeCloseTo(x, 12);
    // Turned about y by 30 degrees the top of a flat plate would reach as high as its corner; the bump shows upside down and turned by a quarter only.
    const [c, s] = [Math.cos(Math.PI / 6), Math.sin(Math.PI / 6)];
    const turned = boxOfPlaced(body, trims, [c, 0, s, 0, 0, 1, 0, 0, -s, 0, c, 0], own);
    expect(turned.max[2]).toBeCloseTo(bump.top * c, 9);
    const tiny = boxOfPlaced(body, trims, [1, 0, 0, 0, 0, Math.cos(1e-7), -Math.sin(1e-7), 0, 0, Math.sin(1e-7), Math.cos(1e-7), 0], own);
    expect(tiny.max[2]).toBeCloseTo(peak(1), 4);
    const samples = samplesOf(body, trims);
    expect(Math.max(...samples.filter((_, i) => i % 3 === 2))).toBeGreaterThan(bump.top + 0.2);
  });
  test('a bump a little lower than what was promised is left flat; one a little higher is not', async () => {
    for (const [share, triangles] of [
      [0.97, 12],
      [1.05, 13],
    ]) {
      const { brep } = bodyFigures(bumpedPlate(0.2, share * 0.05 * (9 / 4)));
      const facets = mesherOf(brep).facets({ deviation: 0.05, angle: 1.5 });
      if (triangles === 12) expect(facets.triangles).toHaveLength(36);
      else expect(facets.triangles.length / 3).toBeGreaterThanOrEqual(triangles);
      const made = await makeFacets(new FacetSource(brep, noKernel), readBrepText(brep), { deviation: 0.05, angle: 85 });
      expect(made.kept).toBe(true);
    }
  });
});

describe('a ridge and a ring, each four spans wide', () => {
  const cases: [string, typeof bumpedPlate, (height: number, span: number) => { volume: number; farthest: number }, (x: number, y: number, z: number) => number][] = [
    // Volumes by the integrals of a cubic B-spline and of its square, w and 151 / 315 w (de Boor, A Practical Guide to Splines, X).
    ['ridge', bumpedRidge, (h, w) => ({ volume: 50_000 + h * w * 100, farthest: bump.top + (2 / 3) * h }), (_x, _y, z) => z],
    ['ring', bumpedTube, (h, w) => ({ volume: Math.PI * ((400 - 25) * 100 + 40 * h * w + (h * h * w * 151) / 315), farthest: tube.outer + (2 / 3) * h }), (x, y) => Math.hypot(x, y)],
  ]; // prettier-ignore
  test.each(cases)('%s: made by our own mesher within the promise, in its box and volume', async (_name, build, expected, reach) => {
    for (const span of [2, 0.2, 0.05]) {
      const body = build(span, 1);
      const { brep, volume, box } = bodyFigures(body);
      const { volume: exact, farthest } = expected(1, span);
      expect(volume / exact).toBeCloseTo(1, 9);
      expect(Math.max(...box.max.slice(1))).toBeCloseTo(Math.max(100, farthest), 9);
      if (build === bumpedTube)
        for (const c of [0, 1]) expect([box.min[c], box.max[c]].map(Math.abs)).toEqual([expect.closeTo(farthest, 9), expect.closeTo(farthest, 9)]);
      for (const deviation of [0.2, 0.05]) {
        const { kept, positions: p } = await makeFacets(new FacetSource(brep, noKernel), readBrepText(brep), { deviation, angle: 90 });
        const top = Math.max(...Array.from({ length: p.length / 3 }, (_, i) => reach(p[3 * i], p[3 * i + 1], p[3 * i + 2])));
        expect([kept, Math.abs(top - farthest) <= deviation]).toEqual([true, true]);
      }
    }
  });
  test.each(cases)('%s: facets of the same body without it are found to lack it, however narrow', (_name, build) => {
    for (const span of [2, 0.2, 0.01]) {
      const flat = mesherOf(bodyFigures(build(span, 0)).brep).facets({ deviation: 0.05, angle: 1.5 });
      const found = measureDeviation(readBrepText(bodyFigures(build(span, 1)).brep), flat);
      expect(found.largest).toBeGreaterThan(0.6);
      expect(found.largest).toBeLessThan(2 / 3 + 0.06);
    }
  });
});

describe('a spindle whose profile begins and ends on the axis', () => {
  /** Its profile by many chords: r, z. */
  const chords = ({ profile }: ReturnType<typeof spindle>) => Array.from({ length: 20_001 }, (_, i) => { const { at } = curveAt(profile, i / 5000); return [at[0], at[2]]; }); // prettier-ignore
  test.each([2 * Math.PI, 1.3 * Math.PI, 0.5])(
    'turned by %d rad: its volume by Pappus, and facets that are made at once and measured as near as they are',
    async (angle) => {
      const made = spindle(angle);
      const { brep, volume } = bodyFigures(made.body);
      const line = chords(made);
      const turned = line.slice(1).reduce((sum, [r, z], i) => sum + ((z - line[i][1]) * (r * r + r * line[i][0] + line[i][0] ** 2)) / 6, 0) * angle;
      expect(volume / turned).toBeCloseTo(1, 6);
      for (const deviation of [2, 0.5, 0.05]) {
        const facets = await makeFacets(new FacetSource(brep, noKernel), readBrepText(brep), { deviation, angle: 90 });
        expect([facets.kept, facets.rounds]).toEqual([true, 1]);
        // Of the places that are measured the farthest is about as far as the mesher was asked for: nothing else is taken for it.
        expect(facets.measured.largest).toBeGreaterThan(0.8 * deviation);
      }
    },
  );
  test('nearest points beside both of its tips, and all along, against a plain search along the profile', () => {
    const made = spindle(1);
    const line = chords(made);
    const on = new Nearest(made.body.faces[0].surface);
    const draw = random(3);
    for (let i = 0; i < 300; i++) {
      const z = i % 3 === 0 ? 100 + 2 * (draw() - 0.8) : i % 3 === 1 ? 2 * (draw() - 0.2) : 100 * draw();
      const r = (i % 3 < 2 ? 3 : 30) * draw();
      const turn = 7 * draw();
      const plain = Math.min(...line.map(([a, b]) => Math.hypot(a - r, b - z)));
      expect(on.find(r * Math.cos(turn), r * Math.sin(turn), z)).toBeCloseTo(plain, 2);
    }
  });
});

describe('facets that are as near as they say', () => {
  const data = (name: string) => openOwnStep(new Uint8Array(readFileSync(new URL(`data/${name}`, import.meta.url))), 1e-5)!.parts[0].brep;
  test.each(['torus-spline.step', 'ellipsoid.step', 'loft.step'])(
    '%s, closed, with poles or creases, coarse and fine: seen from the surface nothing is farther than from the facets',
    (name) => {
      const brep = data(name);
      for (const deviation of [2, 0.5, 0.05]) {
        const facets = mesherOf(brep).facets({ deviation, angle: 1.5 });
        const solid = readBrepText(brep);
        const measured = measureDeviation(solid, facets);
        expect(measured.largest).toBeLessThanOrEqual(deviation * 1.01);
        // What points of the surface themselves lie from the nearest of all facets, by a plain search.
        const places = solid.faces.flatMap(({ surface }) => (surface.kind === 'bspline' ? gridOn(surface) : []));
        const far = Math.max(0, ...places.map((p) => nearestOfAll(facets, p)));
        if (solid.faces.length === 1) expect(far).toBeLessThanOrEqual(measured.largest * 1.02);
      }
    },
  );
});

const gridOn = (surface: ReturnType<typeof bumpedSurface>): (readonly number[])[] => {
  const [u0, u1] = [surface.uKnots[surface.uDegree], surface.uKnots[surface.uCount]];
  const [v0, v1] = [surface.vKnots[surface.vDegree], surface.vKnots[surface.vCount]];
  return Array.from(
    { length: 400 },
    (_, i) => surfaceAt(surface, u0 + ((u1 - u0) * ((i % 20) + 0.5)) / 20, v0 + ((v1 - v0) * (Math.floor(i / 20) + 0.5)) / 20).at,
  );
};

/** The distance from the nearest of all triangles, by another library's closest points (three.js). */
function nearestOfAll({ positions: p, triangles: t }: { positions: Float64Array; triangles: Uint32Array }, q: readonly number[]): number {
  const [triangle, point, found] = [new Triangle(), new Vector3(...q), new Vector3()];
  let best = Infinity;
  for (let k = 0; k < t.length; k += 3) {
    [triangle.a, triangle.b, triangle.c].forEach((corner, i) => corner.fromArray(p, 3 * t[k + i]));
    best = Math.min(best, triangle.closestPointToPoint(point, found).distanceToSquared(point));
  }
  return Math.sqrt(best);
}

describe('places in every span', () => {
  test('one more each way than the degree in each span that has a length, none at its ends; fewer where the whole would be too many', () => {
    const both = (surface: Surface) => {
      const { u, v, range } = spanPlaces(surface, [0, 0])!;
      return { u: u!, v: v!, range };
    };
    const places = both(bumpedSurface(1, 1));
    expect(places.range).toEqual([0, 100, 0, 100]);
    expect(places.u).toHaveLength(10 * 4);
    for (let i = 1; i < places.u.length; i++) expect(places.u[i]).toBeGreaterThan(places.u[i - 1]);
    for (const knot of bumpedSurface(1, 1).uKnots) expect(places.u).not.toContain(knot);
    expect(spanPlaces({ kind: 'offset', of: bumpedSurface(1, 1), by: 2 }, [0, 0])!.u).toEqual(places.u);
    expect(spanPlaces({ kind: 'plane', frame: { at: [0, 0, 0], x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] } }, [0, 0])).toBe(null);
    const many = (n: number) => {
      const knots = Float64Array.from([0, 0, ...Array.from({ length: n + 1 }, (_, i) => i), n, n].slice(0, n + 5));
      return both({ kind: 'bspline', uDegree: 2, vDegree: 2, uKnots: knots, vKnots: knots, uCount: n + 2, vCount: n + 2, poles: new Float64Array(0), weights: null }); // prettier-ignore
    };
    // 170,000 places: 137 spans each way have 9 each, 138 would have 171,396.
    expect(many(137).u.length * many(137).v.length).toBe(411 ** 2);
    expect(many(138).u.length * many(138).v.length).toBe(414 * 276);
    expect(many(700).u.length * many(700).v.length).toBe(700 ** 2);
  });
  test("a polynomial that is small at all of Chebyshev's nodes is small in between: no more than Lebesgue's constant times that", () => {
    const nodes = chebyshev(0, 1, 4);
    const draw = random(5);
    for (let n = 0; n < 200; n++) {
      const values = nodes.map(() => (draw() < 0.5 ? -1 : 1));
      const at = (x: number) =>
        nodes.reduce((sum, a, i) => sum + values[i] * nodes.reduce((product, b, j) => (i === j ? product : (product * (x - b)) / (a - b)), 1), 0);
      // 1.848 for four nodes (Rivlin, The Lebesgue constants for polynomial interpolation, 1974: the mean of cotangents of odd multiples of 180 / 16 degrees).
      const constant = [1, 3, 5, 7].reduce((sum, k) => sum + 1 / Math.tan((k * Math.PI) / 16), 0) / 4;
      expect(constant).toBeCloseTo(1.848, 3);
      for (let i = 0; i <= 50; i++) expect(Math.abs(at(i / 50))).toBeLessThanOrEqual(constant + 1e-9);
    }
  });
  test('those within a facet are found as by asking each, with their weights; also over the ends of a closed surface', () => {
    const draw = random(11);
    const list = (n: number) => Float64Array.from({ length: n }, () => draw()).sort();
    for (let n = 0; n < 300; n++) {
      const closed = [n % 2, n % 3 === 0 ? 1 : 0] as const;
      const places = { u: list(1 + Math.floor(draw() * 9)), v: list(1 + Math.floor(draw() * 9)), periods: closed, range: [0, 1, 0, 1] } satisfies SpanPlaces;
      const uv = Array.from({ length: 6 }, (_, k) => (draw() - 0.5) * (closed[k % 2] > 0 ? 1.6 : 1) + 0.5);
      const expected = new Set<string>();
      for (const u of places.u) {
        for (const v of places.v) {
          for (const du of closed[0] > 0 ? [-1, 0, 1] : [0]) {
            for (const dv of closed[1] > 0 ? [-1, 0, 1] : [0]) {
              const side = (k: number) => {
                const l = (k + 2) % 6;
                return (uv[l] - uv[k]) * (v + dv - uv[k + 1]) - (uv[l + 1] - uv[k + 1]) * (u + du - uv[k]);
              };
              const sides = [side(0), side(2), side(4)];
              if (sides.every((x) => x > 0) || sides.every((x) => x < 0)) expected.add(`${u} ${v} ${du} ${dv}`);
            }
          }
        }
      }
      const found = new Set<string>();
      placesWithin(places, uv, ({ u, v, wa, wb }) => {
        const at = [0, 1].map((c) => wa * uv[c] + wb * uv[2 + c] + (1 - wa - wb) * uv[4 + c]);
        const by = [Math.round(at[0] - u), Math.round(at[1] - v)];
        expect(at[0] - u - by[0]).toBeCloseTo(0, 9);
        expect(at[1] - v - by[1]).toBeCloseTo(0, 9);
        found.add(`${u} ${v} ${by[0]} ${by[1]}`.replaceAll('-0', '0'));
      });
      expect([...found].sort()).toEqual([...expected].sort());
      if (found.size > 0) expect(reachesPlaces(places, uv)).toBe(true);
    }
    const one: SpanPlaces = { u: Float64Array.of(0.5), v: Float64Array.of(0.5), periods: [0, 0], range: [0, 1, 0, 1] };
    expect(reachesPlaces(one, [0, 0, 0.5, 0, 0, 0.5])).toBe(true);
    expect(reachesPlaces(one, [0, 0, 0.499, 0, 0, 0.5])).toBe(false);
    // A facet without an area in the plane of the parameters has none.
    placesWithin(one, [0, 0, 1, 1, 0.5, 0.5], () => expect.unreachable());
  });
  test('the tree passes by no place that is farther than was asked for: as by asking each, for heights over a plane and for distances at equal parameters', () => {
    const draw = random(23);
    for (let n = 0; n < 60; n++) {
      const surface = bumpedSurface([5, 3, 0.5][n % 3], draw() * 4);
      // Some waves beside the bump, so that nodes are bent by different amounts.
      if (n % 2 === 0) for (let i = 2; i < surface.poles.length; i += 3) surface.poles[i] += (draw() - 0.5) * (n % 4 === 0 ? 2 : 0.01);
      const all = PlacesOver.of(surface, [0, 0])!;
      expect(PlacesOver.of(surface, [0, 0])).toBe(all);
      const uv = Float64Array.from({ length: 6 }, () => draw() * 120 - 10);
      const corners = [0, 1, 2].map((k) => [uv[2 * k], uv[2 * k + 1], bump.top + draw()]);
      const plane = [draw() * 0.1, draw() * 0.1, 1, 10 + draw()];
      const measures: FarOf[] = [
        (p, k) => Math.abs(p[k] * plane[0] + p[k + 1] * plane[1] + p[k + 2] * plane[2] - plane[3]),
        (p, k, u, v) => {
          const double = (uv[2] - uv[0]) * (uv[5] - uv[1]) - (uv[4] - uv[0]) * (uv[3] - uv[1]);
          const wa = ((uv[2] - u) * (uv[5] - v) - (uv[4] - u) * (uv[3] - v)) / double;
          const wb = ((uv[4] - u) * (uv[1] - v) - (uv[0] - u) * (uv[5] - v)) / double;
          return Math.hypot(...[0, 1, 2].map((c) => p[k + c] - wa * corners[0][c] - wb * corners[1][c] - (1 - wa - wb) * corners[2][c]));
        },
      ];
      for (const far of measures) {
        const floor = [0, 0.01, 0.3, 1][n % 4];
        const expected = new Set<string>();
        placesWithin(all.places, uv, ({ u, v }) => {
          const { at } = surfaceAt(surface, u, v);
          if (far(at, 0, u, v) > floor + 1e-9) expected.add(at.map((x) => x.toFixed(6)).join(' '));
        });
        const found = new Set<string>();
        all.over(uv, far, floor, (place, _wa, _wb, d) => {
          expect(d).toBeGreaterThan(floor);
          found.add([...place].map((x) => x.toFixed(6)).join(' '));
          return floor;
        });
        for (const place of expected) expect(found).toContain(place);
        // And none that is not over the facet.
        expect(found.size).toBeLessThanOrEqual(expected.size + 3);
      }
    }
  });
  test('what a spline sweeps is where the general way has it, with its tangents', () => {
    const profile = bumpedTube(2, 1).faces[0].surface as Extract<Surface, { kind: 'revolution' }>;
    const ridge = bumpedRidge(2, 1).faces[0].surface;
    const askew: Surface = { ...profile, at: [3, -2, 1], axis: [0.48, 0.64, 0.6] };
    for (const surface of [profile, ridge, askew]) {
      const bend = new Bend(surface);
      for (let i = 0; i < 200; i++) {
        const [u, v] = surface.kind === 'extrusion' ? [i / 2, i - 60] : [i / 20, i / 2];
        bend.point(u, v);
        const { at, du, dv } = surfaceAt(surface, u, v);
        [at, du, dv].forEach((list, k) => list.forEach((x, c) => expect([bend.at, bend.du, bend.dv][k][c]).toBeCloseTo(x, 9)));
      }
    }
  });
});
