import { withoutZeros } from '../../base/decimals.ts';
import { Unusable } from '../../base/finding.ts';
import { distance, endOf, pieceOf, startOf, type ArcSegment, type P2, type Segment } from '../../curves/segment.ts';

/** A line or an arc: what Gerber and drill files can hold as it is. */
export type Track = Extract<Segment, { kind: 'line' | 'arc' }>;

/** Places are whole millionths of a millimetre. Source: Gerber Layer Format Specification, 4.1 (FS, from memory). */
export const perMm = 1e6;
/** Numbers with four digits before the point: no place may lie further out, mm. */
export const farthest = 9999;
/** How far start and end of an arc may differ in radius after rounding, in millionths of a millimetre. */
const radiusSlack = 2;

/** An attribute: its name and its fields. */
export type Attribute = readonly [name: string, ...fields: string[]];

const field = (text: string): string => text.replace(/[%*,\\]/g, (c) => `\\u${c.charCodeAt(0).toString(16).padStart(4, '0')}`);
const attribute = ([name, ...fields]: Attribute): string => [name, ...fields.map(field)].join(',');

/** Millimetres as a decimal of an aperture: no exponent, no trailing zeros. */
const decimal = (v: number): string => {
  const text = withoutZeros(v.toFixed(6));
  return text.endsWith('.') ? `${text}0` : text;
};

/**
 * Writes one Gerber X2 layer: millimetres, multi-quadrant arcs, no date. Source: Gerber Layer Format Specification, revision 2021 and later (from memory).
 * @example const g = new GerberWriter([['.FileFunction', 'Profile', 'NP']]); g.stroke(g.circle(0.1, ['Profile']), tracks); g.bytes()
 */
export class GerberWriter {
  private readonly head: string[] = [];
  private readonly apertures: string[] = [];
  private readonly known = new Map<string, number>();
  private readonly body: string[] = [];
  private dark = true;
  private chosen = 0;
  private mode = 0;
  private x = NaN;
  private y = NaN;

  constructor(attributes: readonly Attribute[]) {
    for (const a of attributes) this.head.push(`%TF${attribute(a)}*%`);
    this.head.push('%FSLAX46Y46*%', '%MOMM*%');
  }

  /** A round aperture, mm. @param use its function, as ".AperFunction" has it */
  circle(diameter: number, use: readonly string[] = []): number {
    return this.aperture(`C,${decimal(diameter)}`, use);
  }

  private aperture(shape: string, use: readonly string[]): number {
    const key = `${shape} ${use.join(',')}`;
    const known = this.known.get(key);
    if (known !== undefined) return known;
    const number = 10 + this.known.size;
    this.known.set(key, number);
    if (use.length > 0) this.apertures.push(`%TA${attribute(['.AperFunction', ...use])}*%`);
    this.apertures.push(`%ADD${number}${shape}*%`);
    if (use.length > 0) this.apertures.push('%TD*%');
    return number;
  }

  /** Whether what follows is laid on or taken away. */
  polarity(dark: boolean): void {
    if (dark === this.dark) return;
    this.dark = dark;
    this.body.push(dark ? '%LPD*%' : '%LPC*%');
  }

  private choose(aperture: number): void {
    if (aperture === this.chosen) return;
    this.chosen = aperture;
    this.body.push(`D${aperture}*`);
  }

  flash(aperture: number, at: P2): void {
    this.choose(aperture);
    this.body.push(`X${whole(at[0])}Y${whole(at[1])}D03*`);
    [this.x, this.y] = [whole(at[0]), whole(at[1])];
  }

  /** A line drawn along a chain of tracks. */
  stroke(aperture: number, tracks: readonly Track[]): void {
    this.choose(aperture);
    this.chain(tracks);
  }

  /** A filled contour; each chain is closed in itself. */
  region(chains: readonly (readonly Track[])[]): void {
    this.body.push('G36*');
    // The pen's mode is said anew within a region, so that it can be read by itself.
    this.mode = 0;
    for (const tracks of chains) {
      this.x = NaN;
      this.chain(tracks);
    }
    this.body.push('G37*');
  }

  private chain(tracks: readonly Track[]): void {
    if (tracks.length === 0) return;
    const [x, y] = startOf(tracks[0]).map(whole);
    const [ex, ey] = endOf(tracks[tracks.length - 1]).map(whole);
    if (x !== this.x || y !== this.y) this.body.push(`X${x}Y${y}D02*`);
    [this.x, this.y] = [x, y];
    // What closes to within a millionth closes exactly.
    const closes = Math.abs(ex - x) <= 1 && Math.abs(ey - y) <= 1;
    tracks.forEach((t, i) => {
      const end = closes && i === tracks.length - 1 ? ([x, y] as P2) : (endOf(t).map(whole) as P2);
      if (t.kind === 'line') this.line(end);
      else this.arc(t, end);
    });
  }

  private line([x, y]: P2): void {
    if (x === this.x && y === this.y) return;
    this.say(1);
    this.body.push(`X${x}Y${y}D01*`);
    [this.x, this.y] = [x, y];
  }

  private arc(arc: ArcSegment, end: P2): void {
    // A half circle and more is halved: one whose rounded ends coincide would be read as a full circle, a full one as nothing.
    if (Math.abs(arc.sweep) > Math.PI + 1e-9) {
      const middle = pieceOf(arc, 0, 0.5) as ArcSegment;
      this.arc(middle, endOf(middle).map(whole) as P2);
      this.arc(pieceOf(arc, 0.5, 1) as ArcSegment, end);
      return;
    }
    const [x, y] = end;
    if (x === this.x && y === this.y) return;
    const centre = centreFor(arc.centre, [this.x, this.y], end);
    // An arc that is flatter than the grid is a line.
    if (!centre) {
      this.line(end);
      return;
    }
    this.say(arc.sweep > 0 ? 3 : 2);
    this.body.push(`X${x}Y${y}I${centre[0] - this.x}J${centre[1] - this.y}D01*`);
    [this.x, this.y] = end;
  }

  private say(mode: number): void {
    if (this.mode === mode) return;
    this.mode = mode;
    this.body.push(`G0${mode}*`);
  }

  /** The whole file. */
  bytes(): Uint8Array {
    return new TextEncoder().encode(`${[...this.head, ...this.apertures, 'G75*', ...this.body, 'M02*'].join('\n')}\n`);
  }
}

/** Millionths of a millimetre, whole. @throws Unusable beyond what the format can say */
function whole(mm: number): number {
  if (!(Math.abs(mm) <= farthest))
    throw new Unusable(
      'too-far',
      `A place at ${Number(mm.toFixed(3))} mm is beyond the ${farthest} mm that a Gerber file can say.`,
      'Put the board near the origin.',
    );
  return Math.round(mm * perMm) || 0;
}

/** The centre on the grid for which start and end lie on one circle; null when none does, as for an arc that is as good as straight. */
function centreFor(centre: P2, start: P2, end: P2): P2 | null {
  const [cx, cy] = centre.map((v) => v * perMm);
  const [gx, gy] = [Math.round(cx), Math.round(cy)];
  let best: P2 | null = null;
  let least = Infinity;
  for (let dx = -2; dx <= 2; dx++)
    for (let dy = -2; dy <= 2; dy++) {
      const at: P2 = [gx + dx, gy + dy];
      const off = Math.abs(distance(at, start) - distance(at, end));
      if (off >= radiusSlack) continue;
      // Of those whose ends agree, the one nearest to the true centre.
      const away = Math.hypot(at[0] - cx, at[1] - cy) + off / 4;
      if (away < least) [least, best] = [away, at];
    }
  return best;
}
