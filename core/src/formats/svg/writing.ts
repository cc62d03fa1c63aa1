import type { TextMark } from '../../curves/drawing.ts';
import type { Node } from './xml.ts';
import { readLength } from './style.ts';

/** A stretch of text with its place in user units (y down), and the style of its element. */
export interface Stretch {
  node: Node;
  text: string;
  at: [number, number];
  style: Record<string, string>;
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
        if (fresh || each) out.push({ node, text: piece, at: pen, style: own });
        else out[out.length - 1].text += piece;
        fresh = false;
        letter++;
      }
    }
  };
  walk(text, style);
  return out.map((s) => ({ ...s, text: s.text.replace(/\s+/g, ' ').trim() })).filter((s) => s.text !== '');
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
export function markOf({ text, at, style }: Stretch, layer: string): TextMark {
  const across = anchors[style['text-anchor'] ?? 'start'] ?? 'left';
  const baseline = style['dominant-baseline'] ?? '';
  const up = /middle|central/.test(baseline) ? 'middle' : /hanging|top|before/.test(baseline) ? 'top' : /bottom|after/.test(baseline) ? 'bottom' : 'base';
  return {
    layer,
    at: [at[0], -at[1]],
    height: readLength(style['font-size'] ?? '16', 16)?.value ?? 16,
    angle: 0,
    text,
    em: true,
    ...(across === 'left' && up === 'base' ? {} : { stands: { across, up } }),
  };
}
