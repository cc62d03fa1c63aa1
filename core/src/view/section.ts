import { spanned, type Vec3 } from '../geometry/vector.ts';

/** What a plane cuts of a mesh, to be drawn: the cut line and hatching, as pairs of points. Coordinates and area are those of the mesh. */
export interface SectionCut {
  /** xyz, two points a piece. */
  outline: Float32Array;
  /** xyz, two points a line, at 45 degrees in the plane (ISO 128-44: hatching of cut faces). */
  hatch: Float32Array;
  /** Cut area; of an open mesh what its cut lines enclose as far as they go. */
  area: number;
  length: number;
}

/** What is cut: xyz, and three corners a triangle. */
interface CutMesh {
  positions: ArrayLike<number>;
  triangles: ArrayLike<number>;
}

/** Points p with normal . p = offset; the normal is a unit vector. */
export interface CutPlane {
  normal: Vec3;
  offset: number;
}

/** Most hatch lines across the cut; a finer pitch is made coarser. */
const mostLines = 400;

/**
 * Cuts a mesh by a plane. A corner that lies in the plane counts as above it, so that no piece is counted twice.
 * @param pitch distance between hatch lines, in the mesh's units
 * @example sectionOf(view, { normal: [0, 0, 1], offset: 12.5 }, 2).area
 */
export function sectionOf(mesh: CutMesh, { normal, offset }: CutPlane, pitch: number): SectionCut {
  const { positions, triangles } = mesh;
  if (!(Math.abs(Math.hypot(normal[0], normal[1], normal[2]) - 1) < 1e-6)) throw new RangeError('the normal of a section is a unit vector');
  if (!(pitch > 0)) throw new RangeError('the pitch of hatching is above 0');
  const flat = cutPieces(positions, triangles, normal, offset);
  let [twice, length] = [0, 0];
  for (let i = 0; i < flat.length; i += 4) {
    twice += flat[i] * flat[i + 3] - flat[i + 2] * flat[i + 1];
    length += Math.hypot(flat[i + 2] - flat[i], flat[i + 3] - flat[i + 1]);
  }
  const [u, v] = spanned(normal);
  const space = (list: ArrayLike<number>): Float32Array => {
    const out = new Float32Array((list.length / 2) * 3);
    for (let i = 0, k = 0; i < list.length; i += 2) for (let c = 0; c < 3; c++) out[k++] = normal[c] * offset + u[c] * list[i] + v[c] * list[i + 1];
    return out;
  };
  return { outline: space(flat), hatch: space(hatched(flat, pitch)), area: Math.abs(twice) / 2, length };
}

/** Cut lines in the plane's own coordinates (u, v, u, v a piece), directed with the solid on their left. */
function cutPieces(p: ArrayLike<number>, t: ArrayLike<number>, n: Vec3, offset: number): number[] {
  const [u, v] = spanned(n);
  const out: number[] = [];
  const [nx, ny, nz] = n;
  const height = (i: number) => nx * p[i] + ny * p[i + 1] + nz * p[i + 2] - offset;
  const above = new Uint8Array(p.length / 3);
  for (let k = 0; k < above.length; k++) above[k] = height(k * 3) >= 0 ? 1 : 0;
  const put = (i: number, j: number, hi: number, hj: number) => {
    const s = hi / (hi - hj);
    const [x, y, z] = [p[i] + s * (p[j] - p[i]), p[i + 1] + s * (p[j + 1] - p[i + 1]), p[i + 2] + s * (p[j + 2] - p[i + 2])];
    out.push(u[0] * x + u[1] * y + u[2] * z, v[0] * x + v[1] * y + v[2] * z);
  };
  for (let k = 0; k < t.length; k += 3) {
    const sum = above[t[k]] + above[t[k + 1]] + above[t[k + 2]];
    if (sum === 0 || sum === 3) continue;
    const c = [t[k] * 3, t[k + 1] * 3, t[k + 2] * 3];
    const h = [height(c[0]), height(c[1]), height(c[2])];
    const up = [h[0] >= 0, h[1] >= 0, h[2] >= 0];
    // The corner that is alone on its side; the piece runs so that the outer normal lies to its right.
    const a = up[1] === up[2] ? 0 : up[0] === up[2] ? 1 : 2;
    const [b, d] = [(a + 1) % 3, (a + 2) % 3];
    if (up[a]) {
      put(c[a], c[d], h[a], h[d]);
      put(c[a], c[b], h[a], h[b]);
    } else {
      put(c[a], c[b], h[a], h[b]);
      put(c[a], c[d], h[a], h[d]);
    }
  }
  return out;
}

/** Lines at 45 degrees inside the cut: scan lines, even and odd crossings in turn. */
function hatched(flat: readonly number[], wanted: number): number[] {
  if (flat.length === 0) return [];
  const h = Math.SQRT1_2;
  // Turned by 45 degrees: a along the hatch lines, b across them.
  const turned = new Float64Array(flat.length);
  let [low, high] = [Infinity, -Infinity];
  for (let i = 0; i < flat.length; i += 2) {
    turned[i] = (flat[i] + flat[i + 1]) * h;
    turned[i + 1] = (flat[i + 1] - flat[i]) * h;
    low = Math.min(low, turned[i + 1]);
    high = Math.max(high, turned[i + 1]);
  }
  const pitch = Math.max(wanted, (high - low) / mostLines);
  const first = Math.ceil(low / pitch);
  const lines: number[][] = Array.from({ length: Math.max(0, Math.floor(high / pitch) - first + 1) }, () => []);
  for (let i = 0; i < turned.length; i += 4) {
    const [a0, b0, a1, b1] = [turned[i], turned[i + 1], turned[i + 2], turned[i + 3]];
    const [from, to] = b0 < b1 ? [b0, b1] : [b1, b0];
    // From its low end on, without its high end: a corner between two pieces is crossed once.
    for (let k = Math.ceil(from / pitch); k * pitch < to; k++) lines[k - first]?.push(a0 + ((k * pitch - b0) / (b1 - b0)) * (a1 - a0));
  }
  const out: number[] = [];
  for (const [k, crossings] of lines.entries()) {
    crossings.sort((x, y) => x - y);
    const b = (k + first) * pitch;
    for (let i = 0; i + 1 < crossings.length; i += 2) for (const a of [crossings[i], crossings[i + 1]]) out.push((a - b) * h, (a + b) * h);
  }
  return out;
}
