import { measureDeviation } from '../exact/deviation.ts';
import { atMost, evidenceOf, same, within, type Claim, type Evidence } from '../evidence/evidence.ts';
import { binaryStlLength } from '../formats/stl/write.ts';
import { diagonalOf, sizeOf } from '../geometry/box.ts';
import { takenBack } from '../geometry/placement.ts';
import { twoSidedDistance } from '../lighter/distance.ts';
import type { Received } from '../receivers/printer.ts';
import type { ReceivedFile } from '../receivers/receive.ts';
import { soundnessFindings } from '../soundness/findings.ts';
import type { Designed } from './write-part.ts';

/**
 * Holds what a receiver understood against what was meant.
 * Tolerances: a box side may lose the deviation at both ends; volume at most area times deviation; area at most what
 * chords of the turn angle lose, 2 (1 - cos(angle / 2)); all plus what float32 rounds.
 */
export function prove(designed: Designed, received: Received | ReceivedFile): Evidence {
  const file = 'format' in received ? received : null;
  const exact = file?.exact ?? null;
  const reach = Math.max(diagonalOf(designed.box), ...designed.box.max.map(Math.abs), ...designed.box.min.map(Math.abs));
  const rounding = reach * 2 ** -22;
  // A file that carries exact surfaces loses nothing to facets.
  const dev = exact ? 0 : designed.deviation;
  const meant = sizeOf(designed.box);
  const got = sizeOf(exact?.box ?? received.measures.box);
  const lengths = ['Length X', 'Width Y', 'Height Z'].map((name, k) => within(name, 'mm', meant[k], got[k], 2 * dev + rounding));
  const areaLoss = exact ? 0 : 2 * (1 - Math.cos(designed.angle / 2));
  const claims: Claim[] = [
    ...lengths,
    within('Volume', 'mm3', designed.volume, exact?.volume ?? received.measures.volume, designed.area * (dev + rounding)),
    within('Area', 'mm2', designed.area, exact?.area ?? received.measures.area, designed.area * (areaLoss + 1e-5) + reach * rounding),
    same('Closed', designed.closed ? 'yes' : 'no', received.soundness.closed ? 'yes' : 'no'),
    same('Shells', designed.shells, received.soundness.shells),
    ...(exact
      ? [same('Faces', designed.faces ?? 0, exact.faces)]
      : [deviationClaim(designed, received), atMost('Triangles', '', designed.mostTriangles, received.soundness.triangles)]),
    sideClaim(designed, received),
  ];
  if (file?.format === '3mf') {
    claims.push(same('Unit', designed.unit, file.unit ?? 'none'), same('Name', designed.name, file.list[0]?.name ?? ''));
  }
  if (designed.format === 'stl' && designed.encoding === 'binary') {
    claims.push({ ...same('File length', binaryStlLength(designed.triangles), received.bytes), unit: 'bytes' });
  }
  const sound = soundnessFindings(received.soundness, received.measures.volume).filter(
    (f) => f.code !== 'several-shells' || received.soundness.shells !== designed.shells,
  );
  return evidenceOf(claims, [...received.findings, ...sound, ...overhangFinding(received)]);
}

function deviationClaim(designed: Designed, received: Received): Claim {
  const limit = designed.deviation;
  if (received.soundness.triangles !== designed.triangles) {
    return { quantity: 'Deviation', unit: 'mm', designed: limit, received: 'other triangles', difference: null, tolerance: limit, verdict: 'stop' };
  }
  if (!designed.ordered) {
    // Faces came in another order: the surfaces are held against each other, and what the facets themselves lose is added.
    return atMost('Deviation', 'mm', limit, designed.facetDeviation + twoSidedDistance(designed.mesh, received.mesh).largest);
  }
  if (!designed.exact) return atMost('Deviation', 'mm', limit, cornerDistance(designed, received));
  const positions = takenBack(received.mesh.positions, designed.placement, designed.scale);
  const { solid, starts } = designed.exact;
  const measured = measureDeviation(solid, positions, received.mesh.triangles, { starts });
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
  const tolerance = 2 * designed.deviation + 1e-4 * diagonalOf(designed.box);
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
      message: `${overhang.toFixed(0)} mm² hang over further than the receiver prints without support (steepest ${steepest.toFixed(0)}° from the vertical).`,
      remedy: 'Choose another side down on the Stance step, or print with support.',
    },
  ];
}
