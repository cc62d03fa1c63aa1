import { Unusable } from '../../base/finding.ts';
import { buildBvh } from '../../geometry/bvh/build.ts';
import { edgesOf } from '../../geometry/edges.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { nestingOf } from '../../geometry/nesting.ts';
import { dividedIntoShells, shellsOf, together } from '../../geometry/shells.ts';
import { crossingsMended } from '../repair/crossings.ts';
import { heldAgainst } from '../repair/held.ts';
import { turnedAround, withoutCollapsed } from '../repair/steps.ts';
import { crossingsOf } from '../soundness/crossings.ts';
import type { Engine, Frame } from '../../engine/engine.ts';
import { toManifold, withSolids } from '../../engine/engine.ts';
import type { Manifold } from 'manifold-3d';

/** What a mesh means as solids. */
export interface Bodies {
  /** Closed meshes, each one skin that faces out with the hollows that lie directly in it; islands in a hollow are bodies of their own. */
  bodies: Mesh[];
  /** What had to be turned or mended first, one sentence each; empty for a sound mesh. */
  told: string[];
}

const refuse = (message: string) => new Unusable('not-closed', message, 'Mend it on the Soundness step first.');

/**
 * The solids that a mesh means, by how its shells lie in each other, at any depth. A shell that crosses itself is mended first;
 * one that is inside out is turned; both are told. Shells that run into each other are bodies of their own.
 *
 * @throws Unusable when the mesh is not closed, goes through itself and can't be mended, or has a hollow that breaks out of its wall.
 * @example bodiesOf(cubeWithHollow).bodies.length // 1
 */
export function bodiesOf(mesh: Mesh): Bodies {
  const told: string[] = [];
  let now = withoutCollapsed(mesh).mesh;
  let edges = edgesOf(now.triangles, now.positions.length / 3);
  if (edges.open + edges.flipped + edges.nonManifold > 0 || now.triangles.length === 0) {
    const why = [
      [edges.open, 'open edges'],
      [edges.nonManifold, 'edges with more than two triangles'],
      [edges.flipped, 'edges between triangles that face opposite ways'],
    ].filter(([count]) => (count as number) > 0);
    const said = why.map(([count, what]) => `${count.toLocaleString('en')} ${what}`).join(', ') || 'it has no triangles';
    throw refuse(`A part is not one closed solid (${said}), so nothing can be joined to it or taken from it.`);
  }
  let shells = shellsOf(now.triangles, now.positions.length / 3, edges);
  let bvh = buildBvh(now);
  let pairs = crossingsOf(bvh, 500_000);
  const own = countOwn(pairs.crossing, shells.of);
  if (own > 0) {
    const mended = crossingsMended(now);
    if (!mended.mesh || heldAgainst(now, mended.mesh).refused !== null) {
      throw new Unusable(
        'crosses-itself',
        `A part goes through itself (${own.toLocaleString('en')} pairs of triangles), and opening it there would change its shape.`,
        'Remake its surface on the Soundness step first (or: tall-kite mend IN --wrap CELL --out OUT).',
      );
    }
    told.push(`A part went through itself at ${own.toLocaleString('en')} pairs of triangles; it was opened there and closed again first.`);
    now = mended.mesh;
    edges = edgesOf(now.triangles, now.positions.length / 3);
    shells = shellsOf(now.triangles, now.positions.length / 3, edges);
    bvh = buildBvh(now);
    pairs = crossingsOf(bvh, 500_000);
  }
  if (shells.count === 1) {
    const { volume } = nestingOf(now, edges, shells, null);
    if (volume[0] >= 0) return { bodies: [now], told };
    return { bodies: [turnedAround(now, () => true).mesh], told: [...told, 'A part was inside out and was turned.'] };
  }
  const nesting = nestingOf(now, edges, shells, bvh);
  const { volume } = nesting;
  // Shells that run into each other lie in no order to each other.
  const meets = Array.from({ length: shells.count }, () => new Set<number>());
  for (let i = 0; i < pairs.crossing.length; i += 2) {
    const [a, b] = [shells.of[pairs.crossing[i]], shells.of[pairs.crossing[i + 1]]];
    meets[a].add(b);
    meets[b].add(a);
  }
  const wraps = nesting.wraps.map((list, s) => list.filter((g) => !meets[s].has(g)));
  const depth = Int32Array.from(wraps, (list) => list.length);
  const pieces = dividedIntoShells(now);
  const order = Array.from(depth.keys()).sort((a, b) => depth[a] - depth[b]);
  /** For each shell the body that its inside belongs to; -1 where its inside is empty. */
  const bodyOf = new Int32Array(shells.count).fill(-1);
  const solid = new Uint8Array(shells.count);
  const parts: Mesh[][] = [];
  let turned = 0;
  for (const s of order) {
    // The closest of those around a shell is the one that most others are around.
    const up = wraps[s].reduce((best, g) => (best < 0 || depth[g] > depth[best] ? g : best), -1);
    if (meets[s].size > 0 && volume[s] < 0 && (up < 0 || !solid[up])) {
      throw new Unusable(
        'hollow-breaks-out',
        'A shell that faces inward runs into another shell: it is either a hollow that breaks through the wall, or a body turned inside out.',
        'Mend the part on the Soundness step first, or turn that shell around where it was made.',
      );
    }
    if (up < 0 || !solid[up]) {
      // Outside, or in a hollow: a body of its own.
      const inward = volume[s] < 0;
      if (inward) turned++;
      solid[s] = 1;
      bodyOf[s] = parts.push([inward ? turnedAround(pieces[s], () => true).mesh : pieces[s]]) - 1;
    } else if (Math.sign(volume[s]) !== Math.sign(volume[up])) {
      // In a solid and facing the other way: a hollow of that solid.
      parts[bodyOf[up]].push(volume[s] < 0 ? pieces[s] : turnedAround(pieces[s], () => true).mesh);
    } else {
      // In a solid and facing the same way: it is solid there already. What lies deeper is seen from the solid around.
      solid[s] = 1;
      bodyOf[s] = bodyOf[up];
    }
  }
  if (turned > 0)
    told.push(`${turned === 1 ? 'One shell was' : `${turned.toLocaleString('en')} shells were`} inside out and ${turned === 1 ? 'was' : 'were'} turned.`);
  return { bodies: parts.map((list) => together(list)), told };
}

function countOwn(pairs: Uint32Array, of: Int32Array): number {
  let own = 0;
  for (let i = 0; i < pairs.length; i += 2) if (of[pairs[i]] === of[pairs[i + 1]]) own++;
  return own;
}

/** One library solid of all bodies of a mesh, united. The caller deletes it. */
export function solidOf(engine: Engine, mesh: Mesh, frame: Frame): { solid: Manifold; told: string[] } {
  const { bodies, told } = bodiesOf(mesh);
  if (bodies.length === 1) return { solid: toManifold(engine, bodies[0], frame), told };
  return withSolids((keep) => ({ solid: engine.Manifold.union(bodies.map((body) => keep(toManifold(engine, body, frame)))), told }));
}
