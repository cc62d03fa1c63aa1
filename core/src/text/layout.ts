import Flatbush from 'flatbush';
import { Sets } from '../base/sets.ts';
import { times, transformed, type Affine } from '../curves/affine.ts';
import { chained, sameDistance } from '../curves/chain.ts';
import { contourOf, type Contour, type Drawing } from '../curves/drawing.ts';
import { growBySegment, noBox, type Box2 } from '../curves/measure.ts';
import { endOf, reversed, startOf, type LineSegment, type P2 } from '../curves/segment.ts';
import type { Track } from '../curves/track.ts';
import { ringOf, unionOf, type Stroke } from '../curves/union.ts';
import type { TextChoice, TextSize } from './choice.ts';
import type { Letters } from './letters.ts';
import { runsOf } from './runs.ts';

/** Letters of a text as contours, mm: base line of the first line at y = 0, x from its alignment. */
export interface SetText {
  contours: Contour[];
  /** Of the ink; zeros when there is none. */
  box: Box2;
  /** Letters with ink, spaces not counted. */
  letters: number;
  /** Letters that nothing here has, each once. */
  missing: string[];
  /** Letters that other faces than the chosen one drew, each once. */
  stoodIn: string[];
  /** How high H came out, mm. */
  cap: number;
  /** Groups of letters that overlap so much that they were left as they are. */
  heaps: number;
  /** The widest line along its base line, mm. */
  longest: number;
}

/** A letter ready to be placed: its pieces in numbers of the em, its middle and its place along the line. */
interface Piece {
  strokes: readonly (readonly Stroke[])[];
  closed: boolean;
  /** Scale from its own numbers to the first face's em. */
  by: number;
  x: number;
  y: number;
  advance: number;
}

interface Line {
  pieces: Piece[];
  width: number;
}

/** What setting needs to know; a size may be that of the em too. */
export type Setting = Pick<TextChoice, 'words' | 'spacing' | 'line' | 'align' | 'mirrored'> & {
  size: TextSize | { by: 'em'; mm: number };
  path: TextChoice['path'] | AlongTrack;
};

/** Letters along a contour: where on it the line begins (or its middle, or its end, by the alignment), how far off it the base line runs, and which way. */
export interface AlongTrack {
  kind: 'track';
  track: Track;
  from: number;
  off: number;
  back: boolean;
}

/** Sets text in letters. @throws nothing of its own: letters that are missing are told. @example await setText(usualText, letters) */
export async function setText(choice: Setting, letters: Letters): Promise<SetText> {
  const missing = new Set<string>();
  const stoodIn = new Set<string>();
  const heights = await heightsOf(letters);
  const lines: Line[] = [];
  for (const line of choice.words.replace(/\r\n?/g, '\n').replace(/\t/g, '    ').split('\n')) {
    lines.push(letters.kind === 'single lines' ? drawnLine(line, letters, missing) : await shapedLine(line, letters, { missing, stoodIn }));
  }
  const scale = scaleFor(choice, lines, heights);
  const step = choice.line * heights.cap * scale;
  // Lines together: what hangs from one may reach into the next.
  const told = { heaps: 0 };
  const made = together(
    lines.flatMap((line, row) => place(line, choice, scale, -row * step)),
    told,
  );
  const contours = choice.mirrored ? made.map(mirrored) : made;
  const box = noBox();
  for (const c of contours) for (const s of c.segments) growBySegment(box, s);
  return {
    contours,
    box: box[0] > box[2] ? [0, 0, 0, 0] : box,
    letters: lines.reduce((n, l) => n + l.pieces.filter((p) => p.strokes.length > 0).length, 0),
    missing: [...missing],
    stoodIn: [...stoodIn],
    cap: heights.cap * scale,
    heaps: told.heaps,
    longest: Math.max(0, ...lines.map((l) => l.width * scale + Math.max(0, l.pieces.length - 1) * choice.spacing)),
  };
}

type Heights = Record<'cap' | 'low' | 'em', number>;

/** Heights of H and x, and the em, in numbers of the letters. */
async function heightsOf(letters: Letters): Promise<Heights> {
  // Single lines have no em: H is seven tenths of it in most letters.
  if (letters.kind === 'single lines') return { cap: letters.lines.cap, low: letters.lines.low, em: letters.lines.cap / 0.7 };
  const { cap, low, upem } = await letters.faces[0].open();
  return { cap, low, em: upem };
}

function drawnLine(line: string, { lines }: Extract<Letters, { kind: 'single lines' }>, missing: Set<string>): Line {
  const pieces: Piece[] = [];
  let x = 0;
  for (const { segment } of graphemes.segment(line)) {
    const letter = lines.letter(segment.normalize('NFC'));
    if (!letter) {
      missing.add(segment);
      continue;
    }
    const strokes = letter.ways.map((way) => linesThrough(way));
    pieces.push({ strokes, closed: false, by: 1, x, y: 0, advance: letter.width });
    x += letter.width;
  }
  return { pieces, width: x };
}
const graphemes = new Intl.Segmenter('en', { granularity: 'grapheme' });

/** A point alone is drawn as a short line: a machine does nothing at a point. */
function linesThrough(way: readonly P2[]): LineSegment[] {
  const out: LineSegment[] = [];
  for (let i = 1; i < way.length; i++) if (way[i][0] !== way[i - 1][0] || way[i][1] !== way[i - 1][1]) out.push({ kind: 'line', a: way[i - 1], b: way[i] });
  return out.length > 0 ? out : [{ kind: 'line', a: way[0], b: [way[0][0], way[0][1] + 0.5] }];
}

async function shapedLine(
  line: string,
  { faces, own }: Extract<Letters, { kind: 'outlines' }>,
  told: { missing: Set<string>; stoodIn: Set<string> },
): Promise<Line> {
  const first = await faces[0].open();
  const { runs, missing } = await runsOf(line, faces);
  for (const m of missing) told.missing.add(m);
  const pieces: Piece[] = [];
  let x = 0;
  for (const run of runs) {
    const by = first.upem / run.face.upem;
    if (run.at >= own) for (const { segment } of graphemes.segment(run.text)) if (segment.trim() !== '') told.stoodIn.add(segment);
    const { glyphs, width } = run.face.shape(run.text, run.back);
    for (const g of glyphs) {
      // Glyph 0 is the box that stands for a letter the font lacks: that is told, and not drawn.
      const strokes = g.id === 0 ? [] : run.face.outline(g.id).rings;
      pieces.push({ strokes, closed: true, by, x: x + g.x * by, y: g.y * by, advance: g.advance * by });
    }
    x += width * by;
  }
  return { pieces, width: x };
}

/** From numbers of the letters to mm. Spacing is mm already, so that a width to fit has to allow for it. */
function scaleFor({ size, spacing }: Setting, lines: readonly Line[], heights: Heights): number {
  if (size.by !== 'width') return size.mm / heights[size.by];
  let best = Infinity;
  for (const { pieces } of lines) {
    const inked = pieces.map((p, i) => ({ p, i })).filter(({ p }) => p.strokes.length > 0);
    if (inked.length === 0) continue;
    let [left, right, gapsLeft, gapsRight] = [Infinity, -Infinity, 0, 0];
    for (const { p, i } of inked) {
      const box = boxOfPiece(p);
      if (box[0] < left) [left, gapsLeft] = [box[0], gapsBefore(pieces, i)];
      if (box[2] > right) [right, gapsRight] = [box[2], gapsBefore(pieces, i)];
    }
    const room = size.mm - spacing * (gapsRight - gapsLeft);
    best = Math.min(best, room / (right - left));
  }
  return Number.isFinite(best) && best > 0 ? best : size.mm / heights.cap;
}

/** How many gaps between letters lie before a piece: marks upon a letter (no advance) open none. */
function gapsBefore(pieces: readonly Piece[], at: number): number {
  let gaps = 0;
  for (let i = 0; i < at; i++) if (pieces[i].advance !== 0) gaps++;
  return gaps;
}

function boxOfPiece(p: Piece): Box2 {
  return boxOfWays(p.strokes.map((way) => ringOf(way.map((s) => transformed(s, [p.by, 0, 0, p.by, p.x, p.y])))));
}

/** One line's letters where they stand, mm. */
function place(line: Line, { align, spacing, path }: Setting, scale: number, y: number): Placed[] {
  let gaps = 0;
  const starts = line.pieces.map((p, i) => {
    if (i > 0 && line.pieces[i - 1].advance !== 0) gaps++;
    return p.x * scale + gaps * spacing;
  });
  const width = line.width * scale + gaps * spacing;
  const shift = align === 'left' ? 0 : align === 'centre' ? -width / 2 : -width;
  return line.pieces.map((p, i): Placed => {
    const own: Affine = [p.by * scale, 0, 0, p.by * scale, 0, p.y * scale];
    const m = times(frameAt(path, starts[i] + shift, p.advance * scale, y), own);
    return { ways: p.strokes.map((way) => ringOf(way.map((s) => transformed(s, m)))), closed: p.closed };
  });
}

/** A letter where it stands, mm. */
interface Placed {
  ways: Stroke[][];
  closed: boolean;
}

/** Where a letter stands: straight on, or turned about its own middle on a circle. */
function frameAt(path: TextPath, x: number, advance: number, y: number): Affine {
  if (path.kind === 'straight') return [1, 0, 0, 1, x, y];
  if (path.kind === 'track') return onTrack(path, x, advance, y);
  const r = path.inside ? path.radius - y : path.radius + y;
  const middle = x + advance / 2;
  const angle = path.inside ? middle / path.radius : -middle / path.radius;
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  // The circle's middle is the origin; outside the line's middle is at the top, inside at the bottom.
  const [px, py] = path.inside ? [r * s, -r * c] : [-r * s, r * c];
  return [c, s, -s, c, px - (c * advance) / 2, py - (s * advance) / 2];
}

/** A letter's middle stands on the contour, its base line off it to the left of the way that it runs. */
function onTrack({ track, from, off, back }: AlongTrack, x: number, advance: number, y: number): Affine {
  const middle = x + advance / 2;
  const { point, angle } = track.at(back ? from - middle : from + middle);
  const turned = back ? angle + Math.PI : angle;
  const [c, s] = [Math.cos(turned), Math.sin(turned)];
  const rise = y + off;
  return [c, s, -s, c, point[0] - s * rise - (c * advance) / 2, point[1] + c * rise - (s * advance) / 2];
}
type TextPath = Setting['path'];

/** Letters whose boxes meet are joined where they overlap (scripts that join, tight spacing); the others stay as they are. */
function together(letters: readonly Placed[], told: { heaps: number }): Contour[] {
  const out: Contour[] = [];
  const inked = letters.filter((l) => l.closed && l.ways.length > 0).map((l) => ({ ways: l.ways, box: boxOfWays(l.ways) }));
  const group = new Sets(inked.length);
  const index = new Flatbush(Math.max(1, inked.length));
  for (const { box } of inked) index.add(...box);
  if (inked.length === 0) index.add(0, 0, 0, 0);
  index.finish();
  inked.forEach(({ box }, i) => index.search(...box).forEach((j) => j !== i && group.join(i, j)));
  const groups = new Map<number, number[]>();
  inked.forEach((_, i) => {
    const root = group.root(i);
    groups.set(root, [...(groups.get(root) ?? []), i]);
  });
  for (const list of groups.values()) {
    const ways = list.flatMap((i) => inked[i].ways);
    const joined = list.length > 1 ? unionOf(ways) : ways;
    if (!joined) told.heaps++;
    for (const ring of joined ?? ways) out.push(contourOf([...ring], true));
  }
  for (const { ways, closed } of letters) if (!closed) out.push(...linked(ways.map(openWay)));
  return out;
}

function boxOfWays(ways: readonly (readonly Stroke[])[]): Box2 {
  const box = noBox();
  for (const way of ways) for (const s of way) growBySegment(box, s);
  return box;
}

/** Lines of one letter that go on from each other are drawn in one: fewer lifts of the tool. */
function linked(contours: Contour[]): Contour[] {
  if (contours.length < 2) return contours;
  const drawing: Drawing = { layers: [{ name: '', colour: null, lineType: '', contours }], texts: [], points: [] };
  return chained(drawing, sameDistance(drawing)).drawing.layers.flatMap((l) => l.contours);
}

/** A single line; one that comes back to its beginning is closed. */
function openWay(way: readonly Stroke[]): Contour {
  const [a, b] = [startOf(way[0]), endOf(way[way.length - 1])];
  return contourOf([...way], way.length > 2 && Math.hypot(a[0] - b[0], a[1] - b[1]) < 1e-9 * (Math.abs(a[0]) + Math.abs(a[1]) + 1));
}

function mirrored(contour: Contour): Contour {
  const segments = contour.segments.map((s) => transformed(s, [-1, 0, 0, 1, 0, 0]));
  if (!contour.closed) return { ...contour, segments };
  // Outer ways stay counter-clockwise.
  return { ...contour, segments: segments.map(reversed).reverse() };
}
