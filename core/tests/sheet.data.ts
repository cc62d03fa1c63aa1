import { SolidBuilder, type ProfileStep, type Solid } from '../src/kernel/build.ts';
import { OpenSolid } from '../src/kernel/facets.ts';
import { nodeKernels, workingKernel } from '../src/kernel/load.ts';
import { readDesign } from '../src/pipeline/read.ts';
import type { Drawing } from '../src/curves/drawing.ts';
import type { ArcSegment } from '../src/curves/segment.ts';
import { foldedPart, type FlangeSpec, type WallSpec } from '../src/kernel/sheet-build.ts';
import { flattenShape } from '../src/sheet/flatten.ts';
import { usualFlatten, type FlattenChoice, type Pattern } from '../src/sheet/pattern.ts';
import type { Mesh } from '../src/geometry/mesh.ts';

export type P2 = [number, number];
export const kernel = await workingKernel();
export const builder = new SolidBuilder(kernel);
export const rect = (w: number, h: number): P2[] => [
  [0, 0],
  [w, 0],
  [w, h],
  [0, h],
];

/** The flat of a solid that went through a STEP file, as somebody else's program would send it; volume by the kernel's integral. */
export async function flatOf(solid: Solid, choice: Partial<FlattenChoice> = {}): Promise<Pattern> {
  const step = builder.step('part', [{ name: 'part', colour: '#808080', shape: solid, places: [[0, 0, 0]] }]);
  const design = await readDesign(step, 'part.step', nodeKernels);
  const { geometry, summary } = design.parts[0];
  if (geometry.kind !== 'solid') throw new Error('no solid came back');
  return flattenShape(kernel, { shape: geometry, scale: 1, volume: summary.volume }, { ...usualFlatten, ...choice });
}

/** The same without the way through a file. */
export const flatHere = (solid: Solid, choice: Partial<FlattenChoice> = {}): Pattern =>
  flattenShape(kernel, { shape: { kind: 'solid', brep: builder.brep(solid) }, scale: 1, volume: null }, { ...usualFlatten, ...choice });

/** Facets of a solid rounded to float32, as an STL would hold them. */
export function meshOf(solid: Solid, deflection = 0.02): Mesh {
  const open = new OpenSolid(kernel, builder.brep(solid));
  const { positions, triangles } = open.facets(deflection, 0.3);
  open.close();
  return { positions: Float64Array.from(positions, Math.fround), triangles };
}
export const flatOfMesh = (mesh: Mesh, choice: Partial<FlattenChoice> = {}): Pattern =>
  flattenShape(null, { shape: { kind: 'mesh', mesh }, scale: 1, volume: null }, { ...usualFlatten, ...choice });

/** Round holes of a flat: middle and radius. */
export const roundHoles = (drawing: Drawing): { at: P2; r: number }[] =>
  drawing.layers
    .filter((l) => l.name === 'HOLES')
    .flatMap((l) => l.contours)
    .filter((c) => c.segments.length === 1 && c.segments[0].kind === 'arc')
    .map((c) => ({ at: (c.segments[0] as ArcSegment).centre, r: (c.segments[0] as ArcSegment).radius }));

/**
 * A bent strip as one extruded profile, made from legs and bends: a way to such a solid that shares nothing with `foldedPart`.
 * Legs are the straight lengths between tangent points; angles are bent through in degrees, positive to the left; radii are inside.
 */
export function strip(thickness: number, width: number, legs: number[], bends: { angle: number; radius: number }[]): Solid {
  let at: P2 = [0, 0];
  let heading = 0;
  const left: { to: P2; through?: P2 }[] = [];
  const right: { to: P2; through?: P2 }[] = [];
  const across = (p: P2, by: number): P2 => [p[0] - Math.sin(heading) * by, p[1] + Math.cos(heading) * by];
  const start = at;
  legs.forEach((leg, i) => {
    at = [at[0] + Math.cos(heading) * leg, at[1] + Math.sin(heading) * leg];
    left.push({ to: across(at, thickness) });
    right.push({ to: at });
    const bend = bends[i];
    if (!bend) return;
    const sign = Math.sign(bend.angle);
    // The inside lies on the left of a left turn.
    const [rl, rr] = sign > 0 ? [bend.radius, bend.radius + thickness] : [bend.radius + thickness, bend.radius];
    const centre = across(at, sign > 0 ? thickness + bend.radius : -bend.radius);
    const turn = (bend.angle * Math.PI) / 180;
    const on = (r: number, share: number): P2 => {
      const a = heading + turn * share - (sign * Math.PI) / 2;
      return [centre[0] + r * Math.cos(a), centre[1] + r * Math.sin(a)];
    };
    left.push({ to: on(rl, 1), through: on(rl, 0.5) });
    right.push({ to: on(rr, 1), through: on(rr, 0.5) });
    at = on(rr, 1);
    heading += turn;
  });
  // Out along the right side, across the end, back along the left side.
  const steps: ProfileStep[] = right.map((s) => s);
  steps.push({ to: left[left.length - 1].to });
  for (let i = left.length - 1; i >= 0; i--) {
    const to: P2 = i > 0 ? left[i - 1].to : [start[0], start[1] + thickness];
    steps.push(left[i].through ? { to, through: left[i].through } : { to });
  }
  steps.push({ to: start });
  return builder.raised(start, steps, width);
}

/** A round hole of the flat that is known beforehand. */
export interface KnownFlat {
  area: number;
  /** Length of the outline and of all holes, mm. */
  length: number;
  holes: { at: P2; r: number }[];
}

/** Repeatable numbers from 0 to 1. Source: Park and Miller, Random number generators: good ones are hard to find, 1988. */
export function random(seed: number): () => number {
  let x = seed % 2147483647 || 1;
  return () => (x = (x * 16807) % 2147483647) / 2147483647;
}

/**
 * A folded part of up to nine walls with holes of different sizes, and its flat, laid out by hand: every flange moved out by its bend's length
 * (angle (R + K T)). Nothing of the project's own unfolding is used for the flat.
 */
export function randomPart(seed: number, k: number): { solid: Solid; known: KnownFlat; thickness: number; bends: number } {
  const next = random(seed * 7919 + 13);
  const between = (a: number, b: number) => a + (b - a) * next();
  const t = between(0.8, 2.5);
  const known: KnownFlat = { area: 0, length: 0, holes: [] };
  let hole = 0;
  let bends = 0;
  const wall = (w: number, h: number, at: P2, x: P2, y: P2): WallSpec => {
    const put = (p: P2): P2 => [at[0] + x[0] * p[0] + y[0] * p[1], at[1] + x[1] * p[0] + y[1] * p[1]];
    const r = 1.2 + 0.11 * hole++;
    const p: P2 = [between(4, w - 4), between(4, h - 4)];
    known.holes.push({ at: put(p), r });
    known.area += w * h - Math.PI * r * r;
    known.length += 2 * Math.PI * r;
    return { outline: rect(w, h), holes: [{ at: p, r }], flanges: [] };
  };
  const addFlange = (parent: WallSpec, from: P2, to: P2, at: P2, x: P2, y: P2, depth: number, most: number) => {
    const length = Math.hypot(to[0] - from[0], to[1] - from[1]);
    const angle = between(25, depth === 1 ? 95 : 100);
    const radius = between(0.4, 3);
    const bend = ((angle * Math.PI) / 180) * (radius + k * t);
    bends++;
    known.area += bend * length;
    // The parent's edge is gone along the flange, two sides of the bend come in its place; the flange brings its own border less that edge.
    known.length += 2 * bend - 2 * length;
    // x of the flange runs from `to` towards `from`, y away from the edge.
    const ux: P2 = [(from[0] - to[0]) / length, (from[1] - to[1]) / length];
    const dir = (v: P2): P2 => [x[0] * v[0] + y[0] * v[1], x[1] * v[0] + y[1] * v[1]];
    const fx = dir(ux);
    const fy = dir([-ux[1], ux[0]]);
    const origin: P2 = [at[0] + x[0] * to[0] + y[0] * to[1] + fy[0] * bend, at[1] + x[1] * to[0] + y[1] * to[1] + fy[1] * bend];
    const height = depth === 1 ? between(14, 20) : between(9, 12);
    const own = wall(length, height, origin, fx, fy);
    known.length += 2 * (length + height);
    parent.flanges!.push({ from, to, angle, radius, up: next() > 0.4, wall: own } satisfies FlangeSpec);
    if (depth < most && length > 40) addFlange(own, [length - 13, height], [13, height], origin, fx, fy, depth + 1, most);
  };
  const [w, h] = [between(70, 95), between(70, 95)];
  const base = wall(w, h, [0, 0], [1, 0], [0, 1]);
  known.length += 2 * (w + h);
  const sides: [P2, P2][] = [
    [
      [3, 0],
      [w - 3, 0],
    ],
    [
      [w, 3],
      [w, h - 3],
    ],
    [
      [w - 3, h],
      [3, h],
    ],
    [
      [0, h - 3],
      [0, 3],
    ],
  ];
  const count = 1 + Math.floor(next() * 4);
  for (let i = 0; i < count; i++) addFlange(base, sides[i][0], sides[i][1], [0, 0], [1, 0], [0, 1], 1, 2);
  return { solid: foldedPart(builder, t, base), known, thickness: t, bends };
}
