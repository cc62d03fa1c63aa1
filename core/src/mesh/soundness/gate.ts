import { countText } from '../../base/figures.ts';
import type { Finding } from '../../base/finding.ts';
import { buildBvh } from '../../geometry/bvh/build.ts';
import { edgesOf } from '../../geometry/edges.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { nestingOf, type Nesting } from '../../geometry/nesting.ts';
import { shellsOf, type Shells } from '../../geometry/shells.ts';
import { crossingsOf, type Crossings } from './crossings.ts';

/** So many shells are sorted into each other; of more only their number is told. */
export const mostShellsSorted = 5000;

/** What a gate looks at. */
export interface GateChoice {
  /** Several parts in one file may run into each other by design (a press fit): told, not stopped. */
  several?: boolean;
}

/**
 * What counting edges can't see and a machine would make wrongly: a surface that goes through itself, shells that run into each
 * other, shells inside out, and what each shell is to the others. Stops what mending can put right; O(n log n).
 */
export function shapeFindings(mesh: Mesh, choice: GateChoice = {}): Finding[] {
  const { triangles: t } = mesh;
  if (t.length === 0) return [];
  const vertices = mesh.positions.length / 3;
  const edges = edgesOf(t, vertices);
  const shells = shellsOf(t, vertices, edges);
  const bvh = buildBvh(mesh);
  const crossings = crossingsOf(bvh, 50_000);
  const out = crossings.crossingPairs > 0 ? [crossingFinding(crossings, shells, choice)] : [];
  if (edges.open + edges.nonManifold + edges.flipped > 0 || shells.count > mostShellsSorted) return out;
  const met = new Uint8Array(shells.count);
  for (const tri of crossings.crossing) if (shells.of[tri] >= 0) met[shells.of[tri]] = 1;
  return [...out, ...shellFindings(nestingOf(mesh, edges, shells, shells.count > 1 ? bvh : null), met)];
}

function crossingFinding({ crossing, crossingPairs, cutShort }: Crossings, shells: Shells, { several }: GateChoice): Finding {
  let own = 0;
  for (let i = 0; i < crossing.length; i += 2) if (shells.of[crossing[i]] === shells.of[crossing[i + 1]]) own++;
  const between = own === 0;
  return {
    code: between ? 'shells-overlap' : 'self-intersections',
    severity: several && between ? 'look' : 'stop',
    count: crossingPairs,
    message: `${between ? 'Shells run into each other' : 'The surface goes through itself'}: ${countText(crossingPairs)} pairs of triangles${cutShort ? ', and more that were not counted' : ''}. ${between ? 'Where they overlap, layers are counted twice.' : 'What is inside there is for the machine to guess.'}`,
    remedy: between ? 'Join them (Join and divide), or mend the part.' : 'Mend it on the Soundness step.',
  };
}

/** Shells that face the wrong way, by how they lie in each other. @param met shells that run into another: 1 */
function shellFindings({ volume, depth }: Nesting, met: Uint8Array): Finding[] {
  const out: Finding[] = [];
  let [inward, walls] = [0, 0];
  for (let s = 0; s < depth.length; s++) {
    if (met[s]) continue;
    if (depth[s] % 2 === 0 && volume[s] < 0) inward++;
    if (depth[s] % 2 === 1 && volume[s] > 0) walls++;
  }
  // One shell inside out is what the sign of the volume says already.
  if (inward > 0 && depth.length > 1) {
    out.push({
      code: 'shell-inside-out',
      severity: 'stop',
      count: inward,
      message: `${countText(inward)} of ${countText(depth.length)} shells ${inward === 1 ? 'is' : 'are'} turned inside out.`,
      remedy: 'Mend it on the Soundness step; it turns them.',
    });
  }
  if (walls > 0) {
    out.push({
      code: 'wall-in-solid',
      severity: 'look',
      count: walls,
      message: `${countText(walls)} ${walls === 1 ? 'shell lies' : 'shells lie'} inside another and face${walls === 1 ? 's' : ''} out as it does: a second wall in solid, or a hollow turned the wrong way.`,
      remedy: 'If it is to be hollow there, turn that shell around where it was made; else join the part, which takes it out.',
    });
  }
  return out;
}

/** What the shells of a part are, in words ("1 body, 1 hollow inside"); null for one shell. */
export function shellsInWords(mesh: Mesh): string | null {
  const vertices = mesh.positions.length / 3;
  const edges = edgesOf(mesh.triangles, vertices);
  const shells = shellsOf(mesh.triangles, vertices, edges);
  if (shells.count < 2 || shells.count > mostShellsSorted) return null;
  const { volume, depth, unclosed } = nestingOf(mesh, edges, shells, buildBvh(mesh));
  const counts = new Map<string, number>();
  for (let s = 0; s < shells.count; s++) {
    const word = unclosed[s]
      ? 'open surface'
      : depth[s] % 2 === 1
        ? volume[s] < 0
          ? 'hollow inside'
          : 'shell inside'
        : depth[s] > 0
          ? 'body in a hollow'
          : 'body';
    counts.set(word, (counts.get(word) ?? 0) + 1);
  }
  const many = (word: string, count: number) =>
    count === 1 ? word : word === 'body' ? 'bodies' : word.replace(/^(hollow|shell|open surface)/, '$1s').replace('body in', 'bodies in');
  return [...counts].map(([word, count]) => `${count.toLocaleString('en')} ${many(word, count)}`).join(', ');
}
