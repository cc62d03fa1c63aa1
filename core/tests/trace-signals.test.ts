/** Levels, shares of colours and distances to outlines, against scikit-image and against their definitions written out. */
import { execFileSync, spawnSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { pointAt, type P2, type Segment } from '../src/curves/segment.ts';
import { colouredOf, fromGround, onWhite, shareOf } from '../src/trace/colours.ts';
import { counted, otsu, sauvola, sides } from '../src/trace/levels.ts';
import { nearOutline } from '../src/trace/off.ts';
import type { Picture } from '../src/trace/picture.ts';
import { numbers } from './trace/exact.ts';

const python = '/usr/bin/python3';
const skimage = spawnSync(python, ['-c', 'import skimage']).status === 0;
const script = fileURLToPath(new URL('./readers/sauvola.py', import.meta.url));

/** Paper in uneven light with dark strokes and some grain. */
function page(width: number, height: number): Float32Array {
  const random = numbers(7);
  return Float32Array.from({ length: width * height }, (_, i) => {
    const [x, y] = [i % width, Math.floor(i / width)];
    const ink = (x * 3 + y * 2) % 37 < 7 && y % 23 > 4;
    return Math.min(1, Math.max(0, 0.55 + (0.35 * x) / width - (ink ? 0.4 : 0) + 0.04 * (random() - 0.5)));
  });
}

describe('levels', () => {
  test.runIf(skimage)('Sauvola and Otsu as scikit-image has them', () => {
    const [width, height, side] = [150, 110, 21];
    const values = page(width, height);
    const file = join(mkdtempSync(join(tmpdir(), 'tall-kite-sauvola-')), 'values.bin');
    writeFileSync(file, values);
    const theirs = JSON.parse(execFileSync(python, [script, file, String(width), String(height), String(side)], { maxBuffer: 1 << 26 }).toString()) as {
      otsu: number;
      levels: number[];
    };
    const levels = sauvola({ values, width, height }, { side, even: 0, otherwise: 0, least: 0 });
    // At the rim they mirror the picture where this cuts the square off: compared where the whole square lies within.
    let farthest = 0;
    const r = side >> 1;
    for (let y = r; y < height - r; y++)
      for (let x = r; x < width - r; x++) farthest = Math.max(farthest, Math.abs(levels[y * width + x] - theirs.levels[y * width + x]));
    expect(farthest).toBeLessThan(1e-6);
    // Where nothing lies between two values every level parts them alike: they take the first, this the middle.
    const ours = otsu(counted(values));
    const between = values.filter((v) => v > Math.min(ours, theirs.otsu) + 1 / 1024 && v < Math.max(ours, theirs.otsu) - 1 / 1024).length;
    expect(between / values.length).toBeLessThan(0.001);
  });

  test('of each pixel: by the mean and spread of the square round it as far as it lies within, else the wider level, never below the least', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 14 }),
        fc.integer({ min: 1, max: 14 }),
        fc.integer({ min: 1, max: 12 }),
        fc.integer(),
        (width, height, side, seed) => {
          const random = numbers(seed);
          const values = Float32Array.from({ length: width * height }, () => (random() < 0.5 ? 0.5 : random()));
          const wide = values.map(() => random());
          const [even, least] = [0.15, 0.3];
          const found = sauvola({ values, width, height }, { side, even, otherwise: wide, least });
          const r = Math.max(1, side >> 1);
          for (let y = 0; y < height; y++)
            for (let x = 0; x < width; x++) {
              const square: number[] = [];
              for (let v = Math.max(0, y - r); v <= Math.min(height - 1, y + r); v++)
                for (let u = Math.max(0, x - r); u <= Math.min(width - 1, x + r); u++) square.push(values[v * width + u]);
              const mean = square.reduce((a, b) => a + b, 0) / square.length;
              const spread = Math.sqrt(square.reduce((a, b) => a + (b - mean) ** 2, 0) / square.length);
              if (Math.abs(spread - even) < 1e-6) continue;
              const expected = spread < even ? wide[y * width + x] : Math.max(least, mean * (1 + 0.2 * (spread / 0.5 - 1)));
              expect(found[y * width + x]).toBeCloseTo(expected, 6);
            }
        },
      ),
      { numRuns: 60 },
    );
  });

  test('both sides of a level are the medians, exact where a side has one value', () => {
    const values = Float32Array.from([0.1, 0.1, 0.1, 0.3, 0.7, 0.9, 0.9, 0.9, 0.9]);
    const found = sides(counted(values), 0.5);
    expect(found.outside).toBeCloseTo(0.1, 7);
    expect(found.inside).toBeCloseTo(0.9, 7);
    // Nothing above the level: its own side's end stands in.
    expect(sides(counted(Float32Array.of(0.2, 0.2)), 0.5).inside).toBeGreaterThan(0.99);
  });
});

describe('shares of colours', () => {
  const red = [200, 30, 20];
  const white = [255, 255, 255];
  const blue = [20, 40, 180];
  /** Blocks of three colours with mixtures where they meet. */
  function blocks(width: number, height: number, seed: number): Picture {
    const random = numbers(seed);
    const data = new Uint8Array(width * height * 4).fill(255);
    const cut = width * (0.3 + 0.3 * random());
    for (let y = 0; y < height; y++)
      for (let x = 0; x < width; x++) {
        const share = Math.min(1, Math.max(0, x - cut + 0.5));
        const left = y < height / 2 ? red : blue;
        for (let k = 0; k < 3; k++) data[(y * width + x) * 4 + k] = Math.round(left[k] + (white[k] - left[k]) * share);
      }
    return { width, height, data, perMm: null };
  }

  test('all or nothing away from a border, mixed as values are within two pixels of one, with a rim of nothing; counted as they are', () => {
    for (const seed of [1, 2, 3, 4]) {
      const p = blocks(23, 17, seed);
      const found = colouredOf(p, 3);
      expect(found.clusters.length).toBe(3);
      const plain = found.codes.map((c) => c & 0x7f);
      found.clusters.forEach((cluster, of) => {
        const { values, counted: among } = shareOf(found, of);
        for (let y = -1; y <= p.height; y++)
          for (let x = -1; x <= p.width; x++) {
            const value = values[(y + 1) * (p.width + 2) + x + 1];
            if (x < 0 || y < 0 || x === p.width || y === p.height) {
              expect(value).toBe(0);
              continue;
            }
            const votes = new Map<number, number>();
            for (let dy = -2; dy <= 2; dy++)
              for (let dx = -2; dx <= 2; dx++) {
                const at = Math.min(p.height - 1, Math.max(0, y + dy)) * p.width + Math.min(p.width - 1, Math.max(0, x + dx));
                votes.set(plain[at], (votes.get(plain[at]) ?? 0) + 1);
              }
            if (votes.size === 1 || !votes.has(of)) {
              expect(value).toBe(votes.has(of) ? 1 : 0);
              continue;
            }
            const [other] = [...votes].filter(([c]) => c !== of).sort((a, b) => b[1] - a[1] || a[0] - b[0])[0];
            const b = found.clusters[other].rgb;
            const rgb = [0, 1, 2].map((k) => p.data[(y * p.width + x) * 4 + k] / 255);
            const along = cluster.rgb.map((v, k) => v - b[k]);
            const share = rgb.reduce((sum, v, k) => sum + (v - b[k]) * along[k], 0) / along.reduce((sum, v) => sum + v * v, 0);
            expect(value).toBeCloseTo(Math.min(1, Math.max(0, share)), 6);
          }
        const again = counted(values);
        expect([...among.counts]).toEqual([...again.counts]);
        among.sums.forEach((sum, b) => expect(sum).toBeCloseTo(again.sums[b], 4));
      });
    }
  });

  test('what lets through looks as it does on white; what does not is taken as it is, 8 and 16 bits alike', () => {
    const half: Picture = { width: 2, height: 1, data: Uint8Array.of(100, 0, 255, 51, 7, 8, 9, 255), perMm: null };
    const seen = onWhite(half);
    // A fifth of 100 and four fifths of white.
    expect([...seen.values.slice(0, 3)].map((v) => Number(v.toFixed(3)))).toEqual([224, 204, 255]);
    expect([...seen.values.slice(4, 7)]).toEqual([7, 8, 9]);
    const eight = blocks(12, 9, 5);
    expect(onWhite(eight).values).toBe(eight.data);
    const deep: Picture = { ...eight, data: Uint16Array.from(eight.data, (v) => v * 257) };
    const [a, b] = [eight, deep].map((p) => fromGround(onWhite(p), p.width, p.height));
    a.forEach((v, i) => expect(v).toBeCloseTo(b[i], 6));
    expect(Math.max(...a)).toBe(1);
  });
});

describe('distance to an outline', () => {
  /** A closed way of lines and arcs round a middle. */
  function outlineOf(seed: number, count: number): Segment[] {
    const random = numbers(seed);
    const at = Array.from({ length: count }, (_, k): P2 => {
      const [angle, r] = [(k / count) * 2 * Math.PI, 40 + 12 * random()];
      return [r * Math.cos(angle), r * Math.sin(angle)];
    });
    return at.map((a, k): Segment => {
      const b = at[(k + 1) % count];
      if (random() < 0.5) return { kind: 'line', a, b };
      // An arc by its middle: a bulge to either side.
      const bulge = (random() - 0.5) * 1.6;
      const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
      const d = Math.hypot(dx, dy);
      const sweep = 4 * Math.atan(bulge);
      const radius = Math.abs(d / 2 / Math.sin(sweep / 2));
      const h = d / 2 / Math.tan(sweep / 2);
      const centre: P2 = [(a[0] + b[0]) / 2 - (h * dy) / d, (a[1] + b[1]) / 2 + (h * dx) / d];
      return { kind: 'arc', centre, radius, start: Math.atan2(a[1] - centre[1], a[0] - centre[0]), sweep };
    });
  }
  const places = (outline: readonly Segment[]) => outline.flatMap((s) => Array.from({ length: 401 }, (_, k) => pointAt(s, k / 400)));

  test('as dense places on it have it, wherever is asked, in whatever order', () => {
    for (const [seed, count] of [
      [1, 3],
      [2, 9],
      [3, 60],
    ]) {
      const outline = outlineOf(seed, count);
      const dense = places(outline);
      const off = nearOutline(outline);
      const exact = nearOutline(outline, 0);
      const random = numbers(seed + 50);
      for (let k = 0; k < 300; k++) {
        const p: P2 = [(random() - 0.5) * 140, (random() - 0.5) * 140];
        const least = Math.min(...dense.map((q) => Math.hypot(q[0] - p[0], q[1] - p[1])));
        const found = off(...p);
        if (least > 1.5) expect(found).toBeLessThanOrEqual(least + 1e-9);
        // Places stand 0.15 apart at most; one nearer than 1.5 may be told by a piece beside the last.
        if (least > 1.5) expect(found).toBeGreaterThan(least - 0.05);
        expect(exact(...p)).toBeGreaterThan(least - 0.05);
        expect(exact(...p)).toBeLessThanOrEqual(least + 1e-9);
      }
    }
  });
  test('a whole circle, and a spline as its chords', () => {
    const circle = nearOutline([{ kind: 'arc', centre: [5, 5], radius: 3, start: 1, sweep: -2 * Math.PI }]);
    expect(circle(5, 5)).toBeCloseTo(3, 12);
    expect(circle(5 + 3 * Math.cos(4), 5 + 3 * Math.sin(4))).toBeCloseTo(0, 12);
    const points: P2[] = [
      [0, 0],
      [5, 10],
      [10, 0],
    ];
    const spline: Segment = { kind: 'spline', degree: 2, knots: [0, 0, 0, 1, 1, 1], points, weights: null };
    // A parabola: its top is at (5, 5).
    expect(nearOutline([spline])(5, 9)).toBeCloseTo(4, 2);
  });
});
