import Joi from 'joi';
import { sha256 } from '../base/sha256.ts';
import { allMarks, type TubeFormat, type TubesDone } from '../bender/files.ts';
import type { BenderRules } from '../bender/rules.ts';
import { findTubes, type TubesFound } from '../bender/source.ts';
import { toDies } from '../bender/to-die.ts';
import { tubeView } from '../bender/view.ts';
import { heldFiles } from '../pipeline/held.ts';
import type { Keep } from '../pipeline/one-file.ts';
import { evidenceOf, evidenceOfFiles } from '../prove/evidence.ts';
import { safeFileName } from '../recipe/recipe.ts';
import { figure, fileName } from './fields.ts';
import { Cancelled, manyParts, type Operation, type Outcome, type Work } from './operation.ts';
import { scaleOfPart } from './shape.ts';

interface AboutTubes {
  parts: string[];
  bender: BenderRules;
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
  toDie: Joi.boolean().required(),
  fit: figure.min(0.001).max(50).allow(null).default(null),
  bender: Joi.object<BenderRules>({
    dies: Joi.array().items(figure.greater(0).max(10_000)).max(100).required(),
    clamp: figure.min(0).max(10_000).required(),
    leastRadius: figure.min(0).max(100).required(),
    longest: figure.min(1).max(100_000).required(),
    rules: Joi.array()
      .items(
        Joi.object({
          material: Joi.string().max(60).allow('').required(),
          radius: figure.min(0.1).max(10_000).required(),
          ratio: figure.min(0.8).max(1.5).required(),
          offset: figure.min(-20).max(20).required(),
          elongation: figure.min(-50).max(50).required(),
        }),
      )
      .max(1000)
      .required(),
    material: Joi.string().max(60).allow('').required(),
    density: figure.min(0.1).max(30).required(),
    allowances: Joi.array().items(figure.min(0).max(10_000)).length(2).required(),
  }).required(),
};

/** Tubes of the parts, with the tables' own proof; files go where they are kept. */
async function made(
  { parts, tools, progress, request }: Work<AboutTubes & { kind: string }>,
  how: { formats: TubeFormat[]; quantity: boolean; keep: Keep },
): Promise<TubesDone & { found: TubesFound }> {
  if (progress(0.02, 'looking for tubes')) throw new Cancelled();
  const given = parts.map((p) => ({ key: p.id, summary: p.summary, geometry: p.geometry, scale: scaleOfPart(p) }));
  const design = findTubes(given, request.fit);
  const { found, findings } = request.toDie ? toDies(design, request.bender.dies) : { found: design, findings: [] };
  // Letters are where the work is done, never in a page, which knows this file for its forms.
  const { nodeLetters } = await import(/* turbopackIgnore: true */ '../text/node-files.ts');
  const done = await allMarks(found, { ...how, bender: request.bender, space: null, tools, letters: nodeLetters }, (share, mark) =>
    progress(0.1 + 0.85 * share, mark),
  );
  if (!done) throw new Cancelled();
  return { done: done.done, findings: [...done.findings, ...findings], found };
}

const counted = ({ done, found }: { done: TubesDone['done']; found: TubesFound }) =>
  `${found.runs.length} ${found.runs.length === 1 ? 'tube' : 'tubes'} in ${done.length} ${done.length === 1 ? 'mark' : 'marks'}.`;

/** Bent tubes among parts, each mark with its bend table, bent again from the table alone. */
export const tubesOperation: Operation<TubesRequest> = {
  kind: 'tubes',
  verb: 'look for tubes',
  gives: 'report',
  schema: Joi.object(about),
  parts: manyParts,
  async run(work): Promise<Outcome> {
    const { keep } = heldFiles();
    const it = await made(work, { formats: [], quantity: false, keep });
    return {
      report: {
        tubes: it.done.map((d) => tubeView(d, it.found)),
        leftOut: it.found.leftOut.map(({ what, why }) => ({ what, why })),
        findings: it.findings,
        said: [counted(it)],
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
    const held = heldFiles();
    const it = await made(work, { formats, quantity, keep: held.keep });
    const files = it.done.flatMap((d) => d.files.flatMap((f) => (f.evidence ? [{ name: f.name, evidence: f.evidence }] : [])));
    const evidence = evidenceOfFiles(files, evidenceOf([], it.findings));
    const zip = `${safeFileName(name)}_tubes.zip`;
    const bytes = await work.keep(zip, [held.zip()]);
    const count = it.done.reduce((n, d) => n + d.files.length, 0);
    return {
      report: { file: { fileName: zip, sha256: sha256([bytes]), bytes: bytes.length, evidence }, said: [`${counted(it)} ${count} files.`] },
      made: [],
      inPlace: false,
    };
  },
};
