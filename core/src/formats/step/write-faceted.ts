import { StepLines, stepContexts, stepEnd, stepHead, stepProduct, stepSpace } from './lines.ts';
import { real, stepText } from './strings.ts';
import { cross } from '../../geometry/vector.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { dividedIntoShells } from '../../geometry/shells.ts';

/** Faces beyond this make a STEP file that hardly any program opens. */
export const mostFacetedFaces = 50_000;

/** How far places of a faceted solid may be off, mm. */
const fineness = 1e-6;

/**
 * A closed mesh as a STEP file (AP214) of one faceted solid a shell: every triangle a flat face.
 * Source: ISO 10303-42, faceted_brep and poly_loop; ISO 10303-21, the exchange structure. Numbers are mm.
 */
export function* facetedStep(mesh: Mesh, name: string): Generator<Uint8Array> {
  const text = stepText(name);
  const lines = new StepLines();
  yield stepHead('faceted solid, numbers are mm', name);
  const { shape } = stepProduct(lines, stepContexts(lines), { name });
  const space = stepSpace(lines, 'mm', fineness);
  const solids: string[] = [];
  for (const shell of dividedIntoShells(mesh)) {
    const { positions: p, triangles: t } = shell;
    const points: string[] = [];
    for (let v = 0; v < p.length; v += 3) {
      points.push(lines.add(`CARTESIAN_POINT('',(${real(p[v])},${real(p[v + 1])},${real(p[v + 2])}))`));
    }
    const faces: string[] = [];
    for (let i = 0; i < t.length; i += 3) {
      const loop = lines.add(`POLY_LOOP('',(${points[t[i]]},${points[t[i + 1]]},${points[t[i + 2]]}))`);
      const bound = lines.add(`FACE_OUTER_BOUND('',${loop},.T.)`);
      const { z, x } = axesOf(p, t[i] * 3, t[i + 1] * 3, t[i + 2] * 3);
      const axis = lines.add(`DIRECTION('',(${z.map(real).join(',')}))`);
      const along = lines.add(`DIRECTION('',(${x.map(real).join(',')}))`);
      const placement = lines.add(`AXIS2_PLACEMENT_3D('',${points[t[i]]},${axis},${along})`);
      const plane = lines.add(`PLANE('',${placement})`);
      faces.push(lines.add(`FACE_SURFACE('',(${bound}),${plane},.T.)`));
      yield* lines.full();
    }
    const closed = lines.add(`CLOSED_SHELL('',(${faces.join(',')}))`);
    solids.push(lines.add(`FACETED_BREP('${text}',${closed})`));
  }
  const representation = lines.add(`FACETED_BREP_SHAPE_REPRESENTATION('${text}',(${solids.join(',')}),${space})`);
  lines.add(`SHAPE_DEFINITION_REPRESENTATION(${shape},${representation})`);
  yield* lines.rest();
  yield stepEnd();
}

/** Normal of a triangle and the direction of its first edge. */
function axesOf(p: Float64Array, a: number, b: number, c: number): { z: number[]; x: number[] } {
  const u = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
  const v = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
  const n = cross(u, v);
  const unit = (d: number[]) => d.map((x) => x / (Math.hypot(...d) || 1));
  return { z: unit(n), x: unit(u) };
}
