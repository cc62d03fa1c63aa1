import Joi from 'joi';
import type { WritingWish } from '../text/marks.ts';
import { traceSchema, type TraceChoice } from '../trace/choice.ts';

/** What a person chooses before a file is read. */
export interface ReadChoices {
  /** Kinds that become parts. Curves and points never do; they are listed as left out. */
  solids: boolean;
  surfaces: boolean;
  meshes: boolean;
  /** Colour (#rrggbb) for parts that the file gives none; null leaves them without. */
  colour: string | null;
  /** Mend exact geometry that fails the kernel's check, or leave it as it is. */
  heal: boolean;
  /** What becomes of an entity that can't be used as it is: kept as far as it goes, left out, or nothing is read. */
  bad: 'keep' | 'leave' | 'stop';
  /** Which axis points up in the file; "find" looks at how the part stands (only for formats that do not say). */
  up: 'find' | 'z' | 'y';
  /** Drawings: whether what lies on layers that are off or frozen is taken. */
  hidden?: boolean;
  /** SVG: what makes a layer. */
  layersFrom?: 'groups' | 'colours';
  /** Writing in drawings: stays writing (told, and cut by nobody), or is drawn by letters that stand in. */
  writing?: WritingWish;
  /** PDF: which page is taken, from 1. */
  page?: number;
  /** Pictures: how contours are made of them; usually what is darker than the level that parts them best. */
  trace?: TraceChoice;
}

export const usualChoices: ReadChoices = { solids: true, surfaces: true, meshes: true, colour: null, heal: true, bad: 'keep', up: 'find' };

/** Checks choices that come from outside. */
export const choicesSchema = Joi.object<ReadChoices>({
  solids: Joi.boolean().strict().required(),
  surfaces: Joi.boolean().strict().required(),
  meshes: Joi.boolean().strict().required(),
  colour: Joi.string()
    .pattern(/^#[0-9a-f]{6}$/)
    .allow(null)
    .required(),
  heal: Joi.boolean().strict().required(),
  bad: Joi.string().valid('keep', 'leave', 'stop').required(),
  up: Joi.string().valid('find', 'z', 'y').required(),
  hidden: Joi.boolean().strict(),
  layersFrom: Joi.string().valid('groups', 'colours'),
  writing: Joi.string().valid('leave', 'outlines', 'single-line'),
  page: Joi.number().integer().min(1).max(10_000),
  trace: traceSchema,
});
