import { curveAt } from './curves.ts';
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
 * triangles); to both sides, a saddle: area times sqrt(|k1 k2|) / (4.472 d). Asymptotic, so small counts are a guide only. The
 * curvature of free-form faces is taken from `facets`.
 * Source: Pottmann, Krasauskas, Hamann, Joy and Seibold, On piecewise linear approximation of quadratic functions, 2000.
 */
export function leastTriangles(solid: ExactSolid, facets: { positions: Float64Array; triangles: Uint32Array; starts: Uint32Array }, d: number): number {
  let total = 0;
  solid.faces.forEach((face, f) => {
    if (wayOf(face) === 'flat') {
      const segments = face.edges.reduce((sum, edge) => sum + segmentsOf(edge, d), 0);
      total += Math.max(1, segments + 2 * (face.loops - 1) - 2);
    } else if (wayOf(face) === 'oneWay') total += 2 * Math.max(1, stripsOf(face, d));
    else total += Math.max(2, bothWaysOf(face, facets, f, d));
  });
  return Math.ceil(total);
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
    if (curvature > 1e-9) steps += (length * curvature) / (2 * Math.acos(Math.max(-1, 1 - Math.min(2, d * curvature))));
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
    } else sum += area * 0;
  }
  if (sum === 0) sum = bendOf(facets, f);
  return sum / (oneSided * d);
}

/** Integral of sqrt(|k1 k2|) over a free-form face, from how its own facets turn against each other; saddles count for less. */
function bendOf(facets: { positions: Float64Array; triangles: Uint32Array; starts: Uint32Array }, f: number): number {
  const edges = new Map<string, number>();
  const from = facets.starts[f];
  const to = facets.starts[f + 1];
  const normals: Vec3[] = [];
  const areas: number[] = [];
  let sum = 0;
  for (let i = from; i < to; i++) {
    const [a, b, c] = [0, 1, 2].map((k) => cornerOf(facets, i, k));
    const n = cross(sub(b, a), sub(c, a));
    const size = lengthOf(n) || 1;
    normals.push([n[0] / size, n[1] / size, n[2] / size]);
    areas.push(size / 2);
  }
  const bends = areas.map(() => [] as number[]);
  for (let i = from; i < to; i++) {
    for (let k = 0; k < 3; k++) {
      const v = facets.triangles[i * 3 + k];
      const w = facets.triangles[i * 3 + ((k + 1) % 3)];
      const key = v < w ? `${v}/${w}` : `${w}/${v}`;
      const other = edges.get(key);
      if (other === undefined) {
        edges.set(key, i - from);
        continue;
      }
      const across = sub(cornerOf(facets, i, (k + 2) % 3), cornerOf(facets, i, k));
      // Above zero where the surface bends away from its normal, below where it bends towards it.
      const turn = Math.acos(Math.min(1, dot(normals[other], normals[i - from]))) * (dot(normals[other], across) > 0 ? -1 : 1);
      const reach = Math.sqrt((areas[other] + areas[i - from]) * 0.7) || 1;
      bends[other].push(turn / reach);
      bends[i - from].push(turn / reach);
    }
  }
  areas.forEach((area, i) => {
    const sorted = bends[i].sort((a, b) => Math.abs(b) - Math.abs(a));
    if (sorted.length < 2) return;
    const [most, least] = [sorted[0], sorted[sorted.length - 1]];
    sum += (area * Math.sqrt(Math.abs(most * least)) * (most * least < 0 ? oneSided : 1)) / (most * least < 0 ? saddle : 1);
  });
  return sum;
}

function cornerOf(facets: { positions: Float64Array; triangles: Uint32Array }, i: number, k: number): Vec3 {
  const v = facets.triangles[i * 3 + k] * 3;
  return [facets.positions[v], facets.positions[v + 1], facets.positions[v + 2]];
}
