/** A straight line or a circle that a stretch of points lies on. Lengths in pixels. */
export type Piece = { kind: 'line'; x: number; y: number; dx: number; dy: number } | { kind: 'circle'; x: number; y: number; r: number };

/** Points in order, xy. A closed row goes back to its first. */
export interface Row {
  xy: Float64Array;
  closed: boolean;
  /** 1 for places that another edge spoils: pieces rest on the others, and pass these within what a corner rounds off. */
  loose?: Uint8Array;
}

/** A piece and the points that it stands for: from `from` to the one before `to`; `to` may pass the end of a closed row. */
export interface Stretch {
  from: number;
  to: number;
  piece: Piece;
}

/** Points this near to a break (places along the row, about pixels) belong to a corner and tell little of the pieces beside it. */
const trim = 2;
/** How much farther such points may lie off, pixels: what a pixel's own width rounds off a corner. */
export const cornerSlack = 0.5;
/** An arc of more radius than this many lengths is a line; one that turns more than this is a circle. */
const flatArc = 40;
const mostTurn = 1.95 * Math.PI;
/** So many breaks are tried in a row; longer rows are thinned where they are nearly straight. */
const mostBreaks = 250;
/** What one more arc costs beside a line, in pieces: lines are preferred where both hold. */
const arcPrice = 0.004;

/** Sums of powers of places, for means over any stretch in one step. Places are taken about the middle and by the size of the row. */
class Moments {
  readonly xy: Float64Array;
  readonly n: number;
  readonly cx: number;
  readonly cy: number;
  readonly size: number;
  private readonly sums: Float64Array;
  /** The same of places that are not loose, and how many those are; null when none is. */
  private readonly sure: Float64Array | null;
  private readonly counts: Int32Array;
  readonly loose: Uint8Array | null;

  constructor({ xy, closed, loose }: Row) {
    this.n = xy.length / 2;
    let [left, top, right, bottom] = [Infinity, Infinity, -Infinity, -Infinity];
    for (let i = 0; i < xy.length; i += 2) {
      left = Math.min(left, xy[i]);
      right = Math.max(right, xy[i]);
      top = Math.min(top, xy[i + 1]);
      bottom = Math.max(bottom, xy[i + 1]);
    }
    this.cx = (left + right) / 2;
    this.cy = (top + bottom) / 2;
    this.size = Math.max(right - left, bottom - top, 1) / 2;
    const count = closed ? 2 * this.n : this.n;
    this.xy = new Float64Array(count * 2);
    this.sums = new Float64Array((count + 1) * 8);
    const any = loose?.some((v) => v === 1) ?? false;
    this.loose = any ? loose! : null;
    this.sure = any ? new Float64Array((count + 1) * 8) : null;
    this.counts = new Int32Array(any ? count + 1 : 0);
    const terms = new Float64Array(8);
    for (let i = 0; i < count; i++) {
      const k = (i % this.n) * 2;
      const x = (xy[k] - this.cx) / this.size;
      const y = (xy[k + 1] - this.cy) / this.size;
      const z = x * x + y * y;
      this.xy[i * 2] = x;
      this.xy[i * 2 + 1] = y;
      terms[0] = x;
      terms[1] = y;
      terms[2] = x * x;
      terms[3] = x * y;
      terms[4] = y * y;
      terms[5] = x * z;
      terms[6] = y * z;
      terms[7] = z * z;
      const at = i * 8;
      for (let t = 0; t < 8; t++) this.sums[at + 8 + t] = this.sums[at + t] + terms[t];
      if (!this.sure) continue;
      const counted = loose![i % this.n] ? 0 : 1;
      this.counts[i + 1] = this.counts[i] + counted;
      for (let t = 0; t < 8; t++) this.sure[at + 8 + t] = this.sure[at + t] + counted * terms[t];
    }
  }

  /** Line by least squares across, of points from to to (inclusive). `miss` is the mean square distance. */
  line(from: number, to: number): Piece & { kind: 'line'; miss: number } {
    const { s, m } = this.mean(from, to, 3);
    const [mx, my] = [s[0] / m, s[1] / m];
    const xx = s[2] / m - mx * mx;
    const xy = s[3] / m - mx * my;
    const yy = s[4] / m - my * my;
    const angle = 0.5 * Math.atan2(2 * xy, xx - yy);
    const half = (xx + yy) / 2;
    const miss = Math.max(0, half - Math.hypot((xx - yy) / 2, xy));
    let [dx, dy] = [Math.cos(angle), Math.sin(angle)];
    const along = (this.xy[to * 2] - this.xy[from * 2]) * dx + (this.xy[to * 2 + 1] - this.xy[from * 2 + 1]) * dy;
    if (along < 0) [dx, dy] = [-dx, -dy];
    return { kind: 'line', x: mx, y: my, dx, dy, miss };
  }

  /** Circle by Taubin's measure, by Newton's method on its characteristic polynomial. Source: Taubin 1991; Chernov, Circular and Linear Regression, 2010, 5.10. */
  circle(from: number, to: number): { kind: 'circle'; x: number; y: number; r: number } | null {
    const { s, m } = this.mean(from, to, 5);
    const [mx, my] = [s[0] / m, s[1] / m];
    const xx = s[2] / m - mx * mx;
    const xy = s[3] / m - mx * my;
    const yy = s[4] / m - my * my;
    const zz = xx + yy;
    // Moments about the mean from those about the row's middle.
    const ez = s[2] / m + s[4] / m;
    const mz2 = mx * mx + my * my;
    const exz = s[5] / m;
    const eyz = s[6] / m;
    const xz = exz - 2 * (mx * (s[2] / m) + my * (s[3] / m)) + mx * mz2 - mx * (ez - 2 * mz2 + mz2);
    const yz = eyz - 2 * (mx * (s[3] / m) + my * (s[4] / m)) + my * mz2 - my * (ez - 2 * mz2 + mz2);
    // z about the mean is |p - mean|^2 = z - 2 (mx x + my y) + mz2.
    const ezz = s[7] / m;
    const e4 =
      ezz + 4 * (mx * mx * (s[2] / m) + 2 * mx * my * (s[3] / m) + my * my * (s[4] / m)) + mz2 * mz2 - 4 * (mx * exz + my * eyz) + 2 * mz2 * ez - 4 * mz2 * mz2;
    const cov = xx * yy - xy * xy;
    const varZ = e4 - zz * zz;
    const a3 = 4 * zz;
    const a2 = -3 * zz * zz - e4;
    const a1 = varZ * zz + 4 * cov * zz - xz * xz - yz * yz;
    const a0 = xz * (xz * yy - yz * xy) + yz * (yz * xx - xz * xy) - varZ * cov;
    let [t, f] = [0, a0];
    for (let i = 0; i < 30; i++) {
      const slope = a1 + t * (2 * a2 + 3 * a3 * t);
      const next = t - f / slope;
      if (next === t || !Number.isFinite(next)) break;
      const value = a0 + next * (a1 + next * (a2 + next * a3));
      if (Math.abs(value) >= Math.abs(f)) break;
      [t, f] = [next, value];
    }
    const det = t * t - t * zz + cov;
    if (!(Math.abs(det) > 1e-18)) return null;
    const x = (xz * (yy - t) - yz * xy) / det / 2;
    const y = (yz * (xx - t) - xz * xy) / det / 2;
    const r = Math.sqrt(x * x + y * y + zz);
    return Number.isFinite(r) ? { kind: 'circle', x: x + mx, y: y + my, r } : null;
  }

  private readonly span = new Float64Array(8);
  private mean(from: number, to: number, least: number): { s: Float64Array; m: number } {
    const s = this.span;
    const counted = this.sure ? this.counts[to + 1] - this.counts[from] : 0;
    const sums = this.sure && counted >= least ? this.sure : this.sums;
    for (let k = 0; k < 8; k++) s[k] = sums[(to + 1) * 8 + k] - sums[from * 8 + k];
    return { s, m: sums === this.sums ? to - from + 1 : counted };
  }

  /** A piece in pixels. */
  pixels(piece: Piece): Piece {
    const [x, y] = [piece.x * this.size + this.cx, piece.y * this.size + this.cy];
    return piece.kind === 'line' ? { kind: 'line', x, y, dx: piece.dx, dy: piece.dy } : { kind: 'circle', x, y, r: piece.r * this.size };
  }
}

/** Distance of a place from a piece without its ends; its sign tells the side. */
export function offPiece(piece: Piece, x: number, y: number): number {
  return piece.kind === 'line' ? (x - piece.x) * piece.dy - (y - piece.y) * piece.dx : Math.hypot(x - piece.x, y - piece.y) - piece.r;
}

/** A stretch without what lies near its ends; a line keeps three points and a circle four where there are so many. */
export function inner(kind: Piece['kind'], from: number, to: number): [number, number] {
  const cut = Math.max(0, Math.min(trim, Math.floor((to - from - (kind === 'line' ? 2 : 3)) / 2)));
  return [from + cut, to - cut];
}

/** A stretch (both ends inclusive) with the points that it rests on. */
interface Span {
  from: number;
  to: number;
  i: number;
  j: number;
}

const samples = 48;
/** This share of a stretch's points may lie farther off than allowed, up to so many times: grain has no sharp bound. */
export const outliers = 0.04;
export const outlierOff = 1.6;
/** Points may go back along a line by this much, pixels: about what a corner's own pixel does. */
const backwards = 0.8;

/** Whether all points of a stretch lie near a piece of this kind: its inner ones within `near`, those beside its ends within what a corner rounds off. */
class Trial {
  readonly moments: Moments;
  readonly near: number;
  private readonly slack: number;
  constructor(row: Row, near: number, slack: number) {
    this.moments = new Moments(row);
    this.near = near / this.moments.size;
    this.slack = (near + slack) / this.moments.size;
  }

  /** The piece in the moments' own numbers and its mean square miss; null when it does not hold. */
  holds(kind: Piece['kind'], from: number, to: number): { piece: Piece; miss: number } | null {
    const m = this.moments;
    const [i, j] = inner(kind, from, to);
    const span = { from, to, i, j };
    if (kind === 'line') {
      const piece = m.line(i, j);
      // The mean can't be more than the largest: a quick no.
      if (piece.miss > this.near * this.near || !this.goesOn(piece, from, to) || !this.within(piece, span)) return null;
      return { piece, miss: this.withEnds(piece, piece.miss, span) };
    }
    if (j - i < 3) return null;
    const piece = m.circle(i, j);
    if (!piece || !this.turns(piece, from, to) || !this.within(piece, span)) return null;
    return { piece, miss: this.withEnds(piece, this.missOf(piece, i, j), span) };
  }

  private off(piece: Piece, k: number): number {
    return Math.abs(offPiece(piece, this.moments.xy[k * 2], this.moments.xy[k * 2 + 1]));
  }

  /** The mean square miss with the points beside the ends counted too. */
  private withEnds(piece: Piece, miss: number, { from, to, i, j }: Span): number {
    let sum = miss * (j - i + 1);
    for (let k = from; k < i; k++) sum += this.off(piece, k) ** 2;
    for (let k = j + 1; k <= to; k++) sum += this.off(piece, k) ** 2;
    return sum / (to - from + 1);
  }

  /** Whether points follow each other along a line: a way into a slot and back out of it lies near one line too. */
  private goesOn(piece: Piece & { kind: 'line' }, from: number, to: number): boolean {
    const p = this.moments.xy;
    const back = backwards / this.moments.size;
    const step = Math.max(1, Math.floor((to - from) / samples));
    let farthest = -Infinity;
    for (let k = from; k <= to; k += step) {
      const along = (p[k * 2] - piece.x) * piece.dx + (p[k * 2 + 1] - piece.y) * piece.dy;
      if (along < farthest - back) return false;
      if (along > farthest) farthest = along;
    }
    return true;
  }

  private turns(piece: { x: number; y: number; r: number }, from: number, to: number): boolean {
    const p = this.moments.xy;
    const chord = Math.hypot(p[to * 2] - p[from * 2], p[to * 2 + 1] - p[from * 2 + 1]);
    const about = ((to - from) / this.moments.size) * 1.2;
    if (piece.r > flatArc * Math.max(chord, Math.min(about, 2 * piece.r))) return false;
    // Angle gone round, in steps of at most an eighth of the stretch: never back, never nearly all round.
    const parts = Math.min(16, to - from);
    let [sum, sign] = [0, 0];
    let last = Math.atan2(p[from * 2 + 1] - piece.y, p[from * 2] - piece.x);
    for (let k = 1; k <= parts; k++) {
      const i = from + Math.round(((to - from) * k) / parts);
      const angle = Math.atan2(p[i * 2 + 1] - piece.y, p[i * 2] - piece.x);
      let d = angle - last;
      if (d > Math.PI) d -= 2 * Math.PI;
      if (d < -Math.PI) d += 2 * Math.PI;
      sum += d;
      if (parts > 3 && k > 1 && k < parts && d * sign < 0 && Math.abs(d) * piece.r > this.slack) return false;
      if (sign === 0 && d !== 0) sign = Math.sign(d);
      last = angle;
    }
    return Math.abs(sum) <= mostTurn;
  }

  private within(piece: Piece, { from, to, i, j }: Span): boolean {
    for (let k = from; k < i; k++) if (this.off(piece, k) > this.slack) return false;
    for (let k = j + 1; k <= to; k++) if (this.off(piece, k) > this.slack) return false;
    const step = Math.max(1, Math.floor((j - i) / samples));
    let beyond = outliers * ((j - i) / step);
    for (let k = i; k <= j; k += step) {
      const off = this.off(piece, k);
      const allowed = this.allowed(k);
      if (off > allowed && (off > outlierOff * allowed || --beyond < 0)) return false;
    }
    return this.off(piece, j) <= this.allowed(j);
  }

  private allowed(k: number): number {
    const { loose, n } = this.moments;
    return loose && loose[k % n] ? this.slack : this.near;
  }

  private missOf(piece: Piece, i: number, j: number): number {
    const p = this.moments.xy;
    const step = Math.max(1, Math.floor((j - i) / 16));
    let [sum, n] = [0, 0];
    for (let k = i; k <= j; k += step) {
      sum += offPiece(piece, p[k * 2], p[k * 2 + 1]) ** 2;
      n++;
    }
    return sum / n;
  }
}

/**
 * Fewest lines and arcs within `near` of a row of points, and among those the ones that miss least; lines before arcs.
 * Breaks are chosen by dynamic programming over all places (or over those that matter, in long rows, and then over all places near the breaks found).
 * Source of the scheme: Perez and Vidal, Pattern Recognition Letters 15 (1994) 743, with arcs as a second kind of piece.
 * @param near pixels @param slack how much farther points beside a corner may lie off, pixels @returns stretches in order; a circle is one stretch whose `to` is `from` plus the number of points
 */
export function piecesOf(row: Row, near: number, slack = cornerSlack): Stretch[] {
  const n = row.xy.length / 2;
  if (n < 2) return [];
  const trial = new Trial(row, near, slack);
  if (row.closed) {
    const whole = wholeCircle(row, trial, near);
    if (whole) return [whole];
  }
  const starts = breaksToTry(row, near);
  let found = row.closed ? aroundFrom(trial, starts, cornerAmong(row, starts), n) : between(trial, withEnd(starts, n), false);
  if (row.closed && found.length > 2) {
    // The first break was only a guess: again from the middle of what came of it.
    const middle = found[found.length >> 1].from % n;
    const again = aroundFrom(trial, refined(found, starts, n), middle, n);
    if (again.length <= found.length) found = again;
  } else if (!row.closed && starts.length < n) found = between(trial, withEnd(refined(found, starts, n), n), false);
  return withoutTips(
    row,
    found.map(({ from, to, piece }) => ({ from, to, piece: trial.moments.pixels(piece) })),
  );
}

/** A piece of no more points than this, between longer ones and no farther off both than the second figure (pixels), is what a pixel's width leaves of a corner. */
const tip = { points: 3, off: 1.2 };

function withoutTips({ xy, closed }: Row, found: Stretch[]): Stretch[] {
  const n = xy.length / 2;
  const out = [...found];
  for (let k = 0; k < out.length && out.length > 3; k++) {
    const s = out[k];
    if (s.to - s.from > tip.points || (!closed && (k === 0 || k === out.length - 1))) continue;
    const [before, after] = [out[(k + out.length - 1) % out.length], out[(k + 1) % out.length]];
    if (Math.min(before.to - before.from, after.to - after.from) < 5) continue;
    const off = (piece: Piece, i: number) => Math.abs(offPiece(piece, xy[(i % n) * 2], xy[(i % n) * 2 + 1]));
    let at = s.from;
    while (at < s.to && off(before.piece, at) <= off(after.piece, at)) at++;
    let fits = true;
    for (let i = s.from; i < s.to; i++) fits &&= off(i < at ? before.piece : after.piece, i) <= tip.off;
    if (!fits) continue;
    out[(k + out.length - 1) % out.length] = { ...before, to: before.to + (at - s.from) };
    out[(k + 1) % out.length] = { ...after, from: after.from - (s.to - at) };
    out.splice(k, 1);
    k--;
  }
  return out;
}

function wholeCircle(row: Row, trial: Trial, near: number): Stretch | null {
  const n = row.xy.length / 2;
  if (n < 6) return null;
  const piece = trial.moments.circle(0, n - 1);
  if (!piece) return null;
  const pixels = trial.moments.pixels(piece) as Piece & { kind: 'circle' };
  if (pixels.r > trial.moments.size * 1.5) return null;
  let [beyond, square] = [0, 0];
  for (let i = 0; i < n; i++) {
    const loose = row.loose?.[i] === 1;
    const off = Math.abs(offPiece(pixels, row.xy[i * 2], row.xy[i * 2 + 1])) - (loose ? cornerSlack : 0);
    if (off > near * outlierOff) return null;
    if (off > near) beyond++;
    if (!loose) square += off * off;
  }
  // A small square is near a circle too: against so few pixels the circle must be clearly round.
  if (beyond > outliers * n || (pixels.r < 6 && Math.sqrt(square / n) > 0.04 * pixels.r)) return null;
  return { from: 0, to: n, piece: pixels };
}

/** Places where a row may be broken: all of a short one; of a long one those that keep it within a quarter of `near`, and their neighbours. */
function breaksToTry({ xy, closed }: Row, near: number): Int32Array {
  const n = xy.length / 2;
  if (n <= mostBreaks) return Int32Array.from({ length: n }, (_, i) => i);
  const weights = thinned(xy, near / 4, closed);
  let tolerance = near / 4;
  const stays = () => {
    let count = 0;
    for (let i = 0; i < n; i++) if (weights[i] > tolerance) count++;
    return count;
  };
  for (let attempt = 1; attempt < thinnings && stays() > mostBreaks; attempt++) tolerance *= coarser;
  const out: number[] = [];
  for (let i = 0; i < n; i++) if (weights[i] > tolerance) out.push(i);
  return Int32Array.from(out);
}

/** A row that keeps too many places is thinned so many times as long, each time by this much more. */
const thinnings = 12;
const coarser = 1.7;

/**
 * Up to which tolerance each point of a polyline stays; 0 for those that the least one takes away.
 * Source: Douglas and Peucker 1973, with a stack of its own; a point stays no longer than the one that parted its stretch, so that one walk tells it for all.
 */
function thinned(xy: Float64Array, least: number, closed: boolean): Float64Array {
  const n = xy.length / 2;
  const half = n >> 1;
  const out = new Float64Array(n);
  const stack = closed ? [0, half, Infinity, half, n, Infinity] : [0, n - 1, Infinity];
  out[0] = Infinity;
  out[closed ? half : n - 1] = Infinity;
  let tests = 0;
  while (stack.length > 0) {
    const parted = stack.pop()!;
    const to = stack.pop()!;
    const from = stack.pop()!;
    if (to - from < 2) continue;
    const b = (to % n) * 2;
    const [ax, ay] = [xy[from * 2], xy[from * 2 + 1]];
    const [dx, dy] = [xy[b] - ax, xy[b + 1] - ay];
    const length = Math.hypot(dx, dy) || 1;
    let [worst, at] = [-1, -1];
    for (let i = from + 1; i < to; i++) {
      const off = Math.abs((xy[i * 2] - ax) * dy - (xy[i * 2 + 1] - ay) * dx) / length;
      if (off > worst) [worst, at] = [off, i];
    }
    tests += to - from;
    // A row that is split unevenly again and again is halved instead, so that n points never take n squared.
    if (tests > 64 * n) at = (from + to) >> 1;
    if (worst <= least) continue;
    out[at] = Math.min(parted, worst);
    stack.push(from, at, out[at], at, to, out[at]);
  }
  return out;
}

/** All places near the breaks found, and the other places that were tried, thinned. */
function refined(found: readonly Stretch[], starts: Int32Array, n: number): Int32Array {
  if (starts.length === n) return starts;
  const out = new Set<number>(found.flatMap((s) => [s.from % n, s.to % n]));
  const around = Math.max(2, Math.floor((2 * mostBreaks - starts.length) / Math.max(1, found.length) / 2));
  for (const { from } of found) for (let k = -around; k <= around; k++) out.add((from + k + n) % n);
  for (const s of starts) out.add(s);
  return Int32Array.from([...out].filter((v) => v >= 0 && v < n).sort((a, b) => a - b));
}

/** The sharpest of the places to begin at. */
function cornerAmong({ xy }: Row, starts: Int32Array): number {
  const n = xy.length / 2;
  const reach = Math.min(5, Math.max(1, Math.floor(n / 8)));
  let [best, at] = [-2, starts[0]];
  for (const i of starts) {
    const [a, b] = [((i - reach + n) % n) * 2, ((i + reach) % n) * 2];
    const [ux, uy] = [xy[i * 2] - xy[a], xy[i * 2 + 1] - xy[a + 1]];
    const [vx, vy] = [xy[b] - xy[i * 2], xy[b + 1] - xy[i * 2 + 1]];
    const turn = 1 - (ux * vx + uy * vy) / (Math.hypot(ux, uy) * Math.hypot(vx, vy) || 1);
    if (turn > best) [best, at] = [turn, i];
  }
  return at;
}

/** Round a closed row from one of its places and back to it. */
function aroundFrom(trial: Trial, starts: Int32Array, first: number, n: number): Stretch[] {
  const places: number[] = [];
  for (const s of starts) if (s >= first) places.push(s);
  if (places[0] !== first) places.unshift(first);
  for (const s of starts) if (s < first) places.push(s + n);
  places.push(first + n);
  return between(trial, Int32Array.from(places), true);
}

const withEnd = (starts: Int32Array, n: number): Int32Array => (starts[starts.length - 1] === n ? starts : Int32Array.from([...starts, n]));

/** At least two points, so that there is a line through them. */
const twoOf = (from: number, to: number, n: number, closed: boolean): [number, number] =>
  to > from ? [from, to] : closed || from + 1 < n ? [from, from + 1] : [from - 1, from];

/** Fewest pieces from the first place to each, when a piece from place i reaches every place up to furthest[i]. */
function fewestTo(furthest: Int32Array): Int32Array {
  const count = furthest.length;
  const out = new Int32Array(count).fill(count);
  out[0] = 0;
  // Places are reached in order of their number of pieces: each is set once.
  for (let [from, to, pieces] = [0, 0, 1]; to < count - 1 && pieces <= count; pieces++) {
    let next = to;
    for (let i = from; i <= to; i++) next = Math.max(next, furthest[i]);
    for (let j = to + 1; j <= next; j++) out[j] = pieces;
    [from, to] = [to + 1, next];
    if (from > to) break;
  }
  return out;
}

/** Fewest pieces from each place to the last. */
function fewestFrom(furthest: Int32Array): Int32Array {
  const count = furthest.length;
  const out = new Int32Array(count).fill(count);
  out[count - 1] = 0;
  // From the farthest place that is reached: fewer are never left from a nearer one.
  for (let i = count - 2; i >= 0; i--) {
    let best = count;
    for (let j = i + 1; j <= furthest[i]; j++) if (out[j] < best) best = out[j];
    out[i] = 1 + best;
  }
  return out;
}

/** The best breaks among places in order, from the first to the last. */
function between(trial: Trial, places: Int32Array, closed: boolean): Stretch[] {
  const count = places.length;
  const reaches = { line: farthest(trial, places, 'line'), circle: farthest(trial, places, 'circle') };
  const furthest = Int32Array.from({ length: count }, (_, i) => Math.max(Math.min(count - 1, i + 1), reaches.line[i], reaches.circle[i]));
  // How few pieces lead to each place, and from it to the end: only pairs of places on a way of fewest pieces are looked at.
  const [before, after] = [fewestTo(furthest), fewestFrom(furthest)];
  const fewest = before[count - 1];
  const cost = new Float64Array(count).fill(Infinity);
  const back = new Int32Array(count);
  const how: ({ piece: Piece; miss: number } | null)[] = Array.from({ length: count }, () => null);
  const total = places[count - 1] - places[0] || 1;
  cost[0] = 0;
  /** The piece of a kind between two places; neighbours are always joined by a line, so that there is a way at all. */
  const held = (kind: Piece['kind'], i: number, j: number) => {
    const next = kind === 'line' && j === i + 1;
    if (j > reaches[kind][i] && !next) return null;
    const found = trial.holds(kind, places[i], places[j] - 1);
    return found ?? (next ? { piece: trial.moments.line(...twoOf(places[i], places[j] - 1, trial.moments.n, closed)), miss: 0 } : null);
  };
  for (let i = 0; i < count - 1; i++) {
    if (cost[i] === Infinity) continue;
    let found = false;
    for (let j = furthest[i]; j > i; j--) {
      // A pair that turns out not to hold after all leaves longer ways: until one holds, every pair is looked at.
      if (found && before[i] + 1 + after[j] > fewest) continue;
      for (const kind of ['line', 'circle'] as const) {
        const piece = held(kind, i, j);
        if (!piece) continue;
        found = true;
        // All misses together weigh less than one piece.
        const weight = Math.min(1, piece.miss / (trial.near * trial.near)) * ((places[j] - places[i]) / total);
        const price = cost[i] + 1 + 0.9 * weight + (kind === 'circle' ? arcPrice : 0);
        if (price < cost[j]) [cost[j], back[j], how[j]] = [price, i, piece];
      }
    }
  }
  const out: Stretch[] = [];
  for (let j = count - 1; j > 0; j = back[j]) out.push({ from: places[back[j]], to: places[j], piece: how[j]!.piece });
  return out.reverse();
}

/** Points of the stretches that are asked first whether a piece holds. */
const firstLengths = { line: [9, 7, 5, 4, 3, 2], circle: [12, 9, 7, 6] };

/** For each place the farthest one that a piece of this kind holds to, by doubling and halving. */
function farthest(trial: Trial, places: Int32Array, kind: Piece['kind']): Int32Array {
  const count = places.length;
  return Int32Array.from({ length: count }, (_, i) => {
    const holds = (j: number) => j < count && trial.holds(kind, places[i], places[j] - 1) !== null;
    // Of a few points those beside a corner are too many to be left aside: the longer of the short stretches are asked first.
    for (const length of firstLengths[kind]) {
      let low = i + 1;
      while (low < count && places[low] - places[i] < length) low++;
      if (holds(low)) return lastThatHolds(low, count, holds);
    }
    return i;
  });
}

/** The last number from `good` on that holds, when those before it do: steps that double, then halving. */
function lastThatHolds(good: number, count: number, holds: (j: number) => boolean): number {
  let step = 1;
  while (good + step < count && holds(good + step)) {
    good += step;
    step *= 2;
  }
  let bad = Math.min(count, good + step);
  while (bad - good > 1) {
    const middle = (good + bad) >> 1;
    if (holds(middle)) good = middle;
    else bad = middle;
  }
  return good;
}
