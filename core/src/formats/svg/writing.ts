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
    const list = (key: string, whole: number): number[] => (node.attributes[key] ?? '').split(/[\s,]+/).flatMap((v) => readLength(v, whole)?.value ?? []);
    const [xs, ys, dxs, dys] = [list('x', size[0]), list('y', size[1]), list('dx', size[0]), list('dy', size[1])];
    if (xs.length > 0) pen = [xs[0], pen[1]];
    if (ys.length > 0) pen = [pen[0], ys[0]];
    if (dxs.length > 0 || dys.length > 0) pen = [pen[0] + (dxs[0] ?? 0), pen[1] + (dys[0] ?? 0)];
    if (xs.length > 0 || ys.length > 0 || dxs.length > 0 || dys.length > 0) fresh = true;
    let letter = 0;
    for (const child of node.children) {
      if (within.has(child.name)) walk(child, styleOf(child, own));
      if (child.name !== '#text') continue;
      // Letters with a place each.
      const pieces = xs.length > 1 ? [...child.text.replace(/\s+/g, ' ').trim()] : [child.text];
      for (const piece of pieces) {
        if (xs.length > 1) pen = [xs[Math.min(letter, xs.length - 1)], ys[Math.min(letter, ys.length - 1)] ?? pen[1]];
        if (fresh || xs.length > 1) out.push({ node, text: piece, at: pen, style: own });
        else out[out.length - 1].text += piece;
        fresh = false;
        letter++;
      }
    }
  };
  walk(text, style);
  return out.map((s) => ({ ...s, text: s.text.replace(/\s+/g, ' ').trim() })).filter((s) => s.text !== '');
}

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
