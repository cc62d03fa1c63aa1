import type { Manifold } from 'manifold-3d';
import { Unusable } from '../../base/finding.ts';
import { boxOf } from '../../geometry/box.ts';
import { buildBvh } from '../../geometry/bvh/build.ts';
import { nearestOnMesh, nowhere } from '../../geometry/bvh/nearest.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { halton } from '../../geometry/spread.ts';
import { windingNumber, windingTree } from '../../geometry/winding.ts';
import { gapBetween } from '../soundness/thickness.ts';
import { apartInFiles } from './apart.ts';
import { bodiesOf, solidOf } from './bodies.ts';
import { frameFor, fromManifold, toManifold, withSolids, type Engine, type Frame } from '../../engine/engine.ts';
import type { Vec3 } from '../../geometry/vector.ts';

export type BooleanKind = 'join' | 'subtract' | 'common';

/** What came of it: the mesh, and how many separate solids it is. */
export interface Combined {
  mesh: Mesh;
  pieces: number;
  /** Solids that only touch (or lie apart) stay several pieces after joining. */
  note: string | null;
  /** What was mended or turned before, one sentence each. */
  told: string[];
}

/**
 * Union, difference or common part of closed meshes: the first with all others. A real union: what lies inside is gone and
 * faces are one skin. Each mesh is taken as it is meant: hollows stay hollow, islands stay, shells that run into each other are
 * one solid (`bodiesOf`). A union of one mesh joins its own bodies. The result is held against the given meshes place by place.
 * @throws Unusable when one is not closed, nothing is left, or the result does not fill what it should.
 */
export function combine(engine: Engine, kind: BooleanKind, meshes: readonly Mesh[]): Combined {
  if (meshes.length < (kind === 'join' ? 1 : 2)) throw new Unusable('one-part', 'It takes two parts or more.', 'Choose another part too.');
  const frame = frameFor(meshes);
  const told: string[] = [];
  return withSolids((keep) => {
    let bodies = 0;
    const solids = meshes.map((mesh) => {
      const meant = bodiesOf(mesh);
      told.push(...meant.told);
      bodies += meant.bodies.length;
      const list = meant.bodies.map((body) => keep(toManifold(engine, body, frame)));
      return list.length === 1 ? list[0] : keep(engine.Manifold.union(list));
    });
    const { Manifold } = engine;
    const result = keep(kind === 'join' ? Manifold.union(solids) : kind === 'subtract' ? Manifold.difference(solids) : Manifold.intersection(solids));
    const made = finished(result, frame, { kind, given: bodies, told });
    const wrong = misplaced(kind, meshes, made.mesh);
    if (wrong > mostMisplaced) {
      throw new Unusable(
        'not-as-meant',
        `The result does not fill what the parts say it should: ${(wrong * 100).toFixed(1)} % of the places looked at are on the wrong side.`,
        'Mend the parts on the Soundness step first.',
      );
    }
    return made;
  });
}

/** So large a share of places may be on the wrong side: those within the library's float32 of a surface. */
export const mostMisplaced = 0.002;

/**
 * Share of places that the result has on another side than the given meshes say, by winding numbers of those meshes as they
 * came: another route than shells and the library. Places within 1e-5 of the diagonal of a surface are not asked.
 */
export function misplaced(kind: BooleanKind, meshes: readonly Mesh[], result: Mesh, places = 2000): number {
  const boxes = meshes.map((m) => boxOf(m.positions));
  const low = [0, 1, 2].map((k) => Math.min(...boxes.map((b) => b.min[k])));
  const high = [0, 1, 2].map((k) => Math.max(...boxes.map((b) => b.max[k])));
  const near = Math.hypot(...low.map((l, k) => high[k] - l)) * 1e-5;
  const trees = meshes.map((m) => windingTree(buildBvh(m)));
  const made = windingTree(buildBvh(result));
  const out = nowhere();
  let [asked, wrong] = [0, 0];
  for (let i = 1; i <= places; i++) {
    const at = [2, 3, 5].map((base, k) => low[k] + halton(i, base) * (high[k] - low[k])) as Vec3;
    const inside = trees.map((tree) => Math.abs(windingNumber(tree, at)) > 0.5);
    const wanted = kind === 'join' ? inside.some(Boolean) : kind === 'common' ? inside.every(Boolean) : inside[0] && !inside.slice(1).some(Boolean);
    asked++;
    if (windingNumber(made, at) > 0.5 === wanted) continue;
    if (trees.every((tree) => nearestOnMesh(tree.bvh, at, out).squared > near * near)) wrong++;
  }
  return wrong / asked;
}

function finished(result: Manifold, frame: Frame, { kind, given, told }: { kind: BooleanKind; given: number; told: string[] }): Combined {
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
    kind === 'join' && given === 1
      ? 'It is one body already, so nothing was joined.'
      : kind === 'join' && pieces > 1
        ? `They stay ${pieces} pieces: ${given > pieces ? 'some of them' : 'they'} only touch or lie apart, so there is nothing that holds them together. Let them run into each other by a little.`
        : null;
  return { mesh, pieces, note, told };
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
    const A = keep(solidOf(engine, a, frame).solid);
    const B = keep(solidOf(engine, b, frame).solid);
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
