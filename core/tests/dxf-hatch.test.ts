import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, describe, expect, test } from 'vitest';
import { areaOfContour } from '../src/curves/drawing.ts';
import { readDxf, type DxfFile } from '../src/formats/dxf/read.ts';
import { code } from './thrown.ts';

const folder = mkdtempSync(join(tmpdir(), 'hatches-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** Areas of what is filled, mm2. */
const filled = (file: DxfFile): number[] =>
  file.drawing.layers.flatMap((l) => l.contours.filter((c) => c.meaning === 'fill').map((c) => Math.abs(areaOfContour(c)))).sort((a, b) => a - b);

describe('made by ezdxf: the areas are those of its own paths', () => {
  const script = fileURLToPath(new URL('./readers/hatch-make.py', import.meta.url));
  const made = JSON.parse(execFileSync('/usr/bin/python3', [script, folder], { encoding: 'utf8' })) as Record<string, number[]>;
  test.each(Object.entries(made))('%s', (name, areas) => {
    const file = readDxf(readFileSync(join(folder, name)));
    const found = filled(file);
    expect(found).toHaveLength(areas.length);
    [...areas].sort((a, b) => a - b).forEach((area, i) => expect(Math.abs(found[i] / area - 1)).toBeLessThan(2e-5));
    expect(file.leftOut).toEqual([]);
  });
});

type Pair = [number, number | string];
const dxf = (pairs: Pair[]): Buffer => Buffer.from([[0, 'SECTION'], [2, 'ENTITIES'], ...pairs, [0, 'ENDSEC'], [0, 'EOF']].flatMap(([c, v]) => [String(c), String(v)]).join('\n') + '\n'); // prettier-ignore
const hatch = (...paths: Pair[][]): Pair[] => [[0, 'HATCH'], [8, '0'], [2, 'SOLID'], [70, 1], [91, paths.length], ...paths.flat(), [75, 0], [76, 1], [98, 0]]; // prettier-ignore
const edge = (a: [number, number], b: [number, number]): Pair[] => [[72, 1], [10, a[0]], [20, a[1]], [11, b[0]], [21, b[1]]]; // prettier-ignore
const square = (size: number, count = 4): Pair[] => [
  [92, 1],
  [93, count],
  ...edge([0, 0], [size, 0]),
  ...edge([size, 0], [size, size]),
  ...edge([size, size], [0, size]),
  ...edge([0, size], [0, 0]),
];
const sources = (n: number): Pair[] => [[97, n], ...Array.from({ length: n }, (_, i): Pair => [330, `${i + 1}F`])];
const polyline = (count: number, ...points: [number, number][]): Pair[] => [[92, 2], [72, 0], [73, 1], [93, count], ...points.flatMap(([x, y]): Pair[] => [[10, x], [20, y]])]; // prettier-ignore

describe('by hand: a path is whole or not there', () => {
  const read = (pairs: Pair[], keepBad = false) => readDxf(dxf(pairs), { hidden: false, keepBad });
  test('edges in a ring, with and without the objects they came from', () => {
    expect(filled(read(hatch(square(10))))).toEqual([100]);
    expect(filled(read(hatch([...square(10), ...sources(0)])))).toEqual([100]);
    expect(filled(read(hatch([...square(10), ...sources(3)], [...square(4), ...sources(1)])))).toEqual([16, 100]);
  });
  test.each([
    ['fewer edges than counted', square(10, 5)],
    ['more edges than counted', square(10, 3)],
    ['an edge of a kind that there is not', [...square(10, 5), [72, 5], [10, 1]] as Pair[]],
    ['no count of edges', square(10).filter(([c]) => c !== 93)],
    ['a polyline with fewer points than counted', polyline(4, [0, 0], [9, 0], [9, 9])],
    ['a polyline with more points than counted', polyline(2, [0, 0], [9, 0], [9, 9])],
    ['a spline whose knots do not fit its points', [[92, 1], [93, 1], [72, 4], [94, 3], [73, 0], [74, 0], [95, 2], [96, 2], [40, 0], [40, 1], [10, 0], [20, 0], [10, 5], [20, 5], [97, 0]] as Pair[]], // prettier-ignore
  ])('%s: refused, or told and left out, with the paths beside it kept', (_, path) => {
    expect(code(() => read(hatch(path)))).toBe('bad-entity');
    const kept = read(hatch(square(4), path, square(2)), true);
    expect(filled(kept)).toEqual([4, 16]);
    expect(kept.leftOut).toEqual([{ what: 'HATCH without usable geometry', count: 1, why: 'its numbers make no curve' }]);
  });
  test('numbers that are none are not drawn', () => {
    const broken = square(10).map(([c, v]): Pair => (c === 11 ? [40, v] : [c, v]));
    expect(code(() => read(hatch(broken)))).toBe('bad-entity');
  });
  test('paths without a length, and a hatch without paths, draw nothing', () => {
    expect(code(() => read(hatch([[92, 1], [93, 0], [97, 0]])))).toBe('bad-entity'); // prettier-ignore
    expect(filled(read(hatch(square(3), [[92, 1], [93, 0], [97, 0]])))).toEqual([9]); // prettier-ignore
    expect(filled(read(hatch(square(3), polyline(1, [5, 5]))))).toEqual([9]);
  });
  test('a spline given by the points it passes only goes through them', () => {
    const fit: Pair[] = [[92, 1], [93, 2], [72, 4], [94, 3], [73, 0], [74, 0], [95, 0], [96, 0], [97, 3], [11, 0], [21, 0], [11, 10], [21, 10], [11, 20], [21, 0], [12, 0], [22, 1], [13, 0], [23, -1], ...edge([20, 0], [0, 0])]; // prettier-ignore
    const file = read(hatch(fit));
    const [contour] = file.drawing.layers[0].contours;
    expect(contour.segments.map((s) => s.kind)).toEqual(['bezier', 'bezier', 'line']);
    // Upright at both ends and flat on top, as a half circle nearly is.
    expect(Math.abs(areaOfContour(contour))).toBeGreaterThan(140);
    expect(Math.abs(areaOfContour(contour))).toBeLessThan(170);
  });
});
