import Joi from 'joi';
import { counted } from '../base/figures.ts';
import { lengthText } from '../base/figures.ts';
import { Unusable } from '../base/finding.ts';
import { checkDrawing } from '../curves/check.ts';
import { contoursOf, transformedDrawing, type Drawing } from '../curves/drawing.ts';
import { mendDrawing, type DrawingMend } from '../curves/mend.ts';
import { arranged, type Arrangement } from '../drawing/arrange.ts';
import { drawShape, type ShapeView } from '../drawing/from-shape.ts';
import { contourAt, editNode, withContour, type NodeEdit } from '../drawing/nodes.ts';
import { smoothStretch } from '../drawing/stretch.ts';
import { partOfDrawing } from '../drawing/part.ts';
import { bridged, type BridgeChoice } from '../drawing/bridges.ts';
import { mostDraft } from '../drawing/draft.ts';
import { laidOnto, type Onto } from '../drawing/onto.ts';
import { raiseDrawing, raiseLayers, type Heights } from '../drawing/raise.ts';
import { mendSchema, nodeSchema, viewSchema } from '../drawing/schema.ts';
import { identityRows } from '../geometry/rows.ts';
import { FacetSource } from '../kernel/facet-source.ts';
import type { DesignPart } from '../model/design.ts';
import { partOfMesh } from '../pipeline/mesh-design.ts';
import type { Tools } from '../pipeline/one-file.ts';
import { placementOf } from '../stance/stance.ts';
import { figure, id, place, yesOrNo } from './fields.ts';
import { onePart, type Operation, type OperationPart, type Outcome, type Work } from './operation.ts';
import { cleanFigures, type OperationReport } from './report.ts';
import { madePart, scaleOfPart } from './shape.ts';

export interface DrawRequest {
  kind: 'draw';
  part: string;
  view: ShapeView;
  /** Distance within which what was drawn of facets becomes lines and arcs; null leaves it in pieces. */
  fit: number | null;
}

export interface CleanRequest {
  kind: 'clean';
  part: string;
  choice: DrawingMend;
}

export interface NodeRequest {
  kind: 'node';
  part: string;
  edit: NodeEdit;
}

export interface RaiseRequest {
  kind: 'raise';
  part: string;
  thickness: number;
  /** Layers at heights of their own, onto a plate or not, instead of one thickness. */
  heights?: Omit<Heights, 'draft'>;
  /** How far walls lean from upright, rad. */
  draft?: number;
}

export interface ArrangeRequest {
  kind: 'arrange';
  part: string;
  /** Lengths in mm of the finished part. */
  how: Arrangement;
}

export interface OntoRequest {
  kind: 'lay-onto';
  part: string;
  /** The drawing that is laid onto it; it stays as it is. */
  other: string;
  /** Lengths in mm of the finished part. */
  how: Onto;
}

export interface BridgeRequest {
  kind: 'bridge';
  part: string;
  choice: BridgeChoice;
}

/** What is new and made here: under a name, at no other place than its own. */
const fresh = ({ summary }: OperationPart, name: string, said: string) => {
  const short = name.slice(0, 120);
  return { name: short, path: [short], quantity: summary.quantity, unit: 'mm', format: 'made here', places: [identityRows], made: [said] };
};

async function draw({ request: { view, fit }, parts: [part], tools, progress }: Work<DrawRequest>): Promise<Outcome> {
  progress(0.2, 'drawing it');
  const { geometry, recipe, summary } = part;
  if (geometry.kind === 'drawing') throw new Unusable('already-flat', 'The part is a drawing already.', 'Use it as it is.');
  const positions = geometry.kind === 'mesh' ? geometry.mesh.positions : await positionsOf(geometry.brep, tools);
  const kernel = geometry.kind === 'solid' ? await tools.working() : null;
  const placement = placementOf(recipe.stance, scaleOfPart(part), positions);
  const { drawing, deviation, said } = drawShape(geometry, placement, view, { engine: await tools.engine(), kernel, fit });
  const words = wordsOf(view);
  const made = partOfDrawing(drawing, fresh(part, `${summary.name}, ${words}`, `${words} of ${summary.name}`));
  const { contours, length, area } = made.summary.drawing!;
  return beside(made, { drawn: { contours, length, area, deviation }, said: [`Drew the ${words}.`, ...said] });
}

async function raise({ request: { thickness, heights, draft = 0 }, parts: [part], tools }: Work<RaiseRequest>): Promise<Outcome> {
  const scale = scaleOfPart(part);
  const drawing = transformedDrawing(drawingOf(part), [scale, 0, 0, scale, 0, 0]);
  const engine = await tools.engine();
  const mesh = heights ? raiseLayers(engine, drawing, { ...heights, draft }) : raiseDrawing(engine, drawing, thickness, { draft });
  const leaning = draft > 0 ? `, walls leaning by ${degreesText(draft)}` : '';
  const how = `${heights ? heightsInWords(heights) : `${thickness} mm`}${leaning}`;
  const about = { ...fresh(part, `${part.summary.name}, raised`, `raised by ${how} from a drawing`), colour: null };
  const said = [`Raised by ${how}; ${(mesh.triangles.length / 3).toLocaleString('en')} triangles.`];
  return beside(partOfMesh(mesh, about), { said });
}

const degreesText = (rad: number): string => `${Number(((rad * 180) / Math.PI).toFixed(2))}°`;

function heightsInWords({ layers, base }: Omit<Heights, 'draft'>): string {
  const list = Object.entries(layers).filter(([, h]) => h !== 0);
  const words = list.map(([name, h]) => `${h} mm (${name})`).join(', ');
  return base ? `${words} on a plate of ${base.thickness} mm` : words;
}

/** Lengths of the choice are mm of the finished part; the drawing has its own numbers. */
async function bridge({ request: { choice }, parts: [part] }: Work<BridgeRequest>): Promise<Outcome> {
  const done = bridged(drawingOf(part), { ...choice, width: choice.width / scaleOfPart(part) });
  const { islands, bridges, left } = done;
  const said =
    islands === 0
      ? ['There is no island that would fall out.']
      : [`${counted(bridges, 'bridge')} of ${choice.width} mm hold ${counted(islands - left.length, 'island')}.`, ...left];
  return bridges === 0 ? { report: { said }, made: [], inPlace: true } : changed(part, done.drawing, `${counted(bridges, 'bridge')} set`, { said });
}

function arrangeIt({ request: { how }, parts: [part] }: Work<ArrangeRequest>): Promise<Outcome> {
  const own = (v: number): number => v / scaleOfPart(part);
  const drawing = drawingOf(part);
  const next = arranged(drawing, { ...how, by: [own(how.by[0]), own(how.by[1])], step: [own(how.step[0]), own(how.step[1])] });
  const copies = how.columns * how.rows;
  const what = how.layers === null ? 'all layers' : how.layers.length === 1 ? `layer "${how.layers[0]}"` : `${how.layers.length} layers`;
  const said = `${what} ${copies > 1 ? `repeated to ${copies}` : 'moved'}`;
  // A flat that was moved or repeated stands no more where its part unfolds to: its own labels stay, what it knew of folding goes, and that is said.
  const folded = drawing.pattern !== undefined;
  const plain = { ...next, ...(folded ? { pattern: undefined, labels: true as const } : {}) };
  const told = [`${said[0].toUpperCase()}${said.slice(1)}; ${counted(contoursOf(next).length, 'contour')} in all.`];
  if (drawing.lettering && !next.lettering) told.push('Its words can not be changed any more: only moving and turning all of them leaves them words.');
  if (folded) told.push('It is no flat of its part any more: files of it are not folded back to be proved.');
  return Promise.resolve(changed(part, plain, said, { said: told }));
}

/** Both in mm of their own finished parts: what lies beneath has its own numbers. */
async function layOnto({ request: { how }, parts: [part, other] }: Work<OntoRequest>): Promise<Outcome> {
  const scale = scaleOfPart(part);
  const by = scaleOfPart(other) / scale;
  const base = drawingOf(part);
  const name = other.summary.name.slice(0, 100);
  const next = laidOnto(base, transformedDrawing(drawingOf(other), [by, 0, 0, by, 0, 0]), name, { ...how, by: [how.by[0] / scale, how.by[1] / scale] });
  // Writing goes along uncut and untold only where all of it is ours.
  const ours = [base, drawingOf(other)].every((d) => d.texts.length === 0 || d.labels || d.pattern);
  const plain: Drawing = { ...next, ...(base.picture ? { picture: base.picture } : {}), ...(ours && next.texts.length > 0 ? { labels: true as const } : {}) };
  const told = [`"${name}" lies on it: ${counted(contoursOf(next).length, 'contour')} in all.`];
  if (base.lettering) told.push('Its words can not be changed any more.');
  if (base.pattern) told.push('It is no flat of its part any more: files of it are not folded back to be proved.');
  return changed(part, plain, `with "${name}" laid onto it`, { said: told });
}

async function node({ request: { edit }, parts: [part] }: Work<NodeRequest>): Promise<Outcome> {
  if (edit.action === 'smooth-stretch') return stretch(part, edit);
  return changed(part, editNode(drawingOf(part), edit), 'a node changed', { said: ['Changed a node.'] });
}

/** A stretch made smooth: how much became of it, and how far it lies off, stays told with the part. */
function stretch(part: OperationPart, edit: NodeEdit & { action: 'smooth-stretch' }): Outcome {
  const scale = scaleOfPart(part);
  const drawing = drawingOf(part);
  const { contour, pieces, deviation } = smoothStretch(contourAt(drawing, edit), edit.node, edit.to, edit.within / scale);
  const said = `a stretch of ${pieces[0]} pieces made smooth with ${pieces[1]}, at most ${lengthText(deviation * scale)} mm off`;
  return changed(part, withContour(drawing, edit, contour), said, { said: [`Made ${said}.`] });
}

/** Lengths of the choice are mm of the finished part; the drawing has its own numbers. */
async function clean({ request: { choice }, parts: [part] }: Work<CleanRequest>): Promise<Outcome> {
  const scale = scaleOfPart(part);
  const own = (v: number | null) => (v === null ? null : v / scale);
  const drawing = drawingOf(part);
  const lengths = { joinGaps: own(choice.joinGaps), dropTiny: own(choice.dropTiny), fitArcs: own(choice.fitArcs), simplify: own(choice.simplify) };
  const before = checkDrawing(drawing);
  const { drawing: next, report: how } = mendDrawing(drawing, { ...choice, ...lengths });
  const report: OperationReport = { clean: { before: cleanFigures(before), after: cleanFigures(how.after), moved: how.moved * scale }, said: how.steps };
  return how.steps.length === 0 ? { report, made: [], inPlace: true } : changed(part, next, 'cleaned up', report);
}

const beside = (part: DesignPart, report: OperationReport): Outcome => ({ report, made: [madePart(part)], inPlace: false, beside: true });

/** The drawing changed in its place. What was done several times is told once. */
function changed(part: OperationPart, next: Drawing, said: string, report: OperationReport): Outcome {
  const { name, path, quantity, unit, format, partNumber, places, made } = part.summary;
  // The picture stays beneath, but its edge is no longer what the contours are.
  const { picture } = drawingOf(part);
  if (picture) next = { ...next, picture: { ...picture, edge: [] } };
  const list = made?.[made.length - 1] === said ? made : [...(made ?? []), said];
  return { report, made: [madePart(partOfDrawing(next, { name, path, quantity, unit, format, partNumber, places, made: list }))], inPlace: true };
}

function drawingOf({ geometry }: OperationPart): Drawing {
  if (geometry.kind !== 'drawing') throw new Unusable('not-flat', 'This part is no drawing.', 'Draw a view or a section of it first.');
  return geometry.drawing;
}

/** Places that tell how low a solid reaches, for dropping it to the bed. */
async function positionsOf(brep: string, tools: Tools): Promise<ArrayLike<number>> {
  const open = new FacetSource(brep, () => tools.working());
  try {
    return (await open.facets(0.05, 0.2)).positions;
  } finally {
    open.close();
  }
}

function wordsOf(view: ShapeView): string {
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

/** A view, section or face of a solid or mesh, as a drawing beside it. */
export const drawOperation: Operation<DrawRequest> = {
  kind: 'draw',
  verb: 'draw',
  gives: 'proposal',
  schema: Joi.object({ part: id, view: viewSchema, fit: figure.min(0.0001).max(5).allow(null).required() }),
  parts: onePart,
  run: draw,
};

/** A drawing's gaps joined, doubles dropped, arcs fitted. */
export const cleanOperation: Operation<CleanRequest> = {
  kind: 'clean',
  verb: 'clean up',
  gives: 'proposal',
  schema: Joi.object({ part: id, choice: mendSchema.required() }),
  parts: onePart,
  run: clean,
};

/** One node of a drawing moved, joined, cut or dropped; undo takes it back. */
export const nodeOperation: Operation<NodeRequest> = {
  kind: 'node',
  verb: 'change a node of',
  gives: 'kept at once',
  schema: Joi.object({ part: id, edit: nodeSchema }),
  parts: onePart,
  run: node,
};

/** Layers moved, turned, scaled and repeated as one. */
export const arrangeOperation: Operation<ArrangeRequest> = {
  kind: 'arrange',
  verb: 'arrange',
  gives: 'proposal',
  schema: Joi.object({
    part: id,
    how: Joi.object({
      layers: Joi.array().items(Joi.string().max(255)).min(1).max(500).allow(null).required(),
      by: Joi.array().items(place).length(2).required(),
      turn: figure.min(-10).max(10).required(),
      scale: figure.min(0.001).max(1000).required(),
      mirror: yesOrNo,
      columns: figure.integer().min(1).max(1000).required(),
      rows: figure.integer().min(1).max(1000).required(),
      step: Joi.array().items(place).length(2).required(),
    }).required(),
  }),
  parts: onePart,
  run: arrangeIt,
};

/** Another drawing of the job onto this one, its layers beside those that are there: pictures in register, artwork onto a plate. */
export const ontoOperation: Operation<OntoRequest> = {
  kind: 'lay-onto',
  verb: 'lay a drawing onto',
  gives: 'proposal',
  schema: Joi.object({
    part: id,
    other: id.invalid(Joi.ref('part')).messages({ 'any.invalid': 'Choose another drawing' }),
    how: Joi.object({
      anchor: Joi.string().valid('zero', 'middle', 'corner').required(),
      by: Joi.array().items(place).length(2).required(),
      turn: figure.min(-10).max(10).required(),
      scale: figure.min(0.001).max(1000).required(),
    }).required(),
  }),
  parts: ({ part, other }) => [part, other],
  run: layOnto,
};

/** Islands of a stencil held by strips that are not cut. */
export const bridgeOperation: Operation<BridgeRequest> = {
  kind: 'bridge',
  verb: 'bridge islands of',
  gives: 'proposal',
  schema: Joi.object({
    part: id,
    choice: Joi.object({
      count: figure.integer().min(1).max(20).required(),
      width: figure.min(0.05).max(100).required(),
      from: figure.min(0).max(1).required(),
    }).required(),
  }),
  parts: onePart,
  run: bridge,
};

/** Closed contours of a drawing to a solid beside it. */
export const raiseOperation: Operation<RaiseRequest> = {
  kind: 'raise',
  verb: 'raise',
  gives: 'proposal',
  schema: Joi.object({
    part: id,
    thickness: figure.min(0.01).max(10_000).required(),
    draft: figure.min(0).max(mostDraft),
    heights: Joi.object({
      layers: Joi.object().pattern(Joi.string().max(255), figure.min(-10_000).max(10_000)).max(500).required(),
      base: Joi.object({ thickness: figure.min(0.01).max(10_000).required(), margin: figure.min(0).max(10_000).required() })
        .allow(null)
        .required(),
    }),
  }),
  parts: onePart,
  run: raise,
};
