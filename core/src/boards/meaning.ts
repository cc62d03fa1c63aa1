import type { Contour, Drawing } from '../curves/drawing.ts';
import { nest } from '../curves/nest.ts';
import { crossOf, directionAt, distance, isFull, type ArcSegment, type P2 } from '../curves/segment.ts';
import type { BoardChoice, BoardMeaning } from './choice.ts';

/** A contour with what it is on the board. */
export interface BoardContour {
  contour: Contour;
  /** Number in the order of layers and contours. */
  number: number;
  layer: string;
  /** Its own, or its layer's. */
  colour: string | null;
  meaning: BoardMeaning;
  /** Why, in words. */
  why: string;
}

/** Larger circles inside are cut-outs that are routed, not holes that are drilled, mm. Common practice, no source. */
export const holeMost = 6.5;

/** Words in names of layers, the more particular first. Common practice, no source. */
const named: readonly [RegExp, BoardMeaning][] = [
  [/keep.?out|no.?copper/i, 'keep-out'],
  [/npth|non.?plated|unplated|bare/i, 'bare'],
  [/plated.?slot/i, 'plated-slot'],
  [/pth|plated|via/i, 'plated'],
  [/slot/i, 'slot'],
  [/drill|hole/i, 'bare'],
  [/cut.?out|opening|window/i, 'cut-out'],
  [/mask.*(bottom|back)|(bottom|back).*mask/i, 'mask-bottom'],
  [/mask/i, 'mask'],
  [/(legend|silk|print|text).*(bottom|back)|(bottom|back).*(legend|silk|print|text)/i, 'legend-bottom'],
  [/text|letter/i, 'legend-filled'],
  [/legend|silk|print|engrav|mark/i, 'legend'],
  [/(copper|\bcu\b).*(bottom|back)|(bottom|back).*(copper|\bcu\b)/i, 'copper-bottom'],
  [/copper|\bcu\b/i, 'copper'],
  [/edge|outline|profile|board|contour/i, 'edge'],
];

/** Words for what is no line of the board at all. */
const aside = /^(defpoints|dimension|notes?|frame|title)/i;

/** A rectangle with half-round ends, as a slot is drawn. */
export interface Obround {
  a: P2;
  b: P2;
  width: number;
}

/** The slot that a closed contour is: two lines of one length and two half circles; null when it is none. */
export function obroundOf({ segments, closed }: Contour): Obround | null {
  if (!closed || segments.length < 4) return null;
  const arcs = segments.filter((s): s is ArcSegment => s.kind === 'arc');
  const lines = segments.filter((s) => s.kind === 'line');
  if (lines.length !== 2 || arcs.length + lines.length !== segments.length) return null;
  const [p, q] = lines;
  if (Math.abs(crossOf(directionAt(p, 0), directionAt(q, 0))) > 1e-6) return null;
  // Half circles may come in pieces; all have one of two middles and one radius.
  const centres: P2[] = [];
  for (const arc of arcs) if (!centres.some((c) => distance(c, arc.centre) < 1e-6)) centres.push(arc.centre);
  const [{ radius, sweep }] = arcs;
  const total = arcs.reduce((sum, s) => sum + s.sweep, 0);
  const same = arcs.every((s) => Math.abs(s.radius - radius) < 1e-6 && Math.sign(s.sweep) === Math.sign(sweep));
  if (centres.length !== 2 || !same || Math.abs(Math.abs(total) - 2 * Math.PI) > 1e-6) return null;
  const [a, b] = centres;
  const long = distance(a, b);
  return lines.every((l) => Math.abs(distance(l.a, l.b) - long) < 1e-5) ? { a, b, width: 2 * radius } : null;
}

/**
 * Says what each contour is on the board, and why: by hand first, then by what it was made for, its layer's name, how it lies and its size.
 * @example meantForBoard(drawing, usualBoard).map((c) => `${c.meaning}: ${c.why}`)
 */
export function meantForBoard(drawing: Drawing, choice: Pick<BoardChoice, 'byLayer' | 'byColour' | 'byContour'>): BoardContour[] {
  const depths = new Map<Contour, number>();
  for (const n of nest(drawing)) depths.set(drawing.layers[n.layer].contours[n.contour], n.depth);
  let number = 0;
  return drawing.layers.flatMap((layer) => {
    // Letters of single lines have open strokes; among them a closed one is a line too.
    const strokes = layer.contours.some((c) => !c.closed && engraved(c));
    const colourOf = (c: Contour) => c.colour ?? layer.colour;
    const edges = new Set(layer.contours.filter((c) => depths.get(c) === 0).map(colourOf));
    return layer.contours.map((contour): BoardContour => {
      const own = number++;
      const colour = colourOf(contour);
      const as = (meaning: BoardMeaning, why: string): BoardContour => ({ contour, number: own, layer: layer.name, colour, meaning, why });
      const hand = choice.byContour[String(own)];
      if (hand) return as(hand, 'chosen by hand');
      const layerHand = choice.byLayer[layer.name];
      if (layerHand) return as(layerHand, `layer "${layer.name}" chosen by hand`);
      const colourHand = colour === null ? undefined : choice.byColour[colour];
      if (colourHand) return as(colourHand, `colour ${colour} chosen by hand`);
      const foreign = edges.size > 0 && !edges.has(colour);
      return guessed(contour, { layer: layer.name, depth: depths.get(contour) ?? -1, strokes, foreign }, as);
    });
  });
}

type As = (meaning: BoardMeaning, why: string) => BoardContour;

/** What is known of a contour: `strokes`, its layer holds letters of single lines; `foreign`, it has another colour than the edge in its layer. */
interface About {
  layer: string;
  depth: number;
  strokes: boolean;
  foreign: boolean;
}

function guessed(contour: Contour, { layer, depth, strokes, foreign }: About, as: As): BoardContour {
  const made = madeFor(contour, strokes);
  if (made) return as(made, 'made so');
  if (aside.test(layer)) return as('nothing', `name of layer "${layer}"`);
  const byName = named.find(([words]) => words.test(layer))?.[1];
  if (byName) return as(fitting(byName, contour, depth), `name of layer "${layer}"`);
  if (depth < 0) return as('legend', 'open');
  if (depth === 0) return as('edge', 'closed, outermost');
  return depth === 1 ? cutIn(contour, foreign, as) : as('legend', 'inside of what is cut out');
}

/** What is cut into the board: a hole, a slot, or a cut-out. */
function cutIn(contour: Contour, foreign: boolean, as: As): BoardContour {
  const [first] = contour.segments;
  if (contour.segments.length === 1 && first.kind === 'arc' && isFull(first) && first.radius * 2 <= holeMost)
    return as('bare', `circle of ${Number((first.radius * 2).toFixed(3))} mm inside`);
  const slot = obroundOf(contour);
  if (slot && slot.width <= holeMost) return as('slot', `round ends, ${Number(slot.width.toFixed(3))} mm wide`);
  return foreign ? as('legend', 'closed, inside, in another colour than the edge') : as('cut-out', 'closed, inside');
}

/** What a contour was made for elsewhere, as words that were typed are. */
function madeFor(contour: Contour, strokes: boolean): BoardMeaning | null {
  if (engraved(contour)) return contour.closed && !strokes ? 'legend-filled' : 'legend';
  return contour.meaning === 'fill' ? 'legend-filled' : contour.meaning === 'hole' ? 'bare' : null;
}

/** Whether a tool only follows it. */
const engraved = ({ meaning }: Contour): boolean => meaning === 'engrave' || meaning === 'mark' || meaning === 'label' || meaning === 'score';

/** "Outline" says little of what lies inside; "hole" little of what is no circle. */
function fitting(meaning: BoardMeaning, contour: Contour, depth: number): BoardMeaning {
  const round = contour.segments.length === 1 && isFull(contour.segments[0]);
  if (meaning === 'edge' && depth > 0 && depth % 2 === 1) return round && (contour.segments[0] as ArcSegment).radius * 2 <= holeMost ? 'bare' : 'cut-out';
  if (meaning === 'bare' && !round) return obroundOf(contour) ? 'slot' : 'cut-out';
  if (meaning === 'plated' && !round && obroundOf(contour)) return 'plated-slot';
  return meaning;
}
