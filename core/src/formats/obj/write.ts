import { cross } from '../../geometry/vector.ts';
import { edgesOf, lastCorner, nextCorner } from '../../geometry/edges.ts';
import type { Mesh } from '../../geometry/mesh.ts';

/** A mesh to be written under its name; coordinates in mm. */
export interface NamedMesh {
  name: string;
  mesh: Mesh;
}

/** How pairs of triangles become faces with four corners. */
export type Quads = boolean | 'bent';

/**
 * An OBJ file in pieces: one object a part. Numbers have 9 significant digits, as many as a float32 holds.
 * @param perUnit how many mm one number of the file stands for.
 * @param unit named in a comment; the format itself has no unit.
 * @param quads whether pairs of triangles that make one flat, convex four-sided face are written as such; 'bent': regular pairs that are not flat too.
 */
export function* objFile(parts: readonly NamedMesh[], perUnit: number, unit: string, quads: Quads): Generator<Uint8Array> {
  const encoder = new TextEncoder();
  const said = quads === 'bent' ? '# faces with four corners are parted from their first corner to their third\n' : '';
  yield encoder.encode(`# Tall Kite, numbers are ${unit}\n${said}`);
  let base = 1;
  for (const { name, mesh } of parts) {
    const { positions: p, triangles: t } = mesh;
    let text = `o ${plainName(name)}\n`;
    const number = (value: number) => String(Number(Math.fround(value / perUnit).toPrecision(9)));
    for (let v = 0; v < p.length; v += 3) {
      text += `v ${number(p[v])} ${number(p[v + 1])} ${number(p[v + 2])}\n`;
      if (text.length > 1 << 18) {
        yield encoder.encode(text);
        text = '';
      }
    }
    for (const face of quads ? facesOf(mesh, quads === 'bent') : trianglesOf(t)) {
      text += `f ${face.map((v) => v + base).join(' ')}\n`;
      if (text.length > 1 << 18) {
        yield encoder.encode(text);
        text = '';
      }
    }
    yield encoder.encode(text);
    base += p.length / 3;
  }
}

function* trianglesOf(t: Uint32Array): Generator<number[]> {
  for (let i = 0; i < t.length; i += 3) yield [t[i], t[i + 1], t[i + 2]];
}

/** A name on one line, never empty. */
export function plainName(name: string): string {
  return name.replace(/[\0-\x1f\x7f]+/g, ' ').trim() || 'part';
}

/**
 * Faces of a mesh with regular pairs of triangles made one: coplanar, convex, and joined over the longest edge of both
 * (as the diagonal of a rectangle is), the best fitting pairs first. A face begins at an end of that edge, so that who parts it as a fan has the same triangles.
 * @param bent pairs need not be coplanar
 */
export function facesOf(mesh: Mesh, bent = false): number[][] {
  const { positions: p, triangles: t } = mesh;
  const { across } = edgesOf(t, p.length / 3);
  const count = t.length / 3;
  const partner = new Int32Array(count).fill(-1);
  // How far a number of 24 binary digits may be off here.
  const doubt = bent ? p.reduce((most, v) => Math.max(most, Math.abs(v)), 0) * 2 ** -24 : null;
  const candidates: { c: number; skew: number }[] = [];
  for (let c = 0; c < t.length; c++) {
    const other = across[c];
    if (other <= c || t[other] === t[c]) continue;
    const skew = skewOf(p, [t[c], t[lastCorner(other)], t[nextCorner(c)], t[lastCorner(c)]], doubt);
    if (skew < 0.35) candidates.push({ c, skew });
  }
  candidates.sort((a, b) => a.skew - b.skew || a.c - b.c);
  const joint = new Int32Array(count).fill(-1);
  for (const { c } of candidates) {
    const f = Math.floor(c / 3);
    const g = Math.floor(across[c] / 3);
    if (partner[f] >= 0 || partner[g] >= 0) continue;
    partner[f] = g;
    partner[g] = f;
    joint[f] = c;
  }
  const out: number[][] = [];
  for (let f = 0; f < count; f++) {
    if (partner[f] < 0) out.push([t[f * 3], t[f * 3 + 1], t[f * 3 + 2]]);
    else if (joint[f] >= 0) {
      const c = joint[f];
      out.push([t[c], t[lastCorner(across[c])], t[nextCorner(c)], t[lastCorner(c)]]);
    }
  }
  return out;
}

/** How far four corners are from a flat rectangle: the largest cosine between neighbouring sides; 1 when not convex, or not flat where it has to be (`doubt` null). */
function skewOf(p: Float64Array, corners: readonly number[], doubt: number | null): number {
  const q = corners.map((v) => [p[v * 3], p[v * 3 + 1], p[v * 3 + 2]]);
  const sides = q.map((_, i) => q[(i + 1) % 4].map((x, k) => x - q[i][k]));
  const lengths = sides.map((s) => Math.hypot(...s));
  if (lengths.some((l) => !(l > 0))) return 1;
  let worst = 0;
  const normals: number[][] = [];
  for (let i = 0; i < 4; i++) {
    const u = sides[i];
    const v = sides[(i + 1) % 4];
    const cos = (u[0] * v[0] + u[1] * v[1] + u[2] * v[2]) / (lengths[i] * lengths[(i + 1) % 4]);
    worst = Math.max(worst, Math.abs(cos));
    const n = cross(u, v);
    const size = Math.hypot(...n);
    if (!(size > 0)) return 1;
    normals.push(n.map((x) => x / size));
  }
  const [n0] = normals;
  if (normals.some((n) => n[0] * n0[0] + n[1] * n0[1] + n[2] * n0[2] < 0.9)) return 1;
  // Flat: the fourth corner is no farther from the plane of the other three than float32 leaves in doubt.
  const off = Math.abs(n0[0] * (q[3][0] - q[0][0]) + n0[1] * (q[3][1] - q[0][1]) + n0[2] * (q[3][2] - q[0][2]));
  if (off <= Math.max(1e-6 * Math.max(...lengths), 4 * (doubt ?? 0))) return worst;
  return doubt !== null && leastAlong(q, (8 * doubt) / Math.min(...lengths)) ? worst : 1;
}

/** Whether a bent face has less area, by a share at least, parted from its first corner to its third: who parts it by least area finds the same then. */
function leastAlong([a, b, c, d]: number[][], share: number): boolean {
  const area = (p: number[], q: number[], r: number[]) => Math.hypot(...cross(q.map((v, k) => v - p[k]), r.map((v, k) => v - p[k]))); // prettier-ignore
  return (area(a, b, c) + area(a, c, d)) * (1 + share) < area(b, c, d) + area(b, d, a);
}
