import Joi from 'joi';
import type { DrawingMend } from '../curves/mend.ts';
import type { ShapeView } from './from-shape.ts';
import { stretchBounds } from './bounds.ts';
import type { NodeEdit } from './nodes.ts';

const number = Joi.number().strict();
const length = number.min(0).max(1000).allow(null).required();
const flag = Joi.boolean().strict().required();

/** What to mend in a drawing, from outside. */
export const mendSchema = Joi.object<DrawingMend>({
  joinGaps: length,
  dropDoubles: flag,
  dropTiny: length,
  dropPoints: flag,
  closeCircles: flag,
  fitArcs: number.min(0.0001).max(10).allow(null).required(),
  simplify: number.min(0.0001).max(10).allow(null).required(),
  smooth: flag,
  order: flag,
});

/** What is drawn of a solid or mesh, from outside. */
export const viewSchema = Joi.alternatives<ShapeView>()
  .try(
    Joi.object({
      kind: Joi.string().valid('view').required(),
      view: Joi.string().valid('top', 'bottom', 'front', 'back', 'left', 'right').required(),
      edges: Joi.string().valid('silhouette', 'visible', 'hidden').required(),
    }),
    Joi.object({
      kind: Joi.string().valid('section').required(),
      height: number.min(-1e6).max(1e6).required(),
      axis: Joi.string().valid('x', 'y', 'z').required(),
    }),
    Joi.object({ kind: Joi.string().valid('stack').required(), pitch: number.min(0.05).max(1e4).required() }),
    Joi.object({ kind: Joi.string().valid('face').required(), face: number.integer().min(0).max(1e6).required() }),
  )
  .required();

const index = number.integer().min(0).max(1e7).required();
const place = { layer: index, contour: index };

/** One change of a node, from outside. */
export const nodeSchema = Joi.alternatives<NodeEdit>()
  .try(
    Joi.object({ action: Joi.string().valid('move').required(), ...place, node: index, to: Joi.array().items(number.min(-1e7).max(1e7)).length(2).required() }),
    Joi.object({ action: Joi.string().valid('add').required(), ...place, segment: index, share: number.greater(0).less(1).required() }),
    Joi.object({ action: Joi.string().valid('delete', 'smooth', 'sharp').required(), ...place, node: index }),
    Joi.object({
      action: Joi.string().valid('smooth-stretch').required(),
      ...place,
      node: index,
      to: index,
      within: number.min(stretchBounds[0]).max(stretchBounds[1]).required(),
    }),
    Joi.object({ action: Joi.string().valid('remove').required(), ...place }),
  )
  .required();
