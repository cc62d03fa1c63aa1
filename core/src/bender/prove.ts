import type { Finding } from '../base/finding.ts';
import { buildBvh } from '../geometry/bvh/build.ts';
import { nearestOnMesh, nowhere } from '../geometry/bvh/nearest.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { distance, vecAt } from '../geometry/vector.ts';
import { atMost, evidenceOf, same, within, type Claim, type Evidence } from '../prove/evidence.ts';
import { developedOf, tableOf, type Run } from '../tubes/run.ts';
import { pappusOf } from '../tubes/rebuild.ts';
import { centreDistance, handOf, receivedRun, skinPoints, surfaceDistance } from './received.ts';
import { readTable } from './table-file.ts';

/** What a tube is held against: the design as it came, not what was found in it. mm. */
export interface DesignedTube {
  run: Run;
  /** Points of the design's own surface on the faces that were taken for the tube, xyz. */
  points: ArrayLike<number>;
  /** Facets of its bodies, and how far they may lie from their surface. */
  mesh: Mesh;
  deviation: number;
  /** Of its bodies together, mm3; null when they hold more than this run. */
  volume: number | null;
  /** How exactly the design is known: of facets 0.5 % of a radius, of exact surfaces what they were taken for. */
  exact: boolean;
  fit: number;
  /** How far it was moved from the design on purpose, mm: other dies. */
  moved: number;
}

/** What came back. */
export interface ReceivedTube {
  evidence: Evidence;
  run: Run;
  /** Largest distance of the surface, and of the far end, mm. */
  distance: number;
  ends: number;
}

/** Share of a tube's outside that may be missing in the design before it is a stop: holes and copes. More is another tube. */
const mostMissing = 0.1;
/** Volume told as different beyond this share. */
const volumeShare = 0.005;

/**
 * Holds a bend table's bytes against the design: the tube is bent from the table alone, laid over the design by its beginning, and then looked for in the
 * design's own surface, and the design's surface in it.
 * @example proveTable(designed, bytes, []).evidence.verdict
 */
export function proveTable(designed: DesignedTube, bytes: Uint8Array, findings: readonly Finding[]): ReceivedTube {
  const { run, exact } = designed;
  const { run: received } = receivedRun(readTable(bytes), run);
  const { width } = run.section;
  const length = developedOf(run);
  const slack = designed.moved * 1.01 + (exact ? Math.max(0.01, 3 * designed.fit) : facetSlack + width * facetShare + sagOf(run).along);
  const [a, b] = [tableOf(run), tableOf(received)];
  const surface = surfaceDistance(designed.points, received);
  const centre = centreDistance(run, received);
  const ends = distance(run.pieces[run.pieces.length - 1].to, received.pieces[received.pieces.length - 1].to);
  const missing = missingShare(designed, received, slack);
  const claims: Claim[] = [
    same('Bends', a.rows.length, b.rows.length),
    within('Developed length', 'mm', [length, developedOf(received)], Math.max(1e-3, 1e-6 * length)),
    within('Outside size', 'mm', [width, received.section.width], 1e-3),
    same('Wall', run.section.wall === null ? 'full' : run.section.wall.toFixed(3), received.section.wall === null ? 'full' : received.section.wall.toFixed(3)),
    same('Turn sense', hand(run), hand(received)),
    atMost('Centre line to the design', 'mm', slack, centre),
    atMost('Far end to the design', 'mm', slack, ends),
    atMost('Surface of the design to the tube', 'mm', slack, surface.distance),
    {
      ...atMost('Outside of the tube that the design lacks', '%', mostMissing * 100, missing * 100),
      ...(missing > 0.005 && missing <= mostMissing ? { verdict: 'look' as const } : {}),
    },
  ];
  if (designed.volume !== null) claims.push(volumeClaim(run, received, designed.volume));
  return { evidence: evidenceOf(claims, [...findings]), run: received, distance: Math.max(surface.distance, centre), ends };
}

/** What float32 and short facets leave, mm, and as a share of the width. */
const facetSlack = 0.05;
const facetShare = 0.002;

/** How far facets may stand off the arcs that they stand for: along bends and around the section, mm. Sagitta of a chord. */
function sagOf({ pieces, section }: Run): { along: number; around: number } {
  const half = section.width / 2;
  const along = pieces.reduce(
    (most, p) => (p.kind === 'bend' && p.facets > 0 ? Math.max(most, (p.radius + half) * (1 / Math.cos(p.angle / p.facets / 2) - 1)) : most),
    0,
  );
  return { along, around: section.facets > 0 ? half * (1 - Math.cos(Math.PI / section.facets)) : 0 };
}

const hand = (run: Run): string => ['left', 'flat', 'right'][handOf(run) + 1];

function volumeClaim(run: Run, received: Run, volume: number): Claim {
  const meant = pappusOf(received).volume;
  const tolerance = volume * (run.section.facets > 0 ? Math.max(volumeShare, 8 / run.section.facets ** 2) : volumeShare);
  const claim = within('Volume of the bodies, and of the tube', 'mm3', [volume, meant], tolerance);
  // Slanting ends, holes and brackets change the volume without changing the tube.
  return claim.verdict === 'stop' ? { ...claim, verdict: 'look' } : claim;
}

/** The share of the outside of a tube that is not found in the design. */
function missingShare({ mesh, deviation, run }: DesignedTube, received: Run, slack: number): number {
  if (mesh.triangles.length === 0) return 1;
  const tree = buildBvh(mesh);
  const points = skinPoints(received, 60, 12);
  const near = nowhere();
  const { along, around } = sagOf(run);
  const most = (slack + deviation * 3 + along + around) ** 2;
  let off = 0;
  for (let i = 0; i < points.length; i += 3) {
    near.triangle = -1;
    nearestOnMesh(tree, vecAt(points, i), near, most);
    if (near.triangle < 0) off++;
  }
  return off / (points.length / 3);
}
