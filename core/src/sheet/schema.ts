import Joi from 'joi';
import type { FlattenChoice } from './pattern.ts';
import { bendRuleSchema } from './rules.ts';

const number = Joi.number().strict();

/** Checks a choice for unfolding that comes from outside. */
export const flattenSchema = Joi.object<FlattenChoice>({
  face: number.integer().min(0).max(1e7).allow(null).required(),
  up: Joi.string().valid('bends-up', 'face', 'back').required(),
  rule: bendRuleSchema.required(),
  radius: number.min(0).max(10_000).allow(null).required(),
  leaveOut: Joi.alternatives().try(Joi.string().valid('all'), Joi.array().items(number.integer().min(0).max(100_000)).max(10_000)).required(),
  leaves: Joi.string().valid('nothing', 'centre', 'outline').required(),
  countersinks: Joi.string().valid('cut-side', 'through').required(),
  zoneEdges: Joi.boolean().strict().required(),
  grain: Joi.string().valid('any', 'across', 'along').required(),
  deviation: number.min(0.0005).max(1).required(),
  material: Joi.string().trim().max(60).allow('').required(),
  density: number.greater(0).max(30).allow(null).required(),
});
