import Joi from 'joi';
import { usualWork } from '../bender/rules.ts';
import { workSchema } from '../bender/schema.ts';
import { usualNest } from '../cutlist/how.ts';
import { nestSchema } from '../cutlist/schema.ts';
import { anyAngle, choiceLimits } from '../surfaces/presets.ts';
import { Unusable } from '../base/finding.ts';
import { drawingRecipeSchema } from '../recipe/drawing-schema.ts';
import { formatNames, isBender, isBoardShop, noReceiver, receiverIn, type Receiver } from '../receivers/receivers.ts';
import { receiverSchema } from '../receivers/rules.ts';
import { flattenSchema } from '../sheet/schema.ts';
import { usualFlatten } from '../sheet/pattern.ts';
import { drawingUnits, lengthUnits } from '../base/readings.ts';
import { nameFields, usualNaming } from './names.ts';
import { anyPart, groupings, type ReleaseRecipe } from './recipe.ts';

const text = (most: number) => Joi.string().trim().max(most).allow('');
const piece = Joi.alternatives().try(
  Joi.object({
    field: Joi.string()
      .valid(...nameFields)
      .required(),
  }),
  Joi.object({ text: Joi.string().max(60).required() }),
);
const names = Joi.array().items(Joi.string().max(255)).max(10_000);

const choice = Joi.object({
  parts: names.allow(null).default(anyPart.parts),
  leaveOut: names.default([]),
  kinds: Joi.array()
    .items(Joi.string().valid('solid', 'mesh', 'drawing'))
    .allow(null)
    .default(null),
  text: text(120).default(''),
  branch: Joi.string().max(255).allow(null).default(null),
  material: text(60).default(''),
  thickness: Joi.number().greater(0).max(1000).allow(null).default(null),
  variants: Joi.array().items(text(60)).max(100).allow(null).default(null),
}).default();

const line = Joi.object({
  name: text(60).default(''),
  choose: choice,
  receiver: Joi.alternatives().try(Joi.string().max(60), receiverSchema).required(),
  format: Joi.string()
    .valid(...Object.keys(formatNames))
    .required(),
  unit: Joi.string()
    .valid(...[...lengthUnits, ...drawingUnits].map((u) => u.id))
    .default('mm'),
  group: Joi.string()
    .valid(...groupings)
    .default('each'),
  facets: Joi.object({
    deviation: Joi.number().min(choiceLimits.deviation[0]).max(choiceLimits.deviation[1]).required(),
    angle: Joi.number().min(choiceLimits.angle[0]).max(choiceLimits.angle[1]).default(anyAngle),
  })
    .allow(null)
    .default(null),
  flatten: Joi.object().allow(null).default(null),
  drawing: Joi.object().allow(null).default(null),
  nest: Joi.object(),
  tubes: Joi.object(),
});

const schema = Joi.object<ReleaseRecipe>({
  job: text(100).default(''),
  variant: text(60).default(''),
  revision: text(60).default(''),
  date: Joi.string()
    .pattern(/^\d{4}-\d{2}-\d{2}$/)
    .allow('')
    .default(''),
  lines: Joi.array().items(line).min(1).max(100).required(),
  naming: Joi.object({
    file: Joi.array().items(piece).min(1).max(30).default(usualNaming.file),
    folder: Joi.array().items(piece).max(30).default([]),
    clash: Joi.string().valid('number', 'stop').default('number'),
    own: Joi.object().pattern(Joi.string().max(300), Joi.string().trim().min(1).max(120)).max(10_000).default({}),
  }).default(usualNaming),
});

const bad = (message: string) => new Unusable('bad-release', `The release recipe can't be used: ${message}.`.replace(/\.\.$/, '.'), 'Correct that field.');

/**
 * Checks a release that comes from outside and fills in what it leaves open. A line names its receiver by its id, or brings its rules along.
 * @throws Unusable with the field and the limit.
 */
export function checkRelease(input: unknown, receivers: readonly Receiver[]): ReleaseRecipe {
  const { value, error } = schema.validate(input);
  if (error) throw bad(error.message);
  const recipe = value as ReleaseRecipe;
  for (const line of recipe.lines) {
    if (typeof line.receiver === 'string') {
      const id: string = line.receiver;
      if (id !== noReceiver.id && !receivers.some((r) => r.id === id)) throw bad(`there is no receiver "${id}"`);
      line.receiver = receiverIn(receivers, id);
    }
    // A bender takes all its tubes together: equal ones are one mark.
    if (isBender(line.receiver) && line.group === 'each') line.group = 'tubes';
    checkReceiver(line);
    checkChoices(line);
  }
  return recipe;
}

type Line = ReleaseRecipe['lines'][number];

/** Whether what a line makes is what its receiver takes. */
function checkReceiver({ receiver, format, group, flatten }: Line): void {
  const { name, formats, cutter } = receiver;
  if (isBoardShop(receiver)) throw bad(`${name} makes boards; their zips are written on the page Board, or by tall-kite board`);
  if (!formats.includes(format)) throw bad(`${name} does not read ${formatNames[format]}; it reads ${formats.map((f) => formatNames[f]).join(', ')}`);
  if (isBender(receiver) !== (group === 'tubes'))
    throw bad(isBender(receiver) ? `${name} bends tubes; its files are grouped as tubes` : `${name} bends no tubes; choose a tube bender`);
  if (group === 'bed' && cutter) throw bad(`${name} has no print bed; group its files by stock, or all in one`);
  if (group === 'bed' && format !== '3mf' && format !== 'stl') throw bad('a bed is written as 3MF or STL');
  if (group === 'nested' && !cutter) throw bad(`${name} cuts no sheets; nest for a laser or a router`);
  if (flatten && isBender(receiver)) throw bad(`${name} bends tubes and takes no flat patterns`);
}

/** The further choices of a line, each by its own rules. */
function checkChoices(line: Line): void {
  const checked = (what: string, { error, value }: Joi.ValidationResult): unknown => {
    if (error) throw bad(`${what}: ${error.message}`);
    return value;
  };
  const exactly = { convert: false };
  if (line.nest) checked('nest', nestSchema.validate({ ...usualNest, ...line.nest }, exactly));
  if (line.tubes) checked('tubes', workSchema.validate({ ...usualWork, ...line.tubes }, exactly));
  if (line.flatten) line.flatten = checked('flatten', flattenSchema.validate({ ...usualFlatten, ...line.flatten }, exactly)) as Line['flatten'];
  // Only what is named differs from the usual; each field is held to its own limits.
  for (const [k, v] of Object.entries(line.drawing ?? {})) checked(`drawing ${k}`, drawingRecipeSchema.extract(k).validate(v, exactly));
}
