import type { Finding } from '../base/finding.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { wallThickness } from '../mesh/soundness/thickness.ts';
import type { Receiver } from '../receivers/receivers.ts';

/** Meshes of more triangles are not measured; that is told. */
export const mostMeasured = 400_000;
/** Where more than this share of the surface is thinner than a bead, little of the part would be made. */
export const goneShare = 0.5;
/** Thin places of less area than so many beads squared are crumbs of a chamfer, not walls. Common practice, no source. */
export const leastBeads = 4;

/**
 * Walls that a printer leaves out, since they are thinner than its bead: measured on what it received.
 * @param area of the whole surface, mm2.
 */
export function thinWallFindings(mesh: Mesh, area: number, receiver: Receiver): Finding[] {
  const { bead, name } = receiver;
  if (!(bead > 0) || receiver.cutter || mesh.triangles.length === 0) return [];
  if (mesh.triangles.length / 3 > mostMeasured) {
    return [
      {
        code: 'walls-unmeasured',
        severity: 'clear',
        count: 1,
        message: `Its walls were not measured: more than ${mostMeasured.toLocaleString('en')} triangles.`,
        remedy: 'Check it with a lighter mesh (Soundness, thin walls).',
      },
    ];
  }
  const walls = wallThickness(mesh, bead);
  if (!walls || !(walls.thinArea >= leastBeads * bead * bead)) return [];
  const share = walls.thinArea / area;
  return [
    {
      code: 'thin-walls',
      severity: share > goneShare ? 'stop' : 'look',
      count: 1,
      message: `Walls down to ${walls.least.toPrecision(3)} mm over ${walls.thinArea.toFixed(1)} mm²: thinner than one bead of ${name} (${bead} mm), which leaves them out.`,
      remedy: 'Thicken them in the program that made the part, or choose a receiver with a finer bead.',
    },
  ];
}
