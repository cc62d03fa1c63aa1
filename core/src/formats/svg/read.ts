import { chained, sameDistance } from '../../curves/chain.ts';
import { contourOf, emptyDrawing, movedText, type Drawing, type Layer, type TextMark } from '../../curves/drawing.ts';
import { times, transformed, type Affine } from '../../curves/affine.ts';
import { growBySegment, lengthOf, noBox, type Box2 } from '../../curves/measure.ts';
import { mergedArcs } from '../../curves/merge.ts';
import { meaningOfName } from '../../curves/names.ts';
import type { P2, Segment } from '../../curves/segment.ts';
import { soundSegment } from '../../curves/sound.ts';
import { writingFinding } from '../../curves/writing.ts';
import { Unusable, type Finding } from '../../base/finding.ts';
import { lossFinding, Losses, type Loss } from '../../base/loss.ts';
import { clipOf, mostClipTests, throughClip, type Clip, type ClipBudget, type ClipShape } from '../clip.ts';
import { Cascade } from './cascade.ts';
import { Styles } from './css.ts';
import { fitted, frame, noMap, pageMap, viewBox } from './frame.ts';
import { deeper, layerOf, type LayerName } from './layer-name.ts';
import { endsMeet, type SubPath } from './path.ts';
import { hrefOf, isAbove, References } from './references.ts';
import { shapeOf } from './shapes.ts';
import { isOpaque, readLength, readTransform } from './style.ts';
import { flattens, transformOf } from './transform.ts';
import { readXml, type Node } from './xml.ts';
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

/** Elements that hold what is shown only when something refers to them, or nothing that is drawn. */
const notDrawn = new Set(['defs', 'symbol', 'clipPath', 'mask', 'marker', 'pattern', 'linearGradient', 'radialGradient', 'filter', 'style', 'title', 'desc', 'metadata']); // prettier-ignore
const told: Record<string, string> = {
  image: 'only contours are read',
  foreignObject: 'only contours are read',
  script: 'scripts are never run',
  include: 'what is in another file is never opened',
};
const moving = new Set(['animate', 'animateTransform', 'animateMotion', 'set']);

/** What a shape is painted with; no width where only its inside is. */
interface Look {
  colour: string | null;
  width: number | null;
}

class SvgReader {
  private readonly root: Node;
  private readonly layersFrom: 'groups' | 'colours';
  private readonly losses = new Losses();
  /** What the file holds and does not show. */
  private readonly unseen = new Losses();
  private readonly references: References;
  private readonly cascade: Cascade;
  private readonly layers = new Map<string, Layer>();
  private readonly kinds: Record<string, number> = {};
  private readonly sizes = new Map<Node, number>();
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
      if (node.name === 'style' && /^$|css/.test(node.attributes.type ?? '')) sheets.push({ text: node.text, media: node.attributes.media ?? '' });
      node.children.forEach(index);
    };
    index(root);
    this.references = new References(nodes);
    this.cascade = new Cascade(new Styles(sheets, nodes, this.losses), this.losses);
  }

  read(): SvgFile {
    if (this.sizeOf(this.root, []) > mostPlaced) throw tooMany();
    const { map, real, page } = pageMap(this.root);
    const viewport = viewBox(this.root)?.size ?? page ?? [100, 100];
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
      const target = this.references.targetOf(node);
      if (target) size += this.sizeOf(target, inside);
    }
    this.sizes.set(node, size);
    return size;
  }

  /** The state inside an element: its style, map and clips. Null when it is not shown. */
  private entered(node: Node, above: State): State | null {
    const style = this.cascade.of(node, above.style);
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

  /** From an element's own numbers to the drawing's; null where it shows nothing. */
  private mapOf(node: Node, style: Record<string, string>, above: State): Affine | null {
    const { viewport } = above;
    const own = transformOf({ style, attribute: node.attributes.transform, viewport, ownBox: () => this.ownBox(node, above), losses: this.losses });
    if (!own) return above.map;
    if (!flattens(own)) return times(above.map, own);
    this.unseen.add(`${node.name} scaled to nothing`, 'it shows nothing');
    return null;
  }

  /** Box of a shape in its own coordinates as left, top, width, height; null for groups. */
  private ownBox(node: Node, above: State): Box2 | null {
    const paths = this.pathsOf(node, this.cascade.of(node, above.style), above);
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
        return this.inner(node, state, placeOf(node, above.viewport));
      case 'use':
        return this.use(node, state);
      case 'text':
        return this.writing(node, state);
      default:
        return this.shape(node, state);
    }
  }

  private shape(node: Node, state: State): void {
    if (node.name in told) return this.losses.add(node.name, told[node.name]);
    const paths = this.pathsOf(node, state.style, state);
    if (paths === null) return;
    this.kinds[node.name] = (this.kinds[node.name] ?? 0) + 1;
    for (const child of node.children) if (moving.has(child.name)) this.losses.add('animation', 'the drawing is read as it stands at first');
    if (isHidden(state)) return this.losses.add(`hidden ${node.name}`, 'the file says not to show it');
    this.put(node, paths, { ...state, layer: deeper(state.layer, layerOf(node, true)) });
  }

  /** Text is kept as writing: it becomes outlines or single lines when that is asked for. */
  private writing(node: Node, state: State): void {
    const styleOf = (n: Node, above: Record<string, string>): Record<string, string> => this.cascade.of(n, above);
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
    if (isHidden(state) || !state.opaque) this.losses.add('hidden text', 'the file says not to show it');
    else if (this.texts.length < mostTexts) this.texts.push(movedText(mark, times(state.map, [1, 0, 0, -1, 0, 0])));
    else this.losses.add('text', `more than ${mostTexts.toLocaleString('en')} of them`);
  }

  /** The first way of the shape that a text runs along, in the text's own numbers with y up. */
  private lineFor(node: Node, state: State): { segments: Segment[]; closed: boolean; length: number } | null {
    const href = hrefOf(node);
    const target =
      node.attributes.path === undefined
        ? href.startsWith('#')
          ? this.references.targetOf(node)
          : null
        : { ...node, name: 'path', attributes: { d: node.attributes.path } };
    const [way] = (target && this.pathsOf(target, this.cascade.of(target, state.style), state)) ?? [];
    if (!target || !way || way.segments.length === 0) return null;
    const own = target.attributes.transform === undefined ? null : readTransform(target.attributes.transform, state.viewport);
    const map = times([1, 0, 0, -1, 0, 0], own ?? [1, 0, 0, 1, 0, 0]);
    const segments = way.segments.map((s) => transformed(s, map));
    const length = segments.reduce((n, s) => n + lengthOf(s), 0);
    return length > 0 ? { segments, closed: way.closed, length } : null;
  }

  /** A nested svg or a symbol: its own view box in a frame that clips. */
  private inner(node: Node, state: State, at: P2, asked: { width?: string; height?: string } = {}): void {
    const size = (said: string | undefined, whole: number) => readLength(said === 'auto' ? '100%' : said, whole)?.value ?? whole;
    const w = size(asked.width ?? node.attributes.width, state.viewport[0]);
    const h = size(asked.height ?? node.attributes.height, state.viewport[1]);
    if (!(w > 0 && h > 0)) return;
    const box = viewBox(node);
    const fit = box ? fitted(box, [w, h], node.attributes.preserveAspectRatio) : noMap;
    const clips = [...state.clips];
    if (!/visible|auto/.test(state.style.overflow ?? '')) clips.push(clipOf([{ chains: [frame(state.map, at, [w, h])], rule: 'nonzero' }]));
    const inside: State = { ...state, map: times(times(state.map, [1, 0, 0, 1, ...at]), fit), viewport: box?.size ?? [w, h], clips };
    for (const child of node.children) this.element(child, inside);
  }

  private use(node: Node, state: State): void {
    const href = hrefOf(node);
    if (!href.startsWith('#')) return this.losses.add('copy of something outside the file', 'links are never followed');
    const target = this.references.targetOf(node);
    if (!target) return this.losses.add(`copy of "${href.slice(0, 40)}"`, 'the file does not hold it');
    if (state.copying.includes(target) || isAbove(target, node))
      return this.losses.add(`copy of "${href.slice(0, 40)}" inside itself`, 'only its first use was taken');
    const inside: State = {
      ...state,
      map: times(state.map, [1, 0, 0, 1, ...placeOf(node, state.viewport)]),
      copying: [...state.copying, target],
      layer: deeper(state.layer, layerOf(node, true)),
    };
    if (target.name === 'symbol' || target.name === 'svg') {
      const entered = this.entered(target, inside);
      if (entered) this.inner(target, entered, [0, 0], node.attributes);
    } else this.element(target, inside);
  }

  /** The clips that a clip path stands for, in the drawing's numbers; those that can't be followed are told. */
  private clipsOf(node: Node, said: string, state: State, depth = 0): Clip[] {
    const id = /^url\(\s*["']?#([^"')\s]+)["']?\s*\)/.exec(said.slice(0, 300))?.[1];
    const target = id === undefined ? null : this.references.at(id);
    const map = target?.name === 'clipPath' && depth < deepestClip ? this.clipFrame(target, node, state) : null;
    if (!target || !map) {
      this.losses.add('clip path', 'what it cuts away is still there');
      return [];
    }
    // It inherits from where it stands, not from what it clips.
    const style = this.styleRound(target);
    const entered = this.entered({ ...target, attributes: { ...target.attributes, 'clip-path': 'none' } }, { ...state, map, style, copying: [], clips: [] });
    const shapes = entered ? target.children.map((child) => this.clipShape(child, entered)) : [];
    // One that is clipped itself lets through what both do. Source: CSS Masking 1, 5.1.
    const own = target.attributes['clip-path'] ?? 'none';
    const above = own === 'none' ? [] : this.clipsOf(node, own, state, depth + 1);
    if (shapes.includes('not read')) {
      this.losses.add('clip path', 'what it cuts away is still there');
      return above;
    }
    return [...above, clipOf(shapes.filter((s) => s !== null && s !== 'not read'))];
  }

  /** What an element inherits from those it stands in. */
  private styleRound(node: Node): Record<string, string> {
    return node.parent ? this.cascade.of(node.parent, this.styleRound(node.parent)) : {};
  }

  /** From the numbers of a clip path to the drawing's; null where they are shares of a box that is not known. */
  private clipFrame(target: Node, node: Node, state: State): Affine | null {
    if (target.attributes.clipPathUnits !== 'objectBoundingBox') return state.map;
    const box = this.ownBox(node, state);
    return box && times(state.map, [box[2], 0, 0, box[3], box[0], box[1]]);
  }

  /** A shape in a clip path, or a copy of one; null where it has no part in it. */
  private clipShape(child: Node, clip: State): ClipShape | null | 'not read' {
    if (notInClips.has(child.name)) return null;
    const copied = child.name === 'use';
    const shape = copied ? this.references.targetOf(child) : child;
    if (!shape) return 'not read';
    const outer = copied ? this.cascade.of(child, clip.style) : clip.style;
    const style = this.cascade.of(shape, outer);
    if (style.display === 'none' || outer.display === 'none' || isHidden({ ...clip, style })) return null;
    if (style['clip-path'] && style['clip-path'] !== 'none') return 'not read';
    const paths = this.pathsOf(shape, style, clip);
    if (paths === null) return 'not read';
    const map = this.clipMap(child, shape, style, clip);
    if (!map) return null;
    const chains = paths.filter((p) => p.segments.length > 0).map((p) => p.segments.map((s) => transformed(s, map)));
    return { chains, rule: style['clip-rule'] === 'evenodd' ? 'evenodd' : 'nonzero' };
  }

  /** From a shape's own numbers to the drawing's, by way of the copy that it is shown by. */
  private clipMap(child: Node, shape: Node, style: Record<string, string>, clip: State): Affine | null {
    const own = this.mapOf(child, this.cascade.of(child, clip.style), clip);
    if (!own || shape === child) return own;
    return this.mapOf(shape, style, { ...clip, map: times(own, [1, 0, 0, 1, ...placeOf(child, clip.viewport)]) });
  }

  private put(node: Node, paths: SubPath[], state: State): void {
    const look = this.lookOf(node, state);
    if (!look) return this.unseen.add(`${node.name} without visible fill or stroke`, 'it shows nothing');
    const name = this.layersFrom === 'colours' ? (look.colour ?? 'no colour') : (state.layer?.name ?? 'Drawing');
    this.tellUnread(state.style, look, name);
    for (const path of paths) {
      if (path.segments.length === 0) continue;
      if (++this.placed > mostPlaced) throw tooMany();
      for (const run of this.placedRuns(path, state)) if (this.shows(node, run, state)) this.keep(name, run, look);
    }
  }

  /** Tells what a shape is drawn with beside its line that isn't read. */
  private tellUnread(style: Record<string, string>, look: Look, layer: string): void {
    if (['marker-start', 'marker-mid', 'marker-end', 'marker'].some((m) => style[m] && style[m] !== 'none'))
      this.losses.add('marker', 'arrow heads and the like are not read');
    const dashed = look.width !== null && /[1-9]/.test(style['stroke-dasharray'] ?? '');
    if (dashed && meaningOfName(layer) === null) this.losses.add('dashes', 'the line is drawn through');
  }

  /** What a shape is painted with: the colour of its stroke, else of its fill, and the width of the stroke in the drawing's numbers; null for nothing. */
  private lookOf(node: Node, { style, map, viewport, opaque }: State): Look | null {
    const stroke = this.references.painted(style.stroke, style.color);
    const fill = style.fill === undefined || style.fill === '' ? { painted: true, colour: '#000000' } : this.references.painted(style.fill, style.color);
    const width = readLength(style['stroke-width'] ?? '1', Math.hypot(...viewport) / Math.SQRT2)?.value ?? 1;
    const stroked = stroke.painted && isOpaque(style['stroke-opacity']) && width > 0;
    // A line has no inside to be filled.
    const filled = fill.painted && isOpaque(style['fill-opacity']) && node.name !== 'line';
    if (!opaque || (!stroked && !filled)) return null;
    const size = Math.sqrt(Math.abs(map[0] * map[3] - map[1] * map[2]));
    return stroked ? { colour: stroke.colour, width: width * size } : { colour: fill.colour, width: null };
  }

  /** A path where it stands in the drawing: in runs, where pieces of it make no curve. */
  private placedRuns(path: SubPath, { map }: State): SubPath[] {
    const placed = path.segments.map((s) => transformed(s, map));
    if (placed.every(soundSegment)) {
      const closed = path.closed || (placed.length > 1 && endsMeet(path, 1e-9));
      return [{ segments: mergedArcs(placed, closed), closed }];
    }
    const runs: Segment[][] = [[]];
    for (const s of placed) {
      if (soundSegment(s)) runs[runs.length - 1].push(s);
      else runs.push([]);
    }
    const left = runs.filter((r) => r.length > 0);
    this.losses.add(left.length === 0 ? 'path without usable geometry' : 'piece of a path without usable geometry', 'its numbers make no curve');
    return left.map((segments) => ({ segments: mergedArcs(segments, false), closed: false }));
  }

  /** Whether anything of a path shows; told as far as clips were not followed. */
  private shows(node: Node, { segments, closed }: SubPath, state: State): boolean {
    const through = this.throughClips(state.clips, segments, closed);
    if (through === 'nothing') {
      this.unseen.add(`${node.name} outside its clip path`, 'it shows nothing');
      return false;
    }
    if (through === 'part') this.losses.add('clip path', 'what it cuts away is still there');
    if (through === 'unasked') this.losses.add('clip path', 'too much is clipped to be asked; all of it is still there');
    return true;
  }

  private keep(name: string, { segments, closed }: SubPath, { colour, width }: Look): void {
    let layer = this.layers.get(name);
    if (!layer) this.layers.set(name, (layer = { name, colour, lineType: 'CONTINUOUS', contours: [] }));
    const contour = contourOf(segments, closed, colour === layer.colour ? null : colour);
    if (width !== null) contour.width = width;
    layer.contours.push(contour);
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

/** Clip paths that are clipped by others, at most. */
const deepestClip = 16;
/** What a clip path may hold that is no shape. */
const notInClips = new Set(['title', 'desc', 'metadata', 'animate', 'animateTransform', 'set', 'script']);

/** Where an element says that it is set. */
const placeOf = ({ attributes: { x, y } }: Node, [wide, high]: P2): P2 => [readLength(x, wide)?.value ?? 0, readLength(y, high)?.value ?? 0];

const isHidden = ({ style: { visibility } }: State): boolean => visibility === 'hidden' || visibility === 'collapse';

const tooMany = () =>
  new Unusable('too-many-entities', `Copies unfold to more than ${mostPlaced.toLocaleString('en')} shapes.`, 'Export it with fewer copies.');

/** Whether a child of a switch may be shown: it needs no extension, and a language that is ours or any. Source: SVG 1.1, 5.8. */
function isUnderstood(node: Node): boolean {
  if (notDrawn.has(node.name)) return false;
  if ((node.attributes.requiredExtensions ?? '').trim() !== '' || node.name === 'foreignObject') return false;
  const language = node.attributes.systemLanguage;
  return language === undefined || language.split(',').some((l) => l.trim().toLowerCase().startsWith('en'));
}
