import { turnedToYUp } from '../geometry/up-axis.ts';
import { apart, atMost, evidenceOf, same, within, type Claim, type Evidence } from '../prove/evidence.ts';
import { Unusable } from '../base/finding.ts';
import { objFile, type Quads } from '../formats/obj/write.ts';
import { plyFile } from '../formats/ply/write.ts';
import { facetedStep, mostFacetedFaces } from '../formats/step/write-faceted.ts';
import { asciiStl, binaryStl } from '../formats/stl/write.ts';
import { threeMfFile, type ThreeMfPart } from '../formats/threemf/write.ts';
import { boxOf, sizeOf } from '../geometry/box.ts';
import { measureMesh, type Mesh } from '../geometry/mesh.ts';
import { together } from '../geometry/shells.ts';
import { twoSidedDistance } from '../mesh/lighter/distance.ts';
import { placedMesh, type ReceivedFile } from '../processes/receive.ts';
import type { FileFormat, Receiver } from '../receivers/receivers.ts';
import { roundingReach } from '../geometry/far.ts';
import { mmPer } from '../base/readings.ts';
import { checkMesh } from '../mesh/soundness/check-mesh.ts';
import { shapeFindings } from '../mesh/soundness/gate.ts';
import { soundnessFindings } from '../mesh/soundness/findings.ts';

/** How a file with one or several parts is written. */
export interface TogetherFile {
  format: FileFormat;
  encoding: 'binary' | 'ascii';
  unit: string;
  title: string;
  quads: Quads;
}

/**
 * Parts, each with the places where copies of it stand, as one file: 3MF keeps them apart with their names; OBJ has one
 * object a copy; STL, PLY and STEP hold them as separate shells of one list.
 * @throws Unusable when the format can't say it.
 */
export function writeTogether(parts: readonly ThreeMfPart[], file: TogetherFile, receiver: Pick<Receiver, 'up'>): Generator<Uint8Array> {
  const perUnit = mmPer(file.unit);
  if (file.format === '3mf') return threeMfFile(parts, file.unit, perUnit, file.title);
  const copies = placedParts(parts).map(({ name, mesh }) => ({
    name,
    mesh: receiver.up === 'y' && file.format !== 'step' ? { positions: turnedToYUp(mesh.positions), triangles: mesh.triangles } : mesh,
  }));
  if (file.format === 'obj') return objFile(copies, perUnit, file.unit, file.quads);
  const all = together(copies.map((c) => c.mesh));
  if (file.format === 'ply') return plyFile(all, { perUnit, unit: file.unit, encoding: file.encoding });
  if (file.format === 'step') {
    if (all.triangles.length / 3 > mostFacetedFaces) {
      throw new Unusable(
        'too-many-faces',
        `As STEP each of its ${(all.triangles.length / 3).toLocaleString('en')} triangles would be a face; at most ${mostFacetedFaces.toLocaleString('en')} are written.`,
        'Make the mesh lighter first, or write a mesh format.',
      );
    }
    return facetedStep(all, file.title);
  }
  return file.encoding === 'binary' ? binaryStl(all, perUnit, `Tall Kite, numbers are ${file.unit}: ${file.title}`) : asciiStl(all, perUnit, file.title);
}

/** Every copy of every part at its place. */
export function placedParts(parts: readonly ThreeMfPart[]): { name: string; mesh: Mesh }[] {
  return parts.flatMap((part) => part.places.map((place) => ({ name: part.name, mesh: placedMesh(part.mesh, place) })));
}

/** Holds what was received against the parts that were meant, one by one and in all. */
export function proveTogether(parts: readonly ThreeMfPart[], file: TogetherFile, received: ReceivedFile): Evidence {
  const copies = placedParts(parts);
  const all = together(copies.map((c) => c.mesh));
  const box = boxOf(all.positions);
  const reach = roundingReach(box);
  const rounding = reach * 2 ** -21;
  const measures = measureMesh(all);
  const sound = checkMesh(all, 0);
  const meant = sizeOf(box);
  const got = sizeOf(received.measures.box);
  const exact = received.exact;
  const claims: Claim[] = [
    ...['Length X', 'Width Y', 'Height Z'].map((name, k) => within(name, 'mm', [meant[k], got[k]], rounding)),
    ...(sound.closed ? [within('Volume', 'mm3', [measures.volume, exact?.volume ?? received.measures.volume], measures.area * rounding)] : []),
    within('Area', 'mm2', [measures.area, exact?.area ?? received.measures.area], measures.area * 1e-5 + reach * rounding),
    same('Closed', sound.closed ? 'yes' : 'no', received.soundness.closed ? 'yes' : 'no'),
    same('Shells', sound.shells, received.soundness.shells),
    same('Triangles', sound.triangles, received.soundness.triangles),
  ];
  if (file.format === '3mf' || file.format === 'obj') claims.push(same('Parts', copies.length, received.parts));
  if (file.format === '3mf') claims.push(same('Unit', file.unit, received.unit ?? 'none'), namesClaim(copies, received), partsClaim(copies, received, reach));
  claims.push(deviation(all, received.mesh, reach));
  const findings = soundnessFindings(received.soundness, received.measures.volume).filter(
    (f) => f.code !== 'several-shells' || received.soundness.shells !== sound.shells,
  );
  return evidenceOf(claims, [...received.findings, ...findings, ...shapeFindings(received.mesh, { several: copies.length > 1 })]);
}

function namesClaim(copies: { name: string }[], received: ReceivedFile): Claim {
  const meant = copies.map((c) => c.name).sort();
  const got = received.list.map((p) => p.name ?? '').sort();
  const wrong = meant.findIndex((name, i) => name !== got[i]);
  return same('Names', wrong < 0 ? 'all' : meant[wrong], wrong < 0 ? 'all' : (got[wrong] ?? 'none'));
}

/** The largest difference of a part's volume and place from what was meant, as a length. */
function partsClaim(copies: { name: string; mesh: Mesh }[], received: ReceivedFile, reach: number): Claim {
  let worst = 0;
  copies.forEach((copy, i) => {
    const other = received.list[i];
    if (!other) return;
    const box = boxOf(copy.mesh.positions);
    for (let k = 0; k < 3; k++) worst = Math.max(worst, Math.abs(box.min[k] - other.box.min[k]), Math.abs(box.max[k] - other.box.max[k]));
  });
  return atMost('Place of each part', 'mm', Math.max(1e-6, reach * 2 ** -20), worst);
}

/** Meshes with the same corners in the same order are compared corner by corner, others surface by surface. */
function deviation(meant: Mesh, got: Mesh, reach: number): Claim {
  const limit = Math.max(1e-6, reach * 2 ** -20);
  if (meant.triangles.length === got.triangles.length) {
    let worst = 0;
    for (let i = 0; i < meant.triangles.length && worst <= limit; i++) {
      const a = meant.triangles[i] * 3;
      const b = got.triangles[i] * 3;
      for (let k = 0; k < 3; k++) worst = Math.max(worst, Math.abs(meant.positions[a + k] - got.positions[b + k]));
    }
    if (worst <= limit) return atMost('Deviation', 'mm', limit, worst);
  }
  return apart(limit, twoSidedDistance(meant, got, { limit }));
}
