/** Reliefs put on the flat, by areas counted by hand; what a press brake needs, by formulas and by sections drawn by hand. */
import { receiverIn } from '../src/receivers/receivers.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { usualPress, noReliefs, type ReliefCuts } from '../src/sheet/asked.ts';
import { beforeAll, describe, expect, test } from 'vitest';
import { pressOf } from '../src/cli/flatten.ts';
import { areaOfContour, contourOf, contoursOf, type Contour } from '../src/curves/drawing.ts';
import { checkDrawing } from '../src/curves/check.ts';
import type { P2, Segment } from '../src/curves/segment.ts';
import { SolidBuilder, type Solid } from '../src/kernel/build.ts';
import type { Kernel } from '../src/kernel/kernel.ts';
import { workingKernel } from '../src/kernel/load.ts';
import { foldedPart, type FlangeSpec } from '../src/kernel/sheet-build.ts';
import { nodeTools } from '../src/pipeline/node-tools.ts';
import { makeOneFile } from '../src/pipeline/one-file.ts';
import { firstDrawingRecipe } from '../src/model/drawing-recipe.ts';
import { firstRecipe } from '../src/recipe/recipe.ts';
import { flattenShape } from '../src/sheet/flatten.ts';
import { partOfPattern } from '../src/sheet/part.ts';
import { usualFlatten, type FlattenChoice, type Pattern } from '../src/sheet/pattern.ts';
import { airBendForce, leastFlangeFor, openingFor, pressReport } from '../src/sheet/press.ts';
import { putReliefs } from '../src/sheet/reliefs.ts';
import { bendCsv } from '../src/sheet/report.ts';
import { flattenSchema } from '../src/sheet/schema.ts';

let kernel: Kernel;
let b: SolidBuilder;
beforeAll(async () => {
  kernel = await workingKernel();
  b = new SolidBuilder(kernel);
});
const flat = (solid: Solid, more: Partial<FlattenChoice> = {}): Pattern =>
  flattenShape(kernel, { shape: { kind: 'solid', brep: b.brep(solid) }, scale: 1, volume: null }, { ...usualFlatten, rule: { kind: 'k', k: 0.44 }, ...more });
const rect = (w: number, h: number): P2[] => [[0, 0], [w, 0], [w, h], [0, h]]; // prettier-ignore
const flange = (from: P2, to: P2, l: number, h: number, more: Partial<FlangeSpec> = {}, flanges: FlangeSpec[] = []): FlangeSpec => ({ from, to, angle: 90, radius: 2, up: true, ...more, wall: { outline: rect(l, h), flanges } }); // prettier-ignore
/** A wall of 80 x 50 with a flange narrower than it by 10 on both sides. */
const narrow = () => foldedPart(b, 2, { outline: rect(80, 50), flanges: [flange([80, 10], [80, 40], 30, 25)] });
const tray = () =>
  foldedPart(b, 2, {
    outline: rect(100, 80),
    flanges: [flange([0, 0], [100, 0], 100, 20), flange([100, 0], [100, 80], 80, 20), flange([100, 80], [0, 80], 100, 20), flange([0, 80], [0, 0], 80, 20)],
  });
const outline = (p: Pattern) => contoursOf(p.drawing).find((c) => c.meaning === 'cut')!;
const codes = (p: Pattern) => p.findings.map((f) => `${f.severity} ${f.code}`);
const bends = (kind: 'rectangular' | 'obround', width: number, depth: number): ReliefCuts => ({ bends: { kind, width, depth }, corners: null });
const corners = (kind: 'round' | 'square', size: number): ReliefCuts => ({ bends: null, corners: { kind, size } });

describe('reliefs on the flat', () => {
  test('beside a narrow flange: two slots of their own area, and the tear is told no more', () => {
    const part = narrow();
    const plain = flat(part);
    expect(codes(plain)).toEqual(['look no-relief']);
    for (const [kind, area] of [
      ['rectangular', 3 * 4],
      ['obround', 3 * 2.5 + (Math.PI * 1.5 ** 2) / 2],
    ] as const) {
      const p = flat(part, { reliefs: bends(kind, 3, 4) });
      expect(plain.area - p.area).toBeCloseTo(2 * area, 9);
      expect(Math.abs(areaOfContour(outline(p)))).toBeCloseTo(p.area, 9);
      expect(codes(p)).toEqual(['clear reliefs-put']);
      expect(checkDrawing({ ...p.drawing, layers: p.drawing.layers.filter((l) => l.name === 'CUT') }).crossings).toEqual([]);
      expect(p.box).toEqual(plain.box);
    }
  });
  test('in the corners of a tray: three quarters of each hole or square', () => {
    const part = tray();
    const plain = flat(part);
    expect(plain.area - flat(part, { reliefs: corners('round', 6) }).area).toBeCloseTo(4 * 0.75 * Math.PI * 9, 9);
    expect(plain.area - flat(part, { reliefs: corners('square', 6) }).area).toBeCloseTo(4 * 0.75 * 36, 9);
    expect(flat(part, { reliefs: bends('rectangular', 3, 4) }).area).toBeCloseTo(plain.area, 9);
  });
  test('where there is no room none is cut, and that is told: just wide enough and just too wide', () => {
    const part = narrow();
    expect(codes(flat(part, { reliefs: bends('rectangular', 9.98, 4) }))).toEqual(['clear reliefs-put']);
    expect(codes(flat(part, { reliefs: bends('rectangular', 9.995, 4) }))).toEqual(['look no-relief', 'clear reliefs-put', 'look no-room-for-relief']);
  });
  test('the border may run either way round', () => {
    const p = flat(tray());
    const back: Contour = { ...outline(p), segments: [...outline(p).segments].reverse().map((s): Segment => (s.kind === 'line' ? { kind: 'line', a: s.b, b: s.a } : s)) }; // prettier-ignore
    for (const kind of ['round', 'square'] as const) {
      const [one, other] = [outline(p), back].map((c) => putReliefs(c, p.patches, corners(kind, 5)));
      expect(Math.abs(areaOfContour(other.contour))).toBeCloseTo(Math.abs(areaOfContour(one.contour)), 9);
      expect([one.corners, other.corners]).toEqual([4, 4]);
    }
  });
  test('a drawing without bends has none', () => {
    const square = contourOf(rect(10, 10).map((a, i, all): Segment => ({ kind: 'line', a, b: all[(i + 1) % 4] })), true); // prettier-ignore
    expect(putReliefs(square, [], { ...corners('round', 1), bends: { kind: 'obround', width: 1, depth: 1 } })).toMatchObject({ bends: 0, corners: 0, left: 0 });
    expect(flat(tray(), { reliefs: noReliefs }).reliefs).toBeUndefined();
  });
  test('written and read back: every claim agrees, the flat is folded again but for its reliefs', async () => {
    for (const reliefs of [bends('obround', 3, 4), corners('round', 6)]) {
      const pattern = flat(reliefs.bends ? narrow() : tray(), { reliefs });
      const part = partOfPattern(pattern, { name: 'flat', path: ['flat'], quantity: 1, unit: 'mm', format: 'made here' });
      const recipe = { ...firstRecipe(part.summary, readyReceivers), receiver: receiverIn(readyReceivers, 'swift'), drawing: firstDrawingRecipe() };
      recipe.file = { ...recipe.file, format: 'dxf' as const };
      const { evidence } = await makeOneFile(part, recipe, nodeTools, (_, pieces) => Promise.resolve(Uint8Array.from(Buffer.concat([...pieces]))));
      expect(evidence.claims.filter((c) => c.verdict !== 'clear')).toEqual([]);
      expect(evidence.claims.map((c) => c.quantity)).toEqual(expect.arrayContaining(['Fold-back', 'Volume, less features']));
      expect(evidence.verdict).toBe('clear');
    }
  });
});

describe('a press brake', () => {
  test('force by (1 + 4 T / V) Rm L T2 / V: 168.75 kN a metre for 2 mm of 450 MPa over 16', () => {
    expect(airBendForce(450, 2, 1000, 16)).toBeCloseTo(168.75, 9);
    expect(airBendForce(450, 4, 1000, 32)).toBeCloseTo(2 * 168.75, 9);
  });
  test('the V is the next one made from 8 T, or 10 T for plate over 12 mm', () => {
    expect([0.5, 1, 1.5, 2, 2.01, 3, 12, 12.01].map(openingFor)).toEqual([4, 8, 12, 16, 20, 25, 100, 125]);
  });
  test('the shortest flange: 0.71 V at 90 degrees, half of V for none', () => {
    expect(leastFlangeFor(16, 90)).toBeCloseTo(16 * Math.SQRT1_2, 9);
    expect(leastFlangeFor(16, 1e-9)).toBeCloseTo(8, 9);
  });
  /** A channel: web and two flanges, lengths between the bends. */
  const channel = (web: number, high: number) =>
    foldedPart(b, 2, { outline: rect(web, 200), flanges: [flange([web, 0], [web, 200], 200, high), flange([0, 200], [0, 0], 200, high)] });
  const report = (solid: Solid, more = {}) => {
    const p = flat(solid);
    return pressReport(p, p.drawing, { ...usualPress, ...more });
  };
  const said = (r: ReturnType<typeof report>) => r.findings.map((f) => `${f.severity} ${f.code}`);
  test('flanges from the bend line to the edge, just long enough and just too short for a V of 16', () => {
    // Flat leg from the line: half the bend's length and the wall.
    const half = ((Math.PI / 2) * (2 + 0.44 * 2)) / 2;
    const needed = 16 * Math.SQRT1_2;
    const [good, bad] = [report(channel(60, needed - half + 0.01)), report(channel(60, needed - half - 0.01))];
    expect(good.bends.map((x) => x.flange)).toEqual([needed + 0.01, needed + 0.01].map((v) => expect.closeTo(v, 6)));
    expect(said(good)).toEqual(['clear press-force']);
    expect(said(bad)).toEqual(['look flange-short', 'clear press-force']);
    expect(bad.findings[0].count).toBe(2);
  });
  test('a channel meets the punch when its first flange leans over it: its tip by a section drawn by hand', () => {
    // From the inner corner of the second bend the web rises at 45 degrees for its inside width, the flange back over it for its inside height.
    const tip = (web: number, high: number) => (-(web + 4) + (high + 2)) * Math.SQRT1_2;
    // The punch is 6 to each side, and 0.1 mm more or less is a touch.
    expect(report(channel(60, 53)).bends[1].hits).toBeNull();
    expect(tip(60, 53)).toBeLessThan(-6);
    expect(report(channel(60, 54)).bends[1].hits).toBe('punch');
    expect(tip(60, 54)).toBeGreaterThan(-6);
    expect(report(channel(60, 54), { punch: { ...usualPress.punch, width: 10 } }).bends[1].hits).toBeNull();
  });
  test('a step too short for the die runs into it; a long one does not', () => {
    const step = (web: number) =>
      foldedPart(b, 2, { outline: rect(web, 200), flanges: [flange([web, 0], [web, 200], 200, 40), flange([0, 200], [0, 0], 200, 40, { up: false })] });
    expect(report(step(40)).bends.map((x) => x.hits)).toEqual([null, null]);
    expect(report(step(6)).bends.some((x) => x.hits === 'die')).toBe(true);
    expect(said(report(step(6)))).toContain('look runs-into-tools');
  });
  test('another order is found where there is one, and told', () => {
    // The tall flange is bent first, since its bend is shorter, and stands in the way then; bent last it is free.
    const part = foldedPart(b, 2, {
      outline: rect(60, 200),
      flanges: [flange([60, 30], [60, 170], 140, 80), flange([0, 200], [0, 0], 200, 20)],
    });
    const r = report(part);
    expect(r.bends.map((x) => x.hits)).toEqual([null, 'punch']);
    expect(r.better).toEqual([2, 1]);
    expect(r.findings.find((f) => f.code === 'runs-into-tools')!.remedy).toContain('order 2, 1');
    // Where no order is free none is named.
    const closed = report(channel(40, 100));
    expect(closed.better).toBeNull();
    expect(closed.findings.find((f) => f.code === 'runs-into-tools')!.remedy).toMatch(/goosenecked punch/);
  });
  test('holes within half the V of a line, just inside and outside', () => {
    const plate = (x: number) => foldedPart(b, 2, { outline: rect(80, 100), holes: [{ at: [x, 50], r: 3 }], flanges: [flange([80, 0], [80, 100], 100, 30)] });
    const half = ((Math.PI / 2) * (2 + 0.44 * 2)) / 2;
    // The edge of the hole 8 mm from the bend line.
    const edge = (off: number) => 80 + half - 8 - 3 - off;
    expect(said(report(plate(edge(0.05))))).toEqual(['clear press-force']);
    expect(said(report(plate(edge(-0.05))))).toEqual(['look hole-near-bend', 'clear press-force']);
  });
  test('a blunt punch, and a machine that is too weak: just inside and outside', () => {
    const sharp = foldedPart(b, 2, { outline: rect(60, 100), flanges: [flange([60, 0], [60, 100], 100, 40, { angle: 95 })] });
    expect(said(report(sharp))).toEqual(['clear press-force']);
    expect(said(report(sharp, { punch: { ...usualPress.punch, angle: 85.1 } }))).toEqual(['look punch-blunt', 'clear press-force']);
    const [{ force }] = report(channel(60, 30)).bends;
    expect(said(report(channel(60, 30), { most: force * 1.001 }))).toEqual(['clear press-force']);
    expect(said(report(channel(60, 30), { most: force * 0.999 }))).toEqual(['look press-force']);
  });
  test('a flat that was asked for it carries the figures in its table; one that was not does not', () => {
    const p = flat(channel(60, 30), { press: usualPress });
    const part = partOfPattern(p, { name: 'channel', path: ['channel'], quantity: 1, unit: 'mm', format: 'made here' });
    const rows = bendCsv(part.summary.flat!).trim().split('\r\n');
    expect(rows[0]).toMatch(/die_opening_mm,force_kN,least_flange_mm,flange_mm$/);
    expect(rows[1]).toMatch(/,16,31\.5,11\.31,32\.26$/);
    expect(codes(p)).toContain('clear press-force');
    expect(partOfPattern(flat(channel(60, 30)), { name: 'c', path: ['c'], quantity: 1, unit: 'mm', format: 'made here' }).summary.flat!.press).toBeUndefined();
  });
});

describe('what is typed', () => {
  test('a press in words', () => {
    expect(pressOf('usual')).toEqual(usualPress);
    expect(pressOf('opening=20,strength=300,most=600,punch=30x10x120,ram=60')).toEqual({ ...usualPress, opening: 20, strength: 300, most: 600, punch: { angle: 30, width: 10, height: 120 }, ram: 60 }); // prettier-ignore
    for (const wrong of ['opening', 'opening=1=2', 'opening=a', 'punch=85', 'v=16', 'opening=16,opening=20', 'strength=9', 'most=0'])
      expect(() => pressOf(wrong)).toThrow(/--press/);
  });
  test('choices that were kept before reliefs and presses were known are taken as they were', () => {
    const { reliefs, press, rips, ...older } = usualFlatten;
    const { value, error } = flattenSchema.validate(older);
    expect(error).toBeUndefined();
    expect(value).toEqual({ ...older, reliefs, press, rips });
    expect(flattenSchema.validate({ ...older, reliefs: bends('obround', 0.05, 4) }).error).toBeDefined();
    expect(flattenSchema.validate({ ...older, press: { strength: 300 } }).value.press).toEqual({ ...usualPress, strength: 300 });
  });
});
