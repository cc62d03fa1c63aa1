import Joi from 'joi';
import { benderParts } from '../receivers/rules.ts';
import type { BenderRules, TubeWork } from './rules.ts';

const figure = Joi.number().strict();

const particular = {
  material: Joi.string().max(60).allow('').required(),
  density: figure.min(0.1).max(30).required(),
  allowances: Joi.array().items(figure.min(0).max(10_000)).length(2).required(),
};

/** What a tube is bent by, as it comes from outside. */
export const benderSchema = Joi.object<BenderRules>({ ...benderParts, ...particular });

export const workParts = {
  toDie: Joi.boolean().strict().required(),
  fit: figure.min(0.001).max(50).allow(null).default(null),
};

/** What is particular to a piece of work, as it comes from outside. */
export const workSchema = Joi.object<TubeWork>({ ...particular, ...workParts, quantity: Joi.boolean().strict().required() });
