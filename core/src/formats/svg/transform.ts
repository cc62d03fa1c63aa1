import { times, type Affine } from '../../curves/affine.ts';
import type { Box2 } from '../../curves/measure.ts';
import type { P2 } from '../../curves/segment.ts';
import type { Losses } from '../../base/loss.ts';
import { readOrigin, readTransform } from './style.ts';

/** A determinant below this flattens everything. */
const flat = 1e-300;

/** Properties that move on their own, as the transform that each stands for; applied in this order. Source: CSS Transforms Level 2, 5. */
const single = ['scale', 'rotate', 'translate'] as const;

interface Asked {
  style: Record<string, string>;
  /** The transform attribute, which a style goes before. */
  attribute: string | undefined;
  viewport: P2;
  /** Box of the shape itself as left, top, width, height; null for what has none. */
  ownBox: () => Box2 | null;
  losses: Losses;
}

/** Where an element stands in the one around it; null where nothing moves it. What can't be read is told. Source: SVG 2, 8; CSS Transforms. */
export function transformOf(asked: Asked): Affine | null {
  const { style, viewport, losses } = asked;
  const read = (name: string, said: string, text: string): Affine | null => {
    const map = readTransform(text, viewport);
    if (!map) losses.add(`${name} "${said.slice(0, 30)}"`, 'it can not be read');
    return map;
  };
  const said = style.transform ?? asked.attribute;
  let m = said && said !== 'none' ? read('transform', said, said) : null;
  for (const name of single) {
    const value = style[name];
    const one = value && value !== 'none' ? read(name, value, `${name}(${value})`) : null;
    if (one) m = m ? times(one, m) : one;
  }
  return m && aboutOrigin(m, asked);
}

/** A map about the origin that a style gives it. */
function aboutOrigin(m: Affine, { style, viewport, ownBox, losses }: Asked): Affine {
  const origin = style['transform-origin'];
  const fill = style['transform-box'] === 'fill-box' || style['transform-box'] === 'content-box';
  if (!origin && !fill) return m;
  const box = fill ? ownBox() : ([0, 0, ...viewport] as Box2);
  const at = box ? readOrigin(origin ?? '0 0', box) : null;
  if (at) return times(times([1, 0, 0, 1, at[0], at[1]], m), [1, 0, 0, 1, -at[0], -at[1]]);
  losses.add(`transform origin "${(origin ?? '').slice(0, 30)}"`, 'it can not be read');
  return m;
}

/** Whether a map flattens everything: then it shows nothing. Source: SVG 2, 8.5. */
export const flattens = (m: Affine): boolean => Math.abs(m[0] * m[3] - m[1] * m[2]) < flat;
