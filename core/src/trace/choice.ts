import Joi from 'joi';
import type { P2 } from '../curves/segment.ts';

/** What makes the contours of a picture. */
export type TraceWay = 'brightness' | 'adaptive' | 'colours' | 'outside' | 'strokes';

/** How large a picture is. Places in pixels from its top left corner. */
export type PictureSize =
  | { kind: 'stated' }
  | { kind: 'per inch'; value: number }
  | { kind: 'width'; mm: number }
  | { kind: 'points'; a: P2; b: P2; mm: number }
  /** Corners of a rectangle of a known size, round in order from the top left one; what leans is set upright. */
  | { kind: 'rectangle'; corners: P2[]; width: number; height: number };

/** How contours are made of a picture. Lengths in mm of the finished drawing. */
export interface TraceChoice {
  way: TraceWay;
  /** Brightness below which a pixel lies inside, 0 to 1; null finds it (Otsu). */
  level: number | null;
  /** How many colours there are, the ground among them. */
  colours: number;
  /** What is bright lies inside. */
  invert: boolean;
  /** Pixels from left, top, to right, bottom; null takes all. */
  crop: [number, number, number, number] | null;
  /** Regions of less area are dropped, mm2. */
  speckle: number;
  /** Holes of less area are filled, mm2. */
  holes: number;
  /** Places (pixels) of regions or holes that are left out. */
  leave: P2[];
  /** How far contours may lie off the edge; null as near as the picture tells. */
  deviation: number | null;
  /** Round ways as arcs, or as cubic Béziers for machines that take those. */
  curves: 'arcs' | 'beziers';
  /** Circles, rectangles, slots and what is alike on both sides of a line are made exactly so where the edge allows it; absent: no. */
  regular?: boolean;
  /** Whether edges are mixed as values (drawing programs) or as light (cameras, scanners). */
  mixed: 'values' | 'light';
  size: PictureSize;
}

export const usualTrace: TraceChoice = {
  way: 'brightness',
  level: null,
  colours: 3,
  invert: false,
  crop: null,
  speckle: 0,
  holes: 0,
  leave: [],
  deviation: null,
  curves: 'arcs',
  mixed: 'values',
  size: { kind: 'stated' },
};

/** The ways in the order in which they are offered, with what each is for. */
export const traceWays: readonly { way: TraceWay; name: string; about: string }[] = [
  { way: 'brightness', name: 'By brightness', about: 'What is darker than one level: marks, silhouettes, clean scans.' },
  { way: 'adaptive', name: 'By brightness nearby', about: 'A level of its own for every place: photographed paper, uneven light.' },
  { way: 'colours', name: 'By colour', about: 'One layer a colour: marks of several colours.' },
  { way: 'outside', name: 'Outer boundary', about: 'What stands out from the ground, without what is in it: tools and parts on a table.' },
  { way: 'strokes', name: 'Middle of strokes', about: 'One line along the middle of each stroke: handwriting and line drawings to engrave.' },
];

const pixels = Joi.number().min(-100_000).max(100_000);
const place = Joi.array().ordered(pixels.required(), pixels.required()).length(2);
const length = Joi.number().min(0.001).max(100_000);

/** Checks a choice that comes from outside. */
export const traceSchema = Joi.object<TraceChoice>({
  way: Joi.string()
    .valid(...traceWays.map((w) => w.way))
    .required(),
  level: Joi.number().min(0.001).max(0.999).allow(null).required(),
  colours: Joi.number().integer().min(2).max(12).required(),
  invert: Joi.boolean().strict().required(),
  crop: Joi.array().items(Joi.number().integer().min(0).max(100_000)).length(4).allow(null).required(),
  speckle: Joi.number().min(0).max(1e9).required(),
  holes: Joi.number().min(0).max(1e9).required(),
  leave: Joi.array().items(place).max(1000).required(),
  deviation: Joi.number().min(0.0001).max(1000).allow(null).required(),
  curves: Joi.string().valid('arcs', 'beziers').required(),
  regular: Joi.boolean().strict(),
  mixed: Joi.string().valid('values', 'light').required(),
  size: Joi.alternatives()
    .try(
      Joi.object({ kind: Joi.string().valid('stated').required() }),
      Joi.object({ kind: Joi.string().valid('per inch').required(), value: Joi.number().min(0.1).max(100_000).required() }),
      Joi.object({ kind: Joi.string().valid('width').required(), mm: length.required() }),
      Joi.object({ kind: Joi.string().valid('points').required(), a: place.required(), b: place.required(), mm: length.required() }),
      Joi.object({
        kind: Joi.string().valid('rectangle').required(),
        corners: Joi.array().items(place.required()).length(4).required(),
        width: length.required(),
        height: length.required(),
      }),
    )
    .required(),
});
