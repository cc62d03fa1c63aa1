import { edgesOf, nextCorner, openEdge } from '../geometry/edges.ts';
import type { Mesh } from '../geometry/mesh.ts';
import type { Rest } from './rest.ts';
import { leastSquaresFlat, toArea } from './rigid.ts';
import { MeshSystem } from './system.ts';

/**
 * A conformal flat to begin from: of a piece with one border its edges keep their lengths as nearly as they can and turn as the curvature
 * inside makes them, and the inside is laid between them; of a piece with holes by least squares.
 * Sources: Sawhney and Crane, Boundary first flattening, 2017, sections 4 to 6 (free border of least change); Levy et al. 2002.
 * @returns 2 numbers a vertex, mm
 */
export function conformalFlat(mesh: Mesh, rest: Rest): Float64Array {
  const ring = soleBorder(mesh);
  if (!ring || ring.length === mesh.positions.length / 3) return leastSquaresFlat(mesh, rest);
  return byBorder(mesh, rest, ring) ?? leastSquaresFlat(mesh, rest);
}

/** The border in order, when there is just one. */
function soleBorder({ positions, triangles: t }: Mesh): number[] | null {
  const { across } = edgesOf(t, positions.length / 3);
  const next = new Map<number, number>();
  let count = 0;
  for (let c = 0; c < t.length; c++) {
    if (across[c] !== openEdge) continue;
    next.set(t[c], t[nextCorner(c)]);
    count++;
  }
  if (count === 0 || next.size !== count) return null;
  const [start] = next.keys();
  const ring = [start];
  for (let v = next.get(start); v !== undefined && v !== start && ring.length < count; v = next.get(v)) ring.push(v);
  return ring.length === count ? ring : null;
}

function byBorder(mesh: Mesh, rest: Rest, ring: readonly number[]): Float64Array | null {
  const { positions: p, triangles: t } = mesh;
  const n = p.length / 3;
  const system = new MeshSystem(t, p, 1, new Set(ring));
  const weights = cotangentEntries(rest);
  for (let k = 0; k < weights.length; k++) if (system.slots[k] >= 0) system.values[system.slots[k]] += weights[k];
  if (!system.factor()) return null;
  const angles = anglesOf(rest, t, n);
  const rim = new Uint8Array(n);
  for (const v of ring) rim[v] = 1;
  // How the logarithm of the scale must bend so that the inside becomes flat: A u = -K inside, u = 0 on the border.
  const scale = new Float64Array(2 * n);
  for (let v = 0; v < n; v++) if (!rim[v]) scale[2 * v] = angles[v] - 2 * Math.PI;
  system.solve(scale);
  const flow = applied(weights, t, scale);
  const flat = closedCurve(
    ring.map((v, i) => apart(p, v, ring[(i + 1) % ring.length])),
    ring.map((v) => Math.PI - angles[v] + flow[2 * v]),
  );
  const out = new Float64Array(2 * n);
  ring.forEach((v, i) => out.set(flat[i], 2 * v));
  const step = applied(weights, t, out).map((v) => -v);
  system.solve(step);
  for (let i = 0; i < out.length; i++) out[i] += step[i];
  return out.every(Number.isFinite) ? toArea(out, rest, t) : null;
}

const apart = (p: Float64Array, a: number, b: number): number => Math.hypot(p[a * 3] - p[b * 3], p[a * 3 + 1] - p[b * 3 + 1], p[a * 3 + 2] - p[b * 3 + 2]);

/** Entries of each triangle's part of the Laplacian, row by row of its lower half. */
function cotangentEntries({ gradients: g, areas }: Rest): Float64Array {
  const out = new Float64Array(areas.length * 6);
  let at = 0;
  for (let k = 0; k < areas.length; k++)
    for (let i = 0; i < 3; i++)
      for (let j = 0; j <= i; j++) out[at++] = areas[k] * (g[k * 6 + 2 * i] * g[k * 6 + 2 * j] + g[k * 6 + 2 * i + 1] * g[k * 6 + 2 * j + 1]);
  return out;
}

/** The Laplacian applied to two numbers a vertex. */
function applied(weights: Float64Array, t: Uint32Array, x: Float64Array): Float64Array {
  const out = new Float64Array(x.length);
  let at = 0;
  for (let k = 0; k < t.length; k += 3)
    for (let i = 0; i < 3; i++)
      for (let j = 0; j <= i; j++) {
        const w = weights[at++];
        const [a, b] = [t[k + i] * 2, t[k + j] * 2];
        for (let d = 0; d < 2; d++) {
          out[a + d] += w * x[b + d];
          if (i !== j) out[b + d] += w * x[a + d];
        }
      }
  return out;
}

/** Angles round each vertex, from the gradients: the angle between two sides is that between the other two gradients, turned round. */
function anglesOf({ gradients: g }: Rest, t: Uint32Array, n: number): Float64Array {
  const out = new Float64Array(n);
  for (let k = 0; k < t.length / 3; k++)
    for (let i = 0; i < 3; i++) {
      const [a, b] = [k * 6 + 2 * ((i + 1) % 3), k * 6 + 2 * ((i + 2) % 3)];
      // Gradients stand upright on the opposite sides, so the two at the other corners turn by pi less the angle here.
      out[t[k * 3 + i]] += Math.PI - Math.atan2(Math.abs(g[a] * g[b + 1] - g[a + 1] * g[b]), g[a] * g[b] + g[a + 1] * g[b + 1]);
    }
  return out;
}

/** A closed curve of edges with nearly these lengths that turn by these angles; lengths change as little as they can. */
function closedCurve(lengths: readonly number[], turns: readonly number[]): [number, number][] {
  let angle = 0;
  const ways = turns.map((turn) => {
    angle += turn;
    return [Math.cos(angle), Math.sin(angle)];
  });
  let [xx, xy, yy, sx, sy] = [0, 0, 0, 0, 0];
  ways.forEach(([x, y], i) => {
    const l = lengths[i];
    xx += l * x * x;
    xy += l * x * y;
    yy += l * y * y;
    sx += l * x;
    sy += l * y;
  });
  const d = xx * yy - xy * xy;
  const [a, b] = [(yy * sx - xy * sy) / d, (xx * sy - xy * sx) / d];
  let [px, py] = [0, 0];
  return ways.map(([x, y], i) => {
    const at: [number, number] = [px, py];
    const l = lengths[i] * (1 - (x * a + y * b));
    px += l * x;
    py += l * y;
    return at;
  });
}
