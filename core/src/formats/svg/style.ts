import type { Affine } from '../../drawing/affine.ts';

/** One rule of a style sheet: a simple selector and its declarations. */
export interface StyleRule {
  tag: string | null;
  id: string | null;
  classes: string[];
  weight: number;
  order: number;
  declarations: Record<string, string>;
}

/** Rules with simple selectors (element, class, id, and joined), as drawing programs write them; others are counted. Source: CSS 2.1, chapters 4 to 6. */
export function readRules(css: string): { rules: StyleRule[]; skipped: number } {
  const rules: StyleRule[] = [];
  let skipped = 0;
  const plain = css.replace(/\/\*[\s\S]*?\*\//g, '').replace(/<!--|-->/g, '');
  for (const [, selectors, body] of plain.matchAll(/([^{}]+)\{([^{}]*)\}/g)) {
    if (selectors.trim().startsWith('@')) {
      skipped++;
      continue;
    }
    const declarations = readDeclarations(body);
    for (const selector of selectors.split(',')) {
      const match = /^(\*|[A-Za-z][\w-]*)?((?:[.#][\w-]+)*)$/.exec(selector.trim());
      if (!match || selector.trim() === '') {
        skipped++;
        continue;
      }
      const classes = [...match[2].matchAll(/\.([\w-]+)/g)].map((m) => m[1]);
      const id = /#([\w-]+)/.exec(match[2])?.[1] ?? null;
      const tag = !match[1] || match[1] === '*' ? null : match[1];
      rules.push({ tag, id, classes, weight: (id ? 100 : 0) + classes.length * 10 + (tag ? 1 : 0), order: rules.length, declarations });
    }
  }
  rules.sort((a, b) => a.weight - b.weight || a.order - b.order);
  return { rules, skipped };
}

export function readDeclarations(body: string): Record<string, string> {
  const found: Record<string, string> = {};
  for (const part of body.split(';')) {
    const at = part.indexOf(':');
    if (at > 0)
      found[part.slice(0, at).trim().toLowerCase()] = part
        .slice(at + 1)
        .replace(/!important/i, '')
        .trim();
  }
  return found;
}

const names: Record<string, string> = {
  black: '#000000',
  white: '#ffffff',
  red: '#ff0000',
  lime: '#00ff00',
  blue: '#0000ff',
  yellow: '#ffff00',
  cyan: '#00ffff',
  aqua: '#00ffff',
  magenta: '#ff00ff',
  fuchsia: '#ff00ff',
  green: '#008000',
  gray: '#808080',
  grey: '#808080',
  silver: '#c0c0c0',
  maroon: '#800000',
  navy: '#000080',
  olive: '#808000',
  purple: '#800080',
  teal: '#008080',
  orange: '#ffa500',
  brown: '#a52a2a',
  pink: '#ffc0cb',
};

/** A colour as #rrggbb; null for none and for paints that are no colour. Source: SVG 1.1, 4.2 (colours). */
export function colourOf(text: string | undefined): string | null {
  const t = (text ?? '').trim().toLowerCase();
  if (/^#[0-9a-f]{6}$/.test(t)) return t;
  if (/^#[0-9a-f]{3}$/.test(t)) return `#${[...t.slice(1)].map((c) => c + c).join('')}`;
  const rgb = /^rgba?\(\s*([\d.]+%?)[\s,]+([\d.]+%?)[\s,]+([\d.]+%?)/.exec(t);
  if (rgb) {
    const channel = (v: string) => Math.max(0, Math.min(255, Math.round(v.endsWith('%') ? parseFloat(v) * 2.55 : parseFloat(v))));
    return `#${rgb
      .slice(1, 4)
      .map((v) => channel(v).toString(16).padStart(2, '0'))
      .join('')}`;
  }
  return names[t] ?? null;
}

/** A list of transforms as one map; null when it can't be read. Source: SVG 1.1, 7.6. */
export function readTransform(text: string): Affine | null {
  let m: Affine = [1, 0, 0, 1, 0, 0];
  const rest = text.replace(/([a-zA-Z]+)\s*\(([^()]*)\)[\s,]*/g, (_, name: string, list: string) => {
    const n = list
      .trim()
      .split(/[\s,]+/)
      .filter(Boolean)
      .map((v) => parseFloat(v));
    const one = n.every(Number.isFinite) ? single(name, n) : null;
    if (!one) return '!';
    m = product(m, one);
    return '';
  });
  return rest.trim() === '' ? m : null;
}

function single(name: string, n: number[]): Affine | null {
  const angle = ((n[0] ?? 0) * Math.PI) / 180;
  switch (name) {
    case 'matrix':
      return n.length === 6 ? (n as unknown as Affine) : null;
    case 'translate':
      return [1, 0, 0, 1, n[0] ?? 0, n[1] ?? 0];
    case 'scale':
      return [n[0] ?? 1, 0, 0, n[1] ?? n[0] ?? 1, 0, 0];
    case 'rotate': {
      const [c, s] = [Math.cos(angle), Math.sin(angle)];
      const [x, y] = [n[1] ?? 0, n[2] ?? 0];
      return [c, s, -s, c, x - c * x + s * y, y - s * x - c * y];
    }
    case 'skewX':
      return [1, 0, Math.tan(angle), 1, 0, 0];
    case 'skewY':
      return [1, Math.tan(angle), 0, 1, 0, 0];
    default:
      return null;
  }
}

function product(o: Affine, i: Affine): Affine {
  return [
    o[0] * i[0] + o[2] * i[1],
    o[1] * i[0] + o[3] * i[1],
    o[0] * i[2] + o[2] * i[3],
    o[1] * i[2] + o[3] * i[3],
    o[0] * i[4] + o[2] * i[5] + o[4],
    o[1] * i[4] + o[3] * i[5] + o[5],
  ];
}

/** Pixels in one unit. Source: CSS Values and Units Level 3: 1 in = 96 px = 72 pt = 6 pc = 25.4 mm, 1 Q = 0.25 mm. */
const pixels: Record<string, number> = { px: 1, in: 96, pt: 96 / 72, pc: 16, mm: 96 / 25.4, cm: 96 / 2.54, q: 96 / 101.6, em: 16, ex: 8 };

/** A length in user units (pixels); percentages of `whole`. Null when it can't be read. `real` tells whether it had a unit of the real world. */
export function readLength(text: string | undefined, whole: number): { value: number; real: boolean } | null {
  const match = /^\s*([+-]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?)\s*([a-z%]*)\s*$/i.exec(text ?? '');
  if (!match) return null;
  const n = parseFloat(match[1]);
  const unit = match[2].toLowerCase();
  if (unit === '') return { value: n, real: false };
  if (unit === '%') return { value: (n * whole) / 100, real: false };
  const per = pixels[unit];
  return per === undefined ? null : { value: n * per, real: !['px', 'em', 'ex'].includes(unit) };
}
