/** The tip of a bit against the definition of grey dilation gone through place by place (Serra, Image Analysis and Mathematical Morphology, 1982). */
import { describe, expect, test } from 'vitest';
import { tipSurface, type Bit } from '../src/reliefs/bits.ts';
import { lifted, type Quarter } from '../src/reliefs/lift.ts';

/** Heights without a pattern, the same each time; every seventh or so is missing. */
function rough(columns: number, rows: number, missing = true): Float64Array {
  const heights = new Float64Array(columns * rows);
  let state = 20_261;
  for (let k = 0; k < heights.length; k++) {
    state = (state * 48_271) % 2_147_483_647;
    heights[k] = missing && state % 7 === 0 ? NaN : (state % 1000) / 100;
  }
  return heights;
}

/** As it is defined: for every place all places under the bit. */
function defined(heights: Float64Array, columns: number, rows: number, step: [number, number], bit: Bit): Float64Array {
  const r = bit.diameter / 2;
  const out = new Float64Array(heights.length).fill(-Infinity);
  for (let y = 0; y < rows; y++)
    for (let x = 0; x < columns; x++)
      for (let v = 0; v < rows; v++)
        for (let u = 0; u < columns; u++) {
          const away = Math.hypot((u - x) * step[0], (v - y) * step[1]);
          if (away > r + 1e-9 || Number.isNaN(heights[v * columns + u])) continue;
          const rise = bit.kind === 'flat' ? 0 : r - Math.sqrt(Math.max(0, r * r - away * away));
          out[y * columns + x] = Math.max(out[y * columns + x], heights[v * columns + u] - rise);
        }
  return out;
}

const field = (heights: Float64Array, columns: number, rows: number, step: [number, number]) => ({
  heights,
  columns,
  rows,
  step,
  at: [0, 0] as [number, number],
});

function expectAlike(found: Float64Array, wanted: Float64Array): void {
  expect(found.length).toBe(wanted.length);
  for (let k = 0; k < wanted.length; k++)
    if (Number.isFinite(wanted[k])) expect(Math.abs(found[k] - wanted[k]), `place ${k}`).toBeLessThan(1e-9);
    else expect(found[k], `place ${k}`).toBe(wanted[k]);
}

describe('the greatest under a bit', () => {
  test.each([
    [1, 1],
    [1, 40],
    [40, 1],
    [11, 9],
    [12, 12],
    [13, 30],
    [25, 24],
  ])('a field of %i by %i, with places where nothing stands', (columns, rows) => {
    const heights = rough(columns, rows);
    for (const kind of ['ball', 'flat'] as const)
      for (const diameter of [0.5, 2, 4.2, 9, 200])
        expectAlike(tipSurface(field(heights, columns, rows, [1, 0.7]), { kind, diameter }), defined(heights, columns, rows, [1, 0.7], { kind, diameter }));
  });
  test('a bit just below and just above the number of places that are gone through: the two ways agree with the definition', () => {
    // 77 and 79 places across are 5,929 and 6,241 places; 6,000 is where the way changes.
    const heights = rough(31, 23, false);
    for (const diameter of [77, 79])
      expectAlike(tipSurface(field(heights, 31, 23, [1, 1]), { kind: 'ball', diameter }), defined(heights, 31, 23, [1, 1], { kind: 'ball', diameter }));
  });
  test('nothing stands anywhere: the bit is nowhere held up', () => {
    expect([...lifted(new Float64Array(6).fill(NaN), 3, 2, { across: 1, down: 1, places: [[0, 0, 0], [1, 1, 0.5]] })]).toEqual(Array(6).fill(-Infinity)); // prettier-ignore
  });
  test('a field that comes in several bands is the same as one that comes at once', () => {
    // Rows of 40,008 numbers take 320,064 bytes: 104 of them fill a band.
    const [columns, rows] = [40_001, 230];
    const heights = rough(columns, rows);
    const cross: Quarter = { across: 1, down: 2, places: [[0, 0, 0], [1, 0, 1], [0, 1, 2], [0, 2, 3]] }; // prettier-ignore
    const found = lifted(heights, columns, rows, cross);
    let wrong = 0;
    for (let y = 0; y < rows; y++)
      for (let x = 0; x < columns; x++) {
        let best = -Infinity;
        for (const [i, j, rise] of cross.places)
          for (const [u, v] of [
            [x - i, y - j],
            [x + i, y + j],
          ]) {
            // prettier-ignore
            const h = u >= 0 && u < columns && v >= 0 && v < rows ? heights[v * columns + u] : NaN;
            if (h - rise > best) best = h - rise;
          }
        if (found[y * columns + x] !== best) wrong++;
      }
    expect(wrong).toBe(0);
  });
});
