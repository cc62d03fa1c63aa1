import type { Piece } from './pieces.ts';
import type { Rest } from './rest.ts';
import { toArea } from './rigid.ts';
import { MeshSystem } from './system.ts';

/**
 * A flat without any flip to begin from: the longest border on a circle, each inner point in the middle of its neighbours; other borders are
 * closed by a point of their own. Source: Tutte, How to draw a graph, 1963; Floater, One-to-one piecewise linear mappings over triangulations, 2003.
 */
export function roundFlat(piece: Piece, rest: Rest): Float64Array {
  const { positions, triangles } = piece.mesh;
  const n = positions.length / 3;
  const loops = piece.loops.map((runs) => runs.flatMap((r) => r.vertices.slice(0, -1)));
  const long = (loop: readonly number[]) => loop.reduce((sum, v, i) => sum + apart(positions, v, loop[(i + 1) % loop.length]), 0);
  const lengths = loops.map(long);
  const outer = lengths.indexOf(Math.max(...lengths));
  const inner = loops.filter((_, i) => i !== outer);
  const places = new Float64Array((n + inner.length) * 3);
  places.set(positions);
  const more: number[] = [];
  inner.forEach((loop, i) => {
    const v = n + i;
    for (let k = 0; k < loop.length; k++) {
      for (let d = 0; d < 3; d++) places[v * 3 + d] += positions[loop[k] * 3 + d] / loop.length;
      more.push(loop[(k + 1) % loop.length], loop[k], v);
    }
  });
  const all = new Uint32Array(triangles.length + more.length);
  all.set(triangles);
  all.set(more, triangles.length);
  const system = new MeshSystem(all, places, 1, new Set(loops[outer]));
  const flat = new Float64Array((n + inner.length) * 2);
  let along = 0;
  loops[outer].forEach((v, i) => {
    const turn = (2 * Math.PI * along) / lengths[outer];
    flat[2 * v] = Math.cos(turn);
    flat[2 * v + 1] = Math.sin(turn);
    along += apart(positions, v, loops[outer][(i + 1) % loops[outer].length]);
  });
  const step = new Float64Array(flat.length);
  for (let k = 0; k < all.length; k += 3) {
    let at = (k / 3) * 6;
    for (let i = 0; i < 3; i++)
      for (let j = 0; j <= i; j++) {
        const slot = system.slots[at++];
        if (slot >= 0) system.values[slot] += i === j ? 2 : -1;
      }
    for (let i = 0; i < 3; i++) {
      const v = all[k + i];
      for (let j = 0; j < 3; j++) for (let d = 0; d < 2; d++) step[2 * v + d] -= (i === j ? 2 : -1) * flat[2 * all[k + j] + d];
    }
  }
  if (system.factor()) {
    system.solve(step);
    for (let i = 0; i < flat.length; i++) flat[i] += step[i];
  }
  return toArea(flat.slice(0, 2 * n), rest, triangles);
}

const apart = (p: Float64Array, a: number, b: number): number => Math.hypot(p[a * 3] - p[b * 3], p[a * 3 + 1] - p[b * 3 + 1], p[a * 3 + 2] - p[b * 3 + 2]);
