import { flattened } from '../curves/flatten.ts';
import { boxOfContour } from '../curves/drawing.ts';
import { areaOf, offsetContour } from '../curves/offset.ts';
import { growBox, noBox, type Box2 } from '../curves/measure.ts';
import type { Meant } from '../drawing/meaning.ts';
import type { Finding } from '../base/finding.ts';
import type { Engine } from '../engine/engine.ts';
import { cutOrder } from './cutters.ts';
import type { Cutter } from '../receivers/receivers.ts';

/** What the router does with its file. Lengths in mm. */
export interface CarveChoice {
  stock: { width: number; height: number; thickness: number };
  /** Diameter of the bit. */
  bit: number;
  /** Where the bit runs beside a cut contour: on it (the file holds its path already), or on its waste side. */
  side: 'on' | 'waste';
  /** How deep a through cut goes below the sheet. */
  below: number;
  pocketDepth: number;
  engraveDepth: number;
}

/** The carved sheet as a height field: depth below the top at each cell, 0 untouched. */
export interface Carved {
  columns: number;
  rows: number;
  /** Edge of a cell, mm. */
  cell: number;
  /** Low left corner of the field on the sheet, mm: only the part of it where something is cut. */
  x: number;
  y: number;
  depths: Float32Array;
  /** Volume taken away, mm3, and length of all passes, mm. */
  removed: number;
  passes: number;
  length: number;
  time: number;
  deepest: number;
  findings: Finding[];
}

/** Most cells of a height field along the longer side. */
const mostCells = 900;

/**
 * What a router leaves of the sheet: profiles on the line or on the waste side, pockets, engraving with a pointed bit; as a height field
 * of square cells. A cell is cut when its middle is. Source of the V bit: depth d makes a groove 2 d tan(angle / 2) wide.
 */
export function carve(engine: Engine, meant: readonly Meant[], cutter: Cutter, choice: CarveChoice): Carved {
  const { stock } = choice;
  const [x, y, right, top] = windowOf(meant, choice);
  const cell = Math.max(0.1, Math.max(right - x, top - y) / mostCells);
  const columns = Math.max(1, Math.round((right - x) / cell));
  const rows = Math.max(1, Math.round((top - y) / cell));
  const field = new HeightField({ columns, rows, cell, x, y });
  const carving = new Carving(engine, field, cutter, choice);
  for (const { number } of cutOrder(meant)) {
    const m = meant[number];
    if (m.meaning !== 'stock' && m.meaning !== 'label' && m.meaning !== 'bend') carving.cut(m);
  }
  const { length, passes, plunges } = carving;
  return {
    columns,
    rows,
    cell,
    x,
    y,
    depths: field.depths,
    removed: field.removed(stock.thickness),
    passes,
    length,
    time: (length / cutter.feed) * 60 + plunges * cutter.pierce,
    deepest: field.deepest(),
    findings: carving.findings(),
  };
}

/** The bit going from contour to contour. Lengths in mm. */
class Carving {
  length = 0;
  passes = 0;
  plunges = 0;
  private outside = 0;
  private readonly told: Finding[] = [];
  private readonly engine: Engine;
  private readonly field: HeightField;
  private readonly cutter: Cutter;
  private readonly choice: CarveChoice;
  /** How near chords follow a curve. */
  private readonly fine: number;

  constructor(engine: Engine, field: HeightField, cutter: Cutter, choice: CarveChoice) {
    this.engine = engine;
    this.field = field;
    this.cutter = cutter;
    this.choice = choice;
    this.fine = Math.min(field.grid.cell / 4, 0.05);
  }

  cut(m: Meant): void {
    const { stock } = this.choice;
    const [left, bottom, right, top] = boxOfContour(m.contour);
    if (left < -1e-6 || bottom < -1e-6 || right > stock.width + 1e-6 || top > stock.height + 1e-6) this.outside++;
    const depth = depthOf(m, this.choice);
    if (m.meaning === 'engrave' || m.meaning === 'score') return this.engrave(m, depth);
    const times = this.cutter.pass > 0 ? Math.ceil(depth / this.cutter.pass) : 1;
    if (m.meaning === 'pocket' && depth >= stock.thickness)
      this.stop('pocket-through', `A pocket of ${depth} mm goes through the sheet of ${stock.thickness} mm.`, 'Make it shallower, or cut it as a hole.');
    if (m.meaning === 'pocket' && m.contour.closed) this.empty(m, depth, times);
    else this.follow(m, depth, times);
    this.passes += times;
    this.plunges += times;
  }

  /** By a pointed bit, in one pass. */
  private engrave(m: Meant, depth: number): void {
    const half = depth * Math.tan((this.cutter.engraveAngle * Math.PI) / 360);
    const path = flattened(m.contour.segments, this.fine);
    this.field.groove(path, half, depth);
    this.length += pathLength(path);
    this.plunges++;
    this.passes++;
  }

  /** A pocket: emptied in rings half a bit apart, so its area over that step is the length of the path. Common practice, no source. */
  private empty(m: Meant, depth: number, times: number): void {
    const { bit } = this.choice;
    const region = areaOf(this.engine, [m.contour], this.fine);
    const inner = region.offset(-bit / 2, 'Round', 2, 64);
    const swept = inner.offset(bit / 2, 'Round', 2, 64);
    this.field.area(swept.toPolygons(), depth);
    this.length += (swept.area() / (bit / 2)) * times;
    if (inner.isEmpty()) this.stop('pocket-too-narrow', `A pocket is too narrow for the bit of ${bit} mm.`, 'Take a smaller bit, or widen it.');
    for (const c of [region, inner, swept]) c.delete();
  }

  /** A way along the contour, or beside it. */
  private follow(m: Meant, depth: number, times: number): void {
    const { bit, side } = this.choice;
    const beside = side === 'waste' && m.contour.closed;
    const paths = beside ? offsetContour(this.engine, m.contour, m.depth % 2 === 0 ? bit / 2 : -bit / 2).contours : [m.contour];
    if (paths.length === 0) this.stop('hole-too-small', `A hole is smaller than the bit of ${bit} mm.`, 'Drill it, or take a smaller bit.');
    for (const c of paths) {
      const path = flattened(c.segments, this.fine);
      this.field.slot(path, bit / 2, depth);
      this.length += pathLength(path) * times;
    }
  }

  private stop(code: string, message: string, remedy: string): void {
    this.told.push({ code, severity: 'stop', count: 1, message, remedy });
  }

  findings(): Finding[] {
    const { stock, below } = this.choice;
    const out = [...this.told];
    if (this.outside > 0)
      out.push({
        code: 'off-the-stock',
        severity: 'stop',
        count: this.outside,
        message: `${this.outside} ${this.outside === 1 ? 'contour reaches' : 'contours reach'} beyond the sheet of ${stock.width} × ${stock.height} mm.`,
        remedy: 'Move the datum, turn the drawing, or take a larger sheet.',
      });
    if (below > 1)
      out.push({
        code: 'into-the-bed',
        severity: 'look',
        count: 1,
        message: `Through cuts go ${below} mm below the sheet.`,
        remedy: 'Put a spoil board under it, or cut less deep.',
      });
    return out;
  }
}

/** How deep a contour is cut: as it says itself where it does, else as its meaning has it. */
function depthOf({ meaning, contour }: Meant, { stock, below, pocketDepth, engraveDepth }: CarveChoice): number {
  const own = contour.depth && contour.depth > 0 ? contour.depth : null;
  if (meaning === 'engrave' || meaning === 'score') return own ?? engraveDepth;
  if (meaning === 'pocket') return own ?? pocketDepth;
  return stock.thickness + below;
}

/** The part of the sheet that is looked at: what is cut, and a rim of a few bits round it. */
function windowOf(meant: readonly Meant[], { stock, bit }: CarveChoice): Box2 {
  const box = noBox();
  for (const m of meant) {
    const [l, b, r, t] = boxOfContour(m.contour);
    growBox(box, [l - 3 * bit, b - 3 * bit]);
    growBox(box, [r + 3 * bit, t + 3 * bit]);
  }
  const window: Box2 = [Math.max(0, box[0]), Math.max(0, box[1]), Math.min(stock.width, box[2]), Math.min(stock.height, box[3])];
  return window[2] > window[0] && window[3] > window[1] ? window : [0, 0, stock.width, stock.height];
}

function pathLength(path: readonly (readonly number[])[]): number {
  let sum = 0;
  for (let i = 1; i < path.length; i++) sum += Math.hypot(path[i][0] - path[i - 1][0], path[i][1] - path[i - 1][1]);
  return sum;
}

/** A field of depths: how many cells, how large, mm, and where it begins. */
interface Field {
  columns: number;
  rows: number;
  cell: number;
  x: number;
  y: number;
}

class HeightField {
  readonly depths: Float32Array;
  readonly grid: Field;

  constructor(grid: Field) {
    this.grid = grid;
    this.depths = new Float32Array(grid.columns * grid.rows);
  }

  /** A slot of a round, flat bit along a path. */
  slot(path: readonly (readonly number[])[], radius: number, depth: number): void {
    this.along(path, radius, () => depth);
  }

  /** A groove of a pointed bit: deepest in the middle. */
  groove(path: readonly (readonly number[])[], half: number, depth: number): void {
    // Grooves narrower than a cell still show.
    const reach = Math.max(half, this.grid.cell * 0.75);
    this.along(path, reach, (off) => depth * Math.max(0.05, 1 - off / reach));
  }

  private along(path: readonly (readonly number[])[], radius: number, depthAt: (off: number) => number): void {
    const { depths } = this;
    const { columns, rows, cell, x: left, y: low } = this.grid;
    for (let i = 1; i < path.length; i++) {
      const [ax, ay] = [path[i - 1][0] - left, path[i - 1][1] - low];
      const [bx, by] = [path[i][0] - left, path[i][1] - low];
      const dx = bx - ax;
      const dy = by - ay;
      const square = dx * dx + dy * dy;
      const r0 = Math.max(0, Math.floor((Math.min(ay, by) - radius) / cell));
      const r1 = Math.min(rows - 1, Math.ceil((Math.max(ay, by) + radius) / cell));
      const c0 = Math.max(0, Math.floor((Math.min(ax, bx) - radius) / cell));
      const c1 = Math.min(columns - 1, Math.ceil((Math.max(ax, bx) + radius) / cell));
      for (let r = r0; r <= r1; r++) {
        const y = (r + 0.5) * cell;
        for (let c = c0; c <= c1; c++) {
          const x = (c + 0.5) * cell;
          const k = square > 0 ? Math.max(0, Math.min(1, ((x - ax) * dx + (y - ay) * dy) / square)) : 0;
          const off = Math.hypot(x - ax - dx * k, y - ay - dy * k);
          if (off > radius) continue;
          const d = depthAt(off);
          if (d > depths[r * columns + c]) depths[r * columns + c] = d;
        }
      }
    }
  }

  /** All cells inside polygons (even-odd), by scan lines. */
  area(polygons: readonly (readonly (readonly [number, number])[])[], depth: number): void {
    const { depths } = this;
    const { columns, rows, cell, x: left, y: low } = this.grid;
    for (let r = 0; r < rows; r++) {
      const y = low + (r + 0.5) * cell;
      const hits: number[] = [];
      for (const p of polygons) {
        for (let i = 0, j = p.length - 1; i < p.length; j = i++) {
          if (p[i][1] > y !== p[j][1] > y) hits.push(p[j][0] + ((p[i][0] - p[j][0]) * (y - p[j][1])) / (p[i][1] - p[j][1]));
        }
      }
      hits.sort((a, b) => a - b);
      for (let k = 0; k + 1 < hits.length; k += 2) {
        const from = Math.max(0, Math.ceil((hits[k] - left) / cell - 0.5));
        const to = Math.min(columns - 1, Math.floor((hits[k + 1] - left) / cell - 0.5));
        for (let c = from; c <= to; c++) if (depth > depths[r * columns + c]) depths[r * columns + c] = depth;
      }
    }
  }

  removed(thickness: number): number {
    let sum = 0;
    for (const d of this.depths) sum += Math.min(d, thickness);
    return sum * this.grid.cell * this.grid.cell;
  }

  deepest(): number {
    let most = 0;
    for (const d of this.depths) if (d > most) most = d;
    return most;
  }
}
