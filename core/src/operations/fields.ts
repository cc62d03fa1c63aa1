import Joi from 'joi';
import { lengthUnits } from '../base/readings.ts';
import { receiverSchema } from '../receivers/rules.ts';

/** Parts of requests that come from outside, checked. Lengths in mm. */
export const id = Joi.string().guid().required();
export const figure = Joi.number().strict();
export const yesOrNo = Joi.boolean().strict().required();
export const place = figure.min(-1e6).max(1e6).required();
export const positive = figure.greater(0).max(1e5).required();
export const point = Joi.array().items(place).length(3).required();
export const severalParts = Joi.array().items(Joi.string().guid()).min(2).max(200).unique().required();
export const unit = Joi.string()
  .valid(...lengthUnits.map((u) => u.id))
  .required();
export const receiver = receiverSchema.required();
export const fileName = Joi.string().trim().min(1).max(100).required();
