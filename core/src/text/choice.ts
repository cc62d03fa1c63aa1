import Joi from 'joi';
import type { P2 } from '../curves/segment.ts';
import type { Meaning } from '../curves/drawing.ts';
import { families } from './fonts.ts';

/** How large letters are: by the height of H, of x, or so that the widest line is as wide. mm. */
export interface TextSize {
  by: 'cap' | 'low' | 'width';
  mm: number;
}

/** A way that a line runs along instead of straight on. */
export type TextPath =
  | { kind: 'straight' }
  /** Round a circle: the line's middle at its top (outside) or its bottom (inside, letters upright). */
  | { kind: 'arc'; radius: number; inside: boolean };

/** Text as a person wants it. Lengths in mm. */
export interface TextChoice {
  /** Lines parted by a line feed. A column's name in braces stands for its value in a series. */
  words: string;
  /** A family that comes with the app, or "own". */
  font: string;
  /** A font of the person's own, as bytes in base64; "" where it is kept beside: in the file of the design, or in the stores under an id. */
  own?: { name: string; data: string; kept?: string };
  size: TextSize;
  /** More between letters; less when negative. */
  spacing: number;
  /** From line to line, in heights of H. */
  line: number;
  align: 'left' | 'centre' | 'right';
  path: TextPath;
  /** To be read from behind. */
  mirrored: boolean;
  /** Values of the font's axes, as weight (wght). */
  axes: Record<string, number>;
  /** What the letters are for. */
  meaning: Extract<Meaning, 'cut' | 'engrave' | 'score' | 'pocket'>;
  /** A plate round the text; null is text alone. */
  plate: TextPlate | null;
}

/** A plate that text stands in the middle of. */
export interface TextPlate {
  width: number;
  height: number;
  /** Of the corners. */
  radius: number;
  /** Holes: one at the left, two at the sides, four in the corners. */
  holes: 0 | 1 | 2 | 4;
  diameter: number;
  /** From the edges to the holes' middles. */
  inset: number;
}

/** A list that makes one drawing a row. */
export interface TextSeries {
  columns: string[];
  rows: string[][];
}

export const usualText: TextChoice = {
  words: '',
  font: 'sans',
  size: { by: 'cap', mm: 10 },
  spacing: 0,
  line: 1.6,
  align: 'centre',
  path: { kind: 'straight' },
  mirrored: false,
  axes: {},
  meaning: 'engrave',
  plate: null,
};

export const usualPlate: TextPlate = { width: 80, height: 30, radius: 4, holes: 0, diameter: 4, inset: 6 };

/** Most letters of one text, and rows of a series. */
export const mostLetters = 10_000;
export const mostRows = 2000;

const length = Joi.number().min(0.01).max(100_000);
/** About 12 MB of font in base64. */
const mostOwn = 16_000_000;

export const textSchema = Joi.object<TextChoice>({
  words: Joi.string().min(1).max(mostLetters).required().messages({ 'string.empty': 'Type at least one letter' }),
  font: Joi.string()
    .valid(...families.map((f) => f.id), 'own')
    .required(),
  own: Joi.object({
    name: Joi.string().max(200).required(),
    data: Joi.string().base64().max(mostOwn).allow('').required(),
    kept: Joi.string().hex().length(64),
  }).when('font', {
    is: 'own',
    then: Joi.required(),
    otherwise: Joi.forbidden(),
  }),
  size: Joi.object({ by: Joi.string().valid('cap', 'low', 'width').required(), mm: length.required() }).required(),
  spacing: Joi.number().min(-1000).max(1000).required(),
  line: Joi.number().min(0.5).max(10).required(),
  align: Joi.string().valid('left', 'centre', 'right').required(),
  path: Joi.alternatives()
    .try(
      Joi.object({ kind: Joi.string().valid('straight').required() }),
      Joi.object({ kind: Joi.string().valid('arc').required(), radius: length.required(), inside: Joi.boolean().strict().required() }),
    )
    .required(),
  mirrored: Joi.boolean().strict().required(),
  axes: Joi.object()
    .pattern(/^[A-Za-z0-9 ]{4}$/, Joi.number().min(-100_000).max(100_000))
    .max(16)
    .required(),
  meaning: Joi.string().valid('cut', 'engrave', 'score', 'pocket').required(),
  plate: Joi.object({
    width: length.required(),
    height: length.required(),
    radius: Joi.number().min(0).max(100_000).required(),
    holes: Joi.number().valid(0, 1, 2, 4).required(),
    diameter: length.required(),
    inset: length.required(),
  })
    .allow(null)
    .required(),
});

const cell = Joi.string().max(500).allow('');
export const seriesSchema = Joi.object<TextSeries>({
  columns: Joi.array().items(cell.required()).min(1).max(50).required(),
  rows: Joi.array().items(Joi.array().items(cell).max(50)).min(1).max(mostRows).required(),
});

/** Where text begins and how it leans, in a drawing it is put into: mm and rad. */
export interface TextPlace {
  at: P2;
  angle: number;
}
