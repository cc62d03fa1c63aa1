import { Unusable } from '../base/finding.ts';
import { edgesOf, nextCorner } from '../geometry/edges.ts';
import { buildBvh } from '../geometry/bvh/build.ts';
import { nearestByAsking, nearestOnMesh, nowhere } from '../geometry/bvh/nearest.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { distance, type Vec3 } from '../geometry/vector.ts';
import type { Area } from './choice.ts';
import { edgeWays } from './edge-way.ts';
import type { ExactSnap } from './exact.ts';
import { someTriangles } from './faced.ts';
import { edgeKey, parted, type CutMesh } from './parting.ts';
import { loopAlong } from './trail.ts';

type Faced = { mesh: Mesh; face: Int32Array };

/** Facets are at most so long beside the smallest brush, so that its border comes out round. */
const brushFacets = 0.4;

/** How fine facets have to be for an area, mm; Infinity where any will do. */
export const finestFor = (area: Area | null): number => (area?.by === 'painted' ? brushFacets * Math.min(...area.dabs.map((d) => d.radius)) : Infinity);

/**
 * What of a surface is taken: within a loop drawn on it, up to some of its edges, or where it was painted. Its border runs where it was drawn, whatever facets there are.
 * @throws Unusable when the loop encloses nothing, or nothing was painted
 */
export function areaOf(it: Faced, area: Area, snap: ExactSnap | null): Faced {
  if (area.by === 'edges') return upToEdges(it, area);
  return area.by === 'loop' ? withinLoop(it, area, snap) : painted(it, area.dabs, snap);
}

function withinLoop(it: Faced, { through, round, inside }: Area & { by: 'loop' }, snap: ExactSnap | null): Faced {
  const now = loopAlong({ ...it, cut: new Set() }, through, round, snap);
  return heldWithin(now, inside, {
    message: 'What was drawn round the area does not part it from the rest of the surface.',
    remedy: 'Draw the loop all round on one side, and name a place within it.',
  });
}

/** What hangs together with a place without crossing what is cut. @throws Unusable with these words when that is all of it */
function heldWithin(it: CutMesh, inside: Vec3, open: { message: string; remedy: string }): Faced {
  const keep = flooded(it, [nearestByAsking(it.mesh, inside).triangle], () => true);
  if (keep.every(Boolean)) throw new Unusable('open-loop', open.message, open.remedy);
  return someTriangles(it, (k) => keep[k]);
}

/** What hangs together with a place without crossing the edges that were chosen, each with what it runs on into. */
function upToEdges(it: Faced, { at, inside }: Area & { by: 'edges' }): Faced {
  const ways = edgeWays(it, 'between faces', at);
  if (ways.length === 0)
    throw new Unusable(
      'no-edges',
      'The surface has no edges between faces.',
      'Draw a loop round the area instead, or let edges of the mesh part faces sooner.',
    );
  const cut = new Set(ways.flatMap((way) => way.slice(1).map((v, i) => edgeKey(way[i], v))));
  return heldWithin({ ...it, cut }, inside, {
    message: 'The edges that were chosen do not part the area from the rest of the surface.',
    remedy: 'Choose edges all round it, and a place within them.',
  });
}

function painted(it: Faced, dabs: readonly { at: Vec3; radius: number }[], snap: ExactSnap | null): Faced {
  // Below 0 within a dab: the border lies where it is 0.
  const off = (p: Vec3): number => dabs.reduce((least, dab) => Math.min(least, distance(p, dab.at) - dab.radius), Infinity);
  const now = parted({ ...it, cut: new Set() }, { off, held: new Set(), snap });
  const { positions: p, triangles: t } = now.mesh;
  const within = (k: number) => off([0, 1, 2].map((d) => (p[t[k * 3] * 3 + d] + p[t[k * 3 + 1] * 3 + d] + p[t[k * 3 + 2] * 3 + d]) / 3) as Vec3) < 0;
  // Thousands of dabs on many triangles: by a tree.
  const tree = buildBvh(now.mesh);
  const starts = dabs.map(({ at }) => nearestOnMesh(tree, at, nowhere()).triangle).filter(within);
  // What lies in reach of a dab but does not hang together with its place is the other side of something thin.
  const keep = flooded(now, starts, within);
  if (!keep.some(Boolean)) throw new Unusable('nothing-painted', 'Nothing of the surface was painted.', 'Paint on the surface itself, with a larger brush.');
  return someTriangles(now, (k) => keep[k]);
}

/** Triangles that hang together with the first ones over edges that are not cut. */
function flooded({ mesh, cut }: CutMesh, starts: readonly number[], may: (triangle: number) => boolean): boolean[] {
  const { triangles: t, positions } = mesh;
  const { across } = edgesOf(t, positions.length / 3);
  const keep = new Array<boolean>(t.length / 3).fill(false);
  const stack = [...starts];
  for (const k of starts) keep[k] = true;
  while (stack.length > 0) {
    const k = stack.pop()!;
    for (let c = k * 3; c < k * 3 + 3; c++) {
      const other = across[c] < 0 ? -1 : (across[c] / 3) | 0;
      if (other < 0 || keep[other] || cut.has(edgeKey(t[c], t[nextCorner(c)])) || !may(other)) continue;
      keep[other] = true;
      stack.push(other);
    }
  }
  return keep;
}
