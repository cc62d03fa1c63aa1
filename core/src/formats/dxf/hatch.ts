import { throughPoints } from '../../curves/through.ts';
import type { P2, Segment } from '../../curves/segment.ts';
import { ahead, bulged, degrees, splineBy, type Chain } from './chains.ts';
import type { Entity } from './entity.ts';

/** A path that is not as it says: it stands for one that makes no area, which is told. */
const noPath: Chain = { segments: [], closed: true };

/** Codes that end the boundary paths: what follows is the pattern. Source: DXF Reference, HATCH. */
const afterPaths = new Set([75, 76]);

/**
 * The boundary paths of a hatch, each whole or empty: half of an area is another area.
 * Source: DXF Reference, HATCH boundary path data.
 */
export function hatchPaths(e: Entity): Chain[] {
  const data = new PathData(e);
  if (!data.find(91)) return [];
  const paths = data.take(91);
  const chains: Chain[] = [];
  for (let k = 0; k < paths && data.peek() === 92; k++) {
    const polyline = (data.take(92) & 2) !== 0;
    const chain = polyline ? polylinePath(data) : edgePath(data);
    // After a path its source objects are named; what is not known there is passed over to the next.
    const sources = data.optional(97, 0);
    for (let j = 0; j < sources && data.peek() === 330; j++) data.take(330);
    if (chain === null || !(data.peek() === 92 || data.ended)) {
      chains.push(noPath);
      data.skipTo(92);
    } else if (chain.segments.length > 0) chains.push(chain);
  }
  return chains;
}

/** The pairs of a hatch one after the other. */
class PathData {
  private readonly codes: readonly number[];
  private readonly values: Entity['values'];
  private at = 0;

  constructor({ codes, values }: Entity) {
    this.codes = codes;
    this.values = values;
  }

  peek(): number | undefined {
    return this.codes[this.at];
  }

  get ended(): boolean {
    return this.at >= this.codes.length || afterPaths.has(this.codes[this.at]);
  }

  find(code: number): boolean {
    this.at = this.codes.indexOf(code);
    return this.at >= 0;
  }

  skipTo(code: number): void {
    while (!this.ended && this.codes[this.at] !== code) this.at++;
  }

  /** The number of a code that has to stand here; NaN where another does. */
  take(code: number): number {
    return this.optional(code, NaN);
  }

  optional(code: number, fallback: number): number {
    return this.codes[this.at] === code ? Number(this.values[this.at++]) : fallback;
  }

  point(code: number): P2 {
    return [this.take(code), this.take(code + 10)];
  }

  /** How many points a spline was fitted through: since R2010 counted by 97, as are the sources of a path, which are named by 330. */
  fitCount(): number {
    return this.codes[this.at + 1] === 330 ? 0 : this.optional(97, 0);
  }

  /** So many points, as far as they are there. */
  points(count: number, code: number): P2[] {
    const out: P2[] = [];
    while (out.length < count && this.peek() === code) out.push(this.point(code));
    return out;
  }
}

function polylinePath(data: PathData): Chain | null {
  data.optional(72, 0);
  const closed = data.optional(73, 1) === 1;
  const count = data.take(93);
  const points: P2[] = [];
  const bulges: number[] = [];
  while (points.length < count && data.peek() === 10) {
    points.push(data.point(10));
    bulges.push(data.optional(42, 0));
  }
  if (points.length !== count) return null;
  return points.length > 1 ? bulged(points, bulges, closed) : { segments: [], closed };
}

function edgePath(data: PathData): Chain | null {
  const count = data.take(93);
  const segments: Segment[] = [];
  for (let k = 0; k < count; k++) {
    const edge = edgeOf(data, data.take(72));
    if (!edge) return null;
    segments.push(...edge);
  }
  return Number.isNaN(count) ? null : { segments, closed: true };
}

/** An edge by its type: 1 line, 2 arc of a circle, 3 of an ellipse, 4 spline; null for others. */
function edgeOf(data: PathData, type: number): Segment[] | null {
  if (type === 1) return [{ kind: 'line', a: data.point(10), b: data.point(11) }];
  if (type === 2 || type === 3) return [roundEdge(data, type === 3)];
  return type === 4 ? splineEdge(data) : null;
}

function roundEdge(data: PathData, ellipse: boolean): Segment {
  const centre = data.point(10);
  const major = ellipse ? data.point(11) : null;
  const size = data.take(40);
  const from = data.take(50) * degrees;
  const to = data.take(51) * degrees;
  // Turning clockwise, angles are counted clockwise.
  const sign = data.optional(73, 1) === 1 ? 1 : -1;
  const [start, sweep] = [sign * from, sign * ahead(from, to)];
  return major ? { kind: 'ellipse', centre, u: major, ratio: size, start, sweep } : { kind: 'arc', centre, radius: size, start, sweep };
}

function splineEdge(data: PathData): Segment[] | null {
  const degree = data.take(94);
  const rational = data.optional(73, 0) === 1;
  data.optional(74, 0);
  const [knotCount, pointCount] = [data.take(95), data.take(96)];
  const knots: number[] = [];
  while (knots.length < knotCount && data.peek() === 40) knots.push(data.take(40));
  const points: P2[] = [];
  const weights: number[] = [];
  while (points.length < pointCount && data.peek() === 10) {
    points.push(data.point(10));
    weights.push(data.optional(42, 1));
  }
  // Points that it was fitted through, with the directions at its ends.
  const fit = data.points(data.fitCount(), 11);
  const [start, end] = [12, 13].map((code) => (data.peek() === code ? data.point(code) : null));
  if (points.length === 0 && fit.length > 1) return throughPoints(fit, start, end);
  const curve = splineBy(degree, knots, points, rational ? weights : []);
  return curve && [curve];
}
