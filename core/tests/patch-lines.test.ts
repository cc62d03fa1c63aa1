/** Edges of a surface that are chosen, lines that are drawn on it, edges that keep their length: against closed forms, and through the file by another reader. */
import { execFileSync } from 'node:child_process';
import { describe, expect, test } from 'vitest';
import { lengthOfContour } from '../src/curves/drawing.ts';
import { nodeEngine } from '../src/engine/load.ts';
import { edgesOf, openEdge, openLengthOf } from '../src/geometry/edges.ts';
import { measureMesh, type Mesh } from '../src/geometry/mesh.ts';
import { distance, placeAt, type Vec3 } from '../src/geometry/vector.ts';
import { areaOf } from '../src/patches/area.ts';
import { mostLines, spreadSchema, usualSpread, type DrawnLine, type SpreadChoice } from '../src/patches/choice.ts';
import { drawnSpread, layerNames } from '../src/patches/draw.ts';
import { withLines } from '../src/patches/drawn-lines.ts';
import { edgeWays, onwardTurn } from '../src/patches/edge-way.ts';
import { facedMesh } from '../src/patches/faced.ts';
import { localOf, withinBall } from '../src/patches/local.ts';
import { edgeKey, endsOfKey, type CutMesh } from '../src/patches/parting.ts';
import { putPoint } from '../src/patches/put.ts';
import { spreadShape, type Spread } from '../src/patches/spread.ts';
import { nodeLetters } from '../src/text/node-files.ts';
import { cap, grid, mesh, saddle, sphere } from './patch.data.ts';
import { builder, kernel } from './sheet.data.ts';
import { spreadCommandOn } from './spread.run.ts';
import { code } from './thrown.ts';

const spreadOf = (m: Mesh, some: Partial<SpreadChoice> = {}): Spread =>
  spreadShape(null, { shape: { kind: 'mesh', mesh: m }, scale: 1 }, { ...usualSpread, ...some });
const plane = (n: number) => grid(n, n, (u, v) => [200 * u - 100, 200 * v - 100, 0]);
const whole = (m: Mesh): CutMesh => ({ mesh: m, face: new Int32Array(m.triangles.length / 3), cut: new Set() });
const line = (through: Vec3[], round = false, closed = false): DrawnLine => ({ through, round, closed });
const circle = (r: number, z: number, n: number): Vec3[] =>
  Array.from({ length: n }, (_, k) => [r * Math.cos((2 * Math.PI * k) / n), r * Math.sin((2 * Math.PI * k) / n), z]);
const lengthOf = (m: Mesh, way: readonly number[]) =>
  way.slice(1).reduce((sum, v, i) => sum + distance(placeAt(m.positions, way[i]), placeAt(m.positions, v)), 0);
const drawnLength = (it: CutMesh, keys: ReadonlySet<number>) =>
  [...keys].reduce((sum, key) => sum + distance(...(endsOfKey(key).map((v) => placeAt(it.mesh.positions, v)) as [Vec3, Vec3])), 0);

/** A box of 60 x 40 x 20, twelve triangles. */
const box = mesh(
  [0, 0, 0, 60, 0, 0, 60, 40, 0, 0, 40, 0, 0, 0, 20, 60, 0, 20, 60, 40, 20, 0, 40, 20],
  [0, 2, 1, 0, 3, 2, 4, 5, 6, 4, 6, 7, 0, 1, 5, 0, 5, 4, 1, 2, 6, 1, 6, 5, 2, 3, 7, 2, 7, 6, 3, 0, 4, 3, 4, 7],
);

/** Two strips that meet along a zigzag, folded there: each side of it turns by `turn` degrees at every point. */
function zigzag(turn: number, third: boolean): { mesh: Mesh; face: Int32Array; ways: number } {
  const a = (turn / 2) * (Math.PI / 180);
  const positions: number[] = [];
  const triangles: number[] = [];
  const face: number[] = [];
  const n = 6;
  // Points of the way (z = 0), then above it, then below it.
  let [x, y] = [0, 0];
  for (let i = 0; i <= n; i++) {
    positions.push(x, y, 0, x, y + 30, 10, x, y - 30, 10);
    x += 10 * Math.cos(a);
    y += (i % 2 === 0 ? 1 : -1) * 10 * Math.sin(a);
  }
  for (let i = 0; i < n; i++) {
    const [p, q] = [3 * i, 3 * (i + 1)];
    triangles.push(p, q, q + 1, p, q + 1, p + 1, p, p + 2, q + 2, p, q + 2, q);
    // With a third face from the middle on there is a meeting of three there.
    const upper = third && i >= n / 2 ? 2 : 0;
    face.push(upper, upper, 1, 1);
  }
  return { mesh: mesh(positions, triangles), face: Int32Array.from(face), ways: n };
}

describe('edges that are chosen', () => {
  test('the rim of a cylinder all round, an edge of a box from corner to corner', () => {
    const tin = spreadShape(kernel, { shape: { kind: 'solid', brep: builder.brep(builder.cylinder([0, 0, 0], [0, 0, 1], 30, 80)) }, scale: 1 }, { ...usualSpread, divide: { by: 'panels', count: 2, across: null } });
    const { mesh: m, face } = tin.region;
    const [rim] = edgeWays({ mesh: m, face }, 'between faces', [[31, 2, 79]]);
    expect(rim[0]).toBe(rim[rim.length - 1]);
    for (const v of rim) expect(Math.abs(m.positions[v * 3 + 2] - 80)).toBeLessThan(1e-9);
    // Chords of the circle: a little shorter than it.
    expect(lengthOf(m, rim) / (2 * Math.PI * 30)).toBeGreaterThan(0.99);
    expect(lengthOf(m, rim)).toBeLessThan(2 * Math.PI * 30);
    const faced = facedMesh(box, 40);
    expect(faced.faces).toBe(6);
    for (const [place, side] of [[[30, 0, 20], 60], [[60, 20, 20], 40], [[0, 0, 9], 20]] as [Vec3, number][]) expect(lengthOf(box, edgeWays(faced, 'between faces', [place])[0])).toBe(side); // prettier-ignore
  }); // prettier-ignore
  test('at a meeting of three a way goes on when it turns less than its limit, just inside and just outside; elsewhere however sharply', () => {
    const long = (turn: number, third: boolean) => {
      const { mesh: m, face } = zigzag(turn, third);
      return edgeWays({ mesh: m, face }, 'between faces', [placeAt(m.positions, 3).map((v, d) => (v + m.positions[d]) / 2) as Vec3])[0].length - 1;
    };
    expect(long(onwardTurn - 0.5, true)).toBe(6);
    expect(long(onwardTurn + 0.5, true)).toBe(3);
    expect(long(100, false)).toBe(6);
  });
  test('the border of a plane from corner to corner, of a cap all round; no such edge: none', () => {
    const m = plane(7);
    const it = whole(m);
    expect(lengthOf(m, edgeWays(it, 'border', [[20, -99, 3]])[0])).toBeCloseTo(200, 9);
    const dome = cap(60, 8, 100);
    const [ring] = edgeWays(whole(dome), 'border', [[90, 0, 40]]);
    expect(ring.length - 1).toBe(48);
    expect(ring[0]).toBe(ring[48]);
    expect(edgeWays(it, 'between faces', [[0, 0, 0]])).toEqual([]);
    expect(edgeWays(whole(sphere(10, 1)), 'border', [[0, 0, 0]])).toEqual([]);
  });
  test('up to the edges round the top of a box: its top; named otherwise: all the rest', () => {
    const faced = facedMesh(box, 40);
    const round: Vec3[] = [[30, 0, 20], [30, 40, 20], [0, 20, 20], [60, 20, 20]]; // prettier-ignore
    const top = areaOf(faced, { by: 'edges', at: round, inside: [30, 20, 20] }, null);
    expect(measureMesh(top.mesh).area).toBe(2400);
    const rest = areaOf(faced, { by: 'edges', at: round, inside: [30, 20, 0] }, null);
    expect(measureMesh(rest.mesh).area).toBe(2400 + 2 * 20 * (60 + 40));
    expect(code(() => areaOf(faced, { by: 'edges', at: round.slice(1), inside: [30, 20, 20] }, null))).toBe('open-loop');
    expect(code(() => areaOf(whole(plane(3)), { by: 'edges', at: [[0, 0, 0]], inside: [1, 1, 0] }, null))).toBe('no-edges');
  });
  test('of a tin without its lid: one click on the rim, laid flat with a cut', () => {
    const brep = builder.brep(builder.cylinder([0, 0, 0], [0, 0, 1], 30, 80));
    const made = spreadShape(kernel, { shape: { kind: 'solid', brep }, scale: 1 }, { ...usualSpread, area: { by: 'edges', at: [[30, 0, 80]], inside: [30, 0, 40] }, divide: { by: 'gores', count: 2, axis: { at: [0, 0, 0], along: [0, 0, 1] } } }); // prettier-ignore
    const area = made.laid.reduce((sum, l) => sum + l.rest.area, 0);
    expect(Math.abs(area / (2 * Math.PI * 30 * 80 + Math.PI * 900) - 1)).toBeLessThan(0.01);
  });
});

describe('lines that are drawn', () => {
  const contoursOf = async (spread: Spread) => {
    const drawing = await drawnSpread(spread, await nodeEngine(), nodeLetters);
    return drawing.layers.find((l) => l.name === layerNames.drawn)!.contours;
  };
  test('on a plane they are where they were drawn: lengths, and a circle as arcs', async () => {
    const spread = spreadOf(plane(30), { drawn: [line([[-60, -20, 0], [40, 55, 0]]), line(circle(35, 0, 24), true, true)], facet: 1000 }); // prettier-ignore
    const contours = await contoursOf(spread);
    expect(contours.every((c) => c.meaning === 'engrave')).toBe(true);
    // The line crosses the circle: both stay whole in sum. Places are put within a twentieth of a facet (6 mm).
    const sum = contours.reduce((n, c) => n + lengthOfContour(c), 0);
    expect(Math.abs(sum - (125 + 2 * Math.PI * 35))).toBeLessThan(1.2);
    expect(spread.laid.length).toBe(1);
  });
  test('on a cylinder: a line round it at one height is straight on the flat and as long as its arc', async () => {
    const brep = builder.brep(builder.cylinder([0, 0, 0], [0, 0, 1], 30, 80));
    const arc: Vec3[] = Array.from({ length: 9 }, (_, k) => [30 * Math.cos(0.5 + 0.25 * k), 30 * Math.sin(0.5 + 0.25 * k), 33]);
    const wall = spreadShape(kernel, { shape: { kind: 'solid', brep }, scale: 1 }, { ...usualSpread, area: { by: 'edges', at: [[30, 0, 80], [30, 0, 0]], inside: [30, 0, 40] }, lines: [{ from: [30, 0, 0], to: [30, 0, 80] }], drawn: [line(arc, true)] }); // prettier-ignore
    expect(wall.laid.length).toBe(1);
    const contours = await contoursOf(wall);
    const sum = contours.reduce((n, c) => n + lengthOfContour(c), 0);
    expect(Math.abs(sum / 60 - 1)).toBeLessThan(0.01);
    const ys = contours.flatMap((c) => c.segments.flatMap((s) => (s.kind === 'line' ? [s.a, s.b] : [])));
    // What stands up on the surface points along X of the sheet: the line runs along Y there, at one X.
    expect(Math.max(...ys.map((p) => p[0])) - Math.min(...ys.map((p) => p[0]))).toBeLessThan(0.5);
  });
  test('across seams and across each other: every piece has its part, none is lost', async () => {
    const lines = [line([[-50, -40, 0], [50, -40, 0]]), line([[-50, 30, 0], [50, 30, 0]]), line([[10, -60, 0], [10, 60, 0]])]; // prettier-ignore
    const m = plane(30);

    const { it, drawn } = withLines(whole(m), lines, null);
    expect(Math.abs(drawnLength(it, drawn) - 320)).toBeLessThan(2);
    const spread = spreadOf(m, { divide: { by: 'panels', count: 4, across: [1, 0, 0] }, drawn: lines });
    expect(spread.laid.length).toBe(4);
    const sum = (await contoursOf(spread)).reduce((n, c) => n + lengthOfContour(c), 0);
    expect(Math.abs(sum - 320)).toBeLessThan(2);
    // Cuts that lines run across are as long as before, and seams still equal.
    for (const seam of spread.seams) expect(Math.abs(seam.length - 200)).toBeLessThan(1e-6);
    expect(it.cut.size).toBe(0);
  });
  test('along an edge that is cut a line is drawn on both sides of it', async () => {
    const m = plane(20);
    const spread = spreadOf(m, { lines: [{ from: [0, -100, 0], to: [0, 100, 0] }], drawn: [line([[0, -50, 0], [0, 50, 0]])] }); // prettier-ignore
    expect(spread.laid.length).toBe(2);
    const sum = (await contoursOf(spread)).reduce((n, c) => n + lengthOfContour(c), 0);
    expect(Math.abs(sum - 200)).toBeLessThan(2);
  });
});

describe('a part of a surface worked on by itself', () => {
  const m = plane(12);
  const it: CutMesh = { ...whole(m), cut: new Set([edgeKey(0, 1), edgeKey(60, 61)]) };
  const near = withinBall(m, [0, 0, 0], 40);
  const count = (v: Uint8Array) => v.reduce((n, x) => n + x, 0);
  test('comes back as it was: as many points and triangles, as large, cut where it was', () => {
    expect(count(near)).toBeGreaterThan(20);
    expect(count(near)).toBeLessThan(m.triangles.length / 6);
    const local = localOf(it, near);
    const again = local.back(local.it)!;
    expect(again.mesh.positions).toEqual(m.positions);
    expect(again.mesh.triangles.length).toBe(m.triangles.length);
    expect(measureMesh(again.mesh).area).toBeCloseTo(40_000, 6);
    expect(again.cut).toEqual(it.cut);
    expect(openLengthOf(again.mesh)).toBeCloseTo(800, 6);
  });
  test('a ball that only lies within one large triangle meets it; one beside the surface none', () => {
    expect(count(withinBall(plane(1), [50, 0, 0], 1))).toBe(2);
    expect(count(withinBall(plane(1), [50, 0, 9], 8.9))).toBe(0);
    expect(count(withinBall(plane(1), [50, 0, 9], 9.1))).toBe(2);
  });
  test('parted inside it is whole again; parted on an edge that it shares with the rest it is refused', () => {
    const local = localOf(it, near);
    const inner = putPoint(local.it, [3, 4, 0], null);
    const made = local.back(inner.it)!;
    expect(openLengthOf(made.mesh)).toBeCloseTo(800, 6);
    expect(distance(placeAt(made.mesh.positions, local.from(inner.vertex)), [3, 4, 0])).toBeLessThan(1e-9);
    // A point put on an edge of what only looks like a border.
    const { mesh: own } = local.it;
    const { across } = edgesOf(own.triangles, own.positions.length / 3);
    const c = across.findIndex((other) => other === openEdge);
    const [a, b] = [own.triangles[c], own.triangles[c - (c % 3) + ((c + 1) % 3)]].map((v) => placeAt(own.positions, v));
    const onRim = putPoint(local.it, a.map((v, d) => (v + b[d]) / 2) as Vec3, null);
    expect(local.back(onRim.it)).toBe(null);
  });
});

describe('places beside the surface', () => {
  const off = (some: Partial<SpreadChoice>) => spreadOf(plane(10), { facet: 20, ...some }).findings.filter((f) => f.code === 'place-off-surface');
  test('farther off than a facet is long: told with how far; nearer: not', () => {
    const [told] = off({ drawn: [line([[0, 0, 0], [60, 0, 20.5]])] }); // prettier-ignore
    expect(told.message).toContain('up to 20.5 mm off the surface');
    expect(off({ drawn: [line([[0, 0, 0], [60, 0, 19.5]])] })).toEqual([]); // prettier-ignore
    expect(off({ lines: [{ from: [0, 0, 0], to: [0, 160, 0] }] })[0].count).toBe(1);
    expect(off({ area: { by: 'loop', through: circle(50, 0, 8), round: true, inside: [0, 0, 50] } })[0].count).toBe(1);
  });
});

describe('edges that keep their length', () => {
  const side: Vec3 = [0, -200, 0];
  const sail = saddle(400, 0.25, 24);
  test('the one that was named is as long on the flat as on the surface; without, it is not', () => {
    const kept = spreadOf(sail, { facet: 1000, keep: [side] });
    const free = spreadOf(sail, { facet: 1000 });
    expect(kept.kept.length).toBe(1);
    const { length, flat } = kept.kept[0];
    // y = -200: z = 100 ((x / 400)^2 - 1/4), a parabola of 400 across and 25 deep: its length by the closed form.
    const slope = 0.25;
    const arc = (400 / 2) * (Math.sqrt(1 + slope * slope) + Math.asinh(slope) / slope);
    expect(Math.abs(length - arc)).toBeLessThan(0.05);
    expect(Math.abs(flat - length)).toBeLessThan(0.01);
    // Of the free flat the same edge, by its own places.
    const [{ piece, flat: on }] = free.laid;
    const way = edgeWays(whole(piece.mesh), 'border', [side])[0];
    const free2 = way.slice(1).reduce((sum, v, i) => sum + Math.hypot(on[2 * v] - on[2 * way[i]], on[2 * v + 1] - on[2 * way[i] + 1]), 0);
    expect(Math.abs(free2 - length)).toBeGreaterThan(0.2);
    expect(kept.findings.some((f) => f.code === 'edges-not-kept')).toBe(false);
  });
  test('named twice it is one; across a seam it keeps its length in both pieces; a closed surface has none', () => {
    expect(spreadOf(sail, { facet: 1000, keep: [side, [50, -200, -20]] }).kept.length).toBe(1);
    const parted = spreadOf(sail, { facet: 1000, keep: [side], divide: { by: 'panels', count: 2, across: [1, 0, 0] } });
    expect(parted.laid.length).toBe(2);
    expect(Math.abs(parted.kept[0].flat - parted.kept[0].length)).toBeLessThan(0.01);
    expect(code(() => spreadOf(sphere(50, 3), { cuts: 1, keep: [[0, 0, 50]] }))).toBe('no-border');
  });
});

describe('asked for', () => {
  const fits = (some: object) => spreadSchema.validate({ ...usualSpread, ...some }).error === undefined;
  const places = (n: number) => Array.from({ length: n }, (_, k) => [k, 0, 0]);
  test('bounds, just inside and just outside', () => {
    const edges = (n: number) => fits({ area: { by: 'edges', at: places(n), inside: [0, 0, 0] } });
    expect([0, 1, mostLines, mostLines + 1].map(edges)).toEqual([false, true, true, false]);
    expect([mostLines, mostLines + 1].map((n) => fits({ keep: places(n) }))).toEqual([true, false]);
    const drawn = (n: number, closed: boolean) => fits({ drawn: [{ through: places(n), round: true, closed }] });
    expect([drawn(1, false), drawn(2, false), drawn(2, true), drawn(3, true), drawn(101, true)]).toEqual([false, true, false, true, false]);
  });
  test('on the command line, down to the file by ezdxf', () => {
    const run = spreadCommandOn(saddle(400, 0.25, 14));
    const report = JSON.parse(run('--bare', '--keep', '0,-200,0', '--draw', '-80,-80,0/80,-80,0/80,80,0/closed', '--draw', '0,0,0/0,150,0')) as {
      verdict: string;
      kept: { length: number; flat: number }[];
      written: { file: string }[];
    };
    expect(['clear', 'look']).toContain(report.verdict);
    expect(report.kept.length).toBe(1);
    const read =
      'import ezdxf, sys\nfrom ezdxf import path\nd = ezdxf.readfile(sys.argv[1])\nprint(sum(sum(a.distance(b) for a, b in zip(v, v[1:])) for v in (list(path.make_path(e).flattening(0.01)) for e in d.modelspace() if e.dxf.layer == "ENGRAVE")))';
    const drawn = Number(execFileSync('/usr/bin/python3', ['-c', read, report.written[0].file], { encoding: 'utf8' }));
    // The saddle is so shallow there (4 mm in 160) that lines are as long as from above, within 2 %.
    expect(Math.abs(drawn / (160 + 160 + 160 * Math.SQRT2 + 150) - 1)).toBeLessThan(0.02);
    expect(run('--up-to', '0,0,0')).toContain('need a place within them');
    expect(run('--draw', '0,0,0/9,0,0/closed')).toContain('3 to 100 places');
    expect(run('--draw', '0,0,0')).toContain('2 to 100 places');
  });
});
