import { circle, ellipseFrom, type P2, type Segment } from '../../curves/segment.ts';
import type { Losses } from '../../base/loss.ts';
import { arcBetween, readPath, type SubPath } from './path.ts';
import { readLength } from './style.ts';

/** Gives a shape's property: of a style rule before the attribute of the same name. */
export type Property = (name: string) => string | undefined;

/** The sub-paths of a basic shape or path in its own coordinates; null for elements that are no shape. Source: SVG 2, chapters 9 and 10. */
export function shapeOf(name: string, property: Property, viewport: P2, losses: Losses): SubPath[] | null {
  const [vw, vh] = viewport;
  const diagonal = Math.hypot(vw, vh) / Math.SQRT2;
  const length = (key: string, whole: number): number => {
    const text = property(key);
    if (text === undefined || text.trim() === 'auto') return 0;
    const read = readLength(text, whole);
    if (!read) losses.add(`length "${text.slice(0, 30)}"`, 'it can not be read and counts as 0');
    return read?.value ?? 0;
  };
  switch (name) {
    case 'path': {
      const { paths, error, empty } = readPath(pathData(property('d') ?? ''));
      if (empty > 0) losses.add('path without length', 'it draws nothing', empty);
      if (error) losses.add('rest of a path after an error', 'its data can not be read');
      return paths;
    }
    case 'line': {
      const [a, b]: P2[] = [[length('x1', vw), length('y1', vh)], [length('x2', vw), length('y2', vh)]]; // prettier-ignore
      if (a[0] !== b[0] || a[1] !== b[1]) return [{ segments: [{ kind: 'line', a, b }], closed: false }];
      losses.add('line without length', 'it draws nothing');
      return [];
    }
    case 'polyline':
    case 'polygon':
      return polygon(property('points') ?? '', name === 'polygon');
    case 'circle': {
      const r = length('r', diagonal);
      return r > 0 ? [{ segments: [circle([length('cx', vw), length('cy', vh)], r)], closed: true }] : [];
    }
    case 'ellipse': {
      const given = [property('rx'), property('ry')].map((t) => (t === undefined || t.trim() === 'auto' ? null : t));
      // A radius that is left to itself follows the other one.
      const rx = given[0] !== null ? length('rx', vw) : given[1] !== null ? length('ry', vh) : 0;
      const ry = given[1] !== null ? length('ry', vh) : rx;
      if (!(rx > 0 && ry > 0)) return [];
      return [{ segments: [ellipseFrom([length('cx', vw), length('cy', vh)], [rx, 0], [0, ry], 0, 2 * Math.PI)], closed: true }];
    }
    case 'rect':
      return rectangle(length('x', vw), length('y', vh), length('width', vw), length('height', vh), property, vw, vh);
    default:
      return null;
  }
}

/** Path data as an attribute has it, or within path("...") as CSS has it. */
function pathData(text: string): string {
  if (!text.startsWith('path(')) return text === 'none' ? '' : text;
  const open = text.search(/["']/);
  const close = open < 0 ? -1 : text.lastIndexOf(text[open]);
  return close > open ? text.slice(open + 1, close) : '';
}

function polygon(text: string, closed: boolean): SubPath[] {
  const n = text.match(/[+-]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?/gi)?.map(Number) ?? [];
  const points: P2[] = [];
  for (let i = 0; i + 1 < n.length; i += 2) points.push([n[i], n[i + 1]]);
  const segments: Segment[] = [];
  for (let i = 0; i + (closed ? 0 : 1) < points.length; i++) {
    const [a, b] = [points[i], points[(i + 1) % points.length]];
    if (a[0] !== b[0] || a[1] !== b[1]) segments.push({ kind: 'line', a, b });
  }
  return [{ segments, closed }];
}

function rectangle(x: number, y: number, w: number, h: number, property: Property, vw: number, vh: number): SubPath[] {
  if (!(w > 0 && h > 0)) return [];
  const given = [readLength(property('rx'), vw), readLength(property('ry'), vh)].map((l) => (l && l.value >= 0 ? l.value : null));
  const rx = Math.min(given[0] ?? given[1] ?? 0, w / 2);
  const ry = Math.min(given[1] ?? given[0] ?? 0, h / 2);
  const segments: Segment[] = [];
  const line = (a: P2, b: P2) => {
    if (a[0] !== b[0] || a[1] !== b[1]) segments.push({ kind: 'line', a, b });
  };
  const corner = (a: P2, b: P2) => {
    const arc = rx > 0 && ry > 0 ? arcBetween(a, b, rx, ry, 0, false, true) : null;
    if (arc) segments.push(arc);
  };
  line([x + rx, y], [x + w - rx, y]);
  corner([x + w - rx, y], [x + w, y + ry]);
  line([x + w, y + ry], [x + w, y + h - ry]);
  corner([x + w, y + h - ry], [x + w - rx, y + h]);
  line([x + w - rx, y + h], [x + rx, y + h]);
  corner([x + rx, y + h], [x, y + h - ry]);
  line([x, y + h - ry], [x, y + ry]);
  corner([x, y + ry], [x + rx, y]);
  return [{ segments, closed: true }];
}
