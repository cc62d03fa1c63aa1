import Joi from 'joi';
import { sha256 } from '../base/sha256.ts';
import { rowsOnBed, type Laid } from '../beds/layout.ts';
import { boxOf } from '../geometry/box.ts';
import type { Mesh } from '../geometry/mesh.ts';
import type { Rows } from '../geometry/rows.ts';
import { bedFindings, makeTogether } from '../pipeline/one-file.ts';
import type { TogetherFile } from '../pipeline/together.ts';
import { preparedMesh } from '../pipeline/write-part.ts';
import { withFindings } from '../prove/evidence.ts';
import { safeFileName } from '../recipe/recipe.ts';
import type { FileFormat, Receiver } from '../receivers/receivers.ts';
import { inPlace } from '../stance/stance.ts';
import { figure, fileName, id, place, receiver, unit } from './fields.ts';
import { Cancelled, manyParts, type Operation, type OperationPart, type Outcome, type Work } from './operation.ts';

export interface TogetherRequest {
  kind: 'together';
  parts: string[];
  receiver: Receiver;
  format: FileFormat;
  unit: string;
  placing: 'assembly' | 'set-down';
  name: string;
}

export interface BedRequest {
  kind: 'bed';
  receiver: Receiver;
  unit: string;
  bed: number;
  laid: Laid[];
  name: string;
}

/** Where each copy of a part stands in the file. */
type Placing = (part: OperationPart, mesh: Mesh) => Rows[];

interface HowPlaced {
  format: FileFormat;
  standing: boolean;
  placing: Placing;
}

/** Set down in a row along X, a spacing apart, as many as are wanted. */
function inRow(spacing: number): Placing {
  let along = 0;
  return ({ summary }, mesh) => {
    const { min, max } = boxOf(mesh.positions);
    return Array.from({ length: summary.quantity }, () => {
      const at: Rows = [1, 0, 0, along - min[0], 0, 1, 0, -min[1], 0, 0, 1, 0];
      along += max[0] - min[0] + spacing;
      return at;
    });
  };
}

/** Parts as one file, proved from its own bytes. `standing` parts stand as in the assembly, others as their recipe says. */
async function oneFile(work: Work<TogetherRequest | BedRequest>, to: Receiver, { format, standing, placing }: HowPlaced): Promise<Outcome> {
  const { request, parts, tools, progress, keep } = work;
  const list = [];
  for (const [i, part] of parts.entries()) {
    if (progress((0.7 * i) / parts.length, 'making facets')) throw new Cancelled();
    const { summary, geometry, recipe } = part;
    const stance = standing ? inPlace : { ...recipe.stance, drop: true };
    const { mesh } = await preparedMesh(summary, geometry, { ...recipe, receiver: to, stance }, tools.working);
    const { name, partNumber = null, colour, lost } = summary;
    list.push({ name, partNumber, colour, mesh, places: placing(part, mesh), lost });
  }
  const as: TogetherFile = { format, encoding: 'binary', unit: request.unit, title: request.name, quads: false };
  progress(0.75, 'writing and reading it back');
  const called = `${safeFileName(`${request.name}_${request.unit}`)}.${format}`;
  const { bytes, evidence } = await makeTogether(list, as, { receiver: to, fileName: called }, { tools: tools, keep: keep });
  const proved = request.kind === 'bed' ? withFindings(evidence, bedFindings(list, to.bed)) : evidence;
  return {
    report: {
      file: { fileName: called, sha256: sha256([bytes]), bytes: bytes.length, evidence: proved },
      said: [`Wrote ${list.reduce((n, p) => n + p.places.length, 0)} parts to one file.`],
    },
    made: [],
    inPlace: false,
  };
}

/** Several parts as one file. */
export const togetherOperation: Operation<TogetherRequest> = {
  kind: 'together',
  verb: 'write',
  gives: 'file',
  schema: Joi.object({
    parts: Joi.array().items(Joi.string().guid()).min(1).max(500).unique().required(),
    receiver,
    format: Joi.string().valid('stl', '3mf', 'obj', 'ply').required(),
    unit,
    placing: Joi.string().valid('assembly', 'set-down').required(),
    name: fileName,
  }),
  parts: manyParts,
  run: (work) => {
    const to = work.request.receiver;
    const assembled = work.request.placing === 'assembly';
    const asModelled: Placing = ({ place: first, summary }) => [first, ...(summary.places ?? []).slice(1)];
    return oneFile(work, to, { format: work.request.format, standing: assembled, placing: assembled ? asModelled : inRow(to.spacing) });
  },
};

const laid = Joi.object({
  id,
  copy: figure.integer().min(0).required(),
  bed: figure.integer().min(0).required(),
  turn: place,
  x: place,
  y: place,
});

/** What lies on one bed as one file. */
export const bedOperation: Operation<BedRequest> = {
  kind: 'bed',
  verb: 'write',
  gives: 'file',
  schema: Joi.object({
    receiver,
    unit,
    bed: figure.integer().min(0).max(500).required(),
    name: fileName,
    laid: Joi.array().items(laid).min(1).max(2000).required(),
  }),
  parts: (request) => [...new Set(request.laid.map((l) => l.id))],
  run: (work) => {
    const to = work.request.receiver;
    const lying: Placing = (part) => work.request.laid.filter((l) => l.id === part.id).map((l) => rowsOnBed(l.turn, l.x, l.y));
    return oneFile(work, to, { format: to.formats.includes('3mf') ? '3mf' : 'stl', standing: false, placing: lying });
  },
};
