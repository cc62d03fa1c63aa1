import type { DxfVersion } from '../../model/dxf-version.ts';
import type { Contour, TextMark } from '../../curves/drawing.ts';
import { boxOfContour } from '../../curves/drawing.ts';
import { bulgeOf, endOf, isFull, pieceOf, startOf, type ArcSegment, type P2, type Segment } from '../../curves/segment.ts';
import { growBox, noBox, type Box2 } from '../../curves/measure.ts';
import { transformed } from '../../curves/affine.ts';
import { insUnitsOf } from '../../base/units.ts';
import { numberOfColour } from './colours.ts';

/** A layer as it is written. */
export interface WrittenLayer {
  name: string;
  colour: string | null;
  lineType: string;
  contours: Contour[];
  texts: TextMark[];
  /** Its contours are areas, not edges: painted where the format can. */
  filled?: boolean;
}

/** Contours that are written once and put at several places. Their layers are those of `layers`. */
export interface WrittenBlock {
  name: string;
  layers: { name: string; contours: Contour[] }[];
  places: P2[];
}

export interface WrittenDrawing {
  layers: WrittenLayer[];
  blocks: WrittenBlock[];
}

const versionCode: Record<DxfVersion, string> = { R12: 'AC1009', '2000': 'AC1015', '2018': 'AC1032' };

/** Line types that are written, as pattern lengths in mm (negative: gap). ISO 128-2 gives the looks; lengths are common practice. */
export const lineTypes: Record<string, { text: string; pattern: number[] }> = {
  CONTINUOUS: { text: 'Solid line', pattern: [] },
  DASHED: { text: 'Dashed', pattern: [6, -3] },
  CENTER: { text: 'Long dash, short dash', pattern: [16, -3, 3, -3] },
  DOT: { text: 'Dotted', pattern: [0, -2] },
};

/**
 * A drawing as DXF text: lines, arcs and circles as they are, chains as polylines with bulges, ellipses and splines as such where the
 * version has them (2000 and later). R12 takes lines and arcs only: everything else has to be fitted before.
 * @param perUnit mm in one unit of the file.
 * @throws RangeError for a curve that the version has no entity for.
 */
export function* dxfFile(drawing: WrittenDrawing, version: DxfVersion, unit: string, perUnit: number): Generator<Uint8Array> {
  yield* new DxfWriter(version, unit, perUnit).file(drawing);
}

const number = (v: number): string => {
  if (Math.abs(v) < 1e-12) return '0.0';
  const text = String(v);
  if (text.includes('e')) return v.toFixed(15);
  return text.includes('.') ? text : `${text}.0`;
};

/**
 * A name as every version takes it and as a reader gives it back: what no name may hold is replaced. Doing it twice changes nothing.
 * Source: DXF Reference, symbol names (R12: capitals, digits, $ - _, at most 31).
 */
export function plainName(name: string, version: DxfVersion): string {
  if (version !== 'R12') return name.replace(/[<>/\\":;?*|=`,\x00-\x1f]/g, '_').trim().slice(0, 100) || '0'; // prettier-ignore
  return (
    name
      .normalize('NFKD')
      .toUpperCase()
      .replace(/[^A-Z0-9$_-]/g, '_')
      .slice(0, 31) || '0'
  );
}

/** A name as it stands in the file's bytes. */
export const symbolName = (name: string, version: DxfVersion): string => escaped(plainName(name, version), version);

/** Before 2007 a file is in a code page: other characters are written by number. */
function escaped(text: string, version: DxfVersion): string {
  if (version === '2018') return text;
  return text.replace(/[^ -~]/g, (c) => `\\U+${c.charCodeAt(0).toString(16).toUpperCase().padStart(4, '0')}`);
}

/**
 * A contour as the entities that DXF has for it: one piece alone, lines and arcs as one polyline; of a chain that holds curves the runs of
 * lines and arcs as polylines and each curve by itself, since no entity holds both.
 */
export function entitiesOf(contour: Contour): Contour[] {
  const { segments } = contour;
  if (segments.length <= 1 || segments.every((s) => s.kind === 'line' || s.kind === 'arc')) return [contour];
  const out: Contour[] = [];
  let run: Segment[] = [];
  const end = () => {
    if (run.length > 0) out.push({ ...contour, segments: run, closed: false });
    run = [];
  };
  for (const s of segments) {
    if (s.kind === 'line' || s.kind === 'arc') run.push(s);
    else {
      end();
      out.push({ ...contour, segments: [s], closed: false });
    }
  }
  end();
  return out;
}

class DxfWriter {
  private readonly version: DxfVersion;
  private readonly unit: string;
  /** mm in one unit of the file; divided by, so that whole inches stay whole. */
  private readonly perUnit: number;
  private readonly old: boolean;
  private text: string[] = [];
  private size = 0;
  private handle = 0x30;
  private readonly encoder = new TextEncoder();

  constructor(version: DxfVersion, unit: string, perUnit: number) {
    this.version = version;
    this.unit = unit;
    this.perUnit = perUnit;
    this.old = version === 'R12';
  }

  private put(...pairs: (number | string)[]): void {
    for (let i = 0; i < pairs.length; i += 2) this.text.push(`${pairs[i]}\n${pairs[i + 1]}\n`);
  }

  private *flush(least = 0): Generator<Uint8Array> {
    if (this.text.length <= least) return;
    const bytes = this.encoder.encode(this.text.join(''));
    this.size += bytes.length;
    this.text = [];
    yield bytes;
  }

  private next(): string {
    return (this.handle++).toString(16).toUpperCase();
  }

  *file(drawing: WrittenDrawing): Generator<Uint8Array> {
    const layers = (this.old ? expanded(drawing) : drawing.layers).map((l) => ({ ...l, name: symbolName(l.name, this.version) }));
    const blocks = (this.old ? [] : drawing.blocks).map((b) => ({ ...b, name: symbolName(b.name, this.version) }));
    const box = this.extents(drawing);
    this.header(box);
    if (!this.old) this.put(0, 'SECTION', 2, 'CLASSES', 0, 'ENDSEC');
    this.tables(layers, blocks);
    this.put(0, 'SECTION', 2, 'BLOCKS');
    if (!this.old) {
      this.block('*Model_Space', '20', '1F');
      this.block('*Paper_Space', '24', '1B');
    }
    for (const b of blocks) this.ownBlock(b);
    this.put(0, 'ENDSEC', 0, 'SECTION', 2, 'ENTITIES');
    for (const layer of layers) {
      for (const contour of layer.contours) {
        this.contour(contour, layer.name, '1F');
        yield* this.flush(20_000);
      }
      for (const t of layer.texts) this.textMark(t, layer.name);
    }
    for (const b of blocks) for (const at of b.places) this.insert(b.name, at);
    this.put(0, 'ENDSEC');
    if (!this.old) this.objects();
    this.put(0, 'EOF');
    yield* this.flush();
  }

  private extents(drawing: WrittenDrawing): Box2 {
    const box = noBox();
    const grow = (b: Box2, at: P2) => {
      growBox(box, [b[0] + at[0], b[1] + at[1]]);
      growBox(box, [b[2] + at[0], b[3] + at[1]]);
    };
    for (const l of drawing.layers) for (const c of l.contours) grow(boxOfContour(c), [0, 0]);
    for (const b of drawing.blocks) for (const l of b.layers) for (const c of l.contours) for (const at of b.places) grow(boxOfContour(c), at);
    return box[0] > box[2] ? [0, 0, 0, 0] : (box.map((v) => v / this.perUnit) as Box2);
  }

  private header(box: Box2): void {
    const { version, unit } = this;
    this.put(0, 'SECTION', 2, 'HEADER', 9, '$ACADVER', 1, versionCode[version]);
    if (!this.old) this.put(9, '$DWGCODEPAGE', 3, 'ANSI_1252', 9, '$HANDSEED', 5, 'FFFFFF');
    this.put(9, '$INSBASE', 10, '0.0', 20, '0.0', 30, '0.0');
    this.put(9, '$EXTMIN', 10, number(box[0]), 20, number(box[1]), 30, '0.0', 9, '$EXTMAX', 10, number(box[2]), 20, number(box[3]), 30, '0.0');
    this.put(9, '$LIMMIN', 10, number(box[0]), 20, number(box[1]), 9, '$LIMMAX', 10, number(box[2]), 20, number(box[3]));
    this.put(9, '$LTSCALE', 40, '1.0');
    // R12 knows neither variable by its reference, but readers of today look for them in any version.
    this.put(9, '$INSUNITS', 70, insUnitsOf(unit), 9, '$MEASUREMENT', 70, unit === 'in' || unit === 'ft' ? 0 : 1, 0, 'ENDSEC');
  }

  private table(name: string, handle: string, count: number, rows: () => void): void {
    this.put(0, 'TABLE', 2, name);
    if (!this.old) this.put(5, handle, 330, '0', 100, 'AcDbSymbolTable');
    this.put(70, count);
    if (!this.old && name === 'DIMSTYLE') this.put(100, 'AcDbDimStyleTable');
    rows();
    this.put(0, 'ENDTAB');
  }

  private row(type: string, owner: string, kind: string, handle = this.next()): void {
    this.put(0, type);
    if (this.old) return;
    this.put(type === 'DIMSTYLE' ? 105 : 5, handle, 330, owner, 100, 'AcDbSymbolTableRecord', 100, kind);
  }

  private tables(layers: { name: string; colour: string | null; lineType: string }[], blocks: { name: string }[]): void {
    this.put(0, 'SECTION', 2, 'TABLES');
    const used = [...new Set(['CONTINUOUS', ...layers.map((l) => this.lineType(l.lineType))])];
    if (!this.old) this.table('VPORT', '8', 0, () => {});
    this.table('LTYPE', '5', used.length + (this.old ? 0 : 2), () => {
      if (!this.old) {
        for (const name of ['ByBlock', 'ByLayer']) {
          this.row('LTYPE', '5', 'AcDbLinetypeTableRecord');
          this.put(2, name, 70, 0, 3, '', 72, 65, 73, 0, 40, '0.0');
        }
      }
      for (const name of used) {
        const { text, pattern } = lineTypes[name];
        this.row('LTYPE', '5', 'AcDbLinetypeTableRecord');
        const total = pattern.reduce((n, v) => n + Math.abs(v), 0);
        this.put(2, name === 'CONTINUOUS' && !this.old ? 'Continuous' : name, 70, 0, 3, text, 72, 65, 73, pattern.length, 40, number(total / this.perUnit));
        for (const v of pattern) this.put(49, number(v / this.perUnit), ...(this.old ? [] : [74, 0]));
      }
    });
    const rows = [{ name: '0', colour: null, lineType: 'CONTINUOUS' }, ...layers.filter((l) => l.name !== '0')];
    this.table('LAYER', '2', rows.length, () => {
      for (const l of rows) {
        this.row('LAYER', '2', 'AcDbLayerTableRecord');
        this.put(2, l.name, 70, 0, 62, numberOfColour(l.colour));
        if (this.version === '2018' && l.colour) this.put(420, parseInt(l.colour.slice(1), 16));
        const type = this.lineType(l.lineType);
        this.put(6, type === 'CONTINUOUS' && !this.old ? 'Continuous' : type);
        if (!this.old) this.put(390, 'F');
      }
    });
    this.table('STYLE', '3', 1, () => {
      this.row('STYLE', '3', 'AcDbTextStyleTableRecord');
      this.put(2, this.old ? 'STANDARD' : 'Standard', 70, 0, 40, '0.0', 41, '1.0', 50, '0.0', 71, 0, 42, '2.5', 3, 'txt', 4, '');
    });
    if (this.old) {
      this.put(0, 'ENDSEC');
      return;
    }
    this.table('VIEW', '6', 0, () => {});
    this.table('UCS', '7', 0, () => {});
    this.table('APPID', '9', 1, () => {
      this.row('APPID', '9', 'AcDbRegAppTableRecord');
      this.put(2, 'ACAD', 70, 0);
    });
    this.table('DIMSTYLE', 'A', 1, () => {
      this.row('DIMSTYLE', 'A', 'AcDbDimStyleTableRecord');
      this.put(2, 'Standard', 70, 0);
    });
    this.table('BLOCK_RECORD', '1', 2 + blocks.length, () => {
      const record = (name: string, handle: string, layout: string) => {
        this.row('BLOCK_RECORD', '1', 'AcDbBlockTableRecord', handle);
        this.put(2, name, 340, layout, 70, 0, 280, 1, 281, 0);
      };
      record('*Model_Space', '1F', '22');
      record('*Paper_Space', '1B', '1E');
      blocks.forEach((b, i) => record(b.name, blockHandle(i), '0'));
      this.blockHandles = new Map(blocks.map((b, i) => [b.name, blockHandle(i)]));
    });
    this.put(0, 'ENDSEC');
  }

  private blockHandles = new Map<string, string>();

  private lineType(name: string): string {
    const upper = name.toUpperCase();
    return upper in lineTypes ? upper : 'CONTINUOUS';
  }

  private block(name: string, handle: string, owner: string, inside: () => void = () => {}): void {
    this.put(0, 'BLOCK');
    if (!this.old) this.put(5, handle, 330, owner, 100, 'AcDbEntity');
    this.put(8, '0');
    if (!this.old) this.put(100, 'AcDbBlockBegin');
    this.put(2, name, 70, 0, 10, '0.0', 20, '0.0', 30, '0.0', 3, name);
    if (!this.old) this.put(1, '');
    inside();
    this.put(0, 'ENDBLK');
    if (!this.old) this.put(5, this.next(), 330, owner, 100, 'AcDbEntity');
    this.put(8, '0');
    if (!this.old) this.put(100, 'AcDbBlockEnd');
  }

  private ownBlock(b: WrittenBlock): void {
    const owner = this.blockHandles.get(b.name) ?? '0';
    this.block(b.name, this.next(), owner, () => {
      for (const l of b.layers) for (const c of l.contours) this.contour(c, symbolName(l.name, this.version), owner);
    });
  }

  private entity(type: string, layer: string, owner: string, kind: string): void {
    const colour =
      this.colour === null ? '' : `62\n${numberOfColour(this.colour)}\n${this.version === '2018' ? `420\n${parseInt(this.colour.slice(1), 16)}\n` : ''}`;
    if (this.old) this.text.push(`0\n${type}\n8\n${layer}\n${colour}`);
    else this.text.push(`0\n${type}\n5\n${this.next()}\n330\n${owner}\n100\nAcDbEntity\n8\n${layer}\n${colour}100\n${kind}\n`);
  }

  private point(code: number, p: readonly number[]): void {
    this.text.push(`${code}\n${number(p[0] / this.perUnit)}\n${code + 10}\n${number(p[1] / this.perUnit)}\n${code + 20}\n0.0\n`);
  }

  private contour(contour: Contour, layer: string, owner: string): void {
    this.colour = contour.colour;
    for (const { segments, closed } of entitiesOf(contour)) {
      if (segments.length === 1) this.single(segments[0], layer, owner);
      else this.polyline(segments, closed, layer, owner);
    }
    this.colour = null;
  }

  /** Colour of the entities that are written; null takes the layer's. */
  private colour: string | null = null;

  private single(s: Segment, layer: string, owner: string): void {
    switch (s.kind) {
      case 'line':
        this.entity('LINE', layer, owner, 'AcDbLine');
        this.point(10, s.a);
        this.point(11, s.b);
        return;
      case 'arc':
        this.entity(isFull(s) ? 'CIRCLE' : 'ARC', layer, owner, 'AcDbCircle');
        this.point(10, s.centre);
        this.put(40, number(s.radius / this.perUnit));
        if (!isFull(s)) {
          if (!this.old) this.put(100, 'AcDbArc');
          const [from, to] = s.sweep > 0 ? [s.start, s.start + s.sweep] : [s.start + s.sweep, s.start];
          this.put(50, number(degreesOf(from)), 51, number(degreesOf(to)));
        }
        return;
      case 'ellipse': {
        if (this.old) throw new RangeError('R12 has no ellipse');
        this.entity('ELLIPSE', layer, owner, 'AcDbEllipse');
        this.point(10, s.centre);
        this.point(11, s.u);
        const full = isFull(s);
        const [from, to] = full ? [0, 2 * Math.PI] : s.sweep > 0 ? [s.start, s.start + s.sweep] : [s.start + s.sweep, s.start];
        this.put(
          210,
          '0.0',
          220,
          '0.0',
          230,
          '1.0',
          40,
          number(s.ratio),
          41,
          number(full ? 0 : wrapped(from)),
          42,
          number(full ? to : wrapped(from) + (to - from)),
        );
        return;
      }
      default:
        this.spline(s, layer, owner);
    }
  }

  private spline(s: Exclude<Segment, { kind: 'line' | 'arc' | 'ellipse' }>, layer: string, owner: string): void {
    if (this.old) throw new RangeError('R12 has no spline');
    const degree = s.kind === 'bezier' ? s.points.length - 1 : s.degree;
    const knots = s.kind === 'bezier' ? [...Array(degree + 1).fill(0), ...Array(degree + 1).fill(1)] : s.knots;
    const weights = s.kind === 'bezier' ? null : s.weights;
    this.entity('SPLINE', layer, owner, 'AcDbSpline');
    this.put(210, '0.0', 220, '0.0', 230, '1.0', 70, weights ? 12 : 8, 71, degree, 72, knots.length, 73, s.points.length, 74, 0, 42, '1e-9', 43, '1e-10');
    for (const k of knots) this.put(40, number(k));
    if (weights) for (const w of weights) this.put(41, number(w));
    for (const p of s.points) this.point(10, p);
  }

  private polyline(segments: Segment[], closed: boolean, layer: string, owner: string): void {
    const parts = segments.flatMap((s) => (isFull(s) ? [pieceOf(s as ArcSegment, 0, 0.5), pieceOf(s as ArcSegment, 0.5, 1)] : [s]));
    const points = parts.map(startOf);
    const bulges = parts.map((s) => (s.kind === 'arc' ? bulgeOf(s) : 0));
    if (!closed) {
      points.push(endOf(parts[parts.length - 1]));
      bulges.push(0);
    }
    if (this.old) {
      this.put(0, 'POLYLINE', 8, layer, 66, 1, 10, '0.0', 20, '0.0', 30, '0.0', 70, closed ? 1 : 0);
      points.forEach((p, i) => {
        this.put(0, 'VERTEX', 8, layer);
        this.point(10, p);
        if (bulges[i] !== 0) this.put(42, number(bulges[i]));
      });
      this.put(0, 'SEQEND', 8, layer);
      return;
    }
    this.entity('LWPOLYLINE', layer, owner, 'AcDbPolyline');
    this.put(90, points.length, 70, closed ? 1 : 0, 43, '0.0');
    points.forEach((p, i) => {
      this.text.push(`10\n${number(p[0] / this.perUnit)}\n20\n${number(p[1] / this.perUnit)}\n`);
      if (bulges[i] !== 0) this.text.push(`42\n${number(bulges[i])}\n`);
    });
  }

  private textMark(t: TextMark, layer: string): void {
    this.entity('TEXT', layer, '1F', 'AcDbText');
    this.point(10, t.at);
    this.put(40, number(t.height / this.perUnit), 1, escaped(t.text.replace(/[\r\n]+/g, ' '), this.version), 50, number(degreesOf(t.angle)));
    if (!this.old) this.put(100, 'AcDbText');
  }

  private insert(name: string, at: P2): void {
    this.entity('INSERT', '0', '1F', 'AcDbBlockReference');
    this.put(2, name);
    this.point(10, at);
  }

  /** The objects that 2000 and later want: the root dictionary and what hangs on it. */
  private objects(): void {
    this.put(0, 'SECTION', 2, 'OBJECTS');
    const dictionary = (handle: string, owner: string, entries: [string, string][]) => {
      this.put(0, 'DICTIONARY', 5, handle, 330, owner, 100, 'AcDbDictionary', 281, 1);
      for (const [name, value] of entries) this.put(3, name, 350, value);
    };
    dictionary('C', '0', [
      ['ACAD_GROUP', 'D'],
      ['ACAD_LAYOUT', '1A'],
      ['ACAD_PLOTSTYLENAME', 'E'],
    ]);
    dictionary('D', 'C', []);
    dictionary('1A', 'C', [
      ['Layout1', '1E'],
      ['Model', '22'],
    ]);
    this.put(0, 'ACDBDICTIONARYWDFLT', 5, 'E', 330, 'C', 100, 'AcDbDictionary', 281, 1, 3, 'Normal', 350, 'F', 100, 'AcDbDictionaryWithDefault', 340, 'F');
    this.put(0, 'ACDBPLACEHOLDER', 5, 'F', 330, 'E');
    for (const [handle, name, order, record] of [
      ['1E', 'Layout1', 1, '1B'],
      ['22', 'Model', 0, '1F'],
    ] as const) {
      this.put(0, 'LAYOUT', 5, handle, 330, '1A', 100, 'AcDbPlotSettings', 1, '', 4, '', 6, '', 70, name === 'Model' ? 1712 : 688, 72, 0, 73, 0, 74, 5);
      this.put(100, 'AcDbLayout', 1, name, 70, 1, 71, order, 10, '0.0', 20, '0.0', 11, '420.0', 21, '297.0', 146, '0.0');
      this.put(13, '0.0', 23, '0.0', 33, '0.0', 16, '1.0', 26, '0.0', 36, '0.0', 17, '0.0', 27, '1.0', 37, '0.0', 76, 0, 330, record);
    }
    this.put(0, 'ENDSEC');
  }
}

/** R12 readers differ on polylines inside blocks: there the copies are written out. */
function expanded(drawing: WrittenDrawing): WrittenLayer[] {
  const layers = drawing.layers.map((l) => ({ ...l, contours: [...l.contours] }));
  for (const b of drawing.blocks) {
    for (const l of b.layers) {
      let target = layers.find((own) => own.name === l.name);
      if (!target) layers.push((target = { name: l.name, colour: null, lineType: 'CONTINUOUS', contours: [], texts: [] }));
      for (const [x, y] of b.places)
        for (const c of l.contours) target.contours.push({ ...c, segments: c.segments.map((s) => transformed(s, [1, 0, 0, 1, x, y])) });
    }
  }
  return layers;
}

const blockHandle = (i: number) => (0xf00000 + i).toString(16).toUpperCase();
const degreesOf = (angle: number) => ((((angle * 180) / Math.PI) % 360) + 360) % 360;
const wrapped = (angle: number) => ((angle % (2 * Math.PI)) + 2 * Math.PI) % (2 * Math.PI);
