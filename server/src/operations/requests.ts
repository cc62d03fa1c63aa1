import Joi from 'joi';
import type { FullSoundness } from 'tall-kite/mesh/soundness/full-check';
import type { FlatFigures, PartSummary } from 'tall-kite/model/design';
import type { Evidence } from 'tall-kite/prove/evidence';
import type { Finding } from 'tall-kite/base/finding';
import type { MendChoice, MendReport } from 'tall-kite/mesh/mend/mend';
import type { Pegs, Plane } from 'tall-kite/mesh/join/cut';
import type { ReliefChoice } from 'tall-kite/mesh/join/relief';
import type { ToolBody } from 'tall-kite/mesh/join/tools';
import type { Laid } from 'tall-kite/beds/layout';
import type { ShapeView } from 'tall-kite/drawing/from-shape';
import type { DrawingMend, DrawingMendReport } from 'tall-kite/curves/mend';
import type { NodeEdit } from 'tall-kite/drawing/nodes';
import { mendSchema, nodeSchema, viewSchema } from 'tall-kite/drawing/schema';
import type { FlattenChoice } from 'tall-kite/sheet/pattern';
import { flattenSchema } from 'tall-kite/sheet/schema';
import type { StanceCandidate } from 'tall-kite/stance/candidates';
import { Unusable } from 'tall-kite/base/finding';
import { receivers, type FileFormat } from 'tall-kite/receivers/receivers';
import { lengthUnits } from 'tall-kite/base/readings';

/** What a person asks to be computed. Lengths in mm of the finished part, in the coordinates in which it stands as modelled. */
export type OperationRequest =
  | { kind: 'check'; part: string; thickness: boolean }
  | { kind: 'mend'; part: string; choice: MendChoice }
  | { kind: 'lighter'; part: string; triangles: number | null; deviation: number | null }
  | { kind: 'join' | 'subtract' | 'common'; parts: string[] }
  | { kind: 'body'; part: string; body: ToolBody; as: 'hole' | 'boss' }
  | { kind: 'cut'; part: string; plane: Plane; pegs: Pegs | null; keep: 'both' | 'above' | 'below' }
  | { kind: 'divide'; part: string }
  | { kind: 'relief'; part: string; choice: ReliefChoice }
  | { kind: 'mirror'; part: string; axis: 0 | 1 | 2 }
  | { kind: 'stances'; part: string }
  | { kind: 'clearance'; parts: string[] }
  | { kind: 'draw'; part: string; view: ShapeView; fit: number | null }
  | { kind: 'clean'; part: string; choice: DrawingMend }
  | { kind: 'node'; part: string; edit: NodeEdit }
  | { kind: 'raise'; part: string; thickness: number }
  | { kind: 'flatten'; part: string; choice: FlattenChoice }
  | { kind: 'together'; parts: string[]; receiver: string; format: FileFormat; unit: string; placing: 'assembly' | 'set-down'; name: string }
  | { kind: 'bed'; receiver: string; unit: string; bed: number; laid: Laid[]; name: string };

export type OperationKind = OperationRequest['kind'];

const id = Joi.string().guid().required();
const number = Joi.number().strict();
const length = number.min(-1e6).max(1e6).required();
const positive = number.greater(0).max(1e5).required();
const p3 = Joi.array().items(length).length(3).required();
const parts = Joi.array().items(Joi.string().guid()).min(2).max(200).unique().required();
const unit = Joi.string()
  .valid(...lengthUnits.map((u) => u.id))
  .required();
const receiver = Joi.string()
  .valid(...receivers.map((r) => r.id))
  .required();
const name = Joi.string().trim().min(1).max(100).required();

const schemas: Record<OperationKind, Joi.ObjectSchema> = {
  check: Joi.object({ part: id, thickness: Joi.boolean().strict().required() }),
  mend: Joi.object({
    part: id,
    choice: Joi.object({
      weld: number.min(0).max(100).allow(null).required(),
      doubles: Joi.boolean().strict().required(),
      normals: Joi.boolean().strict().required(),
      holes: Joi.string().valid('flat', 'surface', 'none').required(),
      widestHole: number.min(0).max(1e6).allow(null).required(),
      crossings: Joi.boolean().strict().required(),
      crumbs: Joi.boolean().strict().required(),
      largestOnly: Joi.boolean().strict().required(),
      wrap: number.min(0.001).max(1000).allow(null).required(),
    }).required(),
  }),
  lighter: Joi.object({
    part: id,
    triangles: number.integer().min(4).max(2e7).allow(null).required(),
    deviation: number.min(1e-4).max(100).allow(null).required(),
  }),
  join: Joi.object({ parts }),
  subtract: Joi.object({ parts }),
  common: Joi.object({ parts }),
  body: Joi.object({
    part: id,
    as: Joi.string().valid('hole', 'boss').required(),
    body: Joi.alternatives()
      .try(
        Joi.object({ kind: Joi.string().valid('cylinder').required(), at: p3, normal: p3, diameter: positive, depth: positive }),
        Joi.object({
          kind: Joi.string().valid('box').required(),
          at: p3,
          normal: p3,
          width: positive,
          length: positive,
          depth: positive,
          turn: number.min(-360).max(360).required(),
        }),
      )
      .required(),
  }),
  cut: Joi.object({
    part: id,
    plane: Joi.object({ normal: p3, offset: length }).required(),
    pegs: Joi.object({ count: number.integer().min(1).max(4).required(), diameter: positive, depth: positive, clearance: number.min(0).max(10).required() })
      .allow(null)
      .required(),
    keep: Joi.string().valid('both', 'above', 'below').required(),
  }),
  divide: Joi.object({ part: id }),
  relief: Joi.object({
    part: id,
    choice: Joi.alternatives()
      .try(
        Joi.object({ kind: Joi.string().valid('thicken').required(), thickness: positive }),
        Joi.object({ kind: Joi.string().valid('base').required(), height: length }),
        Joi.object({ kind: Joi.string().valid('block').required(), margin: number.min(0).max(1e5).required(), height: length }),
      )
      .required(),
  }),
  mirror: Joi.object({ part: id, axis: number.valid(0, 1, 2).required() }),
  stances: Joi.object({ part: id }),
  clearance: Joi.object({ parts }),
  draw: Joi.object({ part: id, view: viewSchema, fit: number.min(0.0001).max(5).allow(null).required() }),
  clean: Joi.object({ part: id, choice: mendSchema.required() }),
  node: Joi.object({ part: id, edit: nodeSchema }),
  flatten: Joi.object({ part: id, choice: flattenSchema.required() }),
  raise: Joi.object({ part: id, thickness: number.min(0.01).max(10_000).required() }),
  together: Joi.object({
    parts: Joi.array().items(Joi.string().guid()).min(1).max(500).unique().required(),
    receiver,
    format: Joi.string().valid('stl', '3mf', 'obj', 'ply').required(),
    unit,
    placing: Joi.string().valid('assembly', 'set-down').required(),
    name,
  }),
  bed: Joi.object({
    receiver,
    unit,
    bed: number.integer().min(0).max(500).required(),
    name,
    laid: Joi.array()
      .items(Joi.object({ id, copy: number.integer().min(0).required(), bed: number.integer().min(0).required(), turn: length, x: length, y: length }))
      .min(1)
      .max(2000)
      .required(),
  }),
};

/** Checks a request that comes from outside. @throws Unusable with the field and the limit. */
export function checkRequest(input: unknown): OperationRequest {
  const { kind, ...rest } = (input ?? {}) as { kind?: OperationKind };
  const schema = kind && Object.hasOwn(schemas, kind) ? schemas[kind] : null;
  if (!schema) throw new Unusable('bad-operation', 'That is nothing that can be asked for.', 'Reload the page and try again.');
  const { value, error } = schema.validate(rest, { convert: false });
  if (error) throw new Unusable('bad-request', `${error.message}.`.replace(/\.\.$/, '.'), 'Correct the value; nothing was changed.');
  return { kind, ...value } as OperationRequest;
}

/** The parts that a request is about. */
export function partsOf(request: OperationRequest): string[] {
  if ('parts' in request) return request.parts;
  if ('part' in request) return [request.part];
  return [...new Set(request.laid.map((l) => l.id))];
}

/** Small steps that are kept as soon as they are done; undo takes them back. */
export const keptAtOnce: readonly OperationKind[] = ['node'];

/** Whether the result is a proposal that a person keeps or drops; others are reports or files. */
export function isProposal(kind: OperationKind): boolean {
  return !['check', 'stances', 'clearance', 'together', 'bed'].includes(kind);
}

/** A part that came of an operation, its shape in the store. */
export interface MadePart {
  name: string;
  summary: PartSummary;
  findings: Finding[];
  geometry: string;
  view: string;
}

/** What the soundness check shows: counts, holes, shells; places are in the store. */
export type CheckReport = Omit<FullSoundness, 'where' | 'openEdgeVertices'> & {
  openEdgeVertices?: undefined;
  heavy: { times: number; deviation: number };
  thickness: { least: number; thinArea: number; bead: number; beads: number } | null;
  findings: Finding[];
};

/** Figures of a drawing, before or after it was cleaned. */
export interface CleanFigures {
  contours: number;
  open: number;
  segments: number;
  doubles: number;
  crossings: number;
  tiny: number;
  length: number;
}

export function cleanFigures(check: DrawingMendReport['before']): CleanFigures {
  return {
    contours: check.contours,
    open: check.open,
    segments: Object.values(check.segments).reduce((n, c) => n + c, 0),
    doubles: check.doubles.length + check.overlaps.length,
    crossings: check.crossings.length,
    tiny: check.tiny.length + check.zero.length,
    length: check.length,
  };
}

export interface OperationReport {
  mend?: MendReport;
  lighter?: { before: number; after: number; measured: number; there: number; back: number };
  check?: CheckReport;
  stances?: StanceCandidate[];
  clearance?: { pairs: { a: string; b: string; how: 'apart' | 'touch' | 'overlap'; gap: number; shared: number; tightArea: number }[]; clearance: number };
  combine?: { pieces: number; note: string | null; volumeBefore: number; volumeAfter: number; exact: boolean };
  cut?: { area: number; pegs: number };
  file?: { fileName: string; sha256: string; bytes: number; evidence: Evidence };
  /** A drawing before and after: counts only, places are left out. */
  clean?: { before: CleanFigures; after: CleanFigures; moved: number };
  drawn?: { contours: number; length: number; area: number; deviation: number };
  /** Figures of a flat pattern, with where each feature stands in the part (mm). */
  flat?: FlatFigures & { places: [number, number, number][] };
  /** Sentences in the past of what was done. */
  said: string[];
}

export interface OperationResult {
  report: OperationReport;
  /** In-place when there is one and `inPlace`; else new parts, and the old ones are left out. */
  made: MadePart[];
  inPlace: boolean;
  /** New parts come beside the old ones, which stay. */
  beside?: boolean;
  /** Packed places of findings (see view), for a check. */
  places: string | null;
}
