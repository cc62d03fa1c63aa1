/** What was drawn, clicked or typed on a surface by hand: places beside it, edges that keep their length. */
import { Unusable, type Finding } from '../base/finding.ts';
import { buildBvh } from '../geometry/bvh/build.ts';
import { nearestOnMesh, nowhere } from '../geometry/bvh/nearest.ts';
import type { Mesh } from '../geometry/mesh.ts';
import type { Vec3 } from '../geometry/vector.ts';
import type { KeptEdge } from '../model/patch.ts';
import type { Area, SpreadChoice } from './choice.ts';
import { edgeWays } from './edge-way.ts';
import { placesOf, type Laid } from './lay.ts';
import { edgeKey, type CutMesh } from './parting.ts';
import { seamSlack } from './patch.ts';
import { smoothLengths } from './smooth.ts';

/** Places that somebody typed or clicked for an area; the middles of a brush may lie off the surface. */
export function placesOfArea(area: Area | null): Vec3[] {
  if (!area || area.by === 'painted') return [];
  return area.by === 'loop' ? [...area.through, area.inside] : [...area.at, area.inside];
}

/** Places of cuts and lines that were drawn by hand. */
export const drawnPlaces = ({ lines, drawn = [] }: SpreadChoice): Vec3[] => [
  ...lines.flatMap(({ from, through = [], to }) => [from, ...through, ...(to ? [to] : [])]),
  ...drawn.flatMap((line) => line.through),
];

/** What is told of places that lie farther off the surface than a facet is long: the nearest place of it is taken. */
export function offSurface(mesh: Mesh, places: readonly Vec3[], slack: number): Finding[] {
  if (places.length === 0) return [];
  const tree = buildBvh(mesh);
  const off = places.map((at) => Math.sqrt(nearestOnMesh(tree, at, nowhere()).squared)).filter((d) => d > slack);
  if (off.length === 0) return [];
  return [
    {
      code: 'place-off-surface',
      severity: 'look',
      count: off.length,
      message: `${off.length === 1 ? 'A place that was' : `${off.length} places that were`} drawn or typed ${off.length === 1 ? 'lies' : 'lie'} up to ${Math.max(...off).toFixed(1)} mm off the surface that is spread; the nearest place of it was taken.`,
      remedy: 'Look whether faces are missing, whether the unit is right, or pick the place again.',
    },
  ];
}

/** Keys of the edges of each part of the border that keeps its length, from corner to corner; one that is named twice is one. */
export function keptWays(it: CutMesh, places: readonly Vec3[]): Set<number>[] {
  const ways = edgeWays(it, 'border', places);
  if (ways.length < places.length)
    throw new Unusable('no-border', 'The surface has no border whose edges could keep their length.', 'Leave out which edges keep their length.');
  const out: Set<number>[] = [];
  for (const way of ways) {
    const keys = new Set(way.slice(1).map((v, i) => edgeKey(way[i], v)));
    if (!out.some((known) => known.has([...keys][0]))) out.push(keys);
  }
  return out;
}

/** How long a part of the border is, on the surface and on the flats that have it. */
export function keptLength(laid: readonly Laid[], keys: ReadonlySet<number>): KeptEdge {
  const out = { length: 0, flat: 0 };
  for (const { piece, flat } of laid)
    for (const run of piece.loops.flat()) {
      if (run.seam >= 0) continue;
      const ring = run.vertices[0] === run.vertices[run.vertices.length - 1];
      const [on, laidOut] = [smoothLengths(placesOf(run, piece.mesh.positions, 3), ring), smoothLengths(placesOf(run, flat, 2), ring)];
      for (let i = 0; i < on.length; i++) {
        if (!keys.has(edgeKey(piece.from[run.vertices[i]], piece.from[run.vertices[i + 1]]))) continue;
        out.length += on[i];
        out.flat += laidOut[i];
      }
    }
  return out;
}

export function keptFindings(edges: readonly KeptEdge[]): Finding[] {
  const off = edges.filter((e) => Math.abs(e.flat - e.length) > seamSlack).length;
  if (off === 0) return [];
  return [
    {
      code: 'edges-not-kept',
      severity: 'stop',
      count: off,
      message: `${off === 1 ? 'An edge that was to keep its length is' : `${off} edges that were to keep their length are`} off by more than ${seamSlack} mm on the flat.`,
      remedy: 'Ask for smaller facets, or let fewer edges keep their length.',
    },
  ];
}
