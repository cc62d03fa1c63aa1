import { drawBeneath } from './beneath.ts';
import type { Shown } from '@/light-table/shown.tsx';
import type { FlatLine, FlatReceived, FlatSpot, FlatView } from '@/workers/flat.ts';

/** Colours of the stage, from the theme. */
export interface FlatInks {
  sheet: string;
  designed: string;
  received: string;
  rule: string;
  muted: string;
  look: string;
  stop: string;
  ink: string;
  dark: boolean;
}

/** What is drawn. All places in mm at the machine. */
export interface FlatPicture {
  view: FlatView | null;
  received: FlatReceived | null;
  proposed: { points: Float32Array; starts: number[]; closed: boolean[] } | null;
  shown: Shown;
  /** Where the line between both stands when the picture is split: a share of its width from the left. */
  split: number;
  stock: { width: number; height: number } | null;
  bed: [number, number] | null;
  chosen: number | null;
  nodes: { at: [number, number][]; picked: number | null } | null;
  spots: { list: FlatSpot[]; label: boolean } | null;
  gaps: { a: [number, number]; b: [number, number]; distance: number; joined: boolean }[] | null;
  unreached: { points: Float32Array; starts: number[] } | null;
  /** Order of cuts: places where each begins, up to how many are shown. */
  order: { points: [number, number][]; upTo: number } | null;
  hidden: ReadonlySet<string>;
  /** The picture beneath: its pixels, how many it has in the file, and the map from those to the machine. */
  beneath: { image: ImageBitmap; width: number; height: number; map: readonly number[] } | null;
  /** Places picked, numbered in order. */
  pins: [number, number][];
}

/** Line patterns that tell meanings apart without colour, in pixels. */
export const patterns: Partial<Record<FlatLine['meaning'], number[]>> = {
  score: [6, 4],
  engrave: [2, 3],
  bend: [12, 3, 2, 3],
  'bend-up': [12, 3, 2, 3],
  'bend-down': [7, 5],
  'bend-edge': [1, 4],
  label: [1, 4],
  stock: [14, 6],
  pocket: [9, 3, 3, 3],
};

/** One line among points. */
type Run = { from: number; to: number; closed: boolean };

/** Lines one after another: points X and Y in turn, and where each begins; open where nothing is said. */
interface Lines {
  points: Float32Array;
  starts: number[];
  closed?: boolean[];
}

/** Beside each other the second print stands so many widths of the first to the right. */
const besideBy = 1.15;

/**
 * Which prints are drawn, and where.
 * @returns designed and over, null where not drawn; offset, mm that the second stands to the right; split, a share of the width, null where both are drawn whole
 */
export function printsOf(p: Pick<FlatPicture, 'view' | 'received' | 'proposed' | 'shown' | 'split' | 'beneath'>) {
  const { view, received, proposed, shown } = p;
  // Over a picture what is proposed stands alone: two inks on it would be mud.
  const designed = shown === 'received' || (p.beneath !== null && proposed !== null) ? null : view;
  const over = proposed ?? (shown === 'designed' ? null : received);
  const offset = shown === 'beside' && received !== null && view ? (view.box[2] - view.box[0]) * besideBy : 0;
  return { designed, over, offset, split: shown === 'split' && over !== null ? p.split : null };
}

/** Most gaps with a ring, and with their figure, in sight at once. */
const mostRings = 400;
const mostLabels = 40;

/** A sheet seen from above: pans, zooms, draws and picks. Draws only when something changed. */
export class FlatStage {
  private readonly canvas: HTMLCanvasElement;
  private readonly watcher: ResizeObserver;
  private inks: FlatInks;
  private picture: FlatPicture | null = null;
  private scale = 1;
  private middle: [number, number] = [0, 0];
  private waiting = false;
  private fitted = false;
  private drag: { x: number; y: number; node: number | null; moved: boolean } | null = null;
  onPick: ((at: [number, number], within: number) => void) | null = null;
  onNode: ((node: number, at: [number, number], done: boolean) => void) | null = null;

  constructor(host: HTMLElement, inks: FlatInks) {
    this.inks = inks;
    this.canvas = document.createElement('canvas');
    this.canvas.style.cssText = 'position:absolute;inset:0;width:100%;height:100%;touch-action:none;cursor:grab';
    this.canvas.setAttribute('role', 'img');
    host.appendChild(this.canvas);
    this.watcher = new ResizeObserver(() => this.resized());
    this.watcher.observe(host);
    this.canvas.addEventListener('wheel', this.wheel, { passive: false });
    this.canvas.addEventListener('pointerdown', this.down);
    this.canvas.addEventListener('pointermove', this.move);
    this.canvas.addEventListener('pointerup', this.up);
    this.resized();
  }

  close(): void {
    this.watcher.disconnect();
    this.canvas.remove();
  }

  recolour(inks: FlatInks): void {
    this.inks = inks;
    this.later();
  }

  show(picture: FlatPicture, label: string): void {
    this.picture = picture;
    this.canvas.setAttribute('aria-label', label);
    if (!this.fitted && (picture.view || picture.received)) this.fit();
    this.later();
  }

  /** Brings everything into the picture. */
  fit(): void {
    const box = this.box();
    if (!box) return;
    const { clientWidth: w, clientHeight: h } = this.canvas;
    if (w === 0) return;
    this.fitted = true;
    this.scale = Math.min((w - 110) / Math.max(1e-6, box[2] - box[0]), (h - 120) / Math.max(1e-6, box[3] - box[1]));
    this.middle = [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2];
    this.later();
  }

  /** Brings everything into the picture when the next picture is shown, and now. */
  fitSoon(): void {
    this.fit();
    this.fitted = false;
  }

  zoom(by: number): void {
    this.scale *= by;
    this.later();
  }

  /** Looks at one place closely. */
  lookAt(x: number, y: number, reach: number): void {
    this.middle = [x, y];
    this.scale = Math.min(this.canvas.clientWidth, this.canvas.clientHeight) / Math.max(1e-4, reach);
    this.later();
  }

  /** mm of one pixel. */
  get pixel(): number {
    return 1 / this.scale;
  }

  /** Where a place of the sheet is on the canvas, CSS pixels; for tests and for labels. */
  toScreen(x: number, y: number): [number, number] {
    return [this.canvas.clientWidth / 2 + (x - this.middle[0]) * this.scale, this.canvas.clientHeight / 2 - (y - this.middle[1]) * this.scale];
  }

  private toSheet(x: number, y: number): [number, number] {
    return [(x - this.canvas.clientWidth / 2) / this.scale + this.middle[0], (this.canvas.clientHeight / 2 - y) / this.scale + this.middle[1]];
  }

  private box(): [number, number, number, number] | null {
    const p = this.picture;
    const boxes: [number, number, number, number][] = [];
    if (p?.view) boxes.push(p.view.box);
    if (p?.received) boxes.push(p.received.box);
    if (p?.stock) boxes.push([0, 0, p.stock.width, p.stock.height]);
    if (boxes.length === 0) return null;
    return [Math.min(...boxes.map((b) => b[0])), Math.min(...boxes.map((b) => b[1])), Math.max(...boxes.map((b) => b[2])), Math.max(...boxes.map((b) => b[3]))];
  }

  private resized(): void {
    const ratio = window.devicePixelRatio || 1;
    this.canvas.width = Math.max(1, Math.round(this.canvas.clientWidth * ratio));
    this.canvas.height = Math.max(1, Math.round(this.canvas.clientHeight * ratio));
    if (!this.fitted) this.fit();
    this.later();
  }

  private readonly wheel = (e: WheelEvent) => {
    e.preventDefault();
    const rect = this.canvas.getBoundingClientRect();
    const [x, y] = [e.clientX - rect.left, e.clientY - rect.top];
    const before = this.toSheet(x, y);
    this.scale = Math.min(1e6, Math.max(1e-4, this.scale * Math.exp(-e.deltaY * 0.0015)));
    const after = this.toSheet(x, y);
    this.middle = [this.middle[0] + before[0] - after[0], this.middle[1] + before[1] - after[1]];
    this.later();
  };

  private at(e: PointerEvent): [number, number] {
    const rect = this.canvas.getBoundingClientRect();
    return this.toSheet(e.clientX - rect.left, e.clientY - rect.top);
  }

  private readonly down = (e: PointerEvent) => {
    this.canvas.setPointerCapture(e.pointerId);
    const nodes = this.picture?.nodes;
    let node: number | null = null;
    if (nodes) {
      const at = this.at(e);
      nodes.at.forEach((p, i) => {
        if (Math.hypot(p[0] - at[0], p[1] - at[1]) < 9 / this.scale) node = i;
      });
    }
    this.drag = { x: e.clientX, y: e.clientY, node, moved: false };
  };

  private readonly move = (e: PointerEvent) => {
    const { drag } = this;
    if (!drag) return;
    const [dx, dy] = [e.clientX - drag.x, e.clientY - drag.y];
    if (!drag.moved && Math.hypot(dx, dy) < 4) return;
    drag.moved = true;
    if (drag.node !== null) {
      this.onNode?.(drag.node, this.at(e), false);
      return;
    }
    this.middle = [this.middle[0] - dx / this.scale, this.middle[1] + dy / this.scale];
    drag.x = e.clientX;
    drag.y = e.clientY;
    this.later();
  };

  private readonly up = (e: PointerEvent) => {
    const { drag } = this;
    this.drag = null;
    if (!drag) return;
    if (drag.node !== null) this.onNode?.(drag.node, this.at(e), drag.moved);
    else if (!drag.moved) this.onPick?.(this.at(e), 8 / this.scale);
  };

  private later(): void {
    if (this.waiting) return;
    this.waiting = true;
    requestAnimationFrame(() => {
      this.waiting = false;
      this.draw();
    });
  }

  private draw(): void {
    const p = this.picture;
    const c = this.canvas.getContext('2d')!;
    const ratio = window.devicePixelRatio || 1;
    c.setTransform(ratio, 0, 0, ratio, 0, 0);
    c.clearRect(0, 0, this.canvas.clientWidth, this.canvas.clientHeight);
    if (!p) return;
    this.ground(c, p);
    c.globalCompositeOperation = this.inks.dark ? 'lighter' : 'multiply';
    this.prints(c, p);
    c.globalCompositeOperation = 'source-over';
    this.marks(c, p);
  }

  /** What the prints lie on: the picture beneath, the grid, the bed, the stock, the datum. */
  private ground(c: CanvasRenderingContext2D, p: FlatPicture): void {
    if (p.beneath) drawBeneath(c, p.beneath, (x, y) => this.toScreen(x, y));
    this.grid(c);
    if (p.bed) this.frame(c, p.bed, this.inks.rule, [4, 4]);
    if (p.stock) {
      c.fillStyle = this.inks.dark ? 'rgba(255,255,255,0.04)' : 'rgba(120,100,40,0.06)';
      const [x, y] = this.toScreen(0, p.stock.height);
      c.fillRect(x, y, p.stock.width * this.scale, p.stock.height * this.scale);
      this.frame(c, [p.stock.width, p.stock.height], this.inks.muted, []);
    }
    this.datum(c);
  }

  /** The drawing, and what is held against it. */
  private prints(c: CanvasRenderingContext2D, p: FlatPicture): void {
    const { designed, over, offset, split } = printsOf(p);
    const middle = split === null ? null : this.canvas.clientWidth * split;
    if (designed) this.within(c, middle === null ? null : [0, middle], () => this.designed(c, designed));
    if (!over) return;
    const strip: [number, number] | null = middle === null ? null : [middle, this.canvas.clientWidth];
    this.within(c, strip, () => this.plain(c, over, { ink: this.inks.received, width: 1.5 }, offset));
  }

  /** What is marked on both. */
  private marks(c: CanvasRenderingContext2D, p: FlatPicture): void {
    if (p.unreached) this.fill(c, p.unreached.points, p.unreached.starts, this.inks.stop);
    if (p.chosen !== null && p.view) this.outlined(c, p.view, p.chosen);
    if (p.order) this.orderOf(c, p.order);
    if (p.gaps) this.gapsOf(c, p.gaps);
    if (p.spots) this.spotsOf(c, p.spots);
    if (p.nodes) this.nodesOf(c, p.nodes);
    this.pinsOf(c, p.pins);
  }

  /** Draws within a strip of the canvas only, CSS pixels from its left; null: everywhere. */
  private within(c: CanvasRenderingContext2D, strip: [number, number] | null, draw: () => void): void {
    if (!strip) return draw();
    c.save();
    c.beginPath();
    c.rect(strip[0], 0, strip[1] - strip[0], this.canvas.clientHeight);
    c.clip();
    draw();
    c.restore();
  }

  private pinsOf(c: CanvasRenderingContext2D, pins: FlatPicture['pins']): void {
    c.font = '600 13px "JetBrains Mono Variable", monospace';
    c.textAlign = 'center';
    pins.forEach((pin, i) => {
      const [x, y] = this.toScreen(pin[0], pin[1]);
      c.strokeStyle = this.inks.look;
      c.lineWidth = 2;
      c.beginPath();
      c.moveTo(x - 12, y);
      c.lineTo(x + 12, y);
      c.moveTo(x, y - 12);
      c.lineTo(x, y + 12);
      c.stroke();
      c.fillStyle = this.inks.sheet;
      c.beginPath();
      c.arc(x + 14, y - 14, 9, 0, 7);
      c.fill();
      c.stroke();
      c.fillStyle = this.inks.ink;
      c.fillText(String(i + 1), x + 14, y - 9.5);
    });
    c.textAlign = 'left';
  }

  private grid(c: CanvasRenderingContext2D): void {
    const { clientWidth: w, clientHeight: h } = this.canvas;
    const step = 10 ** Math.ceil(Math.log10(28 / this.scale));
    const [x0, y0] = this.toSheet(0, h);
    const [x1, y1] = this.toSheet(w, 0);
    c.fillStyle = this.inks.rule;
    // Crosses at round places: a measure without a cage.
    for (let x = Math.ceil(x0 / step) * step; x <= x1; x += step) {
      for (let y = Math.ceil(y0 / step) * step; y <= y1; y += step) {
        const [sx, sy] = this.toScreen(x, y);
        c.fillRect(sx - 2, sy, 5, 1);
        c.fillRect(sx, sy - 2, 1, 5);
      }
    }
    c.fillStyle = this.inks.muted;
    c.font = '12px "JetBrains Mono Variable", monospace';
    c.textAlign = 'left';
    c.fillText(`crosses every ${Number(step.toPrecision(1))} mm`, 18, h - 14);
  }

  private datum(c: CanvasRenderingContext2D): void {
    const [x, y] = this.toScreen(0, 0);
    c.strokeStyle = this.inks.ink;
    c.lineWidth = 1.4;
    c.beginPath();
    c.moveTo(x, y + 7);
    c.lineTo(x, y - 26);
    c.moveTo(x - 7, y);
    c.lineTo(x + 26, y);
    c.stroke();
    c.fillStyle = this.inks.ink;
    c.font = '12px "JetBrains Mono Variable", monospace';
    c.fillText('X', x + 29, y + 4);
    c.fillText('Y', x - 4, y - 30);
  }

  /** A rectangle from the datum. */
  private frame(c: CanvasRenderingContext2D, [w, h]: readonly [number, number], ink: string, dash: number[]): void {
    const [sx, sy] = this.toScreen(0, h);
    c.strokeStyle = ink;
    c.lineWidth = 1.2;
    c.setLineDash(dash);
    c.strokeRect(sx, sy, w * this.scale, h * this.scale);
    c.setLineDash([]);
  }

  private path(c: CanvasRenderingContext2D, points: Float32Array, { from, to, closed }: Run, dx = 0): void {
    const s = this.scale;
    const ox = this.canvas.clientWidth / 2 + (dx - this.middle[0]) * s;
    const oy = this.canvas.clientHeight / 2 + this.middle[1] * s;
    let [lx, ly] = [NaN, NaN];
    for (let i = from; i < to; i++) {
      const x = ox + points[i * 2] * s;
      const y = oy - points[i * 2 + 1] * s;
      if (i === from) c.moveTo(x, y);
      // Steps under a third of a pixel show nothing.
      else if (i === to - 1 || Math.abs(x - lx) + Math.abs(y - ly) > 0.35) c.lineTo(x, y);
      else continue;
      [lx, ly] = [x, y];
    }
    if (closed) c.closePath();
  }

  private designed(c: CanvasRenderingContext2D, view: FlatView): void {
    const hidden = this.picture!.hidden;
    if (view.edges) this.plain(c, view.edges, { ink: this.inks.muted, width: 0.8 });
    const byMeaning = new Map<string, FlatLine[]>();
    for (const l of view.lines) {
      if (hidden.has(l.meaning)) continue;
      const list = byMeaning.get(l.meaning);
      if (list) list.push(l);
      else byMeaning.set(l.meaning, [l]);
    }
    c.strokeStyle = this.inks.designed;
    for (const [meaning, list] of byMeaning) {
      c.lineWidth = meaning === 'cut' || meaning === 'small' ? 2 : 1.4;
      c.setLineDash(patterns[meaning as FlatLine['meaning']] ?? []);
      c.beginPath();
      for (const l of list) this.path(c, view.points, l);
      c.stroke();
    }
    c.setLineDash([]);
  }

  private plain(c: CanvasRenderingContext2D, { points, starts, closed }: Lines, pen: { ink: string; width: number }, dx = 0): void {
    c.strokeStyle = pen.ink;
    c.lineWidth = pen.width;
    c.setLineDash([]);
    c.beginPath();
    for (let i = 0; i + 1 < starts.length; i++) this.path(c, points, { from: starts[i], to: starts[i + 1], closed: closed?.[i] ?? false }, dx);
    c.stroke();
  }

  private fill(c: CanvasRenderingContext2D, points: Float32Array, starts: number[], ink: string): void {
    c.fillStyle = ink;
    c.strokeStyle = ink;
    c.lineWidth = 2;
    c.beginPath();
    for (let i = 0; i + 1 < starts.length; i++) this.path(c, points, { from: starts[i], to: starts[i + 1], closed: true });
    c.fill('evenodd');
    c.stroke();
  }

  private outlined(c: CanvasRenderingContext2D, view: FlatView, number: number): void {
    c.strokeStyle = this.inks.look;
    c.lineWidth = 3;
    c.beginPath();
    for (const l of view.lines) if (l.number === number) this.path(c, view.points, l);
    c.stroke();
  }

  private orderOf(c: CanvasRenderingContext2D, { points, upTo }: NonNullable<FlatPicture['order']>): void {
    c.strokeStyle = this.inks.muted;
    c.lineWidth = 1;
    c.setLineDash([3, 4]);
    c.beginPath();
    points.slice(0, upTo).forEach((p, i) => {
      const [x, y] = this.toScreen(p[0], p[1]);
      if (i === 0) c.moveTo(x, y);
      else c.lineTo(x, y);
    });
    c.stroke();
    c.setLineDash([]);
    c.font = '12px "JetBrains Mono Variable", monospace';
    c.textAlign = 'center';
    points.slice(0, Math.min(upTo, 99)).forEach((p, i) => {
      const [x, y] = this.toScreen(p[0], p[1]);
      c.fillStyle = this.inks.sheet;
      c.beginPath();
      c.arc(x, y, 9, 0, 7);
      c.fill();
      c.strokeStyle = this.inks.ink;
      c.stroke();
      c.fillStyle = this.inks.ink;
      c.fillText(String(i + 1), x, y + 4);
    });
    c.textAlign = 'left';
  }

  private gapsOf(c: CanvasRenderingContext2D, gaps: NonNullable<FlatPicture['gaps']>): void {
    c.font = '12px "JetBrains Mono Variable", monospace';
    const { clientWidth: w, clientHeight: h } = this.canvas;
    // Rings in two inks, all of one in a single stroke: there may be thousands. Figures stand beside the first few in sight.
    let labels = 0;
    for (const joined of [false, true]) {
      const ink = joined ? this.inks.look : this.inks.stop;
      c.strokeStyle = ink;
      c.fillStyle = ink;
      c.lineWidth = 1.5;
      c.beginPath();
      let rings = 0;
      for (const g of gaps) {
        if (g.joined !== joined) continue;
        const [ax, ay] = this.toScreen(g.a[0], g.a[1]);
        const [bx, by] = this.toScreen(g.b[0], g.b[1]);
        const [mx, my] = [(ax + bx) / 2, (ay + by) / 2];
        if (mx < -20 || my < -20 || mx > w + 20 || my > h + 20) continue;
        c.moveTo(ax, ay);
        c.lineTo(bx, by);
        if (rings++ < mostRings) {
          const r = Math.max(12, Math.hypot(ax - bx, ay - by) / 2 + 7);
          c.moveTo(mx + r, my);
          c.arc(mx, my, r, 0, 7);
          c.fillRect(ax - 3, ay - 3, 6, 6);
          c.fillRect(bx - 3, by - 3, 6, 6);
        }
        if (labels++ < mostLabels) c.fillText(`${Number(g.distance.toPrecision(2))} mm`, mx + 16, my - 12);
      }
      c.setLineDash(joined ? [] : [3, 3]);
      c.stroke();
      c.setLineDash([]);
    }
  }

  private spotsOf(c: CanvasRenderingContext2D, { list }: NonNullable<FlatPicture['spots']>): void {
    c.strokeStyle = this.inks.stop;
    c.lineWidth = 2;
    for (const s of list) {
      const [x, y] = this.toScreen(s.x, s.y);
      c.beginPath();
      c.arc(x, y, 9, 0, 7);
      c.moveTo(x - 4, y - 4);
      c.lineTo(x + 4, y + 4);
      c.moveTo(x + 4, y - 4);
      c.lineTo(x - 4, y + 4);
      c.stroke();
    }
  }

  private nodesOf(c: CanvasRenderingContext2D, { at, picked }: NonNullable<FlatPicture['nodes']>): void {
    at.forEach((p, i) => {
      const [x, y] = this.toScreen(p[0], p[1]);
      const r = i === picked ? 6 : 4;
      c.fillStyle = i === picked ? this.inks.look : this.inks.sheet;
      c.strokeStyle = this.inks.ink;
      c.lineWidth = 1.5;
      c.beginPath();
      c.moveTo(x, y - r);
      c.lineTo(x + r, y);
      c.lineTo(x, y + r);
      c.lineTo(x - r, y);
      c.closePath();
      c.fill();
      c.stroke();
    });
  }
}

/** The number of the contour nearest to a place, within mm; null when there is none. */
export function nearestLine(view: FlatView, at: [number, number], within: number): number | null {
  let best: number | null = null;
  let least = within;
  const { points } = view;
  for (const l of view.lines) {
    for (let i = l.from; i < l.to; i++) {
      const j = i + 1 < l.to ? i + 1 : l.closed ? l.from : i;
      const [ax, ay, bx, by] = [points[i * 2], points[i * 2 + 1], points[j * 2], points[j * 2 + 1]];
      const [dx, dy] = [bx - ax, by - ay];
      const square = dx * dx + dy * dy;
      const k = square > 0 ? Math.max(0, Math.min(1, ((at[0] - ax) * dx + (at[1] - ay) * dy) / square)) : 0;
      const off = Math.hypot(at[0] - ax - dx * k, at[1] - ay - dy * k);
      if (off < least) {
        least = off;
        best = l.number;
      }
    }
  }
  return best;
}
