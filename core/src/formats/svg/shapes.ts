import { circle, ellipseFrom, type P2, type Segment } from '../../curves/segment.ts';
import type { Losses } from '../../base/loss.ts';
import { arcBetween, readPath, Scanner, type SubPath } from './path.ts';
import { readLength } from './style.ts';

/** Gives a shape's property: of a style rule before the attribute of the same name. */
export type Property = (name: string) => string | undefined;

/** What a shape is read from: its properties, the frame that percentages count in, and where losses are told. */
interface Source {
  property: Property;
  viewport: P2;
  losses: Losses;
}

/** A reader of one kind of shape. */
type Reader = (source: Source) => SubPath[];

/** A length, 0 when it isn't given. @param whole what 100 % are */
function lengthOf({ property, losses }: Source, key: string, whole: number): number {
  const text = property(key);
  if (text === undefined || text.trim() === 'auto') return 0;
  const read = readLength(text, whole);
  if (!read) losses.add(`length "${text.slice(0, 30)}"`, 'it can not be read and counts as 0');
  return read?.value ?? 0;
}

/** A point whose two lengths are given apart. */
const pointOf = (source: Source, x: string, y: string): P2 => [lengthOf(source, x, source.viewport[0]), lengthOf(source, y, source.viewport[1])];

/** Two radii; one that is left to itself, or below 0, follows the other. Source: SVG 2, 7.4 and 10.3. */
function radiiOf(source: Source): P2 {
  const given = (key: string, value: number) => ((source.property(key) ?? 'auto').trim() === 'auto' || value < 0 ? null : value);
  const [x, y] = pointOf(source, 'rx', 'ry');
  const [rx, ry] = [given('rx', x), given('ry', y)];
  return [rx ?? ry ?? 0, ry ?? rx ?? 0];
}

const shapes: Record<string, Reader> = {
  path: ({ property, losses }) => {
    const { paths, error, empty } = readPath(pathData(property('d') ?? ''));
    if (empty > 0) losses.add('path without length', 'it draws nothing', empty);
    if (error) losses.add('rest of a path after an error', 'its data can not be read');
    return paths;
  },
  line: (source) => {
    const [a, b] = [pointOf(source, 'x1', 'y1'), pointOf(source, 'x2', 'y2')];
    if (a[0] !== b[0] || a[1] !== b[1]) return [{ segments: [{ kind: 'line', a, b }], closed: false }];
    source.losses.add('line without length', 'it draws nothing');
    return [];
  },
  polyline: (source) => polygon(source, 'polyline'),
  polygon: (source) => polygon(source, 'polygon'),
  circle: (source) => {
    const r = lengthOf(source, 'r', Math.hypot(...source.viewport) / Math.SQRT2);
    return r > 0 ? [{ segments: [circle(pointOf(source, 'cx', 'cy'), r)], closed: true }] : nothing(source, 'circle');
  },
  ellipse: (source) => {
    const [rx, ry] = radiiOf(source);
    if (!(rx > 0 && ry > 0)) return nothing(source, 'ellipse');
    const axes: [P2, P2] = [[rx, 0], [0, ry]]; // prettier-ignore
    return [{ segments: [ellipseFrom(pointOf(source, 'cx', 'cy'), axes, 0, 2 * Math.PI)], closed: true }];
  },
  rect: (source) => rectangle(source),
};

/** The sub-paths of a basic shape or path in its own coordinates; null for elements that are no shape. Source: SVG 2, chapters 9 and 10. */
export function shapeOf(name: string, property: Property, viewport: P2, losses: Losses): SubPath[] | null {
  return Object.hasOwn(shapes, name) ? shapes[name]({ property, viewport, losses }) : null;
}

/** Without a size a shape is not drawn, as the standard says; it is told. */
function nothing({ losses }: Source, name: string): SubPath[] {
  losses.add(`${name} without size`, 'it draws nothing');
  return [];
}

/** Path data as an attribute has it, or within path("...") as CSS has it. */
function pathData(text: string): string {
  if (!text.startsWith('path(')) return text === 'none' ? '' : text;
  const open = text.search(/["']/);
  const close = open < 0 ? -1 : text.lastIndexOf(text[open]);
  return close > open ? text.slice(open + 1, close) : '';
}

/** Points up to the first that can't be read, as the standard says; what comes after it is told. Source: SVG 2, 9.6 and 10.5. */
function polygon(source: Source, name: 'polyline' | 'polygon'): SubPath[] {
  const scan = new Scanner(source.property('points') ?? '');
  const points: P2[] = [];
  while (!scan.ended()) {
    const [x, y] = [scan.number(), scan.number()];
    if (x === null || y === null) {
      source.losses.add(`rest of a ${name} after an error`, 'its points can not be read');
      break;
    }
    points.push([x, y]);
  }
  const closed = name === 'polygon';
  const segments: Segment[] = [];
  for (let i = 0; i + (closed ? 0 : 1) < points.length; i++) {
    const [a, b] = [points[i], points[(i + 1) % points.length]];
    if (a[0] !== b[0] || a[1] !== b[1]) segments.push({ kind: 'line', a, b });
  }
  return segments.length > 0 ? [{ segments, closed }] : nothing(source, name);
}

/** A rectangle, its corners rounded by at most half its sides. */
function rectangle(source: Source): SubPath[] {
  const [[x, y], [w, h]] = [pointOf(source, 'x', 'y'), pointOf(source, 'width', 'height')];
  if (!(w > 0 && h > 0)) return nothing(source, 'rect');
  const [rx, ry] = radiiOf(source).map((r, k) => Math.min(r, (k === 0 ? w : h) / 2));
  const segments: Segment[] = [];
  const line = (a: P2, b: P2) => {
    if (a[0] !== b[0] || a[1] !== b[1]) segments.push({ kind: 'line', a, b });
  };
  const corner = (a: P2, b: P2) => {
    const arc = rx > 0 && ry > 0 ? arcBetween(a, b, [rx, ry], { sweep: true }) : null;
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
