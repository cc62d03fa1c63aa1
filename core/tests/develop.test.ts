/** Ducts, cones and pipe branches developed from their sizes, against the formulas of pattern drafting and somebody else's reader. */
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { describe, expect, test } from 'vitest';
import { branchOn, type Branch } from '../src/develop/branch.ts';
import { corner, levelArc, straight } from '../src/develop/borders.ts';
import { develop, developChoice, developKinds, type DevelopKind } from '../src/develop/develop.ts';
import { agreement, overlaps } from '../src/develop/lay.ts';
import { formatByBytes, readDesign } from '../src/pipeline/read.ts';
import { looksLikeSizes, sizesFile } from '../src/develop/sizes-file.ts';
import { nodeKernels } from '../src/kernel/load.ts';
import { layStrip, triangulated } from '../src/develop/strip.ts';
import { areaOfContour, contourOf, type Contour } from '../src/curves/drawing.ts';
import { lengthOf } from '../src/curves/measure.ts';
import { distance, endOf, startOf, type P2, type Segment } from '../src/curves/segment.ts';
import { Unusable } from '../src/base/finding.ts';
import { some } from './some.ts';
import { run } from './cli.data.ts';

const made = (sizes: Record<string, unknown>) => develop(developChoice(sizes));
const cut = (d: ReturnType<typeof made>): Contour[] => d.drawing.layers.find((l) => l.name === 'CUT')!.contours;
const lines = (c: Contour) => c.segments.filter((s) => s.kind === 'line');
const arcs = (c: Contour) => c.segments.filter((s) => s.kind === 'arc');
/** Straight pieces of an outline of these lengths, in any order; fitting may add short ones of its own along a curve. */
const holds = (c: Contour, lengths: number[]) => {
  const found = lines(c).map((l) => distance(l.a, l.b));
  for (const v of lengths) {
    const i = found.findIndex((d) => Math.abs(d - v) < 1e-6);
    expect([v, i >= 0]).toEqual([v, true]);
    found.splice(i, 1);
  }
  return found;
};
const severe = (d: ReturnType<typeof made>) => d.findings.filter((f) => f.severity !== 'clear').map((f) => f.code);

describe('a cone', () => {
  test('upright: a sector of 360 r / s degrees between both slants, any handbook', () => {
    const [R, r, h] = [60, 30, 100];
    const d = made({ kind: 'cone', lower: 2 * R, upper: 2 * r, height: h, thickness: 1, sizes: 'mean' });
    const slant = Math.hypot(h, R - r);
    const [whole, tip] = [(slant * R) / (R - r), (slant * r) / (R - r)];
    const [contour] = cut(d);
    const [inner, outer] = arcs(contour).sort((a, b) => a.radius - b.radius);
    expect(arcs(contour)).toHaveLength(2);
    expect(lines(contour).map((l) => distance(l.a, l.b))).toEqual([slant, slant].map((v) => expect.closeTo(v, 6)));
    expect(outer.radius).toBeCloseTo(whole, 4);
    expect(inner.radius).toBeCloseTo(tip, 4);
    expect(Math.abs(outer.sweep) * (180 / Math.PI)).toBeCloseTo((360 * R) / whole, 4);
    expect(d.area).toBeCloseTo(Math.PI * slant * (R + r), 3);
  });
  test('a tube is a rectangle of pi d; inside and outside sizes are the middle plus and less the sheet', () => {
    for (const [sizes, mean] of [
      ['inside', 102],
      ['mean', 100],
      ['outside', 98],
    ] as const) {
      const [contour] = cut(made({ kind: 'cone', lower: 100, upper: 100, height: 80, thickness: 2, sizes }));
      const long = lines(contour).map((l) => distance(l.a, l.b)).sort((a, b) => b - a); // prettier-ignore
      expect(long).toEqual([Math.PI * mean, Math.PI * mean, 80, 80].map((v) => expect.closeTo(v, 6)));
    }
  });
  test('aslant: each line keeps its true length, both edges those of their circles', () => {
    const d = made({ kind: 'cone', lower: 120, upper: 60, height: 100, offsetX: 40, offsetY: 10, thickness: 1, sizes: 'mean', lines: 24, deviation: 0.001 });
    const [contour] = cut(d);
    // The seam looks to +X on both circles.
    const seam = Math.hypot(60 - 30 - 40, 10, 100);
    const fitted = holds(contour, [seam, seam]);
    const round = arcs(contour).reduce((n, s) => n + lengthOf(s), 0) + fitted.reduce((n, v) => n + v, 0);
    expect(round).toBeCloseTo(Math.PI * 180, 2);
    // Bend lines: true length of the line at (k + 1/2) / 24 of the turn.
    d.bends.forEach((b, k) => {
      const a = ((k + 0.5) / 24) * 2 * Math.PI;
      expect(b.length).toBeCloseTo(Math.hypot(30 * Math.cos(a) - 40, 30 * Math.sin(a) - 10, 100), 6);
    });
    expect(severe(d)).toEqual([]);
  });
  test('a pointed one: a whole sector to the tip; sizes just too small to cut are refused', () => {
    const sizes = { kind: 'cone', lower: 100, upper: 0, height: 120, thickness: 1, sizes: 'mean', lines: 8 };
    const d = made(sizes);
    const [contour] = cut(d);
    expect(contour.segments.map((s) => s.kind).sort()).toEqual(['arc', 'line', 'line']);
    expect(arcs(contour)[0].radius).toBeCloseTo(130, 4);
    expect((Math.abs(arcs(contour)[0].sweep) * 180) / Math.PI).toBeCloseTo((360 * 50) / 130, 4);
    // Bend lines stop a sheet's thickness before the tip.
    expect(d.bends.map((b) => b.length)).toEqual(Array.from({ length: 8 }, () => expect.closeTo(129, 6)));
    expect(severe(made({ ...sizes, upper: 1 }))).toEqual([]);
    expect(() => made({ ...sizes, upper: 0.99 })).toThrow(/upper/i);
    expect(() => made({ ...sizes, lower: 0.99 })).toThrow(/lower must be greater than or equal to 1/i);
    expect(severe(made({ ...sizes, thickness: 0.02 }))).toEqual([]);
    expect(() => made({ ...sizes, thickness: 0.019 })).toThrow(/thickness/i);
  });
  test('an angle of bends: all round they come to a turn for a tube', () => {
    const d = made({ kind: 'cone', lower: 100, upper: 100, height: 50, thickness: 1, lines: 12 });
    expect(d.bends.map((b) => b.angle)).toEqual(Array.from({ length: 12 }, () => expect.closeTo(30, 9)));
  });
});

describe('a square to round', () => {
  const sizes = { kind: 'square-to-round', width: 200, depth: 150, diameter: 100, height: 120, thickness: 1, sizes: 'mean', deviation: 0.001 };
  /** Corners of the flat's lower border, in order from the seam. */
  const foot = (c: Contour): P2[] => {
    const at = c.segments.findIndex((s, i) => s.kind === 'line' && c.segments[(i + 1) % c.segments.length].kind === 'line');
    const run: Segment[] = [];
    for (let i = 0; i < c.segments.length; i++) {
      const s = c.segments[(at + i) % c.segments.length];
      if (s.kind === 'line') run.push(s);
    }
    return run.map((s) => startOf(s));
  };
  test('sides, half sides and seams in their true lengths; the round edge pi d', () => {
    const [contour] = cut(made(sizes));
    const seam = Math.hypot(100 - 50, 120);
    const fitted = holds(contour, [75, 75, seam, seam, 150, 200, 200]);
    expect(arcs(contour).reduce((n, s) => n + lengthOf(s), 0) + fitted.reduce((n, v) => n + v, 0)).toBeCloseTo(Math.PI * 100, 2);
  });
  test('from every corner to every point of its quarter the true length of the handbook: the flat and the part agree', () => {
    const d = made({ ...sizes, offsetX: 15, offsetY: -10, lines: 6 });
    const centre = [15, -10, 120];
    const true6 = (x: number, y: number, k: number) =>
      Array.from({ length: 6 }, (_, i) => {
        const a = (k + (i + 0.5) / 6) * (Math.PI / 2);
        return Math.hypot(centre[0] + 50 * Math.cos(a) - x, centre[1] + 50 * Math.sin(a) - y, 120);
      });
    const expected = [true6(100, 75, 0), true6(-100, 75, 1), true6(-100, -75, 2), true6(100, -75, 3)].flat();
    // Bend lines stop a sheet's thickness before the corner.
    expect(d.bends.map((b) => b.length + 1)).toEqual(expected.map((v) => expect.closeTo(v, 6)));
    expect(severe(d)).toEqual([]);
  });
  test('two halves have two seams opposite each other and the same area', () => {
    const [one, two] = [made(sizes), made({ ...sizes, pieces: 2, seam: '-y' })];
    expect(cut(two)).toHaveLength(2);
    expect(two.area).toBeCloseTo(one.area, 1);
    const seam = Math.hypot(75 - 50, 120);
    for (const c of cut(two)) holds(c, [100, 100, seam, seam, 150]);
  });
  test('its area is that of four triangles and four parts of cones, counted on the part by Heron and fine slivers', () => {
    const d = made(sizes);
    const heron = (a: number, b: number, c: number) => {
      const s = (a + b + c) / 2;
      return Math.sqrt(s * (s - a) * (s - b) * (s - c));
    };
    const [X, Y, r, h, n] = [100, 75, 50, 120, 20_000];
    let sum = X * 2 * Math.hypot(Y - r, h) + Y * 2 * Math.hypot(X - r, h);
    for (let i = 0; i < n; i++) {
      const [a, b] = [i, i + 1].map((k) => (k / n) * (Math.PI / 2));
      const far = (x: number) => Math.hypot(r * Math.cos(x) - X, r * Math.sin(x) - Y, h);
      sum += 4 * heron(far(a), far(b), 2 * r * Math.sin((b - a) / 2));
    }
    expect(d.area / sum).toBeCloseTo(1, 5);
    expect(foot(cut(d)[0]).length).toBeGreaterThan(4);
  });
});

describe('a branch on a pipe', () => {
  const tee: Record<string, unknown> & { kind: 'branch' } = { kind: 'branch', branch: 60, main: 110, thickness: 3, length: 150, deviation: 0.001 };
  /** Heights of the drawn cut over the free end at a share of the width. */
  const heightAt = (c: Contour, x: number): number => {
    let best = 0;
    for (const s of c.segments) {
      const n = 400;
      for (let i = 0; i < n; i++) {
        const [p, q] = [at(s, i / n), at(s, (i + 1) / n)];
        if ((p[0] - x) * (q[0] - x) > 0 || Math.abs(p[0] - q[0]) < 1e-9) continue;
        const y = p[1] + ((q[1] - p[1]) * (x - p[0])) / (q[0] - p[0]);
        best = Math.max(best, y);
      }
    }
    return best;
  };
  const at = (s: Segment, t: number): P2 => {
    if (s.kind === 'line') return [s.a[0] + (s.b[0] - s.a[0]) * t, s.a[1] + (s.b[1] - s.a[1]) * t];
    if (s.kind !== 'arc') throw new Error(s.kind);
    const a = s.start + s.sweep * t;
    return [s.centre[0] + s.radius * Math.cos(a), s.centre[1] + s.radius * Math.sin(a)];
  };
  test('upright: ordinates L - sqrt(R2 - r2 sin2) of the inside, which touches first; pi d wide (pipe templates, any handbook)', () => {
    const d = made(tee);
    const [end] = cut(d);
    const width = Math.PI * 60;
    expect(d.drawing.layers[0].contours).toHaveLength(2);
    for (const deg of [10, 45, 90, 133, 180, 270, 301]) {
      const x = width - (deg / 360) * width;
      expect(heightAt(end, x)).toBeCloseTo(150 - Math.sqrt(55 ** 2 - (27 * Math.sin((deg * Math.PI) / 180)) ** 2), 2);
    }
    expect(severe(d)).toEqual([]);
  });
  test('slanted, it clears the pipe inside and outside all round, and touches it everywhere: measured in space', () => {
    const p = { ...tee, angle: 50, beside: 12, thickness: 8, length: 260, seam: 75, wrap: 'sheet' };
    const [end] = cut(made(p));
    const mean = 30 - 4;
    const [s, c] = [Math.sin((50 * Math.PI) / 180), Math.cos((50 * Math.PI) / 180)];
    let [least, most] = [Infinity, -Infinity];
    for (let i = 1; i < 100; i++) {
      const x = (i / 100) * 2 * Math.PI * mean;
      const angle = (75 * Math.PI) / 180 + x / mean;
      const t = 260 - heightAt(end, x);
      // From the pipe's axis (X) to the inner and the outer corner of the cut.
      const clear = Math.min(...[22, 30].map((r) => Math.hypot(12 + r * Math.sin(angle), t * s - r * Math.cos(angle) * c) - 55));
      [least, most] = [Math.min(least, clear), Math.max(most, clear)];
    }
    expect(least).toBeGreaterThan(-0.003);
    expect(most).toBeLessThan(0.003);
  });
  test('a template is read from outside, a sheet from inside: one is the other turned over', () => {
    const sizes = { ...tee, beside: 12, angle: 70, hole: 'none', thickness: 0.02 };
    const [outside, inside] = [cut(made({ ...sizes, wrap: 'template' }))[0], cut(made({ ...sizes, wrap: 'sheet' }))[0]];
    const width = Math.PI * 60;
    for (const share of [0.1, 0.3, 0.62]) expect(heightAt(outside, width * (1 - share))).toBeCloseTo(heightAt(inside, (width - 0.0628) * share), 1);
    expect(Math.abs(heightAt(outside, width * 0.2) - heightAt(outside, width * 0.8))).toBeGreaterThan(1);
  });
  test('the hole: as wide along the pipe as the bore, r / sin of the angle, and round it the arc that the bore covers', () => {
    const d = made({ ...tee, angle: 60, hole: 'bore' });
    const hole = cut(d)[1];
    const points = hole.segments.flatMap((s) => Array.from({ length: 200 }, (_, i) => at(s, i / 200)));
    const span = (c: 0 | 1) => Math.max(...points.map((p) => p[c])) - Math.min(...points.map((p) => p[c]));
    expect(span(1)).toBeCloseTo(2 * 55 * Math.asin(27 / 55), 2);
    expect(span(0)).toBeCloseTo((2 * 27) / Math.sin(Math.PI / 3), 2);
    expect(made({ ...tee, hole: 'none' }).drawing.layers[0].contours).toHaveLength(1);
  });
  test('what can not be: past the side of the pipe, too short, no bore; just inside each is made', () => {
    expect(() => made({ ...tee, beside: 25.01 })).toThrow(/0\.01 mm past the side/);
    expect(severe(made({ ...tee, beside: 25 }))).toEqual([]);
    expect(() => made({ ...tee, length: 55.9 })).toThrow(/the cut alone reaches 55\.00 mm/);
    expect(made({ ...tee, length: 56.1 }).area).toBeGreaterThan(0);
    expect(() => made({ ...tee, thickness: 30 })).toThrow(/no bore/);
  });
});

describe('the proof', () => {
  test('borders that sheet can not join without twisting are refused', () => {
    const twisted = { a: straight([0, 0, 0], [100, 0, 0]), b: straight([0, 0, 100], [70, 70, 100]) };
    expect(() => layStrip(twisted, { at: [0, 0], angle: 0 })).toThrow(/twist/);
  });
  test('a strip of a cone laid by its triangles comes ever nearer to the integral: by four for twice as many', () => {
    const strip = { a: corner([0, 0, 0]), b: levelArc([30, 0, 80], 40, 0, Math.PI / 2) };
    const start = { at: [0, 0] as P2, angle: 1 };
    const end = layStrip(strip, start).b(1);
    const off = (n: number) => distance(triangulated(strip, start, n).b[n], end);
    expect(off(64) / off(128)).toBeCloseTo(4, 1);
    expect(off(4096)).toBeLessThan(1e-5);
  });
  test('a flat that disagrees with the other way, or with its area in space, is a stop: just inside and outside', () => {
    const figures = { checked: 0.0149, deviation: 0.01, area: 1000, areaInSpace: 1000.0999 };
    expect(agreement(figures)[0].severity).toBe('clear');
    expect(agreement({ ...figures, checked: 0.0151 })[0].severity).toBe('stop');
    expect(agreement({ ...figures, area: 999.9 })[0].severity).toBe('stop');
  });
  test('a flat that needs the same sheet twice is a stop', () => {
    const square = (x: number): Contour => {
      const p: P2[] = [[x, 0], [x + 10, 0], [x + 10, 10], [x, 10]]; // prettier-ignore
      return { ...contourOf(p.map((a, i): Segment => ({ kind: 'line', a, b: p[(i + 1) % 4] })), true), meaning: 'cut' }; // prettier-ignore
    };
    expect(overlaps([square(0), square(20)])).toEqual([]);
    expect(overlaps([square(0), { ...square(5), segments: square(5).segments.map((s) => (s.kind === 'line' ? { ...s, a: [s.a[0], s.a[1] + 3], b: [s.b[0], s.b[1] + 3] } : s)) }])[0]).toMatchObject({ code: 'flat-overlaps', severity: 'stop' }); // prettier-ignore
  });
  test('closed outlines of positive area, whatever the sizes, made at random', () => {
    let seed = 7;
    const random = (low: number, high: number) => low + (high - low) * ((seed = (seed * 48271) % 2147483647) / 2147483647);
    for (let i = 0; i < some(60, 8); i++) {
      const shared = { thickness: random(0.5, 3), pieces: 1 + (i % 2), offsetX: random(-60, 60), offsetY: random(-60, 60), height: random(60, 300), seam: ['+x', '-x', '+y', '-y'][i % 4] }; // prettier-ignore
      const d = made(
        i % 3 === 0
          ? { kind: 'cone', lower: random(80, 300), upper: random(20, 300), ...shared, lines: 4 * (i % 5) }
          : { kind: 'square-to-round', width: random(60, 300), depth: random(60, 300), diameter: random(30, 300), ...shared },
      );
      expect([i, d.findings.find((f) => f.code === 'developed')!.severity]).toEqual([i, 'clear']);
      for (const c of cut(d)) {
        expect(Math.abs(areaOfContour(c))).toBeGreaterThan(0);
        c.segments.forEach((s, k) => expect(distance(endOf(s), startOf(c.segments[(k + 1) % c.segments.length]))).toBeLessThan(1e-6));
      }
    }
  });
});

describe('sizes that are typed', () => {
  test('a wrong or missing one is answered with the list; usual ones are filled in', () => {
    expect(() => developChoice({ kind: 'cube' })).toThrow(Unusable);
    expect(() => developChoice({ kind: 'cone', lower: 100 })).toThrow(/upper is required/i);
    expect(() => developChoice({ kind: 'cone', lower: 100, upper: 50, height: 10, thickness: 1, pieces: 3 })).toThrow(/pieces must be one of/i);
    expect(() => developChoice({ kind: 'cone', lower: 100, upper: 50, height: 10, thickness: 1, wide: 3 })).toThrow(/wide is not allowed/i);
    expect(() => developChoice(null)).toThrow(/no shape/);
    expect(developChoice({ kind: 'cone', lower: '100', upper: 50, height: 10, thickness: 1, offsetX: '4.5' })).toMatchObject({ lower: 100, offset: [4.5, 0], sizes: 'inside', lines: 0 }); // prettier-ignore
    try {
      developChoice({ kind: 'branch' });
    } catch (thrown) {
      expect((thrown as Unusable).remedy).toMatch(/branch, main, thickness, angle \(90\).*template\|sheet/);
    }
  });
  test('every field of every shape is one that its schema takes', () => {
    for (const kind of Object.keys(developKinds) as DevelopKind[]) {
      const { fields } = developKinds[kind];
      const given = Object.fromEntries(fields.map((f) => [f.id, f.usual ?? (f.id === 'thickness' ? 1 : f.id === 'main' ? 300 : 100)]));
      if (kind === 'branch') given.length = 300;
      expect(() => developChoice({ kind, ...given })).not.toThrow();
    }
  });
  test('a file of sizes is a design: told by its bytes, read, refused with a sentence', async () => {
    const text = new TextEncoder().encode(sizesFile('cone', { lower: 120, upper: 60, height: 100, thickness: 1.5 }));
    expect(await formatByBytes(text)).toBe('sizes');
    const design = await readDesign(text, 'hood.sizes', nodeKernels);
    expect(design).toMatchObject({ format: 'sizes', unit: 'mm' });
    expect(design.parts[0].summary).toMatchObject({ name: 'hood', format: 'sizes', kind: 'drawing' });
    expect(design.parts[0].findings.map((f) => f.code)).toEqual(expect.arrayContaining(['developed', 'sizes-taken']));
    const read = (said: string) => readDesign(new TextEncoder().encode(said), 'a.sizes', nodeKernels);
    await expect(read('{"shape": "cone", "lower": 1}')).rejects.toThrow(/upper is required/i);
    await expect(read('{"shape": "cone", "lower": 1')).rejects.toThrow(/not whole/);
    // JSON of something else is none, nor is a very long one.
    expect(await formatByBytes(new TextEncoder().encode('{"asset": {"version": "2.0"}}'))).toBe('glTF');
    expect(looksLikeSizes(new TextEncoder().encode(`{"shape": "${'x'.repeat(65_000)}"}`))).toBe(true);
    expect(looksLikeSizes(new TextEncoder().encode(`{"shape": "${'x'.repeat(66_000)}"}`))).toBe(false);
  });
  test('the command line: a file that somebody else reads with the true lengths in it, and a table of bends', () => {
    const folder = mkdtempSync(join(tmpdir(), 'tall-kite-develop-'));
    const asked = (...rest: string[]) => run('develop', ...rest, '--out', folder, '--json');
    const good = asked('square-to-round', 'width=200', 'depth=150', 'diameter=100', 'height=120', 'thickness=1.5', 'sizes=mean', 'lines=4');
    expect(good.status).toBe(0);
    const report = JSON.parse(good.stdout) as { written: { file: string }[]; flat: { area: number } };
    const script = fileURLToPath(new URL('./readers/dxf.py', import.meta.url));
    const [read] = JSON.parse(execFileSync('/usr/bin/python3', [script, report.written[0].file], { encoding: 'utf8' })) as Record<string, unknown>[];
    expect(read).toMatchObject({ errors: 0, fixes: 0, units: 4, layers: { CUT: 1, BEND_UP: 16 } });
    const rows = readFileSync(report.written[1].file, 'utf8').trim().split('\r\n');
    expect(rows).toHaveLength(17);
    expect(rows[0]).toBe('order,direction,angle_deg,length_mm');
    const bad = asked('cone', 'lower=100', 'lower=2');
    expect(bad.status).toBe(2);
    expect(JSON.parse(bad.stdout)).toMatchObject({ error: { code: 'bad-size' } });
    expect(asked('cone', 'lower 100').stdout).toMatch(/must be like width=200/);
    expect(run('develop').stderr).toMatch(/needs a shape and its sizes/);
  });
});

test('the axis of a branch comes out of the pipe where its mark is', () => {
  const sizes: Branch = developChoice({ kind: 'branch', branch: 60, main: 110, thickness: 3, length: 150, angle: 60 }) as Branch;
  const d = branchOn(sizes);
  const [a, b] = d.drawing.layers.find((l) => l.name === 'MARKS')!.contours.slice(-2);
  const middle = (c: Contour): P2 => [(startOf(c.segments[0])[0] + endOf(c.segments[0])[0]) / 2, (startOf(c.segments[0])[1] + endOf(c.segments[0])[1]) / 2];
  const [x, y] = middle(a);
  expect(middle(b)).toEqual([expect.closeTo(x, 9), expect.closeTo(y, 9)]);
  // Along the pipe the hole reaches r / sin on both sides of the axis's own crossing of the crown, less and more what the crown rises there: here symmetric about it.
  const hole = d.drawing.layers[0].contours[1];
  const ys = hole.segments.map((s) => startOf(s)[1]);
  expect(y).toBeCloseTo((Math.min(...ys) + Math.max(...ys)) / 2, 1);
});
