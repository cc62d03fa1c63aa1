/** Faces in the plane of their parameters: where points are, what is left to the kernel, sums and bounds, each against the definition or a formula. */
import { describe, expect, test } from 'vitest';
import { NotTaken, type Body, type BodyEdge } from '../src/body/body.ts';
import { SplineColumns } from '../src/body/columns.ts';
import { bodyFigures } from '../src/body/figures.ts';
import { Inverse, parameterOf } from '../src/body/inverse.ts';
import { gaussRule } from '../src/body/quadrature.ts';
import { checkCrossings } from '../src/body/sound.ts';
import { Trace } from '../src/body/trace.ts';
import { liesIn, trimmed } from '../src/body/trim.ts';
import { openOwnStep } from '../src/formats/step/open.ts';
import { flatKnots } from '../src/surfaces/nurbs.ts';
import { curveAt, type Curve } from '../src/surfaces/curves.ts';
import { surfaceAt, type BsplineSurface, type Frame, type Surface } from '../src/surfaces/surfaces.ts';
import { distance, dot, sub, type Vec3 } from '../src/geometry/vector.ts';
import { faceSums } from '../src/body/measured.ts';
import { mesherOf } from '../src/mesher/mesher.ts';
import { dataFile } from './data.ts';
import { closedByMap, dice } from './data.more.ts';
import { bodyOfBrep } from '../src/body/from-brep.ts';
import { openExact } from '../src/formats/exact.ts';
import { readDesign } from '../src/pipeline/read.ts';
import { assembledIges } from '../src/pipeline/assembly.ts';
import { SolidBuilder, type Solid } from '../src/kernel/build.ts';
import { OpenSolid } from '../src/kernel/facets.ts';
import { nodeKernels } from '../src/kernel/load.ts';
import { openStep } from '../src/kernel/open-step.ts';
import { measureMesh } from '../src/geometry/mesh.ts';
import { flatBody, why } from './flat.data.ts';

const roll = dice(7);
const between = (a: number, b: number) => a + ((b - a) * roll(1_000_000)) / 1_000_000;
/** A frame that lies askew: columns of a rotation by Euler angles. */
const frame: Frame = {
  at: [3, -2, 5],
  x: [0.36, 0.48, -0.8],
  y: [-0.8, 0.6, 0],
  z: [0.48, 0.64, 0.6],
};
const wavy = (weights: boolean): BsplineSurface => {
  const [nu, nv] = [6, 7];
  const poles = new Float64Array(nu * nv * 3);
  for (let i = 0; i < nu; i++) for (let j = 0; j < nv; j++) poles.set([i * 4, j * 3, 2 * Math.sin(i + j)], (i * nv + j) * 3);
  return {
    kind: 'bspline', uDegree: 3, vDegree: 2, uCount: nu, vCount: nv, poles,
    uKnots: flatKnots([0, 1, 2, 3], [4, 1, 1, 4]), vKnots: flatKnots([0, 1, 2, 3, 4, 5], [3, 1, 1, 1, 1, 3]),
    weights: weights ? Float64Array.from({ length: nu * nv }, (_, i) => 1 + 0.3 * (i % 3)) : null,
  }; // prettier-ignore
};

test('Gauss’s rule of n points is exact to degree 2 n - 1 and not beyond', () => {
  for (const n of [1, 2, 3, 7, 10, 20]) {
    const { at, weight } = gaussRule(n);
    const sum = (power: number) => at.reduce((s, x, i) => s + weight[i] * x ** power, 0);
    for (let power = 0; power <= 2 * n - 1; power++) expect(sum(power)).toBeCloseTo(1 / (power + 1), 13);
    if (n < 7) expect(Math.abs(sum(2 * n) - 1 / (2 * n + 1))).toBeGreaterThan(1e-9);
  }
  // Abramowitz and Stegun, table 25.4, two points: 0.577350269189626 on -1..1.
  expect(gaussRule(2).at[1] * 2 - 1).toBeCloseTo(0.577350269189626, 14);
  expect(() => gaussRule(0)).toThrow(/1 to 64/);
  expect(() => gaussRule(65)).toThrow(/1 to 64/);
});

describe('parameters of points', () => {
  const circle: Curve = { kind: 'circle', at: [20, 0, 4], x: [1, 0, 0], y: [0, 0, 1], rx: 5, ry: 5 };
  const surfaces: [string, Surface, [number, number, number, number]][] = [
    ['plane', { kind: 'plane', frame }, [-9, 9, -9, 9]],
    ['cylinder', { kind: 'cylinder', frame, r: 4 }, [-3, 3, -9, 9]],
    ['cone', { kind: 'cone', frame, r: 4, half: 0.4 }, [-3, 3, -9, 9]],
    ['cone beyond its tip', { kind: 'cone', frame, r: 4, half: 0.4 }, [-3, 3, -30, -11]],
    ['sphere', { kind: 'sphere', frame, r: 4 }, [-3, 3, -1.5, 1.5]],
    ['torus', { kind: 'torus', frame, major: 9, minor: 3 }, [-3, 3, -3, 3]],
    ['torus through its own axis', { kind: 'torus', frame, major: 2, minor: 3 }, [-3, 3, -3, 3]],
    ['extrusion', { kind: 'extrusion', along: [0, 0.6, 0.8], profile: circle }, [0, 6, -20, 20]],
    ['revolution', { kind: 'revolution', at: [0, 0, 0], axis: [0, 0, 1], profile: circle }, [0, 6, 0, 6]],
    ['spline', wavy(false), [0, 3, 0, 5]],
    ['rational spline', wavy(true), [0, 3, 0, 5]],
  ];
  test.each(surfaces)('%s: the point of what is found is the point', (_, surface, [u0, u1, v0, v1]) => {
    const on = new Inverse(surface);
    for (let i = 0; i < 200; i++) {
      const p = surfaceAt(surface, between(u0, u1), between(v0, v1)).at;
      on.find(p);
      expect(distance(surfaceAt(surface, on.u, on.v).at, p)).toBeLessThan(1e-9);
      // Carried on from nearby it stays nearby, over the seam too.
      const near: [number, number] = [on.u + 0.01, on.v - 0.01];
      on.find(p, near);
      expect(distance(surfaceAt(surface, on.u, on.v).at, p)).toBeLessThan(1e-9);
      if (surface.kind !== 'cone' && surface.kind !== 'sphere') expect(Math.hypot(on.u - near[0], on.v - near[1])).toBeLessThan(0.1);
    }
  });
  test('a point off a spline: nearer than any of 40,000 places of it', () => {
    const surface = wavy(true);
    const on = new Inverse(surface);
    for (let k = 0; k < 5; k++) {
      const p: Vec3 = [between(2, 18), between(2, 16), between(-1, 1)];
      on.find(p);
      const found = distance(surfaceAt(surface, on.u, on.v).at, p);
      let best = Infinity;
      for (let i = 0; i <= 200; i++) for (let j = 0; j <= 200; j++) best = Math.min(best, distance(surfaceAt(surface, (3 * i) / 200, j / 40).at, p));
      expect(found).toBeLessThanOrEqual(best + 1e-12);
    }
  });
  test.each<[string, Curve, number, number]>([
    ['line', { kind: 'line', at: [1, 2, 3], along: [0, 0.6, 0.8] }, -9, 9],
    ['ellipse', { kind: 'ellipse', at: [1, 2, 3], x: [1, 0, 0], y: [0, 1, 0], rx: 5, ry: 2 }, -3, 3],
    ['parabola', { kind: 'parabola', at: [1, 2, 3], x: [1, 0, 0], y: [0, 1, 0], focal: 2 }, -9, 9],
    ['hyperbola', { kind: 'hyperbola', at: [1, 2, 3], x: [1, 0, 0], y: [0, 1, 0], rx: 5, ry: 2 }, -2, 2],
    ['spline', { kind: 'bspline', degree: 3, knots: flatKnots([0, 1, 2], [4, 1, 4]), poles: Float64Array.of(0, 0, 0, 3, 5, 0, 7, -4, 2, 9, 9, 9, 14, 0, 3), weights: null }, 0, 2],
  ])('%s: parameters of its points', (_, curve, from, to) => {
    for (let i = 0; i < 100; i++) {
      const t = between(from, to);
      expect(parameterOf(curve, curveAt(curve, t).at)).toBeCloseTo(t, 9);
    }
  }); // prettier-ignore
});

test('lines of a spline surface one after another: as the surface itself', () => {
  for (const surface of [wavy(false), wavy(true)]) {
    const rule = gaussRule(5);
    const columns = new SplineColumns(surface, rule);
    for (let i = 0; i < 50; i++) {
      const [u, v] = [between(0, 3), between(0, 5)];
      columns.at(u);
      columns.anywhere(v);
      const { at, du, dv } = surfaceAt(surface, u, v);
      [...at, ...du, ...dv].forEach((x, k) => expect(columns.point[k]).toBeCloseTo(x, 11));
      const span = columns.spanOf(2.5);
      columns.inSpan(span, i % 5);
      surfaceAt(surface, u, 2 + rule.at[i % 5]).at.forEach((x, k) => expect(columns.point[k]).toBeCloseTo(x, 11));
    }
  }
});

const square = (x: number, y: number, size: number, hole = false): [number, number][] => {
  const list: [number, number][] = [[x, y], [x + size, y], [x + size, y + size], [x, y + size]]; // prettier-ignore
  return hole ? list.reverse() : list;
};
describe('lines, circles and ellipses in a plane', () => {
  const on = () => new Inverse({ kind: 'plane', frame });
  const out = new Float64Array(4);
  const place = (u: number, v: number, h: number) => [0, 1, 2].map((k) => frame.at[k] + u * frame.x[k] + v * frame.y[k] + h * frame.z[k]) as Vec3;
  const along = (u: number, v: number, h: number) => [0, 1, 2].map((k) => u * frame.x[k] + v * frame.y[k] + h * frame.z[k]) as Vec3;
  test('their traces are where the plane says, and change as differences show; how far they lie off it is the largest of many places', () => {
    for (let n = 0; n < 200; n++) {
      const tilt = between(-1e-4, 1e-4);
      const [c, s] = [Math.cos(tilt), Math.sin(tilt)];
      const r = between(0.5, 300);
      const round: Curve = { kind: n % 3 === 0 ? 'ellipse' : 'circle', at: place(between(-9, 9), between(-9, 9), between(-1e-4, 1e-4)), x: along(c, 0, s), y: along(0, 1, 0), rx: r, ry: n % 3 === 0 ? r / 2 : r }; // prettier-ignore
      const curve: Curve = n % 4 === 0 ? { kind: 'line', at: round.at, along: along(c, 0, s) } : round;
      const from = between(-7, 7);
      const to = from + between(0.01, 2 * Math.PI);
      const trace = new Trace(on(), { curve, from, to }, 600, 1);
      let far = 0;
      for (let i = 0; i <= 2000; i++) {
        const t = from + ((to - from) * i) / 2000;
        const p = curveAt(curve, t).at;
        const q = sub(p, frame.at);
        far = Math.max(far, Math.abs(dot(q, frame.z)));
        if (i % 400 > 0) continue;
        trace.at(t, out);
        expect([out[0], out[1]]).toEqual([expect.closeTo(dot(q, frame.x), 9), expect.closeTo(dot(q, frame.y), 9)]);
        const [du, dv] = [out[2], out[3]];
        const step = 1e-6;
        trace.at(t + step, out);
        const [u, v] = [out[0], out[1]];
        trace.at(t - step, out);
        expect([du, dv]).toEqual([expect.closeTo((u - out[0]) / (2 * step), 4), expect.closeTo((v - out[1]) / (2 * step), 4)]);
      }
      expect(trace.off).toBeGreaterThanOrEqual(far - 1e-12);
      expect(trace.off).toBeLessThanOrEqual(far + 2e-6 * r * Math.abs(tilt) + 1e-12);
      expect(trace.straight).toBe(curve.kind === 'line');
      for (const [t, [u, v]] of [[from, trace.first], [to, trace.last]] as const) expect(distance(place(u, v, 0), curveAt(curve, t).at)).toBeLessThanOrEqual(trace.off + 1e-9); // prettier-ignore
    }
  });
  test('one that lies farther off than is allowed is left, just inside and just outside; an arc only by its own part of the circle', () => {
    const tilted = (kind: 'line' | 'circle', off: number): Curve =>
      kind === 'line' ? { kind, at: place(0, 0, 0), along: along(1, 0, off / 10) } : { kind, at: place(0, 0, 0), x: along(1, 0, off / 100), y: along(0, 1, 0), rx: 100, ry: 100 }; // prettier-ignore
    for (const kind of ['line', 'circle'] as const) {
      const to = kind === 'line' ? 10 : 2 * Math.PI;
      expect(why(() => new Trace(on(), { curve: tilted(kind, 0.0099), from: 0, to }, 100, 0.01))).toBe('taken');
      expect(why(() => new Trace(on(), { curve: tilted(kind, 0.0101), from: 0, to }, 100, 0.01))).toBe('edge-off-surface');
    }
    // Near a quarter turn a circle that is tilted about its y axis lies in the plane.
    expect(why(() => new Trace(on(), { curve: tilted('circle', 0.05), from: 1.5, to: 1.6 }, 100, 0.01))).toBe('taken');
    expect(why(() => new Trace(on(), { curve: { kind: 'line', at: [NaN, 0, 0], along: [1, 0, 0] }, from: 0, to: 1 }, 100, 0.01))).toBe('no-number');
  });
});

describe('loops of a face', () => {
  const laid = (loops: [number, number][][]) => {
    const body = flatBody(loops);
    return trimmed(body, body.faces[0], 10);
  };
  test('a hole within is taken; outside, across the rim, two outlines, a bow tie are not', () => {
    expect(why(() => checkCrossings(laid([square(0, 0, 10), square(2, 2, 3, true)])))).toBe('taken');
    expect(why(() => laid([square(0, 0, 10), square(12, 2, 3, true)]))).toBe('hole-outside');
    expect(why(() => checkCrossings(laid([square(0, 0, 10), square(8, 2, 3, true)])))).toBe('crossing-loops');
    expect(why(() => laid([square(0, 0, 10), square(12, 2, 3)]))).toBe('several-outer-loops');
    expect(why(() => checkCrossings(laid([[[0, 0], [10, 0], [2, 9], [9, 9]]])))).toBe('crossing-loops'); // prettier-ignore
    // A star of five points turns one way only, and crosses itself.
    const star = [0, 1, 2, 3, 4].map((i): [number, number] => [5 + 4 * Math.cos((i * 4 * Math.PI) / 5), 5 + 4 * Math.sin((i * 4 * Math.PI) / 5)]);
    expect(why(() => checkCrossings(laid([star])))).toBe('crossing-loops');
    // Two round holes of many corners, beside one another and into one another.
    const ring = (x: number) =>
      Array.from({ length: 30 }, (_, i): [number, number] => [x + 1.5 * Math.cos((-i * Math.PI) / 15), 5 + 1.5 * Math.sin((-i * Math.PI) / 15)]);
    expect(why(() => checkCrossings(laid([square(0, 0, 10), ring(3), ring(6.1)])))).toBe('taken');
    expect(why(() => checkCrossings(laid([square(0, 0, 10), ring(3), ring(5.9)])))).toBe('crossing-loops');
  });
  test('holes that touch the rim or one another in a corner do not cross it', () => {
    expect(why(() => checkCrossings(laid([square(0, 0, 10), square(2, 2, 3, true), square(5, 5, 3, true)])))).toBe('taken');
  });
  test('on a flat face a loop the wrong way round can only mean the same face', () => {
    expect(why(() => laid([square(0, 0, 10, true)]))).toBe('taken');
  });
  test('points within chords, also one round trip away', () => {
    const ring = [Float64Array.of(0, 0, 2, 0, 2, 2, 0, 2)];
    expect([liesIn(ring, [0, 0], 1, 1), liesIn(ring, [0, 0], 3, 1)]).toEqual([true, false]);
    expect([liesIn(ring, [5, 0], 6, 1), liesIn(ring, [5, 0], 8, 1)]).toEqual([true, false]);
  });
  test('one face is no solid', () => {
    expect(why(() => bodyFigures(flatBody([square(0, 0, 10)])))).toBe('open-shell');
  });
});

/** An exchange file of one product with one solid, #1. */
const fileOf = (data: string) =>
  new TextEncoder().encode(`ISO-10303-21;
HEADER;
FILE_SCHEMA(('AUTOMOTIVE_DESIGN'));
ENDSEC;
DATA;
${data}
#900=(LENGTH_UNIT() NAMED_UNIT(*) SI_UNIT(.MILLI.,.METRE.));
#901=(NAMED_UNIT(*) PLANE_ANGLE_UNIT() SI_UNIT($,.RADIAN.));
#902=(GEOMETRIC_REPRESENTATION_CONTEXT(3) GLOBAL_UNIT_ASSIGNED_CONTEXT((#900,#901)) REPRESENTATION_CONTEXT('',''));
#903=ADVANCED_BREP_SHAPE_REPRESENTATION('',(#1),#902);
#904=PRODUCT('Float','Float','',());
#905=PRODUCT_DEFINITION_FORMATION('','',#904);
#906=PRODUCT_DEFINITION('','',#905,$);
#907=PRODUCT_DEFINITION_SHAPE('','',#906);
#908=SHAPE_DEFINITION_REPRESENTATION(#907,#903);
ENDSEC;
END-ISO-10303-21;
`);

/** Two balls of 5 about (0, 0, 3) and (0, 0, -3) that meet in a circle of 4, without seams: what they share, or both together. */
const balls = (union: boolean) => `#1=MANIFOLD_SOLID_BREP('',#2);
#2=CLOSED_SHELL('',(#10,#20));
#10=ADVANCED_FACE('',(#11),#15,.T.);
#11=FACE_BOUND('',#12,.T.);
#12=EDGE_LOOP('',(#13));
#13=ORIENTED_EDGE('',*,*,#30,.${union ? 'T' : 'F'}.);
#15=SPHERICAL_SURFACE('',#16,5.);
#16=AXIS2_PLACEMENT_3D('',#17,#41,#42);
#17=CARTESIAN_POINT('',(0.,0.,3.));
#20=ADVANCED_FACE('',(#21),#25,.T.);
#21=FACE_BOUND('',#22,.T.);
#22=EDGE_LOOP('',(#23));
#23=ORIENTED_EDGE('',*,*,#30,.${union ? 'F' : 'T'}.);
#25=SPHERICAL_SURFACE('',#26,5.);
#26=AXIS2_PLACEMENT_3D('',#27,#41,#42);
#27=CARTESIAN_POINT('',(0.,0.,-3.));
#30=EDGE_CURVE('',#31,#31,#33,.T.);
#31=VERTEX_POINT('',#32);
#32=CARTESIAN_POINT('',(4.,0.,0.));
#33=CIRCLE('',#34,4.);
#34=AXIS2_PLACEMENT_3D('',#35,#43,#41);
#35=CARTESIAN_POINT('',(0.,0.,0.));
#41=DIRECTION('',(1.,0.,0.));
#42=DIRECTION('',(0.,1.,0.));
#43=DIRECTION('',(0.,0.,1.));`;

describe('balls without seams', () => {
  test('what two share is taken: two caps 2 high, p h^2 (3 r - h) / 3 each', () => {
    const [part] = openOwnStep(fileOf(balls(false)), 0)!.parts;
    expect(part.volume).toBeCloseTo((2 * Math.PI * 4 * 13) / 3, 9);
    expect(part.area).toBeCloseTo(2 * 2 * Math.PI * 5 * 2, 9);
    expect(part.box).toEqual({ min: [-4, -4, -2], max: [4, 4, 2] });
  });
  test('both together are not mistaken for it: the loops bound all of the balls but the caps', () => {
    const [part] = openOwnStep(fileOf(balls(true)), 0)!.parts;
    const lens = (2 * Math.PI * 4 * 13) / 3;
    expect(part.volume).toBeCloseTo(2 * ((4 / 3) * Math.PI * 125) - lens, 9);
    expect(part.area).toBeCloseTo(2 * (4 * Math.PI * 25 - 2 * Math.PI * 5 * 2), 9);
    expect(part.box).toEqual({ min: [-5, -5, -8], max: [5, 5, 8] });
  });
  test('a whole ball of one vertex, and one inside out', () => {
    const ball = (sense: string) => `#1=MANIFOLD_SOLID_BREP('',#2);
#2=CLOSED_SHELL('',(#10));
#10=ADVANCED_FACE('',(#11),#15,.${sense}.);
#11=FACE_BOUND('',#12,.T.);
#12=VERTEX_LOOP('',#31);
#15=SPHERICAL_SURFACE('',#16,5.);
#16=AXIS2_PLACEMENT_3D('',#17,$,$);
#17=CARTESIAN_POINT('',(1.,2.,3.));
#31=VERTEX_POINT('',#32);
#32=CARTESIAN_POINT('',(1.,2.,8.));`;
    const [part] = openOwnStep(fileOf(ball('T')), 0)!.parts;
    expect(part.volume).toBeCloseTo((4 / 3) * Math.PI * 125, 9);
    expect(part.box).toEqual({ min: [-4, -3, -2], max: [6, 7, 8] });
    let reason = '';
    expect(openOwnStep(fileOf(ball('F')), 0, { why: (r) => (reason = r) })).toBeNull();
    expect(reason).toBe('inside-out');
  });
});

/** Lines of an exchange file that are numbered as they come: texts with references as numbers of entries before them. */
class Lines {
  private readonly list: string[] = [];
  add(text: string): string {
    this.list.push(text);
    return `#${this.list.length + 1}`;
  }
  point(x: number, y: number, z: number): string {
    return this.add(`CARTESIAN_POINT('',(${[x, y, z].map((v) => v.toFixed(12)).join(',')}))`);
  }
  axes(at: readonly number[], z: readonly number[], x: readonly number[]): string {
    const [p, a, b] = [this.point(at[0], at[1], at[2]), ...[z, x].map((d) => this.add(`DIRECTION('',(${d.map((v) => v.toFixed(12)).join(',')}))`))];
    return this.add(`AXIS2_PLACEMENT_3D('',${p},${a},${b})`);
  }
  /** A circle about z of one edge, with its vertex at an angle. */
  ring(r: number, z: number, angle = 0): string {
    const vertex = this.add(`VERTEX_POINT('',${this.point(r * Math.cos(angle), r * Math.sin(angle), z)})`);
    return this.add(`EDGE_CURVE('',${vertex},${vertex},${this.add(`CIRCLE('',${this.axes([0, 0, z], [0, 0, 1], [1, 0, 0])},${r})`)},.T.)`);
  }
  loop(edge: string, forward: boolean): string {
    return this.add(`FACE_BOUND('',${this.add(`EDGE_LOOP('',(${this.add(`ORIENTED_EDGE('',*,*,${edge},.${forward ? 'T' : 'F'}.)`)}))`)},.T.)`);
  }
  face(surface: string, bounds: readonly string[], same = true): string {
    return this.add(`ADVANCED_FACE('',(${bounds.join(',')}),${surface},.${same ? 'T' : 'F'}.)`);
  }
  disc(edge: string, z: number, up: boolean): string {
    return this.face(this.add(`PLANE('',${this.axes([0, 0, z], [0, 0, up ? 1 : -1], [1, 0, 0])})`), [this.loop(edge, up)]);
  }
  file(faces: readonly string[]): Uint8Array {
    const shell = this.add(`CLOSED_SHELL('',(${faces.join(',')}))`);
    return fileOf(`#1=MANIFOLD_SOLID_BREP('',${shell});\n${this.list.map((text, i) => `#${i + 2}=${text};`).join('\n')}`);
  }
}

describe('round faces without seams, as many programs write them', () => {
  const p = Math.PI;
  const taken = (bytes: Uint8Array) => {
    let reason = '';
    const own = openOwnStep(bytes, 0, { why: (r) => (reason = r) });
    if (!own) throw new Error(reason);
    return own.parts[0];
  };
  /** Facets of what we write, by the kernel: closed, sound, and of the volume. */
  async function agrees(bytes: Uint8Array, volume: number, area: number): Promise<void> {
    const part = taken(bytes);
    expect(part.volume / volume).toBeCloseTo(1, 9);
    expect(part.area / area).toBeCloseTo(1, 9);
    const kernel = await nodeKernels.working();
    expect(new kernel.BRepCheck_Analyzer(kernel.BRepToolsWrapper.Read(part.brep), true, false).IsValid()).toBe(true);
    const open = new OpenSolid(kernel, part.brep);
    const mesh = open.facets(0.01, 0.1);
    open.close();
    expect(closedByMap(mesh)).toBe(true);
    expect(measureMesh(mesh).volume / volume).toBeCloseTo(1, 1.5);
    // The kernel reads the same bytes to the same figures, with seams of its own.
    const [other] = openStep(await nodeKernels.opening(), bytes).parts;
    expect(part.volume / other.volume).toBeCloseTo(1, 7);
    expect(part.box).toEqual(other.box);
  }
  test.each([0, 0.7, 3, p])('a cylinder whose rims begin %f rad apart', async (apart) => {
    const l = new Lines();
    const [low, high] = [l.ring(5, 0), l.ring(5, 12, apart)];
    const wall = l.face(l.add(`CYLINDRICAL_SURFACE('',${l.axes([0, 0, 0], [0, 0, 1], [1, 0, 0])},5.)`), [l.loop(low, true), l.loop(high, false)]);
    await agrees(l.file([wall, l.disc(low, 0, false), l.disc(high, 12, true)]), p * 300, 2 * p * 5 * 17);
  });
  test('a tube: the inner wall runs the other way', async () => {
    const l = new Lines();
    const rings = [5, 3].map((r) => [l.ring(r, 0), l.ring(r, 12, 0.4)]);
    const walls = rings.map(([low, high], i) => l.face(l.add(`CYLINDRICAL_SURFACE('',${l.axes([0, 0, 0], [0, 0, 1], [1, 0, 0])},${i ? 3 : 5}.)`), [l.loop(low, !i), l.loop(high, !!i)], !i)); // prettier-ignore
    const end = (z: number, k: number) => l.face(l.add(`PLANE('',${l.axes([0, 0, z], [0, 0, k ? 1 : -1], [1, 0, 0])})`), [l.loop(rings[0][k], !!k), l.loop(rings[1][k], !k)]); // prettier-ignore
    await agrees(l.file([...walls, end(0, 0), end(12, 1)]), p * 12 * 16, 2 * p * 12 * 8 + 2 * p * 16);
  });
  test('a cone to its tip, with the tip said or not; a ball cut flat, over and under its middle', async () => {
    for (const said of [false, true]) {
      const l = new Lines();
      const rim = l.ring(5, 0);
      // Narrowing upwards: axis down, its own half angle.
      const surface = l.add(`CONICAL_SURFACE('',${l.axes([0, 0, 0], [0, 0, -1], [1, 0, 0])},5.,${Math.atan(5 / 12).toFixed(15)})`);
      const tip = said ? [l.add(`FACE_BOUND('',${l.add(`VERTEX_LOOP('',${l.add(`VERTEX_POINT('',${l.point(0, 0, 12)})`)})`)},.T.)`)] : [];
      await agrees(l.file([l.face(surface, [l.loop(rim, true), ...tip]), l.disc(rim, 0, false)]), p * 100, p * 5 * 18);
    }
    for (const [z, volume] of [[-3, (p * 64 * 7) / 3], [3, (p * 4 * 13) / 3]]) {
      const l = new Lines();
      const rim = l.ring(4, z);
      const ball = l.face(l.add(`SPHERICAL_SURFACE('',${l.axes([0, 0, 0], [0, 0, 1], [1, 0, 0])},5.)`), [l.loop(rim, true)]);
      await agrees(l.file([ball, l.disc(rim, z, false)]), volume, 2 * p * 5 * (5 - z) + 16 * p);
    } // prettier-ignore
  });
  test('a ring’s outer half and its inner half, between the same two rims', async () => {
    for (const outer of [true, false]) {
      const l = new Lines();
      // Rims at the top and the bottom of the tube: the discs between them make a drum with a round wall.
      const [low, high] = [l.ring(20, -6), l.ring(20, 6, 1)];
      const wall = l.face(l.add(`TOROIDAL_SURFACE('',${l.axes([0, 0, 0], [0, 0, 1], [1, 0, 0])},20.,6.)`), [l.loop(low, true), l.loop(high, false)], outer);
      // Pappus: half a disc of 6, whose middle lies 4 r / (3 p) from the tube's own.
      const half = ((p * 36) / 2) * 2 * p * (20 + ((outer ? 1 : -1) * 4 * 6) / (3 * p));
      const arc = p * 6 * 2 * p * (20 + ((outer ? 1 : -1) * 2 * 6) / p);
      await agrees(l.file([wall, l.disc(low, -6, false), l.disc(high, 6, true)]), p * 400 * 12 + (outer ? half : -half), 2 * p * 400 + arc);
    }
  });
});

describe('bodies from BREP text', () => {
  test('what the kernel writes: figures by formulas; what we write of it says the same again', async () => {
    const b = new SolidBuilder(await nodeKernels.working());
    const drilled = b.cut(b.sphere([0, 0, 0], 5), b.cylinder([0, 0, -9], [0, 0, 1], 3, 18));
    const shapes: [Solid, number][] = [
      [b.box([1, 2, 3], [10, 20, 30]), 6000],
      [b.torus([0, 0, 0], [0, 0, 1], 20, 6), 2 * Math.PI ** 2 * 20 * 36],
      [drilled, (Math.PI * 512) / 6],
      [b.cut(b.sphere([0, 0, 0], 10), b.sphere([0, 0, 0], 6)), (4 / 3) * Math.PI * 784],
      // Turned and moved by placements of the text itself.
      [b.placed(drilled, [0, -1, 0, 7, 1, 0, 0, -3, 0, 0, 1, 2]), (Math.PI * 512) / 6],
    ];
    for (const [shape, volume] of shapes) {
      const figures = bodyFigures(bodyOfBrep(b.brep(shape)));
      expect(figures.volume / volume).toBeCloseTo(1, 9);
      const again = bodyFigures(bodyOfBrep(figures.brep));
      expect(again.volume / volume).toBeCloseTo(1, 9);
      for (const k of [0, 1, 2]) expect(again.box.max[k]).toBeCloseTo(figures.box.max[k], 9);
      expect([again.faces, again.shells]).toEqual([figures.faces, figures.shells]);
    }
    expect(bodyFigures(bodyOfBrep(b.brep(shapes[4][0]))).centre[0]).toBeCloseTo(7, 9);
  });
  test('what is no solid is not taken; a text that ends early is no text', async () => {
    const b = new SolidBuilder(await nodeKernels.working());
    const brep = b.brep(b.box([0, 0, 0], [1, 2, 3]));
    // One face less in the shell.
    const open = brep.replace(/(Sh\n\n\d+\n)[+-]\d+ 0 /, '$1');
    expect(open).not.toBe(brep);
    expect(why(() => bodyFigures(bodyOfBrep(open)))).toBe('open-shell');
    expect(() => bodyOfBrep(brep.slice(0, brep.length / 2))).toThrow(RangeError);
  });
  test('IGES: its sums are ours, and agree with those of the same solid from STEP', async () => {
    const kernel = await nodeKernels.working();
    const b = new SolidBuilder(kernel);
    const shape = b.cut(b.sphere([0, 0, 0], 5), b.cylinder([0, 0, -9], [0, 0, 1], 3, 18));
    const step = b.step('Ball', [{ name: 'ball', colour: '#336699', shape, places: [[0, 0, 0]] }]);
    const kernels = { opening: nodeKernels.opening };
    const design = await readDesign(Buffer.from(step), 'ball.step', nodeKernels);
    const iges = await assembledIges([design], null, 'ball', nodeKernels);
    const opened = await openExact('IGES', iges.bytes, kernels);
    expect(opened.parts[0].volume / ((Math.PI * 512) / 6)).toBeCloseTo(1, 9);
    expect(opened.findings).toEqual([]);
  });
});

describe('closed splines: a face lies where the spline has its points', () => {
  // Random numbers of the file's maker: radii of the ring and of its tube, mm.
  const [R, r] = [21.803180865397643, 7.262811886294589];
  const text = dataFile('torus-spline.step').toString('latin1');
  const uses = /EDGE_LOOP\('',\((#\d+),(#\d+),(#\d+),(#\d+)\)\)/.exec(text)!;
  test.each([0, 1, 2, 3])('a ring of one spline, its loop begun at use %d', (first) => {
    const turned = [0, 1, 2, 3].map((k) => uses[1 + ((k + first) % 4)]).join(',');
    let reason = '';
    const opened = openOwnStep(Buffer.from(text.replace(uses[0], `EDGE_LOOP('',(${turned}))`), 'latin1'), 1e-7, { why: (w) => (reason = w) });
    expect(reason).toBe('');
    const [part] = opened!.parts;
    // Twelve digits of the file, of a surface that was scaled to a thousandth.
    expect(part.volume / (2 * Math.PI ** 2 * R * r * r)).toBeCloseTo(1, 8);
    expect(part.area / (4 * Math.PI ** 2 * R * r)).toBeCloseTo(1, 8);
    expect(measureMesh(mesherOf(part.brep).facets({ deviation: 0.05, angle: 0.3 })).volume / part.volume).toBeCloseTo(1, 1);
  });

  /** A wall of a closed spline raised by 5, from one of its parameters on to others, perhaps across its ends; an edge from each to the next. */
  function wall(...cuts: number[]): { body: Body; area: number } {
    const poles: Vec3[] = [[10, 0, 0], [9, 8, 0], [0, 12, 0], [-9, 7, 0], [-11, 0, 0], [-7, -9, 0], [0, -8, 0], [10, -7, 0], [10, 0, 0]]; // prettier-ignore
    const knots = flatKnots([0, 1, 2, 3, 4, 5, 6, 7, 8].map((k) => k / 8), [2, 1, 1, 1, 1, 1, 1, 1, 2]); // prettier-ignore
    const profile: Curve = { kind: 'bspline', degree: 1, knots, poles: Float64Array.from(poles.flat()), weights: null };
    // The same line gone along twice, so that edges may go on across its ends.
    const twice = (z: number): Curve => ({ kind: 'bspline', degree: 1, weights: null, knots: flatKnots(Array.from({ length: 17 }, (_, k) => k / 8), Array.from({ length: 17 }, (_, k) => (k % 16 === 0 ? 2 : 1))), poles: Float64Array.from([...poles, ...poles.slice(1)].flatMap(([x, y]) => [x, y, z])) }); // prettier-ignore
    const at = (t: number, z: number): Vec3 => curveAt(twice(z), t).at;
    const last = cuts.length - 1;
    const points = [...cuts.map((t) => at(t, 0)), ...cuts.map((t) => at(t, 5))];
    const along = (z: number, first: number) => cuts.slice(1).map((to, i): BodyEdge => ({ curve: twice(z), from: cuts[i], to, start: first + i, end: first + i + 1 })); // prettier-ignore
    const up = (i: number): BodyEdge => ({ curve: { kind: 'line', at: points[i], along: [0, 0, 1] }, from: 0, to: 5, start: i, end: i + last + 1 });
    const edges = [...along(0, 0), up(last), ...along(5, last + 1), up(0)];
    const loop = edges.map((_, edge) => ({ edge, turned: edge > last }));
    loop.splice(last + 1, last, ...loop.slice(last + 1, 2 * last + 1).reverse());
    const face = { surface: { kind: 'extrusion' as const, profile, along: [0, 0, 1] as Vec3 }, turned: false, loops: [loop] };
    const [from, to] = [cuts[0], cuts[last]];
    let long = 0;
    for (let i = 0; i < 4000; i++) long += distance(at(from + ((to - from) * i) / 4000, 0), at(from + ((to - from) * (i + 1)) / 4000, 0));
    return { body: { points, edges, faces: [face], shells: [[0]], tolerance: 1e-6 }, area: 5 * long };
  }
  const laid = (...cuts: number[]) => {
    const { body, area } = wall(...cuts);
    return { trim: trimmed(body, body.faces[0], 25), area };
  };
  test('within its range, also up to its very ends: as long as its chords', () => {
    for (const [from, to] of [[0.3, 0.7], [0, 0.4], [0.55, 1], [1.3, 1.7]]) {
      const { trim, area } = laid(from, to);
      expect(faceSums(trim, [0, 0, 0], 25).area / area).toBeCloseTo(1, 3);
    }
  }); // prettier-ignore
  test('across the line at which it begins and ends it is left to the kernel, just beside it it is not', () => {
    expect(() => laid(0.8, 1, 1.2)).toThrow(new NotTaken('across-a-seam'));
    // A millionth of the range may be rounding; ten are a face that goes on.
    expect(() => laid(0.8, 1, 1 + 1e-5)).toThrow(new NotTaken('across-a-seam'));
    expect(() => laid(0.8, 0.9, 1 + 1e-7)).not.toThrow();
    // An edge that goes on there leaves the spline.
    expect(() => laid(0.8, 1.2)).toThrow(new NotTaken('edge-off-surface'));
  });
});
