/** Tubes made without anything of the program: rings of corners about a row of points, and files by Debian's gmsh. */
import { execFileSync } from 'node:child_process';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { Mesh } from '../src/geometry/mesh.ts';

export type P3 = [number, number, number];
const sub = (a: P3, b: P3): P3 => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
const add = (a: P3, b: P3): P3 => [a[0] + b[0], a[1] + b[1], a[2] + b[2]];
const mul = (a: P3, k: number): P3 => [a[0] * k, a[1] * k, a[2] * k];
const dot = (a: P3, b: P3) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const cross = (a: P3, b: P3): P3 => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
const unit = (a: P3): P3 => mul(a, 1 / Math.sqrt(dot(a, a)));

/** The worked run of the handbook's formulas: T = R tan(A / 2), straight = distance - T1 - T2, turn = angle between bend planes. */
export const worked: P3[] = [
  [0, 0, 0],
  [300, 0, 0],
  [300, 250, 0],
  [300, 250, 200],
  [520, 400, 200],
];

export interface FacetedTube {
  points: P3[];
  radius: number;
  outer: number;
  /** 0: full. */
  inner: number;
  /** Facets a bend, corners a ring. */
  facets: number;
  around: number;
  /** Facets touch the arc at their middle instead of standing with their corners on it. */
  mitred?: boolean;
}

/** A closed mesh of a tube whose bends are facets; places are rounded to float32, as in an STL. */
export function facetedTube({ points, radius, outer, inner, facets, around, mitred }: FacetedTube): Mesh {
  const path: P3[] = [points[0]];
  const planes: (P3 | null)[] = [unit(sub(points[1], points[0]))];
  for (let i = 1; i < points.length - 1; i++) {
    const [d, e] = [unit(sub(points[i], points[i - 1])), unit(sub(points[i + 1], points[i]))];
    const n = cross(d, e);
    const a = Math.atan2(Math.sqrt(dot(n, n)), dot(d, e));
    const axis = unit(n);
    const from = sub(points[i], mul(d, radius * Math.tan(a / 2)));
    const centre = add(from, mul(cross(axis, d), radius));
    const spoke = sub(from, centre);
    const at = (t: number, k: number): P3 => add(centre, add(mul(spoke, k * Math.cos(t)), mul(cross(axis, spoke), k * Math.sin(t))));
    const along = (t: number): P3 => add(mul(d, Math.cos(t)), mul(cross(axis, d), Math.sin(t)));
    for (let k = 0; k < facets + (mitred ? 0 : 1); k++) {
      const t = mitred ? (a * (k + 0.5)) / facets : (a * k) / facets;
      path.push(at(t, mitred ? 1 / Math.cos(a / facets / 2) : 1));
      planes.push(along(t));
    }
  }
  path.push(points[points.length - 1]);
  planes.push(unit(sub(points[points.length - 1], points[points.length - 2])));
  const triangles: number[] = [];
  const positions: number[] = [];
  const skin = (r: number): number => {
    const first = positions.length / 3;
    const d0 = planes[0]!;
    const x = unit(cross(d0, Math.abs(d0[2]) < 0.9 ? [0, 0, 1] : [0, 1, 0]));
    const y = cross(d0, x);
    let ring: P3[] = Array.from({ length: around }, (_, k) => {
      const a = (2 * Math.PI * k) / around;
      return add(path[0], add(mul(x, r * Math.cos(a)), mul(y, r * Math.sin(a))));
    });
    path.forEach((p, i) => {
      if (i > 0) {
        // A ring goes along the piece before it to its own plane: on mitred rings that is the piece itself; on an arc it is turned about the ring's plane.
        const d = unit(sub(p, path[i - 1]));
        const n = planes[i]!;
        ring = ring.map((q) => add(q, mul(d, dot(sub(p, q), n) / dot(d, n))));
      }
      for (const q of ring) positions.push(...q.map(Math.fround));
    });
    return first;
  };
  const sides = (first: number, inside: boolean) => {
    for (let i = 0; i + 1 < path.length; i++)
      for (let k = 0; k < around; k++) {
        const [a, b] = [first + i * around + k, first + i * around + ((k + 1) % around)];
        const [c, e] = [a + around, b + around];
        triangles.push(...(inside ? [a, e, b, a, c, e] : [a, b, e, a, e, c]));
      }
  };
  const o = skin(outer);
  sides(o, false);
  const last = (path.length - 1) * around;
  if (inner > 0) {
    const h = skin(inner);
    sides(h, true);
    for (let k = 0; k < around; k++) {
      const j = (k + 1) % around;
      triangles.push(o + k, h + k, h + j, o + k, h + j, o + j);
      triangles.push(o + last + k, h + last + j, h + last + k, o + last + k, o + last + j, h + last + j);
    }
  } else {
    for (let k = 1; k + 1 < around; k++) triangles.push(o, o + k + 1, o + k, o + last, o + last + k, o + last + k + 1);
  }
  return { positions: Float64Array.from(positions), triangles: Uint32Array.from(triangles) };
}

const reader = (name: string) => fileURLToPath(new URL(`./readers/${name}`, import.meta.url));

/** STEP or BREP files of tubes by gmsh's kernel. `way`: see `gmsh_tubes.py`. @returns their names */
export function gmshTubes(
  jobs: { points: P3[]; radius: number; outer: number; inner: number; way: 'pipe' | 'fuse' }[],
  ending: 'step' | 'brep' = 'step',
): string[] {
  const folder = mkdtempSync(join(tmpdir(), 'tubes-'));
  const files = jobs.map((_, i) => join(folder, `tube-${i}.${ending}`));
  execFileSync('/usr/bin/python3', [reader('gmsh_tubes.py')], {
    input: JSON.stringify(jobs.map((j, i) => ({ ...j, file: files[i] }))),
    stdio: ['pipe', 'ignore', 'inherit'],
  });
  return files;
}

/** Volume, area and kinds of surface of STEP files, as gmsh reads them. */
export function gmshKinds(files: readonly string[]): { solids: number; volume: number; area: number; kinds: string[] }[] {
  const out = execFileSync('/usr/bin/python3', [reader('gmsh_kinds.py'), ...files], { encoding: 'utf8' });
  return JSON.parse(out.trim().split('\n').at(-1)!) as { solids: number; volume: number; area: number; kinds: string[] }[];
}

/** Numbers from 0 to 1 that come again for the same beginning. Source: mulberry32, public domain. */
export function random(seed: number): () => number {
  let a = seed;
  return () => {
    a = (a + 0x6d2b79f5) | 0;
    let t = Math.imul(a ^ (a >>> 15), 1 | a);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

/** A row of points with 2 to 8 corners and room for bends of a radius at each, that does not come near itself. */
export function randomPoints(next: () => number, radius: number, width: number): P3[] {
  for (;;) {
    const corners = 2 + Math.floor(next() * 7);
    const points: P3[] = [[0, 0, 0]];
    let d = unit([next() - 0.5, next() - 0.5, next() - 0.5]);
    let before = 0;
    for (let i = 0; i <= corners; i++) {
      const turn = i === corners ? 0 : 0.3 + next() * 1.6;
      const back = radius * Math.tan(turn / 2);
      points.push(add(points[i], mul(d, before + back + width * 1.5 + next() * 150)));
      before = back;
      const side = unit(cross(d, unit([next() - 0.5, next() - 0.5, next() - 0.5])));
      d = unit(add(mul(d, Math.cos(turn)), mul(side, Math.sin(turn))));
    }
    if (!nearItself(points, width * 3)) return points;
  }
}

function nearItself(points: readonly P3[], least: number): boolean {
  const dense: { at: P3; leg: number }[] = [];
  for (let i = 0; i + 1 < points.length; i++)
    for (let k = 0; k <= 20; k++) dense.push({ at: add(points[i], mul(sub(points[i + 1], points[i]), k / 20)), leg: i });
  return dense.some((a) => dense.some((b) => b.leg > a.leg + 1 && Math.hypot(...sub(a.at, b.at)) < least));
}
