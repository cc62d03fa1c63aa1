import { Bend } from './bend.ts';
import { curveAt } from './curves.ts';
import { Nearest } from './nearest.ts';
import type { Surface } from './surfaces.ts';
import type { ExactEdge, ExactFace, ExactSolid } from './brep-text.ts';
import { cross, dot, lengthOf, sub, type Vec3 } from '../geometry/vector.ts';
import { presets, type Preset } from './presets.ts';

/** The surfaces found in a solid, counted by how they curve. */
export interface Survey {
  flat: number;
  oneWay: number;
  bothWays: number;
  /** Smallest radius of the round faces, mm; null when there is none. */
  smallestRadius: number | null;
  largestRadius: number | null;
  /** Thickness of what looks like folded sheet, mm; absent or null when it does not. */
  sheet?: number | null;
  /** What a bent tube or bar is called; absent or null when it is none. */
  tube?: string | null;
}

type Way = 'flat' | 'oneWay' | 'bothWays';

/** Counts faces that are flat, round one way (can be unrolled) and round both ways. */
export function surveySolid(solid: ExactSolid): Survey {
  const survey: Survey = { flat: 0, oneWay: 0, bothWays: 0, smallestRadius: null, largestRadius: null };
  for (const face of solid.faces) {
    survey[wayOf(face)]++;
    for (const r of radiiOf(face)) {
      survey.smallestRadius = Math.min(survey.smallestRadius ?? Infinity, r);
      survey.largestRadius = Math.max(survey.largestRadius ?? 0, r);
    }
  }
  return survey;
}

export function wayOf(face: ExactFace): Way {
  switch (face.surface.kind) {
    case 'plane':
      return 'flat';
    case 'cylinder':
    case 'cone':
    case 'extrusion':
      return 'oneWay';
    default:
      return 'bothWays';
  }
}

function radiiOf(face: ExactFace): number[] {
  const s = face.surface;
  if (s.kind === 'cylinder' || s.kind === 'sphere') return [s.r];
  if (s.kind === 'torus') return [s.minor];
  return [];
}

/** The preset that suits a solid, with the reason in words. Common practice, no source. */
export function recommend(survey: Survey): { preset: Preset; reason: string } {
  const [flat, oneWay, bothWays] = presets;
  const count = (n: number, one: string, many: string) => `${n} ${n === 1 ? one : many}`;
  if (survey.bothWays > 0) {
    return { preset: bothWays, reason: `${count(survey.bothWays, 'face is', 'faces are')} round both ways: facets show there first.` };
  }
  if (survey.oneWay > 0) {
    return { preset: oneWay, reason: `${count(survey.oneWay, 'face is', 'faces are')} round one way and none both ways: a finer mesh is only heavier.` };
  }
  return { preset: flat, reason: 'All faces are flat: any choice gives the same exact facets.' };
}

/**
 * The least number of triangles that could keep a deviation of d mm, a figure to hold a real mesh against.
 * Flat faces: n - 2 triangles for n boundary segments, 2 more a hole. Round one way: two triangles a strip.
 * Round both ways to one side: area times sqrt(k1 k2) / (2.598 d), which gives 4.84 r / d for a sphere (inscribed equilateral
 * triangles); to both sides, a saddle: area times sqrt(|k1 k2|) / (4.472 d). Asymptotic, so small counts are a guide only; but never
 * fewer than the chords of its outline ask for. The curvature of free-form faces is that of the surface beside each of `facets`.
 * Source: Pottmann, Krasauskas, Hamann, Joy and Seibold, On piecewise linear approximation of quadratic functions, 2000.
 */
export function leastTriangles(solid: ExactSolid, facets: { positions: Float64Array; triangles: Uint32Array; starts: Uint32Array }, d: number): number {
  let total = 0;
  solid.faces.forEach((face, f) => {
    if (wayOf(face) === 'flat') total += Math.max(1, outlineOf(face, d));
    else if (wayOf(face) === 'oneWay') total += 2 * Math.max(1, stripsOf(face, d));
    else total += Math.max(2, bothWaysOf(face, facets, f, d), outlineOf(face, d));
  });
  return Math.ceil(total);
}

/** Triangles of a face that its chords alone ask for: n - 2 for a polygon of n corners, 2 more for each hole. Seams, which both sides of are this face's, need no chords. */
function outlineOf(face: ExactFace, d: number): number {
  const uses = new Map<number, number>();
  for (const { id } of face.edges) uses.set(id, (uses.get(id) ?? 0) + 1);
  return face.edges.reduce((sum, edge) => sum + (uses.get(edge.id) === 1 ? segmentsOf(edge, d) : 0), 0) + 2 * (face.loops - 1) - 2;
}

/** Fewest chords that keep a curve within d: each step turns by 2 acos(1 - d k). Source: sagitta of a chord. */
function segmentsOf(edge: ExactEdge, d: number): number {
  if (!edge.curve) return 0;
  if (edge.curve.kind === 'line') return 1;
  return Math.max(1, Math.ceil(turnSteps(edge, d) - 1e-6));
}

function turnSteps(edge: ExactEdge, d: number): number {
  const pieces = 48;
  let steps = 0;
  for (let i = 0; i < pieces; i++) {
    const u = edge.from + ((edge.to - edge.from) * (i + 0.5)) / pieces;
    const p = curveAt(edge.curve!, u);
    const speed = lengthOf(p.d1);
    if (!(speed > 0)) continue;
    const curvature = lengthOf(cross(p.d1, p.d2)) / speed ** 3;
    const length = (speed * Math.abs(edge.to - edge.from)) / pieces;
    if (curvature > 1e-9) steps += (length * curvature) / (4 * Math.asin(Math.sqrt(Math.min(1, (d * curvature) / 2))));
  }
  return steps;
}

/** Strips of a face round one way: the most that any one of its edges needs. */
function stripsOf(face: ExactFace, d: number): number {
  let most = 1;
  for (const edge of face.edges) if (edge.curve && edge.curve.kind !== 'line') most = Math.max(most, segmentsOf(edge, d));
  return most;
}

/** Area of the largest triangle that keeps a deviation of 1, in units of 1 / sqrt(|K|): 3 sqrt(3) / 2 where all curves go one way, 2 sqrt(5) on a saddle. */
const oneSided = 2.598;
const saddle = 4.472;

function bothWaysOf(face: ExactFace, facets: { positions: Float64Array; triangles: Uint32Array; starts: Uint32Array }, f: number, d: number): number {
  const s = face.surface;
  let sum = 0;
  for (let i = facets.starts[f]; i < facets.starts[f + 1]; i++) {
    const [a, b, c] = [0, 1, 2].map((k) => cornerOf(facets, i, k));
    const n = cross(sub(b, a), sub(c, a));
    const area = lengthOf(n) / 2;
    if (s.kind === 'sphere') sum += area / s.r;
    else if (s.kind === 'torus') {
      // Inside the middle of the tube the torus is a saddle.
      const middle = [0, 1, 2].map((k) => (a[k] + b[k] + c[k]) / 3 - s.frame.at[k]) as Vec3;
      const h = dot(middle, s.frame.z);
      const rho = Math.sqrt(Math.max(0, dot(middle, middle) - h * h));
      const bend = area * Math.sqrt(Math.abs((rho - s.major) / (s.minor * s.minor * Math.max(rho, 1e-9))));
      sum += rho < s.major ? (bend * oneSided) / saddle : bend;
    }
  }
  if (s.kind !== 'sphere' && s.kind !== 'torus') sum = bendOf(s, facets, f, d);
  return sum / (oneSided * d);
}

/** A strip all along a face of length L has two triangles: as many as this times d / L² for the lesser curvature would give. */
const stripShare = 3.37;

/**
 * Integral of sqrt(|k1 k2|) over a free-form face: its curvature beside the middle of each facet, by the facet's area; saddles count for less. Where a face is all but
 * straight one way its facets can't be longer than it is.
 */
function bendOf(surface: Surface, facets: { positions: Float64Array; triangles: Uint32Array; starts: Uint32Array }, f: number, d: number): number {
  const near = new Nearest(surface);
  const bend = new Bend(surface);
  const straight = (stripShare * d) / sizeSquared(facets, f);
  let sum = 0;
  for (let i = facets.starts[f]; i < facets.starts[f + 1]; i++) {
    const [a, b, c] = [0, 1, 2].map((k) => cornerOf(facets, i, k));
    near.find((a[0] + b[0] + c[0]) / 3, (a[1] + b[1] + c[1]) / 3, (a[2] + b[2] + c[2]) / 3);
    const at = near.parameters();
    if (!at) return 0;
    bend.look(at[0], at[1]);
    const gauss = bend.most * (Math.abs(bend.least) < straight ? straight * Math.sign(bend.most) : bend.least);
    sum += (lengthOf(cross(sub(b, a), sub(c, a))) / 2) * Math.sqrt(Math.abs(gauss)) * (gauss < 0 ? oneSided / saddle : 1);
  }
  return sum;
}

/** Squared diagonal of the box of a face's facets, mm². */
function sizeSquared({ positions, triangles, starts }: { positions: Float64Array; triangles: Uint32Array; starts: Uint32Array }, f: number): number {
  let sum = 0;
  for (let k = 0; k < 3; k++) {
    let [low, high] = [Infinity, -Infinity];
    for (let i = 3 * starts[f]; i < 3 * starts[f + 1]; i++) {
      const x = positions[3 * triangles[i] + k];
      low = Math.min(low, x);
      high = Math.max(high, x);
    }
    sum += (high - low) ** 2;
  }
  return sum;
}

function cornerOf(facets: { positions: Float64Array; triangles: Uint32Array }, i: number, k: number): Vec3 {
  const v = facets.triangles[i * 3 + k] * 3;
  return [facets.positions[v], facets.positions[v + 1], facets.positions[v + 2]];
}
