import { Unusable } from '../base/finding.ts';
import type { HeightField } from './field.ts';
import { lifted, type Quarter } from './lift.ts';

/** A router bit with a round tip ('ball') or a flat one. */
export interface Bit {
  kind: 'ball' | 'flat';
  /** mm */
  diameter: number;
}

/** Most comparisons that are made for one bit over one field, if nothing were skipped. */
const mostWork = 2e10;

/** Side of the blocks in which places are looked at together. */
const side = 8;

/** The height of a bit's underside over its tip, by rows of a grid, mm; Infinity where the bit does not reach, with a rim of a block's side all round. */
interface Underside {
  /** Columns and rows that the bit reaches to either side. */
  across: number;
  down: number;
  /** Numbers a row of `rise`, and where its middle is. */
  width: number;
  middle: number;
  rise: Float64Array;
}

function undersideOf(bit: Bit, step: readonly [number, number]): Underside {
  const r = bit.diameter / 2;
  const across = Math.floor(r / step[0] + 1e-9);
  const down = Math.floor(r / step[1] + 1e-9);
  const width = 2 * (across + side) + 1;
  const middle = (down + side) * width + across + side;
  const rise = new Float64Array(width * (2 * (down + side) + 1)).fill(Infinity);
  const reach = r * r * (1 + 1e-9);
  for (let j = -down; j <= down; j++)
    for (let i = -across; i <= across; i++) {
      const away = (i * step[0]) ** 2 + (j * step[1]) ** 2;
      if (away <= reach) rise[middle + j * width + i] = bit.kind === 'flat' ? 0 : r - Math.sqrt(Math.max(0, r * r - away));
    }
  return { across, down, width, middle, rise };
}

/** The places of a quarter of a bit, the others being the same. */
function quarterOf({ across, down, width, middle, rise }: Underside): Quarter {
  const places: [number, number, number][] = [];
  for (let j = 0; j <= down; j++)
    for (let i = 0; i <= across; i++) {
      const up = rise[middle + j * width + i];
      if (up < Infinity) places.push([i, j, up]);
    }
  return { across, down, places };
}

function check(bit: Bit, field: HeightField): Underside {
  if (!(bit.diameter > 0)) throw new Unusable('bad-bit', 'A bit needs a diameter above 0 mm.', 'Type it.');
  const under = undersideOf(bit, field.step);
  const work = (field.columns * field.rows * (2 * under.down + 1) * (2 * under.across + 1)) / side ** 2;
  if (work > mostWork)
    throw new Unusable(
      'bit-too-wide',
      `A bit of ${bit.diameter} mm covers ${((2 * under.down + 1) * (2 * under.across + 1)).toLocaleString('en')} heights of this field at a time: too many.`,
      'Take heights farther apart, or a smaller bit.',
    );
  return under;
}

/** Up to so many places under a bit all of them are gone through, row by row; skipping pays only beyond that (measured). */
const mostPlain = 6000;

/**
 * The greatest of what stands round each place, less the bit's rise over there: out(x) = max over d of value(x + d) - rise(d). NaN and what lies beyond the
 * field never count. Places are taken in blocks: what can not lift even the lowest of a block, seen from the block's nearest place, is skipped.
 * Source: grey dilation, Serra 1982; the skipping is branch and bound.
 */
function dilated(values: Float64Array, columns: number, rows: number, under: Underside): Float64Array {
  if ((2 * under.across + 1) * (2 * under.down + 1) <= mostPlain) return lifted(values, columns, rows, quarterOf(under));
  const out = new Float64Array(values.length).fill(-Infinity);
  const field: Lifting = { values, columns, under, out };
  for (let r0 = 0; r0 < rows; r0 += side)
    for (let c0 = 0; c0 < columns; c0 += side) {
      const block: Block = { r0, c0, r1: Math.min(rows, r0 + side), c1: Math.min(columns, c0 + side) };
      // The block's own places first, so that most of the others can be skipped.
      const own: Strip = { first: c0, last: block.c1 - 1, least: -Infinity };
      for (let r = r0; r < block.r1; r++) row(field, block, r, own);
      const strip: Strip = {
        first: Math.max(0, c0 - under.across),
        last: Math.min(columns - 1, block.c1 - 1 + under.across),
        least: leastIn(out, columns, block),
      };
      for (let j = 0; j <= under.down; j++) {
        const above = r0 - j;
        const below = block.r1 - 1 + j;
        if (j === 0) for (let r = r0; r < block.r1; r++) row(field, block, r, strip);
        else {
          if (above >= 0) row(field, block, above, strip);
          if (below < rows) row(field, block, below, strip);
        }
        strip.least = leastIn(out, columns, block);
      }
    }
  return out;
}

/** What is lifted by what. */
interface Lifting {
  values: Float64Array;
  columns: number;
  under: Underside;
  out: Float64Array;
}

/** Columns of a row that may reach a block, and the lowest of the block so far: what can't lift that lifts nothing. */
interface Strip {
  first: number;
  last: number;
  least: number;
}

interface Block {
  r0: number;
  r1: number;
  c0: number;
  c1: number;
}

/** What the values of one row do to a block. */
function row({ values, columns, under, out }: Lifting, { r0, r1, c0, c1 }: Block, from: number, { first, last, least }: Strip): void {
  const { width, middle, rise } = under;
  const beside = middle + (from < r0 ? r0 - from : from >= r1 ? from - r1 + 1 : 0) * width;
  for (let s = first, k = from * columns + first; s <= last; s++, k++) {
    const v = values[k];
    const away = s < c0 ? c0 - s : s >= c1 ? s - c1 + 1 : 0;
    if (!(v - rise[beside + away] > least)) continue;
    for (let r = r0; r < r1; r++) {
      let at = middle + (from - r) * width + s - c0;
      for (let o = r * columns + c0, end = r * columns + c1; o < end; o++, at--) {
        const h = v - rise[at];
        if (h > out[o]) out[o] = h;
      }
    }
  }
}

function leastIn(values: Float64Array, columns: number, { r0, r1, c0, c1 }: Block): number {
  let found = Infinity;
  for (let r = r0; r < r1; r++) for (let k = r * columns + c0, end = r * columns + c1; k < end; k++) if (values[k] < found) found = values[k];
  return found;
}

/**
 * How deep the tip of a bit can go over each place without cutting into the field, mm: the bit's lowest point. What is outside the field is no hindrance.
 * @throws Unusable for a bit without a diameter or one that covers too much. @example tipSurface(field, { kind: 'ball', diameter: 6 })
 */
export function tipSurface(field: HeightField, bit: Bit): Float64Array {
  return dilated(field.heights, field.columns, field.rows, check(bit, field));
}

/**
 * What a bit leaves of the field when its tip goes everywhere that it can, or along every so many rows only: closing of grey values, the tip's surface eroded.
 * @param every rows between passes; 1 for everywhere
 */
export function carved(field: HeightField, bit: Bit, tip: Float64Array = tipSurface(field, bit), every = 1): Float64Array {
  const { columns, rows } = field;
  const turned = new Float64Array(tip.length);
  for (let r = 0; r < rows; r++) {
    // The last row is always a pass, so that nothing stands at the far side.
    const passed = r % every === 0 || r === rows - 1;
    for (let c = 0, k = r * columns; c < columns; c++, k++) turned[k] = passed ? -tip[k] : -Infinity;
  }
  const out = dilated(turned, columns, rows, check(bit, field));
  for (let k = 0; k < out.length; k++) out[k] = Number.isNaN(field.heights[k]) ? NaN : -out[k];
  return out;
}

/** Height of the ridges between passes of a ball, mm. Source: plane geometry, h = r - sqrt(r2 - s2 / 4). @throws Unusable when the passes do not meet. */
export function scallop(diameter: number, between: number): number {
  const r = diameter / 2;
  if (!(between > 0) || between > diameter)
    throw new Unusable('passes-apart', `Passes ${between} mm apart do not meet under a ball of ${diameter} mm.`, 'Type a distance up to the diameter.');
  return r - Math.sqrt(r * r - (between * between) / 4);
}

/** Distance of passes, mm, that leaves ridges of a height. */
export function passesFor(diameter: number, height: number): number {
  const r = diameter / 2;
  if (!(height > 0) || height > r)
    throw new Unusable('bad-ridge', `Ridges under a ball of ${diameter} mm are between 0 and ${r} mm high.`, 'Type such a height.');
  return 2 * Math.sqrt(2 * r * height - height * height);
}
