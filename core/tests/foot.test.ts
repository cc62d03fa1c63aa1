import { describe, expect, test } from 'vitest';
import { SurfaceFoot } from '../src/surfaces/foot.ts';
import { Nearest } from '../src/surfaces/nearest.ts';
import { basisAt, findSpan } from '../src/surfaces/nurbs.ts';
import { patchesOf } from '../src/surfaces/spline-patches.ts';
import { SplinePoint } from '../src/surfaces/spline-point.ts';
import { surfaceAt, type BsplineSurface, type Surface } from '../src/surfaces/surfaces.ts';
import { add, cross, scaled, unit, type Vec3 } from '../src/geometry/vector.ts';
import { openOwnStep } from '../src/formats/step/open.ts';
import { readBrepText } from '../src/surfaces/brep-text.ts';
import { readFileSync } from 'node:fs';
import { random } from './tube.data.ts';

const splineOf = (file: string): BsplineSurface => {
  const bytes = new Uint8Array(readFileSync(new URL(`data/${file}`, import.meta.url)));
  return readBrepText((openOwnStep(bytes, 1e-5)!.parts[0] as { brep: string }).brep).faces[0].surface as BsplineSurface;
};

/** Knots of uneven steps, some of them twice; the ends as often as the degree asks for, or once. */
function knotsFor(degree: number, count: number, next: () => number, clamped: boolean): Float64Array {
  const inner = count - degree - 1;
  const list = [0];
  for (let i = 0; i < inner + (clamped ? 0 : 2 * degree); i++) list.push(list[list.length - 1] + (degree > 1 && next() < 0.2 && i > 0 ? 0 : 0.3 + next()));
  const end = list[list.length - 1] + 0.7;
  if (!clamped) return Float64Array.from([...list, end]);
  return Float64Array.from([...Array.from({ length: degree }, () => 0), ...list, ...Array.from({ length: degree + 1 }, () => end)]);
}

function anySpline(uDegree: number, vDegree: number, { seed, clamped, weighted }: { seed: number; clamped: boolean; weighted: boolean }): BsplineSurface {
  const next = random(seed);
  const [uCount, vCount] = [uDegree + 4, vDegree + 3];
  const poles = new Float64Array(3 * uCount * vCount);
  for (let i = 0; i < uCount; i++) for (let j = 0; j < vCount; j++) poles.set([10 * i + next(), 12 * j + next(), 4 * next()], 3 * (i * vCount + j));
  const weights = weighted ? Float64Array.from({ length: uCount * vCount }, () => 0.5 + next()) : null;
  return { kind: 'bspline', uDegree, vDegree, uCount, vCount, uKnots: knotsFor(uDegree, uCount, next, clamped), vKnots: knotsFor(vDegree, vCount, next, clamped), poles, weights }; // prettier-ignore
}

/** Point and derivatives by the basis functions (A2.3 and the quotient rule of eq. 4.20): the other route. */
function byBasis(s: BsplineSurface, u: number, v: number): number[][] {
  const [us, vs] = [findSpan(s.uKnots, s.uDegree, s.uCount, u), findSpan(s.vKnots, s.vDegree, s.vCount, v)];
  const [ub, vb] = [new Float64Array(3 * (s.uDegree + 1)), new Float64Array(3 * (s.vDegree + 1))];
  basisAt({ knots: s.uKnots, degree: s.uDegree }, us, u, ub);
  basisAt({ knots: s.vKnots, degree: s.vDegree }, vs, v, vb);
  const sum = (k: number, l: number): number[] => {
    const out = [0, 0, 0, 0];
    for (let i = 0; i <= s.uDegree; i++) {
      for (let j = 0; j <= s.vDegree; j++) {
        const at = (us - s.uDegree + i) * s.vCount + vs - s.vDegree + j;
        const b = ub[k * (s.uDegree + 1) + i] * vb[l * (s.vDegree + 1) + j] * (s.weights?.[at] ?? 1);
        for (let c = 0; c < 3; c++) out[c] += b * s.poles[3 * at + c];
        out[3] += b;
      }
    }
    return out;
  };
  const [a, au, av, auu, auv, avv] = [sum(0, 0), sum(1, 0), sum(0, 1), sum(2, 0), sum(1, 1), sum(0, 2)];
  const w = a[3];
  const xyz = [0, 1, 2];
  const p = xyz.map((c) => a[c] / w);
  const pu = xyz.map((c) => (au[c] - au[3] * p[c]) / w);
  const pv = xyz.map((c) => (av[c] - av[3] * p[c]) / w);
  const puu = xyz.map((c) => (auu[c] - 2 * au[3] * pu[c] - auu[3] * p[c]) / w);
  const puv = xyz.map((c) => (auv[c] - au[3] * pv[c] - av[3] * pu[c] - auv[3] * p[c]) / w);
  const pvv = xyz.map((c) => (avv[c] - 2 * av[3] * pv[c] - avv[3] * p[c]) / w);
  return [p, pu, pv, puu, puv, pvv];
}

describe('points of splines by patches and by basis functions', () => {
  test.each([[1, 1], [1, 3], [2, 2], [3, 3], [5, 4], [9, 9], [14, 3], [16, 3], [25, 2]])('degrees %i and %i', (p, q) => {
    for (const clamped of [true, false]) {
      for (const weighted of [true, false]) {
        const s = anySpline(p, q, { seed: 31 * p + q, clamped, weighted });
        const point = new SplinePoint(s);
        const next = random(7);
        const [u0, u1, v0, v1] = [s.uKnots[p], s.uKnots[s.uCount], s.vKnots[q], s.vKnots[s.vCount]];
        const list = [new Float64Array(3), new Float64Array(3), new Float64Array(3), new Float64Array(3), new Float64Array(3), new Float64Array(3)];
        for (let k = 0; k < 40; k++) {
          const u = k === 0 ? u0 : k === 1 ? u1 : u0 + (u1 - u0) * next();
          const v = k === 1 ? v1 : v0 + (v1 - v0) * next();
          point.look(u, v, 2);
          point.copy(list[0], list[1], list[2]);
          point.seconds(list[3], list[4], list[5]);
          byBasis(s, u, v).forEach((expected, i) => {
            const size = Math.max(100, ...expected.map(Math.abs));
            expected.forEach((x, c) => expect(Math.abs(list[i][c] - x) / size).toBeLessThan(i < 3 ? 2e-11 : 5e-9));
          });
        }
      }
    }
  }); // prettier-ignore
  test('a patch of degrees so high that powers would lose digits is kept as Bezier points', () => {
    // Weights of up to the middle binomials' product: 6435 x 3 for degrees 15 and 3, 12870 x 3 for 16 and 3.
    expect(patchesOf(anySpline(15, 3, { seed: 1, clamped: true, weighted: false })).powers).toBe(true);
    expect(patchesOf(anySpline(16, 3, { seed: 1, clamped: true, weighted: false })).powers).toBe(false);
  });
  test('a spline of more spans than are kept is the same wherever it is looked at', () => {
    const n = 72;
    const knots = Float64Array.from({ length: n + 2 }, (_, i) => Math.max(0, Math.min(n - 1, i - 1)));
    const poles = Float64Array.from({ length: 3 * n * n }, (_, k) => [Math.floor(k / 3 / n), Math.floor(k / 3) % n, Math.sin(k)][k % 3]);
    const s: BsplineSurface = { kind: 'bspline', uDegree: 1, vDegree: 1, uCount: n, vCount: n, uKnots: knots, vKnots: knots, poles, weights: null };
    for (const [i, j] of [[0, 0], [70, 70], [0, 0], [57, 49], [0, 1], [57, 49]]) expect(surfaceAt(s, i, j).at[2]).toBeCloseTo(Math.sin(3 * (i * n + j) + 2), 12); // prettier-ignore
  });
});

describe('the foot of a perpendicular', () => {
  test('on a ring that is one spline, seams and corners of its parameters too: against the closed form', () => {
    const s = splineOf('torus-spline.step');
    const nearest = new Nearest(s);
    // Its own circles, from points of it: the middle circle lies in the middle between opposite points.
    const at = (u: number, v: number) => surfaceAt(s, u, v).at;
    const top = s.uKnots[s.uCount];
    const ring = new Ring(s);
    let worst = 0;
    const next = random(5);
    for (let k = 0; k < 800; k++) {
      const near = (x: number) => (k % 4 === 0 ? x * 0.02 : k % 4 === 1 ? top - x * 0.02 : x);
      const p = at(near(next() * top), k % 3 === 0 ? near(next() * top) : next() * top);
      const q = [p[0] + (next() - 0.5) * 0.3, p[1] + (next() - 0.5) * 0.3, p[2] + (next() - 0.5) * 0.3] as Vec3;
      worst = Math.max(worst, Math.abs(nearest.find(...q) - ring.distance(q)));
    }
    expect(worst).toBeLessThan(1e-6);
  });
  test.each(['ellipsoid.step', 'torus-spline.step', 'loft.step'])('%s: a point a little along the normal is as far as that, poles and seams too', (file) => {
    const bytes = new Uint8Array(readFileSync(new URL(`data/${file}`, import.meta.url)));
    const faces = readBrepText((openOwnStep(bytes, 1e-5)!.parts[0] as { brep: string }).brep).faces;
    const s = faces.find((f) => f.surface.kind === 'bspline')!.surface as BsplineSurface;
    const next = random(11);
    const nearest = new Nearest(s);
    const [u0, u1, v0, v1] = [s.uKnots[s.uDegree], s.uKnots[s.uCount], s.vKnots[s.vDegree], s.vKnots[s.vCount]];
    for (let k = 0; k < 400; k++) {
      const share = (x: number, rim: boolean) => (rim ? (x < 0.5 ? 0.01 * x : 1 - 0.01 * x) : x);
      const p = surfaceAt(s, u0 + share(next(), k % 3 === 0) * (u1 - u0), v0 + (0.001 + 0.998 * share(next(), k % 2 === 0)) * (v1 - v0));
      const h = (k % 2 === 0 ? -1 : 1) * 0.2;
      const q = add(p.at, scaled(unit(cross(p.du, p.dv)), h));
      expect(Math.abs(nearest.find(...q) - 0.2)).toBeLessThan(1e-6);
      expect(Math.hypot(nearest.x - q[0], nearest.y - q[1], nearest.z - q[2])).toBeCloseTo(0.2, 5);
    }
  });
  test('what a profile sweeps: a turned ellipse, a turned line, a spline pulled along a slanting line', () => {
    const e = Math.SQRT1_2;
    const wave: Surface = {
      kind: 'extrusion', along: [0, e, e],
      profile: { kind: 'bspline', degree: 3, knots: Float64Array.of(0, 0, 0, 0, 1, 2, 2, 2, 2), poles: Float64Array.of(0, 0, 0, 10, 0, 4, 20, 3, -4, 30, 0, 5, 40, 0, 0), weights: null },
    }; // prettier-ignore
    const barrel: Surface = {
      kind: 'revolution',
      at: [1, 2, 3],
      axis: [0, 0, 1],
      profile: { kind: 'ellipse', at: [21, 2, 3], x: [1, 0, 0], y: [0, 0, 1], rx: 8, ry: 5 },
    };
    const skew: Surface = { kind: 'revolution', at: [0, 0, 0], axis: [0, 0, 1], profile: { kind: 'line', at: [10, 0, 0], along: [0, 0.6, 0.8] } };
    const next = random(3);
    for (const [s, top] of [
      [wave, 2],
      [barrel, 2 * Math.PI],
      [skew, 30],
    ] as const) {
      const nearest = new Nearest(s);
      for (let k = 0; k < 200; k++) {
        const t = next() * top;
        const p = s.kind === 'extrusion' ? surfaceAt(s, t, 50 * next()) : surfaceAt(s, 7 * next(), t);
        const q = add(p.at, scaled(unit(cross(p.du, p.dv)), k % 2 === 0 ? 0.1 : -0.1));
        expect(Math.abs(nearest.find(...q) - 0.1)).toBeLessThan(1e-7);
        expect(Math.hypot(nearest.x - p.at[0], nearest.y - p.at[1], nearest.z - p.at[2])).toBeLessThan(2e-4);
      }
    }
  });
  test('a point on the axis is as far as the profile is from it', () => {
    const nearest = new Nearest({ kind: 'revolution', at: [0, 0, 0], axis: [0, 0, 1], profile: { kind: 'line', at: [5, 0, 0], along: [0, 0, 1] } });
    expect(nearest.find(0, 0, 7)).toBeCloseTo(5, 12);
    expect([nearest.x, nearest.y, nearest.z]).toEqual([5, 0, 7]);
  });
  test('a surface closes when its ends lie within a billionth of its size', () => {
    const closed = (gap: number): BsplineSurface => ({
      kind: 'bspline', uDegree: 1, vDegree: 1, uCount: 4, vCount: 2, uKnots: Float64Array.of(0, 0, 1, 2, 3, 3), vKnots: Float64Array.of(0, 0, 1, 1),
      poles: Float64Array.of(0, 0, 0, 0, 0, 1, 1, 0, 0, 1, 0, 1, 0, 1, 0, 0, 1, 1, gap, 0, 0, gap, 0, 1), weights: null,
    }); // prettier-ignore
    const period = (gap: number) => new SurfaceFoot(closed(gap), [0, 3, 0, 1]).uPeriod;
    expect(period(5e-10)).toBe(3);
    expect(period(2e-9)).toBe(0);
  });
});

/** A ring by its own axis and radii, found from four of its points. */
class Ring {
  private readonly middle: Vec3;
  private readonly axis: Vec3;
  private readonly major: number;
  private readonly minor: number;

  constructor(s: BsplineSurface) {
    const [u, v] = [s.uKnots[s.uCount], s.vKnots[s.vCount]];
    // Which parameter goes round the axis: the tube's circle is the smaller one.
    const point = (a: number, b: number) => surfaceAt(s, a, b).at;
    const across = (a: Vec3, b: Vec3) => Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
    const mid = (a: Vec3, b: Vec3) => scaled(add(a, b), 0.5);
    const half = (x: number) => opposite(x);
    const [a, b, c] = [point(0, 0), point(0, half(v)), point(half(u), 0)];
    const tubeByV = across(a, b) < across(a, c);
    const turned = (x: number) => (tubeByV ? mid(point(x, 0), point(x, half(v))) : mid(point(0, x), point(half(u), x)));
    const round = tubeByV ? u : v;
    const [p, q] = [turned(0), turned(half(round))];
    this.middle = mid(p, q);
    this.major = across(p, q) / 2;
    this.minor = (tubeByV ? across(a, b) : across(a, c)) / 2;
    const r = turned(round / 5);
    this.axis = unit(
      cross([p[0] - this.middle[0], p[1] - this.middle[1], p[2] - this.middle[2]], [r[0] - this.middle[0], r[1] - this.middle[1], r[2] - this.middle[2]]),
    );
  }

  distance(q: Vec3): number {
    const d = [q[0] - this.middle[0], q[1] - this.middle[1], q[2] - this.middle[2]];
    const h = d[0] * this.axis[0] + d[1] * this.axis[1] + d[2] * this.axis[2];
    const rho = Math.sqrt(Math.max(0, d[0] ** 2 + d[1] ** 2 + d[2] ** 2 - h * h));
    return Math.abs(Math.hypot(rho - this.major, h) - this.minor);
  }
}

/** Half way round three equal arcs of a circle in rational splines: the middle of the second arc. */
const opposite = (round: number): number => round / 2;
