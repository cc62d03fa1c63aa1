import { add, dot, scaled, type Vec3 } from '../geometry/vector.ts';
import { alongRay } from '../geometry/bvh/ray.ts';
import { heightOver, lengthOfCross, normalAt, type Topology } from './topology.ts';

/** What was measured of a sheet's thickness. Lengths in mm. */
export interface Thickness {
  value: number;
  /** Largest less smallest distance over all facing pairs of the sheet. */
  spread: number;
  /** Share of each face's area that has the other side of the sheet behind it (0 to 1). */
  paired: Float64Array;
  /** The faces behind each face, at the thickness. */
  behind: Set<number>[];
  /** Smallest and largest distance to a facing face behind each face, at any distance; NaN when none faces it. */
  least: Float64Array;
  most: Float64Array;
  /** Area on sheet-like pairs as a share of the whole area. */
  share: number;
  /** The same with other sides at any distance. */
  facing: number;
}

/** Facing means normals opposed within this cosine (2.5 degrees): a tapered wall still counts as facing, and shows in the spread. */
const opposed = -0.999;
/** The window in which the commonest distance is looked for, as a share of it. */
export const thicknessShare = 0.02;
/** Points on a face: by its share of the area, within these. */
const mostSamples = 48;
const fewestSamples = 6;
const allSamples = 4000;
/** How far from its point a ray begins, as a share of the part's diagonal. */
const clearShare = 1e-6;

/** A ray through the material: the face it begins on, the one behind, how far that is (mm), and the area it stands for. */
interface Through {
  face: number;
  behind: number;
  distance: number;
  weight: number;
}

/** How much a body is like a sheet. */
export interface SheetLike {
  samples: Through[];
  /** The distance that most of the area shares, mm; NaN where nothing faces anything. */
  value: number;
  /** Share of the thickness within which a distance counts as it. */
  tolerance: number;
  /** Of all its faces, mm2. */
  area: number;
  /** Area on pairs at that distance, and at any, as shares of the whole area. */
  share: number;
  facing: number;
}

/**
 * Measures the distance through the material from points of every flat, cylindrical and conical face of a body, along the normal, to the
 * face behind; exact where both have closed forms. The thickness is the distance that most of the area shares.
 * @param faces of the body.
 * @param tolerance share of the thickness within which a distance counts as it.
 */
export function sheetLike(top: Topology, faces: readonly number[], tolerance = thicknessShare): SheetLike {
  const clear = top.diagonal * clearShare;
  const samples: Through[] = [];
  const area = faces.reduce((sum, f) => sum + top.faces[f].area, 0);
  for (const f of faces) {
    const face = top.faces[f];
    if (!['plane', 'cylinder', 'cone'].includes(face.surface.kind)) continue;
    const wanted = Math.max(fewestSamples, Math.min(mostSamples, Math.ceil((allSamples * face.area) / area)));
    for (const { p, weight } of pointsOn(top, f, wanted)) {
      const found = faceBehind(top, f, p, clear);
      if (found) samples.push({ face: f, behind: found.face, distance: found.distance, weight });
    }
  }
  const value = commonest(samples);
  const share = (some: readonly Through[]) => (area > 0 ? some.reduce((sum, s) => sum + s.weight, 0) / area : 0);
  const like = { samples, value, tolerance, area };
  return { ...like, share: share(samples.filter((s) => isSheet(like, s))), facing: share(samples) };
}

const isSheet = ({ value, tolerance }: Pick<SheetLike, 'value' | 'tolerance'>, s: Through): boolean => Math.abs(s.distance - value) <= tolerance * value;

/** The thickness of a body face by face. */
export function thicknessOf(top: Topology, like: SheetLike): Thickness {
  const { samples, value, share, facing } = like;
  const n = top.faces.length;
  const paired = new Float64Array(n);
  const behind = Array.from({ length: n }, () => new Set<number>());
  const least = new Float64Array(n).fill(NaN);
  const most = new Float64Array(n).fill(NaN);
  for (const s of samples) {
    least[s.face] = Math.min(Number.isNaN(least[s.face]) ? Infinity : least[s.face], s.distance);
    most[s.face] = Math.max(Number.isNaN(most[s.face]) ? -Infinity : most[s.face], s.distance);
    if (!isSheet(like, s)) continue;
    // The samples of a face stand for all of its area.
    paired[s.face] += s.weight / top.faces[s.face].area;
    behind[s.face].add(s.behind);
  }
  const ofSheet = samples.filter((s) => paired[s.face] >= 0.5 && isSheet(like, s));
  return { value, spread: spreadOf(ofSheet), paired, behind, least, most, share, facing };
}

/** Largest less smallest distance; 0 of none. */
function spreadOf(samples: readonly { distance: number }[]): number {
  let [low, high] = [Infinity, -Infinity];
  for (const s of samples) [low, high] = [Math.min(low, s.distance), Math.max(high, s.distance)];
  return high >= low ? high - low : 0;
}

/** Points spread over a face with the area that each stands for, put onto the exact surface. */
function pointsOn(top: Topology, f: number, wanted: number): { p: Vec3; weight: number }[] {
  const face = top.faces[f];
  const { positions, triangles } = top.mesh;
  const out: { p: Vec3; weight: number }[] = [];
  const many = face.triangles.length * spots.length > wanted;
  const stride = many ? Math.max(1, Math.floor(face.triangles.length / wanted)) : 1;
  const shares = many ? [spots[0]] : spots;
  for (let i = 0; i < face.triangles.length; i += stride) {
    const t = face.triangles[i];
    const weight = lengthOfCross(top.mesh, t) / 2 / shares.length;
    if (weight === 0) continue;
    for (const share of shares) {
      let p: Vec3 = [0, 0, 0];
      for (let k = 0; k < 3; k++) {
        const v = triangles[t * 3 + k] * 3;
        p = [p[0] + positions[v] * share[k], p[1] + positions[v + 1] * share[k], p[2] + positions[v + 2] * share[k]];
      }
      const height = heightOver(face, p) ?? 0;
      out.push({ p: height === 0 ? p : add(p, scaled(normalAt(top, f, p), -height)), weight });
    }
  }
  // Samples stand for the triangles that were passed over, too.
  const sum = out.reduce((n, s) => n + s.weight, 0);
  for (const s of out) s.weight *= face.area / sum;
  return out;
}

const spots = [
  [1 / 3, 1 / 3, 1 / 3],
  [0.7, 0.15, 0.15],
  [0.15, 0.7, 0.15],
  [0.15, 0.15, 0.7],
];

/** The face that a ray into the material meets first, when it faces the other way. */
function faceBehind(top: Topology, f: number, p: Vec3, clear: number): { face: number; distance: number } | null {
  const n = normalAt(top, f, p);
  let hit = -1;
  let at = Infinity;
  alongRay(top.bvh, { from: p, along: scaled(n, -1), start: clear, end: top.diagonal * 2 }, (t, triangle) => {
    if (t < at && top.faceOf[triangle] !== f) {
      at = t;
      hit = top.faceOf[triangle];
    }
    return at === Infinity ? top.diagonal * 2 : at;
  });
  if (hit < 0 || hit === f) return null;
  const there = add(p, scaled(n, -at));
  if (dot(n, normalAt(top, hit, there)) > opposed) return null;
  const height = heightOver(top.faces[hit], p);
  return { face: hit, distance: height === null ? at : -height };
}

/** The middle of the window of 2 % that holds most weight; weighted mean inside it. */
function commonest(samples: { distance: number; weight: number }[]): number {
  const sorted = samples.filter((s) => s.distance > 0).sort((a, b) => a.distance - b.distance);
  let best = 0;
  let from = 0;
  let sum = 0;
  let pick = 0;
  for (let to = 0, start = 0; to < sorted.length; to++) {
    sum += sorted[to].weight;
    while (sorted[start].distance < sorted[to].distance * (1 - thicknessShare)) sum -= sorted[start++].weight;
    if (sum > best) {
      best = sum;
      from = start;
      pick = to;
    }
  }
  if (best === 0) return NaN;
  // The weighted median: a single odd pair does not shift it.
  const inside = sorted.slice(from, pick + 1);
  let half = inside.reduce((n, s) => n + s.weight, 0) / 2;
  for (const s of inside) if ((half -= s.weight) <= 0) return s.distance;
  return inside[inside.length - 1].distance;
}
