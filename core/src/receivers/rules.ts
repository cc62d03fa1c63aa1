import Joi from 'joi';
import { lengthUnits } from '../base/readings.ts';
import { Unusable } from '../base/finding.ts';
import { dxfVersions } from '../model/dxf-version.ts';
import { looksSchema } from './looks.ts';
import { benderRules, bendRuleFields, boardRules, commonRules, dieLimits, sheetRules, solidRules, type RuleField } from './fields.ts';
import {
  benderFormats,
  flatFormats,
  formatNames,
  noReceiver,
  takesOf,
  type Bender,
  type BoardShop,
  type Cutter,
  type FileFormat,
  type Receiver,
} from './receivers.ts';

/** Longest side of a bed, mm. "No machine" has one of a kilometre of kilometres. */
const longestBed = 1e9;

const ruleSchemas = (fields: readonly RuleField[]) =>
  Object.fromEntries(
    fields.map(({ key, label, least, most, whole }) => {
      const schema = Joi.number().strict().min(least).max(most).required().label(label);
      return [key, whole ? schema.integer() : schema];
    }),
  );

const words = (all: readonly string[]) => Joi.string().valid(...all);
const bedSide = Joi.number().strict().greater(0).max(longestBed);

const cutterSchema = Joi.object<Cutter>({
  kind: words(['laser', 'router', 'template']).required(),
  versions: Joi.array().items(words(dxfVersions)).unique().required(),
  curves: Joi.boolean().strict().required(),
  readsUnit: Joi.boolean().strict().required(),
  perInch: Joi.number().strict().min(1).max(10_000).allow(null).required(),
  ...ruleSchemas(sheetRules),
  looks: looksSchema,
});

/** What a tube bender can do, by itself: for a machine of the stores as for one that is typed. */
export const benderParts = {
  dies: Joi.array().items(Joi.number().strict().min(dieLimits[0]).max(dieLimits[1])).max(100).unique().required().label('Dies'),
  ...ruleSchemas(benderRules),
  rules: Joi.array()
    .items(Joi.object({ material: Joi.string().max(60).allow('').required(), ...ruleSchemas(bendRuleFields) }))
    .max(1000)
    .required(),
};

/** What a board shop can make, by itself. */
const boardParts = {
  ...ruleSchemas(boardRules),
  largest: Joi.array().items(Joi.number().strict().greater(0).max(9000)).length(2).required().label('Largest board'),
};

const about = {
  boards: { what: 'makes boards and takes zips of Gerber layers and drill files', takes: () => false },
  tubes: { what: 'bends tubes; beside its bend table (CSV) come STEP, PDF, SVG or DXF', takes: (f: FileFormat) => benderFormats.includes(f) },
  drawings: { what: 'works on sheets and takes drawings', takes: (f: FileFormat) => flatFormats.includes(f) },
  solids: { what: 'makes solids', takes: (f: FileFormat) => !flatFormats.includes(f) },
};

/** A machine for sheets takes drawings, a bender tables, the others solids; "no machine" takes all. */
function fitting(receiver: Receiver, helpers: Joi.CustomHelpers): Receiver | Joi.ErrorReport {
  const { what, takes } = about[takesOf(receiver)];
  const foreign = receiver.formats.filter((f) => !takes(f));
  if (takesOf(receiver) !== 'boards' && receiver.formats.length === 0) return helpers.message({ custom: 'Formats must name at least one' });
  if (receiver.id === noReceiver.id || foreign.length === 0) return receiver;
  return helpers.message({ custom: `${receiver.name} ${what}, so it can't take ${foreign.map((f) => formatNames[f]).join(', ')}` });
}

/** Checks a machine's rules that come from outside; sentences name the rule and the limit. */
export const receiverSchema = Joi.object<Receiver>({
  id: Joi.string()
    .pattern(/^[a-z0-9][a-z0-9-]{0,39}$/, 'small letters, digits and dashes')
    .required(),
  name: Joi.string().trim().min(1).max(60).required().label('Name'),
  process: Joi.string().trim().min(1).max(60).required().label('Process'),
  formats: Joi.array()
    .items(words(Object.keys(formatNames)))
    .unique()
    .required()
    .label('Formats'),
  unit: words(lengthUnits.map((u) => u.id)).required(),
  bed: Joi.array().items(bedSide).length(3).required().label('Bed'),
  up: words(['z', 'y']).required(),
  ...ruleSchemas([...commonRules, ...solidRules]),
  cutter: cutterSchema,
  bender: Joi.object<Bender>(benderParts),
  boardShop: Joi.object<BoardShop>(boardParts),
})
  .oxor('cutter', 'bender', 'boardShop')
  .custom(fitting);

/** @throws Unusable with the rule and its limit. @example checkReceiver({ ...readyReceivers[0], id: 'mine', name: 'Mine' }) */
export function checkReceiver(input: unknown): Receiver {
  let given = input;
  if (typeof input === 'string') {
    try {
      given = JSON.parse(input);
    } catch (thrown) {
      throw new Unusable('not-json', `The receiver is not JSON: ${(thrown as Error).message}.`, 'Export it again, or correct it.');
    }
  }
  const { value, error } = receiverSchema.validate(given, { convert: false });
  if (error) throw badRule(error.message);
  return value as Receiver;
}

const badRule = (why: string) =>
  new Unusable('bad-receiver', `These rules can't be used: ${why.replace(/\.$/, '')}.`, 'Correct that rule; nothing was changed.');
