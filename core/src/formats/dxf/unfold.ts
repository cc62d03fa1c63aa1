import { contourOf, emptyDrawing, movedText, type Contour, type Drawing, type Layer, type Meaning, type TextMark } from '../../curves/drawing.ts';
import { transformed } from '../../curves/affine.ts';
import type { P2, Segment } from '../../curves/segment.ts';
import { soundSegment } from '../../curves/sound.ts';
import { Unusable } from '../../base/finding.ts';
import { Losses } from '../../base/loss.ts';
import { affineAt, heightOf, noFrame, seen, timesFrame, type Frame } from './frame.ts';
import { keyOf, type LayerTable } from './layers.ts';

/** Colour or line type of an entity: its own, its layer's (null), or that of the block it is put in with. */
export type ByBlock<T> = T | null | 'block';

/** What an entity is before blocks are put in place: a chain, writing, a point, a block, or something that is not taken. */
export type Item = { layer: string } & (
  | {
      kind: 'chain';
      colour: ByBlock<string>;
      lineType: ByBlock<{ name: string }>;
      segments: Segment[];
      closed: boolean;
      meaning: Meaning | null;
      frame: Frame | null;
      z: number;
      /** Height of the other end of a line in space. */
      zEnd: number | null;
    }
  | { kind: 'text'; mark: Omit<TextMark, 'layer'>; z: number; frame: Frame | null }
  | { kind: 'point'; at: P2; z: number }
  | { kind: 'insert'; colour: ByBlock<string>; lineType: ByBlock<{ name: string }>; block: string; copies: Copies }
  | { kind: 'lost'; what: string; why: string }
);

/** Where copies of a block stand: rows and columns made one at a time. */
export interface Copies {
  count: number;
  at: (i: number) => Frame;
}

export interface Block {
  name: string;
  base: [number, number, number];
  items: Item[];
  /** The file that it stands for; null when it is in this one. */
  outside: string | null;
}

/** Most entities that blocks may unfold to, most steps on the way, and the deepest nesting. */
export const mostPlaced = 3_000_000;
const mostSteps = 20_000_000;
const deepestNest = 64;

interface Parent {
  layer: string;
  colour: string | null;
  lineType: { name: string } | null;
}

type Chain = Extract<Item, { kind: 'chain' }>;
type Insert = Extract<Item, { kind: 'insert' }>;
type Line = ReturnType<LayerTable['get']>;

/** Where something is put: in which frame, in which block, and how deep in others. */
interface Within {
  frame: Frame;
  parent: Parent | null;
  depth: number;
}

export interface Unfolded {
  drawing: Drawing;
  losses: Losses;
  /** Heights (Z) at which contours lie. */
  heights: Set<number>;
}

/** Most heights that are told apart. */
const mostHeights = 1000;

/** Puts blocks in place and applies the rule of what is drawn to be cut. */
export class Unfolder {
  private readonly layers: LayerTable;
  private readonly blocks: Map<string, Block>;
  private readonly choices: { hidden: boolean; reference: boolean };
  private readonly losses = new Losses();
  private readonly drawing = emptyDrawing();
  private readonly byName = new Map<string, Layer>();
  private readonly heights = new Set<number>();
  /** How many entities a block unfolds to; NaN while that is being counted. */
  private readonly counted = new Map<string, number>();
  private readonly empty = new Map<string, boolean>();
  private placed = 0;
  private steps = 0;

  constructor(layers: LayerTable, blocks: Map<string, Block>, choices: { hidden: boolean; reference: boolean }) {
    this.layers = layers;
    this.blocks = blocks;
    this.choices = choices;
  }

  /** @throws Unusable when blocks unfold to more than fits. */
  unfold(items: readonly Item[]): Unfolded {
    for (const item of items) this.put(item, { frame: noFrame, parent: null, depth: 0 });
    const order = [...new Set([...this.layers.names(), ...this.byName.keys()])];
    this.drawing.layers = order.map((name) => this.byName.get(name)).filter((l): l is Layer => l !== undefined);
    return { drawing: this.drawing, losses: this.losses, heights: this.heights };
  }

  /** Entities in a block with all blocks in it; one that holds itself counts once. Infinity above what fits. */
  private sizeOf(block: Block): number {
    const key = keyOf(block.name);
    const known = this.counted.get(key);
    if (known !== undefined) return Number.isNaN(known) ? 0 : known;
    this.counted.set(key, NaN);
    let size = 0;
    for (const item of block.items) {
      if (item.kind !== 'insert') size++;
      else {
        const inner = this.blocks.get(keyOf(item.block));
        size += inner && inner.outside === null ? this.sizeOf(inner) * item.copies.count : 1;
      }
    }
    this.counted.set(key, size);
    return size;
  }

  /** Whether nothing of a block and of those in it can be drawn; one that holds itself is not told so. */
  private drawsNothing(block: Block): boolean {
    const key = keyOf(block.name);
    const known = this.empty.get(key);
    if (known !== undefined) return known;
    this.empty.set(key, false);
    const found = block.items.every((item) => {
      if (item.kind !== 'insert') return item.kind === 'lost';
      const inner = this.blocks.get(keyOf(item.block));
      return !inner || inner.outside !== null || this.drawsNothing(inner);
    });
    this.empty.set(key, found);
    return found;
  }

  /** Counts what copies of a block that draws nothing would have shown. */
  private lose(block: Block, copies: number): void {
    for (const item of block.items) {
      if (++this.steps > mostSteps) throw tooMany();
      const many = Math.min(copies, mostPlaced);
      if (item.kind === 'lost') this.losses.add(item.what, item.why, many);
      if (item.kind !== 'insert') continue;
      const inner = this.blocks.get(keyOf(item.block));
      if (!inner || inner.outside !== null) this.notThere(item.block, inner, many);
      else this.lose(inner, copies * item.copies.count);
    }
  }

  /** Tells of a block that is not in the file. */
  private notThere(name: string, block: Block | undefined, copies = 1): void {
    if (!block) this.losses.add(`block "${name}"`, 'the file does not hold it', copies);
    else this.losses.add(`outside reference "${block.outside || block.name}"`, 'what it shows is in another file, which is never opened', copies);
  }

  private put(item: Item, { frame, parent, depth }: Within): void {
    if (++this.steps > mostSteps) throw tooMany();
    const line = this.layers.get(item.layer === '0' && parent ? parent.layer : item.layer);
    if (item.kind === 'insert') return this.insert(item, line, { frame, parent, depth });
    if (++this.placed > mostPlaced) throw tooMany();
    if (line.hidden && !this.choices.hidden) return this.losses.add(`entities on layer "${line.name}"`, line.hidden);
    switch (item.kind) {
      case 'lost':
        return this.losses.add(item.what, item.why);
      case 'text': {
        const f = item.frame ? timesFrame(frame, item.frame) : frame;
        this.drawing.texts.push(movedText({ ...item.mark, layer: line.name }, affineAt(f, item.z)));
        return;
      }
      case 'point':
        this.drawing.points.push({ layer: line.name, at: seen(frame, item.at[0], item.at[1], item.z) });
        return;
      case 'chain':
        return this.chain(item, line, frame, parent);
    }
  }

  private chain(item: Chain, line: Line, frame: Frame, parent: Parent | null): void {
    const reading = this.forReading(item, line, parent);
    if (reading && !this.choices.reference) return this.losses.add(`lines on layer "${line.name}"`, reading);
    let target = this.byName.get(line.name);
    if (!target) this.byName.set(line.name, (target = { name: line.name, colour: line.colour, lineType: line.lineType, contours: [] }));
    const f = item.frame ? timesFrame(frame, item.frame) : frame;
    const segments = placedSegments(item, f);
    if (!segments.every(soundSegment)) return this.losses.add('entity far beyond any size', 'its numbers make no curve');
    const contour: Contour = contourOf(segments, item.closed, item.colour === 'block' ? (parent?.colour ?? null) : item.colour);
    contour.meaning = item.meaning;
    const z = heightOf(f, 0, 0, item.z);
    if (Math.abs(z) > 1e-9 && Math.abs(f[8]) + Math.abs(f[9]) < 1e-9) contour.depth = -z;
    if (this.heights.size < mostHeights) this.heights.add(z);
    target.contours.push(contour);
  }

  /** Why a line is there to be read only, by its own type or that of its layer or block; null when it isn't. */
  private forReading({ lineType, meaning }: Chain, line: Line, parent: Parent | null): string | null {
    const own = lineType === 'block' ? parent?.lineType : lineType;
    return meaning === null ? this.layers.forReading(own?.name ?? line.lineType, line.name) : null;
  }

  private insert(item: Insert, line: Line, { frame, parent, depth }: Within): void {
    const block = this.blocks.get(keyOf(item.block));
    if (!block || block.outside !== null) return this.notThere(item.block, block);
    const size = this.sizeOf(block);
    if (line.frozen && !this.choices.hidden) {
      if (size > 0) this.losses.add(`entities on layer "${line.name}"`, 'the layer is frozen', Math.min(size * item.copies.count, mostPlaced));
      return;
    }
    if (size === 0) return;
    if (size * item.copies.count > mostPlaced) throw tooMany();
    const key = keyOf(block.name);
    // Copies of what draws nothing are counted, not made one by one.
    if (depth < deepestNest && this.drawsNothing(block)) return this.lose(block, item.copies.count);
    if (depth >= deepestNest || this.open.has(key)) return this.losses.add(`block "${item.block}" inside itself`, 'only its first use was taken');
    const inside = { parent: insideOf(item, line, parent), depth: depth + 1 };
    this.open.add(key);
    const base: Frame = [1, 0, 0, -block.base[0], 0, 1, 0, -block.base[1], 0, 0, 1, -block.base[2]];
    for (let i = 0; i < item.copies.count; i++) {
      const inner = timesFrame(frame, timesFrame(item.copies.at(i), base));
      for (const child of block.items) this.put(child, { frame: inner, ...inside });
    }
    this.open.delete(key);
  }

  /** Blocks that are being put in place. */
  private readonly open = new Set<string>();
}

/** What things in a block that is put in place take from where it is put. */
const insideOf = (item: Insert, line: Line, parent: Parent | null): Parent => ({
  layer: line.name,
  colour: item.colour === 'block' ? (parent?.colour ?? null) : (item.colour ?? line.colour),
  lineType: item.lineType === 'block' ? (parent?.lineType ?? null) : (item.lineType ?? { name: line.lineType }),
});

/** The pieces of a chain as they are seen from above. */
function placedSegments(item: Chain, f: Frame): Segment[] {
  const map = affineAt(f, item.z);
  if (map.every((v, i) => v === (i === 0 || i === 3 ? 1 : 0))) return item.segments;
  const segments = item.segments.map((s) => transformed(s, map));
  const [first] = segments;
  if (item.zEnd !== null && first.kind === 'line') {
    const end = (item.segments[0] as typeof first).b;
    first.b = seen(f, end[0], end[1], item.zEnd);
  }
  return segments;
}

const tooMany = () =>
  new Unusable('too-many-entities', `Blocks unfold to more than ${mostPlaced.toLocaleString('en')} entities.`, 'Export it with fewer copies.');
