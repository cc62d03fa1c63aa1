/** Panels: recognised by their faces, held against volumes that the kernel and formulas give; equal and mirrored parts against how they were made. */
import { beforeAll, describe, expect, test } from 'vitest';
import { SolidBuilder, type Solid } from '../src/kernel/build.ts';
import { workingKernel } from '../src/kernel/load.ts';
import type { Kernel } from '../src/kernel/kernel.ts';
import { randomFrom } from '../src/nesting/random.ts';
import { likeness, marksOf, type Marks } from '../src/panels/equal.ts';
import { drawingOfPanel, type NoPanel, type Panel } from '../src/panels/panel.ts';
import { recognisePanel } from '../src/panels/recognise.ts';
import { faceted } from '../src/sheet/flatten.ts';
import { topologyOfMesh } from '../src/sheet/from-mesh.ts';

let kernel: Kernel;
let b: SolidBuilder;
beforeAll(async () => {
  kernel = await workingKernel();
  b = new SolidBuilder(kernel);
});
const up = [0, 0, 1] as [number, number, number];
const found = (s: Solid, volume: number | null = null): Panel | NoPanel => recognisePanel(faceted(kernel, b.brep(s)).top, volume);
const panel = (s: Solid, volume: number | null = null): Panel => {
  const it = found(s, volume);
  if ('why' in it) throw new Error(it.why);
  return it;
};
/** A turn and shift in space, by chance; mirrored on wish. */
function someplace(random: () => number, mirrored = false): number[] {
  const q = [0, 0, 0, 0].map(() => random() - 0.5);
  const n = Math.hypot(...q);
  const [x, y, z, w] = q.map((v) => v / n);
  const rows = [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w), random() * 900, 2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w), random() * 900, 2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y), random() * 900]; // prettier-ignore
  return mirrored ? rows.map((v, i) => (i % 4 === 0 ? -v : v)) : rows;
}

/** A shelf side: through holes, a row, a groove, a rebate, a pocket with an opening, a hole in the edge, a cup in the back. */
const busy = (): Solid =>
  b.cut(
    b.box([0, 0, 0], [600, 300, 18]),
    b.cylinder([50, 50, -1], up, 4, 30),
    b.cylinder([100, 50, -1], up, 4, 30),
    b.cylinder([200, 100, 6], up, 2.5, 30),
    b.cylinder([232, 100, 6], up, 2.5, 30),
    b.box([-5, 250, 12], [700, 6.5, 20]),
    b.box([300, -5, 10], [100, 25, 20]),
    b.box([400, 100, 8], [80, 60, 20]),
    b.box([420, 120, -1], [20, 20, 30]),
    b.cylinder([-1, 150, 9], [1, 0, 0], 4, 31),
    b.cylinder([500, 200, -1], up, 17.5, 14),
  );
/** Its volume by formulas alone. */
const busyVolume =
  600 * 300 * 18 -
  2 * Math.PI * 16 * 18 -
  2 * Math.PI * 6.25 * 12 -
  600 * 6.5 * 6 -
  100 * 20 * 8 -
  80 * 60 * 10 -
  20 * 20 * 8 -
  Math.PI * 16 * 30 -
  Math.PI * 17.5 ** 2 * 13;

describe('what is worked on a panel', () => {
  test('holes, groove, rebate, pocket, opening, edge hole, cup in the back: each with its figures, and together the volume by formula', () => {
    const it = panel(busy(), busyVolume);
    expect([it.thickness, it.length, it.width]).toEqual([18, 600, 300]);
    expect(it.holes).toEqual([
      { diameter: 5, depth: 12, side: 'front', count: 2 },
      { diameter: 8, depth: null, side: 'front', count: 2 },
      { diameter: 35, depth: 13, side: 'back', count: 1 },
    ]);
    expect(it.pockets.map((p) => [p.kind, p.depth, p.side, p.length, p.width])).toEqual([
      ['groove', 6, 'front', 600, 6.5],
      ['rebate', 8, 'front', 100, 20],
      ['pocket', 10, 'front', 80, 60],
    ]);
    expect(it.edgeHoles).toEqual([{ edge: 'left', diameter: 8, depth: 30, count: 1 }]);
    expect(it.told).toBeCloseTo(busyVolume, 3);
    expect(it.findings.map((f) => f.code)).toEqual(['back-side', 'edge-holes']);
    // Outline, two holes and the opening.
    expect(it.outline.length).toBe(4);
    expect(it.area).toBeCloseTo(600 * 300 - 2 * Math.PI * 16 - 400, 6);
  });
  test('turned anywhere it is the same; so is its mesh within what facets leave', () => {
    const random = randomFrom(4);
    for (let k = 0; k < 4; k++) {
      const it = panel(b.placed(busy(), someplace(random)), busyVolume);
      expect([it.thickness, it.length, it.width].map((v) => Number(v.toFixed(5)))).toEqual([18, 600, 300]);
      expect(it.holes.map((h) => [Number(h.diameter.toFixed(4)), h.count])).toEqual([[5, 2], [8, 2], [35, 1]]); // prettier-ignore
      expect(it.pockets.length).toBe(3);
    }
    const { top } = faceted(kernel, b.brep(busy()));
    const mesh = recognisePanel(topologyOfMesh(top.mesh), null) as Panel;
    expect([mesh.thickness, mesh.length, mesh.width].map((v) => Number(v.toFixed(3)))).toEqual([18, 600, 300]);
    expect(mesh.holes.map((h) => [Number(h.diameter.toFixed(2)), h.depth, h.count])).toEqual([[5, 12, 2], [8, null, 2], [35, 13, 1]]); // prettier-ignore
  });
  test('an edge cut at 45 degrees: its angle, its length, and the volume of the wedge', () => {
    const half = Math.SQRT1_2;
    const it = panel(b.cut(b.box([0, 0, 0], [400, 200, 18]), b.placed(b.box([0, -50, 0], [100, 400, 100]), [half, 0, -half, 0, 0, 1, 0, 0, half, 0, half, 0])));
    expect(it.mitres).toEqual([{ angle: 45, length: 200 }]);
    expect([it.length, it.width, it.told]).toEqual([400, 200, expect.closeTo(400 * 200 * 18 - (18 * 18 * 200) / 2, 3)]);
  });
  test('a counterbored and a round panel', () => {
    const bored = panel(b.cut(b.box([0, 0, 0], [200, 120, 15]), b.cylinder([60, 60, -1], up, 3, 20), b.cylinder([60, 60, 9], up, 6, 20)));
    expect(bored.holes).toEqual([{ diameter: 6, depth: null, side: 'front', count: 1 }, { diameter: 12, depth: 6, side: 'front', count: 1 }]); // prettier-ignore
    const disc = panel(b.cut(b.cylinder([0, 0, 0], up, 100, 12), b.cylinder([0, 0, -1], up, 20, 20)), Math.PI * (1e4 - 400) * 12);
    expect([disc.length, disc.width, disc.area]).toEqual([200, 200, expect.closeTo(Math.PI * 9600, 6)]);
    expect(disc.findings).toEqual([]);
  });
});

describe('what a drill and a countersink leave', () => {
  const block = () => b.box([0, 0, 0], [200, 120, 18]);
  /** A frustum about an upright line, from a radius at its foot to one at its top. */
  const cone = (x: number, y: number, z: number, foot: number, top: number, high: number): Solid => {
    const profile = [...(foot > 0 ? [{ to: [foot, 0] as [number, number] }] : []), { to: [top, high] as [number, number] }, { to: [0, high] as [number, number] }, { to: [0, 0] as [number, number] }]; // prettier-ignore
    return b.placed(b.revolved([0, 0], profile), [1, 0, 0, x, 0, 1, 0, y, 0, 0, 1, z]);
  };
  const frustum = (r: number, s: number, h: number) => (Math.PI * h * (r * r + r * s + s * s)) / 3;
  const whole = 200 * 120 * 18;
  const sink = (diameter: number, angle: number, depth: number, side = 'front', count = 1) => ({ diameter: expect.closeTo(diameter, 3), angle: expect.closeTo(angle, 3), depth: expect.closeTo(depth, 3), side, count }); // prettier-ignore
  const cases: [string, () => Solid, { volume: number; holes: unknown[]; sinks: unknown[] }][] = [
    ['sunk at 90 degrees, through', () => b.cut(block(), b.cylinder([50, 50, -1], up, 2.5, 30), cone(50, 50, 14, 2.5, 6.5, 4)), { volume: whole - Math.PI * 6.25 * 14 - frustum(2.5, 6.5, 4), holes: [[5, null]], sinks: [sink(13, 90, 4)] }],
    ['two alike and one at 82 degrees', () => b.cut(block(), ...[50, 90].flatMap((x) => [b.cylinder([x, 50, -1], up, 2.5, 30), cone(x, 50, 14, 2.5, 6.5, 4)]), b.cylinder([150, 50, -1], up, 2.5, 30), cone(150, 50, 18 - 4 / Math.tan((41 * Math.PI) / 180), 2.5, 6.5, 4 / Math.tan((41 * Math.PI) / 180))), { volume: whole - 2 * (Math.PI * 6.25 * 14 + frustum(2.5, 6.5, 4)) - Math.PI * 6.25 * (18 - 4 / Math.tan((41 * Math.PI) / 180)) - frustum(2.5, 6.5, 4 / Math.tan((41 * Math.PI) / 180)), holes: [[5, null]], sinks: [sink(13, 82, 4 / Math.tan((41 * Math.PI) / 180)), sink(13, 90, 4, 'front', 2)] }],
    ['sunk over a blind hole', () => b.cut(block(), b.cylinder([50, 50, 6], up, 2.5, 30), cone(50, 50, 14, 2.5, 6.5, 4)), { volume: whole - Math.PI * 6.25 * 8 - frustum(2.5, 6.5, 4), holes: [[5, 12]], sinks: [sink(13, 90, 4)] }],
    ['sunk below a counterbore', () => b.cut(block(), b.cylinder([50, 50, -1], up, 2.5, 30), cone(50, 50, 11, 2.5, 6.5, 4), b.cylinder([50, 50, 15], up, 6.5, 10)), { volume: whole - Math.PI * 6.25 * 11 - frustum(2.5, 6.5, 4) - Math.PI * 6.5 ** 2 * 3, holes: [[5, null], [13, 3]], sinks: [sink(13, 90, 4)] }],
    ['a cone by itself', () => b.cut(block(), cone(50, 50, 16, 0, 2, 2)), { volume: whole - frustum(0, 2, 2), holes: [], sinks: [sink(4, 90, 2)] }],
    ['a blind hole with the point of its drill is a hole as deep as its wall', () => b.cut(block(), b.cylinder([50, 50, 8], up, 4, 30), cone(50, 50, 8 - 4 / Math.tan(Math.PI / 3), 0, 4, 4 / Math.tan(Math.PI / 3))), { volume: whole - Math.PI * 16 * 10 - frustum(0, 4, 4 / Math.tan(Math.PI / 3)), holes: [[8, 10]], sinks: [] }],
  ]; // prettier-ignore
  test.each(cases)('%s', (_, make, { volume, holes, sinks }) => {
    for (const it of [panel(make()), panel(b.placed(make(), [1, 0, 0, 0, 0, -1, 0, 0, 0, 0, -1, 0]))]) {
      expect(it.holes.map((h) => [expect.closeTo(h.diameter, 3), h.depth === null ? null : expect.closeTo(h.depth, 3)])).toEqual(holes);
      expect(it.countersinks).toEqual(sinks);
      expect(it.told).toBeCloseTo(volume, 2);
      // No floor is asked of a flat cutter where the design has a cone.
      const round = it.front.flatMap((l) => l.contours.map((c) => [2 * (c.segments[0] as { radius: number }).radius, l.depth]));
      expect(round).toEqual(holes.filter((h) => (h as unknown[])[1] !== null).map((h) => (h as number[]).map((v) => expect.closeTo(v, 3))));
      expect(it.findings.filter((f) => f.code === 'countersinks').map((f) => f.count)).toEqual(
        sinks.length === 0 ? [] : [(sinks as { count: number }[]).reduce((n, s) => n + s.count, 0)],
      );
    }
  });
  test('on both faces: the one that lies below is told to be on the back; marks are on layers of their own', () => {
    const it = panel(b.cut(block(), ...[40, 80].flatMap((x) => [b.cylinder([x, 50, -1], up, 2.5, 30), cone(x, 50, 14, 2.5, 6.5, 4)]), b.cylinder([150, 50, -1], up, 2.5, 30), b.placed(b.revolved([0, 0], [{ to: [6.5, 0] }, { to: [2.5, 4] }, { to: [0, 4] }, { to: [0, 0] }]), [1, 0, 0, 150, 0, 1, 0, 50, 0, 0, 1, 0]))); // prettier-ignore
    expect(it.countersinks.map((c) => [c.side, c.count])).toEqual([['front', 2], ['back', 1]]); // prettier-ignore
    const layers = drawingOfPanel(it).layers.map((l) => [l.name, l.contours.length, new Set(l.contours.map((c) => c.meaning)).size]);
    expect(layers).toEqual([['CUT', 4, 1], ['MARK_COUNTERSINK', 2, 1], ['MARK_BACK_COUNTERSINK', 1, 1]]); // prettier-ignore
    expect(it.findings.find((f) => f.code === 'countersinks')!.message).toBe(
      '3 countersunk holes are marked and not cut: 2 of 13 mm at 90°; 1 of 13 mm at 90°, on the back.',
    );
  });
  test('holes into edges: with a point, from both ends on one line, through an opening', () => {
    const along = (from: number, long: number) => b.cylinder([from, 60, 9], [1, 0, 0], 4, long);
    const point = b.placed(b.revolved([0, 0], [{ to: [4, 0] }, { to: [0, 3] }, { to: [0, 0] }]), [0, 0, 1, 30, 0, 1, 0, 60, -1, 0, 0, 9]);
    const edges = (s: Solid) => panel(s).edgeHoles.map((h) => [h.edge, h.diameter, h.depth, h.count]);
    expect(edges(b.cut(block(), along(-1, 31), point))).toEqual([['left', 8, 30, 1]]);
    expect(panel(b.cut(block(), along(-1, 31), point)).told).toBeCloseTo(whole - Math.PI * 16 * 30 - Math.PI * 16, 3);
    expect(edges(b.cut(block(), along(-1, 31), along(170, 31)))).toEqual([['left', 8, 30, 1], ['right', 8, 30, 1]]); // prettier-ignore
    expect(edges(b.cut(block(), along(-1, 300), b.box([80, 40, -1], [40, 40, 30])))).toEqual([['left', 8, 80, 1], ['right', 8, 80, 1]]); // prettier-ignore
    expect(edges(b.cut(block(), b.cylinder([60, -1, 9], [0, 1, 0], 4, 31), b.cylinder([90, -1, 9], [0, 1, 0], 4, 31)))).toEqual([['front', 8, 30, 2]]);
  });
});

describe('what is no panel says why', () => {
  test('just thin enough and just too thick for its width', () => {
    expect('why' in found(b.box([0, 0, 0], [400, 100, 74.9]))).toBe(false);
    expect(found(b.box([0, 0, 0], [400, 100, 75.1]))).toEqual({ why: 'It is a bar of 400 × 100 × 75.1 mm, no panel: cut it to length.' });
  });
  test('a cube, a ball, a box without a lid, a bent sheet', () => {
    expect((found(b.box([0, 0, 0], [50, 50, 50])) as NoPanel).why).toContain('block of 50 × 50 × 50 mm');
    expect((found(b.sphere([0, 0, 0], 30)) as NoPanel).why).toContain('no flat face');
    expect('why' in found(b.shelled(b.box([0, 0, 0], [300, 200, 60]), 2, (c) => c[2] > 59))).toBe(true);
  });
  test('rounded edges: told as left over while they are little, no panel when most is shaped', () => {
    const soft = panel(b.rounded(b.box([0, 0, 0], [300, 200, 18]), 3));
    expect(soft.findings.map((f) => f.code)).toEqual(['shape-not-told']);
    // Just within and just beyond the share of the volume that may be untold.
    const whole = 300 * 200 * 18;
    const it = (share: number) => found(b.box([0, 0, 0], [300, 200, 18]), whole * (1 - share));
    expect((it(0.00019) as Panel).findings).toEqual([]);
    expect((it(0.00021) as Panel).findings.map((f) => f.code)).toEqual(['shape-not-told']);
    expect('why' in it(0.0288)).toBe(false);
    expect('why' in it(0.0312)).toBe(true);
  });
});

describe('equal parts', () => {
  const marks = (s: Solid): Marks => {
    const { top, volume } = faceted(kernel, b.brep(s));
    return marksOf(top, volume, top.faces.reduce((sum, f) => sum + f.area, 0)); // prettier-ignore
  };
  test('30 cases, each turned anywhere and mirrored: equal always, mirrored unless it is its own mirror image', () => {
    const random = randomFrom(9);
    for (let k = 0; k < 30; k++) {
      const [w, h] = [100 + Math.round(random() * 400), 80 + Math.round(random() * 200)];
      // No hole, or one through: its own mirror image in its middle plane. A blind hole off the middle lines is not.
      const kind = k % 3;
      const hole = b.cylinder([w * 0.2, h * 0.3, kind === 2 ? 6 : -1], up, 3 + random() * 5, 30);
      const part = kind === 0 ? b.box([0, 0, 0], [w, h, 12]) : b.cut(b.box([0, 0, 0], [w, h, 12]), hole);
      const [a, same, other] = [marks(part), marks(b.placed(part, someplace(random))), marks(b.placed(part, someplace(random, true)))];
      expect(likeness(a, same), `case ${k}`).toBe('equal');
      expect(likeness(a, other), `case ${k}`).toBe(kind === 2 ? 'mirrored' : 'equal');
    }
  });
  test('a hole moved by a hundredth is another part; by a ten thousandth of the tolerance it is not', () => {
    const at = (x: number) => marks(b.cut(b.box([0, 0, 0], [300, 200, 12]), b.cylinder([x, 60, -1], up, 4, 20)));
    expect(likeness(at(50), at(50.01))).toBe('other');
    expect(likeness(at(50), at(50.000001))).toBe('equal');
  });
  test('where a round begins does not matter: a hole turned about its axis, cups left and right', () => {
    const cup = (x: number, turned: boolean) => {
      const round = b.cylinder([0, 0, 0], up, 17.5, 20);
      const [c, s] = turned ? [0, 1] : [1, 0];
      return b.placed(round, [c, -s, 0, x, s, c, 0, 100, 0, 0, 1, 4]);
    };
    const door = (x: number, turned: boolean) => marks(b.cut(b.box([0, 0, 0], [400, 200, 16]), cup(x, turned)));
    expect(likeness(door(30, false), door(30, true))).toBe('equal');
    expect(likeness(door(30, false), door(370, false))).toBe('equal');
  });
});
