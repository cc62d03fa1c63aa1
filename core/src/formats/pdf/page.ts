import { Losses } from '../../base/loss.ts';
import { Unusable } from '../../base/finding.ts';
import { times, transformed, type Affine } from '../../curves/affine.ts';
import { contourOf, type Contour, type Drawing, type Layer } from '../../curves/drawing.ts';
import { distance, endOf, startOf, type P2, type Segment } from '../../curves/segment.ts';
import { soundSegment } from '../../curves/sound.ts';
import { commonOf, ringOf, type FillRule, type Stroke } from '../../curves/union.ts';
import { clipOf, mostClipTests, throughClip, type Clip, type ClipBudget, type ClipShape } from '../clip.ts';
import { letterOf, placedLetter } from './letters.ts';
import type { Painted, RawPicture } from './pictures.ts';
import { spotOf, type Spot } from './spots.ts';

/** What a page does, step by step, by names; and how to find its letters and layers. Sizes in points. */
export interface PageSteps {
  steps: readonly { what: string; args: unknown[] }[];
  /** Points (y down) of the page as it is seen, from its own numbers. */
  map: Affine;
  width: number;
  height: number;
  /** A letter's path by its font's name and its character; null when there is none. */
  letter(font: string, character: string): string | null;
  font(name: string): { name: string; scale: number; vertical: boolean; drawn: boolean } | null;
  /** A picture of the file by its name, decoded; null when it can't be. */
  picture(name: string): Promise<RawPicture | null>;
  /** Name of a layer of the file, and whether it is shown. */
  group(id: string): { name: string; shown: boolean } | null;
}

const mostSteps = 5_000_000;
const mostContours = 1_000_000;

/** How text is set. */
export interface Text {
  font: string;
  size: number;
  spacing: number;
  wordSpacing: number;
  stretch: number;
  leading: number;
  rise: number;
  mode: number;
  matrix: Affine;
  x: number;
  y: number;
  lineX: number;
  lineY: number;
}

/** A letter of a line as the reader gives it. */
interface Glyph {
  fontChar: string;
  /** In thousandths of the font's size, mostly. */
  width: number;
  isSpace: boolean;
  unicode: string;
  isInFont?: boolean;
}

/** What holds while a page is painted. */
export interface State {
  map: Affine;
  stroke: string;
  fill: string;
  width: number;
  dashed: boolean;
  clips: readonly { clip: Clip; shape: ClipShape }[];
  /** What is painted is a soft mask, and no part of what is seen. */
  masked: boolean;
  text: Text;
}

const noText: Text = { font: '', size: 0, spacing: 0, wordSpacing: 0, stretch: 1, leading: 0, rise: 0, mode: 0, matrix: [1, 0, 0, 1, 0, 0], x: 0, y: 0, lineX: 0, lineY: 0 }; // prettier-ignore

interface SubPath {
  segments: Segment[];
  closed: boolean;
}

/** How a chain is painted. */
interface Paint {
  colour: string;
  stroked: boolean;
  filled: boolean;
}

/**
 * The paths that a page paints, letters among them, as contours in mm from the page's low left corner; what is left out is told.
 * Source: ISO 32000-1, 8.4 to 8.5 (paths, clips), 9.4 (text), 8.11 (optional content).
 */
export class PageReader {
  readonly losses = new Losses();
  readonly unseen = new Losses();
  /** Fonts that a file need not hold: their letters are the reader's own. */
  readonly standIns = new Set<string>();
  /** Pictures in the order in which they are painted. */
  readonly pictures: Painted[] = [];
  private readonly layers = new Map<string, Layer>();
  private readonly saved: State[] = [];
  private readonly page: PageSteps;
  private readonly spots: readonly Spot[];
  private readonly byColour: boolean;
  state: State;
  private paths: SubPath[] = [];
  private clipping: FillRule | null = null;
  private readonly groups: { name: string | null; hidden: boolean }[] = [];
  private readonly letters = new Map<string, Stroke[][] | null>();
  private readonly budget: ClipBudget = { left: mostClipTests };
  private contours = 0;

  constructor(page: PageSteps, spots: readonly Spot[], byColour: boolean) {
    this.page = page;
    this.spots = spots;
    this.byColour = byColour;
    const mm = 25.4 / 72;
    // Seen points have y down.
    const map = times([mm, 0, 0, -mm, 0, page.height * mm], page.map);
    this.state = { map, stroke: '#000000', fill: '#000000', width: 1, dashed: false, clips: [], masked: false, text: noText };
  }

  read(): Drawing {
    if (this.page.steps.length > mostSteps) throw tooMany();
    for (const { what, args } of this.page.steps) this.step(what, args);
    return { layers: [...this.layers.values()].filter((l) => l.contours.length > 0), texts: [], points: [] };
  }

  private step(what: string, args: ArrayLike<unknown>): void {
    const own = graphics[what] ?? texts[what];
    if (own) own(this, Array.from(args) as never[]);
    else if (lost[what]) this.losses.add(lost[what][0], lost[what][1]);
  }

  save(): void {
    this.saved.push(this.state);
    this.state = { ...this.state };
  }

  restore(): void {
    const before = this.saved.pop();
    if (before) this.state = before;
  }

  /** A picture fills the unit square of the frame it is painted in. Source: ISO 32000-1, 8.9.5. */
  paintPicture(picture: string | RawPicture, mask: boolean): void {
    if (this.hidden) return this.unseen.add('picture on a hidden layer', 'the file says not to show it');
    const { map, clips } = this.state;
    const square = rectangle(0, 0, 1, 1).segments.map((s) => transformed(s, map));
    const through = clips.map(({ clip }) => throughClip(clip, square, true, this.budget));
    if (through.includes('nothing')) return this.unseen.add('picture outside its clip', 'it shows nothing');
    this.pictures.push({ picture, mask, map, clipped: through.some((t) => t !== 'all') });
  }

  /** A form: its own frame, clipped to its box. */
  form(matrix: Affine | null, box: readonly number[] | null): void {
    this.save();
    if (matrix) this.state.map = times(this.state.map, matrix);
    if (box) this.clip([boxPath(box)], 'nonzero');
  }

  /**
   * A transparency group: clipped to its box. Its form goes into its frame by itself. That of a soft mask is no part of what is seen.
   * Source: ISO 32000-1, 8.10.1 and 11.6.5.2.
   */
  beginTransparency(group: { matrix: Affine | null; box: readonly number[] | null; mask: boolean }): void {
    this.save();
    // Held by the state: marks of content that are left open within it change nothing of that.
    this.state.masked ||= group.mask;
    if (!group.box) return;
    const outside = this.state.map;
    if (group.matrix) this.state.map = times(outside, group.matrix);
    this.clip([boxPath(group.box)], 'nonzero');
    this.state.map = outside;
  }

  private clip(paths: readonly SubPath[], rule: FillRule): void {
    const shape = { chains: paths.filter((p) => p.segments.length > 0).map((p) => closedChain(p, this.state.map)), rule };
    this.state.clips = [...this.state.clips, { clip: clipOf([shape]), shape }];
  }

  construct(ops: readonly number[], numbers: readonly number[], codes: Record<string, number>): void {
    let at: P2 = [0, 0];
    let start: P2 = [0, 0];
    let k = 0;
    const take = (): P2 => [numbers[k++], numbers[k++]];
    let open: SubPath | null = null;
    const into = (s: Segment) => {
      if (!open) this.paths.push((open = { segments: [], closed: false }));
      open.segments.push(s);
    };
    for (const op of ops) {
      if (op === codes.moveTo) {
        at = start = take();
        open = null;
      } else if (op === codes.lineTo) {
        const to = take();
        if (to[0] !== at[0] || to[1] !== at[1]) into({ kind: 'line', a: at, b: to });
        at = to;
      } else if (op === codes.curveTo || op === codes.curveTo2 || op === codes.curveTo3) {
        const first = op === codes.curveTo2 ? at : take();
        const second = take();
        const to = op === codes.curveTo3 ? second : take();
        into({ kind: 'bezier', points: [at, first, second, to] });
        at = to;
      } else if (op === codes.rectangle) {
        const [[x, y], [w, h]] = [take(), take()];
        this.paths.push(rectangle(x, y, w, h));
        at = start = [x, y];
        open = null;
      } else if (op === codes.closePath) {
        close(open, at, start);
        at = start;
        open = null;
      }
    }
  }

  closePath(): void {
    const last = this.paths[this.paths.length - 1];
    if (last && !last.closed && last.segments.length > 0) close(last, endOf(last.segments[last.segments.length - 1]), startOf(last.segments[0]));
  }

  /** The path is painted, or only ended; a clip that was asked for takes hold after it. */
  paint(fill: boolean, stroke: boolean): void {
    const paths = this.paths;
    this.paths = [];
    if (fill || stroke) for (const path of paths) this.put(path, fill, stroke);
    if (this.clipping) this.clip(paths, this.clipping);
    this.clipping = null;
  }

  willClip(rule: FillRule): void {
    this.clipping = rule;
  }

  private get hidden(): boolean {
    return this.state.masked || this.groups.some((g) => g.hidden);
  }

  private put(path: SubPath, fill: boolean, stroke: boolean): void {
    if (path.segments.length === 0) return;
    if (this.hidden) return this.unseen.add('path on a hidden layer', 'the file says not to show it');
    const { map } = this.state;
    const chain = fill || path.closed ? closedChain(path, map) : path.segments.map((s) => transformed(s, map));
    const closed = fill || path.closed || (chain.length > 2 && distance(startOf(chain[0]), endOf(chain[chain.length - 1])) < 1e-9);
    if (!chain.every(soundSegment)) return this.losses.add('path without usable geometry', 'its numbers make no curve');
    if (!stroke && this.isPage(chain, this.state.fill)) return this.unseen.add('white page', 'it is the paper');
    this.clipped(chain, closed, { colour: stroke ? this.state.stroke : this.state.fill, stroked: stroke, filled: fill });
  }

  /** A white rectangle as large as the page or larger. */
  private isPage(chain: readonly Segment[], colour: string): boolean {
    if (colour !== '#ffffff' || chain.length !== 4 || chain.some((s) => s.kind !== 'line')) return false;
    const mm = 25.4 / 72;
    const xs = chain.map((s) => startOf(s)[0]);
    const ys = chain.map((s) => startOf(s)[1]);
    return (
      Math.min(...xs) <= 0.01 && Math.min(...ys) <= 0.01 && Math.max(...xs) >= this.page.width * mm - 0.01 && Math.max(...ys) >= this.page.height * mm - 0.01
    );
  }

  /** What clips let through of a chain: filled areas are cut by them, lines that are crossed by one stay whole, and that is told. */
  private clipped(chain: Segment[], closed: boolean, paint: Paint): void {
    let left: Segment[][] = [chain];
    for (const { clip, shape } of this.state.clips) {
      left = left.flatMap((one): Segment[][] => {
        const through = throughClip(clip, one, closed && paint.filled, this.budget);
        if (through === 'all') return [one];
        if (through === 'nothing') return [];
        const common = through === 'part' && !paint.stroked ? commonOf([ringOf(one)], shape.chains.map(ringOf), shape.rule) : null;
        if (common) return common;
        this.losses.add('clip', through === 'part' ? 'what it cuts away is still there' : 'too much is clipped to be asked; all of it is still there');
        return [one];
      });
    }
    if (left.length === 0) this.unseen.add('path outside its clip', 'it shows nothing');
    for (const one of left) this.add(one, closed, paint);
  }

  private add(chain: Segment[], closed: boolean, { colour, stroked }: Paint): void {
    if (++this.contours > mostContours) throw tooMany();
    const spot = spotOf(colour, this.spots);
    const group = this.groups.findLast((g) => g.name !== null)?.name ?? null;
    const name = spot?.name ?? (this.byColour ? colour : (group ?? 'Drawing'));
    let layer = this.layers.get(name);
    if (!layer) this.layers.set(name, (layer = { name, colour: spot ? null : colour, lineType: 'CONTINUOUS', contours: [] }));
    const contour: Contour = contourOf(chain, closed, spot || colour === layer.colour ? null : colour);
    const { map, width } = this.state;
    if (stroked) contour.width = width * Math.sqrt(Math.abs(map[0] * map[3] - map[1] * map[2]));
    if (stroked && this.state.dashed) this.losses.add('dashes', 'the line is drawn through');
    layer.contours.push(contour);
  }

  beginGroup(kind: unknown, id: unknown): void {
    const found = kind === 'OC' && typeof id === 'string' ? this.page.group(id) : null;
    this.groups.push({ name: found?.name ?? null, hidden: found ? !found.shown : false });
  }

  endGroup(): void {
    this.groups.pop();
  }

  /** Letters of a line, each at the pen; numbers between them move it. Source: ISO 32000-1, 9.4.4. */
  show(glyphs: readonly unknown[]): void {
    const { text } = this.state;
    const font = this.page.font(text.font);
    for (const glyph of glyphs) {
      if (typeof glyph === 'number') {
        text.x -= (glyph * text.size * text.stretch) / 1000;
        continue;
      }
      if (!glyph || typeof glyph !== 'object') continue;
      const { fontChar, width, isSpace, unicode, isInFont } = glyph as Glyph;
      // What a font does not hold would come as its sign for a missing letter: a box.
      this.letter(isInFont === false ? null : fontChar, unicode, font);
      text.x += (width * (font?.scale ?? 0.001) * text.size + text.spacing + (isSpace ? text.wordSpacing : 0)) * text.stretch;
    }
  }

  private letter(character: string | null, unicode: string, font: ReturnType<PageSteps['font']>): void {
    const { text } = this.state;
    if (text.mode >= 4) this.losses.add('clip by letters', 'what it cuts away is still there');
    // Mode 3 draws nothing: text that was found in a picture and laid under it. From 4 on letters clip, too.
    const mode = text.mode % 4;
    if (mode === 3) return this.unseen.add('letter that is not drawn', 'the file says not to show it');
    if (this.hidden) return this.unseen.add('letter on a hidden layer', 'the file says not to show it');
    if (!font || font.vertical || !font.drawn)
      return this.losses.add('letter', 'its font has no outlines that can be read; turn text into outlines where the file was made');
    const ways = character === null ? null : this.waysOf(text.font, character);
    if (ways === null) {
      if (unicode.trim() !== '') this.losses.add('letter', 'its font has no outlines that can be read; turn text into outlines where the file was made');
      return;
    }
    if (standard.test(font.name)) this.standIns.add(font.name);
    const local = times(text.matrix, [text.size * text.stretch, 0, 0, text.size, text.x, text.y + text.rise]);
    const stroked = mode === 1 || mode === 2;
    const paint = { colour: stroked ? this.state.stroke : this.state.fill, stroked, filled: mode !== 1 };
    for (const chain of placedLetter(ways, times(this.state.map, local))) this.clipped(chain, true, paint);
  }

  /** The closed ways of a letter; null where its font has none. */
  private waysOf(font: string, character: string): Stroke[][] | null {
    const key = `${font}\0${character}`;
    let ways = this.letters.get(key);
    if (ways === undefined) {
      const path = this.page.letter(font, character);
      ways = path === null ? null : letterOf(path);
      this.letters.set(key, ways);
    }
    return ways;
  }
}

/** The fourteen fonts that every reader has (ISO 32000-1, 9.6.2.2), and what programs call them; one that is in the file has a tag before its name. */
const standard = /^(?:Helvetica|Arial|Times|Courier|Symbol|ZapfDingbats)/;

const rectangle = (x: number, y: number, w: number, h: number): SubPath => {
  const p: P2[] = [[x, y], [x + w, y], [x + w, y + h], [x, y + h]]; // prettier-ignore
  const segments = p.map((a, i): Segment => ({ kind: 'line', a, b: p[(i + 1) % 4] })).filter((s) => s.kind === 'line' && distance(s.a, s.b) > 0);
  return { segments, closed: true };
};

const boxPath = ([l, b, r, t]: readonly number[]): SubPath => rectangle(l, b, r - l, t - b);

function close(path: SubPath | null, at: P2, start: P2): void {
  if (!path || path.segments.length === 0) return;
  if (at[0] !== start[0] || at[1] !== start[1]) path.segments.push({ kind: 'line', a: at, b: start });
  path.closed = true;
}

function closedChain({ segments }: SubPath, map: Affine): Segment[] {
  const [a, b] = [endOf(segments[segments.length - 1]), startOf(segments[0])];
  const whole: Segment[] = a[0] === b[0] && a[1] === b[1] ? segments : [...segments, { kind: 'line', a, b }];
  return whole.map((s) => transformed(s, map));
}

/** A colour as the reader gives it, a text or three values to 255, as #rrggbb. */
function hexOf(args: ArrayLike<unknown>): string {
  const given = Array.from(args);
  if (typeof given[0] === 'string') return given[0];
  const values = typeof given[0] === 'number' ? given : Array.from((given[0] ?? []) as ArrayLike<number>);
  return `#${(values as number[]).slice(0, 3).map((v) => Math.round(v).toString(16).padStart(2, '0')).join('')}`; // prettier-ignore
}

/** Numbers of a list, or of a value that holds one. */
const six = (v: unknown): Affine | null =>
  v && typeof v === 'object' && 'length' in v && v.length === 6 ? ([...(v as ArrayLike<number> & Iterable<number>)] as unknown as Affine) : null;

type Doing = (r: PageReader, args: never[]) => void;

/** The codes of path steps, as the reader numbers them; set once when it is loaded. */
export const pathCodes: Record<string, number> = {};

const graphics: Record<string, Doing> = {
  save: (r) => r.save(),
  restore: (r) => r.restore(),
  transform: (r, m) => (r.state.map = times(r.state.map, m as unknown as Affine)),
  setLineWidth: (r, [w]) => (r.state.width = w),
  setDash: (r, [list]) => (r.state.dashed = Array.isArray(list) && (list as number[]).some((v) => v > 0)),
  setGState: (r, [list]) => {
    for (const [key, value] of list as [string, unknown][]) {
      if (key === 'SMask' && value) r.losses.add('soft mask', 'what it hides is still there');
      if (key === 'LW') r.state.width = value as number;
      if (key === 'Font') setFont(r, value as unknown[]);
    }
  },
  setStrokeRGBColor: (r, args) => (r.state.stroke = hexOf(args)),
  setFillRGBColor: (r, args) => (r.state.fill = hexOf(args)),
  setFillColorN: (r) => r.losses.add('pattern', 'its outline is taken, without what fills it'),
  setStrokeColorN: (r) => r.losses.add('pattern', 'its outline is taken, without what fills it'),
  constructPath: (r, [ops, numbers]) => r.construct(ops as number[], numbers as number[], pathCodes),
  closePath: (r) => r.closePath(),
  stroke: (r) => r.paint(false, true),
  closeStroke: (r) => (r.closePath(), r.paint(false, true)),
  fill: (r) => r.paint(true, false),
  eoFill: (r) => r.paint(true, false),
  fillStroke: (r) => r.paint(true, true),
  eoFillStroke: (r) => r.paint(true, true),
  closeFillStroke: (r) => (r.closePath(), r.paint(true, true)),
  closeEOFillStroke: (r) => (r.closePath(), r.paint(true, true)),
  endPath: (r) => r.paint(false, false),
  clip: (r) => r.willClip('nonzero'),
  eoClip: (r) => r.willClip('evenodd'),
  paintImageXObject: (r, [name]) => r.paintPicture(name as string, false),
  paintInlineImageXObject: (r, [picture]) => r.paintPicture(picture as RawPicture, false),
  paintImageMaskXObject: (r, [picture]) => {
    const given = picture as RawPicture & { data?: unknown };
    r.paintPicture(typeof given.data === 'string' ? (given.data as string) : given, true);
  },
  paintFormXObjectBegin: (r, [matrix, box]) => r.form(six(matrix), box as number[] | null),
  paintFormXObjectEnd: (r) => r.restore(),
  beginGroup: (r, [given]) => {
    const group = given as { matrix?: unknown; bbox?: number[] | null; smask?: unknown };
    r.beginTransparency({ matrix: six(group.matrix), box: group.bbox ?? null, mask: Boolean(group.smask) });
  },
  endGroup: (r) => r.restore(),
  beginMarkedContent: (r) => r.beginGroup(null, null),
  beginMarkedContentProps: (r, [kind, props]) => r.beginGroup(kind, (props as { id?: string } | null)?.id),
  endMarkedContent: (r) => r.endGroup(),
};

/** The start of a line of text. */
function toLine(r: PageReader, x: number, y: number): void {
  const { text } = r.state;
  r.state.text = { ...text, x: x, y: y, lineX: x, lineY: y };
}

function setFont(r: PageReader, [name, size]: unknown[]): void {
  r.state.text = { ...r.state.text, font: name as string, size: size as number };
}

const textPart = (key: keyof Text, by = 1): Doing => (r, [value]) => (r.state.text = { ...r.state.text, [key]: (value as number) * by }); // prettier-ignore

const texts: Record<string, Doing> = {
  beginText: (r) => (r.state.text = { ...r.state.text, matrix: [1, 0, 0, 1, 0, 0], x: 0, y: 0, lineX: 0, lineY: 0 }),
  setTextMatrix: (r, args) => {
    const matrix = six(args[0]) ?? six(args);
    if (matrix) r.state.text = { ...r.state.text, matrix, x: 0, y: 0, lineX: 0, lineY: 0 };
  },
  setFont: (r, args) => setFont(r, args),
  setCharSpacing: textPart('spacing'),
  setWordSpacing: textPart('wordSpacing'),
  setHScale: textPart('stretch', 0.01),
  setLeading: textPart('leading', -1),
  setTextRise: textPart('rise'),
  setTextRenderingMode: textPart('mode'),
  moveText: (r, [x, y]) => toLine(r, r.state.text.lineX + x, r.state.text.lineY + y),
  setLeadingMoveText: (r, [x, y]) => {
    r.state.text = { ...r.state.text, leading: y };
    toLine(r, r.state.text.lineX + x, r.state.text.lineY + y);
  },
  nextLine: (r) => toLine(r, r.state.text.lineX, r.state.text.lineY + r.state.text.leading),
  showText: (r, [glyphs]) => {
    r.state.text = { ...r.state.text };
    r.show(glyphs as unknown[]);
  },
};

const noContour = 'it is one of a pattern; bring the picture in by itself';
const lost: Record<string, [string, string]> = {
  paintInlineImageXObjectGroup: ['picture', noContour],
  paintImageMaskXObjectGroup: ['picture', noContour],
  paintImageXObjectRepeat: ['picture', noContour],
  paintSolidColorImageMask: ['picture', noContour],
  shadingFill: ['shading', 'it has no outline'],
  beginAnnotation: ['note or form field', 'notes are no part of the drawing'],
};

const tooMany = () =>
  new Unusable('too-many-entities', `The page paints more than ${mostContours.toLocaleString('en')} paths.`, 'Export fewer layers at a time.');
