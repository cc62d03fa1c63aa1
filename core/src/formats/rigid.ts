import type { MeshFilePart } from './mesh-file.ts';
import { determinantOf, type Rows } from '../geometry/rows.ts';

/** Places whose linear parts differ by less than this, in any number, stretch alike. */
const alike = 1e-6;

/**
 * Parts whose places turn and shift only. A mesh that a file places larger, mirrored or stretched is another part there: its
 * mesh is made in that size, and its name says so. Order is kept; parts that only turn come back as they are.
 *
 * @example rigidParts([{ name: 'Clip', places: [plain, mirrored] }]) // parts: "Clip" and "Clip mirrored"
 */
export function rigidParts(parts: readonly MeshFilePart[]): { parts: MeshFilePart[]; flattened: number } {
  let flattened = 0;
  const made = parts.flatMap((part) => {
    const groups: { stretch: number[]; linear: Rows; places: Rows[]; aboveEach: string[][] }[] = [];
    for (const [i, place] of part.places.entries()) {
      const above = part.aboveEach?.[i] ?? part.above;
      if (!(Math.abs(determinantOf(place)) > leastDeterminant)) {
        flattened++;
        continue;
      }
      const stretch = stretchOf(place);
      const known = groups.find((g) => g.stretch.every((v, k) => Math.abs(v - stretch[k]) < alike));
      if (known) {
        known.places.push(place);
        known.aboveEach.push(above);
      } else groups.push({ stretch, linear: place, places: [place], aboveEach: [above] });
    }
    const rigid = (g: { stretch: number[] }) => g.stretch.every((v, i) => Math.abs(v - identity[i]) < alike);
    if (groups.length === 1 && rigid(groups[0]) && groups[0].places.length === part.places.length) return [part];
    return groups.map((group) => {
      const { aboveEach } = group;
      const above = aboveEach[0];
      if (rigid(group)) return { ...part, above, aboveEach, places: group.places };
      const m = group.linear;
      const positions = new Float64Array(part.mesh.positions.length);
      const p = part.mesh.positions;
      for (let i = 0; i < p.length; i += 3) for (let r = 0; r < 3; r++) positions[i + r] = m[r * 4] * p[i] + m[r * 4 + 1] * p[i + 1] + m[r * 4 + 2] * p[i + 2];
      const triangles = part.mesh.triangles.slice();
      const mirrored = determinantOf(m) < 0;
      if (mirrored) for (let i = 0; i < triangles.length; i += 3) [triangles[i + 1], triangles[i + 2]] = [triangles[i + 2], triangles[i + 1]];
      const back = inverseLinear(m);
      const name = groups.length === 1 || part.name === null ? part.name : `${part.name} ${wordsFor(group.stretch, mirrored)}`;
      return { ...part, name, above, aboveEach, mesh: { positions, triangles }, places: group.places.map((place) => timesLinear(place, back)) };
    });
  });
  return { parts: made, flattened };
}

/** A place that squeezes a part to less than this share of its volume makes nothing of it. */
const leastDeterminant = 1e-12;

const identity = [1, 0, 0, 1, 0, 1, 1];

/** What a place does to lengths and angles, however it turns: the six numbers of its metric, and its hand. */
function stretchOf(m: Rows): number[] {
  const dot = (a: number, b: number) => m[a] * m[b] + m[a + 4] * m[b + 4] + m[a + 8] * m[b + 8];
  return [dot(0, 0), dot(0, 1), dot(0, 2), dot(1, 1), dot(1, 2), dot(2, 2), Math.sign(determinantOf(m))];
}

function wordsFor(stretch: number[], mirrored: boolean): string {
  const along = [stretch[0], stretch[3], stretch[5]].map(Math.sqrt);
  const even = Math.max(...along) - Math.min(...along) < 1e-4 * Math.max(...along);
  const size = even
    ? Math.abs(along[0] - 1) < 1e-4
      ? ''
      : `x${Number(along[0].toPrecision(4))}`
    : `stretched ${along.map((v) => Number(v.toPrecision(3))).join(' x ')}`;
  return [size, mirrored ? 'mirrored' : ''].filter(Boolean).join(' ') || 'stretched';
}

/** The inverse of the first three columns, row by row. */
function inverseLinear(m: Rows): number[] {
  const [a, b, c, d, e, f, g, h, i] = [m[0], m[1], m[2], m[4], m[5], m[6], m[8], m[9], m[10]];
  const det = determinantOf(m);
  return [e * i - f * h, c * h - b * i, b * f - c * e, f * g - d * i, a * i - c * g, c * d - a * f, d * h - e * g, b * g - a * h, a * e - b * d].map(
    (v) => v / det,
  );
}

function timesLinear(m: Rows, n: number[]): Rows {
  const out: number[] = [];
  for (let r = 0; r < 3; r++) {
    for (let c = 0; c < 3; c++) out.push(m[r * 4] * n[c] + m[r * 4 + 1] * n[3 + c] + m[r * 4 + 2] * n[6 + c]);
    out.push(m[r * 4 + 3]);
  }
  return out as Rows;
}
