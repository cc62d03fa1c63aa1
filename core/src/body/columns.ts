import { findSpan, slopesAt, type Knots } from '../surfaces/nurbs.ts';
import type { BsplineSurface } from '../surfaces/surfaces.ts';
import type { Rule } from './quadrature.ts';

const uBasis = new Float64Array(3 * 32);
const vBasis = new Float64Array(3 * 32);

/**
 * Points and tangents of a B-spline surface along one line of constant u after another: the poles are summed over u once for the line, and what v needs at the
 * points of a rule in a whole knot span is kept. Source: The NURBS Book, 2nd edition, algorithm A4.3 taken apart.
 * @example const line = new SplineColumns(surface, gaussRule(6)); line.at(0.3); line.inSpan(line.spanOf(0.7), 2); line.point
 */
export class SplineColumns {
  /** Point and tangents of what was asked for last: x, y, z of each. */
  readonly point = new Float64Array(9);
  private readonly s: BsplineSurface;
  private readonly rule: Rule;
  /** By v: point and derivative by u of the summed poles, four numbers each. */
  private readonly line: Float64Array;
  private readonly kept = new Map<number, Float64Array>();
  private readonly alongU: Knots;
  private readonly alongV: Knots;

  constructor(surface: BsplineSurface, rule: Rule) {
    this.s = surface;
    this.alongU = { knots: surface.uKnots, degree: surface.uDegree };
    this.alongV = { knots: surface.vKnots, degree: surface.vDegree };
    this.rule = rule;
    this.line = new Float64Array(surface.vCount * 8);
  }

  /** Goes to the line of constant u. */
  at(u: number): void {
    const { s, line } = this;
    const { uDegree, uCount, vCount, poles, weights } = s;
    const span = findSpan(s.uKnots, uDegree, uCount, u);
    slopesAt(this.alongU, span, u, uBasis);
    line.fill(0);
    for (let i = 0; i <= uDegree; i++) {
      const [b, d] = [uBasis[i], uBasis[uDegree + 1 + i]];
      const row = (span - uDegree + i) * vCount;
      for (let j = 0; j < vCount; j++) {
        const w = weights ? weights[row + j] : 1;
        const p = (row + j) * 3;
        const o = j * 8;
        const [bw, dw] = [b * w, d * w];
        for (let k = 0; k < 3; k++) {
          line[o + k] += bw * poles[p + k];
          line[o + 4 + k] += dw * poles[p + k];
        }
        line[o + 3] += bw;
        line[o + 7] += dw;
      }
    }
  }

  /** The knot span in which v lies. */
  spanOf(v: number): number {
    return findSpan(this.s.vKnots, this.s.vDegree, this.s.vCount, v);
  }

  /** The rule's i-th point of a whole knot span. */
  inSpan(span: number, i: number): void {
    const { s, rule } = this;
    const order = s.vDegree + 1;
    let table = this.kept.get(span);
    if (!table) {
      table = new Float64Array(rule.at.length * 2 * order);
      const [from, to] = [s.vKnots[span], s.vKnots[span + 1]];
      for (let k = 0; k < rule.at.length; k++) {
        slopesAt(this.alongV, span, from + rule.at[k] * (to - from), vBasis);
        table.set(vBasis.subarray(0, 2 * order), k * 2 * order);
      }
      this.kept.set(span, table);
    }
    this.sum(span, table, i * 2 * order);
  }

  /** Any v. */
  anywhere(v: number): void {
    const span = this.spanOf(v);
    slopesAt(this.alongV, span, v, vBasis);
    this.sum(span, vBasis, 0);
  }

  private sum(span: number, basis: Float64Array, o: number): void {
    const { line, point, s } = this;
    const order = s.vDegree + 1;
    let [x, y, z, w] = [0, 0, 0, 0];
    let [xu, yu, zu, wu] = [0, 0, 0, 0];
    let [xv, yv, zv, wv] = [0, 0, 0, 0];
    for (let j = 0; j < order; j++) {
      const b = basis[o + j];
      const d = basis[o + order + j];
      const l = (span - s.vDegree + j) * 8;
      x += b * line[l];
      y += b * line[l + 1];
      z += b * line[l + 2];
      w += b * line[l + 3];
      xu += b * line[l + 4];
      yu += b * line[l + 5];
      zu += b * line[l + 6];
      wu += b * line[l + 7];
      xv += d * line[l];
      yv += d * line[l + 1];
      zv += d * line[l + 2];
      wv += d * line[l + 3];
    }
    const n = 1 / w;
    point[0] = x * n;
    point[1] = y * n;
    point[2] = z * n;
    point[3] = (xu - wu * point[0]) * n;
    point[4] = (yu - wu * point[1]) * n;
    point[5] = (zu - wu * point[2]) * n;
    point[6] = (xv - wv * point[0]) * n;
    point[7] = (yv - wv * point[1]) * n;
    point[8] = (zv - wv * point[2]) * n;
  }
}
