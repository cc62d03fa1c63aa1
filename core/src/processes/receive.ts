import { Unusable, type Finding } from '../base/finding.ts';
import { readObj } from '../formats/obj/read.ts';
import { readPly } from '../formats/ply/read.ts';
import { readStl } from '../formats/stl/read.ts';
import { readThreeMf } from '../formats/threemf/read.ts';
import { boxOf, type Box } from '../geometry/box.ts';
import { measureMesh, type Mesh } from '../geometry/mesh.ts';
import { placed } from '../geometry/placement.ts';
import { determinantOf, type Rows } from '../geometry/rows.ts';
import { together } from '../geometry/shells.ts';
import { turnToZUp } from '../geometry/up-axis.ts';
import { OpenSolid } from '../kernel/facets.ts';
import type { Kernel } from '../kernel/kernel.ts';
import { openExact } from '../formats/exact.ts';
import { mmPer } from '../base/readings.ts';
import { checkMesh } from '../mesh/soundness/check-mesh.ts';
import { standingOf } from '../stance/stance.ts';
import { receiverFindings, type Received } from './printer.ts';
import { formatNames, onlyParts, type FileFormat, type Receiver } from '../receivers/receivers.ts';
import { thinWallFindings } from './thin.ts';

/** Formats that carry triangles. */
export type MeshFormat = Extract<FileFormat, 'stl' | '3mf' | 'obj' | 'ply'>;
export const isMeshFormat = (format: FileFormat): format is MeshFormat => ['stl', '3mf', 'obj', 'ply'].includes(format);

/** A part as it was told apart in the file. Lengths in mm. */
export interface ReceivedPart {
  name: string | null;
  partNumber: string | null;
  box: Box;
  volume: number;
  mesh: Mesh;
}

/** What a receiver that may get several parts understood. */
export interface ReceivedFile extends Received {
  format: FileFormat;
  /** Unit that the file stated, null when it stated none. */
  unit: string | null;
  list: ReceivedPart[];
  /** Exact figures where the format carries exact surfaces (STEP). */
  exact: { volume: number; area: number; faces: number; box: Box; solids: number } | null;
}

/** Kernels for formats that need them, asked for only then. */
export interface ReceiverKernels {
  opening: () => Promise<Kernel>;
  working: () => Promise<Kernel>;
}

/**
 * The stand-in of a machine's software: reads the written bytes and nothing else, under its own assumptions of unit and up
 * axis, and checks its own limits.
 * @throws Unusable when it does not take the format, or the bytes can't be read.
 */
export async function receiveFile(bytes: Uint8Array, format: FileFormat, receiver: Receiver, kernels: ReceiverKernels): Promise<ReceivedFile> {
  onlyParts(receiver);
  if (!receiver.formats.includes(format)) {
    throw new Unusable(
      'format-refused',
      `${receiver.name} does not read ${formatNames[format]}; it reads ${receiver.formats.map((f) => formatNames[f]).join(', ')}.`,
      'Choose one of these formats on the File step, or another receiver.',
    );
  }
  if (format === 'step') return receiveStep(bytes, receiver, kernels);
  if (!isMeshFormat(format)) throw new Unusable('not-a-mesh', `${formatNames[format]} holds a drawing, no mesh.`, 'Let a laser, router or plotter receive it.');
  return receiveMeshFile(bytes, format, receiver);
}

/** The same for the formats that need no kernel. @throws Unusable as above. */
export function receiveMeshFile(bytes: Uint8Array, format: MeshFormat, receiver: Receiver): ReceivedFile {
  const read = readParts(bytes, format);
  const findings: Finding[] = [...read.findings];
  const perNumber = read.unit === null ? mmPer(receiver.unit) : 1;
  const list: ReceivedPart[] = [];
  for (const part of read.parts) {
    for (const place of part.places) {
      const mesh = placedMesh(part.mesh, place, perNumber);
      if (receiver.up === 'y' && format !== '3mf') turnToZUp(mesh.positions);
      const measures = measureMesh(mesh);
      list.push({ name: part.name, partNumber: part.partNumber, box: measures.box, volume: measures.volume, mesh });
    }
  }
  const mesh = together(list.map((p) => p.mesh));
  return { ...figures(mesh, receiver, bytes.length, findings), parts: list.length, format, unit: read.unit, list, exact: null };
}

function readParts(bytes: Uint8Array, format: MeshFormat) {
  if (format === '3mf') return readThreeMf(bytes);
  if (format === 'obj') return readObj(bytes);
  if (format === 'ply') return readPly(bytes);
  const file = readStl(bytes);
  const identity = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0];
  return { unit: null, findings: file.findings, parts: file.blocks.map((b) => ({ name: b.name, partNumber: null, mesh: b.mesh, places: [identity] })) };
}

/** A mesh at its place, scaled first; a mirroring place turns its triangles round. */
export function placedMesh(mesh: Mesh, rows: Rows, scale = 1): Mesh {
  const m = Float64Array.of(rows[0], rows[1], rows[2], rows[4], rows[5], rows[6], rows[8], rows[9], rows[10]).map((v) => v * scale);
  const positions = placed(mesh.positions, { rows: m, shift: [rows[3], rows[7], rows[11]] });
  if (determinantOf(rows) >= 0) return { positions, triangles: mesh.triangles };
  const triangles = mesh.triangles.slice();
  for (let i = 0; i < triangles.length; i += 3) [triangles[i + 1], triangles[i + 2]] = [triangles[i + 2], triangles[i + 1]];
  return { positions, triangles };
}

function figures(mesh: Mesh, receiver: Receiver, bytes: number, findings: Finding[]): Received {
  const measures = measureMesh(mesh);
  const soundness = checkMesh(mesh);
  return {
    receiver: receiver.id,
    mesh,
    parts: 1,
    measures,
    soundness,
    standing: standingOf(mesh, receiver.overhang),
    bytes,
    findings: [
      ...findings,
      ...receiverFindings(receiver, bytes, measures, soundness),
      ...(soundness.openEdges === 0 ? thinWallFindings(mesh, measures.area, receiver) : []),
    ],
  };
}

/** Facets that a router's software would make of exact surfaces, mm and rad. */
const ownFacets = { deviation: 0.02, angle: 0.2 };

async function receiveStep(bytes: Uint8Array, receiver: Receiver, kernels: ReceiverKernels): Promise<ReceivedFile> {
  const opened = await openExact('STEP', bytes, { opening: () => kernels.opening() });
  const working = await kernels.working();
  const list: ReceivedPart[] = [];
  for (const part of opened.parts) {
    // By the kernel's mesher: what was meant was laid out and measured by ours, and the two know nothing of each other.
    const solid = new OpenSolid(working, part.brep);
    try {
      const facets = solid.facets(ownFacets.deviation, ownFacets.angle);
      for (const place of part.places) {
        const mesh = placedMesh(facets, place);
        list.push({ name: part.name, partNumber: null, box: boxOf(mesh.positions), volume: part.volume, mesh });
      }
    } finally {
      solid.close();
    }
  }
  const mesh = together(list.map((p) => p.mesh));
  const sum = (of: 'volume' | 'area' | 'faces') => opened.parts.reduce((n, p) => n + p[of] * p.quantity, 0);
  const low = [0, 1, 2].map((k) => Math.min(...opened.parts.map((p) => p.box.min[k])));
  const high = [0, 1, 2].map((k) => Math.max(...opened.parts.map((p) => p.box.max[k])));
  return {
    ...figures(mesh, receiver, bytes.length, opened.findings),
    parts: list.length,
    format: 'step',
    unit: 'mm',
    list,
    exact: { volume: sum('volume'), area: sum('area'), faces: sum('faces'), solids: list.length, box: { min: low as Box['min'], max: high as Box['max'] } },
  };
}
