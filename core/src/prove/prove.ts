import type { Designed } from './designed.ts';
import { measureDeviation } from '../surfaces/deviation.ts';
import { apart, atMost, evidenceOf, same, within, type Claim, type Evidence } from './evidence.ts';
import { binaryStlLength } from '../formats/stl/write.ts';
import { diagonalOf, sizeOf } from '../geometry/box.ts';
import { buildBvh } from '../geometry/bvh/build.ts';
import { nearestOnMesh, nowhere } from '../geometry/bvh/nearest.ts';
import { throughHoles, voidsOf } from '../geometry/genus.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { roundingReach } from '../geometry/far.ts';
import { takenBack } from '../geometry/placement.ts';
import { twoSidedDistance } from '../mesh/lighter/distance.ts';
import type { Received } from '../processes/printer.ts';
import type { ReceivedFile } from '../processes/receive.ts';
import { shapeFindings } from '../mesh/soundness/gate.ts';
import { soundnessFindings } from '../mesh/soundness/findings.ts';
import { countText } from '../base/figures.ts';
import { vecAt } from '../geometry/vector.ts';

/**
 * Holds what a receiver understood against what was meant. Each claim compares two routes: figures of the exact solid by the kernel against
 * sums over the received triangles; the measured facets against the exact surfaces, and points of those surfaces against what was received;
 * holes by faces, edges and vertices of the solid against those of the triangles.
 * Allowances: a box side may lose the deviation at both ends; volume and area what was measured on the facets; all plus what float32 rounds.
 */
export function prove(designed: Designed, received: Received | ReceivedFile): Evidence {
  const file = 'format' in received ? received : null;
  const rounding = roundingReach(designed.box) * 2 ** -22;
  const { measures, soundness } = received;
  const claims: Claim[] = [
    ...sizeClaims(designed, received, rounding),
    same('Closed', designed.closed ? 'yes' : 'no', soundness.closed ? 'yes' : 'no'),
    same('Shells', designed.shells, soundness.shells),
    same('Voids inside', designed.voids, voidsOf(received.mesh)),
    ...holesClaim(designed, received),
    ...(file?.exact
      ? [same('Faces', designed.faces ?? 0, file.exact.faces), placeClaim(designed, received)]
      : [...facetClaims(designed, received, rounding), atMost('Triangles', '', designed.mostTriangles, soundness.triangles)]),
    sideClaim(designed, received),
    ...formatClaims(designed, received),
  ];
  const sound = soundnessFindings(soundness, measures.volume).filter((f) => f.code !== 'several-shells' || soundness.shells !== designed.shells);
  return evidenceOf(claims, [...received.findings, ...sound, ...shapeFindings(received.mesh), ...overhangFinding(received)]);
}

/** Sides of the box, volume and area. A file that carries exact surfaces loses nothing to facets; what is not closed has no volume. */
function sizeClaims(designed: Designed, received: Received | ReceivedFile, rounding: number): Claim[] {
  const exact = 'format' in received ? (received.exact ?? null) : null;
  const dev = exact ? 0 : designed.deviation;
  const lost = exact ? { volume: 0, area: 0 } : designed.allowance;
  const found = exact ?? received.measures;
  const meant = sizeOf(designed.box);
  const got = sizeOf(found.box);
  const volume = within('Volume', 'mm3', [designed.volume, found.volume], lost.volume + designed.area * rounding + Math.abs(designed.volume) * 1e-9);
  return [
    ...['Length X', 'Width Y', 'Height Z'].map((name, k) => within(name, 'mm', [meant[k], got[k]], 2 * dev + rounding)),
    ...(designed.closed ? [volume] : []),
    within('Area', 'mm2', [designed.area, found.area], lost.area + areaRounding(designed, rounding)),
  ];
}

/** What a format says beside the shape. */
function formatClaims(designed: Designed, received: Received | ReceivedFile): Claim[] {
  if ('format' in received && received.format === '3mf')
    return [same('Unit', designed.unit, received.unit ?? 'none'), same('Name', designed.name, received.list[0]?.name ?? '')];
  if (designed.format !== 'stl' || designed.encoding !== 'binary') return [];
  return [{ ...same('File length', binaryStlLength(designed.triangles), received.bytes), unit: 'bytes' }];
}

/** Rounded corners change the area of thin triangles by half their edges' length times the rounding. */
function areaRounding(designed: Designed, rounding: number): number {
  const { positions: p, triangles: t } = designed.mesh;
  let edges = 0;
  for (let i = 0; i < t.length; i += 3) {
    for (let k = 0; k < 3; k++) {
      const [a, b] = [t[i + k] * 3, t[i + ((k + 1) % 3)] * 3];
      edges += Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2]);
    }
  }
  return (edges * rounding) / 2 + designed.area * 1e-9;
}

function holesClaim(designed: Designed, received: Received): Claim[] {
  if (!designed.closed) return [];
  const meant = designed.holes ?? throughHoles(designed.mesh);
  const got = throughHoles(received.mesh);
  return meant === null && got === null ? [] : [same('Through holes', meant ?? 'not known', got ?? 'not known')];
}

/** The facets against the design: as they were written, against the exact surfaces, and the other way round. */
function facetClaims(designed: Designed, received: Received, rounding: number): Claim[] {
  const claims = [deviationClaim(designed, received)];
  if (designed.samples) {
    const { points, within: near } = designed.samples;
    claims.push(atMost('Deviation, design to file', 'mm', designed.deviation + near + rounding, farthest(points, received.mesh)));
  }
  return claims;
}

/** Largest distance from points to a mesh, mm. */
function farthest(points: Float64Array, mesh: Mesh): number {
  if (mesh.triangles.length === 0) return Infinity;
  const tree = buildBvh(mesh);
  const near = nowhere();
  let most = 0;
  for (let i = 0; i < points.length; i += 3) most = Math.max(most, nearestOnMesh(tree, vecAt(points, i), near).squared);
  return Math.sqrt(most);
}

/** Facets that a reader of exact surfaces makes lie within this of them, mm: three times what it asks for (measured on cones). */
const readerFacets = 0.06;

/** Exact surfaces arrive where they were meant: neither a turned nor a mirrored part passes. Facets of both sides are held against each other. */
function placeClaim(designed: Designed, received: Received): Claim {
  const limit = designed.facetDeviation + readerFacets;
  return atMost('Place of surfaces', 'mm', limit, Math.max(farthest(received.mesh.positions, designed.mesh), farthest(designed.mesh.positions, received.mesh)));
}

function deviationClaim(designed: Designed, received: Received): Claim {
  const limit = designed.deviation;
  if (received.soundness.triangles !== designed.triangles) {
    return { quantity: 'Deviation', unit: 'mm', designed: limit, received: 'other triangles', difference: null, tolerance: limit, verdict: 'stop' };
  }
  if (!designed.ordered) {
    // Faces came in another order: the surfaces are held against each other, and what the facets themselves lose is added.
    const besides = designed.facetDeviation;
    return apart(limit, twoSidedDistance(designed.mesh, received.mesh, { limit: limit - besides }), besides);
  }
  if (!designed.exact) return atMost('Deviation', 'mm', limit, cornerDistance(designed, received));
  const positions = takenBack(received.mesh.positions, designed.placement, designed.scale);
  const { solid, starts } = designed.exact;
  const measured = measureDeviation(solid, { positions, triangles: received.mesh.triangles, starts });
  const claim = atMost('Deviation', 'mm', limit, measured.largest * designed.scale);
  if (measured.unmeasured > 0 && claim.verdict === 'clear') claim.verdict = 'look';
  return claim;
}

/** Largest distance between a corner meant and the same corner received, mm. */
function cornerDistance(designed: Designed, received: Received): number {
  const a = designed.mesh;
  const b = received.mesh;
  let largest = 0;
  for (let i = 0; i < a.triangles.length; i++) {
    const p = a.triangles[i] * 3;
    const q = b.triangles[i] * 3;
    const d = Math.hypot(a.positions[p] - b.positions[q], a.positions[p + 1] - b.positions[q + 1], a.positions[p + 2] - b.positions[q + 2]);
    if (d > largest) largest = d;
  }
  return largest;
}

/** The same side is down when the centre of volume sits at the same place above and across the box. */
function sideClaim(designed: Designed, received: Received): Claim {
  const meant = designed.centre.map((c, k) => c - designed.box.min[k]);
  const tolerance = 2 * Math.max(designed.deviation, 'exact' in received && received.exact ? readerFacets : 0) + 1e-5 * diagonalOf(designed.box);
  const agrees = meant.every((c, k) => Math.abs(c - received.standing.centre[k]) <= tolerance);
  return same('Side down', designed.side, agrees ? designed.side : 'another side');
}

function overhangFinding(received: Received) {
  const { overhang, steepest } = received.standing;
  if (overhang < 1) return [];
  return [
    {
      code: 'overhang',
      severity: 'look' as const,
      count: 1,
      message: `${countText(overhang)} mm² hang over further than the receiver prints without support (steepest ${steepest.toFixed(0)}° from the vertical).`,
      remedy: 'Choose another side down on the Stance step, or print with support.',
    },
  ];
}
