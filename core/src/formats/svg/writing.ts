import type { TextMark, TextWay } from '../../curves/drawing.ts';
import { startOf as startOfSegment, type Segment } from '../../curves/segment.ts';
import type { Node } from './xml.ts';
import { readLength } from './style.ts';

/** A stretch of text with its place in user units (y down), and the style of its element. */
export interface Stretch {
  node: Node;
  text: string;
  at: [number, number];
  style: Record<string, string>;
  /** Pieces of it with the style of each, in order. */
  pieces: { text: string; style: Record<string, string> }[];
}

/** Elements within a text that hold more of it. */
const within = new Set(['tspan', 'a']);
const anchors: Record<string, 'left' | 'centre' | 'right'> = { start: 'left', middle: 'centre', end: 'right' };

/**
 * Text in stretches: one begins wherever x or y is said; what has no place of its own goes on after what is before it. Source: SVG 2, 11.4 to 11.6.
 * @param styleOf style of an element, given that of the one round it @param size of the viewport, for percentages
 */
export function stretchesOf(
  text: Node,
  style: Record<string, string>,
  styleOf: (node: Node, above: Record<string, string>) => Record<string, string>,
  size: readonly [number, number],
): Stretch[] {
  // prettier-ignore
  const out: Stretch[] = [];
  let pen: [number, number] = [0, 0];
  let fresh = true;
  const walk = (node: Node, own: Record<string, string>): void => {
    const said = placesOf(node, size);
    fresh ||= said.some((list) => list.length > 0);
    pen = startOf(said, pen);
    let letter = 0;
    for (const child of node.children) {
      if (within.has(child.name)) walk(child, styleOf(child, own));
      if (child.name !== '#text') continue;
      const each = said[0].length > 1;
      for (const piece of each ? [...child.text.replace(/\s+/g, ' ').trim()] : [child.text]) {
        if (each) pen = nthOf(said, letter, pen);
        if (fresh || each) out.push({ node, text: piece, at: pen, style: own, pieces: [{ text: piece, style: own }] });
        else out[out.length - 1].pieces.push({ text: piece, style: own });
        fresh = false;
        letter++;
      }
    }
  };
  walk(text, style);
  return out.map(collapsed).filter((s) => s.text !== '');
}

/** White space is one space at most, and none at the ends. */
function collapsed(stretch: Stretch): Stretch {
  let open = true;
  const pieces = stretch.pieces.map(({ text, style }) => {
    const plain = text.replace(/\s+/g, ' ');
    const kept = open ? plain.replace(/^ /, '') : plain;
    if (plain !== '') open = plain.endsWith(' ');
    return { text: kept, style };
  });
  for (let i = pieces.length - 1; i >= 0; i--) {
    pieces[i].text = pieces[i].text.trimEnd();
    if (pieces[i].text !== '') break;
  }
  const kept = pieces.filter((p) => p.text !== '');
  return { ...stretch, pieces: kept, text: kept.map((p) => p.text).join('') };
}

/** Lists of x, y, dx and dy of an element, user units. */
const placesOf = (node: Node, size: readonly [number, number]): number[][] =>
  ['x', 'y', 'dx', 'dy'].map((key, k) => (node.attributes[key] ?? '').split(/[\s,]+/).flatMap((v) => readLength(v, size[k % 2])?.value ?? []));

/** Where the pen is after an element's own places. */
const startOf = ([xs, ys, dxs, dys]: number[][], pen: [number, number]): [number, number] => [
  (xs[0] ?? pen[0]) + (dxs[0] ?? 0),
  (ys[0] ?? pen[1]) + (dys[0] ?? 0),
];

/** The place of one letter of an element that gives each its own. */
const nthOf = ([xs, ys]: number[][], n: number, pen: [number, number]): [number, number] => [
  xs[Math.min(n, xs.length - 1)],
  ys[Math.min(n, ys.length - 1)] ?? pen[1],
];

/** A stretch as writing in its own frame, y up. */
export function markOf({ text, at, style, pieces }: Stretch, layer: string): TextMark {
  const across = anchors[style['text-anchor'] ?? 'start'] ?? 'left';
  const baseline = style['dominant-baseline'] ?? '';
  const up = /middle|central/.test(baseline) ? 'middle' : /hanging|top|before/.test(baseline) ? 'top' : /bottom|after/.test(baseline) ? 'bottom' : 'base';
  return {
    layer,
    at: [at[0], -at[1]],
    height: emOf(style),
    angle: 0,
    text,
    em: true,
    ...runsOf(pieces, emOf(style)),
    ...(across === 'left' && up === 'base' ? {} : { stands: { across, up } }),
  };
}

const emOf = (style: Record<string, string>): number => {
  const found = readLength(style['font-size'] ?? '16', 16)?.value ?? 16;
  return found > 0 ? found : 16;
};

/** Stretches of different size; none where all of it is of one. */
function runsOf(pieces: Stretch['pieces'], em: number): Pick<TextMark, 'runs'> {
  const runs = pieces.map(({ text, style }) => ({ text, size: emOf(style) / em }));
  return runs.every((r) => Math.abs(r.size - 1) < 1e-9) ? {} : { runs };
}

/** Text along a line, as the element says it: what is written, where on the line, how far off it, and from which side. User units; the place is a share of the length when it says so. */
export interface AlongLine {
  text: string;
  style: Record<string, string>;
  start: { value: number; share: boolean };
  off: number;
  back: boolean;
}

/** The element "textPath" without the line itself. Source: SVG 2, 11.8. */
export function alongLineOf(
  node: Node,
  style: Record<string, string>,
  styleOf: (node: Node, above: Record<string, string>) => Record<string, string>,
): AlongLine {
  const own = styleOf(node, style);
  let text = '';
  let look = own;
  let off = 0;
  const walk = (at: Node, above: Record<string, string>): void => {
    off -= readLength(at.attributes.dy?.split(/[\s,]+/)[0], 0)?.value ?? 0;
    for (const child of at.children) {
      if (child.name === '#text') {
        // The first letters say how large all of it is.
        if (text.trim() === '') look = above;
        text += child.text;
      } else if (within.has(child.name)) walk(child, styleOf(child, above));
    }
  };
  walk(node, own);
  const said = (node.attributes.startOffset ?? '0').trim();
  const share = said.endsWith('%');
  const value = share ? Number.parseFloat(said) / 100 : (readLength(said, 0)?.value ?? 0);
  return {
    text: text.replace(/\s+/g, ' ').trim(),
    style: look,
    start: { value: Number.isFinite(value) ? value : 0, share },
    off,
    back: node.attributes.side === 'right',
  };
}

/** Text along a line as writing in its own frame, y up. @param line the way itself in that frame, of a length that is known */
export function alongMark(
  { text, style, start, off, back }: AlongLine,
  line: { segments: Segment[]; closed: boolean; length: number },
  layer: string,
): TextMark {
  const height = emOf(style);
  const from = start.share ? start.value * line.length : start.value;
  const across = anchors[style['text-anchor'] ?? 'start'] ?? 'left';
  const along: TextWay = { segments: line.segments, closed: line.closed, from: back ? line.length - from : from, off, back, height, map: [1, 0, 0, 1, 0, 0] };
  const at = startOfSegment(line.segments[0]);
  return { layer, at, height, angle: 0, text, em: true, along, ...(across === 'left' ? {} : { stands: { across, up: 'base' } }) };
}
