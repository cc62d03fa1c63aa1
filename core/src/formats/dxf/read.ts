import { boxOfDrawing, contourOf, emptyDrawing, reachOf, transformedDrawing, type Contour, type Drawing, type Layer } from '../../drawing/drawing.ts';
import type { P2, Segment } from '../../drawing/segment.ts';
import { chained, sameDistance } from '../../drawing/chain.ts';
import { applied, noChange, times, transformed, type Affine } from '../../drawing/affine.ts';
import { Unusable, type Finding } from '../../findings/finding.ts';
import { latin } from '../stl/read.ts';
import { colourOfNumber } from './colours.ts';
import { chainsOf, inOwnPlane, numberAt, planeOf, textAt, type Entity } from './entities.ts';
import { soundSegment } from '../../drawing/sound.ts';
import { closedByThemselves, mostPlaced, placesOf, plainText } from './values.ts';
import { asciiPairs, binaryPairs, isBinaryDxf, type Pairs } from './pairs.ts';

/** What a DXF file holds. Lengths in mm when it states a unit, else its bare numbers. */
export interface DxfFile {
  /** Version letters of the file (AC1009 is R12), and whether it was binary. */
  version: string;
  binary: boolean;
  /** Unit stated by $INSUNITS, null for none. */
  unit: string | null;
  metric: boolean | null;
  drawing: Drawing;
  /** Kinds of entities by count, as they stand in the file. */
  kinds: Record<string, number>;
  /** What was not taken, with how many and why. */
  leftOut: { what: string; count: number; why: string }[];
  findings: Finding[];
}

/** Limits checked before memory is taken. */
const mostEntities = 3_000_000;
const deepestNest = 16;

/** mm in one unit of $INSUNITS. Source: DXF Reference. */
const insUnits: Record<number, { id: string; mm: number }> = {
  1: { id: 'in', mm: 25.4 },
  2: { id: 'ft', mm: 304.8 },
  3: { id: 'mile', mm: 1_609_344 },
  4: { id: 'mm', mm: 1 },
  5: { id: 'cm', mm: 10 },
  6: { id: 'm', mm: 1000 },
  7: { id: 'km', mm: 1e6 },
  8: { id: 'microinch', mm: 25.4e-6 },
  9: { id: 'mil', mm: 0.0254 },
  10: { id: 'yd', mm: 914.4 },
  12: { id: 'nm', mm: 1e-6 },
  13: { id: 'micron', mm: 0.001 },
  14: { id: 'dm', mm: 100 },
};

/** What the version letters are called. Source: DXF Reference. */
export const versionNames: Record<string, string> = {
  AC1006: 'R10',
  AC1009: 'R12',
  AC1012: 'R13',
  AC1014: 'R14',
  AC1015: '2000',
  AC1018: '2004',
  AC1021: '2007',
  AC1024: '2010',
  AC1027: '2013',
  AC1032: '2018',
};

interface LayerLine {
  name: string;
  colour: string | null;
  lineType: string;
  hidden: 'off' | 'frozen' | null;
}

/** A chain of an entity, or a block put in place. */
type Item =
  | { kind: 'chain'; layer: string; colour: string | null | 'block'; segments: Segment[]; closed: boolean; z: number }
  | { kind: 'text'; layer: string; at: P2; height: number; angle: number; text: string }
  | { kind: 'point'; layer: string; at: P2 }
  | { kind: 'insert'; layer: string; colour: string | null | 'block'; block: string; maps: Affine[] };

interface Block {
  base: P2;
  items: Item[];
}

/** Whether bytes look like DXF: binary by its head, text by its first pair. */
export function looksLikeDxf(bytes: Uint8Array): boolean {
  if (isBinaryDxf(bytes)) return true;
  return /^(?:\xef\xbb\xbf)?(?:\s*999\s*\r?\n[^\n]*\n)*\s*0\s*\r?\n\s*SECTION\s*\r?\n/.test(latin(bytes.subarray(0, 2048)));
}

/**
 * Reads DXF, text or binary, R12 to 2018. Curves stay what they are.
 * @param choices.hidden whether what lies on layers that are off or frozen is taken.
 * @throws Unusable with a sentence when it can't be read.
 */
export function readDxf(bytes: Uint8Array, choices: { hidden: boolean; keepBad: boolean } = { hidden: false, keepBad: true }): DxfFile {
  const binary = isBinaryDxf(bytes);
  return new DxfReader(binary ? binaryPairs(bytes) : asciiPairs(latin(bytes)), binary, choices).read();
}

class DxfReader {
  private readonly pairs: Pairs;
  private readonly binary: boolean;
  private readonly choices: { hidden: boolean; keepBad: boolean };
  private readonly header = new Map<string, string | number>();
  private readonly layers = new Map<string, LayerLine>();
  private readonly blocks = new Map<string, Block>();
  private readonly kinds: Record<string, number> = {};
  private readonly out = new Map<string, { count: number; why: string }>();
  private decoder: InstanceType<typeof TextDecoder> | null = null;
  private entities = 0;
  private placed = 0;
  private readonly heights = new Set<number>();

  constructor(pairs: Pairs, binary: boolean, choices: { hidden: boolean; keepBad: boolean }) {
    this.pairs = pairs;
    this.binary = binary;
    this.choices = choices;
  }

  read(): DxfFile {
    const { pairs } = this;
    let items: Item[] = [];
    let sections = 0;
    while (pairs.next()) {
      if (pairs.code !== 0) continue;
      if (pairs.value === 'EOF') break;
      if (String(pairs.value).trim() !== 'SECTION' || !pairs.next()) continue;
      sections++;
      const name = String(pairs.value).trim();
      if (name === 'HEADER') this.readHeader();
      else if (name === 'TABLES') this.readTables();
      else if (name === 'BLOCKS') this.readBlocks();
      else if (name === 'ENTITIES') items = this.readItems();
    }
    if (sections === 0) throw new Unusable('not-dxf', 'The file has no DXF section.', 'Export it again as DXF, from the program that made it.');
    return this.finished(items);
  }

  private leave(what: string, why: string, count = 1): void {
    const before = this.out.get(what);
    if (before) before.count += count;
    else this.out.set(what, { count, why });
  }

  /** Text of the file in its own code page; \\U+XXXX stands for any character. */
  private text(value: string | number | null): string {
    const raw = String(value ?? '');

    const plain = /^[\x00-\x7f]*$/.test(raw) ? raw : this.decode(raw);
    return plain.includes('\\U+') ? plain.replace(/\\U\+([0-9A-Fa-f]{4})/g, (_, hex: string) => String.fromCharCode(parseInt(hex, 16))) : plain;
  }

  private decode(raw: string): string {
    this.decoder ??= new TextDecoder(this.codePage());
    return this.decoder.decode(Uint8Array.from(raw, (c) => c.charCodeAt(0)));
  }

  private codePage(): string {
    if (String(this.header.get('$ACADVER') ?? '') >= 'AC1021') return 'utf-8';
    const said = String(this.header.get('$DWGCODEPAGE') ?? '').toUpperCase();
    const page = /^ANSI_(\d+)$/.exec(said)?.[1] ?? '1252';
    const named: Record<string, string> = { '932': 'shift_jis', '936': 'gbk', '949': 'euc-kr', '950': 'big5', '874': 'windows-874' };
    try {
      return new TextDecoder(named[page] ?? `windows-${page}`).encoding;
    } catch {
      return 'windows-1252';
    }
  }

  private readHeader(): void {
    const { pairs } = this;
    let name = '';
    while (pairs.next()) {
      if (pairs.code === 0) return;
      if (pairs.code === 9) name = String(pairs.value).trim();
      else if (name && !this.header.has(name)) this.header.set(name, typeof pairs.value === 'string' ? pairs.value.trim() : pairs.value);
    }
  }

  private readTables(): void {
    const { pairs } = this;
    while (pairs.next()) {
      if (pairs.code !== 0) continue;
      const type = String(pairs.value).trim();
      if (type === 'ENDSEC') return;
      if (type !== 'LAYER') continue;
      const e = this.entity('LAYER');
      const name = this.text(textAt(e, 2));
      const colour = numberAt(e, 62, 7);
      const flags = numberAt(e, 70);
      this.layers.set(name, {
        name,
        colour: colourIn(e, Math.abs(colour)),
        lineType: textAt(e, 6) ?? 'CONTINUOUS',
        hidden: flags & 1 ? 'frozen' : colour < 0 ? 'off' : null,
      });
    }
  }

  private readBlocks(): void {
    const { pairs } = this;
    while (pairs.next()) {
      if (pairs.code !== 0) continue;
      const type = String(pairs.value).trim();
      if (type === 'ENDSEC') return;
      if (type !== 'BLOCK') continue;
      const head = this.entity('BLOCK');
      this.blocks.set(this.text(textAt(head, 2)), { base: [numberAt(head, 10), numberAt(head, 20)], items: this.readItems() });
    }
  }

  private readonly scratch: Entity = { type: '', codes: [], values: [], vertices: null };

  /** The pairs of one entity, up to the next code 0 (which stays unread). One that is not kept shares its arrays with the next. */
  private entity(type: string, kept = true): Entity {
    const { pairs, scratch } = this;
    const codes: number[] = kept ? [] : scratch.codes;
    const values: (string | number)[] = kept ? [] : scratch.values;
    codes.length = 0;
    values.length = 0;
    while (pairs.next()) {
      if (pairs.code === 0) {
        pairs.back();
        break;
      }
      const { code } = pairs;
      // Handles, owners and subclass marks say nothing of the shape.
      if (code === 5 || code === 330 || code === 100) continue;
      codes.push(code);
      values.push(pairs.value);
    }
    if (kept) return { type, codes, values, vertices: null };
    scratch.type = type;
    scratch.vertices = null;
    return scratch;
  }

  /** Entities up to ENDBLK or ENDSEC. */
  private readItems(): Item[] {
    const { pairs } = this;
    const items: Item[] = [];
    while (pairs.next()) {
      if (pairs.code !== 0) continue;
      const type = String(pairs.value).trim();
      if (type === 'ENDSEC' || type === 'ENDBLK' || type === 'EOF') break;
      if (++this.entities > mostEntities)
        throw new Unusable('too-many-entities', `The file has more than ${mostEntities.toLocaleString('en')} entities.`, 'Export fewer layers at a time.');
      const e = this.entity(type, false);
      if (type === 'POLYLINE') e.vertices = this.followers('VERTEX');
      this.kinds[type] = (this.kinds[type] ?? 0) + 1;
      this.take(e, items);
      if (type === 'INSERT' && numberAt(e, 66) === 1) for (const a of this.followers('ATTRIB')) this.take(a, items);
    }
    return items;
  }

  /** Entities of one type that follow, up to SEQEND. */
  private followers(type: string): Entity[] {
    const { pairs } = this;
    const found: Entity[] = [];
    while (pairs.next()) {
      if (pairs.code !== 0) continue;
      const next = String(pairs.value).trim();
      if (next === type) {
        if (++this.entities > mostEntities)
          throw new Unusable('too-many-entities', `The file has more than ${mostEntities.toLocaleString('en')} entities.`, 'Export fewer layers at a time.');
        found.push(this.entity(type));
      } else if (next === 'SEQEND') {
        this.entity(next);
        break;
      } else {
        pairs.back();
        break;
      }
    }
    return found;
  }

  private take(e: Entity, items: Item[]): void {
    if (numberAt(e, 67) === 1) return this.leave(`${e.type} on the sheet layout`, 'it is not in the model');
    if (numberAt(e, 60) === 1) return this.leave(`${e.type} made invisible`, 'the file says not to show it');
    const layer = this.text(textAt(e, 8) ?? '0');
    const index = numberAt(e, 62, 256);
    const colour = index === 0 && !e.codes.includes(420) ? 'block' : colourIn(e, index);
    const plane = inOwnPlane.has(e.type) ? planeOf(e) : null;
    if (e.type === 'INSERT') {
      const maps = placesOf(e).map((m) => (plane ? times(plane, m) : m));
      if (maps.length > mostPlaced) throw new Unusable('too-many-entities', 'A block is repeated millions of times.', 'Export it with fewer copies.');
      items.push({ kind: 'insert', layer, colour, block: this.text(textAt(e, 2)), maps });
      return;
    }
    if (e.type === 'POINT') {
      items.push({ kind: 'point', layer, at: [numberAt(e, 10), numberAt(e, 20)] });
      return;
    }
    if (e.type === 'TEXT' || e.type === 'MTEXT' || e.type === 'ATTRIB') {
      const long = e.type === 'MTEXT' ? e.values.filter((_, i) => e.codes[i] === 3).join('') : '';
      const at: P2 = [numberAt(e, 10), numberAt(e, 20)];
      items.push({
        kind: 'text',
        layer,
        at: plane ? applied(plane, at) : at,
        height: numberAt(e, 40, 1),
        angle: (numberAt(e, 50) * Math.PI) / 180,
        text: plainText(this.text(long + (textAt(e, 1) ?? ''))),
      });
      return;
    }
    const chains = chainsOf(e);
    if (chains === null) return this.leave(e.type, 'this kind is not read');
    const sound = chains.filter((c) => c.segments.length > 0 && c.segments.every(soundSegment));
    if (sound.length < Math.max(1, chains.length)) {
      if (!this.choices.keepBad)
        throw new Unusable('bad-entity', `A ${e.type} before ${this.pairs.where()} has no usable geometry.`, 'Choose to keep or leave out bad entities.');
      this.leave(`${e.type} without usable geometry`, 'its numbers make no curve');
    }
    const z = e.type === 'LWPOLYLINE' ? numberAt(e, 38) : numberAt(e, 30);
    for (const { segments, closed } of sound) {
      items.push({ kind: 'chain', layer, colour, segments: plane ? segments.map((s) => transformed(s, plane)) : segments, closed, z });
    }
  }

  private finished(items: Item[]): DxfFile {
    const drawing = emptyDrawing();
    const byName = new Map<string, Layer>();
    const hidden = new Map<string, number>();
    const put = (item: Item, map: Affine | null, parent: { layer: string; colour: string | null } | null, depth: number): void => {
      if (depth > deepestNest)
        throw new Unusable('nested-too-deep', `Blocks are nested more than ${deepestNest} deep.`, 'Explode them in the program that made the file.');
      const layer = item.layer === '0' && parent ? parent.layer : item.layer;
      const line = this.layers.get(layer);
      if (item.kind === 'insert') {
        const block = this.blocks.get(item.block);
        if (!block) return this.leave(`INSERT of "${item.block}"`, 'the file does not hold that block');
        const colour = item.colour === 'block' ? (parent?.colour ?? null) : item.colour;
        const base: Affine = [1, 0, 0, 1, -block.base[0], -block.base[1]];
        for (const m of item.maps) {
          const inner = times(m, base);
          for (const child of block.items) put(child, map ? times(map, inner) : inner, { layer, colour }, depth + 1);
        }
        return;
      }
      if (++this.placed > mostPlaced)
        throw new Unusable('too-many-entities', `Blocks unfold to more than ${mostPlaced.toLocaleString('en')} entities.`, 'Export it with fewer copies.');
      if (line?.hidden && !this.choices.hidden) {
        hidden.set(layer, (hidden.get(layer) ?? 0) + 1);
        return;
      }
      if (item.kind === 'text') {
        const m = map ?? noChange;
        const size = Math.sqrt(Math.abs(m[0] * m[3] - m[1] * m[2]));
        drawing.texts.push({ layer, at: applied(m, item.at), height: item.height * size, angle: item.angle + Math.atan2(m[1], m[0]), text: item.text });
        return;
      }
      if (item.kind === 'point') {
        drawing.points.push({ layer, at: map ? applied(map, item.at) : item.at });
        return;
      }
      let target = byName.get(layer);
      if (!target) byName.set(layer, (target = { name: layer, colour: line?.colour ?? null, lineType: line?.lineType ?? 'CONTINUOUS', contours: [] }));
      const colour = item.colour === 'block' ? (parent?.colour ?? null) : item.colour;
      const segments = map ? item.segments.map((s) => transformed(s, map)) : item.segments;
      const contour: Contour = contourOf(segments, item.closed, colour);
      if (Math.abs(item.z) > 1e-9) contour.depth = -item.z;
      this.heights.add(item.z);
      target.contours.push(contour);
    };
    for (const item of items) put(item, null, null, 0);
    // Layers in the order of the table, then those that only entities name.
    const order = [...this.layers.keys(), ...byName.keys()];
    drawing.layers = [...new Set(order)].map((name) => byName.get(name)).filter((l): l is Layer => l !== undefined);
    return this.withUnit(drawing, hidden);
  }

  private withUnit(bare: Drawing, hidden: Map<string, number>): DxfFile {
    const code = Number(this.header.get('$INSUNITS') ?? 0);
    const unit = insUnits[code] ?? null;
    const measurement = this.header.get('$MEASUREMENT');
    const metric = measurement === undefined ? null : Number(measurement) === 1;
    const scaled = unit && unit.mm !== 1 ? transformedDrawing(bare, [unit.mm, 0, 0, unit.mm, 0, 0]) : bare;
    for (const layer of scaled.layers) for (const c of layer.contours) if (c.depth && unit) c.depth *= unit.mm;
    const reach = reachOf(boxOfDrawing(scaled));
    const drawing = chained(closedByThemselves(scaled, reach), sameDistance(scaled, reach)).drawing;
    const leftOut = [...this.out].map(([what, { count, why }]) => ({ what, count, why }));
    for (const [name, count] of hidden) leftOut.push({ what: `entities on layer "${name}"`, count, why: `the layer is ${this.layers.get(name)?.hidden}` });
    const version = String(this.header.get('$ACADVER') ?? 'AC1009');
    return {
      version,
      binary: this.binary,
      unit: unit?.id ?? null,
      metric,
      drawing,
      kinds: this.kinds,
      leftOut,
      findings: this.findings(drawing, leftOut),
    };
  }

  private findings(drawing: Drawing, leftOut: DxfFile['leftOut']): Finding[] {
    const findings: Finding[] = [];
    const count = leftOut.reduce((n, l) => n + l.count, 0);
    if (count > 0) {
      const list = leftOut.slice(0, 6).map((l) => `${l.count.toLocaleString('en')} × ${l.what} (${l.why})`);
      findings.push({
        code: 'left-out',
        severity: 'look',
        count,
        message: `Left out: ${list.join('; ')}${leftOut.length > 6 ? `; and ${leftOut.length - 6} more kinds` : ''}.`,
        remedy: 'If they matter, turn them into lines, arcs or polylines where the file was made, or bring the file in again with hidden layers taken.',
      });
    }
    if (drawing.texts.length > 0) {
      findings.push({
        code: 'texts',
        severity: 'look',
        count: drawing.texts.length,
        message: `${drawing.texts.length.toLocaleString('en')} texts are writing, not outlines, for instance "${drawing.texts[0].text.slice(0, 30)}"; they are not cut.`,
        remedy: 'Turn them into outlines where the file was made if they are to be cut or engraved.',
      });
    }
    if (this.heights.size > 1) {
      findings.push({
        code: 'several-heights',
        severity: 'look',
        count: this.heights.size,
        message: `Entities lie at ${this.heights.size.toLocaleString('en')} heights (Z); they were laid flat and their depth kept.`,
        remedy: 'Check the layers: depth may tell pockets from cuts.',
      });
    }
    if (drawing.layers.length === 0)
      findings.push({
        code: 'nothing-drawn',
        severity: 'stop',
        count: 1,
        message: 'The file holds no contour that can be used.',
        remedy: 'Check which layers and kinds were left out.',
      });
    return findings;
  }
}

function colourIn(e: Entity, index: number): string | null {
  const i = e.codes.indexOf(420);
  if (i >= 0) return `#${(Number(e.values[i]) & 0xffffff).toString(16).padStart(6, '0')}`;
  return colourOfNumber(index);
}
