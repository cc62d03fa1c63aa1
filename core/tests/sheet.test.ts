import { describe, expect, test } from 'vitest';
import { areaOfContour, contoursOf } from '../src/curves/drawing.ts';
import { flattened } from '../src/curves/flatten.ts';
import { distance, type ArcSegment } from '../src/curves/segment.ts';
import { foldedPart, type WallSpec } from '../src/kernel/sheet-build.ts';
import { allowanceFor, bendTableCsv, deductionOf, readBendTable, setbackOf, type BendTable } from '../src/sheet/rules.ts';
import { builder as b, flatHere, flatOf, flatOfMesh, meshOf, randomPart, rect, roundHoles, strip, type P2 } from './sheet.data.ts';
import { some } from './some.ts';

const k = (v: number) => ({ rule: { kind: 'k' as const, k: v } });
const size = (box: readonly number[]) => [box[2] - box[0], box[3] - box[1]].sort((p, q) => p - q);
/** A plate with one flange along its right edge. */
const angle = (more: Partial<WallSpec> = {}, flange: { angle?: number; radius?: number; up?: boolean; wall?: Partial<WallSpec> } = {}): WallSpec => ({
  outline: rect(60, 40),
  ...more,
  flanges: [
    {
      from: [60, 0],
      to: [60, 40],
      angle: flange.angle ?? 90,
      radius: flange.radius ?? 3,
      up: flange.up ?? true,
      wall: { outline: rect(40, 30), ...flange.wall },
    },
  ],
});

describe('rules for bends', () => {
  // Published: Machinery's Handbook, lengths of straight stock for bending; values from memory (design/evidence.md).
  test.each([
    ['soft', 0.55],
    ['half-hard', 0.64],
    ['hard', 0.71],
  ] as const)('handbook, %s: %f T + 1.57 R at 90 degrees, in proportion at other angles', (stock, share) => {
    for (const [t, r] of [
      [1, 1],
      [2, 3],
      [0.8, 5],
    ]) {
      expect(allowanceFor({ kind: 'handbook', stock }, 90, r, t).length).toBeCloseTo(share * t + 1.57 * r, 12);
      expect(allowanceFor({ kind: 'handbook', stock }, 45, r, t).length).toBeCloseTo((share * t + 1.57 * r) / 2, 12);
    }
  });
  test('DIN 6935: T 2, R 3, 90 degrees: k 0.738, arc 5.872, deduction 4.128 (worked in design/evidence.md)', () => {
    const { length, words } = allowanceFor({ kind: 'din6935' }, 90, 3, 2);
    expect(length).toBeCloseTo(5.872, 3);
    expect(deductionOf(90, 3, 2, length)).toBeCloseTo(4.128, 3);
    expect(words).toContain('0.738');
    // From R / T = 5 on the neutral fibre is the middle one.
    expect(allowanceFor({ kind: 'din6935' }, 90, 10.1, 2).length).toBeCloseTo((Math.PI / 2) * 11.1, 12);
  });
  test('setback: tan(A / 2) (R + T) (published: Machinery’s Handbook); K 0 is the inside arc, K 0.5 the middle one', () => {
    expect(setbackOf(90, 3, 2)).toBeCloseTo(5, 12);
    expect(setbackOf(60, 3, 2)).toBeCloseTo(5 / Math.sqrt(3), 12);
    expect(allowanceFor(k(0).rule, 60, 3, 2).length).toBeCloseTo((Math.PI / 3) * 3, 12);
    expect(allowanceFor(k(0.5).rule, 60, 3, 2).length).toBeCloseTo((Math.PI / 3) * 4, 12);
  });
  const table: BendTable = {
    name: 'steel 2',
    material: 'steel',
    thickness: 2,
    gives: 'deduction',
    rows: [
      { radius: 2, angle: 90, value: 3.6 },
      { radius: 4, angle: 90, value: 4.4 },
      { radius: 2, angle: 45, value: 1.2 },
    ],
  };
  test('a table gives its own figure, the one between two rows, and says when it was stretched', () => {
    expect(allowanceFor({ kind: 'table', table }, 90, 2, 2)).toMatchObject({ length: expect.closeTo(8 - 3.6, 12), doubt: null });
    expect(allowanceFor({ kind: 'table', table }, 90, 3, 2).length).toBeCloseTo(10 - 4, 12);
    expect(allowanceFor({ kind: 'table', table }, 90, 6, 2).doubt).toContain('no inside radius 6 mm');
    expect(allowanceFor({ kind: 'table', table }, 90, 2, 3).doubt).toContain('was made for 2 mm');
    expect(allowanceFor({ kind: 'table', table }, 120, 2, 2).doubt).toContain('no angle 120');
  });
  test('a table as CSV comes back the same; bad rows are told and the good ones kept; semicolons and decimal commas are read', () => {
    expect(readBendTable(bendTableCsv(table), 'again').table.rows).toEqual(table.rows);
    const { table: mixed, bad } = readBendTable('Radius;Angle;K-factor\r\n1,5;90;0,41\r\n2;x;0,4\r\n1,5;90;0,5\r\n', 'shop');
    expect(mixed).toMatchObject({ gives: 'k', rows: [{ radius: 1.5, angle: 90, value: 0.41 }] });
    expect(bad).toEqual([expect.stringContaining('Line 3'), expect.stringContaining('Line 4')]);
    expect(() => readBendTable('a,b\n1,2\n', 'x')).toThrow('names its columns');
    expect(() => readBendTable('radius,angle,k\nx,y,z\n', 'x')).toThrow('No line');
  });
});

describe('flat lengths of profiles', () => {
  const profiles: [string, number[], { angle: number; radius: number }[]][] = [
    ['angle', [30, 20], [{ angle: 90, radius: 3 }]],
    ['Z', [20, 30, 20], [{ angle: 90, radius: 2 }, { angle: -90, radius: 2 }]], // prettier-ignore
    ['U', [25, 40, 25], [{ angle: 90, radius: 2.5 }, { angle: 90, radius: 2.5 }]], // prettier-ignore
    ['hat', [12, 20, 30, 20, 12], [{ angle: 90, radius: 2 }, { angle: -90, radius: 2 }, { angle: -90, radius: 2 }, { angle: 90, radius: 2 }]], // prettier-ignore
    ['J with a hem', [40, 25, 9], [{ angle: 90, radius: 3 }, { angle: 180, radius: 1 }]], // prettier-ignore
    ['open box', [14, 22, 50, 22, 14], [{ angle: 90, radius: 1.5 }, { angle: 90, radius: 1.5 }, { angle: 90, radius: 1.5 }, { angle: 90, radius: 1.5 }]], // prettier-ignore
    ['obtuse and sharp', [25, 25, 25], [{ angle: 30, radius: 4 }, { angle: -120, radius: 1 }]], // prettier-ignore
  ];
  test.each(profiles)('%s: straights and allowances by the handbook, by DIN 6935 and by K', async (_, legs, bends) => {
    const t = 2;
    const solid = strip(t, 40, legs, bends);
    const straight = legs.reduce((n, l) => n + l, 0);
    const sum = (of: (a: number, r: number) => number) => straight + bends.reduce((n, { angle: a, radius }) => n + of(Math.abs(a), radius), 0);
    const rad = Math.PI / 180;
    for (const [rule, length] of [
      [{ kind: 'handbook', stock: 'half-hard' }, sum((a, r) => ((0.64 * t + 1.57 * r) * a) / 90)],
      [{ kind: 'din6935' }, sum((a, r) => a * rad * (r + ((r / t > 5 ? 1 : 0.65 + 0.5 * Math.log10(r / t)) * t) / 2))],
      [{ kind: 'k', k: 0.44 }, sum((a, r) => a * rad * (r + 0.44 * t))],
    ] as const) {
      const flat = flatHere(solid, { rule });
      expect(size(flat.box)).toEqual([40, length].sort((p, q) => p - q).map((v) => expect.closeTo(v, 8)));
      expect(flat.bends).toHaveLength(bends.length);
      expect(flat.foldBack!.distance).toBeLessThan(1e-6);
    }
    // Angles and inside radii are those of the design, in some order.
    const flat = await flatOf(solid);
    const figures = (list: { angle: number; radius: number }[]) => list.map((x) => `${Math.abs(x.angle).toFixed(4)} ${x.radius.toFixed(4)}`).sort();
    expect(figures(flat.bends)).toEqual(figures(bends));
    expect(flat.thickness).toBeCloseTo(t, 9);
    expect(flat.spread).toBeLessThan(1e-9);
  });
  test('a Z has one bend up and one down, a hat two of each; the side with more bends rising lies up', () => {
    const z = flatHere(strip(1.5, 30, [20, 30, 20], [{ angle: 90, radius: 2 }, { angle: -90, radius: 2 }])); // prettier-ignore
    expect(z.bends.map((x) => x.direction).sort()).toEqual(['down', 'up']);
    const u = strip(1.5, 30, [20, 50, 20], [{ angle: 90, radius: 2 }, { angle: 90, radius: 2 }]); // prettier-ignore
    expect(flatHere(u).bends.every((x) => x.direction === 'up')).toBe(true);
    // The back of whichever wall was taken shows them falling.
    expect(new Set([flatHere(u, { up: 'back' }), flatHere(u, { up: 'face' })].map((f) => f.bends[0].direction))).toEqual(new Set(['up', 'down']));
  });
});

describe('area and volume', () => {
  test('K 0.5: area of the flat times thickness is the volume; otherwise they differ by angle (K - 0.5) T squared times the length of the bend', async () => {
    const [t, r, width] = [2, 3, 40];
    const solid = strip(t, width, [30, 20], [{ angle: 75, radius: r }]);
    const half = await flatOf(solid, k(0.5));
    expect(half.area * t).toBeCloseTo(half.volume, 5);
    for (const kf of [0, 0.3, 0.44]) {
      const flat = await flatOf(solid, k(kf));
      expect(flat.area * t - flat.volume).toBeCloseTo(((75 * Math.PI) / 180) * (kf - 0.5) * t * t * width, 5);
      // Folded again it is the volume of the design, whatever the rule.
      expect(flat.foldBack!.volume).toBeCloseTo(flat.volume, 5);
    }
  });
  test('no inside radius: K 0 leaves no length for the bend, K 0.5 half the thickness times the angle', () => {
    for (const up of [true, false]) {
      const solid = foldedPart(b, 2, angle({}, { radius: 0, up }));
      expect(size(flatHere(solid, k(0)).box)[1]).toBeCloseTo(90, 4);
      const flat = flatHere(solid, k(0.5));
      expect(size(flat.box)[1]).toBeCloseTo(90 + Math.PI / 2, 8);
      expect(flat.bends[0]).toMatchObject({ radius: 0, direction: 'up' });
    }
  });
  test('another radius of the tool: outer sizes stay, the flat follows the deduction', () => {
    const solid = strip(2, 40, [30, 20], [{ angle: 90, radius: 3 }]);
    const flat = flatHere(solid, { ...k(0.44), radius: 1 });
    // Legs to the outer corner are 35 and 25; with R 1: 60 less 2 (1 + 2) plus pi / 2 (1 + 0.88).
    expect(size(flat.box)[1]).toBeCloseTo(60 - 6 + (Math.PI / 2) * 1.88, 8);
    expect(flat.bends[0]).toMatchObject({ radius: expect.closeTo(3, 9), tool: 1 });
    expect(() => flatHere(solid, { ...k(0.44), radius: 400 })).toThrow('nothing is left of the bend');
  });
});

describe('round parts', () => {
  test('a cone opens to a sector of 360 r / s degrees (published: any handbook)', () => {
    // Wedge of 60 degrees taken out along rulings; thickness square to the wall.
    const [r1, r2, h, t] = [10, 30, 40, 1.5];
    const s = Math.hypot(r2 - r1, h);
    const [c, n] = [h / s, (r2 - r1) / s];
    const whole = b.revolved([r1, 0], [{ to: [r2, h] }, { to: [r2 + t * c, h - t * n] }, { to: [r1 + t * c, -t * n] }, { to: [r1, 0] }]);
    const wedge = b.raised([0, 0], [{ to: [100, 0] }, { to: [50, 50 * Math.sqrt(3)] }, { to: [0, 0] }], 100, -20);
    const flat = flatHere(b.cut(whole, wedge), { ...k(0), up: 'face' });
    const arcs = flat.drawing.layers[0].contours[0].segments.filter((x): x is ArcSegment => x.kind === 'arc');
    expect(arcs).toHaveLength(2);
    const full = 360 * ((r2 - r1) / s);
    for (const a of arcs) expect(Math.abs(a.sweep)).toBeCloseTo((full * (300 / 360) * Math.PI) / 180, 8);
    expect(distance(arcs[0].centre, arcs[1].centre)).toBeLessThan(1e-8);
    expect(Math.abs(arcs[0].radius - arcs[1].radius)).toBeCloseTo(s, 8);
    // K 0: the neutral surface is the inside, whose slants run from its own apex: s r1 / (r2 - r1).
    expect(Math.min(...arcs.map((a) => a.radius))).toBeCloseTo((s * r1) / (r2 - r1), 6);
    expect(flat.foldBack!.distance).toBeLessThan(1e-4);
    expect(flat.bends[0]).toMatchObject({ cone: true, rolled: true });
  });
  test('a rolled tube with a seam is as wide as its middle circle less the seam; a narrow seam is found too', () => {
    for (const seam of [6, 0.2]) {
      const tube = b.cut(b.cylinder([0, 0, 0], [0, 0, 1], 25, 60), b.cylinder([0, 0, -1], [0, 0, 1], 23, 70));
      const slit = (seam / 23) * (180 / Math.PI);
      const cut = b.raised(
        [0, 0],
        [{ to: [60, 0] }, { to: [60 * Math.cos((slit * Math.PI) / 180), 60 * Math.sin((slit * Math.PI) / 180)] }, { to: [0, 0] }],
        100,
        -10,
      );
      const flat = flatHere(b.cut(tube, cut), k(0.5));
      expect(size(flat.box)[1]).toBeCloseTo((2 * Math.PI - seam / 23) * 24, 6);
      expect(flat.bends[0].rolled).toBe(true);
      expect(flat.bends[0].lines).toHaveLength(0);
    }
  });
  test('a hole drilled through a bend becomes its developed curve: arc length asin(sqrt(a^2 - z^2) / R) on the side that lies up', () => {
    const [t, r, a] = [2, 6, 2];
    // Along the bisector of the bend: through its axis at 45 degrees.
    const drill = b.cylinder([60, 20, r], [Math.SQRT1_2, 0, -Math.SQRT1_2], a, 30);
    const solid = foldedPart(b, t, angle({}, { radius: r }), { also: [], less: [drill] });
    const flat = flatHere(solid, k(0.4));
    const hole = flat.drawing.layers.find((l) => l.name === 'HOLES')!.contours[0];
    const points = flattened(hole.segments, 1e-4);
    const line = flat.bends[0].lines.flat();
    // Up side of a rising bend: radius r; arc lengths there are stretched to the neutral fibre.
    const stretch = (r + 0.4 * t) / r;
    const along = Math.abs(line[0][0] - line[1][0]) > Math.abs(line[0][1] - line[1][1]) ? 0 : 1;
    const centre = line[0][1 - along];
    // The drill stands in the middle of the bend's length.
    const ends = line.map((p) => p[along]);
    const middle = (Math.min(...ends) + Math.max(...ends)) / 2;
    let off = 0;
    for (const p of points) {
      const z = p[along] - middle;
      const s = Math.abs(p[1 - along] - centre);
      // Distance to the curve, by the steeper of the two coordinates.
      const expected = z * z < a * a ? r * Math.asin(Math.sqrt(a * a - z * z) / r) * stretch : 0;
      const back = Math.abs(z) - Math.sqrt(Math.max(0, a * a - (r * Math.sin(s / stretch / r)) ** 2));
      off = Math.max(off, Math.min(Math.abs(s - expected), Math.abs(back)));
    }
    expect(off).toBeLessThan(0.006);
    expect(flat.deviation).toBeLessThanOrEqual(0.005);
    // The bend line stops at the hole and goes on behind it.
    expect(flat.bends[0].lines).toHaveLength(2);
    expect(flat.bends[0].length).toBeLessThan(37);
  });
});

describe('parts made with known flats', () => {
  test.each(Array.from({ length: 20 }, (_, i) => i + 1))('random part %i: area, length, every hole and their distances within 1e-6', (seed) => {
    const kf = 0.33 + seed * 0.007;
    const { solid, known, thickness, bends } = randomPart(seed, kf);
    const flat = flatHere(solid, k(kf));
    expect(flat.thickness).toBeCloseTo(thickness, 9);
    expect(flat.bends).toHaveLength(bends);
    expect(Math.abs(flat.area - known.area)).toBeLessThan(1e-6 * known.area);
    expect(Math.abs(flat.length - known.length)).toBeLessThan(1e-6 * known.length);
    // Radii tell the holes apart; which side lies up only mirrors them.
    const found = roundHoles(flat.drawing).sort((p, q) => p.r - q.r);
    const wanted = [...known.holes].sort((p, q) => p.r - q.r);
    expect(found.map((x) => x.r)).toEqual(wanted.map((x) => expect.closeTo(x.r, 9)));
    for (let i = 0; i < wanted.length; i++)
      for (let j = i + 1; j < wanted.length; j++)
        expect(Math.abs(distance(found[i].at, found[j].at) - distance(wanted[i].at, wanted[j].at))).toBeLessThan(1e-6);
    expect(flat.foldBack!.distance).toBeLessThan(1e-4);
  });
  test.each([3, 8, 14])('random part %i as a mesh in float32: the same flat within 0.002 mm, holes as circles', (seed) => {
    const { solid, known } = randomPart(seed, 0.4);
    const flat = flatOfMesh(meshOf(solid), k(0.4));
    expect(Math.abs(flat.area - known.area)).toBeLessThan(1e-4 * known.area);
    const found = roundHoles(flat.drawing).sort((p, q) => p.r - q.r);
    const wanted = [...known.holes].sort((p, q) => p.r - q.r);
    expect(found).toHaveLength(wanted.length);
    for (let i = 1; i < wanted.length; i++) expect(Math.abs(distance(found[0].at, found[i].at) - distance(wanted[0].at, wanted[i].at))).toBeLessThan(0.002);
    expect(flat.fit).toBeGreaterThan(0);
    expect(flat.foldBack!.distance).toBeLessThan(0.02);
  });
  test('the flat does not depend on which wall is fixed', () => {
    const { solid, known } = randomPart(11, 0.4);
    const areas = new Set<string>();
    for (let face = 0; face < 200; face += some(1, 4)) {
      try {
        areas.add(flatHere(solid, { ...k(0.4), face, up: 'face' }).area.toFixed(5));
      } catch (thrown) {
        // Cut edges and bends can't be the fixed wall; they say so.
        expect((thrown as Error).message).toMatch(/can't be the fixed wall|mm thick|has no other side|There is no face|No thickness of a sheet/);
      }
    }
    expect([...areas]).toEqual([known.area.toFixed(5)]);
  });
});

describe('trays', () => {
  /** Four sides whose returns are mitred with a gap. */
  const tray = (w: number, h: number, z: number, r: number): WallSpec => {
    const wall = (length: number): WallSpec => ({
      outline: rect(length, z),
      flanges: [
        {
          from: [length - 0.3, z],
          to: [0.3, z],
          angle: 90,
          radius: r,
          up: true,
          wall: {
            outline: [
              [0, 0],
              [length - 0.6, 0],
              [length - 0.6 - 8, 8],
              [8, 8],
            ],
          },
        },
      ],
    });
    return {
      outline: rect(w, h),
      flanges: [
        { from: [0, 0], to: [w, 0], angle: 90, radius: r, up: true, wall: wall(w) },
        { from: [w, 0], to: [w, h], angle: 90, radius: r, up: true, wall: wall(h) },
        { from: [w, h], to: [0, h], angle: 90, radius: r, up: true, wall: wall(w) },
        { from: [0, h], to: [0, 0], angle: 90, radius: r, up: true, wall: wall(h) },
      ],
    };
  };
  test('with mitred corners: area and box as counted by hand, eight bends, folds back onto itself', async () => {
    const [w, h, z, r, t, kf] = [120, 80, 25, 2, 1.5, 0.42];
    const flat = await flatOf(foldedPart(b, t, tray(w, h, z, r)), k(kf));
    const bend = (Math.PI / 2) * (r + kf * t);
    const side = (l: number) => l * bend + l * z + (l - 0.6) * bend + (l - 0.6 - 8) * 8;
    expect(flat.area).toBeCloseTo(w * h + 2 * side(w) + 2 * side(h), 5);
    const out = 2 * (bend + z + bend + 8);
    expect(size(flat.box)).toEqual([h + out, w + out].map((v) => expect.closeTo(v, 7)));
    expect(flat.bends).toHaveLength(8);
    // Outside in: the returns come before the sides.
    expect(flat.bends.slice(0, 4).every((x) => x.length < w && [w - 0.6, h - 0.6].some((l) => Math.abs(l - x.length) < 1e-6))).toBe(true);
    expect(flat.foldBack!.distance).toBeLessThan(1e-4);
    expect(flat.findings.filter((f) => f.severity !== 'clear')).toEqual([]);
    // Straight edges run on over the bends: no more lines than corners.
    expect(flat.drawing.layers[0].contours[0].segments.every((s) => s.kind === 'line')).toBe(true);
  });
  test('a bend that ends beside an edge with no relief is told, one with a relief is not', () => {
    const flange = (base: P2[]): WallSpec => ({
      outline: base,
      flanges: [{ from: [60, 10], to: [60, 30], angle: 90, radius: 2, up: true, wall: { outline: rect(20, 15) } }],
    });
    const bare = flatHere(foldedPart(b, 2, flange(rect(60, 40))));
    expect(bare.findings.find((f) => f.code === 'no-relief')).toMatchObject({ severity: 'look', count: 2 });
    const notched: P2[] = [[0, 0], [60, 0], [60, 7], [57, 7], [57, 10], [60, 10], [60, 30], [57, 30], [57, 33], [60, 33], [60, 40], [0, 40]]; // prettier-ignore
    expect(flatHere(foldedPart(b, 2, flange(notched))).findings.find((f) => f.code === 'no-relief')).toBeUndefined();
  });
  test('walls that would need the same sheet are told', () => {
    // Two flanges into the same notch of the base: apart when folded up, over each other when flat.
    const base: P2[] = [[0, 0], [80, 0], [80, 40], [40, 40], [40, 80], [0, 80]]; // prettier-ignore
    const flat = flatHere(
      foldedPart(b, 1, {
        outline: base,
        flanges: [
          { from: [80, 40], to: [46, 40], angle: 90, radius: 1, up: true, wall: { outline: rect(34, 25) } },
          { from: [40, 46], to: [40, 80], angle: 90, radius: 1, up: true, wall: { outline: rect(34, 25) } },
        ],
      }),
    );
    expect(flat.findings.find((f) => f.code === 'flat-overlaps')).toMatchObject({ severity: 'stop' });
  });
  test('bends along the grain are told; the longest lies across it when asked', () => {
    const flat = flatHere(foldedPart(b, 2, angle()), { grain: 'across' });
    const [p, q] = flat.bends[0].lines[0];
    expect(Math.abs(p[0] - q[0])).toBeLessThan(1e-9);
    expect(flat.findings.find((f) => f.code === 'bends-along-grain')).toBeUndefined();
    const around = flatHere(foldedPart(b, 2, tray(60, 60, 15, 2)), { grain: 'across' });
    expect(around.findings.find((f) => f.code === 'bends-along-grain')).toMatchObject({ severity: 'look', count: 4 });
  });
});

describe('layers', () => {
  test('outer cut, holes, bends up and down each on its layer, with their line types; zone edges when asked', () => {
    const solid = foldedPart(b, 2, {
      ...angle({ holes: [{ at: [20, 20], r: 4 }] }),
      flanges: [
        { from: [60, 0], to: [60, 40], angle: 90, radius: 2, up: true, wall: { outline: rect(40, 20) } },
        { from: [0, 40], to: [0, 0], angle: 45, radius: 2, up: false, wall: { outline: rect(40, 15) } },
      ],
    });
    const flat = flatHere(solid, { zoneEdges: true });
    expect(flat.drawing.layers.map((l) => [l.name, l.lineType, l.contours.length])).toEqual([
      ['CUT', 'CONTINUOUS', 1],
      ['HOLES', 'CONTINUOUS', 1],
      ['BEND_UP', 'CENTER', 1],
      ['BEND_DOWN', 'DASHED', 1],
      ['BEND_ZONE', 'DOT', 4],
    ]);
    // Which of the two sides lies up is open here: one bend rises and one falls either way.
    const said = flat.drawing.texts.map((x) => x.text).sort();
    expect([
      ['1 DOWN 90 R2', '2 UP 45 R2'],
      ['1 UP 90 R2', '2 DOWN 45 R2'],
    ]).toContainEqual(said);
    expect(contoursOf(flat.drawing).filter((c) => c.closed)).toHaveLength(2);
    expect(areaOfContour(flat.drawing.layers[0].contours[0])).toBeGreaterThan(0);
  });
});

describe('corners drawn sharp', () => {
  /** A strip drawn with sharp corners inside and outside, legs measured along the outside of each bend. */
  const sharpU = (t: number, width: number, foot: number, side: number) =>
    b.raised(
      [0, 0],
      [
        { to: [foot, 0] },
        { to: [foot, side] },
        { to: [foot - t, side] },
        { to: [foot - t, t] },
        { to: [t, t] },
        { to: [t, side] },
        { to: [0, side] },
        { to: [0, 0] },
      ],
      width,
    );
  test('from either side the flat is the inner lengths plus the bends of the tool that is used (published: deduction, Machinery’s Handbook)', () => {
    const [t, foot, side, kf] = [2, 50, 30, 0.44];
    for (const radius of [null, 0, 1.5]) {
      const r = radius ?? 0;
      // Outer lengths less two deductions: 2 (R + T) - (R + K T) pi / 2 each, for the tool's radius.
      const length = foot + 2 * side - 2 * (2 * (r + t) - (Math.PI / 2) * (r + kf * t));
      for (const up of ['face', 'back'] as const) {
        const flat = flatHere(sharpU(t, 40, foot, side), { ...k(kf), radius, up });
        expect(size(flat.box)).toEqual([40, length].map((v) => expect.closeTo(v, 8)));
        expect(flat.bends).toHaveLength(2);
        expect(flat.foldBack!.distance).toBeLessThan(1e-6);
        expect(flat.findings.filter((f) => f.code === 'sharp-corners')).toHaveLength(1);
      }
    }
  });
});
