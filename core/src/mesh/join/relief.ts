import { Unusable } from '../../base/finding.ts';
import { boxOf } from '../../geometry/box.ts';
import { edgesOf, nextCorner, openEdge } from '../../geometry/edges.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { combine } from './booleans.ts';
import type { Engine } from '../../engine/engine.ts';

/** How an open surface becomes a solid. Lengths in mm. */
export type ReliefChoice = { kind: 'thicken'; thickness: number } | { kind: 'base'; height: number } | { kind: 'block'; margin: number; height: number };

/**
 * A terrain or relief as a solid: thickened straight down, closed to a flat base at a height, or what it leaves of a block.
 * The surface must face up everywhere (no overhang), as terrain does.
 * @throws Unusable when it has no rim, overhangs, or the base would cut it.
 */
export function reliefSolid(engine: Engine, mesh: Mesh, choice: ReliefChoice): Mesh {
  const { positions: p, triangles } = mesh;
  if (edgesOf(triangles, p.length / 3).open === 0) throw new Unusable('no-rim', 'The surface is closed already, so it needs no base.', 'Use it as it is.');
  const t = facingUp(p, triangles);
  const edges = edgesOf(t, p.length / 3);
  if (edges.nonManifold + edges.flipped > 0)
    throw new Unusable('surface-unsound', 'The surface does not lie in one piece: mend it first.', 'Use "Mend all that is safe" with holes left open.');
  const box = boxOf(p);
  if (choice.kind === 'thicken') {
    if (!(choice.thickness > 0)) throw new Unusable('no-thickness', 'The thickness must be above 0 mm.', 'Type one.');
    return sides(p, t, edges.across, (z) => z - choice.thickness);
  }
  if (!(choice.height < box.min[2])) {
    throw new Unusable(
      'base-too-high',
      `The base at ${choice.height} mm is not below the lowest point of the surface (${box.min[2].toFixed(3)} mm).`,
      'Type a lower height.',
    );
  }
  const closed = sides(p, t, edges.across, () => choice.height);
  if (choice.kind === 'base') return closed;
  const low = [box.min[0] + choice.margin, box.min[1] + choice.margin];
  const high = [box.max[0] - choice.margin, box.max[1] - choice.margin];
  if (!(high[0] > low[0] && high[1] > low[1])) throw new Unusable('margin-too-wide', 'The margin leaves no block.', 'Type a smaller one.');
  return combine(engine, 'common', [closed, blockMesh([...low, choice.height - 1] as P3, [...high, box.max[2] + 1] as P3)]).mesh;
}

type P3 = [number, number, number];

/** A block between two corners. */
export function blockMesh(low: P3, high: P3): Mesh {
  const positions = new Float64Array(24);
  for (let i = 0; i < 8; i++) positions.set([i & 1 ? high[0] : low[0], i & 2 ? high[1] : low[1], i & 4 ? high[2] : low[2]], i * 3);
  const quads = [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]]; // prettier-ignore
  return { positions, triangles: Uint32Array.from(quads.flatMap(([a, b, c, d]) => [a, b, c, a, c, d])) };
}

/** Triangles turned so that all face up. @throws Unusable for a wall or an overhang. */
function facingUp(p: Float64Array, triangles: Uint32Array): Uint32Array {
  const t = triangles.slice();
  let up = 0;
  let down = 0;
  for (let i = 0; i < t.length; i += 3) {
    const [a, b, c] = [t[i] * 3, t[i + 1] * 3, t[i + 2] * 3];
    const n = (p[b] - p[a]) * (p[c + 1] - p[a + 1]) - (p[b + 1] - p[a + 1]) * (p[c] - p[a]);
    if (n > 0) up++;
    else if (n < 0) down++;
  }
  if (up > 0 && down > 0 && Math.min(up, down) > 0.001 * (up + down)) {
    throw new Unusable(
      'surface-overhangs',
      'The surface overhangs itself, so it can not be filled straight down.',
      'Turn it so that it faces up, or thicken it in the program that made it.',
    );
  }
  if (down > up) for (let i = 0; i < t.length; i += 3) [t[i + 1], t[i + 2]] = [t[i + 2], t[i + 1]];
  return t;
}

/** The surface, a copy of it below turned over, and walls along the rim. */
function sides(p: Float64Array, t: Uint32Array, across: Int32Array, lower: (z: number) => number): Mesh {
  const vertices = p.length / 3;
  const positions = new Float64Array(p.length * 2);
  positions.set(p);
  for (let v = 0; v < vertices; v++) positions.set([p[v * 3], p[v * 3 + 1], lower(p[v * 3 + 2])], (vertices + v) * 3);
  const walls: number[] = [];
  for (let c = 0; c < t.length; c++) {
    if (across[c] !== openEdge) continue;
    const a = t[c];
    const b = t[nextCorner(c)];
    walls.push(b, a, vertices + a, b, vertices + a, vertices + b);
  }
  const triangles = new Uint32Array(t.length * 2 + walls.length);
  triangles.set(t);
  for (let i = 0; i < t.length; i += 3) triangles.set([vertices + t[i], vertices + t[i + 2], vertices + t[i + 1]], t.length + i);
  triangles.set(walls, t.length * 2);
  return { positions, triangles };
}
