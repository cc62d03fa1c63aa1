import { chained, sameDistance } from '../../curves/chain.ts';
import { contourOf, emptyDrawing, movedText, type Drawing, type Layer, type TextMark } from '../../curves/drawing.ts';
import { applied, times, transformed, type Affine } from '../../curves/affine.ts';
import { growBySegment, lengthOf, noBox, type Box2 } from '../../curves/measure.ts';
import { mergedArcs } from '../../curves/merge.ts';
import { meaningOfName } from '../../curves/names.ts';
import type { P2, Segment } from '../../curves/segment.ts';
import { soundSegment } from '../../curves/sound.ts';
import { writingFinding } from '../../curves/writing.ts';
import { Unusable, type Finding } from '../../base/finding.ts';
import { lossFinding, Losses, type Loss } from '../../base/loss.ts';
import { clipOf, mostClipTests, throughClip, type Clip, type ClipBudget } from '../clip.ts';
import { Styles } from './css.ts';
import { endsMeet, type SubPath } from './path.ts';
import { shapeOf } from './shapes.ts';
import { isOpaque, paintOf, readLength, readOrigin, readTransform, type Paint } from './style.ts';
import { localName, readXml, type Node } from './xml.ts';
import { alongLineOf, alongMark, markOf, stretchesOf } from './writing.ts';

export { looksLikeSvg } from './xml.ts';

/** What an SVG file holds. Lengths in mm when it states its size, else in its own user units. */
export interface SvgFile {
  version: string;
  /** 'mm' when width and height are lengths of the real world, null when the numbers are bare. */
  unit: string | null;
  drawing: Drawing;
  kinds: Record<string, number>;
  leftOut: Loss[];
  findings: Finding[];
  /** Size of the page in the drawing's numbers, when there is one. */
  page: [number, number] | null;
}

const mostPlaced = 1_000_000;
const mostTexts = 100_000;
/** Custom properties that an element hands down to what is in it. */
const mostProperties = 200;

/**
 * Reads SVG as exact contours, as a page would show it: style sheets, transforms, switches and copies are obeyed, what paints nothing is
 * nothing. Nothing outside the file is ever looked at: no links, no scripts. What could not be obeyed is told.
 * @param bareNumbers takes the numbers of the view box as they are, whatever width and height say.
 * @param layersFrom what makes a layer: groups with a name, or colours.
 * @throws Unusable when it can't be read.
 * @example readSvg(bytes).drawing.layers.map((l) => l.name)
 */
export function readSvg(bytes: Uint8Array, layersFrom: 'groups' | 'colours' = 'groups', bareNumbers = false): SvgFile {
  const { root, outsideEntities } = readXml(bytes);
  if (bareNumbers) {
    // Software that looks at nothing but numbers: the view box's units are the file's units.
    delete root.attributes.width;
    delete root.attributes.height;
  }
  return new SvgReader(root, layersFrom, outsideEntities).read();
}

/** A layer's name and how surely it was meant as one. */
interface LayerName {
  name: string;
  rank: number;
}

interface State {
  map: Affine;
  style: Record<string, string>;
  layer: LayerName | null;
  viewport: P2;
  /** Elements that are being copied by "use". */
  copying: readonly Node[];
  clips: readonly Clip[];
  opaque: boolean;
}

/** Properties that elements take from those around them. Source: SVG 2, property index. */
const inherited = [
  'stroke',
  'fill',
  'color',
  'visibility',
  'stroke-width',
  'stroke-opacity',
  'fill-opacity',
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
/** Elements that hold what is shown only when something refers to them, or nothing that is drawn. */
const notDrawn = new Set(['defs', 'symbol', 'clipPath', 'mask', 'marker', 'pattern', 'linearGradient', 'radialGradient', 'filter', 'style', 'title', 'desc', 'metadata']); // prettier-ignore
const told: Record<string, string> = {
  image: 'only contours are read',
  foreignObject: 'only contours are read',
  script: 'scripts are never run',
  include: 'what is in another file is never opened',
};
const moving = new Set(['animate', 'animateTransform', 'animateMotion', 'set']);

class SvgReader {
  private readonly root: Node;
  private readonly layersFrom: 'groups' | 'colours';
  private readonly losses = new Losses();
  /** What the file holds and does not show. */
  private readonly unseen = new Losses();
  private readonly ids = new Map<string, Node>();
  private readonly layers = new Map<string, Layer>();
  private readonly kinds: Record<string, number> = {};
  private readonly sizes = new Map<Node, number>();
  private readonly styles: Styles;
  private readonly texts: TextMark[] = [];
  private placed = 0;
  private readonly clipBudget: ClipBudget = { left: mostClipTests };

  constructor(root: Node, layersFrom: 'groups' | 'colours', outsideEntities: number) {
    this.root = root;
    this.layersFrom = layersFrom;
    if (outsideEntities > 0) this.losses.add('entity in another file', 'links are never followed', outsideEntities);
    const sheets: { text: string; media: string }[] = [];
    const nodes: Node[] = [];
    const index = (node: Node): void => {
      nodes.push(node);
      if (node.attributes.id && !this.ids.has(node.attributes.id)) this.ids.set(node.attributes.id, node);
      if (node.name === 'style' && /^$|css/.test(node.attributes.type ?? '')) sheets.push({ text: node.text, media: node.attributes.media ?? '' });
      node.children.forEach(index);
    };
    index(root);
    this.styles = new Styles(sheets, nodes, this.losses);
  }

  read(): SvgFile {
    if (this.sizeOf(this.root, []) > mostPlaced) throw tooMany();
    const { map, real, page } = this.pageMap();
    const viewport = this.viewBox(this.root)?.size ?? page ?? [100, 100];
    const first: State = { map, style: {}, layer: null, viewport, copying: [], clips: [], opaque: true };
    const state = this.entered(this.root, first);
    if (state) for (const child of this.root.children) this.element(child, state);
    const bare: Drawing = { ...emptyDrawing(), layers: [...this.layers.values()], texts: this.texts };
    const drawing = chained(bare, sameDistance(bare)).drawing;
    return {
      version: this.root.attributes.version ? `SVG ${this.root.attributes.version}` : 'SVG',
      unit: real ? 'mm' : null,
      drawing,
      kinds: this.kinds,
      leftOut: [...this.losses.list(), ...this.unseen.list()],
      findings: this.findings(drawing),
      page,
    };
  }

  /** How many elements one unfolds to with all copies in it; one that copies itself counts once. */
  private sizeOf(node: Node, open: Node[]): number {
    const known = this.sizes.get(node);
    if (known !== undefined) return known;
    if (open.includes(node)) return 0;
    const inside = [...open, node];
    let size = 1;
    for (const child of node.children) size += this.sizeOf(child, inside);
    if (node.name === 'use') {
      const target = this.targetOf(node);
      if (target) size += this.sizeOf(target, inside);
    }
    this.sizes.set(node, size);
    return size;
  }

  private viewBox(node: Node): { at: P2; size: P2 } | null {
    const n = (node.attributes.viewBox ?? '').slice(0, 400).trim().split(/[\s,]+/).map(Number); // prettier-ignore
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

  /** The style of an element: what it inherits, its attributes, then what rules say. */
  private styleOf(node: Node, above: Record<string, string>): Record<string, string> {
    const style: Record<string, string> = {};
    for (const key of inherited) if (above[key] !== undefined) style[key] = above[key];
    let kept = 0;
    for (const key in above) {
      if (!key.startsWith('--')) continue;
      if (++kept > mostProperties) {
        this.losses.add('custom property', `more than ${mostProperties} of them are not handed down`);
        break;
      }
      style[key] = above[key];
    }
    for (const key of inherited) if (node.attributes[key] !== undefined) style[key] = node.attributes[key];
    for (const key of own) if (node.attributes[key] !== undefined) style[key] = node.attributes[key];
    Object.assign(style, this.styles.of(node));
    for (const key in style) if (style[key].includes('var(')) style[key] = substituted(style[key], style);
    for (const key of inherited) if (style[key] === 'inherit' || style[key] === 'unset') style[key] = above[key] ?? '';
    return style;
  }

  /** The state inside an element: its style, map and clips. Null when it is not shown. */
  private entered(node: Node, above: State): State | null {
    const style = this.styleOf(node, above.style);
    if (style.display === 'none') {
      this.losses.add(`hidden ${node.name}`, 'the file says not to show it');
      return null;
    }
    const map = this.mapOf(node, style, above);
    if (!map) return null;
    if (style.filter && style.filter !== 'none') this.losses.add('filter', 'it is not applied');
    if (style.mask && style.mask !== 'none') this.losses.add('mask', 'what it hides is still there');
    const state: State = { ...above, style, map, opaque: above.opaque && isOpaque(style.opacity) };
    const clip = style['clip-path'];
    if (clip && clip !== 'none') state.clips = [...above.clips, ...this.clipsOf(node, clip, state)];
    return state;
  }

  private mapOf(node: Node, style: Record<string, string>, above: State): Affine | null {
    const said = style.transform ?? node.attributes.transform;
    let m: Affine | null = null;
    if (said && said !== 'none') {
      m = readTransform(said, above.viewport);
      if (!m) this.losses.add(`transform "${said.slice(0, 30)}"`, 'it can not be read');
    }
    for (const [name, make] of [
      ['scale', (v: string) => `scale(${v})`],
      ['rotate', (v: string) => `rotate(${v})`],
      ['translate', (v: string) => `translate(${v})`],
    ] as const) {
      const value = style[name];
      if (!value || value === 'none') continue;
      const one = readTransform(make(value), above.viewport);
      if (one) m = m ? times(one, m) : one;
      else this.losses.add(`${name} "${value.slice(0, 30)}"`, 'it can not be read');
    }
    if (!m) return above.map;
    const origin = style['transform-origin'];
    const fill = style['transform-box'] === 'fill-box' || style['transform-box'] === 'content-box';
    if (origin || fill) {
      const box = fill ? this.ownBox(node, above) : ([0, 0, ...above.viewport] as Box2);
      const at = box ? readOrigin(origin ?? '0 0', box) : null;
      if (at) m = times(times([1, 0, 0, 1, at[0], at[1]], m), [1, 0, 0, 1, -at[0], -at[1]]);
      else this.losses.add(`transform origin "${(origin ?? '').slice(0, 30)}"`, 'it can not be read');
    }
    // A map that flattens everything shows nothing. Source: SVG 2, 8.5.
    if (Math.abs(m[0] * m[3] - m[1] * m[2]) < 1e-300) {
      this.unseen.add(`${node.name} scaled to nothing`, 'it shows nothing');
      return null;
    }
    return times(above.map, m);
  }

  /** Box of a shape in its own coordinates as left, top, width, height; null for groups. */
  private ownBox(node: Node, above: State): Box2 | null {
    const paths = this.pathsOf(node, this.styleOf(node, above.style), above);
    if (!paths || paths.length === 0) return null;
    const box = noBox();
    for (const path of paths) for (const s of path.segments) growBySegment(box, s);
    return [box[0], box[1], box[2] - box[0], box[3] - box[1]];
  }

  private pathsOf(node: Node, style: Record<string, string>, state: Pick<State, 'viewport'>): SubPath[] | null {
    return shapeOf(node.name, (name) => style[name] ?? node.attributes[name], state.viewport, this.losses);
  }

  private element(node: Node, above: State): void {
    if (notDrawn.has(node.name)) return;
    if (moving.has(node.name)) return this.losses.add('animation', 'the drawing is read as it stands at first');
    if (++this.placed > mostPlaced) throw tooMany();
    const state = this.entered(node, above);
    if (!state) return;
    switch (node.name) {
      case 'g':
      case 'a': {
        const inside = { ...state, layer: deeper(state.layer, layerOf(node)) };
        for (const child of node.children) this.element(child, inside);
        return;
      }
      case 'switch': {
        const child = node.children.find(isUnderstood);
        if (child) this.element(child, state);
        return;
      }
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
        return this.writing(node, state);
      default: {
        if (node.name in told) return this.losses.add(node.name, told[node.name]);
        const paths = this.pathsOf(node, state.style, state);
        if (paths === null) return;
        this.kinds[node.name] = (this.kinds[node.name] ?? 0) + 1;
        for (const child of node.children) if (moving.has(child.name)) this.losses.add('animation', 'the drawing is read as it stands at first');
        const { visibility } = state.style;
        if (visibility === 'hidden' || visibility === 'collapse') return this.losses.add(`hidden ${node.name}`, 'the file says not to show it');
        this.put(node, paths, { ...state, layer: deeper(state.layer, layerOf(node, true)) });
      }
    }
  }

  /** Text is kept as writing: it becomes outlines or single lines when that is asked for. */
  private writing(node: Node, state: State): void {
    const styleOf = (n: Node, above: Record<string, string>): Record<string, string> => this.styleOf(n, above);
    const name = (this.layersFrom === 'colours' ? null : deeper(state.layer, layerOf(node, true))?.name) ?? 'Drawing';
    for (const stretch of stretchesOf(node, state.style, styleOf, state.viewport)) this.written(markOf(stretch, name), state);
    for (const child of node.children) {
      if (child.name !== 'textPath') continue;
      const line = this.lineFor(child, state);
      const said = alongLineOf(child, state.style, styleOf);
      if (said.text === '') continue;
      if (line) this.written(alongMark(said, line, name), state);
      else this.losses.add('text along a line', 'the file does not hold the line, or it has no length');
    }
  }

  private written(mark: TextMark, state: State): void {
    const { visibility } = state.style;
    if (visibility === 'hidden' || visibility === 'collapse' || !state.opaque) this.losses.add('hidden text', 'the file says not to show it');
    else if (this.texts.length < mostTexts) this.texts.push(movedText(mark, times(state.map, [1, 0, 0, -1, 0, 0])));
    else this.losses.add('text', `more than ${mostTexts.toLocaleString('en')} of them`);
  }

  /** The first way of the shape that a text runs along, in the text's own numbers with y up. */
  private lineFor(node: Node, state: State): { segments: Segment[]; closed: boolean; length: number } | null {
    const href = hrefOf(node);
    const target =
      node.attributes.path === undefined
        ? href.startsWith('#')
          ? this.targetOf(node)
          : null
        : { ...node, name: 'path', attributes: { d: node.attributes.path } };
    const [way] = (target && this.pathsOf(target, this.styleOf(target, state.style), state)) ?? [];
    if (!target || !way || way.segments.length === 0) return null;
    const own = target.attributes.transform === undefined ? null : readTransform(target.attributes.transform, state.viewport);
    const map = times([1, 0, 0, -1, 0, 0], own ?? [1, 0, 0, 1, 0, 0]);
    const segments = way.segments.map((s) => transformed(s, map));
    const length = segments.reduce((n, s) => n + lengthOf(s), 0);
    return length > 0 ? { segments, closed: way.closed, length } : null;
  }

  /** A nested svg or a symbol: its own view box in a frame that clips. */
  private inner(node: Node, state: State, x: number, y: number, width?: string, height?: string): void {
    const size = (said: string | undefined, whole: number) => readLength(said === 'auto' ? '100%' : said, whole)?.value ?? whole;
    const w = size(width ?? node.attributes.width, state.viewport[0]);
    const h = size(height ?? node.attributes.height, state.viewport[1]);
    if (!(w > 0 && h > 0)) return;
    const box = this.viewBox(node);
    const fit = box ? fitted(box, [w, h], node.attributes.preserveAspectRatio) : ([1, 0, 0, 1, 0, 0] as Affine);
    const clips = [...state.clips];
    if (!/visible|auto/.test(state.style.overflow ?? '')) clips.push(clipOf([frame(state.map, x, y, w, h)]));
    const inside: State = { ...state, map: times(times(state.map, [1, 0, 0, 1, x, y]), fit), viewport: box?.size ?? [w, h], clips };
    for (const child of node.children) this.element(child, inside);
  }

  private targetOf(node: Node): Node | null {
    const href = hrefOf(node);
    return href.startsWith('#') ? (this.ids.get(href.slice(1)) ?? null) : null;
  }

  private use(node: Node, state: State): void {
    const href = hrefOf(node);
    if (!href.startsWith('#')) return this.losses.add('copy of something outside the file', 'links are never followed');
    const target = this.targetOf(node);
    if (!target) return this.losses.add(`copy of "${href.slice(0, 40)}"`, 'the file does not hold it');
    if (state.copying.includes(target) || isAbove(target, node))
      return this.losses.add(`copy of "${href.slice(0, 40)}" inside itself`, 'only its first use was taken');
    const x = readLength(node.attributes.x, state.viewport[0])?.value ?? 0;
    const y = readLength(node.attributes.y, state.viewport[1])?.value ?? 0;
    const inside: State = {
      ...state,
      map: times(state.map, [1, 0, 0, 1, x, y]),
      copying: [...state.copying, target],
      layer: deeper(state.layer, layerOf(node, true)),
    };
    if (target.name === 'symbol' || target.name === 'svg') {
      const entered = this.entered(target, inside);
      if (entered) this.inner(target, entered, 0, 0, node.attributes.width, node.attributes.height);
    } else this.element(target, inside);
  }

  /** The clips that a clip path stands for, in the drawing's numbers; those that can't be followed are told. */
  private clipsOf(node: Node, said: string, state: State): Clip[] {
    const id = /^url\(\s*["']?#([^"')\s]+)["']?\s*\)/.exec(said.slice(0, 300))?.[1];
    const target = id === undefined ? null : this.ids.get(id);
    if (!target || target.name !== 'clipPath') {
      this.losses.add('clip path', 'what it cuts away is still there');
      return [];
    }
    let map = state.map;
    if (target.attributes.clipPathUnits === 'objectBoundingBox') {
      const box = this.ownBox(node, state);
      if (!box) {
        this.losses.add('clip path', 'what it cuts away is still there');
        return [];
      }
      map = times(map, [box[2], 0, 0, box[3], box[0], box[1]]);
    }
    const chains: Segment[][] = [];
    const inside: State = { ...state, map, copying: [], clips: [] };
    const entered = this.entered({ ...target, attributes: { ...target.attributes, 'clip-path': 'none' } }, inside);
    for (const child of target.children) {
      const shape = child.name === 'use' ? this.targetOf(child) : child;
      if (!shape || !entered) continue;
      const style = this.styleOf(shape, entered.style);
      if (style.display === 'none') continue;
      const own = this.mapOf(child, this.styleOf(child, entered.style), entered);
      for (const path of this.pathsOf(shape, style, entered) ?? [])
        if (own && path.segments.length > 0) chains.push(path.segments.map((s) => transformed(s, own)));
    }
    return [clipOf(chains)];
  }

  private put(node: Node, paths: SubPath[], state: State): void {
    const { style } = state;
    const stroke = this.painted(style.stroke, style.color);
    const fill = style.fill === undefined || style.fill === '' ? { painted: true, colour: '#000000' } : this.painted(style.fill, style.color);
    const size = Math.sqrt(Math.abs(state.map[0] * state.map[3] - state.map[1] * state.map[2]));
    const width = readLength(style['stroke-width'] ?? '1', Math.hypot(...state.viewport) / Math.SQRT2)?.value ?? 1;
    const stroked = stroke.painted && isOpaque(style['stroke-opacity']) && width > 0;
    // A line has no inside to be filled.
    const filled = fill.painted && isOpaque(style['fill-opacity']) && node.name !== 'line';
    if (!state.opaque || (!stroked && !filled)) return this.unseen.add(`${node.name} without visible fill or stroke`, 'it shows nothing');
    if (['marker-start', 'marker-mid', 'marker-end', 'marker'].some((m) => style[m] && style[m] !== 'none'))
      this.losses.add('marker', 'arrow heads and the like are not read');
    const colour = stroked ? stroke.colour : fill.colour;
    const name = this.layersFrom === 'colours' ? (colour ?? 'no colour') : (state.layer?.name ?? 'Drawing');
    if (stroked && style['stroke-dasharray'] && /[1-9]/.test(style['stroke-dasharray']) && meaningOfName(name) === null)
      this.losses.add('dashes', 'the line is drawn through');
    for (const path of paths) {
      if (path.segments.length === 0) continue;
      if (++this.placed > mostPlaced) throw tooMany();
      const closed = path.closed || (path.segments.length > 1 && endsMeet(path, 1e-9));
      const segments = mergedArcs(path.segments.map((s) => transformed(s, state.map)).filter(soundSegment), closed);
      if (segments.length === 0) {
        this.losses.add('path without usable geometry', 'its numbers make no curve');
        continue;
      }
      const through = this.throughClips(state.clips, segments, closed);
      if (through === 'nothing') {
        this.unseen.add(`${node.name} outside its clip path`, 'it shows nothing');
        continue;
      }
      if (through === 'part') this.losses.add('clip path', 'what it cuts away is still there');
      if (through === 'unasked') this.losses.add('clip path', 'too much is clipped to be asked; all of it is still there');
      let layer = this.layers.get(name);
      if (!layer) this.layers.set(name, (layer = { name, colour, lineType: 'CONTINUOUS', contours: [] }));
      const contour = contourOf(segments, closed, colour === layer.colour ? null : colour);
      if (stroked) contour.width = width * size;
      layer.contours.push(contour);
    }
  }

  /** A paint, with what it refers to: a gradient without a colour and a pattern without a shape paint nothing, unless there is a fallback. */
  private painted(text: string | undefined, current: string | undefined): Paint {
    const paint = paintOf(text, current);
    const id = /^url\(\s*["']?#([^"')]{1,200})["']?\s*\)\s*$/i.exec((text ?? '').trim())?.[1];
    if (id === undefined) return paint;
    let target = this.ids.get(id) ?? null;
    for (let i = 0; target && target.children.length === 0 && i < 16; i++) target = this.targetOf(target);
    return target && target.children.length > 0 && !this.refersBack(target, [id]) ? paint : { painted: false, colour: null };
  }

  /** Whether what is in a pattern is painted with the pattern itself, perhaps by way of others: then it paints nothing. Source: SVG 2, 13.3. */
  private refersBack(node: Node, open: readonly string[]): boolean {
    for (const child of node.children) {
      const { fill, stroke, style } = child.attributes;
      for (const text of [fill, stroke, style]) {
        const id = /url\(\s*["']?#([^"')]{1,200})/i.exec(text?.slice(0, 1000) ?? '')?.[1];
        if (id === undefined) continue;
        if (open.includes(id)) return true;
        const target = this.ids.get(id);
        if (target && open.length < 16 && this.refersBack(target, [...open, id])) return true;
      }
      if (this.refersBack(child, open)) return true;
    }
    return false;
  }

  private throughClips(clips: readonly Clip[], segments: Segment[], closed: boolean): 'all' | 'nothing' | 'part' | 'unasked' {
    let worst: 'all' | 'part' | 'unasked' = 'all';
    for (const clip of clips) {
      const through = throughClip(clip, segments, closed, this.clipBudget);
      if (through === 'nothing') return through;
      if (through !== 'all') worst = through;
    }
    return worst;
  }

  private findings(drawing: Drawing): Finding[] {
    const findings: Finding[] = [];
    const lost = lossFinding(this.losses.list());
    if (lost) findings.push(lost);
    findings.push(...writingFinding(drawing.texts));
    const unseen = this.unseen.list();
    if (unseen.length > 0) {
      findings.push({
        code: 'not-shown',
        severity: 'clear',
        count: unseen.reduce((n, l) => n + l.count, 0),
        message: `Not taken, since it shows nothing: ${unseen.slice(0, 6).map((l) => `${l.count.toLocaleString('en')} × ${l.what}`).join('; ')}.`, // prettier-ignore
        remedy: 'Nothing to do; give it a stroke where the file was made if it is to be cut.',
      });
    }
    if (drawing.layers.length === 0 && drawing.texts.length === 0)
      findings.push({
        code: 'nothing-drawn',
        severity: 'stop',
        count: 1,
        message: 'The file holds no contour that can be used.',
        remedy: 'Turn pictures into paths where the file was made.',
      });
    return findings;
  }
}

const tooMany = () =>
  new Unusable('too-many-entities', `Copies unfold to more than ${mostPlaced.toLocaleString('en')} shapes.`, 'Export it with fewer copies.');

const hrefOf = (node: Node): string => (node.attributes.href ?? Object.entries(node.attributes).find(([key]) => localName(key) === 'href')?.[1] ?? '').trim();

function isAbove(target: Node, node: Node): boolean {
  for (let n: Node | null = node; n; n = n.parent) if (n === target) return true;
  return false;
}

/** Whether a child of a switch may be shown: it needs no extension, and a language that is ours or any. Source: SVG 1.1, 5.8. */
function isUnderstood(node: Node): boolean {
  if (notDrawn.has(node.name)) return false;
  if ((node.attributes.requiredExtensions ?? '').trim() !== '' || node.name === 'foreignObject') return false;
  const language = node.attributes.systemLanguage;
  return language === undefined || language.split(',').some((l) => l.trim().toLowerCase().startsWith('en'));
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

/** The rim of a frame as a closed chain. */
function frame(map: Affine, x: number, y: number, w: number, h: number): Segment[] {
  const corners = [
    [x, y],
    [x + w, y],
    [x + w, y + h],
    [x, y + h],
  ].map((p) => applied(map, p));
  return corners.map((a, i): Segment => ({ kind: 'line', a, b: corners[(i + 1) % 4] }));
}

/** Names that programs give by counting: they tell nobody what a group is for. */
const counted = /^(g|group|path|rect|circle|use|svg|layer|shape|object|id|xmlid|_x)?[-_]*\d+[-_]*$/i;

/** What an element says of its layer: a group marked as layer, a label, or an id. Shapes only by a label of their own when they have no group. */
function layerOf(node: Node, shape = false): LayerName | null {
  const attribute = (key: string) => Object.entries(node.attributes).find(([k]) => localName(k) === key)?.[1];
  const label = attribute('label') ?? node.attributes['data-name'];
  const id = node.attributes.id;
  if (shape) return id && !counted.test(id) && node.name === 'use' ? { name: label ?? id, rank: 0 } : null;
  if (attribute('groupmode') === 'layer' && (label ?? id)) return { name: (label ?? id)!, rank: 4 };
  if (label) return { name: label, rank: 3 };
  return id ? { name: id, rank: counted.test(id) ? 1 : 2 } : null;
}

/** The innermost name that is at least as sure as those around it. */
const deeper = (above: LayerName | null, own: LayerName | null): LayerName | null => (own && (!above || own.rank >= above.rank) ? own : above);

/** The map of a view box into a frame. Source: SVG 1.1, 7.8 (preserveAspectRatio). */
function fitted(box: { at: P2; size: P2 }, frame: P2, aspect = ''): Affine {
  const sx = frame[0] / box.size[0];
  const sy = frame[1] / box.size[1];
  if (/\bnone\b/.test(aspect)) return [sx, 0, 0, sy, -box.at[0] * sx, -box.at[1] * sy];
  const s = /\bslice\b/.test(aspect) ? Math.max(sx, sy) : Math.min(sx, sy);
  const share = (key: string) => (aspect.includes(`${key}Min`) ? 0 : aspect.includes(`${key}Max`) ? 1 : 0.5);
  const spareX = (frame[0] - box.size[0] * s) * share('x');
  const spareY = (frame[1] - box.size[1] * s) * share('Y');
  return [s, 0, 0, s, spareX - box.at[0] * s, spareY - box.at[1] * s];
}
