import { dxfVersions } from '../model/dxf-version.ts';
import Joi from 'joi';
import { meanings, type DrawingRecipe } from '../model/drawing-recipe.ts';
import { looksSchema } from '../receivers/looks.ts';

const number = Joi.number().strict();
const meaning = Joi.string().valid(...meanings);

/** Checks a drawing's recipe that comes from outside. */
export const drawingRecipeSchema = Joi.object<DrawingRecipe>({
  place: Joi.object({
    turn: number.min(-360).max(360).required(),
    mirror: Joi.boolean().strict().required(),
    datum: Joi.string().valid('drawn', 'corner', 'middle', 'point').required(),
    point: Joi.array().items(number.min(-1e6).max(1e6)).length(2).required(),
    at: Joi.array().items(number.min(-20_000).max(20_000)).length(2).required(),
  }).required(),
  stock: Joi.object({
    width: number.min(1).max(20_000).required(),
    height: number.min(1).max(20_000).required(),
    thickness: number.min(0.01).max(500).required(),
    material: Joi.string().trim().max(60).allow('').required(),
    zZero: Joi.string().valid('top', 'bed').required(),
  })
    .allow(null)
    .required(),
  byLayer: Joi.object().pattern(Joi.string().max(255), meaning).max(500).required(),
  byColour: Joi.object()
    .pattern(/^#[0-9a-f]{6}$/, meaning)
    .max(500)
    .required(),
  byContour: Joi.object()
    .pattern(/^\d{1,7}$/, meaning)
    .max(5000)
    .required(),
  smallArea: number.min(0).max(1e6).required(),
  holeMost: number.min(0).max(1000).required(),
  kerf: number.min(0).max(10).required().messages({ 'number.max': 'The kerf must be at most 10 mm.' }),
  tabs: Joi.object({ count: number.integer().min(1).max(50).required(), width: number.min(0.1).max(50).required() })
    .allow(null)
    .required(),
  leadIn: number.min(0).max(50),
  carve: Joi.object({
    bit: number.min(0.1).max(50).required(),
    side: Joi.string().valid('on', 'waste').required(),
    pocket: number.min(0.1).max(100).required(),
    engrave: number.min(0.05).max(20).required(),
    below: number.min(0).max(5).required(),
  }),
  keepLayers: Joi.boolean().strict(),
  relief: number.min(0.1).max(50).allow(null).required(),
  fit: number.min(0.0001).max(5).allow(null).required(),
  version: Joi.string()
    .valid(...dxfVersions)
    .required(),
  pages: Joi.string().valid('a4'),
  blocks: Joi.boolean().strict().required(),
  looks: looksSchema.required(),
});
