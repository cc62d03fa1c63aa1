import Joi from 'joi';
import type { Meaning } from '../curves/drawing.ts';
import { meanings, usualLooks, type DrawingRecipe, type LayerLook } from '../model/drawing-recipe.ts';
import type { Cutter } from './receivers.ts';

const meaning = Joi.string().valid(...meanings);

/** How layers are called and look, by meaning. */
export const looksSchema = Joi.object().pattern(
  meaning,
  Joi.object({
    name: Joi.string().trim().min(1).max(60).required(),
    colour: Joi.string()
      .pattern(/^#[0-9a-f]{6}$/)
      .required(),
    lineType: Joi.string().valid('CONTINUOUS', 'DASHED', 'CENTER', 'DOT').required(),
  }),
);

/** How the layer of a meaning is written: as typed for the part, else as its machine expects it, else as usual. */
export const lookOf = (meaning: Meaning, { looks }: Pick<DrawingRecipe, 'looks'>, cutter?: Cutter): LayerLook =>
  looks[meaning] ?? cutter?.looks?.[meaning] ?? usualLooks[meaning];

/** The meaning of a layer by the names that a machine expects, a depth behind it left aside; undefined for a name that it has not. */
export function meaningFor(layer: string, cutter: Cutter): Meaning | undefined {
  const plain = layer.replace(/[_-]\d+(?:[._]\d+)?MM$/i, '').toUpperCase();
  return (Object.entries(cutter.looks ?? {}) as [Meaning, LayerLook][]).find(([, look]) => look.name.toUpperCase() === plain)?.[0];
}
