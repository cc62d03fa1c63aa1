import type { Finding } from '../base/finding.ts';
import { sizeOf } from '../geometry/box.ts';
import { measureMesh, type Mesh, type MeshMeasures } from '../geometry/mesh.ts';
import { readStl } from '../formats/stl/read.ts';
import { together } from '../geometry/shells.ts';
import { mmPer } from '../base/readings.ts';
import { checkMesh, type MeshSoundness } from '../mesh/soundness/check-mesh.ts';
import { standingOf, type Standing } from '../stance/stance.ts';
import type { Receiver } from '../receivers/receivers.ts';
import { thinWallFindings } from './thin.ts';
import { tinyFindings } from './tiny.ts';

/** What a receiver understood from the bytes of a file alone. Lengths in mm under its own assumptions. */
export interface Received {
  receiver: string;
  mesh: Mesh;
  parts: number;
  measures: MeshMeasures;
  soundness: MeshSoundness;
  standing: Standing;
  bytes: number;
  findings: Finding[];
}

/**
 * The stand-in printer: reads the written bytes and nothing else, takes numbers for its own unit, and checks its own
 * limits and bed.
 * @throws Unusable when the bytes can't be read.
 */
export function receiveStl(bytes: Uint8Array, receiver: Receiver): Received {
  const file = readStl(bytes);
  const unit = mmPer(receiver.unit);
  const mesh = together(file.blocks.map((block) => block.mesh));
  if (unit !== 1) for (let i = 0; i < mesh.positions.length; i++) mesh.positions[i] *= unit;
  const measures = measureMesh(mesh);
  const soundness = checkMesh(mesh);
  const thin = soundness.openEdges === 0 ? thinWallFindings(mesh, measures.area, receiver) : [];
  const findings = [...file.findings, ...receiverFindings(receiver, bytes.length, measures, soundness), ...thin];
  return {
    receiver: receiver.id,
    mesh,
    parts: file.blocks.length,
    measures,
    soundness,
    standing: standingOf(mesh, receiver.overhang),
    bytes: bytes.length,
    findings,
  };
}

/** What a receiver finds odd about its bed and its limits. */
export function receiverFindings(receiver: Receiver, bytes: number, measures: MeshMeasures, sound: MeshSoundness): Finding[] {
  const findings: Finding[] = [];
  const size = sizeOf(measures.box);
  const over = size.map((s, k) => s - receiver.bed[k]);
  if (over.some((o) => o > 1e-6)) {
    const worst = over.indexOf(Math.max(...over));
    findings.push({
      code: 'off-the-bed',
      severity: 'stop',
      count: 1,
      message: `Too large for the bed of ${receiver.name}: ${over[worst].toFixed(1)} mm too long along ${'XYZ'[worst]}.`,
      remedy: 'Turn it on the Stance step, check the unit on the Size step, or choose a larger receiver.',
    });
  }
  if (sound.triangles > 0) findings.push(...tinyFindings(receiver, Math.max(...size)));
  if (sound.triangles > receiver.mostTriangles || bytes > receiver.mostBytes) {
    findings.push({
      code: 'too-heavy',
      severity: 'stop',
      count: 1,
      message: `${sound.triangles.toLocaleString('en')} triangles, ${(bytes / 1e6).toFixed(1)} MB: ${receiver.name} takes ${receiver.mostTriangles.toLocaleString('en')} and ${receiver.mostBytes / 1e6} MB.`,
      remedy: 'Choose a larger deviation or a budget on the Facets step.',
    });
  }
  return findings;
}
