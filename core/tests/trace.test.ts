import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import sharp from 'sharp';
import { describe, expect, test } from 'vitest';
import { Unusable } from '../src/base/finding.ts';
import { areaOfContour, contoursOf } from '../src/curves/drawing.ts';
import type { P2, Segment } from '../src/curves/segment.ts';
import { decodePicture } from '../src/formats/picture/decode.ts';
import { usualTrace, type TraceChoice } from '../src/trace/choice.ts';
import { edgePoints } from '../src/trace/edge.ts';
import { counted, noiseOf, otsu, sides } from '../src/trace/levels.ts';
import { loopsOf } from '../src/trace/loops.ts';
import { brightness, checkSize, mostSide, withRim, type Picture } from '../src/trace/picture.ts';
import { fourPoints } from '../src/trace/rectify.ts';
import { invertedPlane, throughPlane } from '../src/trace/plane.ts';
import { trace } from '../src/trace/trace.ts';
import { coverage, numbers, picture, placed, ring, rounded, star } from './trace/exact.ts';

const [width, height] = [160, 150];
const onePerMm: Partial<TraceChoice> = { size: { kind: 'per inch', value: 25.4 } };
const drawn = (rings: readonly P2[][], how: Parameters<typeof picture>[3] = {}) => picture(coverage(rings, width, height), width, height, how);
const traced = (p: Picture, choice: Partial<TraceChoice> = {}) => trace(p, { ...usualTrace, ...onePerMm, ...choice });
const pieces = (p: Picture, choice: Partial<TraceChoice> = {}) =>
  contoursOf(traced(p, choice).drawing)
    .map((c) => c.segments.length)
    .sort((a, b) => b - a);
/** A place of the picture (y down) where drawings have it (y up), one pixel a millimetre. */
const up = ([x, y]: P2): P2 => [x, height - y];

/** Places on the edge of a picture, pixels of the picture. */
function edgeOf(p: Picture): P2[] {
  const values = withRim(brightness(p, false), p.width, p.height, true);
  const size = { width: p.width + 2, height: p.height + 2, values };
  const level = otsu(counted(values));
  const found = sides(counted(values), level);
  const signal = { ...size, level: (found.inside + found.outside) / 2, ...found, noise: noiseOf(size) };
  return loopsOf(signal, 4).loops.flatMap((loop) => {
    const { xy } = edgePoints(loop, signal);
    return Array.from({ length: xy.length / 2 }, (_, i): P2 => [xy[i * 2] - 1, xy[i * 2 + 1] - 1]);
  });
}
const rms = (list: number[]) => Math.sqrt(list.reduce((sum, v) => sum + v * v, 0) / list.length);
const largest = (list: number[]) => Math.max(...list.map(Math.abs));

/** Distance from the nearest side of a polygon, and from the nearest corner. */
function offPolygon(corners: readonly P2[], [x, y]: P2): { side: number; corner: number } {
  const sidesOff = corners.map(([ax, ay], i) => {
    const [bx, by] = corners[(i + 1) % corners.length];
    const t = Math.min(1, Math.max(0, ((x - ax) * (bx - ax) + (y - ay) * (by - ay)) / ((bx - ax) ** 2 + (by - ay) ** 2)));
    return Math.hypot(x - ax - t * (bx - ax), y - ay - t * (by - ay));
  });
  return { side: Math.min(...sidesOff), corner: Math.min(...corners.map(([ax, ay]) => Math.hypot(x - ax, y - ay))) };
}
/** Places nearer to a corner than this see both of its sides: the window reaches so far (edge.ts). */
const window = 4;

describe('edges, against shapes of exact shares a pixel', () => {
  // Source of the method and of what it reaches: Trujillo-Pino and others, Image and Vision Computing 31 (2013) 72.
  test('a circle: within 0.005 px rms and 0.02 px at most', () => {
    const off = edgeOf(drawn([ring(80.3, 75.2, 61.37)])).map(([x, y]) => Math.hypot(x - 80.3, y - 75.2) - 61.37);
    expect(off.length).toBeGreaterThan(300);
    expect(rms(off)).toBeLessThan(0.005);
    expect(largest(off)).toBeLessThan(0.02);
  });
  test('straight sides at twenty angles: the same, away from corners by the window', () => {
    for (let k = 0; k < 20; k++) {
      const corners = placed(rounded(88, 66, 0), (k * Math.PI) / 40 + 0.01, [80.21, 74.87]);
      const off = edgeOf(drawn([corners])).map((p) => offPolygon(corners, p));
      const sidesOnly = off.filter((o) => o.corner > window).map((o) => o.side);
      expect(rms(sidesOnly)).toBeLessThan(0.005);
      expect(largest(sidesOnly)).toBeLessThan(0.02);
    }
  });
  test('JPEG at quality 90: within 0.02 px rms', async () => {
    const p = drawn([ring(80.3, 75.2, 55)]);
    const bytes = await sharp(p.data, { raw: { width, height, channels: 4 } })
      .removeAlpha()
      .jpeg({ quality: 90 })
      .toBuffer();
    const off = edgeOf(await decodePicture(bytes)).map(([x, y]) => Math.hypot(x - 80.3, y - 75.2) - 55);
    expect(rms(off)).toBeLessThan(0.02);
  });
  test('pixels that are all or nothing: within 0.3 px rms', () => {
    const off = edgeOf(drawn([ring(80.3, 75.2, 55)], { bilevel: true })).map(([x, y]) => Math.hypot(x - 80.3, y - 75.2) - 55);
    expect(rms(off)).toBeLessThan(0.3);
  });
  test('16 bits tell more than 8', () => {
    const of = (bits: number) => rms(edgeOf(drawn([ring(80.3, 75.2, 61.37)], { bits })).map(([x, y]) => Math.hypot(x - 80.3, y - 75.2) - 61.37));
    expect(of(16)).toBeLessThan(of(8));
    expect(of(16)).toBeLessThan(0.002);
  });
});

describe('pieces', () => {
  test('a ring is two circles, their radii within 0.002 px', () => {
    const { drawing } = traced(drawn([ring(80.3, 75.2, 50.37), ring(80.3, 75.2, 27.11, -1)]));
    const circles = contoursOf(drawing).map((c) => c.segments);
    expect(circles.map((s) => s.length)).toEqual([1, 1]);
    const radii = circles.map(([s]) => (s as Extract<Segment, { kind: 'arc' }>).radius).sort((a, b) => b - a);
    expect(Math.abs(radii[0] - 50.37)).toBeLessThan(0.002);
    expect(Math.abs(radii[1] - 27.11)).toBeLessThan(0.002);
  });
  test('a square is four lines, its corners within 0.005 px and never rounded', () => {
    const corners = placed(rounded(70, 70, 0), 0.3, [80, 75]);
    const [contour] = contoursOf(traced(drawn([corners])).drawing);
    expect(contour.segments.map((s) => s.kind)).toEqual(['line', 'line', 'line', 'line']);
    for (const s of contour.segments) {
      if (s.kind !== 'line') continue;
      expect(Math.min(...corners.map(up).map(([x, y]) => Math.hypot(x - s.a[0], y - s.a[1])))).toBeLessThan(0.005);
    }
  });
  test('how far corners reach beyond what pixels show is told: a star’s tips farther than a square’s corners', () => {
    const beyond = (corners: P2[]) => traced(drawn([placed(corners, 0.2, [80, 75])])).drawing.picture.distance.beyond;
    expect(beyond(rounded(70, 70, 0))).toBeLessThan(0.75);
    const tips = beyond(star(7, 60, 25));
    expect(tips).toBeGreaterThan(0.75);
    expect(tips).toBeLessThan(2.5);
  });
  test('a rounded rectangle is four lines and four arcs that run on smoothly', () => {
    const [contour] = contoursOf(traced(drawn([placed(rounded(80, 60, 12), 0.2, [80, 75])])).drawing);
    expect(contour.segments.length).toBe(8);
    for (const s of contour.segments) {
      if (s.kind === 'arc') expect(Math.abs(s.radius - 12)).toBeLessThan(0.02);
      // A quarter exactly: smooth at both ends.
      if (s.kind === 'arc') expect(Math.abs(Math.abs(s.sweep) - Math.PI / 2)).toBeLessThan(0.002);
    }
    expect(contour.closed).toBe(true);
  });
  test.each([
    ['clean', {}],
    ['with 2 % noise', { noise: 0.02 }],
  ])('fifty shapes at random of features from 5 px, %s: exactly as many pieces as they have', (_, how) => {
    const random = numbers(11);
    const wrong: string[] = [];
    for (let k = 0; k < 50; k++) {
      const at: P2 = [80 + random(), 75 + random()];
      const angle = random() * 3;
      const shapes: (() => { rings: P2[][]; want: number[] })[] = [
        () => {
          const r = 20 + 40 * random();
          return { rings: [ring(...at, r), ring(...at, 5 + random() * (r - 12), -1)], want: [1, 1] };
        },
        () => ({ rings: [placed(rounded(8 + 80 * random(), 8 + 60 * random(), 0), angle, at)], want: [4] }),
        () => {
          // Straight sides must be long enough to be told from one arc over both corners: sagitta well above the noise.
          const r = 5 + 11 * random();
          const flat = 8 + Math.sqrt(8 * r);
          return { rings: [placed(rounded(2 * r + flat + 40 * random(), 2 * r + flat + 30 * random(), r), angle, at)], want: [8] };
        },
        () => {
          const tips = 4 + Math.floor(random() * 4);
          const outer = 35 + 25 * random();
          return { rings: [placed(star(tips, outer, outer * (0.4 + 0.2 * random())), angle, at)], want: [2 * tips] };
        },
        () => {
          const n = 3 + Math.floor(random() * 6);
          const r = Math.max(14, n * 2.4) + 40 * random();
          const corners = Array.from({ length: n }, (__, i): P2 => [r * Math.cos((2 * Math.PI * i) / n), r * Math.sin((2 * Math.PI * i) / n)]);
          return { rings: [placed(corners, angle, at)], want: [n] };
        },
      ];
      const { rings, want } = shapes[k % shapes.length]();
      const got = pieces(drawn(rings, { ...how, seed: k + 1 }));
      if (got.join() !== want.join()) wrong.push(`${k}: ${want.join()} came as ${got.join()}`);
    }
    expect(wrong).toEqual([]);
  });
  test('a coarser deviation takes fewer pieces, a finer one than the picture tells is said', async () => {
    const horse = await decodePicture(readFileSync(join(import.meta.dirname, 'data', 'horse.png')));
    const at = (deviation: number) => trace(horse, { ...usualTrace, size: { kind: 'per inch', value: 25.4 }, deviation });
    const counts = [0.1, 0.3, 1].map((d) => at(d).pieces);
    expect(counts[0]).toBeGreaterThan(counts[1]);
    expect(counts[1]).toBeGreaterThan(counts[2]);
    expect(at(0.001).findings.map((f) => f.code)).toContain('finer-than-picture');
    expect(at(0.1).findings.map((f) => f.code)).not.toContain('finer-than-picture');
  });
});

describe('an open picture', () => {
  // horse.png of scikit-image's data (see tests/data/README.md). Its area inside find_contours(0.5) of scikit-image 0.19.3, measured once: 43,393.75 square pixels.
  test('the area within 0.3 % of scikit-image, no place of the edge farther off than half a pixel', async () => {
    const horse = await decodePicture(readFileSync(join(import.meta.dirname, 'data', 'horse.png')));
    const { drawing } = trace(horse, { ...usualTrace, size: { kind: 'per inch', value: 25.4 } });
    const area = contoursOf(drawing).reduce((sum, c) => sum + areaOfContour(c), 0);
    expect(Math.abs(area / 43_393.75 - 1)).toBeLessThan(0.003);
    expect(drawing.picture.distance.largest).toBeLessThan(0.5);
  });
});

describe('ways', () => {
  const two: P2[][] = [ring(60, 75, 40), ring(60, 75, 20, -1)];
  test('the outer boundary has no holes; turned round, dark and bright change places', () => {
    expect(traced(drawn(two), { way: 'outside' }).contours).toBe(1);
    expect(traced(drawn(two)).holes).toBe(1);
    // What is bright lies inside now: the ground with the rim of the picture, and the middle of the ring.
    const turned = contoursOf(traced(drawn(two), { invert: true }).drawing).reduce((sum, c) => sum + areaOfContour(c), 0);
    expect(turned).toBeCloseTo(width * height - Math.PI * (40 ** 2 - 20 ** 2), 0);
  });
  test('three colours: a layer each, borders where the shares say', () => {
    const [disc, square] = [coverage([ring(50, 75, 30)], width, height), coverage([placed(rounded(50, 40, 0), 0.2, [118, 75])], width, height)];
    const data = new Uint8Array(width * height * 4);
    const mix = (a: number, b: number, i: number, k: number) => 255 + a * ([31, 78, 156][k] - 255) + b * ([232, 98, 61][k] - 255) + 0 * i;
    for (let i = 0; i < width * height; i++) {
      for (let k = 0; k < 3; k++) data[i * 4 + k] = Math.round(mix(disc[i], square[i], i, k));
      data[i * 4 + 3] = 255;
    }
    const { drawing } = traced({ width, height, data, perMm: null }, { way: 'colours', colours: 3 });
    expect(drawing.layers.map((l) => l.colour).sort()).toEqual(['#1f4e9c', '#e8623d']);
    const blue = drawing.layers.find((l) => l.colour === '#1f4e9c')!.contours;
    expect(blue.length).toBe(1);
    expect((blue[0].segments[0] as Extract<Segment, { kind: 'arc' }>).radius).toBeCloseTo(30, 1);
    expect(drawing.layers.find((l) => l.colour === '#e8623d')!.contours[0].segments.length).toBe(4);
  });
  test('under light that falls off, one level loses what a level of its own for each place finds', () => {
    const shares = coverage(
      [0, 1, 2, 3].flatMap((i) => [0, 1, 2].map((j) => ring(22 + i * 39, 25 + j * 48, 12))),
      width,
      height,
    );
    const data = new Uint8Array(width * height * 4);
    for (let i = 0; i < shares.length; i++) {
      const light = 0.25 + (0.75 * (i % width)) / width;
      data.fill(Math.round(255 * light * (1 - 0.75 * shares[i])), i * 4, i * 4 + 3);
      data[i * 4 + 3] = 255;
    }
    const p = { width, height, data, perMm: null };
    expect(traced(p, { way: 'adaptive' }).contours).toBe(12);
    expect(traced(p, { way: 'brightness' }).contours).not.toBe(12);
  });
  test('the middle of a stroke: a ring 4 px wide becomes one closed way at its middle radius, with its width', () => {
    const { drawing } = traced(drawn([ring(80, 75, 52), ring(80, 75, 48, -1)]), { way: 'strokes' });
    const [contour] = contoursOf(drawing);
    expect(contoursOf(drawing).length).toBe(1);
    expect(contour.closed).toBe(true);
    expect(contour.width!).toBeCloseTo(4, 0);
    for (const s of contour.segments) if (s.kind === 'arc') expect(Math.abs(s.radius - 50)).toBeLessThan(0.3);
  });
  test('specks are dropped just under the size and kept just over it; holes are filled the same way', () => {
    const p = drawn([ring(60, 75, 40), ring(60, 75, 6, -1), ring(130, 30, 5)]);
    const speck = Math.PI * 25;
    expect(traced(p, { speckle: speck * 0.98 }).contours).toBe(3);
    expect(traced(p, { speckle: speck * 1.02 }).contours).toBe(2);
    const hole = Math.PI * 36;
    expect(traced(p, { holes: hole * 0.98 }).holes).toBe(1);
    const filled = traced(p, { holes: hole * 1.02 });
    expect(filled.holes).toBe(0);
    expect(filled.findings.find((f) => f.code === 'left-of-picture')?.message).toMatch(/^Left out: 1 region or hole smaller than was chosen/);
  });
  test('a region that is clicked is left out with what lies in it', () => {
    const p = drawn([ring(60, 75, 40), ring(60, 75, 20, -1), ring(130, 30, 8)]);
    expect(traced(p, { leave: [[130, 30]] }).contours).toBe(2);
    expect(traced(p, { leave: [[60, 40]] }).contours).toBe(1);
    expect(traced(p, { leave: [[60, 75]] }).holes).toBe(0);
  });
  test('Béziers where round ways are wanted so: fewer pieces than arcs, as near', () => {
    const wave: P2[] = Array.from({ length: 400 }, (_, i) => {
      const a = (2 * Math.PI * i) / 400;
      const r = 45 + 12 * Math.sin(3 * a) + 4 * Math.sin(7 * a);
      return [80 + r * Math.cos(a), 75 + r * Math.sin(a)];
    });
    const arcs = traced(drawn([wave]));
    const beziers = traced(drawn([wave]), { curves: 'beziers' });
    expect(beziers.pieces).toBeLessThan(arcs.pieces);
    expect(contoursOf(beziers.drawing)[0].segments.some((s) => s.kind === 'bezier')).toBe(true);
    expect(beziers.drawing.picture.distance.largest).toBeLessThan(beziers.drawing.picture.near + 0.5);
  });
});

describe('size', () => {
  test('pixels an inch, a width, two points: each gives the size that it says', () => {
    const p = drawn([placed(rounded(100, 50, 0), 0, [80, 75])]);
    const long = (choice: Partial<TraceChoice>) => {
      const [c] = contoursOf(trace(p, { ...usualTrace, ...choice }).drawing);
      return Math.max(...c.segments.map((s) => (s.kind === 'line' ? Math.hypot(s.a[0] - s.b[0], s.a[1] - s.b[1]) : 0)));
    };
    expect(long({ size: { kind: 'per inch', value: 254 } })).toBeCloseTo(10, 2);
    expect(long({ size: { kind: 'width', mm: 80 } })).toBeCloseTo(50, 2);
    expect(long({ size: { kind: 'points', a: [30, 50], b: [130, 50], mm: 250 } })).toBeCloseTo(250, 1);
    expect(trace(p, usualTrace).sized).toBe(false);
    expect(trace({ ...p, perMm: 10 }, usualTrace).sized).toBe(true);
  });
  test('four corners of a rectangle set what leans upright: a circle comes out round and at its place', () => {
    // The sheet is 200 x 150 mm with a hole of 40 mm radius at (110, 70) from its top left; the camera sees it leaning.
    const corners: P2[] = [
      [22, 14],
      [148, 24],
      [139, 138],
      [10, 126],
    ];
    const sheet: P2[] = [
      [0, 0],
      [200, 0],
      [200, 150],
      [0, 150],
    ];
    const seen = fourPoints(sheet, corners);
    const shape = ring(110, 70, 40).map(([x, y]) => throughPlane(seen, x, y));
    const { drawing } = trace(drawn([shape]), { ...usualTrace, size: { kind: 'rectangle', corners, width: 200, height: 150 } });
    const [contour] = contoursOf(drawing);
    const arcs = contour.segments.filter((s) => s.kind === 'arc');
    expect(contour.segments.length).toBe(1);
    expect(arcs[0].radius).toBeCloseTo(40, 1);
    expect(arcs[0].centre[0]).toBeCloseTo(110, 1);
    expect(arcs[0].centre[1]).toBeCloseTo(80, 1);
    expect(throughPlane(invertedPlane(seen), ...throughPlane(seen, 33, 44))[0]).toBeCloseTo(33, 9);
  });
  test('corners that are no rectangle are refused', () => {
    const p = drawn([ring(80, 75, 20)]);
    const size = (corners: P2[]) => ({ ...usualTrace, size: { kind: 'rectangle' as const, corners, width: 100, height: 100 } });
    for (const corners of [
      [
        [0, 0],
        [50, 50],
        [100, 0],
        [0, 100],
      ],
      [
        [0, 0],
        [50, 0],
        [100, 0],
        [0, 100],
      ],
    ] as P2[][])
      expect(() => trace(p, size(corners))).toThrow(/no rectangle/);
  });
});

describe('what is refused', () => {
  test('sizes just inside and just outside the limits', () => {
    expect(() => checkSize(mostSide, 3200)).not.toThrow();
    expect(() => checkSize(mostSide + 1, 10)).toThrow(/at most/);
    expect(() => checkSize(8000, 8000)).not.toThrow();
    expect(() => checkSize(8000, 8001)).toThrow(/million/);
  });
  test('nothing in the picture: a sentence with a remedy', () => {
    const blank = { width: 20, height: 20, data: new Uint8Array(1600).fill(255), perMm: null };
    expect(() => trace(blank, usualTrace)).toThrow(Unusable);
  });
  test('giving up', () => {
    expect(() => trace(drawn([ring(80, 75, 20)]), usualTrace, () => true)).toThrow(/Cancelled/);
  });
});
