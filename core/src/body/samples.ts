import { curveAt } from '../surfaces/curves.ts';
import { spanPlaces } from '../surfaces/span-places.ts';
import { surfaceAt } from '../surfaces/surfaces.ts';
import type { Body } from './body.ts';
import { polygonBox } from './extent.ts';
import { smoothPieces } from './trace.ts';
import { liesIn, type Piece, type Trim } from './trim.ts';

/** Places on each edge, and each way on each face, that are taken. */
const onEdges = 9;
const onFaces = 8;
/** Places each way that are taken from the spans of a spline. */
const onSpans = 12;
/** Chords of a smooth piece of an edge; places nearer to the outline than this share of a face's width are left out: chords are not quite where edges are. */
const chords = 8;
const rim = 0.01;

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
    const polygons = loops.map(chordsOf);
    const [u0, u1, v0, v1] = polygonBox(polygons[0]);
    // In shares of the face's width both ways.
    for (const p of polygons) {
      for (let i = 0; i < p.length; i += 2) {
        p[i] = (p[i] - u0) / (u1 - u0 || 1);
        p[i + 1] = (p[i + 1] - v0) / (v1 - v0 || 1);
      }
    }
    const places = spanPlaces(on.surface, [on.uPeriod, on.vPeriod]);
    const look = (across: readonly number[], up: readonly number[]) => {
      for (const x of across) {
        for (const y of up) {
          if (liesIn(polygons, [0, 0], x, y) && fromRim(polygons, x, y) > rim) out.push(...surfaceAt(on.surface, u0 + x * (u1 - u0), v0 + y * (v1 - v0)).at);
        }
      }
    };
    look(evenly, evenly);
    // Where knots stand close there may be more to be passed.
    if (places) {
      look(
        thinned(places.u, (u) => (u - u0) / (u1 - u0 || 1)),
        thinned(places.v, (v) => (v - v0) / (v1 - v0 || 1)),
      );
    }
  }
  return Float64Array.from(out);
}

const evenly = Array.from({ length: onFaces }, (_, i) => (i + 0.5) / onFaces);

/** Some of the places in spans, in shares of a face's width; even ones along which a profile is swept. */
function thinned(list: Float64Array | null, share: (x: number) => number): readonly number[] {
  if (!list) return evenly;
  const n = Math.min(list.length, onSpans);
  return Array.from({ length: n }, (_, i) => share(list[Math.floor(((i + 0.5) * list.length) / n)]));
}

/** A loop in the parameter plane by chords: some for each smooth piece of an edge. */
function chordsOf(loop: readonly Piece[]): Float64Array {
  const out: number[] = [];
  const at = new Float64Array(4);
  for (const { trace, begin, turned, du, dv } of loop) {
    out.push(...begin);
    if (!trace || trace.straight) continue;
    const cuts = smoothPieces(trace.curve, trace.from, trace.to);
    const places = cuts.slice(1).flatMap((to, i) => Array.from({ length: chords }, (_, k) => cuts[i] + ((to - cuts[i]) * (k + 1)) / chords));
    places.pop();
    if (turned) places.reverse();
    for (const t of places) {
      trace.at(t, at);
      out.push(at[0] + du, at[1] + dv);
    }
  }
  return Float64Array.from(out);
}

/** Distance of a place from the nearest chord. */
function fromRim(polygons: readonly Float64Array[], x: number, y: number): number {
  let near = Infinity;
  for (const p of polygons) {
    for (let i = 0, j = p.length - 2; i < p.length; j = i, i += 2) {
      const [dx, dy] = [p[i] - p[j], p[i + 1] - p[j + 1]];
      const long = dx * dx + dy * dy;
      const s = long > 0 ? Math.max(0, Math.min(1, ((x - p[j]) * dx + (y - p[j + 1]) * dy) / long)) : 0;
      near = Math.min(near, Math.hypot(x - p[j] - s * dx, y - p[j + 1] - s * dy));
    }
  }
  return near;
}
