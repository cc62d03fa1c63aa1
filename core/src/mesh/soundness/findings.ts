import { countText } from '../../base/figures.ts';
import type { Finding, Severity } from '../../base/finding.ts';
import type { MeshSoundness } from './check-mesh.ts';

/** What the soundness of a mesh means for making it, in sentences. `volume` in mm3; `shells` says what they are. */
export function soundnessFindings(
  sound: Pick<MeshSoundness, 'openEdges' | 'nonManifoldEdges' | 'flippedEdges' | 'degenerateTriangles' | 'shells'>,
  volume: number,
  shells: string | null = null,
): Finding[] {
  const findings: Finding[] = [];
  const push = (code: string, severity: Severity, count: number, [message, remedy]: readonly [message: string, remedy: string]) => {
    if (count > 0) findings.push({ code, severity, count, message, remedy });
  };
  push('open-edges', 'stop', sound.openEdges, [
    `Not closed: ${countText(sound.openEdges)} open edges.`,
    'Close the holes in the program that made it; the light table shows where they are.',
  ]);
  push('non-manifold-edges', 'stop', sound.nonManifoldEdges, [
    `${countText(sound.nonManifoldEdges)} edges have more than two triangles.`,
    'Take out doubled or inner faces in the program that made it.',
  ]);
  push('flipped-triangles', 'stop', sound.flippedEdges, [
    `${countText(sound.flippedEdges)} edges lie between triangles that face opposite ways.`,
    'Make the normals agree in the program that made it.',
  ]);
  push('degenerate-triangles', 'look', sound.degenerateTriangles, [
    `${countText(sound.degenerateTriangles)} triangles have no area.`,
    'They are harmless to most software; export again with welded vertices to be rid of them.',
  ]);
  push('several-shells', 'look', sound.shells > 1 ? sound.shells : 0, [
    `${countText(sound.shells)} separate shells where one part is meant${shells === null ? '' : `: ${shells}`}.`,
    'Check whether they are loose pieces, a cavity, or bodies that were never joined.',
  ]);
  push('inside-out', 'stop', volume < 0 && sound.openEdges === 0 ? 1 : 0, [
    'The mesh is inside out: its volume is below zero.',
    'Turn its normals around in the program that made it.',
  ]);
  return findings;
}
