import Joi from 'joi';
import { materialSchema, mostMaterials, type Material } from '../materials/materials.ts';
import { sha256 } from '../base/sha256.ts';
import { usualCsv, type CsvHow } from '../cutlist/csv.ts';
import type { NestChoice } from '../cutlist/how.ts';
import { cutListWith, type ListPart } from '../cutlist/list.ts';
import { nestRows } from '../cutlist/nest-rows.ts';
import type { Nest } from '../cutlist/nested.ts';
import { sortedRows, withEdits, type CutRow, type RowEdit } from '../cutlist/row.ts';
import { nestZip } from '../cutlist/run.ts';
import { editsSchema, nestSchema, typedSchema } from '../cutlist/schema.ts';
import { typedRow, type TypedPanel } from '../cutlist/typed.ts';
import type { Receiver } from '../receivers/receivers.ts';
import { figure, fileName, receiver } from './fields.ts';
import { Cancelled, manyParts, type Operation, type OperationPart, type Outcome, type Work } from './operation.ts';

/** What is known of a part beside its shape. */
export interface AboutPart {
  quantity: number;
  number: string;
  material: string;
  thickness: number | null;
}

export interface CutListRequest {
  kind: 'cut-list';
  parts: string[];
  about: Record<string, AboutPart>;
}

export interface NestRequest {
  kind: 'nest';
  parts: string[];
  about: Record<string, AboutPart>;
  edits: Record<string, RowEdit>;
  /** Panels of typed sizes, which belong to no part. */
  typed?: TypedPanel[];
  /** What the stores know of materials. */
  materials?: Material[];
  choice: NestChoice;
  /** How parts lie already, found on the page or moved by hand; null: look for it here. */
  laid: Nest | null;
  receiver: Receiver;
  format: 'dxf' | 'svg' | 'pdf';
  name: string;
  csv: CsvHow;
}

const about = Joi.object().pattern(
  Joi.string().guid(),
  Joi.object({
    quantity: figure.integer().min(1).max(100_000).required(),
    number: Joi.string().max(60).allow('').required(),
    material: Joi.string().max(60).allow('').required(),
    thickness: figure.greater(0).max(1000).allow(null).required(),
  }),
);
const parts = Joi.array().items(Joi.string().guid()).min(1).max(5000).unique().required();

const place = figure.min(-100_000).max(100_000).required();
/** Checks where parts lie, as it comes from a page. */
export const laidSchema = Joi.object<Nest>({
  sheets: Joi.array()
    .items(
      Joi.object({
        kind: figure.integer().min(0).max(49).required(),
        name: Joi.string().max(60).required(),
        width: figure.min(10).max(20_000).required(),
        height: figure.min(10).max(20_000).required(),
        outline: Joi.array().items(Joi.array().items(figure).length(2)).max(500).allow(null).required(),
        stock: Joi.string().max(140).required(),
        density: figure.min(0).max(1).required(),
        parts: Joi.array()
          .items(
            Joi.object({
              row: Joi.string().max(200).required(),
              copy: figure.integer().min(0).max(100_000).required(),
              turn: figure.min(-3600).max(3600).required(),
              mirrored: Joi.boolean().required(),
              x: place,
              y: place,
              locked: Joi.boolean(),
            }),
          )
          .max(20_000)
          .required(),
        cuts: Joi.array()
          .items(
            Joi.object({
              number: figure.integer().min(1).required(),
              along: Joi.string().valid('x', 'y').required(),
              at: place,
              from: place,
              to: place,
              stage: figure.integer().min(0).max(100).required(),
            }),
          )
          .max(100_000)
          .required(),
      }),
    )
    .max(2000)
    .required(),
  notPlaced: Joi.array()
    .items(Joi.object({ row: Joi.string().max(200).required(), copies: figure.integer().min(1).required(), why: Joi.string().max(300).required() }))
    .max(5000)
    .required(),
  remnants: Joi.array()
    .items(Joi.object({ sheet: figure.integer().min(0).required(), x: place, y: place, width: place, height: place }))
    .max(20_000)
    .required(),
  density: figure.min(0).max(1).required(),
});

const unknown: AboutPart = { quantity: 1, number: '', material: '', thickness: null };

/** Parts as the list takes them. */
const listParts = (all: readonly OperationPart[], known: Record<string, AboutPart>): ListPart[] =>
  all.map(({ id, summary, recipe, geometry }) => ({ key: id, summary, recipe, geometry, ...(known[id] ?? { ...unknown, quantity: summary.quantity }) }));

async function listed({ parts: all, tools, progress }: Work<{ kind: string }>, known: Record<string, AboutPart>, share: number): Promise<CutRow[]> {
  const rows = await cutListWith(listParts(all, known), tools.working, (done, name) =>
    progress(done * share, name === '' ? 'looking for equal parts' : `looking at ${name}`),
  );
  if (!rows) throw new Cancelled();
  return sortedRows(rows);
}

/** Panels, their sizes and what is worked on them; what is no panel says why. */
export const cutListOperation: Operation<CutListRequest> = {
  kind: 'cut-list',
  verb: 'list',
  gives: 'report',
  schema: Joi.object({ parts, about: about.required() }),
  parts: manyParts,
  async run(work): Promise<Outcome> {
    const rows = await listed(work, work.request.about, 1);
    const panels = rows.filter((r) => r.kind === 'panel');
    const pieces = panels.reduce((n, r) => n + r.quantity, 0);
    return {
      report: { cutList: rows, said: [`${pieces} panels in ${panels.length} rows, ${rows.length - panels.length} rows made elsewhere.`] },
      made: [],
      inPlace: false,
    };
  },
};

/** Sheets, list, labels and plan as one file; every part found again in the bytes of its sheet. */
export const nestOperation: Operation<NestRequest> = {
  kind: 'nest',
  verb: 'nest',
  gives: 'file',
  schema: Joi.object({
    parts,
    about: about.required(),
    edits: editsSchema.required(),
    typed: typedSchema.default([]),
    materials: Joi.array().items(materialSchema).max(mostMaterials.kept).default([]),
    choice: nestSchema.required(),
    laid: laidSchema.allow(null).required(),
    receiver,
    format: Joi.string().valid('dxf', 'svg', 'pdf').required(),
    name: fileName,
    csv: Joi.object({ comma: Joi.boolean().required(), mark: Joi.boolean().required() }).default(usualCsv),
  }),
  parts: manyParts,
  async run(work): Promise<Outcome> {
    const { request, tools, progress, keep } = work;
    const rows = withEdits([...(await listed(work, request.about, 0.3)), ...(request.typed ?? []).map(typedRow)], request.edits, request.materials);
    const engine = await tools.engine();
    if (progress(0.32, 'laying parts on sheets')) throw new Cancelled();
    const nest = request.laid ?? nestRows(rows, request.choice, engine);
    // Letters are where the work is done, never in a page, which knows this file for its forms.
    const { nodeLetters } = await import(/* turbopackIgnore: true */ '../text/node-files.ts');
    const { receiver: to, format, name, csv } = request;
    const how = { receiver: to, format, name, csv };
    const done = await nestZip({ rows, nest, choice: request.choice }, how, { tools, letters: nodeLetters }, (share, what) =>
      progress(0.4 + share * 0.55, what),
    );
    if (!done) throw new Cancelled();
    const bytes = await keep(done.fileName, [done.bytes]);
    const placed = nest.sheets.reduce((n, s) => n + s.parts.length, 0);
    const figures = [
      { name: 'sheets', value: nest.sheets.length, unit: '' },
      { name: 'parts', value: placed, unit: '' },
      { name: 'of what is used', value: Number((nest.density * 100).toFixed(1)), unit: '%' },
    ];
    return {
      report: {
        file: { fileName: done.fileName, sha256: sha256([bytes]), bytes: bytes.length, evidence: done.evidence },
        figures,
        said: [`${placed} parts on ${nest.sheets.length} sheets; ${done.files.length} files.`],
      },
      made: [],
      inPlace: false,
    };
  },
};
