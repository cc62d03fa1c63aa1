import { formatHex, parse } from 'culori';
import { times, type Affine } from '../../curves/affine.ts';

/** A paint: nothing, or something with a colour (#rrggbb) that may be unknown (patterns, gradients). */
export interface Paint {
  painted: boolean;
  colour: string | null;
}

/** No colour or length is longer than this; longer text is not looked at. */
const longestValue = 200;

/** A paint of SVG: none, a colour of CSS, or a reference with a fallback. Sources: SVG 2, 13.2; CSS Color Level 4. */
export function paintOf(text: string | undefined, current: string | undefined): Paint {
  const t = (text ?? '').trim();
  if (t === '' || t === 'none' || t.length > longestValue) return { painted: false, colour: null };
  if (/^currentcolor$/i.test(t))
    return current ? paintOf(/^currentcolor$/i.test(current) ? '#000000' : current, undefined) : { painted: true, colour: '#000000' };
  const reference = /^url\([^)]*\)(.*)$/i.exec(t)?.[1].trim();
  if (reference !== undefined) return { painted: true, colour: reference && reference !== 'none' ? paintOf(reference, current).colour : null };
  const colour = parse(t.toLowerCase());
  if (!colour) return { painted: true, colour: /^context-/.test(t) ? null : '#000000' };
  return { painted: (colour.alpha ?? 1) > 0, colour: formatHex(colour) };
}

/** A colour of CSS as #rrggbb; null when a word is no colour. @example colourNamed('red') // '#ff0000' */
export function colourNamed(text: string): string | null {
  const colour = text.length > longestValue ? undefined : parse(text.trim().toLowerCase());
  return colour ? formatHex(colour) : null;
}

/** Whether an opacity (number or percentage) leaves anything to be seen. */
export function isOpaque(text: string | undefined): boolean {
  if (text === undefined || text.length > longestValue) return true;
  return !(parseFloat(text) <= 0);
}

/** Pixels in one unit. Source: CSS Values and Units Level 3: 1 in = 96 px = 72 pt = 6 pc = 25.4 mm, 1 Q = 0.25 mm. */
const pixels = new Map([
  ['px', 1],
  ['in', 96],
  ['pt', 96 / 72],
  ['pc', 16],
  ['mm', 96 / 25.4],
  ['cm', 96 / 2.54],
  ['q', 96 / 101.6],
  ['em', 16],
  ['ex', 8],
  ['rem', 16],
]);

/** A length in user units (pixels); percentages of `whole`. Null when it can't be read. `real` tells whether it had a unit of the real world. */
export function readLength(text: string | undefined, whole: number): { value: number; real: boolean } | null {
  if (text === undefined || text.length > longestValue) return null;
  const match = /^([+-]?(?:\d+(?:\.\d*)?|\.\d+)(?:e[+-]?\d{1,4})?)\s*([a-z]*|%)$/i.exec(text.trim());
  if (!match) return null;
  const n = parseFloat(match[1]);
  const unit = match[2].toLowerCase();
  if (unit === '') return { value: n, real: false };
  if (unit === '%') return { value: (n * whole) / 100, real: false };
  const per = pixels.get(unit);
  return per === undefined ? null : { value: n * per, real: !['px', 'em', 'ex', 'rem'].includes(unit) };
}

/** rad in one unit of an angle; SVG attributes give degrees without a unit. */
const angles: Record<string, number> = { '': Math.PI / 180, deg: Math.PI / 180, rad: 1, grad: Math.PI / 200, turn: 2 * Math.PI };

function angleOf(text: string): number {
  const match = /^([+-]?(?:\d+(?:\.\d*)?|\.\d+)(?:e[+-]?\d{1,4})?)([a-z]*)$/i.exec(text);
  const per = match ? angles[match[2].toLowerCase()] : undefined;
  return match && per !== undefined ? parseFloat(match[1]) * per : NaN;
}

/**
 * A list of transforms as one map, of the attribute or of CSS; null when it can't be read. `reference` is what percentages are shares of.
 * Read from left to right, once. Sources: SVG 1.1, 7.6; CSS Transforms Level 1, 11.
 */
export function readTransform(text: string, reference: readonly [number, number] = [0, 0]): Affine | null {
  let m: Affine = [1, 0, 0, 1, 0, 0];
  let at = 0;
  const skip = () => {
    while (at < text.length && /[\s,]/.test(text[at])) at++;
  };
  for (skip(); at < text.length; skip()) {
    const open = text.indexOf('(', at);
    const close = open < 0 ? -1 : text.indexOf(')', open);
    // A name has at most ten letters and a list a few numbers: anything else is no transform.
    if (close < 0 || open - at > 20 || close - open > 1000) return null;
    const name = text.slice(at, open).trim().toLowerCase();
    const list = text.slice(open + 1, close).trim().split(/[\s,]+/).filter(Boolean).flatMap(glued); // prettier-ignore
    const one = single(name, list, reference);
    if (!one) return null;
    m = times(m, one);
    at = close + 1;
  }
  return m;
}

/** Numbers may follow each other without a space where a sign tells them apart: "10-5". */
const glued = (word: string): string[] => (/^[+-]?[\d.]+[+-]/.test(word) ? (word.match(/[+-]?[\d.]+(?:e[+-]?\d+)?/gi) ?? [word]) : [word]);

/** What the arguments of a transform say: lengths and numbers with what counts where they are left out. */
interface Arguments {
  length: (i: number, axis: 0 | 1) => number;
  number: (i: number, otherwise: number) => number;
  angle: (i: number) => number;
  list: readonly string[];
}

/** Each kind of transform as a matrix. Source: SVG 1.1, 7.6; CSS Transforms Level 1, 12. */
const kinds: Record<string, (given: Arguments) => Affine | null> = {
  none: () => [1, 0, 0, 1, 0, 0],
  matrix: ({ list }) => (list.length === 6 ? (list.map(Number) as unknown as Affine) : null),
  translate: ({ length }) => [1, 0, 0, 1, length(0, 0), length(1, 1)],
  translatex: ({ length }) => [1, 0, 0, 1, length(0, 0), 0],
  translatey: ({ length }) => [1, 0, 0, 1, 0, length(0, 1)],
  scale: ({ number }) => [number(0, 1), 0, 0, number(1, number(0, 1)), 0, 0],
  scalex: ({ number }) => [number(0, 1), 0, 0, 1, 0, 0],
  scaley: ({ number }) => [1, 0, 0, number(0, 1), 0, 0],
  rotate: ({ angle, length }) => {
    const [c, s] = cosAndSin(angle(0));
    const [x, y] = [length(1, 0), length(2, 1)];
    return [c, s, -s, c, x - c * x + s * y, y - s * x - c * y];
  },
  skewx: ({ angle }) => [1, 0, Math.tan(angle(0)), 1, 0, 0],
  skewy: ({ angle }) => [1, Math.tan(angle(0)), 0, 1, 0, 0],
  skew: ({ angle, list }) => [1, list.length > 1 ? Math.tan(angle(1)) : 0, Math.tan(angle(0)), 1, 0, 0],
};

/** Cosine and sine of an angle; quarter turns are exact. */
function cosAndSin(angle: number): [number, number] {
  const quarter = Math.round(angle / (Math.PI / 2));
  const exact = Math.abs(angle - (quarter * Math.PI) / 2) < 1e-15 * Math.max(1, Math.abs(angle));
  if (!exact) return [Math.cos(angle), Math.sin(angle)];
  const at = ((quarter % 4) + 4) % 4;
  return [[1, 0, -1, 0][at], [0, 1, 0, -1][at]];
}

/** One transform as a matrix; null when there is none of that name or its numbers are none. */
function single(name: string, list: string[], reference: readonly [number, number]): Affine | null {
  if (!Object.hasOwn(kinds, name)) return null;
  const m = kinds[name]({
    list,
    length: (i, axis) => (list[i] === undefined ? 0 : (readLength(list[i], reference[axis])?.value ?? NaN)),
    number: (i, otherwise) => (list[i] === undefined ? otherwise : list[i].endsWith('%') ? parseFloat(list[i]) / 100 : Number(list[i])),
    angle: (i) => angleOf(list[i] ?? ''),
  });
  return m?.every(Number.isFinite) ? m : null;
}

/** Where an origin lies in a reference box: lengths, percentages, or words. Null when it can't be read. Source: CSS Transforms Level 1, 5. */
export function readOrigin(text: string, box: readonly [number, number, number, number]): [number, number] | null {
  const words = text.trim().toLowerCase().split(/\s+/).slice(0, 3);
  const share: Record<string, number> = { left: 0, top: 0, center: 0.5, right: 1, bottom: 1 };
  if (words[0] === 'top' || words[0] === 'bottom' || words[1] === 'left' || words[1] === 'right') [words[0], words[1]] = [words[1] ?? 'center', words[0]];
  const one = (word: string | undefined, k: 0 | 1): number => {
    const size = box[2 + k];
    if (word === undefined) return box[k] + size / 2;
    if (word in share) return box[k] + size * share[word];
    const length = readLength(word, size);
    return length ? box[k] + length.value : NaN;
  };
  const [x, y] = [one(words[0], 0), one(words[1], 1)];
  return Number.isFinite(x) && Number.isFinite(y) ? [x, y] : null;
}
