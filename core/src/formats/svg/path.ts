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

/**
 * Path data as exact segments (`empty` counts sub-paths without any length, which draw nothing) in the path's own coordinates. Stops at the first error and keeps what came before, as the standard says.
 * Source: SVG 1.1, 8.3 (path data) and F.6 (elliptical arcs).
 */
export function readPath(d: string): { paths: SubPath[]; error: boolean; empty: number } {
  const paths: SubPath[] = [];
  let at: P2 = [0, 0];
  let start: P2 = [0, 0];
  let current: SubPath | null = null;
  let control: P2 | null = null;
  let controlKind = '';
  const scan = scanner(d);
  let command = '';
  let starts = 0;
  const add = (s: Segment) => {
    // A segment after Z begins a new sub-path at the same point.
    if (!current) {
      paths.push((current = { segments: [], closed: false }));
      if (paths.length > starts) starts = paths.length;
    }
    current.segments.push(s);
    at = endOf(s);
  };
  const line = (b: P2) => {
    if (b[0] !== at[0] || b[1] !== at[1]) add({ kind: 'line', a: at, b });
  };
  for (;;) {
    const next = scan.command();
    if (next === 'end') return { paths, error: false, empty: starts - paths.length };
    if (next !== null) {
      command = next;
      if (paths.length === 0 && current === null && command.toUpperCase() !== 'M' && scan.first()) return { paths, error: true, empty: 0 };
    } else if (command === '' || command.toUpperCase() === 'Z') return { paths, error: true, empty: 0 };
    const upper = command.toUpperCase();
    const relative = command !== upper;
    const n: number[] = [];
    for (let i = 0; i < takes[upper]; i++) {
      const v = upper === 'A' && (i === 3 || i === 4) ? scan.flag() : scan.number();
      if (v === null) return { paths, error: true, empty: 0 };
      n.push(v);
    }
    const to = (i: number): P2 => (relative ? [at[0] + n[i], at[1] + n[i + 1]] : [n[i], n[i + 1]]);
    let nextControl: P2 | null = null;
    let nextKind = '';
    switch (upper) {
      case 'M':
        at = to(0);
        start = at;
        starts++;
        current = null;
        command = relative ? 'l' : 'L';
        break;
      case 'L':
        line(to(0));
        break;
      case 'H':
        line([relative ? at[0] + n[0] : n[0], at[1]]);
        break;
      case 'V':
        line([at[0], relative ? at[1] + n[0] : n[0]]);
        break;
      case 'C':
      case 'S': {
        const mirror: P2 = control && controlKind === 'C' ? [2 * at[0] - control[0], 2 * at[1] - control[1]] : at;
        const [a, b, c] = upper === 'C' ? [to(0), to(2), to(4)] : [mirror, to(0), to(2)];
        add({ kind: 'bezier', points: [at, a, b, c] });
        nextControl = b;
        nextKind = 'C';
        break;
      }
      case 'Q':
      case 'T': {
        const mirror: P2 = control && controlKind === 'Q' ? [2 * at[0] - control[0], 2 * at[1] - control[1]] : at;
        const [a, b] = upper === 'Q' ? [to(0), to(2)] : [mirror, to(0)];
        add({ kind: 'bezier', points: [at, a, b] });
        nextControl = a;
        nextKind = 'Q';
        break;
      }
      case 'A': {
        const end = to(5);
        const arc = arcBetween(at, end, n[0], n[1], n[2], n[3] === 1, n[4] === 1);
        if (arc) {
          add(arc);
          at = end;
        }
        break;
      }
      case 'Z':
        if (current) {
          // What rounding left between the last point and the first is no line.
          if (Math.hypot(start[0] - at[0], start[1] - at[1]) > noise * Math.max(1, Math.abs(at[0]), Math.abs(at[1]))) line(start);
          (current as SubPath).closed = true;
        }
        at = start;
        current = null;
        break;
    }
    control = nextControl;
    controlKind = nextKind;
  }
}

/** Endpoint to centre form. Source: SVG 1.1, F.6.5; radii too small are scaled up, F.6.6. */
export function arcBetween(a: P2, b: P2, radiusX: number, radiusY: number, tiltDegrees: number, large: boolean, sweep: boolean): Segment | null {
  if (a[0] === b[0] && a[1] === b[1]) return null;
  let rx = Math.abs(radiusX);
  let ry = Math.abs(radiusY);
  if (!(rx > 0) || !(ry > 0)) return { kind: 'line', a, b };
  const tilt = (tiltDegrees * Math.PI) / 180;
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
  return ellipseFrom(centre, [c * rx, s * rx], [-s * ry, c * ry], start, turn);
}

function scanner(d: string) {
  let at = 0;
  let commands = 0;
  const skip = () => {
    for (;;) {
      const c = d.charCodeAt(at);
      if (c === 32 || c === 9 || c === 10 || c === 13 || c === 12 || c === 44) at++;
      else return;
    }
  };
  return {
    first: () => commands === 1,
    /** The next command letter; null when a number comes (the command repeats); 'end' at the end. */
    command(): string | null {
      skip();
      if (at >= d.length) return 'end';
      const c = d[at];
      if (c.toUpperCase() in takes) {
        at++;
        commands++;
        return c;
      }
      return null;
    },
    number(): number | null {
      skip();
      const begin = at;
      let c = d.charCodeAt(at);
      if (c === 43 || c === 45) c = d.charCodeAt(++at);
      let digits = 0;
      while (c >= 48 && c <= 57) {
        digits++;
        c = d.charCodeAt(++at);
      }
      if (c === 46) {
        c = d.charCodeAt(++at);
        while (c >= 48 && c <= 57) {
          digits++;
          c = d.charCodeAt(++at);
        }
      }
      if (digits === 0) return null;
      if (c === 101 || c === 69) {
        let i = at + 1;
        if (d[i] === '+' || d[i] === '-') i++;
        if (d.charCodeAt(i) >= 48 && d.charCodeAt(i) <= 57) {
          while (d.charCodeAt(i) >= 48 && d.charCodeAt(i) <= 57) i++;
          at = i;
        }
      }
      const v = Number(d.slice(begin, at));
      return Number.isFinite(v) && Math.abs(v) < 1e12 ? v : null;
    },
    /** A flag is one digit, and may stand without a space before the next number. */
    flag(): number | null {
      skip();
      const c = d[at];
      if (c !== '0' && c !== '1') return null;
      at++;
      return c === '1' ? 1 : 0;
    },
  };
}

/** Whether a sub-path ends where it began, within a distance. */
export function endsMeet(path: SubPath, within: number): boolean {
  const a = startOf(path.segments[0]);
  const b = endOf(path.segments[path.segments.length - 1]);
  return Math.hypot(a[0] - b[0], a[1] - b[1]) <= within;
}
