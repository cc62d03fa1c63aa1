import type { Mesh } from '../geometry/mesh.ts';
import { angleAt } from '../geometry/triangle.ts';

/** Where a picture is taken from, and how large it is. */
export interface Look {
  width: number;
  height: number;
  /** Turned about Z, and looked at from above by so much, degrees. 90 above is straight down, with X to the right and Y up. */
  turn: number;
  above: number;
  /** Ink of the surface, 0 to 255. */
  ink: readonly [number, number, number];
  /** A second ink and how much of it each triangle takes, 0 to 1. */
  second?: { ink: readonly [number, number, number]; share: Float32Array } | null;
  /** How many samples a pixel has along each side; 2 when not given. */
  samples?: number;
}

/** From the front left corner above. */
export const usualLook = { turn: 32, above: 28, ink: [112, 138, 176] as const };

/** Share of the picture that stays free round the part. */
const rim = 0.04;
/** Facets that turn from their corners' mean by more than this are edges, cosine: 30 degrees. */
const crease = Math.cos((30 * Math.PI) / 180);

/**
 * A shaded picture of a mesh seen from far away, on nothing: four numbers a pixel, red, green, blue and how much is covered. Only what is seen is shaded.
 * O(triangles + samples). Source: depth buffer, Catmull 1974; corners' mean normals, Gouraud 1971, kept off where facets turn sharply.
 * @example shaded(mesh, { ...usualLook, width: 256, height: 256 })
 */
export function shaded(mesh: Mesh, look: Look): Uint8ClampedArray {
  const { width, height } = look;
  const samples = look.samples ?? 2;
  const seen = project(mesh, look, width * samples, height * samples);
  if (!seen) return new Uint8ClampedArray(width * height * 4);
  return painted(look, samples, seen, normalsSeen(mesh, seen));
}

interface Seen {
  /** Places on the picture, in samples, and depth: three numbers a corner; larger is nearer. */
  at: Float32Array;
  /** Which triangle each sample shows, from 1; 0 for none. */
  which: Uint32Array;
  depth: Float32Array;
  columns: number;
  rows: number;
  /** Directions of the picture: right, up, towards who looks. */
  frame: number[][];
  /** How many samples a mm is. */
  scale: number;
}

function frameOf({ turn, above }: Look): number[][] {
  const [a, b] = [(turn * Math.PI) / 180, (above * Math.PI) / 180];
  const right = [Math.cos(a), Math.sin(a), 0];
  const up = [-Math.sin(a) * Math.sin(b), Math.cos(a) * Math.sin(b), Math.cos(b)];
  return [right, up, [right[1] * up[2] - right[2] * up[1], right[2] * up[0] - right[0] * up[2], right[0] * up[1] - right[1] * up[0]]];
}

function project({ positions: p, triangles: t }: Mesh, look: Look, columns: number, rows: number): Seen | null {
  const frame = frameOf(look);
  const [[rx, ry, rz], [ux, uy, uz], [tx, ty, tz]] = frame;
  const at = new Float32Array(p.length);
  let [x0, y0, x1, y1] = [Infinity, Infinity, -Infinity, -Infinity];
  // Far places are taken near zero first: single precision would blur them.
  const [ox, oy, oz] = p.length > 0 ? [p[0], p[1], p[2]] : [0, 0, 0];
  for (let i = 0; i < p.length; i += 3) {
    const [dx, dy, dz] = [p[i] - ox, p[i + 1] - oy, p[i + 2] - oz];
    const x = rx * dx + ry * dy + rz * dz;
    const y = ux * dx + uy * dy + uz * dz;
    at[i] = x;
    at[i + 1] = y;
    at[i + 2] = tx * dx + ty * dy + tz * dz;
    if (x < x0) x0 = x;
    if (x > x1) x1 = x;
    if (y < y0) y0 = y;
    if (y > y1) y1 = y;
  }
  if (!(x1 >= x0) || !Number.isFinite(x1 - x0 + y1 - y0)) return null;
  const free = 1 - 2 * rim;
  const scale = Math.min((columns * free) / Math.max(x1 - x0, 1e-12), (rows * free) / Math.max(y1 - y0, 1e-12));
  const [mx, my] = [(x0 + x1) / 2, (y0 + y1) / 2];
  for (let i = 0; i < at.length; i += 3) {
    at[i] = (at[i] - mx) * scale + columns / 2;
    at[i + 1] = rows / 2 - (at[i + 1] - my) * scale;
    at[i + 2] *= scale;
  }
  const seen: Seen = { at, which: new Uint32Array(columns * rows), depth: new Float32Array(columns * rows).fill(-Infinity), columns, rows, frame, scale };
  for (let i = 0; i < t.length; i += 3) over(seen, t, i);
  return seen;
}

/** The triangle with its first corner at number i into the depth buffer; samples stand in the middle of their squares. */
function over({ at, which, depth, columns, rows }: Seen, t: Uint32Array, i: number): void {
  const a = t[i] * 3;
  const b = t[i + 1] * 3;
  const c = t[i + 2] * 3;
  const name = i / 3 + 1;
  const ax = at[a];
  const ay = at[a + 1];
  const bx = at[b];
  const by = at[b + 1];
  const cx = at[c];
  const cy = at[c + 1];
  const top = Math.max(0, Math.ceil(Math.min(ay, by, cy) - 0.5));
  const bottom = Math.min(rows - 1, Math.floor(Math.max(ay, by, cy) - 0.5));
  if (top > bottom) return;
  const left = Math.max(0, Math.ceil(Math.min(ax, bx, cx) - 0.5));
  const right = Math.min(columns - 1, Math.floor(Math.max(ax, bx, cx) - 0.5));
  if (left > right) return;
  const det = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax);
  if (det === 0) return;
  const [az, bz, cz] = [at[a + 2], at[b + 2], at[c + 2]];
  for (let y = top; y <= bottom; y++) {
    const sy = y + 0.5;
    for (let x = left, k = y * columns + left; x <= right; x++, k++) {
      const sx = x + 0.5;
      const wb = ((sx - ax) * (cy - ay) - (sy - ay) * (cx - ax)) / det;
      const wc = ((bx - ax) * (sy - ay) - (by - ay) * (sx - ax)) / det;
      if (wb < -1e-5 || wc < -1e-5 || wb + wc > 1.00001) continue;
      const z = az + wb * (bz - az) + wc * (cz - az);
      if (z > depth[k]) {
        depth[k] = z;
        which[k] = name;
      }
    }
  }
}

/** Triangles that are no wider than this many samples are lit by the facets seen round them: their corners' means would be finer than the picture. */
const fine = 3;

/** What the surface faces at each sample: three numbers of unit length, 0 where nothing is seen. */
function normalsSeen(mesh: Mesh, seen: Seen): Float32Array {
  const out = new Float32Array(seen.which.length * 3);
  const wide = new Uint8Array(seen.which.length);
  const asked = new Uint8Array(mesh.positions.length / 3);
  const { triangles: t } = mesh;
  let any = false;
  for (let k = 0; k < wide.length; k++) {
    if (seen.which[k] === 0) continue;
    const i = (seen.which[k] - 1) * 3;
    if (isWide(seen.at, t[i] * 3, t[i + 1] * 3, t[i + 2] * 3)) {
      wide[k] = 1;
      asked[t[i]] = asked[t[i + 1]] = asked[t[i + 2]] = 1;
      any = true;
    } else facing(mesh, i, out, k * 3);
  }
  evened(out, wide, seen);
  if (any) rounded(seen, wide, new Corners(mesh, aroundOf(mesh, asked)), out);
  return out;
}

function isWide(at: Float32Array, a: number, b: number, c: number): boolean {
  for (let k = 0; k < 2; k++, a++, b++, c++) if (Math.abs(at[a] - at[b]) > fine || Math.abs(at[b] - at[c]) > fine || Math.abs(at[c] - at[a]) > fine) return true; // prettier-ignore
  return false;
}

/** Where the triangle with its first corner at number i faces, of unit length; 0 for one without an area. */
function facing({ positions: p, triangles: t }: Mesh, i: number, out: Float32Array, at: number): void {
  const a = t[i] * 3;
  const b = t[i + 1] * 3;
  const c = t[i + 2] * 3;
  const ux = p[b] - p[a];
  const uy = p[b + 1] - p[a + 1];
  const uz = p[b + 2] - p[a + 2];
  const vx = p[c] - p[a];
  const vy = p[c + 1] - p[a + 1];
  const vz = p[c + 2] - p[a + 2];
  const x = uy * vz - uz * vy;
  const y = uz * vx - ux * vz;
  const z = ux * vy - uy * vx;
  const long = Math.sqrt(x * x + y * y + z * z) || 1;
  out[at] = x / long;
  out[at + 1] = y / long;
  out[at + 2] = z / long;
}

/** Samples of fine triangles take the mean of the samples round them that do not turn away. */
function evened(normals: Float32Array, wide: Uint8Array, { which, columns, rows }: Seen): void {
  const own = normals.slice();
  for (let y = 0, k = 0; y < rows; y++)
    for (let x = 0; x < columns; x++, k++) {
      if (which[k] === 0 || wide[k] === 1) continue;
      const [nx, ny, nz] = [own[k * 3], own[k * 3 + 1], own[k * 3 + 2]];
      let [sx, sy, sz] = [nx, ny, nz];
      for (let v = y > 0 ? -1 : 0; v <= 1 && y + v < rows; v++)
        for (let u = x > 0 ? -1 : 0; u <= 1 && x + u < columns; u++) {
          const o = (k + v * columns + u) * 3;
          if (own[o] * nx + own[o + 1] * ny + own[o + 2] * nz < crease) continue;
          sx += own[o];
          sy += own[o + 1];
          sz += own[o + 2];
        }
      const long = Math.sqrt(sx * sx + sy * sy + sz * sz) || 1;
      normals[k * 3] = sx / long;
      normals[k * 3 + 1] = sy / long;
      normals[k * 3 + 2] = sz / long;
    }
}

/** Normals of facets, of unit length; the angle of each triangle at each of its corners, rad; and which corners of triangles meet at each point that is asked for. */
interface Normals {
  facets: Float32Array;
  angles: Float32Array;
  starts: Uint32Array;
  around: Uint32Array;
}

function aroundOf(mesh: Mesh, asked: Uint8Array): Normals {
  const { positions: p, triangles: t } = mesh;
  const starts = new Uint32Array(p.length / 3 + 1);
  for (let i = 0; i < t.length; i++) starts[t[i] + 1] += asked[t[i]];
  for (let v = 1; v < starts.length; v++) starts[v] += starts[v - 1];
  const next = starts.slice();
  const around = new Uint32Array(starts[starts.length - 1]);
  const facets = new Float32Array(t.length);
  const angles = new Float32Array(t.length);
  for (let i = 0; i < t.length; i += 3) {
    if (asked[t[i]] + asked[t[i + 1]] + asked[t[i + 2]] === 0) continue;
    facing(mesh, i, facets, i);
    for (let j = i; j < i + 3; j++) if (asked[t[j]] === 1) around[next[t[j]]++] = j;
    // A triangle without an area faces nowhere and counts nowhere.
    if (facets[i] === 0 && facets[i + 1] === 0 && facets[i + 2] === 0) continue;
    const first = angleAt(p, t[i] * 3, t[i + 1] * 3, t[i + 2] * 3);
    const second = angleAt(p, t[i + 1] * 3, t[i + 2] * 3, t[i] * 3);
    angles[i] = first;
    angles[i + 1] = second;
    angles[i + 2] = Math.max(0, Math.PI - first - second);
  }
  return { facets, angles, starts, around };
}

/** Samples of wide triangles take the mean of their corners' normals, by where in the triangle they are. Corners are found when they are first asked for. */
function rounded({ which, at, columns }: Seen, wide: Uint8Array, kept: Corners, out: Float32Array): void {
  const { triangles: t } = kept.mesh;
  for (let k = 0; k < wide.length; k++) {
    if (wide[k] === 0) continue;
    const triangle = which[k] - 1;
    const slot = kept.slot(triangle);
    const { corners } = kept;
    const sx = (k % columns) + 0.5;
    const sy = Math.floor(k / columns) + 0.5;
    const a = t[triangle * 3] * 3;
    const b = t[triangle * 3 + 1] * 3;
    const c = t[triangle * 3 + 2] * 3;
    const det = (at[b] - at[a]) * (at[c + 1] - at[a + 1]) - (at[b + 1] - at[a + 1]) * (at[c] - at[a]);
    const wb = ((sx - at[a]) * (at[c + 1] - at[a + 1]) - (sy - at[a + 1]) * (at[c] - at[a])) / det;
    const wc = ((at[b] - at[a]) * (sy - at[a + 1]) - (at[b + 1] - at[a + 1]) * (sx - at[a])) / det;
    const wa = 1 - wb - wc;
    const x = wa * corners[slot] + wb * corners[slot + 3] + wc * corners[slot + 6];
    const y = wa * corners[slot + 1] + wb * corners[slot + 4] + wc * corners[slot + 7];
    const z = wa * corners[slot + 2] + wb * corners[slot + 5] + wc * corners[slot + 8];
    const long = Math.sqrt(x * x + y * y + z * z) || 1;
    out[k * 3] = x / long;
    out[k * 3 + 1] = y / long;
    out[k * 3 + 2] = z / long;
  }
}

/** Corners with more triangles about them than this are the middles of fans: they take the facet's own normal. */
const mostAround = 64;

/** Normals at the corners of triangles, found when they are first asked for. */
class Corners {
  readonly mesh: Mesh;
  private readonly normals: Normals;
  /** One more than where a triangle's corners are kept; 0 for none yet. */
  private readonly slots: Int32Array;
  private used = 0;
  /** Nine numbers a triangle. */
  corners = new Float32Array(9 * 1024);

  constructor(mesh: Mesh, normals: Normals) {
    this.mesh = mesh;
    this.normals = normals;
    this.slots = new Int32Array(mesh.triangles.length / 3);
  }

  /** Where its three normals of unit length begin. */
  slot(triangle: number): number {
    if (this.slots[triangle] > 0) return this.slots[triangle] - 1;
    const slot = this.used;
    this.used += 9;
    if (this.used > this.corners.length) {
      const more = new Float32Array(this.corners.length * 2);
      more.set(this.corners);
      this.corners = more;
    }
    this.find(triangle, slot);
    this.slots[triangle] = slot + 1;
    return slot;
  }

  /** At each corner the mean of the facets round it that do not turn away from the triangle, weighted by the angle with which they meet there. */
  private find(triangle: number, at: number): void {
    const { triangles: t } = this.mesh;
    const { facets: f, angles, starts, around } = this.normals;
    const out = this.corners;
    const i = triangle * 3;
    const nx = f[i];
    const ny = f[i + 1];
    const nz = f[i + 2];
    for (let k = 0; k < 3; k++) {
      const v = t[i + k];
      let x = nx * 1e-30;
      let y = ny * 1e-30;
      let z = nz * 1e-30;
      if (starts[v + 1] - starts[v] <= mostAround)
        for (let s = starts[v]; s < starts[v + 1]; s++) {
          const corner = around[s];
          const o = corner - (corner % 3);
          if (f[o] * nx + f[o + 1] * ny + f[o + 2] * nz < crease) continue;
          x += f[o] * angles[corner];
          y += f[o + 1] * angles[corner];
          z += f[o + 2] * angles[corner];
        }
      const size = Math.sqrt(x * x + y * y + z * z);
      out[at + k * 3] = size > 0 ? x / size : nx;
      out[at + k * 3 + 1] = size > 0 ? y / size : ny;
      out[at + k * 3 + 2] = size > 0 ? z / size : nz;
    }
  }
}

/** Light from the upper left in front, and a little from below, in the picture's own directions. */
const light = [-0.42, 0.66, 0.62];
const fill = [0.5, -0.4, 0.3];

function painted({ width, height, ink, second }: Look, samples: number, seen: Seen, normals: Float32Array): Uint8ClampedArray {
  const { which, columns, rows } = seen;
  const out = new Uint8ClampedArray(width * height * 4);
  const whole = samples * samples;
  // A step in depth of this many samples between neighbours is drawn as an edge.
  const step = Math.max(3, 0.012 * Math.max(columns, rows));
  const lights = lightsIn(seen.frame);
  const [ir, ig, ib] = ink;
  const [dr, dg, db] = second ? [second.ink[0] - ir, second.ink[1] - ig, second.ink[2] - ib] : [0, 0, 0];
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      let r = 0;
      let g = 0;
      let b = 0;
      let n = 0;
      for (let j = 0; j < samples; j++)
        for (let i = 0; i < samples; i++) {
          const sx = x * samples + i;
          const sy = y * samples + j;
          const k = sy * columns + sx;
          if (which[k] === 0) continue;
          const dark = edgeAt(seen, sx, sy, step) ? 0.55 : 1;
          const bright = brightness(lights, normals[k * 3], normals[k * 3 + 1], normals[k * 3 + 2]) * dark;
          const share = second ? second.share[which[k] - 1] : 0;
          r += toned(ir + dr * share, bright);
          g += toned(ig + dg * share, bright);
          b += toned(ib + db * share, bright);
          n++;
        }
      if (n === 0) continue;
      const at = (y * width + x) * 4;
      out[at] = r / n;
      out[at + 1] = g / n;
      out[at + 2] = b / n;
      out[at + 3] = (255 * n) / whole;
    }
  return out;
}

/** An ink in a light: darker below 1, towards white above. */
const toned = (ink: number, bright: number): number => (bright <= 1 ? ink * bright : ink + (255 - ink) * (bright - 1));

/** Towards who looks, and the two lights, as directions of the model: nine numbers. */
function lightsIn([right, up, towards]: number[][]): Float64Array {
  const inModel = ([x, y, z]: number[]) => [0, 1, 2].map((k) => right[k] * x + up[k] * y + towards[k] * z);
  return Float64Array.from([...towards, ...inModel(light), ...inModel(fill)]);
}

/** How bright a surface is that faces there: 1 is the ink itself. */
function brightness(l: Float64Array, x: number, y: number, z: number): number {
  // What is seen from behind is lit as if it faced us: open surfaces have two sides.
  const sign = l[0] * x + l[1] * y + l[2] * z < 0 ? -1 : 1;
  const lit = (l[3] * x + l[4] * y + l[5] * z) * sign;
  const back = (l[6] * x + l[7] * y + l[8] * z) * sign;
  return 0.42 + (lit > 0 ? 0.86 * lit : 0) + (back > 0 ? 0.12 * back : 0);
}

/** Whether the depth steps off to something farther here. */
function edgeAt({ depth, columns, rows }: Seen, x: number, y: number, step: number): boolean {
  const k = y * columns + x;
  // Where nothing is, depth is below everything.
  const least = depth[k] - step;
  return (
    (x > 0 && depth[k - 1] < least) || (x + 1 < columns && depth[k + 1] < least) || (y > 0 && depth[k - columns] < least) || (y + 1 < rows && depth[k + columns] < least) // prettier-ignore
  );
}
