import Joi from 'joi';
import type { DesignPart } from '../model/design.ts';
import { partOfDrawing } from '../drawing/part.ts';
import { Unusable, type Finding } from '../base/finding.ts';
import { branchOn, type Branch } from './branch.ts';
import type { Developed } from './lay.ts';
import { coneBetween, squareToRound, type ConeBetween, type SquareToRound } from './transition.ts';

/** A sheet part given by its sizes alone. */
export type DevelopChoice = SquareToRound | ConeBetween | Branch;
export type DevelopKind = DevelopChoice['kind'];

/** One size of a part, as a form and the command line show it. */
export interface DevelopField {
  id: string;
  label: string;
  unit: 'mm' | 'degrees' | '';
  /** Words to choose from; null for numbers. */
  words: readonly string[] | null;
  /** Null when it must be given. */
  usual: number | string | null;
}

interface Kind<C extends DevelopChoice> {
  title: string;
  about: string;
  fields: DevelopField[];
  schema: Joi.ObjectSchema<C>;
  run(choice: C): Developed;
  /** A name for the file. */
  name(choice: C): string;
}

/** Of anything that is cut from sheet, mm. */
const length = Joi.number().min(1).max(100_000);
const wall = Joi.number().min(0.02).max(1000);
const signed = Joi.number().min(-100_000).max(100_000);
const mm = (id: string, label: string, usual: number | null = null): DevelopField => ({ id, label, unit: 'mm', words: null, usual });
const count = (id: string, label: string, usual: number): DevelopField => ({ id, label, unit: '', words: null, usual });
const words = (id: string, label: string, all: readonly string[], usual: string): DevelopField => ({ id, label, unit: '', words: all, usual });
const oneOf = (all: readonly string[], usual: string) => Joi.string().valid(...all).default(usual); // prettier-ignore

const sizes = ['inside', 'mean', 'outside'] as const;
const sides = ['+x', '-x', '+y', '-y'] as const;
const shared = {
  thickness: wall.max(100).required(),
  sizes: oneOf(sizes, 'inside'),
  seam: oneOf(sides, '+x'),
  pieces: Joi.number().valid(1, 2).default(1),
  deviation: Joi.number().min(0.0005).max(1).default(0.01),
};
const sharedFields = [
  mm('thickness', 'Thickness'),
  words('sizes', 'Sizes are those', sizes, 'inside'),
  words('seam', 'Seam on the side', sides, '+x'),
  count('pieces', 'Pieces', 1),
];
const offsetFields = [mm('offsetX', 'Upper middle aside, X', 0), mm('offsetY', 'Upper middle aside, Y', 0)];

/** Offsets come as two numbers and are kept as a pair. */
const paired = <C extends DevelopChoice>(keys: Record<string, Joi.Schema>): Joi.ObjectSchema<C> => {
  const all = { ...keys, offsetX: signed.default(0), offsetY: signed.default(0) } as Joi.SchemaMap;
  return Joi.object(all).custom(({ offsetX, offsetY, ...rest }: { offsetX: number; offsetY: number }) => ({ ...rest, offset: [offsetX, offsetY] })) as Joi.ObjectSchema<C>; // prettier-ignore
};

export const developKinds: { [K in DevelopKind]: Kind<Extract<DevelopChoice, { kind: K }>> } = {
  'square-to-round': {
    title: 'Square to round',
    about: 'A duct from a rectangle below to a circle above; the circle may stand aside.',
    fields: [
      mm('width', 'Width below, X'),
      mm('depth', 'Depth below, Y'),
      mm('diameter', 'Diameter above'),
      mm('height', 'Height'),
      ...offsetFields,
      ...sharedFields,
      count('lines', 'Bend lines at each corner', 8),
    ],
    schema: paired<SquareToRound>({
      kind: Joi.string().valid('square-to-round').required(),
      width: length.required(),
      depth: length.required(),
      diameter: length.required(),
      height: length.required(),
      ...shared,
      lines: Joi.number().integer().min(1).max(100).default(8),
    }),
    run: squareToRound,
    name: (c) => `square ${c.width} x ${c.depth} to round ${c.diameter}`,
  },
  cone: {
    title: 'Cone or tube',
    about: 'Between two level circles, upright or aslant; circles of one size give a tube.',
    fields: [
      mm('lower', 'Diameter below'),
      mm('upper', 'Diameter above (0: a tip)'),
      mm('height', 'Height'),
      ...offsetFields,
      ...sharedFields,
      count('lines', 'Bend lines all round (0: rolled)', 0),
    ],
    schema: paired<ConeBetween>({
      kind: Joi.string().valid('cone').required(),
      lower: length.required(),
      upper: Joi.alternatives().try(Joi.number().valid(0), length).required(),
      height: length.required(),
      ...shared,
      lines: Joi.number().integer().multiple(4).min(0).max(400).default(0),
    }),
    run: coneBetween,
    name: (c) => `cone ${c.lower} to ${c.upper}`,
  },
  branch: {
    title: 'Branch on a pipe',
    about: 'The end of a round branch that stands on a round pipe, and the hole in the pipe.',
    fields: [
      mm('branch', 'Outside diameter of the branch'),
      mm('main', 'Outside diameter of the pipe'),
      mm('thickness', 'Wall of the branch'),
      { id: 'angle', label: 'Angle between them', unit: 'degrees', words: null, usual: 90 },
      mm('beside', 'Branch passes aside by', 0),
      mm('length', 'Axis of the pipe to the free end'),
      { id: 'seam', label: 'Seam, round the branch', unit: 'degrees', words: null, usual: 0 },
      words('wrap', 'Drawn as', ['template', 'sheet'], 'template'),
      words('hole', 'Hole in the pipe', ['bore', 'branch', 'none'], 'bore'),
    ],
    schema: Joi.object<Branch>({
      kind: Joi.string().valid('branch').required(),
      branch: length.required(),
      main: length.required(),
      thickness: wall.required(),
      angle: Joi.number().min(15).max(165).default(90),
      beside: signed.default(0),
      length: length.required(),
      seam: Joi.number().min(-360).max(360).default(0),
      wrap: oneOf(['template', 'sheet'], 'template'),
      hole: oneOf(['bore', 'branch', 'none'], 'bore'),
      deviation: shared.deviation,
    }),
    run: branchOn,
    name: (c) => `branch ${c.branch} on ${c.main}`,
  },
};

export const isDevelopKind = (word: string): word is DevelopKind => Object.hasOwn(developKinds, word);

/**
 * Checks sizes that come from outside (numbers, or numbers as text) and fills in what is usual.
 * Example: `developChoice({ kind: 'cone', lower: 120, upper: 60, height: 100, thickness: 1.5 })`.
 * @throws Unusable with what is wrong, and the sizes that this part has.
 */
export function developChoice(given: unknown): DevelopChoice {
  const { kind } = (given ?? {}) as { kind?: unknown };
  if (typeof kind !== 'string' || !isDevelopKind(kind)) {
    throw new Unusable('no-such-shape', `There is no shape "${String(kind)}" to develop.`, `Choose one of ${Object.keys(developKinds).join(', ')}.`);
  }
  const { schema, fields } = developKinds[kind];
  const { value, error } = (schema as Joi.ObjectSchema<DevelopChoice>).validate(given, { convert: true, abortEarly: true });
  if (!error) return value;
  const list = fields.map((f) => (f.usual === null ? f.id : `${f.id} (${f.words ? f.words.join('|') : f.usual})`)).join(', ');
  throw new Unusable('bad-size', `${error.message.replace(/"/g, '')[0].toUpperCase()}${error.message.replace(/"/g, '').slice(1)}.`, `Sizes of this part: ${list}; lengths in mm.`); // prettier-ignore
}

/** The development of a part from its sizes. @throws Unusable when no sheet can take that shape. */
export function develop(choice: DevelopChoice): Developed {
  const made = (developKinds[choice.kind] as Kind<DevelopChoice>).run(choice);
  return { ...made, findings: [...made.findings, sizesSaid(choice)] };
}

/** Which fibre keeps its length, told in every file. */
function sizesSaid(choice: DevelopChoice): Finding {
  const message =
    choice.kind === 'branch'
      ? `Diameters are those outside; ${choice.wrap === 'template' ? 'the template is as long as the outside of the branch' : 'the sheet is as long as the middle of its wall'}.`
      : `Sizes were taken as ${choice.sizes === 'mean' ? 'those of the middle of the sheet' : `those ${choice.sizes}`}; the flat is that of the middle of the sheet (K 0.5)${choice.sizes === 'mean' ? '' : `, whose widths are ${choice.thickness} mm ${choice.sizes === 'inside' ? 'more' : 'less'}`}.`;
  return { code: 'sizes-taken', severity: 'clear', count: 1, message, remedy: 'Say which sizes they are if that is not meant.' };
}

/** A developed flat as a drawing part, with what was found. Its name says its sizes unless one is given. */
export function partOfDeveloped(choice: DevelopChoice, made: Developed, name = (developKinds[choice.kind] as Kind<DevelopChoice>).name(choice)): DesignPart {
  const about = { name, path: [name], quantity: 1, unit: 'mm', format: 'made here', made: [developKinds[choice.kind].title] };
  // Bend lines and marks are open on purpose: soundness is asked of what is cut.
  const cut = { ...made.drawing, layers: made.drawing.layers.filter((l) => l.name === 'CUT') };
  const part = partOfDrawing(made.drawing, about);
  return { ...part, findings: [...made.findings, ...partOfDrawing(cut, about).findings] };
}

/** The bend lines of a developed part as rows: number, angle in degrees, length in mm. */
export const developedCsv = (made: Developed): string =>
  ['order,direction,angle_deg,length_mm', ...made.bends.map((b) => `${b.order},up,${Number(b.angle.toFixed(3))},${Number(b.length.toFixed(3))}`)]
    .map((row) => `${row}\r\n`)
    .join('');
