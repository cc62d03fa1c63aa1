import { real, stepText } from './strings.ts';
import { cross } from '../../geometry/vector.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { dividedIntoShells } from '../../geometry/shells.ts';

/** Faces beyond this make a STEP file that hardly any program opens. */
export const mostFacetedFaces = 50_000;

/**
 * A closed mesh as a STEP file (AP214) of one faceted solid a shell: every triangle a flat face.
 * Source: ISO 10303-42, faceted_brep and poly_loop; ISO 10303-21, the exchange structure. Numbers are mm.
 */
export function* facetedStep(mesh: Mesh, name: string): Generator<Uint8Array> {
  const encoder = new TextEncoder();
  const text = stepText(name);
  let id = 0;
  const next = () => `#${++id}`;
  const lines: string[] = [];
  const add = (entity: string) => {
    const n = next();
    lines.push(`${n}=${entity};`);
    return n;
  };
  yield encoder.encode(
    `ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION(('faceted solid, numbers are mm'),'2;1');\nFILE_NAME('${text}','',(''),(''),'Tall Kite','Tall Kite','');\nFILE_SCHEMA(('AUTOMOTIVE_DESIGN { 1 0 10303 214 1 1 1 1 }'));\nENDSEC;\nDATA;\n`,
  );
  const context = add(`APPLICATION_CONTEXT('core data for automotive mechanical design processes')`);
  add(`APPLICATION_PROTOCOL_DEFINITION('international standard','automotive_design',2000,${context})`);
  const productContext = add(`PRODUCT_CONTEXT('',${context},'mechanical')`);
  const product = add(`PRODUCT('${text}','${text}','',(${productContext}))`);
  add(`PRODUCT_RELATED_PRODUCT_CATEGORY('part',$,(${product}))`);
  const formation = add(`PRODUCT_DEFINITION_FORMATION('','',${product})`);
  const definitionContext = add(`PRODUCT_DEFINITION_CONTEXT('part definition',${context},'design')`);
  const definition = add(`PRODUCT_DEFINITION('design','',${formation},${definitionContext})`);
  const shape = add(`PRODUCT_DEFINITION_SHAPE('','',${definition})`);
  const mm = add('(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.))');
  const rad = add('(NAMED_UNIT(*)PLANE_ANGLE_UNIT()SI_UNIT($,.RADIAN.))');
  const sr = add('(NAMED_UNIT(*)SI_UNIT($,.STERADIAN.)SOLID_ANGLE_UNIT())');
  const fine = add(`UNCERTAINTY_MEASURE_WITH_UNIT(LENGTH_MEASURE(1.E-6),${mm},'distance_accuracy_value','')`);
  const space = add(
    `(GEOMETRIC_REPRESENTATION_CONTEXT(3)GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT((${fine}))GLOBAL_UNIT_ASSIGNED_CONTEXT((${mm},${rad},${sr}))REPRESENTATION_CONTEXT('',''))`,
  );
  const solids: string[] = [];
  for (const shell of dividedIntoShells(mesh)) {
    const { positions: p, triangles: t } = shell;
    const points: string[] = [];
    for (let v = 0; v < p.length; v += 3) {
      points.push(add(`CARTESIAN_POINT('',(${real(p[v])},${real(p[v + 1])},${real(p[v + 2])}))`));
    }
    const faces: string[] = [];
    for (let i = 0; i < t.length; i += 3) {
      const loop = add(`POLY_LOOP('',(${points[t[i]]},${points[t[i + 1]]},${points[t[i + 2]]}))`);
      const bound = add(`FACE_OUTER_BOUND('',${loop},.T.)`);
      const { z, x } = axesOf(p, t[i] * 3, t[i + 1] * 3, t[i + 2] * 3);
      const axis = add(`DIRECTION('',(${z.map(real).join(',')}))`);
      const along = add(`DIRECTION('',(${x.map(real).join(',')}))`);
      const placement = add(`AXIS2_PLACEMENT_3D('',${points[t[i]]},${axis},${along})`);
      const plane = add(`PLANE('',${placement})`);
      faces.push(add(`FACE_SURFACE('',(${bound}),${plane},.T.)`));
      if (lines.length > 4000) yield encoder.encode(`${lines.splice(0).join('\n')}\n`);
    }
    const closed = add(`CLOSED_SHELL('',(${faces.join(',')}))`);
    solids.push(add(`FACETED_BREP('${text}',${closed})`));
  }
  const representation = add(`FACETED_BREP_SHAPE_REPRESENTATION('${text}',(${solids.join(',')}),${space})`);
  add(`SHAPE_DEFINITION_REPRESENTATION(${shape},${representation})`);
  yield encoder.encode(`${lines.join('\n')}\nENDSEC;\nEND-ISO-10303-21;\n`);
}

/** Normal of a triangle and the direction of its first edge. */
function axesOf(p: Float64Array, a: number, b: number, c: number): { z: number[]; x: number[] } {
  const u = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
  const v = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
  const n = cross(u, v);
  const unit = (d: number[]) => d.map((x) => x / (Math.hypot(...d) || 1));
  return { z: unit(n), x: unit(u) };
}
