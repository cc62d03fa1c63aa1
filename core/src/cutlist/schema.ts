import Joi from 'joi';
import { badTogether, usualNames, type NestChoice, type StockSheet } from './how.ts';
import { grains } from './row.ts';
import { mostTyped, typedSizes, type TypedPanel } from './typed.ts';

const figure = Joi.number();
const mm = (least: number, most: number) => figure.min(least).max(most);
const word = (most: number) => Joi.string().trim().max(most).allow('');

/** Checks a kind of sheet, as it is kept in the stores too. */
export const sheetSchema = Joi.object<StockSheet>({
  name: Joi.string().trim().min(1).max(60).required(),
  width: mm(10, 20_000).required(),
  height: mm(10, 20_000).required(),
  copies: figure.integer().min(1).max(10_000).allow(null).required(),
  price: figure.greater(0).max(1e6).allow(null).required(),
  remnant: Joi.boolean().required(),
  material: word(60).required(),
  thickness: figure.greater(0).max(1000).allow(null).required(),
  outline: Joi.array()
    .items(Joi.array().items(mm(0, 20_000)).length(2))
    .min(3)
    .max(500)
    .allow(null)
    .required(),
});

const layerName = Joi.string().pattern(/^[A-Za-z0-9_$-]{1,40}$/, 'letters, digits, _ and -');

/** Checks how parts are to be laid, as it comes from outside. */
export const nestSchema = Joi.object<NestChoice>({
  sheets: Joi.array().items(sheetSchema).min(1).max(50).required(),
  spacing: mm(0, 500).required(),
  rim: mm(0, 1000).required(),
  kerf: mm(0, 50).required(),
  turns: Joi.alternatives()
    .try(Joi.string().valid('none', 'quarters', 'free'), Joi.array().items(mm(-360, 360)).min(1).max(72))
    .required(),
  mirror: Joi.boolean().required(),
  grain: Joi.string().valid('x', 'y', 'none').required(),
  saw: Joi.object({ stages: Joi.number().valid(2, 3).allow(null).required(), trim: mm(0, 500).required() })
    .allow(null)
    .required(),
  seed: figure
    .integer()
    .min(0)
    .max(2 ** 31)
    .required(),
  rounds: figure.integer().min(1).max(1_000_000).allow(null).required(),
  seconds: mm(0.1, 3600).allow(null).required(),
  smallArea: mm(0, 1e9).required(),
  skin: mm(0, 50),
  shared: Joi.boolean(),
  tabs: Joi.object({ count: figure.integer().min(1).max(50).required(), width: mm(0.1, 50).required() }).allow(null),
  names: Joi.object(Object.fromEntries(Object.keys(usualNames).map((k) => [k, layerName.required()]))).required(),
  labelHeight: mm(0, 200).required(),
  only: Joi.object().pattern(Joi.string().max(200), Joi.string().max(60)).required(),
  priority: Joi.object().pattern(Joi.string().max(200), figure.integer().min(-100).max(100)).required(),
}).custom((choice: NestChoice, helpers) => {
  const why = badTogether(choice);
  return why ? helpers.message({ custom: why }) : choice;
});

/** Checks panels of typed sizes. */
export const typedSchema = Joi.array()
  .items(
    Joi.object<TypedPanel>({
      id: Joi.string().trim().min(1).max(20).required(),
      name: Joi.string().trim().min(1).max(120).required(),
      length: mm(typedSizes.least, typedSizes.most).required(),
      width: mm(typedSizes.least, typedSizes.most).required(),
    }),
  )
  .max(mostTyped)
  .unique('id');

/** What a person changed in rows of the list, by their keys. */
export const editsSchema = Joi.object().pattern(
  Joi.string().max(200),
  Joi.object({
    number: word(60),
    name: word(120),
    quantity: figure.integer().min(0).max(100_000),
    material: word(60),
    thickness: figure.greater(0).max(1000).allow(null),
    grain: Joi.string().valid(...grains),
    bands: Joi.object({ front: word(60).required(), back: word(60).required(), left: word(60).required(), right: word(60).required() }),
    notes: word(300),
    leftOut: Joi.boolean(),
  }),
);
