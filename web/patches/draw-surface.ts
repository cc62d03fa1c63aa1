import { inksOf, type Inks } from './inks.ts';
import type { Seen } from './seen.ts';

/** What of a surface is drawn. */
export interface Shown {
  triangles: ArrayLike<number>;
  /** The colour of a triangle under some light. */
  colour: (inks: Inks, triangle: number, light: number) => string;
  /** For each triangle which of its edges are drawn: bits 1, 2 and 4. */
  rims: Uint8Array;
  /** Ways that are drawn over it: a dot at each place, a line from one to the next. */
  ways: readonly (readonly (readonly number[])[])[];
  /** Where a round brush was put: places and radii in the part's own numbers. */
  /** Edges that stand out, as ways through places. */
  edges: readonly (readonly (readonly number[])[])[];
  dabs: readonly { at: readonly number[]; radius: number }[];
}

/** Draws a surface as it is seen, what is drawn by hand over it. */
export function drawSurface(pen: CanvasRenderingContext2D, seen: Seen, { triangles, colour, rims, ways, edges, dabs }: Shown): void {
  const inks = inksOf(pen.canvas);
  const { points, order, light } = seen;
  for (const t of order) {
    const [a, b, c] = [triangles[t * 3] * 2, triangles[t * 3 + 1] * 2, triangles[t * 3 + 2] * 2];
    pen.fillStyle = pen.strokeStyle = colour(inks, t, light[t]);
    pen.beginPath();
    pen.moveTo(points[a], points[a + 1]);
    pen.lineTo(points[b], points[b + 1]);
    pen.lineTo(points[c], points[c + 1]);
    pen.closePath();
    pen.fill();
    // Without its own edge a hair of the page would show between two triangles.
    pen.lineWidth = 0.6;
    pen.stroke();
    if (rims[t] === 0) continue;
    pen.strokeStyle = inks.ink;
    pen.lineWidth = 1.8;
    pen.beginPath();
    for (const [bit, from, to] of [
      [1, a, b],
      [2, b, c],
      [4, c, a],
    ]) {
      if (!(rims[t] & bit)) continue;
      pen.moveTo(points[from], points[from + 1]);
      pen.lineTo(points[to], points[to + 1]);
    }
    pen.stroke();
  }
  pen.strokeStyle = pen.fillStyle = `rgb(${inks.shorter.join(',')})`;
  const through = (places: readonly (readonly [number, number])[]) => {
    pen.beginPath();
    places.forEach(([x, y], i) => (i === 0 ? pen.moveTo(x, y) : pen.lineTo(x, y)));
    pen.stroke();
  };
  pen.lineWidth = 5;
  for (const edge of edges) through(edge.map(seen.put));
  pen.lineWidth = 2.4;
  for (const way of ways) {
    const places = way.map(seen.put);
    through(places);
    for (const [x, y] of places) {
      pen.beginPath();
      pen.arc(x, y, 4.5, 0, 2 * Math.PI);
      pen.fill();
    }
  }
  pen.fillStyle = `rgba(${inks.shorter.join(',')},0.22)`;
  pen.beginPath();
  for (const { at, radius } of dabs) {
    const [x, y] = seen.put(at);
    pen.moveTo(x + radius * seen.scale, y);
    pen.arc(x, y, radius * seen.scale, 0, 2 * Math.PI);
  }
  pen.fill();
}
