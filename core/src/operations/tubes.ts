import Joi from 'joi';
import { sha256 } from '../base/sha256.ts';
import type { Finding } from '../base/finding.ts';
import { allMarks, tubesZip, type MarkDone, type TubeFormat } from '../bender/files.ts';
import type { BenderRules } from '../bender/rules.ts';
import { benderSchema, workParts } from '../bender/schema.ts';
import { findTubes, type TubesFound } from '../bender/source.ts';
import { toDies } from '../bender/to-die.ts';
import { tubeView } from '../bender/view.ts';
import { heldFiles } from '../pipeline/held.ts';
import { safeFileName } from '../recipe/recipe.ts';
import { fileName } from './fields.ts';
import { Cancelled, manyParts, type Operation, type Outcome, type Work } from './operation.ts';
import { scaleOfPart } from './shape.ts';

interface AboutTubes {
  parts: string[];
  bender: BenderRules;
  /** Id of the receiver that these rules are of; empty: they were typed for this job. */
  machine: string;
  /** Takes the nearest die for each bend. */
  toDie: boolean;
  /** Free curves are fitted within this, mm; null: they are told. */
  fit: number | null;
}

export interface TubesRequest extends AboutTubes {
  kind: 'tubes';
}

export interface TubeFilesRequest extends AboutTubes {
  kind: 'tube-files';
  formats: TubeFormat[];
  quantity: boolean;
  name: string;
}

const about = {
  parts: Joi.array().items(Joi.string().guid()).min(1).max(5000).unique().required(),
  ...workParts,
  machine: Joi.string().max(60).allow('').default(''),
  bender: benderSchema.required(),
};

/** Tubes of the parts; with other dies, when they are asked for, and what is told of those. */
function looked({ parts, progress, request }: Work<AboutTubes & { kind: string }>): { found: TubesFound; findings: Finding[] } {
  if (progress(0.02, 'looking for tubes')) throw new Cancelled();
  const given = parts.map((p) => ({ key: p.id, summary: p.summary, geometry: p.geometry, scale: scaleOfPart(p) }));
  const design = findTubes(given, request.fit);
  return request.toDie ? toDies(design, request.bender.dies) : { found: design, findings: [] };
}

/** Each mark as a part of the work. */
const going =
  ({ progress }: Pick<Work<unknown>, 'progress'>) =>
  (share: number, mark: string): boolean =>
    progress(0.1 + 0.85 * share, mark);

// Letters are where the work is done, never in a page, which knows this file for its forms.
const letters = async () => (await import(/* turbopackIgnore: true */ '../text/node-files.ts')).nodeLetters;

const counted = (done: readonly MarkDone[], found: TubesFound) =>
  `${found.runs.length} ${found.runs.length === 1 ? 'tube' : 'tubes'} in ${done.length} ${done.length === 1 ? 'mark' : 'marks'}.`;

/** Bent tubes among parts, each mark with its bend table, bent again from the table alone. */
export const tubesOperation: Operation<TubesRequest> = {
  kind: 'tubes',
  verb: 'look for tubes',
  gives: 'report',
  schema: Joi.object(about),
  parts: manyParts,
  async run(work): Promise<Outcome> {
    const { found, findings } = looked(work);
    const how = { formats: [], quantity: false, bender: work.request.bender, space: null, tools: work.tools, letters: await letters(), keep: heldFiles().keep };
    const it = await allMarks(found, how, going(work));
    if (!it) throw new Cancelled();
    return {
      report: {
        tubes: it.done.map((d) => tubeView(d, found)),
        leftOut: found.leftOut.map(({ what, why }) => ({ what, why })),
        findings: [...it.findings, ...findings],
        said: [counted(it.done, found)],
      },
      made: [],
      inPlace: false,
    };
  },
};

/** Tables, solids built anew, templates and sheets of all marks as one file. */
export const tubeFilesOperation: Operation<TubeFilesRequest> = {
  kind: 'tube-files',
  verb: 'write tubes',
  gives: 'file',
  schema: Joi.object({
    ...about,
    formats: Joi.array()
      .items(Joi.string().valid('step', 'dxf', 'pdf', 'svg'))
      .unique()
      .required(),
    quantity: Joi.boolean().required(),
    name: fileName,
  }),
  parts: manyParts,
  async run(work): Promise<Outcome> {
    const { formats, quantity, name } = work.request;
    const { found, findings } = looked(work);
    const { bender } = work.request;
    const it = await tubesZip(found, { formats, quantity, bender, tools: work.tools, letters: await letters(), told: findings }, going(work));
    if (!it) throw new Cancelled();
    const zip = `${safeFileName(name)}_tubes.zip`;
    const bytes = await work.keep(zip, [it.bytes]);
    return {
      report: {
        file: { fileName: zip, sha256: sha256([bytes]), bytes: bytes.length, evidence: it.evidence },
        said: [`${counted(it.done, found)} ${it.count} files.`],
      },
      made: [],
      inPlace: false,
    };
  },
};
