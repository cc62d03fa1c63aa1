import Joi from 'joi';
import { Unusable, type Finding } from '../base/finding.ts';
import { toFile } from '../command/command.ts';
import { measureMesh, type Mesh } from '../geometry/mesh.ts';
import { identityRows, timesRows } from '../geometry/rows.ts';
import { plainColour, SolidBuilder } from '../kernel/build.ts';
import { openExact } from '../formats/exact.ts';
import { combine, type BooleanKind } from '../mesh/join/booleans.ts';
import { figuresOf } from '../mesh/soundness/figures.ts';
import { partOfMesh } from '../pipeline/mesh-design.ts';
import { solidPartOf } from '../pipeline/exact-design.ts';
import { severalParts } from './fields.ts';
import { Cancelled, manyParts, wording, type Made, type Operation, type OperationPart, type Outcome, type Told, type Work } from './operation.ts';
import { madePart, meshIn, placedPart } from './shape.ts';

export interface CombineRequest<K extends BooleanKind = BooleanKind> {
  kind: K;
  parts: string[];
}

const words: Record<BooleanKind, string> = { join: 'joined', subtract: 'less the others', common: 'what they share' };

/** What the new part is called, and where it came from. */
function aboutOf(kind: BooleanKind, parts: readonly OperationPart[]) {
  const names = parts.map((p) => p.summary.name);
  const name = (kind === 'join' ? names.slice(0, 3).join(' + ') : names[0]).slice(0, 120);
  return {
    name,
    path: [name],
    quantity: 1,
    colour: parts[0].summary.colour,
    unit: 'mm',
    format: 'made here',
    places: [identityRows],
    made: [`${words[kind]}: ${names.join(', ')}`.slice(0, 300)],
  };
}

async function run<K extends BooleanKind>(work: Work<CombineRequest<K>>): Promise<Outcome> {
  work.progress(0.1, 'fetching parts');
  return work.parts.every((p) => p.geometry.kind === 'solid') ? exactly(work) : asMesh(work);
}

/** All exact: the kernel does it, and the result stays exact. */
async function exactly({ request: { kind }, parts, tools, progress }: Work<CombineRequest>): Promise<Outcome> {
  const about = aboutOf(kind, parts);
  const b = new SolidBuilder(await tools.working());
  const solids = parts.map(({ geometry, recipe, place }) => {
    const f = recipe.size.factor;
    return b.placed(b.fromBrep((geometry as { brep: string }).brep), timesRows(place, [f, 0, 0, 0, 0, f, 0, 0, 0, 0, f, 0]));
  });
  progress(0.4, 'combining');
  const [a, ...others] = solids;
  const shape = kind === 'subtract' ? b.cut(a, ...others) : others.reduce((left, s) => (kind === 'join' ? b.joined(left, s) : b.common(left, s)), a);
  const bytes = b.step(about.name, [{ name: about.name, colour: about.colour ?? plainColour, shape, places: [[0, 0, 0]] }]);
  const opened = (await openExact('STEP', bytes, { opening: () => tools.kernels.opening() })).parts;
  if (opened.length === 0) {
    const nothing = kind === 'common' ? 'The parts have nothing in common.' : 'Nothing is left of the part.';
    throw new Unusable('nothing-left', nothing, 'Look at where the parts stand to each other.');
  }
  const made: Made[] = opened.map((part, i) => {
    const { path, colour, quantity, places } = about;
    const name = opened.length > 1 ? `${about.name} ${i + 1}` : about.name;
    const whole = solidPartOf({ ...part, name, path, colour, quantity, places }, 'mm', 'made here');
    whole.summary.made = about.made;
    return madePart(whole);
  });
  const pieces = opened.length;
  const apart = `They stay ${pieces} pieces: they only touch in a line or lie apart. Let them run into each other by a little.`;
  const volumeBefore = parts.reduce((n, p) => n + p.summary.volume * p.recipe.size.factor ** 3, 0);
  const volumeAfter = opened.reduce((n, p) => n + p.volume, 0);
  return {
    report: {
      combine: { pieces, note: pieces > 1 && kind === 'join' ? apart : null, volumeBefore, volumeAfter, exact: true },
      said: [`${parts.length} parts ${words[kind]}, exact surfaces kept.`],
    },
    made,
    inPlace: false,
  };
}

async function asMesh({ request: { kind }, parts, tools, progress }: Work<CombineRequest>): Promise<Outcome> {
  const meshes: Mesh[] = [];
  for (const part of parts) meshes.push(await placedPart(part, tools));
  if (progress(0.4, 'combining')) throw new Cancelled();
  const { mesh, pieces, note, told } = combine(await tools.engine(), kind, meshes);
  const volumeBefore = meshes.reduce((n, m) => n + measureMesh(m).volume, 0);
  const about = aboutOf(kind, parts);
  return {
    report: {
      combine: { pieces, note, volumeBefore, volumeAfter: measureMesh(mesh).volume, exact: false },
      findings: told.map(mendedBefore),
      said: [`${parts.length} parts ${words[kind]}, as a mesh.`],
    },
    made: [{ geometry: { kind: 'mesh', mesh }, part: () => partOfMesh(mesh, about) }],
    inPlace: false,
  };
}

const mendedBefore = (message: string): Finding => ({
  code: 'mended-before',
  severity: 'look',
  count: 1,
  message,
  remedy: 'Check the part there; mend it by itself to see what moved.',
});

function tell({ report, made: [made] }: Outcome, before: readonly OperationPart[]): Told {
  const { pieces, note, volumeAfter } = report.combine!;
  const findings = [...(report.findings ?? [])];
  const remedy = 'Move them into each other, or keep them as separate parts.';
  if (note !== null) findings.push({ code: 'several-pieces', severity: 'look', count: pieces, message: note, remedy });
  return {
    json: { before: before.map((p) => figuresOf(meshIn(p))), after: figuresOf(meshIn(made)), pieces },
    said: [`${pieces} ${pieces === 1 ? 'piece' : 'pieces'}, ${volumeAfter.toFixed(3)} mm3`],
    findings,
  };
}

const kinds: { kind: BooleanKind; verb: string; does: string; least: number; each: 'parts' | 'files'; example: string }[] = [
  {
    kind: 'join',
    verb: 'join',
    does: 'One solid of several; what is in one file is joined too.',
    least: 1,
    each: 'parts',
    example: 'join "WS-104 cup.step" "WS-110 mast clamp.step" --out both.stl',
  },
  {
    kind: 'subtract',
    verb: 'subtract from',
    does: 'The first less the others.',
    least: 2,
    each: 'files',
    example: 'subtract "WS-104 cup.step" "WS-110 mast clamp.step" --out less.stl',
  },
  {
    kind: 'common',
    verb: 'keep what is common of',
    does: 'What they share.',
    least: 2,
    each: 'files',
    example: 'common "WS-104 cup.step" "WS-104 cup.step" --out shared.stl',
  },
];

/** Join, subtract, and what several share. */
export const combineOperations = kinds.map(({ kind, verb, does, least, each, example }): Operation<CombineRequest> => ({
  kind,
  verb,
  gives: 'proposal',
  schema: Joi.object({ parts: severalParts }),
  parts: manyParts,
  run,
  command: wording({ word: kind, takes: 'A B...', least, most: 100, each, out: toFile, options: {}, does, example, request: () => ({}), tell }),
}));
