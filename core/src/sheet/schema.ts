import { noReliefs } from './asked.ts';
import Joi from 'joi';
import type { FlattenChoice } from './pattern.ts';
import { pressSchema } from './press.ts';
import { handbookShares, type BendRule, type BendTable } from './rules.ts';

const number = Joi.number().strict();
const faceNumber = number.integer().min(0).max(1e7);

export const bendTableSchema = Joi.object<BendTable>({
  name: Joi.string().trim().min(1).max(60).required(),
  material: Joi.string().trim().max(60).allow('').required(),
  thickness: number.greater(0).max(100).allow(null).required(),
  gives: Joi.string().valid('k', 'allowance', 'deduction').required(),
  rows: Joi.array()
    .items(
      Joi.object({
        radius: number.min(0).max(10_000).required(),
        angle: number.greater(0).max(300).required(),
        value: number.min(-1000).max(100_000).required(),
      }),
    )
    .unique((a: { radius: number; angle: number }, b: { radius: number; angle: number }) => a.radius === b.radius && a.angle === b.angle)
    .min(1)
    .max(2000)
    .required()
    .messages({ 'array.unique': 'Two rows have the same radius and angle.' }),
});

export const bendRuleSchema = Joi.alternatives<BendRule>().try(
  Joi.object({ kind: Joi.string().valid('k').required(), k: number.min(0).max(1).required() }),
  Joi.object({ kind: Joi.string().valid('din6935').required() }),
  Joi.object({
    kind: Joi.string().valid('handbook').required(),
    stock: Joi.string()
      .valid(...Object.keys(handbookShares))
      .required(),
  }),
  Joi.object({ kind: Joi.string().valid('table').required(), table: bendTableSchema.required() }),
);

/** Checks a choice for unfolding that comes from outside. */
export const flattenSchema = Joi.object<FlattenChoice>({
  face: number.integer().min(0).max(1e7).allow(null).required(),
  rips: Joi.array()
    .items(
      Joi.object({ between: Joi.array().ordered(faceNumber.required(), faceNumber.required()).required() }),
      Joi.object({ face: faceNumber.required(), middle: Joi.boolean().strict().valid(true).required() }),
      Joi.object({ face: faceNumber.required(), towards: Joi.array().ordered(number.required(), number.required(), number.required()).required() }),
    )
    .max(200)
    .default([]),
  up: Joi.string().valid('bends-up', 'face', 'back').required(),
  rule: bendRuleSchema.required(),
  radius: number.min(0).max(10_000).allow(null).required(),
  leaveOut: Joi.alternatives()
    .try(Joi.string().valid('all'), Joi.array().items(number.integer().min(0).max(100_000)).max(10_000))
    .required(),
  leaves: Joi.string().valid('nothing', 'centre', 'outline').required(),
  countersinks: Joi.string().valid('cut-side', 'through').required(),
  zoneEdges: Joi.boolean().strict().required(),
  reliefs: Joi.object({
    bends: Joi.object({
      kind: Joi.string().valid('rectangular', 'obround').required(),
      width: number.min(0.1).max(100).required(),
      depth: number.min(0.1).max(200).required(),
    })
      .allow(null)
      .required(),
    corners: Joi.object({ kind: Joi.string().valid('round', 'square').required(), size: number.min(0.1).max(200).required() })
      .allow(null)
      .required(),
  }).default(noReliefs),
  press: pressSchema.allow(null).default(null),
  grain: Joi.string().valid('any', 'across', 'along').required(),
  tolerance: number.min(0.001).max(0.2).default(0.05),
  deviation: number.min(0.0005).max(1).required(),
  material: Joi.string().trim().max(60).allow('').required(),
  density: number.greater(0).max(30).allow(null).required(),
});
