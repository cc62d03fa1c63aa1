import { groupedBy } from '../base/sets.ts';
import { cross, dot, type Vec3 } from '../geometry/vector.ts';
import type { ExactSolid } from './brep-text.ts';

/** Two distances count as one thickness within this share of it. Rounded figures of foreign exporters stay within. */
const same = 2e-3;
/** Directions count as one within this angle, rad. */
const square = 1e-4;
/** Faces looked at; a solid with more is no plain sheet part, and is not asked. */
const most = 4000;

interface Wall {
  n: Vec3;
  offset: number;
}

/**
 * The thickness of a solid that looks like folded sheet, mm; null when it does not: walls in at least two directions and round bends between them,
 * all of one thickness. A guess from planes and coaxial cylinders alone; unfolding measures it.
 * @param volume mm3 @param area mm2: twice the volume over the area comes near the thickness of a sheet, and tells a sheet from a thick block
 * @example sheetLike(readBrepText(brep), summary.volume, summary.area)
 */
export function sheetLike(solid: ExactSolid, volume: number, area: number): number | null {
  if (solid.faces.length > most || area <= 0 || volume <= 0) return null;
  const balls = corners(solid);
  const mean = (2 * volume) / area;
  const walls = planesOf(solid);
  for (const [thickness, { axes, inner }] of bendsOf(solid)) {
    // Edges take area that is no wall: the mean lies below the thickness, by half at most in narrow brackets.
    if (mean > thickness * 1.02 || mean < thickness * 0.5) continue;
    // A wall that goes round a corner both ways, with the radii of its bends, was drawn or moulded: sheet can't be folded so. A dimple has its own.
    const cornered = balls.some(([r, step]) => near(step, thickness) && inner.some((bend) => near(bend, r)));
    if (cornered) return null;
    const directions: Vec3[] = [];
    for (const n of wallsApart(walls, thickness)) if (directions.every((d) => 1 - Math.abs(dot(d, n)) > square)) directions.push(n);
    // The floor of a box with round corners hangs on no bend: it was moulded or printed.
    if (directions.length >= 2 && directions.every((n) => axes.some((a) => Math.abs(dot(a, n)) < 1e-3))) return thickness;
  }
  return null;
}

function planesOf(solid: ExactSolid): Wall[] {
  const walls: Wall[] = [];
  for (const { surface } of solid.faces) {
    if (surface.kind !== 'plane') continue;
    const { z, at } = surface.frame;
    // One of the two directions, so that both sides of a wall sort together.
    const turned = z[0] < -square || (Math.abs(z[0]) <= square && (z[1] < -square || (Math.abs(z[1]) <= square && z[2] < 0)));
    const n: Vec3 = turned ? [-z[0], -z[1], -z[2]] : z;
    walls.push({ n, offset: dot(n, at) });
  }
  return walls;
}

const near = (a: number, b: number): boolean => Math.abs(a - b) <= same * Math.max(a, b);

/** Pairs of spheres about one middle, by the smaller radius and the step to the next: walls that go round a corner both ways. */
function corners(solid: ExactSolid): [inner: number, step: number][] {
  const balls = solid.faces.flatMap(({ surface }) => (surface.kind === 'sphere' ? [surface] : []));
  const groups = groupedBy(balls, ({ frame }) => frame.at.map((v) => Math.round(v * 100)).join(' '));
  const pairs: [number, number][] = [];
  for (const group of groups.values()) {
    const radii = group.map((s) => s.r).sort((a, b) => a - b);
    for (let i = 1; i < radii.length; i++) pairs.push([radii[i - 1], radii[i] - radii[i - 1]]);
  }
  return pairs;
}

const keyOf = (n: Vec3): string => n.map((v) => Math.round(v * 1000)).join(' ');

/** Directions of pairs of planes so far apart. */
function wallsApart(walls: readonly Wall[], thickness: number): Vec3[] {
  const groups = groupedBy(walls, (w) => keyOf(w.n));
  const found: Vec3[] = [];
  for (const group of groups.values()) {
    const offsets = group.map((w) => w.offset).sort((a, b) => a - b);
    let j = 0;
    const paired = offsets.some((low) => {
      while (j < offsets.length && offsets[j] < low + thickness * (1 - same)) j++;
      return j < offsets.length && offsets[j] <= low + thickness * (1 + same);
    });
    if (paired) found.push(group[0].n);
  }
  return found;
}

/** Differences of radius of cylinders about one axis, smallest first, with those axes: the thickness where a wall goes round. */
function bendsOf(solid: ExactSolid): [thickness: number, bends: { axes: Vec3[]; inner: number[] }][] {
  const round = solid.faces.flatMap(({ surface }) => (surface.kind === 'cylinder' ? [surface] : []));
  const groups = groupedBy(round, ({ frame }) => {
    // The axis by its direction and its foot from zero, rounded: neighbours over a border of rounding are missed, never mixed.
    const foot = cross(frame.z, cross(frame.at, frame.z)).map((v) => Math.round(v * 100));
    return `${keyOf(frame.z.map(Math.abs) as Vec3)} ${foot.join(' ')}`;
  });
  const steps = new Map<number, { axes: Vec3[]; inner: number[] }>();
  for (const group of groups.values()) {
    const radii = group.map((s) => s.r).sort((a, b) => a - b);
    for (let i = 1; i < radii.length; i++) {
      const step = Number((radii[i] - radii[i - 1]).toFixed(6));
      if (step <= 0.05) continue;
      const bends = steps.get(step) ?? { axes: [], inner: [] };
      steps.set(step, bends);
      if (bends.axes.length < 50) bends.axes.push(group[0].frame.z);
      if (bends.inner.length < 50) bends.inner.push(radii[i - 1]);
    }
  }
  return [...steps].sort(([a], [b]) => a - b).slice(0, 20);
}
