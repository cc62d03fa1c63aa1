/**
 * Surfaces laid flat: against published bounds (Milnor 1969), CGAL's as-rigid-as-possible (data of a run), closed forms of cylinders and cones, and the proof: which wrong
 * file would it pass, which right one would it stop?
 */
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, test } from 'vitest';
import { main } from '../src/cli/main.ts';
import { transformedDrawing, areaOfContour, lengthOfContour, type Drawing } from '../src/curves/drawing.ts';
import { binaryStl } from '../src/formats/stl/write.ts';
import { openLengthOf } from '../src/geometry/edges.ts';
import type { Mesh } from '../src/geometry/mesh.ts';
import { isPatch } from '../src/model/is-patch.ts';
import { usualSpread, type SpreadChoice } from '../src/patches/choice.ts';
import { drawnSpread, nameOf } from '../src/patches/draw.ts';
import { capBound } from '../src/patches/lay.ts';
import { firstFlip } from '../src/patches/newton.ts';
import { withoutNeedles } from '../src/patches/needles.ts';
import { partOfPatch } from '../src/patches/part.ts';
import type { Patch } from '../src/patches/patch.ts';
import { restOf, stretchOf, stretchesOf } from '../src/patches/rest.ts';
import { conformalFlat } from '../src/patches/conformal.ts';
import { flippedOn, leastSquaresFlat, rigidFlat } from '../src/patches/rigid.ts';
import { smoothLengths } from '../src/patches/smooth.ts';
import { spreadShape, type Spread } from '../src/patches/spread.ts';
import { unrolledFacets, unrolls } from '../src/patches/unroll.ts';
import { nodeTools } from '../src/pipeline/node-tools.ts';
import { patchClaims } from '../src/prove/prove-patch.ts';
import { waysOf } from '../src/steps/way.ts';
import { partOfMesh } from '../src/pipeline/mesh-design.ts';
import { firstRecipe } from '../src/recipe/recipe.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { threadOf } from '../src/steps/registry.ts';
import { nodeLetters } from '../src/text/node-files.ts';
import { facedSolid } from '../src/patches/region.ts';
import { endOf, startOf } from '../src/curves/segment.ts';
import { builder, kernel } from './sheet.data.ts';
import { cap, grid, halfPipe, mesh, saddle, sphere } from './patch.data.ts';
import { code } from './thrown.ts';
import { random } from './tube.data.ts';

const folder = mkdtempSync(join(tmpdir(), 'tall-kite-patches-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const spreadOf = (m: Mesh, some: Partial<SpreadChoice> = {}): Spread =>
  spreadShape(null, { shape: { kind: 'mesh', mesh: m }, scale: 1 }, { ...usualSpread, facet: 1000, ...some });
const drawn = async (spread: Spread): Promise<Drawing & { patch: Patch }> => drawnSpread(spread, await nodeTools.engine(), nodeLetters);
const restFor = (m: Mesh) => {
  const made = restOf(m);
  if ('without' in made) throw new Error('no area');
  return made.rest;
};
type Solid = ReturnType<typeof builder.cylinder>;
const faceKinds = (solid: Solid): string[] => facedSolid(kernel, builder.brep(solid)).exact.faces.map((f) => f.surface.kind);
const faceOfKind = (solid: Solid, kind: string): number => faceKinds(solid).indexOf(kind);
const ratio = (s: Spread) => s.stretches[0].largest / s.stretches[0].least;

describe('stretch', () => {
  test('of a known map: singular values 3 and 0.5 whatever the turns', () => {
    const m = grid(3, 2, (u, v) => [4 * u, 3 * v, 0]);
    const rest = restFor(m);
    const [c, s] = [Math.cos(0.7), Math.sin(0.7)];
    const flat = new Float64Array((m.positions.length / 3) * 2);
    for (let v = 0; v < flat.length / 2; v++) {
      const [x, y] = [m.positions[3 * v], m.positions[3 * v + 1]];
      // Turned, stretched by 3 and 0.5, turned back the other way.
      const [a, b] = [3 * (c * x - s * y), 0.5 * (s * x + c * y)];
      flat.set([0.6 * a - 0.8 * b, 0.8 * a + 0.6 * b], 2 * v);
    }
    const found = stretchOf(rest, m.triangles, flat);
    expect([found.largest, found.least, found.areaLargest, found.flatArea].map((v) => Number(v.toFixed(12)))).toEqual([3, 0.5, 1.5, 18]);
    expect(found.flipped).toBe(0);
    // Mirrored: every facet is turned over.
    for (let v = 0; v < flat.length; v += 2) flat[v] = -flat[v];
    expect(stretchOf(rest, m.triangles, flat).flipped).toBe(12);
    expect([...stretchesOf(rest, m.triangles, flat).slice(0, 2)].map((v) => Number(v.toFixed(12)))).toEqual([3, -0.5]);
  });
  test('the first flip of a step: where the height of a triangle is used up', () => {
    const flat = Float64Array.from([0, 0, 2, 0, 1, 4]);
    expect(firstFlip(flat, Float64Array.from([0, 0, 0, 0, 0, -1]), Uint32Array.from([0, 1, 2]))).toBeCloseTo(4, 12);
    expect(firstFlip(flat, Float64Array.from([0, 0, 0, 0, 0, 1]), Uint32Array.from([0, 1, 2]))).toBe(Infinity);
    // Two corners that close in on each other: quadratic in the share, first root 0.5.
    expect(firstFlip(flat, Float64Array.from([2, 0, -2, 0, 0, 0]), Uint32Array.from([0, 1, 2]))).toBeCloseTo(0.5, 12);
  });
});

describe('as rigid as possible', () => {
  const data = JSON.parse(readFileSync(new URL('data/arap-cap.json', import.meta.url), 'utf8')) as { positions: number[]; triangles: number[]; uv: number[] };
  test('equals CGAL 5.5.1 with lambda 1000 to a millionth of the size (data/arap-cap.json)', () => {
    const m = mesh(data.positions, data.triangles);
    const rest = restFor(m);
    const { flat } = rigidFlat(m, rest, conformalFlat(m, rest), { lambda: 1000, enough: 1e-16, most: 5000 });
    // Distances between points do not hang on how the flats are turned.
    const n = flat.length / 2;
    let worst = 0;
    for (let a = 0; a < n; a++)
      for (let b = 0; b < a; b += 3) {
        const d = (p: ArrayLike<number>) => Math.hypot(p[2 * a] - p[2 * b], p[2 * a + 1] - p[2 * b + 1]);
        worst = Math.max(worst, Math.abs(d(flat) - d(data.uv)));
      }
    expect(worst).toBeLessThan(1e-6 * 141);
    const [ours, theirs] = [stretchOf(rest, m.triangles, flat), stretchOf(rest, m.triangles, Float64Array.from(data.uv))];
    expect(Math.abs(ours.largest - theirs.largest)).toBeLessThan(1e-6);
    expect(Math.abs(ours.least - theirs.least)).toBeLessThan(1e-6);
  });
  test('alone it stretches caps by what is known of it: 1.0232, 1.0531, 1.1246, 1.2353 (measured elsewhere, equal to CGAL)', () => {
    for (const [degrees, known] of [
      [20, 1.0232],
      [30, 1.0531],
      [45, 1.1246],
      [60, 1.2353],
    ]) {
      // prettier-ignore
      const found = ratio(spreadOf(cap(degrees, 40, 100), { aim: 'rigid' }));
      expect(Math.abs(found - known)).toBeLessThan(0.005);
    }
  });
  test('a flat surface, bent ways and all, stays as it is; a conformal start keeps angles', () => {
    const m = grid(7, 5, (u, v) => [10 * u + v, 6 * v, 2 * u]);
    const rest = restFor(m);
    for (const start of [conformalFlat, leastSquaresFlat]) {
      const conformal = stretchOf(rest, m.triangles, start(m, rest));
      expect(conformal.largest).toBeCloseTo(1, 9);
      expect(conformal.least).toBeCloseTo(1, 9);
    }
    // Of a fine cap both keep angles: the two principal stretches are nearly the same everywhere.
    const bent = cap(50, 24, 100);
    const own = restFor(bent);
    for (const start of [conformalFlat, leastSquaresFlat]) {
      const values = stretchesOf(own, bent.triangles, start(bent, own));
      for (let k = 0; k < values.length; k += 2) expect(values[k] / values[k + 1]).toBeLessThan(1.06);
    }
  });
});

describe('the worst stretch least', () => {
  test.each([[20], [30], [45], [60]])('caps of %i degrees: at most 1.003 times a / sin a (Milnor 1969, theorem 2)', (degrees) => {
    const a = (degrees * Math.PI) / 180;
    const found = ratio(spreadOf(cap(degrees, 24, 100)));
    expect(found).toBeLessThan((1.003 * a) / Math.sin(a));
    expect(found).toBeGreaterThan(0.998 * (a / Math.sin(a)));
  });
  test('lengthening and shortening are as great as each other when nothing is held', () => {
    const { largest, least } = spreadOf(cap(40, 12, 50)).stretches[0];
    expect(largest * least).toBeCloseTo(1, 9);
  });
  test('saddles, waves and bumps at random: no facet turned over, never worse than as rigid as possible', () => {
    const next = random(5);
    for (let k = 0; k < 4; k++) {
      const [p, q, h] = [2 + 3 * next(), 2 + 3 * next(), 4 + 8 * next()];
      const wave = grid(14, 14, (u, v) => [60 * u, 50 * v, h * Math.sin(p * u + k) * Math.cos(q * v)]);
      const [even, rigid] = [spreadOf(wave), spreadOf(wave, { aim: 'rigid' })];
      expect(even.laid[0].stretch.flipped).toBe(0);
      expect(ratio(even)).toBeLessThanOrEqual(ratio(rigid) * (1 + 1e-9));
    }
    expect(spreadOf(saddle(80, 0.8, 16)).stretches[0].bound).toBeNull();
  });
  test('nearly a whole sphere, where as-rigid-as-possible turns facets over: laid from a circle instead, nothing is', () => {
    const most = sphere(50, 3);
    const open = { positions: most.positions, triangles: most.triangles.slice(3) };
    const { laid } = spreadOf(open);
    expect(laid[0].stretch.flipped).toBe(0);
    expect(flippedOn(laid[0].flat, laid[0].piece.mesh.triangles)).toBe(0);
  });
  test('Milnor’s bound from the curvature: none for a flat one, none known for a saddle, and at the known angles', () => {
    expect([capBound(0), capBound(-0.1), capBound(4 * Math.PI)]).toEqual([1, null, null]);
    for (const degrees of [20, 30, 45, 60]) {
      const a = (degrees * Math.PI) / 180;
      expect(capBound(2 * Math.PI * (1 - Math.cos(a)))).toBeCloseTo(a / Math.sin(a), 12);
    }
  });
});

describe('what unrolls', () => {
  test('facets along straight lines: lengths and area as on the surface, to a millionth and far better', () => {
    for (const m of [halfPipe(40, 90, 200, 30, 1), halfPipe(25, 60, 90, 12, 5)]) {
      const { laid, stretches } = spreadOf(m);
      expect(laid[0].exact).toBe(true);
      expect(Math.abs(stretches[0].largest - 1)).toBeLessThan(1e-9);
      expect(Math.abs(stretches[0].least - 1)).toBeLessThan(1e-9);
    }
  });
  test('a point off by a little more than allowed is no longer unrolled; by a little less it is', () => {
    const bent = (off: number) => {
      const m = halfPipe(25, 60, 90, 6, 2);
      // An inner point along the surface's normal: its angles no longer close.
      m.positions[(7 + 3) * 3] *= 1 + off;
      m.positions[(7 + 3) * 3 + 1] *= 1 + off;
      return m;
    };
    expect(unrolledFacets(bent(unrolls * 0.2))).not.toBeNull();
    expect(unrolledFacets(bent(3e-3))).toBeNull();
  });
  const exactly = (solid: Solid, faces: number[], some: Partial<SpreadChoice> = {}) =>
    spreadShape(kernel, { shape: { kind: 'solid', brep: builder.brep(solid) }, scale: 1 }, { ...usualSpread, faces, writing: false, ...some });
  test('a quarter of a pipe is a rectangle, within 1e-9 of its closed form', async () => {
    const ring = builder.cut(
      builder.cylinder([0, 0, 0], [0, 0, 1], 25, 40),
      builder.box([-50, -50, -1], [100, 50, 42]),
      builder.box([-50, -50, -1], [50, 100, 42]),
    );
    const round = faceOfKind(ring, 'cylinder');
    const drawing = await drawn(exactly(ring, [round]));
    const [outline] = drawing.layers[0].contours;
    expect(outline.segments).toHaveLength(4);
    expect(Math.abs(areaOfContour(outline)) / ((25 * Math.PI) / 2) / 40 - 1).toBeCloseTo(0, 10);
    expect(lengthOfContour(outline) - (80 + 25 * Math.PI)).toBeCloseTo(0, 8);
    expect(drawing.patch.pieces[0].stretch).toMatchObject({ largest: 1, least: 1, bound: 1 });
  });
  test('a cone cut by a plane is a piece of a ring, its arcs about the tip: radii within 1e-9', async () => {
    // Half angle 45 degrees: from r 30 to r 10; slant 30 sqrt 2 and 10 sqrt 2, turned by sin 45.
    const cone = builder.cut(
      builder.revolved([0, 0], [{ to: [30, 0] }, { to: [10, 20] }, { to: [0, 20] }, { to: [0, 0] }]),
      builder.box([-60, -60, -1], [120, 60, 60]),
    );
    const drawing = await drawn(exactly(cone, [faceOfKind(cone, 'cone')]));
    const [outline] = drawing.layers[0].contours;
    const radii = outline.segments.flatMap((s) => (s.kind === 'arc' ? [s.radius] : [])).sort((a, b) => a - b);
    expect(radii).toHaveLength(2);
    expect(radii[0] - 10 * Math.SQRT2).toBeCloseTo(0, 9);
    expect(radii[1] - 30 * Math.SQRT2).toBeCloseTo(0, 9);
    for (const s of outline.segments) if (s.kind === 'arc') expect(Math.abs(s.sweep) - Math.PI * Math.SQRT1_2).toBeCloseTo(0, 9);
  });
  test('walls with a round between them unroll as one: as long as the walls and the arc', async () => {
    const block = builder.rounded(builder.box([0, 0, 0], [60, 40, 30]), 8, ([x, , z]) => x < 1 && z > 29);
    const kinds = faceKinds(block);
    const round = kinds.indexOf('cylinder');
    const spread = exactly(block, [round], { tangent: true });
    expect(spread.region.taken).toHaveLength(3);
    expect(spread.laid[0].exact).toBe(true);
    const drawing = await drawn(spread);
    expect(Math.abs(areaOfContour(drawing.layers[0].contours[0])) - 40 * (52 + 22 + 4 * Math.PI)).toBeCloseTo(0, 7);
  });
  test('what goes right round is told what to do; with one relief cut it is the rectangle that its closed form says', async () => {
    const pipe = builder.cylinder([0, 0, 0], [0, 0, 1], 25, 40);
    const round = faceOfKind(pipe, 'cylinder');
    const whole = exactly(pipe, [round]);
    expect(whole.findings.find((f) => f.code === 'much-stretch')!.remedy).toContain('--cuts 1');
    const cut = exactly(pipe, [round], { cuts: 1 });
    expect(cut.laid[0].exact).toBe(true);
    const drawing = await drawn(cut);
    expect(Math.abs(areaOfContour(drawing.layers[0].contours[0])) - 40 * 50 * Math.PI).toBeCloseTo(0, 6);
    expect(cut.seams[0].length).toBeCloseTo(40, 6);
  });
});

describe('cut into pieces', () => {
  test('gores of a cap: as many as asked, each seam as long on both sides and on the surface, within 0.01 mm', () => {
    const spread = spreadOf(cap(50, 14, 300), { divide: { by: 'gores', count: 5, axis: { at: [0, 0, 0], along: [0, 0, 1] } } });
    expect(spread.laid).toHaveLength(5);
    expect(spread.seams).toHaveLength(5);
    for (const { length, flat } of spread.seams) {
      // Each runs from the top to the rim along a great circle; facets' points lie on it, chords are a little short.
      expect(Math.abs(length - (300 * 50 * Math.PI) / 180)).toBeLessThan(0.4);
      expect(flat).toHaveLength(2);
      for (const v of flat) expect(Math.abs(v - length)).toBeLessThan(0.01);
    }
    expect(Math.max(...spread.stretches.map((s) => s.largest / s.least))).toBeLessThan(ratio(spreadOf(cap(50, 14, 300))));
  });
  test('panels part the longest way evenly; their areas add up', () => {
    const m = grid(30, 10, (u, v) => [300 * u, 100 * v, 8 * Math.sin(6 * u)]);
    const spread = spreadOf(m, { divide: { by: 'panels', count: 3, across: null } });
    expect(spread.laid).toHaveLength(3);
    expect(spread.seams).toHaveLength(2);
    const widths = spread.laid.map(({ piece: { mesh: { positions } } }) => Math.max(...positions.filter((_, i) => i % 3 === 0)) - Math.min(...positions.filter((_, i) => i % 3 === 0))); // prettier-ignore
    for (const w of widths) expect(w).toBeCloseTo(100, 6);
    const area = spread.laid.reduce((n, l) => n + l.rest.area, 0);
    expect(area).toBeCloseTo(restFor(m).area, 6);
  });
  test('a whole sphere is refused; in gores it is six pieces, whose seams run from pole to pole', () => {
    const ball = sphere(80, 3);
    expect(code(() => spreadOf(ball))).toBe('closed-surface');
    const { laid, seams } = spreadOf(ball, { divide: { by: 'gores', count: 6, axis: null } });
    expect([laid.length, seams.length]).toEqual([6, 6]);
    for (const { length } of seams) expect(length).toBeGreaterThan(0.97 * Math.PI * 80);
  });
  test('a relief cut from a place runs straight to the border, and both its sides are as long', () => {
    const { seams, laid } = spreadOf(cap(60, 12, 200), { lines: [{ from: [0, 0, 200], to: null }] });
    expect([seams.length, laid.length]).toEqual([1, 1]);
    expect(seams[0].length).toBeGreaterThan(0.98 * 200 * (Math.PI / 3));
    expect(Math.abs(seams[0].flat[0] - seams[0].flat[1])).toBeLessThan(0.01);
  });
  test('a cut that does not reach the border closes over itself on a dome: a stop; on a saddle it opens', () => {
    const codes = (m: Mesh, from: [number, number, number], to: [number, number, number]) => spreadOf(m, { lines: [{ from, to }] }).findings.filter((f) => f.severity === 'stop').map((f) => f.code); // prettier-ignore
    expect(codes(cap(60, 12, 200), [0, 0, 200], [87, 0, 180])).toContain('cut-closes-over');
    expect(codes(saddle(80, 1.5, 16), [-20, 0, 7.5], [20, 0, 7.5])).toEqual([]);
  });
  test('gores of a dome that stands aslant are alike: the axis is found', () => {
    // Turned and moved, so that nothing of it lies along X, Y or Z.
    const m = cap(50, 9, 100);
    const [c, s] = [Math.cos(0.6), Math.sin(0.6)];
    const turned = mesh(Array.from({ length: m.positions.length / 3 }, (_, v) => [...m.positions.slice(3 * v, 3 * v + 3)]).flatMap(([x, y, z]) => [x + 7, c * y - s * z, s * y + c * z]), [...m.triangles]); // prettier-ignore
    const lengths = spreadOf(turned, { divide: { by: 'gores', count: 6, axis: null } }).seams.map((q) => q.length);
    expect(Math.max(...lengths) - Math.min(...lengths)).toBeLessThan(0.02 * lengths[0]);
  });
  test('cuts that are looked for save stretch, each less than it was', () => {
    const spread = spreadOf(cap(60, 12, 200), { cuts: 2 });
    expect(spread.cuts.length).toBeGreaterThan(0);
    for (const c of spread.cuts) expect(c.after).toBeLessThan(c.before!);
    // A whole ball is opened by its first cut: there was no flat before.
    expect(spreadOf(sphere(80, 2), { cuts: 1 }).cuts[0]).toMatchObject({ before: null });
    expect(ratio(spread)).toBeLessThan(ratio(spreadOf(cap(60, 12, 200))));
  });
  test('a border that keeps its length does: within a millionth of the surface’s', () => {
    const m = cap(35, 12, 90);
    const { laid } = spreadOf(m, { keepBorder: true });
    const run = laid[0].piece.loops[0][0].vertices;
    const points = (p: ArrayLike<number>, d: number) => run.map((v) => Array.from({ length: d }, (_, k) => p[v * d + k]));
    const sum = (list: Float64Array) => list.reduce((a, b) => a + b, 0);
    const [surface, flat] = [sum(smoothLengths(points(laid[0].piece.mesh.positions, 3), true)), sum(smoothLengths(points(laid[0].flat, 2), true))];
    expect(Math.abs(flat / surface - 1)).toBeLessThan(1e-6);
    // The circle that the border is.
    expect(surface / (2 * Math.PI * 90 * Math.sin((35 * Math.PI) / 180)) - 1).toBeCloseTo(0, 5);
  });
  test('names of pieces go on after Z', () => {
    expect([0, 25, 26, 51, 52].map(nameOf)).toEqual(['A', 'Z', 'AA', 'AZ', 'BA']);
  });
});

describe('refused in a sentence', () => {
  const square = [0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0];
  test('a fork, triangles turned against each other, a ring of a tube with a handle, nothing at all', () => {
    expect(code(() => spreadOf(mesh([...square, 0.5, 0.5, 1], [0, 1, 2, 0, 2, 3, 0, 2, 4])))).toBe('fork');
    expect(code(() => spreadOf(mesh(square, [0, 1, 2, 0, 3, 2])))).toBe('turned-triangles');
    expect(code(() => spreadOf(mesh(square, [])))).toBe('nothing-to-spread');
    const torus = grid(16, 10, (u, v) => {
      const [a, b] = [2 * Math.PI * u, 2 * Math.PI * v];
      return [(5 + 2 * Math.cos(b)) * Math.cos(a), (5 + 2 * Math.cos(b)) * Math.sin(a), 2 * Math.sin(b)];
    });
    const key = new Map<string, number>();
    const one = Array.from({ length: torus.positions.length / 3 }, (_, v) => {
      const k = [0, 1, 2].map((d) => torus.positions[3 * v + d].toFixed(6).replace('-0.000000', '0.000000')).join();
      return key.get(k) ?? (key.set(k, v), v);
    });
    const closed = { positions: torus.positions, triangles: torus.triangles.map((v) => one[v]).slice(3) };
    expect(code(() => spreadOf(closed))).toBe('handles');
  });
  test('a face that there is not; a needle on the border goes without a word, and moves nothing', () => {
    expect(code(() => spreadOf(cap(30, 4), { faces: [3] }))).toBe('no-such-face');
    // The third corner lies on the border's edge.
    const m = mesh([0, 0, 0, 2, 0, 0, 1, 2, 0, 1, 0, 0], [0, 1, 2, 0, 3, 1]);
    const cleaned = withoutNeedles(m, new Int32Array(2));
    expect([cleaned.face.length, cleaned.left, restFor(cleaned.mesh).area]).toEqual([2, 0, 2]);
    // One that hangs on the border by its two short sides goes.
    const loose = withoutNeedles(mesh([0, 0, 0, 2, 0, 0, 1, 2, 0, 1, 0, 0], [0, 3, 2, 3, 1, 2, 0, 1, 3]), new Int32Array(3));
    expect([loose.face.length, loose.left]).toEqual([2, 0]);
    const inner = mesh([0, 0, 0, 2, 0, 0, 1, 2, 0, 1, -2, 0, 1, 0, 0], [0, 4, 2, 4, 1, 2, 0, 1, 4, 1, 0, 3]);
    const made = withoutNeedles(inner, new Int32Array(4));
    expect([made.face.length, made.left, restFor(made.mesh).area]).toEqual([4, 0, 4]);
  });
  test('a surface that is folded onto itself is told', () => {
    const fold = grid(2, 1, (u, v) => [u < 0.75 ? u * 20 : 10 - (u - 0.5) * 20 + 0.2, v * 8, u > 0.75 ? 0.2 : 0]);
    expect(spreadOf(fold).findings.map((f) => f.code)).toContain('folded-triangles');
  });
  test('limits of a material: told just above, not just below', () => {
    const m = cap(30, 10, 100);
    const { along, across, shear } = spreadOf(m).stretches[0];
    const bears = (k: number) =>
      spreadOf(m, { limits: { along: along * k, across: across * k, shear: shear * k } }).findings.some((f) => f.code === 'beyond-material');
    expect([bears(1.001), bears(0.999)]).toEqual([false, true]);
  });
});

test('a flat that lies over itself is a stop; one that nearly does is not', async () => {
  // Part of a flat ring that goes round more than once, or just not: it unrolls as it is.
  const ring = (degrees: number) =>
    grid(60, 2, (u, v) => {
      const turn = (u * degrees * Math.PI) / 180;
      return [(30 + 10 * v) * Math.cos(turn), (30 + 10 * v) * Math.sin(turn), 20 * u];
    });
  const codes = async (degrees: number) =>
    partOfPatch(await drawn(spreadOf(ring(degrees), { writing: false })), { name: 'ring', path: ['ring'], quantity: 1, unit: 'mm', format: 'made here' })
      .findings.filter((f) => f.severity === 'stop')
      .map((f) => f.code);
  expect([await codes(300), await codes(400)]).toEqual([[], ['crossings']]);
});

describe('allowances', () => {
  const plane = grid(4, 4, (u, v) => [100 * u, 60 * v, 0]);
  test('a rectangle grows by its border’s allowance with mitred corners: (100 + 2 a)(60 + 2 a)', async () => {
    const drawing = await drawn(spreadOf(plane, { allowance: { seam: 0, border: 7 }, writing: false }));
    const of = (name: string) => drawing.layers.find((l) => l.name === name)!.contours[0];
    expect(Math.abs(areaOfContour(of('CUT')))).toBeCloseTo(114 * 74, 3);
    expect(Math.abs(areaOfContour(of('SEW')))).toBeCloseTo(6000, 6);
  });
  test('a hole that its allowance just leaves open is cut, one that it closes is told', async () => {
    // A plate with a square hole of 20: nine each side leave one of 2, eleven leave none.
    const holed = (() => {
      const whole = grid(10, 6, (u, v) => [100 * u, 60 * v, 0]);
      const kept = Array.from({ length: whole.triangles.length / 3 }, (_, k) => k).filter((k) => {
        const [x, y] = [0, 1].map((d) => [0, 1, 2].reduce((sum, i) => sum + whole.positions[whole.triangles[3 * k + i] * 3 + d] / 3, 0));
        return !(x > 40 && x < 60 && y > 20 && y < 40);
      });
      return mesh([...whole.positions], kept.flatMap((k) => [...whole.triangles.slice(3 * k, 3 * k + 3)])); // prettier-ignore
    })();
    const of = async (border: number) => {
      const { layers, patch } = await drawn(spreadOf(holed, { allowance: { seam: 0, border }, writing: false }));
      return [layers.find((l) => l.name === 'HOLES')?.contours.length ?? 0, patch.findings.map((f) => f.code)];
    };
    expect([await of(9), await of(11)]).toEqual([[1, []], [0, ['holes-closed']]]); // prettier-ignore
  });
  test('seams and border take their own: two panels side by side, 10 along the seam and 4 round the rest', async () => {
    const drawing = await drawn(spreadOf(plane, { divide: { by: 'panels', count: 2, across: [1, 0, 0] }, allowance: { seam: 10, border: 4 }, writing: false }));
    const cuts = drawing.layers.find((l) => l.name === 'CUT')!.contours.map((c) => Math.abs(areaOfContour(c)));
    expect(cuts).toHaveLength(2);
    for (const area of cuts) expect(area).toBeCloseTo((50 + 10 + 4) * (60 + 8), 3);
    const notches = drawing.layers.find((l) => l.name === 'NOTCHES')!.contours;
    // On each side one in the middle, doubled, as long as the allowance.
    expect(notches.map((c) => Number(lengthOfContour(c).toFixed(6)))).toEqual([10, 10, 10, 10]);
  });
  test('a corner sharper than the mitre bears is cut off, one less sharp is not', async () => {
    const wedge = (half: number) => mesh([0, 0, 0, 100, -100 * Math.tan(half), 0, 100, 100 * Math.tan(half), 0], [0, 1, 2]);
    // A mitre reaches a / sin(half angle): four allowances at 14.48 degrees.
    const reach = async (half: number) => {
      const drawing = await drawn(spreadOf(wedge(half), { allowance: { seam: 0, border: 2 }, writing: false }));
      const [outline] = drawing.layers.find((l) => l.name === 'CUT')!.contours;
      return Math.abs(areaOfContour(outline));
    };
    const whole = (half: number) => {
      const [w, h] = [100, 200 * Math.tan(half)];
      const side = Math.hypot(100, h / 2);
      const tip = 4 / Math.tan(half);
      const foot = 2 * (4 / Math.tan((Math.PI / 2 - half) / 2));
      return (w * h) / 2 + 2 * (2 * side + h) + tip + foot;
    };
    const limit = Math.asin(1 / 4);
    expect(await reach(limit * 1.02)).toBeCloseTo(whole(limit * 1.02), 2);
    expect(await reach(limit * 0.98)).toBeLessThan(whole(limit * 0.98) - 5);
  });
});

describe('laid back: which wrong file would pass, which right one would be stopped?', () => {
  const slack = { allowed: 0, rounding: 1e-9, approximated: 0 };
  const verdicts = (patch: Patch, drawing: Drawing) => Object.fromEntries(patchClaims(patch, drawing, slack).map((c) => [c.quantity, c.verdict]));
  const all = (v: Record<string, string>) => [...new Set(Object.values(v))];
  // Bent more at one end than at the other: no mirror image of itself.
  const sail = grid(16, 12, (u, v) => [400 * u * (1 - 0.3 * v), 300 * v + 40 * u, 60 * u * u + 30 * v * (1 - u)]);
  test('as it was drawn, in one piece and in panels with allowances: every claim holds', async () => {
    for (const some of [{}, { divide: { by: 'panels' as const, count: 3, across: null }, allowance: { seam: 10, border: 5 } }]) {
      const drawing = await drawn(spreadOf(sail, some));
      expect(all(verdicts(drawing.patch, drawing))).toEqual(['clear']);
    }
  });
  test('mirrored, in inches, a millimetre aside, one percent larger along one way: stopped', async () => {
    const drawing = await drawn(spreadOf(sail));
    const [, , right] = drawing.patch.pieces[0].flat.reduce((b, v, i) => (i % 2 === 0 ? [b[0], b[1], Math.max(b[2], v)] : b), [0, 0, 0]);
    const wrong: Record<string, [number, number, number, number, number, number]> = {
      mirrored: [-1, 0, 0, 1, right, 0],
      inches: [25.4, 0, 0, 25.4, 0, 0],
      aside: [1, 0, 0, 1, 1, 0],
      stretched: [1.01, 0, 0, 1, 0, 0],
    };
    for (const [name, map] of Object.entries(wrong))
      expect([name, verdicts(drawing.patch, transformedDrawing(drawing, map))['Laid back on the surface']]).toEqual([name, 'stop']);
    expect(verdicts(drawing.patch, transformedDrawing(drawing, wrong.stretched))['Area of the pieces']).toBe('stop');
  });
  test('a piece missing, a piece in the place of another, a bite out of the border: stopped', async () => {
    const drawing = await drawn(spreadOf(sail, { divide: { by: 'panels', count: 3, across: null } }));
    const cut = drawing.layers.find((l) => l.name === 'CUT')!;
    const others = drawing.layers.filter((l) => l !== cut);
    const missing = { ...drawing, layers: [{ ...cut, contours: cut.contours.slice(1) }, ...others] };
    expect(verdicts(drawing.patch, missing)).toMatchObject({ 'Laid back on the surface': 'stop', 'Two sides of a seam': 'stop' });
    const bitten = {
      ...drawing,
      layers: [
        {
          ...cut,
          contours: cut.contours.map((c, i) =>
            i > 0
              ? c
              : {
                  ...c,
                  segments: [
                    ...c.segments.slice(0, 2),
                    { kind: 'line' as const, a: endOf(c.segments[1]), b: startOf(c.segments[4] ?? c.segments[0]) },
                    ...c.segments.slice(4),
                  ],
                },
          ),
        },
        ...others,
      ],
    };
    expect(verdicts(drawing.patch, bitten)['Laid back on the surface']).toBe('stop');
  });
});

describe('kind and way', () => {
  const about = { name: 'sail', path: ['sail'], quantity: 1, colour: null, unit: 'mm', format: 'STL' };
  const stateOf = (m: Mesh) => {
    const part = partOfMesh(m, about);
    return { ...part, recipe: firstRecipe(part.summary, readyReceivers), ways: null };
  };
  test('a half sphere is a patch and goes the way of spreading, without a stop; a body with a hole is not and does not', () => {
    const part = stateOf(cap(90, 10, 100));
    expect(isPatch(part.summary)).toBe(true);
    expect(part.findings.map((f) => [f.code, f.severity])).toEqual([['open-surface', 'look']]);
    expect(waysOf(part)[0]).toMatchObject({ way: 'spread', chosen: false });
    const ball = sphere(50, 3);
    const holed = stateOf({ positions: ball.positions, triangles: ball.triangles.slice(3) });
    expect(isPatch(holed.summary)).toBe(false);
    expect(holed.findings.map((f) => [f.code, f.severity])).toEqual([['open-edges', 'stop']]);
    expect(waysOf(holed).map((w) => w.way)).not.toContain('spread');
  });
  test('a stop of other ways does not reach it: a surface need not fit a bed as it stands', () => {
    const part = stateOf(cap(80, 10, 3000));
    const { strands } = threadOf({ ...part, made: [], id: 'p', name: 'sail' } as never, null);
    const spread = strands.find((s) => s.way === 'spread')!;
    expect(spread.steps[0]).toMatchObject({ step: 'Spread' });
    expect(spread.form.context).toContain('a drawing comes of it');
  });
  test('the border’s share that tells: just above and just below', () => {
    // A rectangle of a by b folded to a box without lid would be less; here by figures: border squared over 4 pi area.
    const of = (openLength: number) => isPatch({ kind: 'mesh', openLength, area: 1, shells: 1, nonManifoldEdges: 0, flippedEdges: 0, triangles: 2 });
    const at = Math.sqrt(0.3 * 4 * Math.PI);
    expect([of(at * 1.0001), of(at * 0.9999)]).toEqual([true, false]);
    for (const other of [{ shells: 2, triangles: 9 }, { shells: 1, triangles: 1 }]) expect(isPatch({ kind: 'mesh', openLength: 9, area: 1, nonManifoldEdges: 0, flippedEdges: 0, ...other })).toBe(false); // prettier-ignore
    expect(openLengthOf(grid(2, 2, (u, v) => [3 * u, 2 * v, 0]))).toBeCloseTo(10, 12);
  });
});

describe('the command', () => {
  const run = async (...args: string[]) => {
    let text = '';
    const exit = await main([...args, '--json'], (t) => (text += t), (t) => (text += t)); // prettier-ignore
    return { exit, text, json: text.startsWith('{') ? JSON.parse(text) : null };
  };
  test('a cap in four gores: figures, seams, a file that an independent reader (ezdxf) finds as large', async () => {
    const file = join(folder, 'cap.stl');
    writeFileSync(file, Buffer.concat([...binaryStl(cap(40, 12, 250), 1, 'cap')]));
    const { exit, json } = await run('spread', file, '--gores', '4', '--allowance', '8', '--from-unit', 'mm', '--out', folder);
    expect(json.seams).toHaveLength(4);
    for (const s of json.seams) for (const v of s.sides) expect(Math.abs(v - s.surface)).toBeLessThan(0.01);
    expect(json.surface.area).toBeGreaterThan(0.98 * 2 * Math.PI * 250 ** 2 * (1 - Math.cos((40 * Math.PI) / 180)));
    expect(json.written[0].evidence.map((c: { quantity: string }) => c.quantity)).toContain('Laid back on the surface');
    expect([json.verdict, exit]).toEqual(['clear', 0]);
    const script = `
import ezdxf, sys
from ezdxf import bbox
doc = ezdxf.readfile(sys.argv[1])
e = bbox.extents(doc.modelspace().query('*[layer=="CUT"]'), flatten=0.001)
print(e.size.x, e.size.y)`;
    const [w, h] = execFileSync('/usr/bin/python3', ['-c', script, json.written[0].file], { encoding: 'utf8' }).trim().split(' ').map(Number);
    const [x, y] = [0, 1].map((k) => json.flat.box.max[k] - json.flat.box.min[k]);
    // Eight round about, a little more where corners are mitred, never less.
    expect(w - x).toBeGreaterThan(15.9);
    expect(h - y).toBeGreaterThan(15.9);
    expect(w - x).toBeLessThan(8 * 8);
  });
  test('faces are listed; bad words are told in sentences', async () => {
    const step = join(folder, 'pipe.step');
    writeFileSync(
      step,
      builder.step('pipe', [{ name: 'pipe', colour: '#808080', shape: builder.cylinder([0, 0, 0], [0, 0, 1], 10, 30), places: [[0, 0, 0]] }]),
    );
    const { json } = await run('spread', step, '--list-faces');
    expect(json.faces.map((f: { kind: string }) => f.kind).sort()).toEqual(['cylinder', 'plane', 'plane']);
    expect(json.faces.find((f: { kind: string }) => f.kind === 'cylinder').area).toBeCloseTo(600 * Math.PI, 6);
    for (const [args, word] of [
      [['--gores', '3', '--panels', '2'], 'not both'],
      [['--faces', '0'], '1,4,5'],
      [['--faces', '9'], 'There is no face 9'],
      [['--bears', '3'], 'percent along the grain'],
      [['--axis', '0,0,0'], '0,0,300/0,0,1'],
    ] as const) {
      const { text, exit } = await run('spread', step, ...args);
      expect([exit, text]).toEqual([2, expect.stringContaining(word)]);
    }
    expect((await run('spread', step)).json.error.code).toBe('closed-surface');
  });
});
