import { latin } from '../../base/latin.ts';
import { boxOfDrawing, reachOf, transformedDrawing, type Drawing } from '../../curves/drawing.ts';
import { chained, sameDistance } from '../../curves/chain.ts';
import { Unusable, type Finding } from '../../base/finding.ts';
import { lossFinding, type Loss } from '../../base/loss.ts';
import { unitOfInsUnits } from '../../base/units.ts';
import { noEndOfFile } from '../end-of-file.ts';
import { chainsOf, colourIn, inOwnPlane } from './entities.ts';
import { numberAt, textAt, type Entity } from './entity.ts';
import { frameOf } from './frame.ts';
import { keyOf, LayerTable } from './layers.ts';
import { soundSegment } from '../../curves/sound.ts';
import { writingFinding } from '../../curves/writing.ts';
import { sound } from '../../base/sound.ts';
import { closedByThemselves, copiesOf } from './values.ts';
import { writingOf } from './writing.ts';
import { asciiPairs, binaryPairs, isBinaryDxf, type Pairs } from './pairs.ts';
import { Unfolder, type Block, type ByBlock, type Item, type Unfolded } from './unfold.ts';

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
  leftOut: Loss[];
  findings: Finding[];
}

/** Limits checked before memory is taken. */
const mostEntities = 3_000_000;

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

/** Whether bytes look like DXF: binary by its head, text by its first pair that is no comment. Reads line by line, once. */
export function looksLikeDxf(bytes: Uint8Array): boolean {
  if (isBinaryDxf(bytes)) return true;
  const lines = latin(bytes.subarray(0, 2048))
    .replace(/^\xef\xbb\xbf/, '')
    .split('\n', 400);
  let i = 0;
  while (i < lines.length && lines[i].trim() === '') i++;
  while (i + 1 < lines.length && lines[i].trim() === '999') i += 2;
  return lines[i]?.trim() === '0' && lines[i + 1]?.trim() === 'SECTION';
}

export interface DxfChoices {
  /** Whether what a plot would not show is taken: layers that are off, frozen or not plotted, and Defpoints. */
  hidden: boolean;
  /** Whether lines of a broken type are taken although their layer does not say what they are for. */
  reference?: boolean;
  keepBad: boolean;
}

/**
 * Reads DXF, text or binary, R12 to 2018. Curves stay what they are.
 * @throws Unusable with a sentence when it can't be read.
 * @example readDxf(bytes).drawing.layers[0].contours.length
 */
export function readDxf(bytes: Uint8Array, choices: DxfChoices = { hidden: false, keepBad: true }): DxfFile {
  const binary = isBinaryDxf(bytes);
  return new DxfReader(binary ? binaryPairs(bytes) : asciiPairs(latin(bytes)), binary, choices).read();
}

class DxfReader {
  private readonly pairs: Pairs;
  private readonly binary: boolean;
  private readonly choices: DxfChoices;
  private readonly header = new Map<string, string | number>();
  private readonly layers = new LayerTable();
  private readonly blocks = new Map<string, Block>();
  private readonly kinds: Record<string, number> = {};
  private decoder: InstanceType<typeof TextDecoder> | null = null;
  private entities = 0;

  constructor(pairs: Pairs, binary: boolean, choices: DxfChoices) {
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
      if (pairs.value === 'EOF') this.sawEnd = true;
      if (this.sawEnd) break;
      if (String(pairs.value).trim() !== 'SECTION' || !pairs.next()) continue;
      sections++;
      const name = String(pairs.value).trim();
      if (name === 'HEADER') this.readHeader();
      else if (name === 'TABLES') this.readTables();
      else if (name === 'BLOCKS') this.readBlocks();
      else if (name === 'ENTITIES') items = this.readItems('entities');
    }
    if (sections === 0) throw new Unusable('not-dxf', 'The file has no DXF section.', 'Export it again as DXF, from the program that made it.');
    return this.finished(items);
  }

  /** Whether the file says where it ends. */
  private sawEnd = false;

  /** The next pair of a section that has not ended yet. @throws Unusable where the file ends in the middle of it: half of a drawing is another drawing */
  private within(section: string): void {
    if (this.pairs.next()) return;
    throw new Unusable('cut-short', `The file ends in the middle of its ${section}, after ${this.pairs.where()}.`, 'Export it again, or copy it whole.');
  }

  /** Text of the file in its own code page; \\U+XXXX stands for any character. */
  private text(value: string | number | null): string {
    const raw = String(value ?? '');

    const plain = /^[\x00-\x7f]*$/.test(raw) ? raw : this.decode(raw);
    if (/^[\x20-\x7e]*$/.test(plain) && !plain.includes('\\U+')) return plain;
    return sound(plain.replace(/\\U\+([0-9A-Fa-f]{4})/g, (_, hex: string) => String.fromCharCode(parseInt(hex, 16))));
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
    for (;;) {
      this.within('header');
      if (pairs.code === 0) return;
      if (pairs.code === 9) name = String(pairs.value).trim();
      else if (name && !this.header.has(name)) this.header.set(name, typeof pairs.value === 'string' ? pairs.value.trim() : pairs.value);
    }
  }

  private readTables(): void {
    const { pairs } = this;
    for (;;) {
      this.within('tables');
      if (pairs.code !== 0) continue;
      const type = String(pairs.value).trim();
      if (type === 'ENDSEC') return;
      if (type !== 'LAYER' && type !== 'LTYPE') continue;
      const e = this.entity(type);
      const name = this.text(textAt(e, 2));
      if (type === 'LAYER') this.layers.add(e, name);
      else this.layers.addLineType(e, name);
    }
  }

  private readBlocks(): void {
    const { pairs } = this;
    for (;;) {
      this.within('blocks');
      if (pairs.code !== 0) continue;
      const type = String(pairs.value).trim();
      if (type === 'ENDSEC') return;
      if (type !== 'BLOCK') continue;
      const head = this.entity('BLOCK');
      const name = this.text(textAt(head, 2));
      // Flags 4 and 8: the block stands for another file. Source: DXF Reference, BLOCK.
      const outside = numberAt(head, 70) & 12 ? this.text(textAt(head, 1)) : null;
      const block: Block = { name, base: [numberAt(head, 10), numberAt(head, 20), numberAt(head, 30)], items: this.readItems('blocks'), outside };
      if (!this.blocks.has(keyOf(name))) this.blocks.set(keyOf(name), block);
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
      if (code === 101) {
        // An embedded object: columns of writing and the like, with codes of their own, up to the end of the entity.
        while (pairs.next() && pairs.code !== 0);
        if (pairs.code === 0) pairs.back();
        break;
      }
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
  private readItems(section: string): Item[] {
    const { pairs } = this;
    const items: Item[] = [];
    for (;;) {
      this.within(section);
      if (pairs.code !== 0) continue;
      const type = String(pairs.value).trim();
      if (type === 'EOF') this.sawEnd = true;
      if (type === 'ENDSEC' || type === 'ENDBLK' || this.sawEnd) return items;
      if (++this.entities > mostEntities)
        throw new Unusable('too-many-entities', `The file has more than ${mostEntities.toLocaleString('en')} entities.`, 'Export fewer layers at a time.');
      const e = this.entity(type, false);
      if (type === 'POLYLINE') e.vertices = this.followers('VERTEX');
      this.kinds[type] = (this.kinds[type] ?? 0) + 1;
      this.take(e, items);
      if (type === 'INSERT' && numberAt(e, 66) === 1) for (const a of this.followers('ATTRIB')) this.take(a, items);
    }
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
    // A window onto the model is no geometry.
    if (e.type === 'VIEWPORT' || e.type === 'SEQEND') return;
    const layer = this.text(textAt(e, 8) ?? '0');
    const lost = (what: string, why: string): void => void items.push({ kind: 'lost', layer, what, why });
    if (numberAt(e, 67) === 1) return lost(`${e.type} on the sheet layout`, 'it is not in the model');
    if (numberAt(e, 60) === 1) return lost(`${e.type} made invisible`, 'the file says not to show it');
    this.put(e, items, layer, lost);
  }

  private put(e: Entity, items: Item[], layer: string, lost: (what: string, why: string) => void): void {
    const frame = inOwnPlane.has(e.type) ? frameOf(e) : null;
    const z = e.type === 'LWPOLYLINE' ? numberAt(e, 38) : numberAt(e, 30);
    switch (e.type) {
      case 'INSERT':
        items.push({ kind: 'insert', layer, ...this.lookOf(e), block: this.text(textAt(e, 2)), copies: copiesOf(e, frame) });
        return;
      case 'POINT':
        items.push({ kind: 'point', layer, at: [numberAt(e, 10), numberAt(e, 20)], z });
        return;
      case 'TEXT':
      case 'MTEXT':
      case 'ATTRIB': {
        const mark = writingOf(e, (value) => this.text(value));
        if (mark) items.push({ kind: 'text', layer, mark, z, frame });
        return;
      }
      default: {
        const zEnd = e.type === 'LINE' && numberAt(e, 31) !== z ? numberAt(e, 31) : null;
        const meaning = areas.has(e.type) ? ('fill' as const) : null;
        for (const chain of this.usableChains(e, lost)) items.push({ kind: 'chain', layer, ...this.lookOf(e), ...chain, meaning, frame, z, zEnd });
      }
    }
  }

  private lookOf(e: Entity) {
    const index = numberAt(e, 62, 256);
    const colour = index === 0 && !e.codes.includes(420) ? ('block' as const) : colourIn(e, index);
    return { colour, lineType: lineTypeOf(this.text(textAt(e, 6))) };
  }

  /** The chains of an entity whose numbers make curves; what doesn't is told, or refused. */
  private usableChains(e: Entity, lost: (what: string, why: string) => void): Pick<Extract<Item, { kind: 'chain' }>, 'segments' | 'closed'>[] {
    const chains = chainsOf(e);
    if (chains === null) {
      lost(e.type, notRead[e.type] ?? 'this kind is not read');
      return [];
    }
    const usable = chains.filter((c) => c.segments.length > 0 && c.segments.every(soundSegment));
    if (usable.length < Math.max(1, chains.length)) {
      if (!this.choices.keepBad)
        throw new Unusable('bad-entity', `A ${e.type} before ${this.pairs.where()} has no usable geometry.`, 'Choose to keep or leave out bad entities.');
      lost(`${e.type} without usable geometry`, 'its numbers make no curve');
    }
    if (usable.length > 0 && hasWidth(e)) lost(`width of ${e.type}`, 'its middle line is taken');
    return usable.map(({ segments, closed }) => ({ segments, closed }));
  }

  private finished(items: Item[]): DxfFile {
    const { hidden, reference = false } = this.choices;
    let unfolded = new Unfolder(this.layers, this.blocks, { hidden, reference: reference || hidden }).unfold(items);
    // When broken lines are all there is, they are what is meant.
    if (unfolded.drawing.layers.length === 0 && !reference && !hidden)
      unfolded = new Unfolder(this.layers, this.blocks, { hidden, reference: true }).unfold(items);
    return this.withUnit(unfolded);
  }

  private withUnit({ drawing: bare, losses, heights }: Unfolded): DxfFile {
    const unit = unitOfInsUnits(Number(this.header.get('$INSUNITS') ?? 0));
    const measurement = this.header.get('$MEASUREMENT');
    const metric = measurement === undefined ? null : Number(measurement) === 1;
    const scaled = unit && unit.mm !== 1 ? transformedDrawing(bare, [unit.mm, 0, 0, unit.mm, 0, 0]) : bare;
    for (const layer of scaled.layers) for (const c of layer.contours) if (c.depth && unit) c.depth *= unit.mm;
    const reach = reachOf(boxOfDrawing(scaled));
    const drawing = chained(closedByThemselves(scaled, reach), sameDistance(scaled, reach)).drawing;
    const leftOut = losses.list();
    return {
      version: String(this.header.get('$ACADVER') ?? 'AC1009'),
      binary: this.binary,
      unit: unit?.id ?? null,
      metric,
      drawing,
      kinds: this.kinds,
      leftOut,
      findings: this.findings(drawing, leftOut, heights.size),
    };
  }

  private findings(drawing: Drawing, leftOut: Loss[], heights: number): Finding[] {
    const findings: Finding[] = [];
    const lost = lossFinding(leftOut);
    if (lost) findings.push(lost);
    if (!this.sawEnd) findings.push(noEndOfFile('EOF'));
    findings.push(...writingFinding(drawing.texts));
    const fills = drawing.layers.reduce((n, l) => n + l.contours.filter((c) => c.meaning === 'fill').length, 0);
    if (fills > 0) {
      const all = drawing.layers.every((l) => l.contours.every((c) => c.meaning === 'fill'));
      findings.push({
        code: 'filled-areas',
        severity: all ? 'look' : 'clear',
        count: fills,
        message: `${fills.toLocaleString('en')} filled ${fills === 1 ? 'area' : 'areas'} (hatches and solids) ${fills === 1 ? 'is' : 'are'} taken as filled, to be engraved, and not as ${fills === 1 ? 'an edge' : 'edges'} to be cut.`,
        remedy: 'Give them another meaning on the Layers step if their edges are to be cut.',
      });
    }
    if (heights > 1) {
      findings.push({
        code: 'several-heights',
        severity: 'look',
        count: heights,
        message: `Entities lie at ${heights.toLocaleString('en')} heights (Z); they were laid flat and their depth kept.`,
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

/** Kinds that are told with a reason of their own. */
const notRead: Record<string, string> = {
  DIMENSION: 'dimensions are for reading',
  LEADER: 'leaders are for reading',
  MULTILEADER: 'leaders are for reading',
  IMAGE: 'a picture is in another file',
  '3DSOLID': 'solids are read from STEP',
  BODY: 'solids are read from STEP',
  XLINE: 'a line without end can not be cut',
  RAY: 'a line without end can not be cut',
};

/** Entities that are areas, not edges: they are engraved or shown, never cut. */
const areas = new Set(['HATCH', 'SOLID', 'TRACE']);

/** The line type that an entity names: null takes its layer's. */
function lineTypeOf(name: string): ByBlock<{ name: string }> {
  const key = keyOf(name);
  if (key === '' || key === 'BYLAYER') return null;
  return key === 'BYBLOCK' ? 'block' : { name };
}

/** Whether a polyline is drawn with a width. */
function hasWidth(e: Entity): boolean {
  if (e.type !== 'LWPOLYLINE' && e.type !== 'POLYLINE') return false;
  const wide = (of: Entity, codes: number[]) => of.codes.some((c, i) => codes.includes(c) && Number(of.values[i]) > 0);
  return e.type === 'LWPOLYLINE' ? wide(e, [40, 41, 43]) : wide(e, [40, 41]) || (e.vertices ?? []).some((v) => wide(v, [40, 41]));
}
