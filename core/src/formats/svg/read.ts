import sax, { type SAXOptions, type SAXParser } from 'sax';
import { chained, sameDistance } from '../../drawing/chain.ts';
import { contourOf, emptyDrawing, type Drawing, type Layer } from '../../drawing/drawing.ts';
import { circle, ellipseFrom, type P2, type Segment } from '../../drawing/segment.ts';
import { times, transformed, type Affine } from '../../drawing/affine.ts';
import { Unusable, type Finding } from '../../findings/finding.ts';
import { soundSegment } from '../../drawing/sound.ts';
import { arcBetween, endsMeet, readPath, type SubPath } from './path.ts';
import { colourOf, readDeclarations, readLength, readRules, readTransform, type StyleRule } from './style.ts';

/** What an SVG file holds. Lengths in mm when it states its size, else in its own user units. */
export interface SvgFile {
  version: string;
  /** 'mm' when width and height are lengths of the real world, null when the numbers are bare. */
  unit: string | null;
  drawing: Drawing;
  kinds: Record<string, number>;
  leftOut: { what: string; count: number; why: string }[];
  findings: Finding[];
  /** Size of the page in the drawing's numbers, when there is one. */
  page: [number, number] | null;
}

interface Node {
  name: string;
  attributes: Record<string, string>;
  children: Node[];
  text: string;
}

const mostElements = 1_000_000;
const mostPlaced = 2_000_000;
const deepest = 200;
const mostUses = 24;

/** Whether bytes look like SVG: an svg element among the first few thousand. */
export function looksLikeSvg(bytes: Uint8Array): boolean {
  const head = new TextDecoder(bytes[0] === 0xff && bytes[1] === 0xfe ? 'utf-16le' : bytes[0] === 0xfe && bytes[1] === 0xff ? 'utf-16be' : 'utf-8').decode(
    bytes.subarray(0, 8192),
  );
  return /<(?:[\w-]+:)?svg[\s>]/.test(head) && /^\s*(?:\ufeff)?\s*</.test(head);
}

/**
 * Reads SVG as exact contours. Nothing outside the file is ever looked at: no links, no entities, no scripts.
 * @param bareNumbers takes the numbers of the view box as they are, whatever width and height say.
 * @param layersFrom what makes a layer: groups with a name, or colours.
 * @throws Unusable when it can't be read.
 */
export function readSvg(bytes: Uint8Array, layersFrom: 'groups' | 'colours' = 'groups', bareNumbers = false): SvgFile {
  const { root, doctype } = parsed(bytes);
  if (bareNumbers) {
    // Software that looks at nothing but numbers: the view box's units are the file's units.
    delete root.attributes.width;
    delete root.attributes.height;
  }
  return new SvgReader(root, layersFrom, doctype).read();
}

function parsed(bytes: Uint8Array): { root: Node; doctype: boolean } {
  const encoding = bytes[0] === 0xff && bytes[1] === 0xfe ? 'utf-16le' : bytes[0] === 0xfe && bytes[1] === 0xff ? 'utf-16be' : 'utf-8';
  const text = new TextDecoder(encoding).decode(bytes);
  const reader: SAXParser = sax.parser(true, { trim: false, position: false, strictEntities: true } as SAXOptions);
  const stack: Node[] = [];
  let root: Node | null = null;
  let elements = 0;
  let doctype = false;
  let broken: string | null = null;
  reader.onopentag = (tag) => {
    if (++elements > mostElements)
      throw new Unusable('too-many-entities', `The file has more than ${mostElements.toLocaleString('en')} elements.`, 'Export fewer layers at a time.');
    if (stack.length >= deepest)
      throw new Unusable('nested-too-deep', `Groups are nested more than ${deepest} deep.`, 'Ungroup them in the program that made the file.');
    const node: Node = { name: localName(tag.name), attributes: tag.attributes as Record<string, string>, children: [], text: '' };
    if (stack.length > 0) stack[stack.length - 1].children.push(node);
    else root ??= node;
    stack.push(node);
  };
  reader.onclosetag = () => void stack.pop();
  reader.ontext = reader.oncdata = (text) => {
    const top = stack[stack.length - 1];
    if (top?.name === 'style') top.text += text;
  };
  reader.ondoctype = (text) => {
    doctype = /<!ENTITY/i.test(text);
  };
  reader.onerror = (error) => {
    broken ??= error.message.split('\n')[0];
    reader.error = null as unknown as Error;
    throw new Unusable(
      'not-xml',
      `The file is not sound XML (${broken.toLowerCase()}).`,
      'Export it again from the program that made it; entities of its own are never followed.',
    );
  };
  reader.write(text).close();
  const found = root as Node | null;
  if (!found || found.name !== 'svg') throw new Unusable('not-svg', 'The file holds no svg element.', 'Export it again as SVG.');
  return { root: found, doctype };
}

const localName = (name: string) => name.slice(name.indexOf(':') + 1);

interface State {
  map: Affine;
  style: Record<string, string>;
  layer: string | null;
  viewport: P2;
  uses: number;
}

const inherited = ['stroke', 'fill', 'color', 'visibility'];

class SvgReader {
  private readonly root: Node;
  private readonly layersFrom: 'groups' | 'colours';
  private readonly doctype: boolean;
  private rules: StyleRule[] = [];
  private readonly ids = new Map<string, Node>();
  private readonly layers = new Map<string, Layer>();
  private readonly kinds: Record<string, number> = {};
  private readonly out = new Map<string, { count: number; why: string }>();
  private placed = 0;

  constructor(root: Node, layersFrom: 'groups' | 'colours', doctype: boolean) {
    this.root = root;
    this.layersFrom = layersFrom;
    this.doctype = doctype;
  }

  read(): SvgFile {
    let css = '';
    const index = (node: Node): void => {
      if (node.attributes.id) this.ids.set(node.attributes.id, node);
      if (node.name === 'style') css += `${node.text}\n`;
      node.children.forEach(index);
    };
    index(this.root);
    this.rules = readRules(css).rules;
    const { map, real, page } = this.pageMap();
    this.children(this.root, { map, style: this.styleOf(this.root, {}), layer: null, viewport: this.viewBox(this.root)?.size ?? page ?? [100, 100], uses: 0 });
    const bare: Drawing = { ...emptyDrawing(), layers: [...this.layers.values()] };
    const drawing = chained(bare, sameDistance(bare)).drawing;
    const leftOut = [...this.out].map(([what, { count, why }]) => ({ what, count, why }));
    return {
      version: this.root.attributes.version ? `SVG ${this.root.attributes.version}` : 'SVG',
      unit: real ? 'mm' : null,
      drawing,
      kinds: this.kinds,
      leftOut,
      findings: this.findings(drawing, leftOut),
      page,
    };
  }

  private leave(what: string, why: string): void {
    const before = this.out.get(what);
    if (before) before.count++;
    else this.out.set(what, { count: 1, why });
  }

  private viewBox(node: Node): { at: P2; size: P2 } | null {
    const n = (node.attributes.viewBox ?? '')
      .trim()
      .split(/[\s,]+/)
      .map(Number);
    return n.length === 4 && n.every(Number.isFinite) && n[2] > 0 && n[3] > 0 ? { at: [n[0], n[1]], size: [n[2], n[3]] } : null;
  }

  /** From the outermost user units to the drawing's numbers: mm when the page's size is real; Y turned up, the page's bottom at 0. */
  private pageMap(): { map: Affine; real: boolean; page: P2 | null } {
    const box = this.viewBox(this.root);
    const width = readLength(this.root.attributes.width, NaN);
    const height = readLength(this.root.attributes.height, NaN);
    const w = width && width.value > 0 ? width : null;
    const h = height && height.value > 0 ? height : null;
    const real = (w?.real ?? h?.real ?? false) === true;
    // Pixels of the page; a missing side follows the view box.
    const size: P2 | null =
      w && h
        ? [w.value, h.value]
        : box
          ? w
            ? [w.value, (w.value * box.size[1]) / box.size[0]]
            : h
              ? [(h.value * box.size[0]) / box.size[1], h.value]
              : box.size
          : null;
    const inner = box && size ? fitted(box, size, this.root.attributes.preserveAspectRatio) : ([1, 0, 0, 1, 0, 0] as Affine);
    const perPixel = real ? 25.4 / 96 : 1;
    const page: P2 | null = size ? [size[0] * perPixel, size[1] * perPixel] : null;
    return { map: times([perPixel, 0, 0, -perPixel, 0, page?.[1] ?? 0], inner), real, page };
  }

  private styleOf(node: Node, above: Record<string, string>): Record<string, string> {
    const style: Record<string, string> = {};
    for (const key of inherited) if (above[key] !== undefined) style[key] = above[key];
    for (const key of [...inherited, 'display', 'clip-path', 'mask']) if (node.attributes[key] !== undefined) style[key] = node.attributes[key];
    if (this.rules.length > 0) {
      const classes = (node.attributes.class ?? '').split(/\s+/);
      for (const r of this.rules) {
        if (r.tag && r.tag !== node.name) continue;
        if (r.id && r.id !== node.attributes.id) continue;
        if (!r.classes.every((c) => classes.includes(c))) continue;
        Object.assign(style, r.declarations);
      }
    }
    if (node.attributes.style) Object.assign(style, readDeclarations(node.attributes.style));
    for (const key of inherited) if (style[key] === 'inherit') style[key] = above[key] ?? '';
    return style;
  }

  private children(node: Node, state: State): void {
    for (const child of node.children) this.element(child, state);
  }

  private element(node: Node, above: State): void {
    const style = this.styleOf(node, above.style);
    if (style.display === 'none') return this.leave(`hidden ${node.name}`, 'the file says not to show it');
    let map = above.map;
    if (node.attributes.transform) {
      const own = readTransform(node.attributes.transform);
      if (own) map = times(map, own);
      else this.leave(`transform "${node.attributes.transform.slice(0, 30)}"`, 'it can not be read');
    }
    if (style['clip-path'] && style['clip-path'] !== 'none') this.leave('clip path', 'what it cuts away is still there');
    if (style.mask && style.mask !== 'none') this.leave('mask', 'what it hides is still there');
    const state: State = { ...above, style, map };
    switch (node.name) {
      case 'g':
      case 'a': {
        const name = labelOf(node);
        this.children(node, { ...state, layer: above.layer ?? name });
        return;
      }
      case 'switch':
        if (node.children.length > 0) this.element(node.children[0], state);
        return;
      case 'svg':
        return this.inner(
          node,
          state,
          readLength(node.attributes.x, above.viewport[0])?.value ?? 0,
          readLength(node.attributes.y, above.viewport[1])?.value ?? 0,
        );
      case 'use':
        return this.use(node, state);
      case 'text':
      case 'image':
      case 'foreignObject':
      case 'script':
      case 'animate':
        return this.leave(node.name, node.name === 'text' ? 'turn it into outlines where the file was made' : 'only contours are read');
      default: {
        const paths = this.shape(node, state);
        if (paths === null) return;
        this.kinds[node.name] = (this.kinds[node.name] ?? 0) + 1;
        if (style.visibility === 'hidden' || style.visibility === 'collapse') return this.leave(`hidden ${node.name}`, 'the file says not to show it');
        this.put(paths, state);
      }
    }
  }

  /** A nested svg or a symbol: its own view box in a frame. */
  private inner(node: Node, state: State, x: number, y: number, width?: string, height?: string): void {
    const w = readLength(width ?? node.attributes.width ?? '100%', state.viewport[0])?.value ?? state.viewport[0];
    const h = readLength(height ?? node.attributes.height ?? '100%', state.viewport[1])?.value ?? state.viewport[1];
    const box = this.viewBox(node);
    const fit = box ? fitted(box, [w, h], node.attributes.preserveAspectRatio) : ([1, 0, 0, 1, 0, 0] as Affine);
    this.children(node, { ...state, map: times(times(state.map, [1, 0, 0, 1, x, y]), fit), viewport: box?.size ?? [w, h] });
  }

  private use(node: Node, state: State): void {
    const href = Object.entries(node.attributes).find(([key]) => localName(key) === 'href')?.[1] ?? '';
    if (!href.startsWith('#')) return this.leave('use of something outside the file', 'links are never followed');
    const target = this.ids.get(href.slice(1));
    if (!target) return this.leave(`use of "${href}"`, 'the file does not hold it');
    if (state.uses >= mostUses)
      throw new Unusable(
        'nested-too-deep',
        `"use" is nested more than ${mostUses} deep, or refers to itself.`,
        'Expand the copies in the program that made the file.',
      );
    const x = readLength(node.attributes.x, state.viewport[0])?.value ?? 0;
    const y = readLength(node.attributes.y, state.viewport[1])?.value ?? 0;
    const inside: State = { ...state, map: times(state.map, [1, 0, 0, 1, x, y]), uses: state.uses + 1, layer: state.layer ?? labelOf(node) };
    if (++this.placed > mostPlaced) throw tooMany();
    if (target.name === 'symbol' || target.name === 'svg') {
      const style = this.styleOf(target, state.style);
      this.inner(target, { ...inside, style }, 0, 0, node.attributes.width, node.attributes.height);
    } else this.element(target, inside);
  }

  /** The sub-paths of a shape in its own coordinates; null for elements that draw nothing. Source: SVG 1.1, chapters 8 and 9. */
  private shape(node: Node, state: State): SubPath[] | null {
    const [vw, vh] = state.viewport;
    const diagonal = Math.hypot(vw, vh) / Math.SQRT2;
    const length = (key: string, whole: number) => readLength(node.attributes[key], whole)?.value ?? 0;
    switch (node.name) {
      case 'path': {
        const { paths, error, empty } = readPath(node.attributes.d ?? '');
        for (let i = 0; i < empty; i++) this.leave('path without length', 'it draws nothing');
        if (error) this.leave('rest of a path after an error', 'its data can not be read');
        return paths;
      }
      case 'line':
        return [{ segments: [{ kind: 'line', a: [length('x1', vw), length('y1', vh)], b: [length('x2', vw), length('y2', vh)] }], closed: false }];
      case 'polyline':
      case 'polygon': {
        const n = (node.attributes.points ?? '').match(/[+-]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?/gi)?.map(Number) ?? [];
        const points: P2[] = [];
        for (let i = 0; i + 1 < n.length; i += 2) points.push([n[i], n[i + 1]]);
        const closed = node.name === 'polygon';
        const segments: Segment[] = [];
        for (let i = 0; i + (closed ? 0 : 1) < points.length; i++) {
          const [a, b] = [points[i], points[(i + 1) % points.length]];
          if (a[0] !== b[0] || a[1] !== b[1]) segments.push({ kind: 'line', a, b });
        }
        return [{ segments, closed }];
      }
      case 'circle': {
        const r = length('r', diagonal);
        return r > 0 ? [{ segments: [circle([length('cx', vw), length('cy', vh)], r)], closed: true }] : [];
      }
      case 'ellipse': {
        const [rx, ry] = [length('rx', vw), length('ry', vh)];
        if (!(rx > 0 && ry > 0)) return [];
        return [{ segments: [ellipseFrom([length('cx', vw), length('cy', vh)], [rx, 0], [0, ry], 0, 2 * Math.PI)], closed: true }];
      }
      case 'rect':
        return rectangle(length('x', vw), length('y', vh), length('width', vw), length('height', vh), node, vw, vh);
      default:
        return null;
    }
  }

  private put(paths: SubPath[], state: State): void {
    const stroke = colourOf(state.style.stroke === 'currentColor' ? state.style.color : state.style.stroke);
    const fill = state.style.fill === undefined ? '#000000' : colourOf(state.style.fill);
    const colour = stroke ?? fill;
    const name = this.layersFrom === 'colours' ? (colour ?? 'no colour') : (state.layer ?? 'Drawing');
    for (const path of paths) {
      if (path.segments.length === 0) continue;
      if (++this.placed > mostPlaced) throw tooMany();
      const segments = path.segments.map((s) => transformed(s, state.map)).filter(soundSegment);
      if (segments.length === 0) {
        this.leave('path without usable geometry', 'its numbers make no curve');
        continue;
      }
      let layer = this.layers.get(name);
      if (!layer) this.layers.set(name, (layer = { name, colour, lineType: 'CONTINUOUS', contours: [] }));
      const closed = path.closed || (path.segments.length > 1 && endsMeet(path, 1e-9));
      layer.contours.push(contourOf(segments, closed, colour === layer.colour ? null : colour));
    }
  }

  private findings(drawing: Drawing, leftOut: SvgFile['leftOut']): Finding[] {
    const findings: Finding[] = [];
    if (leftOut.length > 0) {
      const list = leftOut.slice(0, 6).map((l) => `${l.count.toLocaleString('en')} × ${l.what} (${l.why})`);
      findings.push({
        code: 'left-out',
        severity: 'look',
        count: leftOut.reduce((n, l) => n + l.count, 0),
        message: `Left out or not obeyed: ${list.join('; ')}${leftOut.length > 6 ? `; and ${leftOut.length - 6} more kinds` : ''}.`,
        remedy: 'If they matter, turn them into paths where the file was made.',
      });
    }
    if (this.doctype) {
      findings.push({
        code: 'entities',
        severity: 'look',
        count: 1,
        message: 'The file defines entities of its own; they are not followed.',
        remedy: 'Nothing to do unless something is missing.',
      });
    }
    if (drawing.layers.length === 0)
      findings.push({
        code: 'nothing-drawn',
        severity: 'stop',
        count: 1,
        message: 'The file holds no contour that can be used.',
        remedy: 'Turn text and pictures into paths where the file was made.',
      });
    return findings;
  }
}

const tooMany = () =>
  new Unusable('too-many-entities', `Copies unfold to more than ${mostPlaced.toLocaleString('en')} shapes.`, 'Export it with fewer copies.');

/** The name that people gave a group: a label, a title, or its id. */
function labelOf(node: Node): string | null {
  for (const [key, value] of Object.entries(node.attributes)) if (localName(key) === 'label' || key === 'data-name') return value;
  return node.attributes.id ?? null;
}

/** The map of a view box into a frame. Source: SVG 1.1, 7.8 (preserveAspectRatio). */
function fitted(box: { at: P2; size: P2 }, frame: P2, aspect = ''): Affine {
  const sx = frame[0] / box.size[0];
  const sy = frame[1] / box.size[1];
  if (/\bnone\b/.test(aspect)) return [sx, 0, 0, sy, -box.at[0] * sx, -box.at[1] * sy];
  const s = /\bslice\b/.test(aspect) ? Math.max(sx, sy) : Math.min(sx, sy);
  const share = (key: string) => (aspect.includes(`${key}Min`) ? 0 : aspect.includes(`${key}Max`) ? 1 : 0.5);
  const spareX = (frame[0] - box.size[0] * s) * share('x');
  const spareY = (frame[1] - box.size[1] * s) * (/YMin/.test(aspect) ? 0 : /YMax/.test(aspect) ? 1 : 0.5);
  return [s, 0, 0, s, spareX - box.at[0] * s, spareY - box.at[1] * s];
}

function rectangle(x: number, y: number, w: number, h: number, node: Node, vw: number, vh: number): SubPath[] {
  if (!(w > 0 && h > 0)) return [];
  const given = [readLength(node.attributes.rx, vw), readLength(node.attributes.ry, vh)].map((l) => (l && l.value >= 0 ? l.value : null));
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
