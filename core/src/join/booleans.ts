import type { Manifold } from 'manifold-3d';
import { Unusable } from '../findings/finding.ts';
import { boxOf, diagonalOf } from '../geometry/box.ts';
import { edgesOf } from '../geometry/edges.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { weldEqual } from '../geometry/weld.ts';
import { parted, withoutCollapsed } from '../mend/steps.ts';
import { gapBetween } from '../soundness/thickness.ts';
import { frameFor, fromManifold, toManifold, withSolids, type Engine, type Frame } from './engine.ts';

export type BooleanKind = 'join' | 'subtract' | 'common';

/** What came of it: the mesh, and how many separate solids it is. */
export interface Combined {
  mesh: Mesh;
  pieces: number;
  /** Solids that only touch (or lie apart) stay several pieces after joining. */
  note: string | null;
}

/**
 * Union, difference or common part of closed meshes: the first with all others. A real union: what lies inside is gone and
 * faces are one skin.
 * @throws Unusable when one is not closed, or nothing is left.
 */
export function combine(engine: Engine, kind: BooleanKind, meshes: readonly Mesh[]): Combined {
  if (meshes.length < 2) throw new Unusable('one-part', 'It takes two parts or more.', 'Choose another part too.');
  const frame = frameFor(meshes);
  return withSolids((keep) => {
    const solids = meshes.map((mesh) => keep(toManifold(engine, mesh, frame)));
    const { Manifold } = engine;
    const result = keep(kind === 'join' ? Manifold.union(solids) : kind === 'subtract' ? Manifold.difference(solids) : Manifold.intersection(solids));
    return finished(result, frame, kind, meshes.length);
  });
}

function finished(result: Manifold, frame: Frame, kind: BooleanKind, given: number): Combined {
  if (result.isEmpty()) {
    throw new Unusable(
      'nothing-left',
      kind === 'common' ? 'The parts have nothing in common.' : 'Nothing is left of the part.',
      'Look at where the parts stand to each other, and at their units.',
    );
  }
  const mesh = apartInFiles(fromManifold(result, frame));
  const pieces = piecesOf(result);
  const note =
    kind === 'join' && pieces > 1
      ? `They stay ${pieces} pieces: ${given > pieces ? 'some of them' : 'they'} only touch or lie apart, so there is nothing that holds them together. Let them run into each other by a little.`
      : null;
  return { mesh, pieces, note };
}

/**
 * Solids that touch along an edge have vertices of their own there, at the same place. A file that knows places only would
 * join them to edges with four triangles, so they are parted by a hair (a 2^-18 of the diagonal).
 */
function apartInFiles(mesh: Mesh): Mesh {
  const welded = weldEqual(mesh.positions, mesh.triangles);
  if (edgesOf(welded.triangles, welded.positions.length / 3).nonManifold === 0) return mesh;
  const whole = withoutCollapsed(welded).mesh;
  const apart = parted(whole, diagonalOf(boxOf(mesh.positions)) * 2 ** -18).mesh;
  const { open, nonManifold, flipped } = edgesOf(apart.triangles, apart.positions.length / 3);
  return open + nonManifold + flipped === 0 ? apart : mesh;
}

/** How many separate solids a result is (a void inside one does not count). */
export function piecesOf(solid: Manifold): number {
  const parts = solid.decompose();
  const pieces = parts.filter((part) => part.volume() > 0).length;
  for (const part of parts) part.delete();
  return pieces;
}

/** How two closed parts lie to each other: apart, touching, or running into each other, with the volume they share (mm3). */
export function relation(engine: Engine, a: Mesh, b: Mesh): { how: 'apart' | 'touch' | 'overlap'; shared: number; gap: number } {
  const frame = frameFor([a, b]);
  return withSolids((keep) => {
    const A = keep(toManifold(engine, a, frame));
    const B = keep(toManifold(engine, b, frame));
    const common = keep(engine.Manifold.intersection([A, B]));
    const shared = common.volume() / frame.scale ** 3;
    const small = (1e-9 * Math.min(A.volume(), B.volume())) / frame.scale ** 3;
    if (shared > small) return { how: 'overlap', shared, gap: 0 };
    // Places on both surfaces bound the gap from above, so that the exact search looks at near triangles only.
    const bound = Math.min(gapBetween(a, b, 0).least, gapBetween(b, a, 0).least) * frame.scale;
    const gap = A.minGap(B, bound * 1.001 + 1e-6) / frame.scale;
    return { how: gap < 1e-6 ? 'touch' : 'apart', shared: 0, gap };
  });
}
