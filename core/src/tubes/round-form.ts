import { surfaceAt, type BsplineSurface, type Surface } from '../surfaces/surfaces.ts';
import { cross, distance, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import { circleThrough } from '../geometry/circle.ts';

/** Lines of a surface looked at each way, and points on each. */
const lines = 7;
const perLine = 13;

/**
 * A B-spline as the plane, cylinder or ring (torus) that it is within a distance; other surfaces as they are.
 * Many programs write all surfaces as B-splines; a tube's bend is a ring whose circles of one size stand along a circle.
 * @param near mm of the surface's own numbers
 * @returns the surface, and how far its points lie from it at most
 * @example roundForm(face.surface, 1e-3).surface.kind // "torus"
 */
export function roundForm(surface: Surface, near: number): { surface: Surface; off: number } {
  if (surface.kind !== 'bspline') return { surface, off: 0 };
  const grid = gridOf(surface);
  const turnedGrid = grid[0].map((_, k) => grid.map((line) => line[k]));
  const ways = [() => asFlat(grid), () => asRound(grid, near), () => asRound(turnedGrid, near), () => asBent(grid, near), () => asBent(turnedGrid, near)];
  for (const way of ways) {
    const found = way();
    if (!found) continue;
    let off = 0;
    for (const line of grid) for (const p of line) off = Math.max(off, offOf(found, p));
    if (off <= near) return { surface: found, off };
  }
  return { surface, off: 0 };
}

/** Points of a B-spline, line by line. */
export function gridOf(s: BsplineSurface): Vec3[][] {
  const [u0, u1] = [s.uKnots[s.uDegree], s.uKnots[s.uCount]];
  const [v0, v1] = [s.vKnots[s.vDegree], s.vKnots[s.vCount]];
  return Array.from({ length: lines }, (_, i) =>
    Array.from({ length: perLine }, (_unused, k) => surfaceAt(s, u0 + ((u1 - u0) * i) / (lines - 1), v0 + ((v1 - v0) * k) / (perLine - 1)).at),
  );
}

const frameOf = (at: Vec3, z: Vec3, towards: Vec3) => {
  const x = unit(sub(towards, scaled(z, dot(towards, z))));
  return { at, x, y: cross(z, x), z };
};

function asFlat(grid: Vec3[][]): Surface | null {
  const [a, b, c] = [grid[0][0], grid[grid.length - 1][0], grid[0][grid[0].length - 1]];
  const n = cross(sub(b, a), sub(c, a));
  if (!(lengthOf(n) > 1e-12 * distance(a, b) * distance(a, c))) return null;
  return { kind: 'plane', frame: frameOf(a, unit(n), sub(b, a)) };
}

/** Circles of one size whose centres stand in a line (a cylinder) or along a circle (a ring). */
function asRound(grid: Vec3[][], near: number): Surface | null {
  const circles = [];
  for (const line of grid) {
    const n = line.length;
    const circle = circleThrough(line[0], line[(n - 1) >> 1], line[n - 2]);
    if (!circle || line.some((p) => Math.abs(distance(p, circle.centre) - circle.r) > near)) return null;
    circles.push(circle);
  }
  const r = circles[0].r;
  if (circles.some((c) => Math.abs(c.r - r) > near)) return null;
  const [first, middle, last] = [circles[0], circles[circles.length >> 1], circles[circles.length - 1]];
  const chord = distance(first.centre, middle.centre);
  if (chord <= near) return null;
  const about = circleThrough(first.centre, middle.centre, circles[circles.length - 2].centre);
  // Nearly in one line: the circle through the centres would be larger than anything that is bent.
  if (!about || about.r > 1e5 * (r + chord))
    return { kind: 'cylinder', r, frame: frameOf(first.centre, unit(sub(last.centre, first.centre)), sub(grid[0][0], first.centre)) };
  return { kind: 'torus', major: about.r, minor: r, frame: frameOf(about.centre, about.normal, sub(first.centre, about.centre)) };
}

/** Circles about one axis, whose size and height change along a line (a cylinder about the bend's axis, a cone or a flat side): the walls of a bent square tube. */
function asBent(grid: Vec3[][], near: number): Surface | null {
  const circles = grid.map((line) => circleThrough(line[0], line[(line.length - 1) >> 1], line[line.length - 2]));
  const [first, last] = [circles[0], circles[circles.length - 1]];
  if (!first || !last || Math.abs(first.r - last.r) > near) return null;
  const axis = sub(last.centre, first.centre);
  if (lengthOf(axis) <= near) return null;
  return { kind: 'cylinder', r: first.r, frame: frameOf(first.centre, unit(axis), sub(grid[0][0], first.centre)) };
}

/** How far a point lies from a surface with a closed form, mm. */
function offOf(s: Surface, p: Vec3): number {
  if (!('frame' in s)) return Infinity;
  const q = sub(p, s.frame.at);
  const h = dot(q, s.frame.z);
  if (s.kind === 'plane') return Math.abs(h);
  const rho = lengthOf(sub(q, scaled(s.frame.z, h)));
  if (s.kind === 'cylinder') return Math.abs(rho - s.r);
  if (s.kind === 'torus') return Math.abs(Math.hypot(rho - s.major, h) - s.minor);
  return Infinity;
}
