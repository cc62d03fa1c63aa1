import type { Losses } from '../../base/loss.ts';
import type { Styles } from './css.ts';
import type { Node } from './xml.ts';

/** Custom properties that an element hands down to what is in it. */
const mostProperties = 200;

/** Properties that elements take from those around them. Source: SVG 2, property index. */
const inherited = [
  'stroke',
  'fill',
  'color',
  'visibility',
  'stroke-width',
  'stroke-opacity',
  'fill-opacity',
  'clip-rule',
  'font-size',
  'text-anchor',
  'dominant-baseline',
  'stroke-dasharray',
  'marker-start',
  'marker-mid',
  'marker-end',
  'marker',
];
/** Properties of an element itself that may stand as attributes. */
const own = ['display', 'clip-path', 'mask', 'opacity', 'transform-origin', 'overflow', 'filter'];
/** What elements look like after those around them, their attributes and the rules of style sheets. */
export class Cascade {
  private readonly styles: Styles;
  private readonly losses: Losses;

  constructor(styles: Styles, losses: Losses) {
    this.styles = styles;
    this.losses = losses;
  }

  /** The style of an element: what it inherits, its attributes, then what rules say. */
  of(node: Node, above: Record<string, string>): Record<string, string> {
    const style: Record<string, string> = {};
    for (const key of inherited) if (above[key] !== undefined) style[key] = above[key];
    this.handDown(above, style);
    for (const key of inherited) if (node.attributes[key] !== undefined) style[key] = node.attributes[key];
    for (const key of own) if (node.attributes[key] !== undefined) style[key] = node.attributes[key];
    Object.assign(style, this.styles.of(node));
    for (const key in style) if (style[key].includes('var(')) style[key] = substituted(style[key], style);
    for (const key of inherited) if (style[key] === 'inherit' || style[key] === 'unset') style[key] = above[key] ?? '';
    return style;
  }

  private handDown(above: Record<string, string>, style: Record<string, string>): void {
    let kept = 0;
    for (const key in above) {
      if (!key.startsWith('--')) continue;
      if (++kept > mostProperties) return this.losses.add('custom property', `more than ${mostProperties} of them are not handed down`);
      style[key] = above[key];
    }
  }
}

/** The values of custom properties put in. Source: CSS Custom Properties Level 1, 3. */
function substituted(text: string, style: Record<string, string>): string {
  let out = text;
  for (let i = 0; i < 8 && out.includes('var('); i++) {
    out = out.replace(
      /var\(\s*(--[\w-]{1,80})\s*(?:,([^()]{0,200}))?\)/g,
      (_, name: string, fallback: string | undefined) => style[name] ?? fallback?.trim() ?? '',
    );
    if (out.length > 10_000) return '';
  }
  return out;
}
