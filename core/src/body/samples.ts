import { curveAt } from '../surfaces/curves.ts';
import { surfaceAt } from '../surfaces/surfaces.ts';
import type { Body } from './body.ts';
import { liesIn, polygonOf, type Trim } from './trim.ts';

/** Places on each edge, and each way on each face, that are taken. */
const onEdges = 9;
const onFaces = 8;

/**
 * Points of a body's surface, spread over every edge and every face: whatever claims to be that body has to pass them. They come from the curves and surfaces
 * themselves, by no facets.
 * @returns x, y, z of each, mm
 * @example samplesOf(body, trims).length / 3
 */
export function samplesOf(body: Body, trims: readonly Trim[]): Float64Array {
  const out: number[] = [];
  for (const p of body.points) out.push(...p);
  for (const { curve, from, to } of body.edges) {
    for (let i = 1; i < onEdges; i++) out.push(...curveAt(curve, from + ((to - from) * i) / onEdges, 1).at);
  }
  for (const { on, loops } of trims) {
    const polygons = loops.map(polygonOf);
    const [u0, u1, v0, v1] = rangeOf(polygons[0]);
    for (let i = 0; i < onFaces; i++) {
      for (let j = 0; j < onFaces; j++) {
        const u = u0 + ((u1 - u0) * (i + 0.5)) / onFaces;
        const v = v0 + ((v1 - v0) * (j + 0.5)) / onFaces;
        if (liesIn(polygons, [0, 0], u, v)) out.push(...surfaceAt(on.surface, u, v).at);
      }
    }
  }
  return Float64Array.from(out);
}

function rangeOf(p: Float64Array): [number, number, number, number] {
  const range: [number, number, number, number] = [Infinity, -Infinity, Infinity, -Infinity];
  for (let i = 0; i < p.length; i += 2) {
    range[0] = Math.min(range[0], p[i]);
    range[1] = Math.max(range[1], p[i]);
    range[2] = Math.min(range[2], p[i + 1]);
    range[3] = Math.max(range[3], p[i + 1]);
  }
  return range;
}
