import { Unusable } from '../../base/finding.ts';
import { fromBulge, type P2 } from '../../curves/segment.ts';
import type { Track } from './write.ts';

/** One area of an aperture: laid on, or taken away from what the aperture has before it. Closed chains; lengths in the file's unit. */
export interface Area {
  on: boolean;
  chains: Track[][];
}

export const polygon = (points: readonly P2[]): Track[] =>
  points
    .map((a, i): Track => ({ kind: 'line', a, b: points[(i + 1) % points.length] }))
    .filter((t) => t.kind === 'line' && (t.a[0] !== t.b[0] || t.a[1] !== t.b[1]));
/** A full circle. */
export const disc = ([x, y]: P2, d: number): Track[] => [{ kind: 'arc', centre: [x, y], radius: d / 2, start: 0, sweep: 2 * Math.PI }];
export const rectangle = ([x, y]: P2, w: number, h: number): Track[] =>
  polygon([
    [x - w / 2, y - h / 2],
    [x + w / 2, y - h / 2],
    [x + w / 2, y + h / 2],
    [x - w / 2, y + h / 2],
  ]);
export const regular = ([x, y]: P2, d: number, n: number, turn: number): Track[] =>
  polygon(
    Array.from({ length: n }, (_, k): P2 => {
      const a = turn + (2 * Math.PI * k) / n;
      return [x + (d / 2) * Math.cos(a), y + (d / 2) * Math.sin(a)];
    }),
  );
/** A rectangle with half-round short ends. */
export function obround(w: number, h: number): Track[] {
  const d = Math.min(w, h);
  const [u, v] = [(w - d) / 2, (h - d) / 2];
  if (u === 0 && v === 0) return disc([0, 0], d);
  const r = d / 2;
  // Counter-clockwise, the half rounds at the two short ends.
  const corners: P2[] = u > 0 ? [[-u, -r], [u, -r], [u, r], [-u, r]] : [[r, -v], [r, v], [-r, v], [-r, -v]]; // prettier-ignore
  const [a, b, c, e] = corners;
  return [{ kind: 'line', a, b }, fromBulge(b, c, 1) as Track, { kind: 'line', a: c, b: e }, fromBulge(e, a, 1) as Track];
}

const bad = (why: string) => new Unusable('bad-macro', `An aperture macro can't be used: ${why}.`, 'Export the file again.');
/** Deeper brackets are no arithmetic of a board. */
const mostDepth = 60;

/**
 * A value of macro arithmetic: decimals, $n, + - x X /, brackets; unary signs. Source: Gerber Layer Format Specification, 4.5.4.2 (from memory).
 * @param vars values of $1, $2, ...; unset ones are 0
 * @example valueOf('$1x(2+$2)/3', new Map([[1, 6], [2, 1]])) // 6
 */
export function valueOf(text: string, vars: ReadonlyMap<number, number>): number {
  const marks = text.replace(/\s/g, '').match(/\d+(?:\.\d*)?|\.\d+|\$\d+|[-+xX/()]|./g) ?? [];
  let i = 0;
  const one = (depth: number): number => {
    if (depth > mostDepth) throw bad('its brackets are too deep');
    const m = marks[i++];
    if (m === undefined) throw bad(`"${text}" ends too soon`);
    if (m === '+') return one(depth + 1);
    if (m === '-') return -one(depth + 1);
    if (m === '(') {
      const v = sum(depth + 1);
      if (marks[i++] !== ')') throw bad(`"${text}" has an open bracket`);
      return v;
    }
    if (m[0] === '$') return vars.get(Number(m.slice(1))) ?? 0;
    if (!/^[\d.]/.test(m)) throw bad(`"${text}" is no arithmetic`);
    return Number(m);
  };
  const product = (depth: number): number => {
    let v = one(depth);
    while (i < marks.length && /^[xX/]$/.test(marks[i])) v = marks[i++] === '/' ? v / one(depth) : v * one(depth);
    return v;
  };
  function sum(depth: number): number {
    let v = product(depth);
    while (marks[i] === '+' || marks[i] === '-') v = marks[i++] === '+' ? v + product(depth) : v - product(depth);
    return v;
  }
  const v = sum(0);
  if (i < marks.length) throw bad(`"${text}" is no arithmetic`);
  if (!Number.isFinite(v)) throw bad(`"${text}" has no value`);
  return v;
}

const turned =
  (degrees: number) =>
  ([x, y]: P2): P2 => {
    const a = (degrees * Math.PI) / 180;
    const [c, s] = [Math.cos(a), Math.sin(a)];
    return [c * x - s * y, s * x + c * y];
  };

/** Most corners of one outline. */
const mostCorners = 5000;

/** A turned polygon, a turned circle: each primitive by its code. Source: as above, 4.5.1 (from memory). */
const primitives: Record<number, { least: number; make(p: number[]): Area[] }> = {
  1: { least: 4, make: ([on, d, x, y, a = 0]) => [{ on: on > 0, chains: [disc(turned(a)([x, y]), d)] }] },
  20: { least: 6, make: vector },
  2: { least: 6, make: vector },
  21: {
    least: 5,
    make: ([on, w, h, x, y, a = 0]) => [{ on: on > 0, chains: [polygon(([[x - w / 2, y - h / 2], [x + w / 2, y - h / 2], [x + w / 2, y + h / 2], [x - w / 2, y + h / 2]] as P2[]).map(turned(a)))] }], // prettier-ignore
  },
  22: { least: 5, make: ([on, w, h, x, y, a = 0]) => [{ on: on > 0, chains: [polygon(([[x, y], [x + w, y], [x + w, y + h], [x, y + h]] as P2[]).map(turned(a)))] }] }, // prettier-ignore
  4: { least: 6, make: outline },
  5: {
    least: 5,
    make: ([on, n, x, y, d, a = 0]) => {
      if (!(n >= 3 && n <= 100)) throw bad('a polygon has 3 to 100 corners');
      const points = Array.from({ length: Math.round(n) }, (_, k): P2 => [x + (d / 2) * Math.cos((2 * Math.PI * k) / n), y + (d / 2) * Math.sin((2 * Math.PI * k) / n)]);
      return [{ on: on > 0, chains: [polygon(points.map(turned(a)))] }];
    }, // prettier-ignore
  },
  6: { least: 8, make: moire },
  7: {
    least: 5,
    make: ([x, y, outer, inner, gap, a = 0]) => {
      const at = turned(a)([x, y]);
      const bar = (w: number, h: number): Area => ({ on: false, chains: [polygon(([[x - w, y - h], [x + w, y - h], [x + w, y + h], [x - w, y + h]] as P2[]).map(turned(a)))] }); // prettier-ignore
      return [{ on: true, chains: [disc(at, outer)] }, ...(inner > 0 ? [{ on: false, chains: [disc(at, inner)] }] : []), bar(outer, gap / 2), bar(gap / 2, outer)]; // prettier-ignore
    },
  },
};

function vector([on, w, x0, y0, x1, y1, a = 0]: number[]): Area[] {
  const length = Math.hypot(x1 - x0, y1 - y0);
  if (length === 0) return [];
  const [nx, ny] = [(-(y1 - y0) / length) * (w / 2), ((x1 - x0) / length) * (w / 2)];
  return [{ on: on > 0, chains: [polygon(([[x0 + nx, y0 + ny], [x0 - nx, y0 - ny], [x1 - nx, y1 - ny], [x1 + nx, y1 + ny]] as P2[]).map(turned(a)))] }]; // prettier-ignore
}

function outline(p: number[]): Area[] {
  const n = Math.round(p[1]);
  if (!(n >= 2 && n <= mostCorners)) throw bad(`an outline has 3 to ${mostCorners} corners`);
  if (p.length < 2 + 2 * (n + 1)) throw bad('an outline lacks corners');
  const points = Array.from({ length: n + 1 }, (_, k): P2 => [p[2 + 2 * k], p[3 + 2 * k]]);
  const [first, last] = [points[0], points[n]];
  if (first[0] !== last[0] || first[1] !== last[1]) throw bad('an outline is not closed');
  return [{ on: p[0] > 0, chains: [polygon(points.slice(0, n).map(turned(p[2 + 2 * (n + 1)] ?? 0)))] }];
}

function moire([x, y, outer, thick, gap, most, cross, long, a = 0]: number[]): Area[] {
  const at = turned(a)([x, y]);
  const out: Area[] = [];
  for (let k = 0, d = outer; k < Math.min(100, most) && d > 0; k++, d -= 2 * (thick + gap)) {
    out.push({ on: true, chains: [disc(at, d)] });
    if (d > 2 * thick) out.push({ on: false, chains: [disc(at, d - 2 * thick)] });
  }
  // What is taken away is taken from the rings before it, never from those inside it.
  const bar = (w: number, h: number): Area => ({ on: true, chains: [polygon(([[x - w / 2, y - h / 2], [x + w / 2, y - h / 2], [x + w / 2, y + h / 2], [x - w / 2, y + h / 2]] as P2[]).map(turned(a)))] }); // prettier-ignore
  return [...out, bar(long, cross), bar(cross, long)];
}

/**
 * The areas that a macro makes of its parameters, in their order.
 * @param lines of its body: primitives and definitions of variables
 * @throws Unusable in a sentence for what is no macro
 */
export function areasOfMacro(lines: readonly string[], params: readonly number[]): Area[] {
  const vars = new Map(params.map((p, i) => [i + 1, p]));
  const out: Area[] = [];
  for (const line of lines) {
    const text = line.trim();
    if (text === '' || /^0[^.\d]|^0$/.test(text)) continue;
    const set = /^\$(\d+)=(.*)$/.exec(text);
    if (set) {
      vars.set(Number(set[1]), valueOf(set[2], vars));
      continue;
    }
    const [code, ...fields] = text.split(',');
    const primitive = primitives[Number(code)];
    if (!primitive) throw bad(`primitive ${code.slice(0, 12)} is unknown`);
    const values = fields.map((f) => valueOf(f, vars));
    if (values.length < primitive.least) throw bad(`primitive ${code} lacks figures`);
    out.push(...primitive.make(values));
  }
  return out;
}
