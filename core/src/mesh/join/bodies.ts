import { Unusable } from '../../base/finding.ts';
import { buildBvh } from '../../geometry/bvh/build.ts';
import { edgesOf } from '../../geometry/edges.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { nestingOf } from '../../geometry/nesting.ts';
import { dividedIntoShells, shellsOf, together, type Shells } from '../../geometry/shells.ts';
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
  const { now, edges, shells, bvh, pairs } = uncrossed(withoutCollapsed(mesh).mesh, told);
  if (shells.count === 1) {
    const { volume } = nestingOf(now, edges, shells, null);
    if (volume[0] >= 0) return { bodies: [now], told };
    return { bodies: [turnedAround(now, () => true).mesh], told: [...told, 'A part was inside out and was turned.'] };
  }
  const nesting = nestingOf(now, edges, shells, bvh);
  const meets = meetingShells(pairs.crossing, shells);
  const wraps = nesting.wraps.map((list, s) => list.filter((g) => !meets[s].has(g)));
  const { parts, turned } = sharedOut({ pieces: dividedIntoShells(now), volume: nesting.volume, meets, wraps });
  if (turned > 0)
    told.push(`${turned === 1 ? 'One shell was' : `${turned.toLocaleString('en')} shells were`} inside out and ${turned === 1 ? 'was' : 'were'} turned.`);
  return { bodies: parts.map((list) => together(list)), told };
}

/** A mesh with what is known of it. */
function looked(now: Mesh, edges = edgesOf(now.triangles, now.positions.length / 3)) {
  const bvh = buildBvh(now);
  return { now, edges, shells: shellsOf(now.triangles, now.positions.length / 3, edges), bvh, pairs: crossingsOf(bvh, mostPairs) };
}

/** Pairs of triangles that cross are looked for up to so many. */
const mostPairs = 500_000;

/** The mesh with shells that do not cross themselves. @param told what had to be done @throws Unusable when it is not closed, or can't be opened where it crosses itself */
function uncrossed(mesh: Mesh, told: string[]): ReturnType<typeof looked> {
  const edges = edgesOf(mesh.triangles, mesh.positions.length / 3);
  if (edges.open + edges.flipped + edges.nonManifold > 0 || mesh.triangles.length === 0) {
    const why = [
      [edges.open, 'open edges'],
      [edges.nonManifold, 'edges with more than two triangles'],
      [edges.flipped, 'edges between triangles that face opposite ways'],
    ].filter(([count]) => (count as number) > 0);
    const said = why.map(([count, what]) => `${count.toLocaleString('en')} ${what}`).join(', ') || 'it has no triangles';
    throw refuse(`A part is not one closed solid (${said}), so nothing can be joined to it or taken from it.`);
  }
  const first = looked(mesh, edges);
  const own = countOwn(first.pairs.crossing, first.shells.of);
  if (own === 0) return first;
  const mended = crossingsMended(mesh);
  if (!mended.mesh || heldAgainst(mesh, mended.mesh).refused !== null) {
    throw new Unusable(
      'crosses-itself',
      `A part goes through itself (${own.toLocaleString('en')} pairs of triangles), and opening it there would change its shape.`,
      'Remake its surface on the Soundness step first (or: tall-kite mend IN --wrap CELL --out OUT).',
    );
  }
  told.push(`A part went through itself at ${own.toLocaleString('en')} pairs of triangles; it was opened there and closed again first.`);
  return looked(mended.mesh);
}

/** Shells that run into each other lie in no order to each other. */
function meetingShells(crossing: Uint32Array, { of, count }: Shells): Set<number>[] {
  const meets = Array.from({ length: count }, () => new Set<number>());
  for (let i = 0; i < crossing.length; i += 2) {
    const [a, b] = [of[crossing[i]], of[crossing[i + 1]]];
    meets[a].add(b);
    meets[b].add(a);
  }
  return meets;
}

interface Lying {
  /** Each shell as a mesh, and its volume, below 0 where it faces inward. */
  pieces: Mesh[];
  volume: ArrayLike<number>;
  /** The shells that each runs into, and those that lie around it. */
  meets: Set<number>[];
  wraps: number[][];
}

/** Shells shared out to bodies, the outermost first; and how many of their skins had to be turned. */
function sharedOut({ pieces, volume, meets, wraps }: Lying): { parts: Mesh[][]; turned: number } {
  const facing = (s: number, out: boolean) => (volume[s] >= 0 === out ? pieces[s] : turnedAround(pieces[s], () => true).mesh);
  const order = Array.from(wraps.keys()).sort((a, b) => wraps[a].length - wraps[b].length);
  /** For each shell the body that its inside belongs to; -1 where its inside is empty. */
  const bodyOf = new Int32Array(pieces.length).fill(-1);
  const solid = new Uint8Array(pieces.length);
  const parts: Mesh[][] = [];
  let turned = 0;
  for (const s of order) {
    // The closest of those around a shell is the one that most others are around.
    const up = wraps[s].reduce((best, g) => (best < 0 || wraps[g].length > wraps[best].length ? g : best), -1);
    if (up < 0 || !solid[up]) {
      // Outside, or in a hollow: a body of its own.
      if (volume[s] < 0) {
        if (meets[s].size > 0) throw breaksOut();
        turned++;
      }
      solid[s] = 1;
      bodyOf[s] = parts.push([facing(s, true)]) - 1;
    } else if (Math.sign(volume[s]) !== Math.sign(volume[up])) {
      // In a solid and facing the other way: a hollow of that solid.
      parts[bodyOf[up]].push(facing(s, false));
    } else {
      // In a solid and facing the same way: it is solid there already. What lies deeper is seen from the solid around.
      solid[s] = 1;
      bodyOf[s] = bodyOf[up];
    }
  }
  return { parts, turned };
}

const breaksOut = () =>
  new Unusable(
    'hollow-breaks-out',
    'A shell that faces inward runs into another shell: it is either a hollow that breaks through the wall, or a body turned inside out.',
    'Mend the part on the Soundness step first, or turn that shell around where it was made.',
  );

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
