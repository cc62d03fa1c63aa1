import { ellipseFrom, endOf, startOf, type P2, type Segment } from '../../curves/segment.ts';

/** A sub-path: its segments, and whether Z closed it. */
export interface SubPath {
  segments: Segment[];
  closed: boolean;
}

/** Ends nearer than this share of their numbers are the same place. */
const noise = 1e-12;

/** Numbers a command takes. */
const takes: Record<string, number> = { M: 2, L: 2, H: 1, V: 1, C: 6, S: 4, Q: 4, T: 2, A: 7, Z: 0 };

/** Path data read: `empty` counts sub-paths without any length, which draw nothing. */
export interface PathRead {
  paths: SubPath[];
  error: boolean;
  empty: number;
}

/**
 * Path data as exact segments in the path's own coordinates. Stops at the first error and keeps what came before, as the standard says.
 * Source: SVG 1.1, 8.3 (path data) and F.6 (elliptical arcs).
 * @example readPath('M0 0 h10 v10 z').paths[0].segments.length // 3
 */
export function readPath(d: string): PathRead {
  const scan = new Scanner(d);
  const pen = new Pen();
  let command = '';
  for (;;) {
    const next = scan.command();
    if (next === 'end') return pen.read(false);
    // Numbers alone repeat the command before, which Z has none for; a path begins with a move.
    if (next === null ? command === '' || command.toUpperCase() === 'Z' : scan.commands === 1 && next.toUpperCase() !== 'M') return pen.read(true);
    command = next ?? command;
    const numbers = scan.numbersFor(command.toUpperCase());
    if (!numbers) return pen.read(true);
    pen.draw(command, numbers);
    if (command.toUpperCase() === 'M') command = command === 'm' ? 'l' : 'L';
  }
}

/** Draws a path command by command. */
class Pen {
  private readonly paths: SubPath[] = [];
  private at: P2 = [0, 0];
  private start: P2 = [0, 0];
  private current: SubPath | null = null;
  /** The control point that a smooth curve of the same kind goes on from. */
  private control: { at: P2; kind: 'C' | 'Q' } | null = null;
  private starts = 0;

  read(error: boolean): PathRead {
    return { paths: this.paths, error, empty: error ? 0 : this.starts - this.paths.length };
  }

  /** Draws one command. @param n its numbers, as many as it takes */
  draw(command: string, n: readonly number[]): void {
    const upper = command.toUpperCase();
    const [x, y] = command === upper ? [0, 0] : this.at;
    const to = (i: number): P2 => [x + n[i], y + n[i + 1]];
    const before = this.control;
    this.control = null;
    switch (upper) {
      case 'M':
        return this.move(to(0));
      case 'L':
        return this.line(to(0));
      case 'H':
        return this.line([x + n[0], this.at[1]]);
      case 'V':
        return this.line([this.at[0], y + n[0]]);
      case 'C':
        return this.bend('C', [to(0), to(2), to(4)]);
      case 'S':
        return this.bend('C', [this.mirrored(before, 'C'), to(0), to(2)]);
      case 'Q':
        return this.bend('Q', [to(0), to(2)]);
      case 'T':
        return this.bend('Q', [this.mirrored(before, 'Q'), to(0)]);
      case 'A':
        return this.arc(to(5), n);
      default:
        this.close();
    }
  }

  private move(to: P2): void {
    this.at = this.start = to;
    this.starts++;
    this.current = null;
  }

  private add(s: Segment): void {
    // A segment after Z begins a new sub-path at the same point.
    if (!this.current) {
      this.paths.push((this.current = { segments: [], closed: false }));
      this.starts = Math.max(this.starts, this.paths.length);
    }
    this.current.segments.push(s);
    this.at = endOf(s);
  }

  private line(b: P2): void {
    if (b[0] !== this.at[0] || b[1] !== this.at[1]) this.add({ kind: 'line', a: this.at, b });
  }

  private bend(kind: 'C' | 'Q', points: P2[]): void {
    this.add({ kind: 'bezier', points: [this.at, ...points] });
    this.control = { at: points[points.length - 2], kind };
  }

  private mirrored(control: Pen['control'], kind: 'C' | 'Q'): P2 {
    return control?.kind === kind ? [2 * this.at[0] - control.at[0], 2 * this.at[1] - control.at[1]] : this.at;
  }

  private arc(end: P2, n: readonly number[]): void {
    const arc = arcBetween(this.at, end, [n[0], n[1]], { tilt: n[2], large: n[3] === 1, sweep: n[4] === 1 });
    if (!arc) return;
    this.add(arc);
    this.at = end;
  }

  private close(): void {
    if (this.current) {
      // What rounding left between the last point and the first is no line.
      if (Math.hypot(this.start[0] - this.at[0], this.start[1] - this.at[1]) > noise * Math.max(1, Math.abs(this.at[0]), Math.abs(this.at[1])))
        this.line(this.start);
      this.current.closed = true;
    }
    this.at = this.start;
    this.current = null;
  }
}

/** Which of the arcs between two points: its axes' turn, degrees, whether it is the larger one, and whether its angle grows. */
export interface ArcWay {
  tilt?: number;
  large?: boolean;
  sweep: boolean;
}

/** Endpoint to centre form. Source: SVG 1.1, F.6.5; radii too small are scaled up, F.6.6. */
export function arcBetween(a: P2, b: P2, [radiusX, radiusY]: readonly [number, number], { tilt: degrees = 0, large = false, sweep }: ArcWay): Segment | null {
  if (a[0] === b[0] && a[1] === b[1]) return null;
  let rx = Math.abs(radiusX);
  let ry = Math.abs(radiusY);
  if (!(rx > 0) || !(ry > 0)) return { kind: 'line', a, b };
  const tilt = (degrees * Math.PI) / 180;
  const [c, s] = [Math.cos(tilt), Math.sin(tilt)];
  const dx = (a[0] - b[0]) / 2;
  const dy = (a[1] - b[1]) / 2;
  const x = c * dx + s * dy;
  const y = -s * dx + c * dy;
  const over = (x * x) / (rx * rx) + (y * y) / (ry * ry);
  if (over > 1) {
    rx *= Math.sqrt(over);
    ry *= Math.sqrt(over);
  }
  const under = rx * rx * y * y + ry * ry * x * x;
  const k = (large === sweep ? -1 : 1) * Math.sqrt(Math.max(0, (rx * rx * ry * ry - under) / under));
  const cx = (k * rx * y) / ry;
  const cy = (-k * ry * x) / rx;
  const start = Math.atan2((y - cy) / ry, (x - cx) / rx);
  let turn = Math.atan2((-y - cy) / ry, (-x - cx) / rx) - start;
  if (sweep && turn < 0) turn += 2 * Math.PI;
  if (!sweep && turn > 0) turn -= 2 * Math.PI;
  const centre: P2 = [c * cx - s * cy + (a[0] + b[0]) / 2, s * cx + c * cy + (a[1] + b[1]) / 2];
  return ellipseFrom(
    centre,
    [
      [c * rx, s * rx],
      [-s * ry, c * ry],
    ],
    start,
    turn,
  );
}

const isDigit = (c: number) => c >= 48 && c <= 57;
const isSign = (c: number) => c === 43 || c === 45;
/** Blanks and commas between numbers. */
const isBlank = (c: number) => c === 32 || c === 9 || c === 10 || c === 13 || c === 12 || c === 44;

/** Reads path data letter by letter. Source: SVG 1.1, 8.3.9 (the grammar). */
export class Scanner {
  /** How many command letters were read. */
  commands = 0;
  private at = 0;
  private readonly d: string;

  constructor(d: string) {
    this.d = d;
  }

  private skip(): void {
    while (isBlank(this.d.charCodeAt(this.at))) this.at++;
  }

  /** The next command letter; null when a number comes (the command repeats); 'end' at the end. */
  command(): string | null {
    this.skip();
    if (this.at >= this.d.length) return 'end';
    const c = this.d[this.at];
    if (!(c.toUpperCase() in takes)) return null;
    this.at++;
    this.commands++;
    return c;
  }

  /** The numbers of a command; null when one is missing or none. */
  numbersFor(upper: string): number[] | null {
    const n: number[] = [];
    for (let i = 0; i < takes[upper]; i++) {
      const v = upper === 'A' && (i === 3 || i === 4) ? this.flag() : this.number();
      if (v === null) return null;
      n.push(v);
    }
    return n;
  }

  /** Whether nothing is left but blanks. */
  ended(): boolean {
    this.skip();
    return this.at >= this.d.length;
  }

  /** The next number; null when what comes is none. */
  number(): number | null {
    this.skip();
    const begin = this.at;
    if (isSign(this.d.charCodeAt(this.at))) this.at++;
    let digits = this.digits();
    if (this.d[this.at] === '.') {
      this.at++;
      digits += this.digits();
    }
    if (digits === 0) return null;
    this.power();
    const v = Number(this.d.slice(begin, this.at));
    return Number.isFinite(v) && Math.abs(v) < 1e12 ? v : null;
  }

  private digits(): number {
    const begin = this.at;
    while (isDigit(this.d.charCodeAt(this.at))) this.at++;
    return this.at - begin;
  }

  /** A power of ten, when there is one: an e alone belongs to what comes. */
  private power(): void {
    const begin = this.at;
    if (this.d[this.at] !== 'e' && this.d[this.at] !== 'E') return;
    this.at++;
    if (isSign(this.d.charCodeAt(this.at))) this.at++;
    if (this.digits() === 0) this.at = begin;
  }

  /** A flag is one digit, and may stand without a space before the next number. */
  private flag(): number | null {
    this.skip();
    const c = this.d[this.at];
    if (c !== '0' && c !== '1') return null;
    this.at++;
    return c === '1' ? 1 : 0;
  }
}

/** Whether a sub-path ends where it began, within a distance. */
export function endsMeet(path: SubPath, within: number): boolean {
  const a = startOf(path.segments[0]);
  const b = endOf(path.segments[path.segments.length - 1]);
  return Math.hypot(a[0] - b[0], a[1] - b[1]) <= within;
}
