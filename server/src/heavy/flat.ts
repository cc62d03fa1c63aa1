import type { Geometry } from 'tall-kite/model/design';
import { partOfMesh } from 'tall-kite/pipeline/read';
import { checkDrawing } from 'tall-kite/curves/check';
import { transformedDrawing, type Drawing } from 'tall-kite/curves/drawing';
import { drawShape } from 'tall-kite/drawing/from-shape';
import { mendDrawing } from 'tall-kite/curves/mend';
import { editNode } from 'tall-kite/drawing/nodes';
import { partOfDrawing } from 'tall-kite/drawing/part';
import { raiseDrawing } from 'tall-kite/drawing/raise';
import { Unusable } from 'tall-kite/base/finding';
import { identityRows } from 'tall-kite/geometry/rows';
import { nodeEngine } from 'tall-kite/engine/load';
import { workingKernel } from 'tall-kite/kernel/load';
import { scaleOf } from 'tall-kite/recipe/recipe';
import { placementOf } from 'tall-kite/stance/stance';
import { cleanFigures, type OperationReport, type OperationRequest, type OperationResult } from '../operations/requests.ts';
import type { Blobs } from '../storage/blobs.ts';
import type { OperationPart } from './part.ts';
import { storePart } from './shapes.ts';

type FlatRequest = Extract<OperationRequest, { kind: 'draw' | 'clean' | 'node' | 'raise' }>;

/** Drawing a solid or mesh, cleaning a drawing, changing one of its nodes, raising it to a solid. */
export async function flatOperation(
  blobs: Blobs,
  request: FlatRequest,
  part: OperationPart,
  shape: Geometry,
  report: OperationReport,
  progress: (share: number, what: string) => boolean,
): Promise<OperationResult> {
  const { summary, recipe } = part;
  const scale = scaleOf(summary, recipe);
  if (request.kind === 'draw') {
    progress(0.2, 'drawing it');
    const positions = shape.kind === 'mesh' ? shape.mesh.positions : await positionsOf(shape);
    const kernel = shape.kind === 'solid' ? await workingKernel() : null;
    const drawn = drawShape(shape, placementOf(recipe.stance, scale, positions), request.view, await nodeEngine(), kernel, request.fit);
    const words = wordsOf(request.view);
    const name = `${summary.name}, ${words}`.slice(0, 120);
    const made = partOfDrawing(drawn.drawing, {
      name,
      path: [name],
      quantity: summary.quantity,
      unit: 'mm',
      format: 'made here',
      places: [identityRows],
      made: [`${words} of ${summary.name}`],
    });
    const { contours, length, area } = made.summary.drawing!;
    report.drawn = { contours, length, area, deviation: drawn.deviation };
    report.said = [`Drew the ${words}.`, ...drawn.said];
    return { report, made: [await storePart(blobs, made)], inPlace: false, beside: true, places: null };
  }
  const drawing = flat(shape);
  if (request.kind === 'raise') {
    const placed = transformedDrawing(drawing, [scale, 0, 0, scale, 0, 0]);
    const mesh = raiseDrawing(await nodeEngine(), placed, request.thickness);
    const made = partOfMesh(mesh, {
      name: `${summary.name}, raised`.slice(0, 120),
      path: [`${summary.name}, raised`.slice(0, 120)],
      quantity: summary.quantity,
      colour: null,
      unit: 'mm',
      format: 'made here',
      places: [identityRows],
      made: [`raised by ${request.thickness} mm from a drawing`],
    });
    report.said = [`Raised by ${request.thickness} mm; ${(mesh.triangles.length / 3).toLocaleString('en')} triangles.`];
    return { report, made: [await storePart(blobs, made)], inPlace: false, beside: true, places: null };
  }
  const next = request.kind === 'node' ? editNode(drawing, request.edit) : cleaned(drawing, request.choice, scale, report);
  if (request.kind === 'node') report.said = ['Changed a node.'];
  else if (report.said.length === 0) return { report, made: [], inPlace: true, places: null };
  const { name, path, quantity, unit, format, partNumber, places, made } = summary;
  const said = request.kind === 'node' ? 'a node changed' : 'cleaned up';
  const list = made?.[made.length - 1] === said ? made : [...(made ?? []), said];
  const whole = partOfDrawing(next, { name, path, quantity, unit, format, partNumber, places, made: list });
  return { report, made: [await storePart(blobs, whole)], inPlace: true, places: null };
}

/** Lengths of the choice are mm of the finished part; the drawing has its own numbers. */
function cleaned(drawing: Drawing, choice: Extract<FlatRequest, { kind: 'clean' }>['choice'], scale: number, report: OperationReport): Drawing {
  const own = (v: number | null) => (v === null ? null : v / scale);
  const before = checkDrawing(drawing);
  const done = mendDrawing(drawing, {
    ...choice,
    joinGaps: own(choice.joinGaps),
    dropTiny: own(choice.dropTiny),
    fitArcs: own(choice.fitArcs),
    simplify: own(choice.simplify),
  });
  report.clean = { before: cleanFigures(before), after: cleanFigures(done.report.after), moved: done.report.moved * scale };
  report.said = done.report.steps;
  return done.drawing;
}

function flat(shape: Geometry): Drawing {
  if (shape.kind !== 'drawing') throw new Unusable('not-flat', 'This part is no drawing.', 'Draw a view or a section of it first.');
  return shape.drawing;
}

/** Places that tell how low a solid reaches, for dropping it to the bed. */
async function positionsOf(shape: Geometry): Promise<ArrayLike<number>> {
  if (shape.kind !== 'solid') return [];
  const { OpenSolid } = await import('tall-kite/kernel/facets');
  const open = new OpenSolid(await workingKernel(), shape.brep);
  try {
    return open.facets(0.05, 0.2).positions;
  } finally {
    open.close();
  }
}

function wordsOf(view: Extract<FlatRequest, { kind: 'draw' }>['view']): string {
  switch (view.kind) {
    case 'view':
      return view.edges === 'silhouette' ? `outline from ${view.view}` : `view from ${view.view}`;
    case 'section':
      return `section at ${view.axis.toUpperCase()} ${view.height} mm`;
    case 'stack':
      return `sections every ${view.pitch} mm`;
    case 'face':
      return `face ${view.face + 1}`;
  }
}
