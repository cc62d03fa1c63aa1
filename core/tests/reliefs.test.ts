import { execFileSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import * as THREE from 'three';
import { describe, expect, test } from 'vitest';
import { Unusable } from '../src/base/finding.ts';
import { sizeOf } from '../src/geometry/box.ts';
import { edgesOf } from '../src/geometry/edges.ts';
import { measureMesh, type Mesh } from '../src/geometry/mesh.ts';
import { carved, passesFor, scallop, tipSurface, type Bit } from '../src/reliefs/bits.ts';
import { blockOf, volumeUnder } from '../src/reliefs/block.ts';
import { usualStanding, usualStock, type Standing, type StockChoice } from '../src/reliefs/choice.ts';
import { compose } from '../src/reliefs/compose.ts';
import { dropOn, shadowsOf } from '../src/reliefs/drop.ts';
import { gridOver, mostHeights } from '../src/reliefs/field.ts';
import { carvePlan } from '../src/reliefs/plan.ts';
import { reliefOnStock } from '../src/reliefs/part.ts';
import { scan, undercuts } from '../src/reliefs/scan.ts';
import { smoothed } from '../src/reliefs/smooth.ts';
import { asField, ball, hills, surface } from './relief.data.ts';

const stockOf = (some: Partial<StockChoice> = {}, ...reliefs: Partial<Standing>[]): StockChoice => ({
  ...usualStock,
  stock: [120, 90, 12],
  ...some,
  reliefs: (reliefs.length > 0 ? reliefs : [{}]).map((s) => ({ ...usualStanding, ...s })),
});
const most = (values: Float64Array) => values.reduce((a, b) => Math.max(a, b), -Infinity);
const refused = (work: () => unknown, code: string) => {
  try {
    work();
  } catch (thrown) {
    expect(thrown).toBeInstanceOf(Unusable);
    expect((thrown as Unusable).code).toBe(code);
    expect((thrown as Unusable).remedy).not.toBe('');
    return;
  }
  throw new Error(`nothing refused, ${code} was awaited`);
};
const closed = (mesh: Mesh) => {
  const { open, nonManifold, flipped } = edgesOf(mesh.triangles, mesh.positions.length / 3);
  return { open, nonManifold, flipped };
};
const sound = { open: 0, nonManifold: 0, flipped: 0 };

describe('heights of a mesh', () => {
  test('are those that rays of another library find, on a shaken surface and on balls', () => {
    for (const mesh of [surface(hills, [0, 0, 100, 100], 60, 0.7), ball(20, [50, 50, 30])]) {
      const grid = gridOver([0, 0], [100, 100], 2.37);
      const { top } = scan(mesh, grid);
      const g = new THREE.BufferGeometry();
      // Half the library's numbers are float32: coordinates are taken from it so that both see the same triangles.
      const p32 = Float32Array.from(mesh.positions);
      g.setAttribute('position', new THREE.BufferAttribute(p32, 3));
      g.setIndex(new THREE.BufferAttribute(mesh.triangles, 1));
      const shape = new THREE.Mesh(g, new THREE.MeshBasicMaterial({ side: THREE.DoubleSide }));
      const ray = new THREE.Raycaster();
      let met = 0;
      for (let r = 0; r < grid.rows; r += 3)
        for (let c = 0; c < grid.columns; c += 3) {
          ray.set(new THREE.Vector3(c * grid.step[0], r * grid.step[1], 100), new THREE.Vector3(0, 0, -1));
          const [hit] = ray.intersectObject(shape);
          const h = top[r * grid.columns + c];
          if (!hit) continue;
          met++;
          expect(Math.abs(h - hit.point.z)).toBeLessThan(1e-5);
        }
      expect(met).toBeGreaterThan(20);
    }
  });

  test('stand on the border and on shared corners, and nowhere else', () => {
    const flat = surface(() => 1, [10, 10, 20, 20], 5);
    const grid = gridOver([0, 0], [30, 30], 1);
    const { top, net } = scan(flat, grid);
    const met = top.reduce((n, h) => n + (Number.isNaN(h) ? 0 : 1), 0);
    expect(met).toBe(11 * 11);
    // By the half-open rule each place counts once: 10 by 10 of them.
    expect(net.reduce((n, v) => n + v, 0)).toBe(100);
    expect(Math.max(...net)).toBe(1);
  });

  test('a ball over a floor overhangs by what lies under its lower half', () => {
    // Air between a half ball's under side and its shadow on the level of its lowest place: pi r3 (1 - 2 / 3).
    const grid = gridOver([0, 0], [100, 100], 0.1);
    const air = undercuts(scan(ball(20, [50, 50, 30], 200), grid), grid, 10);
    expect(air.volume / (Math.PI * 20 ** 3 * (1 - 2 / 3))).toBeCloseTo(1, 2);
    expect(air.places * 0.01).toBeCloseTo(Math.PI * 400, -1);
  });

  test('a surface without overhangs has none, turned over too', () => {
    const up = surface(hills, [0, 0, 100, 100], 40, 0.5);
    const grid = gridOver([0, 0], [100, 100], 0.73);
    expect(undercuts(scan(up, grid), grid, 1)).toMatchObject({ volume: 0, places: 0 });
    const down = { ...up, triangles: up.triangles.map((_, i, t) => t[i - (i % 3) + ((3 - (i % 3)) % 3)]) };
    expect(undercuts(scan(down, grid), grid, 1).places).toBe(0);
  });

  test('a roof over an open surface counts its air', () => {
    const roof = surface(() => 10, [40, 40, 60, 60], 4);
    const floor = surface(() => 0, [0, 0, 100, 100], 4);
    // A table: the roof's under side faces down at 8.
    const below = surface(() => 8, [40, 40, 60, 60], 4);
    const parts = [floor, roof, { ...below, triangles: below.triangles.map((_, i, t) => t[i - (i % 3) + ((3 - (i % 3)) % 3)]) }];
    let from = 0;
    const positions = Float64Array.from(parts.flatMap((m) => [...m.positions]));
    const triangles = Uint32Array.from(
      parts.flatMap((m) => {
        const t = [...m.triangles].map((v) => v + from);
        from += m.positions.length / 3;
        return t;
      }),
    );
    const grid = gridOver([0, 0], [100, 100], 0.317);
    const air = undercuts(scan({ positions, triangles }, grid), grid, 0);
    expect(air.volume / (20 * 20 * 8)).toBeCloseTo(1, 1);
    expect(air.deepest).toBeCloseTo(8, 9);
  });

  test('an upright wall on the grid is no overhang, and a step under a table is', () => {
    const box = (low: number[], high: number[]): Mesh => {
      const g = new THREE.BoxGeometry(high[0] - low[0], high[1] - low[1], high[2] - low[2]);
      return {
        positions: Float64Array.from(g.getAttribute('position').array as Float32Array, (v, i) => v + (low[i % 3] + high[i % 3]) / 2),
        triangles: Uint32Array.from(g.getIndex()!.array),
      };
    };
    const grid = gridOver([0, 0], [20, 20], 1);
    const block = scan(box([5, 5, 0], [15, 15, 10]), grid);
    expect(undercuts(block, grid, 0).places).toBe(0);
    expect(block.top.filter((h) => h === 10).length).toBe(121);
    expect(undercuts(scan(box([5, 5, 4], [15, 15, 10]), grid), grid, 0)).toMatchObject({ places: 100, deepest: 4, volume: 400 });
  });

  test('a grid has at most so many heights, and says how coarse it must be', () => {
    const side = Math.sqrt(mostHeights) - 1;
    expect(gridOver([0, 0], [side, side], 1).columns).toBe(2000);
    refused(() => gridOver([0, 0], [side + 1, side + 1], 1), 'too-fine');
    refused(() => gridOver([0, 0], [0, 5], 1), 'bad-grid');
    refused(() => gridOver([0, 0], [5, 5], 0), 'bad-grid');
  });
});

describe('bits', () => {
  const bits: Bit[] = [
    { kind: 'ball', diameter: 6 },
    { kind: 'flat', diameter: 5 },
    { kind: 'ball', diameter: 21.5 },
  ];

  test("a tip's surface and what it leaves are scipy's grey dilation and closing", () => {
    const field = asField(hills, 40, 0.5);
    const folder = mkdtempSync(join(tmpdir(), 'reliefs-'));
    writeFileSync(join(folder, 'h.bin'), new Uint8Array(field.heights.buffer));
    for (const bit of bits) {
      const out = execFileSync(
        '/usr/bin/python3',
        [
          '-c',
          `
import sys, numpy as np
from scipy import ndimage
n, s, r, ball = int(sys.argv[2]), float(sys.argv[3]), float(sys.argv[4]), sys.argv[5] == 'ball'
h = np.fromfile(sys.argv[1]).reshape(n, n)
m = int(np.floor(r / s + 1e-9))
y, x = np.mgrid[-m:m+1, -m:m+1] * s
foot = x*x + y*y <= r*r + 1e-9
cap = np.where(foot, (np.sqrt(np.maximum(0, r*r - x*x - y*y)) - r) if ball else 0.0, 0.0)
tip = ndimage.grey_dilation(h, footprint=foot, structure=cap, mode='constant', cval=-1e9)
left = ndimage.grey_erosion(tip, footprint=foot, structure=cap, mode='constant', cval=1e9)
sys.stdout.buffer.write(np.concatenate([tip, left]).tobytes())
`,
          join(folder, 'h.bin'),
          String(field.columns),
          String(field.step[0]),
          String(bit.diameter / 2),
          bit.kind,
        ],
        { maxBuffer: 1 << 28 },
      );
      const theirs = new Float64Array(out.buffer.slice(out.byteOffset, out.byteOffset + out.length));
      const tip = tipSurface(field, bit);
      const left = carved(field, bit, tip);
      for (let k = 0; k < tip.length; k++) {
        expect(Math.abs(tip[k] - theirs[k])).toBeLessThan(1e-9);
        expect(Math.abs(left[k] - theirs[tip.length + k])).toBeLessThan(1e-9);
      }
    }
  });

  test('dropped on facets they rest where a dilated grid says, within what the grid can know', () => {
    const mesh = surface(hills, [0, 0, 40, 40], 120);
    const shadows = shadowsOf(mesh);
    const field = { ...gridOver([0, 0], [40, 40], 0.1), heights: scan(mesh, gridOver([0, 0], [40, 40], 0.1)).top };
    for (const bit of bits) {
      const tip = tipSurface(field, bit);
      for (let i = 0; i < 25; i++) {
        const [c, r] = [40 + ((i * 37) % 320), 40 + ((i * 53) % 320)];
        const exact = dropOn(shadows, c * field.step[0], r * field.step[1], bit);
        const grid = tip[r * field.columns + c];
        // Heights between grid points are missed: the exact tip is never lower, and higher by less than a cell's slope lets it.
        expect(exact).toBeGreaterThan(grid - 1e-9);
        expect(exact - grid).toBeLessThan(0.1);
      }
    }
  });

  test('dropped on a point, an edge, a slope and beside everything', () => {
    const tent: Mesh = { positions: Float64Array.of(-10, 0, 0, 10, 0, 0, 0, 20, 0, 0, 0, 10), triangles: Uint32Array.of(0, 1, 3) };
    const wall = shadowsOf(tent);
    expect(dropOn(wall, 0, 0, { kind: 'ball', diameter: 4 })).toBeCloseTo(10, 12);
    expect(dropOn(wall, 0, 1, { kind: 'ball', diameter: 4 })).toBeCloseTo(10 - (2 - Math.sqrt(3)), 9);
    expect(dropOn(wall, 0, 2.001, { kind: 'ball', diameter: 4 })).toBe(-Infinity);
    // A slope of 45 degrees: a ball's tip lies r (sqrt 2 - 1) over the plane, a disc's r.
    const slope = shadowsOf({ positions: Float64Array.of(-50, -50, -50, 50, -50, 50, 50, 50, 50, -50, 50, -50), triangles: Uint32Array.of(0, 1, 2, 0, 2, 3) });
    expect(dropOn(slope, 3, 7, { kind: 'ball', diameter: 8 })).toBeCloseTo(3 + 4 * (Math.SQRT2 - 1), 9);
    expect(dropOn(slope, 3, 7, { kind: 'flat', diameter: 8 })).toBeCloseTo(7, 9);
    // Over a ridge from a slope: an edge that rises by 1 in 2.
    const ridge = shadowsOf({ positions: Float64Array.of(0, 0, 0, 20, 0, 10, 10, 0.001, -50), triangles: Uint32Array.of(0, 1, 2) });
    const r = 3;
    const along = 1 / Math.sqrt(1.25);
    expect(dropOn(ridge, 10, 0, { kind: 'ball', diameter: 6 })).toBeCloseTo(5 + r / along - r, 2);
  });

  test('ridges by their formula: 6 mm and 1 mm apart leave 0.0420 mm', () => {
    // 3 - sqrt(9 - 0.25), by hand.
    expect(scallop(6, 1)).toBeCloseTo(0.042_0, 4);
    expect(passesFor(6, scallop(6, 1))).toBeCloseTo(1, 12);
    expect(scallop(6, 6)).toBe(3);
    refused(() => scallop(6, 6.01), 'passes-apart');
    refused(() => scallop(6, 0), 'passes-apart');
    expect(passesFor(6, 3)).toBe(6);
    refused(() => passesFor(6, 3.01), 'bad-ridge');
    refused(() => passesFor(6, 0), 'bad-ridge');
    refused(() => tipSurface(asField(hills, 10, 1), { kind: 'ball', diameter: 0 }), 'bad-bit');
    refused(() => tipSurface(asField(hills, 15, 0.01), { kind: 'ball', diameter: 8 }), 'bit-too-wide');
  });

  test('passes over level ground leave ridges of that height, and a groove as wide as the ball keeps its floor', () => {
    const level = asField(() => 5, 40, 0.1);
    const bit: Bit = { kind: 'ball', diameter: 6 };
    const after = carved(level, bit, tipSurface(level, bit), 20);
    expect(most(after) - 5).toBeCloseTo(scallop(6, 2), 9);
    expect(-most(after.map((v) => -v))).toBeCloseTo(5, 12);
    // A groove of half round section with a ball's radius is met exactly; one with half of it holds the ball off its floor.
    const groove = (r: number) => (x: number) => (Math.abs(x - 20) < r ? 8 - Math.sqrt(r * r - (x - 20) ** 2) : 8);
    const fits = asField(groove(3), 40, 0.1);
    const k = 200 * fits.columns + 200;
    expect(carved(fits, bit)[k] - fits.heights[k]).toBeLessThan(0.01);
    const tight = asField(groove(1.5), 40, 0.1);
    // The ball of 3 rests on two sides 1.5 from the middle: its lowest point is 3 - sqrt(9 - 2.25) below them.
    expect(8 - carved(tight, bit)[k]).toBeCloseTo(3 - Math.sqrt(9 - 2.25), 1);
  });

  test('a plan: the coarse bit saves time, and each figure follows from a level block', () => {
    const level = asField(() => 5, 100, 0.5);
    const made = carvePlan(level, 20, {
      fine: { kind: 'ball', diameter: 3, between: 1 },
      coarse: { kind: 'flat', diameter: 10, between: 5, layer: 5, leave: 0 },
      feed: 1000,
      plunge: 500,
    });
    // 15 mm in layers of 5: three, each a path of area over distance.
    expect(made.coarse).toMatchObject({ layers: 3 });
    expect(made.coarse!.path / ((3 * 100 * 100) / 5)).toBeCloseTo(1, 1);
    expect(made.fine.rows).toBe(101);
    expect(made.fine.path / (101 * 101)).toBeCloseTo(1, 1);
    expect(made.left.most).toBeCloseTo(scallop(3, 1), 6);
    expect(made.alone).toBeGreaterThan(made.fine.minutes + made.coarse!.minutes);
  });
});

describe('a block of a relief', () => {
  const relief = surface((x, y) => 3 + 2 * Math.sin(x / 8) * Math.sin(y / 6), [200, 300, 260, 345], 60, 0.4);

  test('is closed, as large as the stock says, and holds what its heights say', () => {
    for (const some of [
      {},
      { draft: 12 },
      { margin: 6, draft: 5, zeroZ: 'top' as const, datum: 'centre' as const },
      { outline: 'round' as const },
      { outline: 'round' as const, draft: 10 },
    ]) {
      const choice = stockOf({ cell: 0.71, ...some });
      const { mesh, composed } = reliefOnStock([{ name: 'relief', mesh: relief }], choice);
      expect(closed(mesh)).toEqual(sound);
      const { volume, box } = measureMesh(mesh);
      const round = choice.outline === 'round';
      const [x, y, z] = sizeOf(box);
      expect(x).toBeCloseTo(round ? 90 : 120, 2);
      expect(y).toBeCloseTo(90, 2);
      expect(z).toBeLessThanOrEqual(12 + 1e-9);
      expect(box.min[2]).toBeCloseTo(choice.zeroZ === 'top' ? -12 : 0, 9);
      expect(box.min[1]).toBeCloseTo(choice.datum === 'centre' ? -45 : 0, 2);
      if (!round && !choice.draft) expect(volume / volumeUnder(composed)).toBeCloseTo(1, 7);
      if (!round && choice.draft && choice.margin === 0) {
        // A frustum's sides are ruled between two rectangles at the base's height: Simpson's rule is exact for them.
        const [a, b, c] = [120 * 90, (120 - composed.lean) * (90 - composed.lean), (120 - 2 * composed.lean) * (90 - 2 * composed.lean)];
        const foot = (choice.base * (a + 4 * b + c)) / 6;
        const top = volumeUnder(composed) - c * choice.base;
        expect(volume / (foot + top)).toBeCloseTo(1, 2);
      }
    }
  });

  test('its own outline follows the relief, holes and all', () => {
    const disc: Mesh = (() => {
      const g = new THREE.RingGeometry(10, 40, 180, 20);
      return { positions: Float64Array.from(g.getAttribute('position').array as Float32Array), triangles: Uint32Array.from(g.getIndex()!.array) };
    })();
    const choice = stockOf({ outline: 'own', base: 4, cell: 0.5 }, { fit: 'own' });
    const { mesh } = reliefOnStock([{ name: 'ring', mesh: disc }], choice);
    expect(closed(mesh)).toEqual(sound);
    // The ring of 180 straight sides, 4 mm thick: its area by the polygons' formula.
    const area = (180 / 2) * Math.sin((2 * Math.PI) / 180) * (40 ** 2 - 10 ** 2);
    expect(measureMesh(mesh).volume / (area * 4)).toBeCloseTo(1, 3);
    refused(() => reliefOnStock([{ name: 'ring', mesh: disc }], { ...choice, draft: 1 }), 'no-draft');
  });

  test('every way of sizing comes to its size', () => {
    const size = (s: Partial<Standing>, some: Partial<StockChoice> = {}) => compose([relief], stockOf(some, s)).reliefs[0].size;
    const own = sizeOf(measureMesh(relief).box);
    expect(size({ fit: 'own' })[0]).toBeCloseTo(own[0], 9);
    expect(size({ fit: 'width' }, { margin: 5, stock: [120, 400, 60] })[0]).toBeCloseTo(110, 9);
    expect(size({ fit: 'depth' }, { stock: [400, 90, 60] })[1]).toBeCloseTo(90, 9);
    expect(size({ fit: 'thickness' }, { stock: [400, 400, 12] })[2]).toBeCloseTo(9, 9);
    // With a zero plane 1 mm up, what stands over it fills the stock.
    expect(size({ fit: 'thickness', zero: 1 }, { stock: [400, 400, 12] })[2]).toBeCloseTo(10, 9);
    const typed = size({ fit: 'typed', size: [30, null, null] });
    expect(typed[1] / typed[0]).toBeCloseTo(own[1] / own[0], 9);
    expect(size({ fit: 'typed', size: [30, 70, 2] })).toEqual([30, 70, 2].map((v) => expect.closeTo(v, 9)));
    expect(size({ fit: 'width', turn: 90 }, { stock: [120, 400, 60] })[1] / 120).toBeCloseTo(own[0] / own[1], 9);
    expect(size({ fit: 'width', tiles: [3, 1] }, { stock: [120, 400, 60] })[0]).toBeCloseTo(40, 9);
    refused(() => size({ fit: 'typed' }), 'no-size');
  });

  test('what lies below the zero plane is cut off, or sunk and no deeper than the base', () => {
    const field = (s: Partial<Standing>, base: number) => compose([relief], stockOf({ base, stock: [120, 90, 30] }, { fit: 'own', ...s })).field.heights;
    const cut = field({ zero: 2 }, 3);
    expect(-most(cut.map((v) => -v))).toBe(3);
    const kept = field({ zero: 2, below: 'keep' }, 3);
    expect(-most(kept.map((v) => -v))).toBeCloseTo(1, 2);
    expect(most(kept)).toBeCloseTo(most(cut), 9);
    refused(() => field({ zero: 3.2, below: 'keep' }, 3), 'through-the-base');
    refused(() => compose([relief], stockOf({ stock: [120, 90, 6] }, { fit: 'own' })), 'above-the-stock');
    refused(() => compose([relief], stockOf({ base: 12 })), 'base-too-thick');
    refused(() => compose([relief], stockOf({ margin: 45 })), 'margin-too-wide');
    refused(() => compose([relief], stockOf({}, { fit: 'own', at: [300, 0] })), 'off-the-stock');
  });

  test('two reliefs meet as asked, and copies side by side close up', () => {
    const low = surface(() => 2, [0, 0, 40, 40], 3);
    const base = { fit: 'own' as const };
    const bump = { ...low, positions: low.positions.slice() };
    for (let i = 2; i < bump.positions.length; i += 3) bump.positions[i] = i === 2 ? 0 : 5;
    const at = (blend: Standing['blend']) => {
      const { field } = compose([bump, bump], stockOf({ stock: [100, 100, 30], cell: 1 }, base, { ...base, at: [10, 0], blend }));
      return field.heights[50 * field.columns + 55];
    };
    expect([at('highest'), at('lowest'), at('add')]).toEqual([8, 8, 13]);
    const waves = surface((x) => x / 10, [0, 0, 30, 30], 30);
    const { field } = compose([waves], stockOf({ stock: [90, 60, 30], cell: 1 }, { fit: 'own', tiles: [3, 2], mirrored: true }));
    // Mirrored copies are continuous over their seams: no step is larger than the slope of the surface.
    let largest = 0;
    for (let c = 1; c < field.columns; c++)
      largest = Math.max(largest, Math.abs(field.heights[20 * field.columns + c] - field.heights[20 * field.columns + c - 1]));
    expect(largest).toBeCloseTo(0.1, 6);
    const plain = compose([waves], stockOf({ stock: [90, 60, 30], cell: 1 }, { fit: 'own', tiles: [3, 2] })).field;
    expect(Math.abs(plain.heights[20 * plain.columns + 31] - plain.heights[20 * plain.columns + 30])).toBeGreaterThan(2);
  });

  test('which side is up, and mirrored', () => {
    const wedge = surface((x) => x / 10, [0, 0, 30, 30], 10);
    const row = (s: Partial<Standing>) => {
      const { field } = compose([wedge], stockOf({ stock: [30, 30, 30], cell: 1 }, { fit: 'own', ...s }));
      return [field.heights[15 * field.columns + 2], field.heights[15 * field.columns + 28]];
    };
    const [left, right] = row({});
    expect(right - left).toBeCloseTo(2.6, 6);
    expect(row({ mirror: true })).toEqual([expect.closeTo(right, 6), expect.closeTo(left, 6)]);
    const [a, b] = row({ up: '-z' });
    expect(b - a).toBeCloseTo(-2.6, 6);
    const flat = surface(() => 0, [0, 0, 30, 30], 2);
    refused(() => compose([flat], stockOf({}, { up: 'y' })), 'no-relief');
  });

  test('overhangs are told with what they lose, and a relief past the margin too', () => {
    const { findings, reliefs } = compose([ball(10, [0, 0, 0])], stockOf({ stock: [60, 60, 30] }, { fit: 'own' }));
    expect(findings.map((f) => f.code)).toEqual(['undercut']);
    expect(reliefs[0].undercut / ((Math.PI * 1000) / 3)).toBeCloseTo(1, 1);
    // 60 mm wide on 100 between the margins.
    const codes = (x: number) => compose([relief], stockOf({ margin: 10 }, { fit: 'own', at: [x, 0] })).findings.map((f) => f.code);
    expect(codes(19.999_99)).toEqual([]);
    expect(codes(20.000_01)).toEqual(['beyond-the-margin']);
    const beyond = compose([relief], stockOf({ margin: 10 }, { fit: 'own', at: [30, 0] }));
    expect(beyond.findings.map((f) => f.code)).toEqual(['beyond-the-margin']);
  });

  test('smoothing takes noise and keeps a step', () => {
    const noisy = asField((x) => (x < 20 ? 0 : 5), 40, 0.5);
    for (let k = 0; k < noisy.heights.length; k++) noisy.heights[k] += 0.1 * Math.sin(k * 7919);
    const out = smoothed(noisy, { spread: 1.5, edge: 0.5 });
    const spread = (h: Float64Array, from: number, to: number) => {
      let [sum, squares, n] = [0, 0, 0];
      for (let r = 10; r < 70; r++)
        for (let c = from; c < to; c++) {
          const v = h[r * noisy.columns + c];
          sum += v;
          squares += v * v;
          n++;
        }
      return Math.sqrt(squares / n - (sum / n) ** 2);
    };
    expect(spread(out, 10, 35)).toBeLessThan(spread(noisy.heights, 10, 35) / 3);
    expect(out[40 * noisy.columns + 38]).toBeLessThan(0.2);
    expect(out[40 * noisy.columns + 41]).toBeGreaterThan(4.8);
  });

  test('a block volume is the sum of heights times area: by numpy', () => {
    const composed = compose([relief], stockOf({ cell: 1.3 }));
    const mesh = blockOf(composed);
    const { field } = composed;
    const folder = mkdtempSync(join(tmpdir(), 'reliefs-'));
    writeFileSync(join(folder, 'h.bin'), new Uint8Array(field.heights.buffer, 0, field.heights.byteLength));
    // Which diagonal has the least area is found by cross products there.
    const said = execFileSync('/usr/bin/python3', [
      '-c',
      `
import sys, numpy as np
h = np.fromfile(sys.argv[1]).reshape(int(sys.argv[2]), int(sys.argv[3]))
x, y = float(sys.argv[4]), float(sys.argv[5])
def area(p, q, r):
    n = np.cross(q - p, r - p)
    return np.linalg.norm(n, axis=-1)
def at(z, dx, dy):
    return np.stack([np.full(z.shape, dx), np.full(z.shape, dy), z], axis=-1)
a, b, e, d = h[:-1,:-1], h[:-1,1:], h[1:,:-1], h[1:,1:]
one, two = (2*a + 2*d + b + e) / 6, (2*b + 2*e + a + d) / 6
A, B, D, E = at(a, 0, 0), at(b, x, 0), at(d, x, y), at(e, 0, y)
print(float(np.where(area(A, B, D) + area(A, D, E) <= area(B, D, E) + area(B, E, A), one, two).sum() * x * y))
`,
      join(folder, 'h.bin'),
      String(field.rows),
      String(field.columns),
      String(field.step[0]),
      String(field.step[1]),
    ]);
    expect(measureMesh(mesh).volume / Number(String(said))).toBeCloseTo(1, 9);
  });
});
