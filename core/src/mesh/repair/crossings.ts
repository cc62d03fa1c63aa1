import { buildBvh } from '../../geometry/bvh/build.ts';
import { edgesOf } from '../../geometry/edges.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { keepTriangles, shellsOf } from '../../geometry/shells.ts';
import { crossingsOf } from '../soundness/crossings.ts';
import { holesClosed } from './close.ts';
import { parted, withoutCollapsed, withoutSlivers } from './steps.ts';

/** After so many rounds a crossing is left as it is. */
const mostRounds = 8;

/**
 * Takes out the triangles that go through each other, with a ring around them that grows from round to round, and closes
 * what that opens. Works on closed meshes; gives null when it does not get rid of all within a few rounds.
 * Source: Attene, A lightweight approach to repairing digitized polygon meshes, 2010.
 */
export function crossingsMended(mesh: Mesh): { mesh: Mesh | null; removed: number } {
  let now = mesh;
  let removed = 0;
  for (let round = 0; round < mostRounds; round++) {
    const { crossing, lying, crossingPairs, lyingPairs } = crossingsOf(buildBvh(now), 500_000);
    const shells = shellsOf(now.triangles, now.positions.length / 3);
    const bad = new Uint8Array(now.triangles.length / 3);
    let own = 0;
    for (const pairs of [crossing, lying]) {
      for (let i = 0; i < pairs.length; i += 2) {
        // Different shells that cross are united elsewhere.
        if (shells.of[pairs[i]] !== shells.of[pairs[i + 1]]) continue;
        bad[pairs[i]] = bad[pairs[i + 1]] = 1;
        own++;
      }
    }
    if (own === 0) return { mesh: crossingPairs + lyingPairs >= 0 ? now : null, removed };
    grow(now, bad, 1 + Math.floor(round / 2));
    for (const b of bad) removed += b;
    const opened = largestOfEach(
      keepTriangles(now, (i) => !bad[i]),
      shells.count,
    );
    const whole = parted(opened, 0).mesh;
    const closed = holesClosed(whole, { how: 'flat', unitesLater: false }, () => null);
    if (closed.left.length > 0) return { mesh: null, removed: 0 };
    now = withoutSlivers(withoutCollapsed(closed.mesh).mesh).mesh;
    const edges = edgesOf(now.triangles, now.positions.length / 3);
    if (edges.open + edges.nonManifold > 0) now = parted(now, 0).mesh;
  }
  return { mesh: null, removed: 0 };
}

function grow(mesh: Mesh, bad: Uint8Array, rings: number): void {
  const { triangles: t } = mesh;
  const touched = new Uint8Array(mesh.positions.length / 3);
  for (let ring = 0; ring < rings; ring++) {
    touched.fill(0);
    for (let i = 0; i < t.length; i++) if (bad[Math.floor(i / 3)]) touched[t[i]] = 1;
    for (let i = 0; i < bad.length; i++) if (touched[t[i * 3]] || touched[t[i * 3 + 1]] || touched[t[i * 3 + 2]]) bad[i] = 1;
  }
}

/** Small scraps that the opening cut loose go; as many of the largest pieces stay as there were shells. */
function largestOfEach(mesh: Mesh, shells: number): Mesh {
  const now = shellsOf(mesh.triangles, mesh.positions.length / 3);
  if (now.count <= shells) return mesh;
  const size = new Uint32Array(now.count);
  for (const s of now.of) if (s >= 0) size[s]++;
  const order = Array.from(size.keys()).sort((a, b) => size[b] - size[a]);
  const stays = new Set(order.slice(0, shells));
  return keepTriangles(mesh, (i) => stays.has(now.of[i]));
}
