import { contourOf, type Contour } from '../curves/drawing.ts';
import { chained } from '../curves/chain.ts';
import type { P2 } from '../curves/segment.ts';
import { nextCorner } from '../geometry/edges.ts';
import type { DrawnLine } from './choice.ts';
import type { ExactSnap } from './exact.ts';
import type { Laid } from './lay.ts';
import { edgeKey, type CutMesh } from './parting.ts';
import { cutAlong, loopAlong } from './trail.ts';

/**
 * A cut surface with an edge wherever a line is to be drawn. Lines run across cuts and across each other.
 * @returns the surface, and the keys of the edges that are drawn
 * @throws Unusable when a line leads nowhere
 */
export function withLines(it: CutMesh, lines: readonly DrawnLine[], snap: ExactSnap | null): { it: CutMesh; drawn: Set<number> } {
  let { cut, ...rest }: CutMesh = it;
  let drawn = new Set<number>();
  for (const { through, round, closed } of lines) {
    // Cuts and earlier lines are only held and parted along: the line at hand is the one cut there is.
    const own: CutMesh = { ...rest, cut: new Set(), also: [cut, drawn] };
    const made = closed
      ? loopAlong(own, through, round, snap)
      : cutAlong(own, { from: through[0], through: through.slice(1, -1), to: through[through.length - 1], round }, snap).cut;
    [cut, drawn] = made.also!;
    for (const key of made.cut) drawn.add(key);
    rest = { mesh: made.mesh, face: made.face };
  }
  return { it: { ...rest, cut }, drawn };
}

/**
 * Edges of a piece that are wanted, on the flat, chained.
 * @param wanted whether the edge of a corner of the piece, to its next one, is drawn: asked of both triangles beside it
 */
export function linesOn({ piece: { mesh } }: Pick<Laid, 'piece'>, flat: ArrayLike<number>, wanted: (corner: number) => boolean): Contour[] {
  const t = mesh.triangles;
  const at = (v: number): P2 => [flat[2 * v], flat[2 * v + 1]];
  const done = new Set<number>();
  const contours: Contour[] = [];
  for (let c = 0; c < t.length; c++) {
    const [a, b] = [t[c], t[nextCorner(c)]];
    if (done.has(edgeKey(a, b)) || !wanted(c)) continue;
    done.add(edgeKey(a, b));
    contours.push(contourOf([{ kind: 'line', a: at(a), b: at(b) }], false));
  }
  if (contours.length === 0) return [];
  const layer = { name: 'LINES', colour: null, lineType: 'CONTINUOUS', contours };
  return chained({ layers: [layer], texts: [], points: [] }, 1e-7).drawing.layers.flatMap((l) => l.contours);
}
