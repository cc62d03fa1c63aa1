import { endOf, reversed, startOf, type P2, type Segment, type SegmentKind } from './segment.ts';
import { areaUnder, growBySegment, lengthOf, noBox, type Box2 } from './measure.ts';
import { times, transformed, type Affine } from './affine.ts';

/** A chain of segments, each beginning where the one before ends. */
export interface Contour {
  segments: Segment[];
  closed: boolean;
  /** Colour of its own (#rrggbb); null takes the layer's. */
  colour: string | null;
  /** What it is for; null while no rule and nobody has said. */
  meaning: Meaning | null;
  /** Depth below the stock's top that it was made at, mm; null when unknown. */
  depth?: number | null;
  /** Width of the stroke that it was drawn with, mm; absent when it was drawn as an edge. */
  width?: number;
}

/** What a layer of a cut file means in a workshop. Source of the list: common practice. */
export type Meaning =
  'cut' | 'hole' | 'pocket' | 'score' | 'engrave' | 'bend' | 'bend-up' | 'bend-down' | 'bend-edge' | 'mark' | 'label' | 'stock' | 'small' | 'fill' | 'lead';

export interface Layer {
  name: string;
  colour: string | null;
  /** Name of the line type, as DXF has it. */
  lineType: string;
  contours: Contour[];
}

/** Writing in a drawing; reported and kept, written only as TEXT. */
export interface TextMark {
  layer: string;
  at: P2;
  height: number;
  /** Angle of the base line, rad. */
  angle: number;
  /** Lines parted by a line feed. */
  text: string;
  /** How it stands about its place; absent: from the left, on the base line. */
  stands?: { across: 'left' | 'centre' | 'right'; up: 'base' | 'bottom' | 'middle' | 'top' };
  /** Width as a share of the usual, and how far letters lean, rad. */
  widthFactor?: number;
  slant?: number;
  /** Lines are broken so that they are at most so wide, mm. */
  wrap?: number;
  /** The line is made so wide, mm: its letters wider or narrower, or all of it larger or smaller. */
  fit?: { width: number; whole: boolean };
  /** From line to line, in heights. */
  line?: number;
  /** The height is that of the em (SVG), not that of H (DXF). */
  em?: true;
  mirrored?: true;
  /** The text in stretches of one look each, in their order with their line feeds; absent: all of it looks the same. */
  runs?: TextRun[];
  /** It runs along a way instead of straight on. */
  along?: TextWay;
}

/** A stretch of a text: size as a share of the text's height, width as a share of the usual, slant in rad. */
export interface TextRun {
  text: string;
  size: number;
  widthFactor?: number;
  slant?: number;
}

/** A way that a text runs along, in a frame of its own: `map` leads from there to the drawing. */
export interface TextWay {
  segments: Segment[];
  closed: boolean;
  /** Where on it the text begins (or its middle, or its end), how far off it the base line runs, and whether it runs back on the other side. */
  from: number;
  off: number;
  back: boolean;
  /** Height of the letters in that frame. */
  height: number;
  map: Affine;
}

/** Flat geometry in layers. Lengths in mm. */
export interface Drawing {
  layers: Layer[];
  texts: TextMark[];
  points: { layer: string; at: P2 }[];
  /** Its writing is ours (numbers, notes) and goes along as text that nobody cuts; other writing is told as lost. */
  labels?: true;
}

export const emptyDrawing = (): Drawing => ({ layers: [], texts: [], points: [] });

/** A contour of segments that no one has given a meaning. */
export const contourOf = (segments: Segment[], closed: boolean, colour: string | null = null): Contour => ({ segments, closed, colour, meaning: null });

/** All contours of all layers, in order. */
export function contoursOf(drawing: Drawing): Contour[] {
  return drawing.layers.flatMap((layer) => layer.contours);
}

export function boxOfContour(contour: Contour): Box2 {
  const box = noBox();
  for (const s of contour.segments) growBySegment(box, s);
  return box;
}

/** Box of all segments and points; zeros for an empty drawing. */
export function boxOfDrawing(drawing: Drawing): Box2 {
  const box = noBox();
  for (const layer of drawing.layers) for (const contour of layer.contours) for (const s of contour.segments) growBySegment(box, s);
  return box[0] > box[2] ? [0, 0, 0, 0] : box;
}

/** The largest side of the box, which tolerances are shares of, mm. */
export function reachOf(box: Box2): number {
  return Math.max(box[2] - box[0], box[3] - box[1]);
}

export function lengthOfContour(contour: Contour): number {
  let sum = 0;
  for (const s of contour.segments) sum += lengthOf(s);
  return sum;
}

/** Signed area of a closed contour, mm2: positive counter-clockwise. Taken about its own first point, so that far-off places lose no digits. */
export function areaOfContour(contour: Contour): number {
  if (contour.segments.length === 0) return 0;
  const [x, y] = startOf(contour.segments[0]);
  let sum = 0;
  for (const s of contour.segments) {
    const a = startOf(s);
    const b = endOf(s);
    // Moving the origin to (x, y) changes each piece by the area between its chord and that point.
    sum += areaUnder(s) - (x * (b[1] - a[1]) - y * (b[0] - a[0])) / 2;
  }
  return sum;
}

export function reversedContour(contour: Contour): Contour {
  return { ...contour, segments: contour.segments.map(reversed).reverse() };
}

/** The drawing under an affine map, texts and points included. */
export function transformedDrawing(drawing: Drawing, m: Affine): Drawing {
  const size = Math.sqrt(Math.abs(m[0] * m[3] - m[1] * m[2]));
  const point = (p: P2): P2 => [m[0] * p[0] + m[2] * p[1] + m[4], m[1] * p[0] + m[3] * p[1] + m[5]];
  return {
    layers: drawing.layers.map((layer) => ({
      ...layer,
      contours: layer.contours.map((c) => ({
        ...c,
        ...(c.width === undefined ? {} : { width: c.width * size }),
        segments: c.segments.map((s) => transformed(s, m)),
      })),
    })),
    texts: drawing.texts.map((t) => movedText(t, m)),
    points: drawing.points.map((p) => ({ ...p, at: point(p.at) })),
  };
}

/** Writing under an affine map; what a map shears comes out upright in its own line. */
export function movedText(t: TextMark, m: Affine): TextMark {
  const size = Math.sqrt(Math.abs(m[0] * m[3] - m[1] * m[2]));
  const along: P2 = [Math.cos(t.angle), Math.sin(t.angle)];
  const turned = Math.atan2(m[1] * along[0] + m[3] * along[1], m[0] * along[0] + m[2] * along[1]);
  const { mirrored, ...rest } = t;
  return {
    ...rest,
    at: [m[0] * t.at[0] + m[2] * t.at[1] + m[4], m[1] * t.at[0] + m[3] * t.at[1] + m[5]],
    height: t.height * size,
    angle: turned,
    ...(t.wrap === undefined ? {} : { wrap: t.wrap * size }),
    ...(t.fit ? { fit: { ...t.fit, width: t.fit.width * size } } : {}),
    ...(t.along ? { along: { ...t.along, map: times(m, t.along.map) } } : {}),
    ...(m[0] * m[3] - m[1] * m[2] < 0 !== (mirrored ?? false) ? { mirrored: true } : {}),
  };
}

/** How many segments of each kind. */
export type SegmentCounts = Record<SegmentKind, number>;

export function countSegments(drawing: Drawing): SegmentCounts {
  const counts: SegmentCounts = { line: 0, arc: 0, ellipse: 0, bezier: 0, spline: 0 };
  for (const layer of drawing.layers) for (const contour of layer.contours) for (const s of contour.segments) counts[s.kind]++;
  return counts;
}

/** The drawing as bytes for the store, and back. Numbers are kept exactly. */
export const packDrawing = (drawing: Drawing): Uint8Array => new TextEncoder().encode(JSON.stringify(drawing));
export const unpackDrawing = (bytes: Uint8Array): Drawing => JSON.parse(new TextDecoder().decode(bytes)) as Drawing;
