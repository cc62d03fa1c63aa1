import { ellipseFrom, fromBulge, turn, type P2, type Segment, type SplineSegment } from '../../curves/segment.ts';
import { colourOfNumber } from './colours.ts';
import type { Value } from './pairs.ts';

/** The pairs of one entity. */
export interface Entity {
  type: string;
  codes: number[];
  values: Value[];
  /** VERTEX entities of a POLYLINE. */
  vertices: Entity[] | null;
}

/** A chain as an entity gives it, in its own plane mapped to the world's X and Y. */
export interface Chain {
  segments: Segment[];
  closed: boolean;
}

export const numberAt = (e: Entity, code: number, fallback = 0): number => {
  for (let i = 0; i < e.codes.length; i++) if (e.codes[i] === code) return typeof e.values[i] === 'number' ? (e.values[i] as number) : fallback;
  return fallback;
};

export const textAt = (e: Entity, code: number): string | null => {
  for (let i = 0; i < e.codes.length; i++) if (e.codes[i] === code) return String(e.values[i]);
  return null;
};

const allAt = (e: Entity, code: number): number[] => {
  const found: number[] = [];
  for (let i = 0; i < e.codes.length; i++) if (e.codes[i] === code) found.push(Number(e.values[i]));
  return found;
};

const pointsAt = (e: Entity, code: number): P2[] => {
  const x = allAt(e, code);
  const y = allAt(e, code + 10);
  return x.map((v, i): P2 => [v, y[i] ?? 0]);
};

const degrees = Math.PI / 180;

/** The colour that an entity names: true colour (420) before the colour number. */
export function colourIn(e: Entity, index: number): string | null {
  const i = e.codes.indexOf(420);
  if (i >= 0) return `#${(Number(e.values[i]) & 0xffffff).toString(16).padStart(6, '0')}`;
  return colourOfNumber(index);
}

/** Entities whose points are in their own plane; the others are in the world's. */
export const inOwnPlane = new Set(['ARC', 'CIRCLE', 'LWPOLYLINE', 'POLYLINE', 'TEXT', 'INSERT', 'SOLID', 'TRACE', 'HATCH', 'ATTRIB']);

/** The chains of an entity; null when it is a kind that is not read. */
export function chainsOf(e: Entity): Chain[] | null {
  switch (e.type) {
    case 'LINE':
      return [{ segments: [{ kind: 'line', a: [numberAt(e, 10), numberAt(e, 20)], b: [numberAt(e, 11), numberAt(e, 21)] }], closed: false }];
    case 'CIRCLE':
      return [{ segments: [{ kind: 'arc', centre: [numberAt(e, 10), numberAt(e, 20)], radius: numberAt(e, 40), start: 0, sweep: turn }], closed: true }];
    case 'ARC': {
      const start = numberAt(e, 50) * degrees;
      const sweep = ahead(start, numberAt(e, 51) * degrees);
      const arc: Segment = { kind: 'arc', centre: [numberAt(e, 10), numberAt(e, 20)], radius: numberAt(e, 40), start, sweep };
      return [{ segments: [arc], closed: sweep >= turn }];
    }
    case 'ELLIPSE':
      return [ellipse(e)];
    case 'LWPOLYLINE':
      return [lightPolyline(e)];
    case 'POLYLINE':
      return polyline(e);
    case 'SPLINE':
      return spline(e);
    case 'SOLID':
    case 'TRACE':
      return outline([10, 11, 13, 12].map((c) => cornerAt(e, c)));
    case '3DFACE':
      return outline([10, 11, 12, 13].map((c) => cornerAt(e, c)));
    case 'HATCH':
      return hatch(e);
    default:
      return null;
  }
}

/** Sweep counter-clockwise from one angle to another; equal angles are a full turn. */
function ahead(from: number, to: number): number {
  let sweep = (to - from) % turn;
  if (sweep <= 1e-12) sweep += turn;
  return sweep;
}

const cornerAt = (e: Entity, code: number): P2 | null => (e.codes.includes(code) ? [numberAt(e, code), numberAt(e, code + 10)] : null);

function outline(corners: (P2 | null)[]): Chain[] {
  const points = corners.filter((p): p is P2 => p !== null).filter((p, i, all) => i === 0 || p[0] !== all[i - 1][0] || p[1] !== all[i - 1][1]);
  if (points.length > 1 && points[0][0] === points[points.length - 1][0] && points[0][1] === points[points.length - 1][1]) points.pop();
  if (points.length < 3) return [];
  return [{ segments: points.map((a, i): Segment => ({ kind: 'line', a, b: points[(i + 1) % points.length] })), closed: true }];
}

function ellipse(e: Entity): Chain {
  const centre: P2 = [numberAt(e, 10), numberAt(e, 20)];
  const major = [numberAt(e, 11), numberAt(e, 21), numberAt(e, 31)];
  const n = [numberAt(e, 210), numberAt(e, 220), numberAt(e, 230, 1)];
  const size = Math.hypot(...n) || 1;
  const ratio = numberAt(e, 40, 1);
  // The minor axis is the normal times the major one.
  const minor: P2 = [((n[1] * major[2] - n[2] * major[1]) / size) * ratio, ((n[2] * major[0] - n[0] * major[2]) / size) * ratio];
  const start = numberAt(e, 41, 0);
  const sweep = ahead(start, numberAt(e, 42, turn));
  return { segments: [ellipseFrom(centre, [major[0], major[1]], minor, start, sweep)], closed: sweep >= turn - 1e-9 };
}

function lightPolyline(e: Entity): Chain {
  const points: P2[] = [];
  const bulges: number[] = [];
  let flags = 0;
  for (let i = 0; i < e.codes.length; i++) {
    const code = e.codes[i];
    const v = e.values[i] as number;
    if (code === 10) {
      points.push([v, 0]);
      bulges.push(0);
    } else if (points.length > 0 && code === 20) points[points.length - 1][1] = v;
    else if (points.length > 0 && code === 42) bulges[points.length - 1] = v;
    else if (code === 70) flags = v;
  }
  return bulged(points, bulges, (flags & 1) === 1);
}

function bulged(points: P2[], bulges: number[], closed: boolean): Chain {
  const segments: Segment[] = [];
  const n = points.length;
  for (let i = 0; i + (closed ? 0 : 1) < n; i++) {
    const a = points[i];
    const b = points[(i + 1) % n];
    // A closed polyline whose last point repeats the first has no closing piece of its own.
    if (closed && i === n - 1 && a[0] === b[0] && a[1] === b[1]) continue;
    segments.push(fromBulge(a, b, bulges[i]));
  }
  return { segments, closed: closed && segments.length > 0 };
}

function polyline(e: Entity): Chain[] | null {
  const flags = numberAt(e, 70);
  if (flags & (16 | 64)) return null;
  // Vertices that only steer a fitted curve (flag 16) are not on it.
  const vertices = (e.vertices ?? []).filter((v) => !(numberAt(v, 70) & 16));
  const points = vertices.map((v): P2 => [numberAt(v, 10), numberAt(v, 20)]);
  const chain = bulged(
    points,
    vertices.map((v) => (flags & 8 ? 0 : numberAt(v, 42))),
    (flags & 1) === 1,
  );
  return chain.segments.length ? [chain] : [];
}

function spline(e: Entity): Chain[] {
  const flags = numberAt(e, 70);
  const degree = numberAt(e, 71, 3);
  const points = pointsAt(e, 10);
  const knots = allAt(e, 40);
  const weights = allAt(e, 41);
  const closedFlag = (flags & 1) === 1;
  if (points.length > degree && knots.length === points.length + degree + 1 && degree >= 1 && degree <= 25) {
    const s: SplineSegment = { kind: 'spline', degree, knots, points, weights: weights.length === points.length && new Set(weights).size > 1 ? weights : null };
    return fairKnots(s) ? [chainOfSpline(s, closedFlag)] : [];
  }
  const fit = pointsAt(e, 11);
  if (fit.length < 2) return [];
  const start = e.codes.includes(12) ? ([numberAt(e, 12), numberAt(e, 22)] as P2) : null;
  const end = e.codes.includes(13) ? ([numberAt(e, 13), numberAt(e, 23)] as P2) : null;
  return [{ segments: throughPoints(fit, start, end), closed: closedFlag && fit[0][0] === fit[fit.length - 1][0] && fit[0][1] === fit[fit.length - 1][1] }];
}

/** Whether knots never fall and the curve has some length of parameter. */
function fairKnots(s: SplineSegment): boolean {
  for (let i = 1; i < s.knots.length; i++) if (!(s.knots[i] >= s.knots[i - 1])) return false;
  return s.knots[s.points.length] > s.knots[s.degree] && (s.weights === null || s.weights.every((w) => w > 0));
}

function chainOfSpline(s: SplineSegment, closed: boolean): Chain {
  return { segments: [s], closed };
}

/**
 * A smooth curve through points as cubic Béziers: twice continuously differentiable over chord lengths, with end directions when given,
 * else without bending at the ends. Source: de Boor, A Practical Guide to Splines, chapter IV.
 */
export function throughPoints(p: P2[], start: P2 | null, end: P2 | null): Segment[] {
  const n = p.length - 1;
  const h = Array.from({ length: n }, (_, i) => Math.max(1e-12, Math.hypot(p[i + 1][0] - p[i][0], p[i + 1][1] - p[i][1])));
  const slopes = [0, 1].map((k) => {
    const a = new Float64Array(n + 1);
    const b = new Float64Array(n + 1);
    const c = new Float64Array(n + 1);
    const d = new Float64Array(n + 1);
    const ends = [start, end].map((v) => (v && Math.hypot(...v) > 0 ? v[k] / Math.hypot(...v) : null));
    b[0] = ends[0] === null ? 2 : 1;
    c[0] = ends[0] === null ? 1 : 0;
    d[0] = ends[0] ?? (3 * (p[1][k] - p[0][k])) / h[0];
    b[n] = ends[1] === null ? 2 : 1;
    a[n] = ends[1] === null ? 1 : 0;
    d[n] = ends[1] ?? (3 * (p[n][k] - p[n - 1][k])) / h[n - 1];
    for (let i = 1; i < n; i++) {
      a[i] = h[i];
      b[i] = 2 * (h[i - 1] + h[i]);
      c[i] = h[i - 1];
      d[i] = 3 * ((h[i] * (p[i][k] - p[i - 1][k])) / h[i - 1] + (h[i - 1] * (p[i + 1][k] - p[i][k])) / h[i]);
    }
    for (let i = 1; i <= n; i++) {
      const m = a[i] / b[i - 1];
      b[i] -= m * c[i - 1];
      d[i] -= m * d[i - 1];
    }
    d[n] /= b[n];
    for (let i = n - 1; i >= 0; i--) d[i] = (d[i] - c[i] * d[i + 1]) / b[i];
    return d;
  });
  return h.map((w, i): Segment => ({
    kind: 'bezier',
    points: [
      p[i],
      [p[i][0] + (slopes[0][i] * w) / 3, p[i][1] + (slopes[1][i] * w) / 3],
      [p[i + 1][0] - (slopes[0][i + 1] * w) / 3, p[i + 1][1] - (slopes[1][i + 1] * w) / 3],
      p[i + 1],
    ],
  }));
}

/** The boundary paths of a hatch. Source: DXF Reference, HATCH boundary path data. */
function hatch(e: Entity): Chain[] {
  const chains: Chain[] = [];
  let i = e.codes.indexOf(91);
  if (i < 0) return [];
  const paths = Number(e.values[i++]);
  const take = (code: number): number => {
    if (e.codes[i] !== code) return NaN;
    return Number(e.values[i++]);
  };
  const optional = (code: number, fallback: number): number => (e.codes[i] === code ? Number(e.values[i++]) : fallback);
  for (let path = 0; path < paths && i < e.codes.length; path++) {
    const flags = take(92);
    if (!(flags >= 0)) break;
    if (flags & 2) {
      optional(72, 0);
      const closed = optional(73, 1) === 1;
      const n = take(93);
      const points: P2[] = [];
      const bulges: number[] = [];
      for (let k = 0; k < n && e.codes[i] === 10; k++) {
        points.push([take(10), take(20)]);
        bulges.push(optional(42, 0));
      }
      if (points.length > 1) chains.push(bulged(points, bulges, closed));
    } else {
      const n = take(93);
      const segments: Segment[] = [];
      for (let k = 0; k < n && e.codes[i] === 72; k++) {
        const edge = take(72);
        if (edge === 1) segments.push({ kind: 'line', a: [take(10), take(20)], b: [take(11), take(21)] });
        else if (edge === 2 || edge === 3) {
          const centre: P2 = [take(10), take(20)];
          const major: P2 = edge === 3 ? [take(11), take(21)] : [0, 0];
          const size = take(40);
          const from = take(50) * degrees;
          const to = take(51) * degrees;
          const sign = optional(73, 1) === 1 ? 1 : -1;
          const sweep = sign * ahead(from, to);
          if (edge === 2) segments.push({ kind: 'arc', centre, radius: size, start: sign * from, sweep });
          else segments.push({ kind: 'ellipse', centre, u: major, ratio: size, start: sign * from, sweep });
        } else if (edge === 4) {
          const degree = take(94);
          const rational = optional(73, 0) === 1;
          optional(74, 0);
          const knotCount = take(95);
          const pointCount = take(96);
          const knots: number[] = [];
          for (let j = 0; j < knotCount && e.codes[i] === 40; j++) knots.push(take(40));
          const points: P2[] = [];
          const weights: number[] = [];
          for (let j = 0; j < pointCount && e.codes[i] === 10; j++) {
            points.push([take(10), take(20)]);
            const w = optional(42, 1);
            if (rational) weights.push(w);
          }
          const fits = optional(97, 0);
          for (let j = 0; j < fits && e.codes[i] === 11; j++) i += 2;
          const s: SplineSegment = { kind: 'spline', degree, knots, points, weights: rational && weights.length === points.length ? weights : null };
          if (knots.length === points.length + degree + 1 && fairKnots(s)) segments.push(s);
        }
      }
      if (segments.length) chains.push({ segments, closed: true });
    }
    const sources = optional(97, 0);
    for (let k = 0; k < sources && e.codes[i] === 330; k++) i++;
  }
  return chains.filter((c) => c.segments.length > 0);
}
