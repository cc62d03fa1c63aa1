import type { Finding } from '../../base/finding.ts';
import type { Mesh } from '../../geometry/mesh.ts';

/** One `solid` block of an ASCII file, or the whole of a binary one. Coordinates as they stand in the file. */
export interface StlBlock {
  name: string | null;
  mesh: Mesh;
}

export interface StlFile {
  encoding: 'binary' | 'ascii';
  blocks: StlBlock[];
  findings: Finding[];
}

/** The finding for a file or block with no triangles. */
export function noTriangles(block?: string | null): Finding {
  return {
    code: 'no-triangles',
    severity: block === undefined ? 'stop' : 'look',
    count: 1,
    message: block === undefined ? 'The file has no triangles.' : `The block ${block ? `"${block}"` : 'without a name'} has no triangles and was left out.`,
    remedy: 'Export it again with the part shown and chosen.',
  };
}

/** The finding for triangles with NaN or infinite coordinates. */
export function notNumbers(count: number): Finding {
  return {
    code: 'not-numbers',
    severity: 'stop',
    count,
    message: `${count.toLocaleString('en')} triangles have coordinates that are not numbers and were left out.`,
    remedy: 'Export the part again; the places they left are open edges now.',
  };
}
