import Joi from 'joi';
import { choiceLimits } from '../surfaces/presets.ts';
import { formatNames, isBender, isBoardShop, type Receiver } from '../receivers/receivers.ts';
import { receiverSchema } from '../receivers/rules.ts';
import { drawingRecipeSchema } from './drawing-schema.ts';
import { drawingUnits, lengthUnits } from '../base/readings.ts';
import type { Recipe } from './recipe.ts';

const unit = Joi.string().valid(...[...lengthUnits, ...drawingUnits].map((u) => u.id));
const number = Joi.number().strict();

/** Tubes go to a bender by their tables, boards to a shop by their layers, never by a file of the part itself. */
function takingParts(receiver: Receiver, helpers: Joi.CustomHelpers): Receiver | Joi.ErrorReport {
  if (isBender(receiver)) return helpers.message({ custom: `${receiver.name} bends tubes; its bend tables are written on the page Tubes` });
  if (isBoardShop(receiver)) return helpers.message({ custom: `${receiver.name} makes boards; their layers are written on the page Board` });
  return receiver;
}

/** Checks a recipe that comes from outside. Sentences name the field and the limit. */
export const recipeSchema = Joi.object<Recipe>({
  receiver: receiverSchema.required().custom(takingParts),
  size: Joi.object({
    reading: unit.allow(null).required(),
    factor: number.min(1e-6).max(1e6).required().messages({ 'number.base': 'The factor must be a number.' }),
  }).required(),
  stance: Joi.object({
    turn: Joi.array().items(number.min(-1.0001).max(1.0001)).length(4).required(),
    drop: Joi.boolean().strict().required(),
    how: Joi.string().max(60).required(),
    keepPlace: Joi.boolean().strict(),
  }).required(),
  facets: Joi.object({
    deviation: number
      .min(choiceLimits.deviation[0])
      .max(choiceLimits.deviation[1])
      .required()
      .messages({
        'number.min': `The deviation must be at least ${choiceLimits.deviation[0]} mm.`,
        'number.max': `The deviation must be at most ${choiceLimits.deviation[1]} mm.`,
      }),
    angle: number
      .min(choiceLimits.angle[0])
      .max(choiceLimits.angle[1])
      .required()
      .messages({
        'number.min': `The turn angle must be at least ${choiceLimits.angle[0]} degrees.`,
        'number.max': `The turn angle must be at most ${choiceLimits.angle[1]} degrees.`,
      }),
    balanced: Joi.boolean().strict(),
    preset: Joi.string().max(20).allow(null).required(),
    budget: Joi.object({ kind: Joi.string().valid('triangles', 'bytes').required(), most: number.min(4).max(1e9).required() })
      .allow(null)
      .required(),
  }).required(),
  file: Joi.object({
    format: Joi.string()
      .valid(...Object.keys(formatNames))
      .required(),
    quads: Joi.boolean().strict().required(),
    encoding: Joi.string().valid('binary', 'ascii').required(),
    unit: unit.required(),
    name: Joi.string().trim().min(1).max(120).allow(null).required(),
  }).required(),
  drawing: drawingRecipeSchema,
}).required();
