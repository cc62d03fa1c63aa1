import Joi from 'joi';
import type { Vec3 } from '../geometry/vector.ts';

/** How a surface is cut into pieces before it is laid flat. */
export type Division =
  | { by: 'none' }
  /** Wedges round an axis: through the point farthest from the border along the mean normal when none is given. */
  | { by: 'gores'; count: number; axis: { at: Vec3; along: Vec3 } | null }
  /** Strips of equal width, across a direction; the longest one when none is given. */
  | { by: 'panels'; count: number; across: Vec3 | null };

/** A relief cut along the surface between two places, mm; `to` null: on to the nearest border. */
export interface CutLine {
  from: Vec3;
  to: Vec3 | null;
  /** Places that it goes through on its way, in order; absent: none. */
  through?: Vec3[];
  /** It is one smooth curve through its places; absent or no: straight from place to place. */
  round?: boolean;
}

/** A part of the faces that are taken, mm: within a loop round a place of it, up to the edges at some places, or where a round brush was put. */
export type Area =
  | { by: 'loop'; through: Vec3[]; round: boolean; inside: Vec3 }
  | { by: 'edges'; at: Vec3[]; inside: Vec3 }
  | { by: 'painted'; dabs: { at: Vec3; radius: number }[] };

/** A line on the surface that is drawn on the flat, mm: straight from place to place, or as one smooth curve. */
export interface DrawnLine {
  through: Vec3[];
  round: boolean;
  /** It comes back to its first place. */
  closed: boolean;
}

/** What is asked when a surface is spread flat. Lengths in mm of the finished part, angles in degrees. */
export interface SpreadChoice {
  /** Faces that are taken, from 0; null: all of them. */
  faces: number[] | null;
  /** Only this part of them; absent or null: all. */
  area?: Area | null;
  /** Faces that run smoothly into those taken come along. */
  tangent: boolean;
  /** Edges of a mesh that turn more than this part its faces, degrees. */
  crease: number;
  /** Longest side of a facet, mm; null: about 3,000 facets. */
  facet: number | null;
  /** Ends with the worst stretch made least ('even'), or as rigid as possible ('rigid'). */
  aim: 'even' | 'rigid';
  /** Where a thing that stands up on the surface points on the flat: the grain. */
  grain: 'x' | 'y';
  /** The border keeps its length on the flat, as seams always do. */
  keepBorder: boolean;
  /** Places at edges of the border that keep their length, from corner to corner; absent: none. */
  keep?: Vec3[];
  divide: Division;
  /** Relief cuts that are looked for where the surface is bent most. */
  cuts: number;
  /** Relief cuts that somebody drew. */
  lines: CutLine[];
  /** Lines that are drawn on the flat; absent: none. */
  drawn?: DrawnLine[];
  /** Seam allowance, mm: along seams, and along the border. */
  allowance: { seam: number; border: number };
  /** A notch at most so far from the next along seams, mm; null: none. */
  notches: number | null;
  /** Names and arrows. */
  writing: boolean;
  /** Edges between faces are drawn on the flat. */
  inner: boolean;
  /** What the material bears, as shares: longer along and across the grain, and shear in degrees; null: not asked. */
  limits: { along: number; across: number; shear: number } | null;
  /** Lines and arcs lie this near to the flat, mm. */
  deviation: number;
}

export const usualSpread: SpreadChoice = {
  faces: null,
  tangent: false,
  crease: 40,
  facet: null,
  aim: 'even',
  grain: 'x',
  keepBorder: false,
  divide: { by: 'none' },
  cuts: 0,
  lines: [],
  allowance: { seam: 0, border: 0 },
  notches: 100,
  writing: true,
  inner: false,
  limits: null,
  deviation: 0.01,
};

/** Bounds of figures, so that a form, the command line and the schema say the same. */
export const spreadBounds = {
  facet: [0.05, 1000],
  crease: [1, 180],
  pieces: [2, 64],
  cuts: [0, 24],
  allowance: [0, 200],
  notches: [5, 5000],
  share: [0, 1],
  shear: [0, 60],
  deviation: [0.0005, 1],
  brush: [0.1, 1000],
} as const;

/** Places of one cut or loop, and dabs of a brush, at most. */
export const mostPlaces = 100;
export const mostDabs = 2000;
/** Cuts, drawn lines, edges that are chosen, at most. */
export const mostLines = 50;

const between = ([least, most]: readonly [number, number]) => Joi.number().min(least).max(most);
const place = Joi.array().items(Joi.number().min(-1e6).max(1e6)).length(3);

export const spreadSchema = Joi.object<SpreadChoice>({
  faces: Joi.array().items(Joi.number().integer().min(0).max(1_000_000)).min(1).max(20_000).unique().allow(null).required(),
  area: Joi.alternatives(
    Joi.object({
      by: Joi.valid('loop').required(),
      through: Joi.array().items(place).min(3).max(mostPlaces).required(),
      round: Joi.boolean().required(),
      inside: place.required(),
    }),
    Joi.object({ by: Joi.valid('edges').required(), at: Joi.array().items(place).min(1).max(mostLines).required(), inside: place.required() }),
    Joi.object({
      by: Joi.valid('painted').required(),
      dabs: Joi.array()
        .items(Joi.object({ at: place.required(), radius: between(spreadBounds.brush).required() }))
        .min(1)
        .max(mostDabs)
        .required(),
    }),
  ).allow(null),
  tangent: Joi.boolean().required(),
  crease: between(spreadBounds.crease).required(),
  facet: between(spreadBounds.facet).allow(null).required(),
  aim: Joi.string().valid('even', 'rigid').required(),
  grain: Joi.string().valid('x', 'y').required(),
  keepBorder: Joi.boolean().required(),
  keep: Joi.array().items(place).max(mostLines),
  divide: Joi.alternatives(
    Joi.object({ by: Joi.valid('none').required() }),
    Joi.object({
      by: Joi.valid('gores').required(),
      count: between(spreadBounds.pieces).integer().required(),
      axis: Joi.object({ at: place.required(), along: place.required() }).allow(null).required(),
    }),
    Joi.object({ by: Joi.valid('panels').required(), count: between(spreadBounds.pieces).integer().required(), across: place.allow(null).required() }),
  ).required(),
  cuts: between(spreadBounds.cuts).integer().required(),
  lines: Joi.array()
    .items(Joi.object({ from: place.required(), to: place.allow(null).required(), through: Joi.array().items(place).max(mostPlaces), round: Joi.boolean() }))
    .max(mostLines)
    .required(),
  drawn: Joi.array()
    .items(
      Joi.object({
        through: Joi.array()
          .items(place)
          .min(Joi.ref('closed', { adjust: (closed) => (closed ? 3 : 2) }))
          .max(mostPlaces)
          .required(),
        round: Joi.boolean().required(),
        closed: Joi.boolean().required(),
      }),
    )
    .max(mostLines),
  allowance: Joi.object({ seam: between(spreadBounds.allowance).required(), border: between(spreadBounds.allowance).required() }).required(),
  notches: between(spreadBounds.notches).allow(null).required(),
  writing: Joi.boolean().required(),
  inner: Joi.boolean().required(),
  limits: Joi.object({
    along: between(spreadBounds.share).required(),
    across: between(spreadBounds.share).required(),
    shear: between(spreadBounds.shear).required(),
  })
    .allow(null)
    .required(),
  deviation: between(spreadBounds.deviation).required(),
});
