import { circleThrough } from '../geometry/circle.ts';
import { add, cross, distance, dot, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import type { Shape } from './shape.ts';

/** An edge goes on over a point where two pieces meet that turn by less than this, degrees. */
export const onwardTurn = 40;
/** Points of an edge lie this near to a line or circle, as a share of its length or radius. */
export const edgeShare = 1e-4;

type Piece = readonly [Vec3, Vec3];

/** Pieces of edges as they are drawn, put together again to whole edges. */
export class EdgeChains {
  private readonly edges: Float32Array;
  private readonly size: number;
  private at: Map<string, number[]> | null = null;

  /** @param edges xyz of the ends of pieces @param size of the part: points nearer than a millionth of it are one */
  constructor(edges: Float32Array, size: number) {
    this.edges = edges;
    this.size = size;
  }

  /** What the edge is that a piece belongs to. */
  edge(piece: Piece): { shape: Shape; line: Vec3[] } {
    const line = this.whole(piece);
    return { shape: shapeOfLine(line), line };
  }

  /** Whether edges end at a point: one, three or more pieces meet there, or two that turn sharply. */
  corner(p: Vec3): boolean {
    const here = this.meeting().get(this.key(p)) ?? [];
    if (here.length !== 2) return true;
    const [before, after] = here.map((i) => {
      const [a, b] = [this.point(i), this.point(i + 3)];
      return this.key(a) === this.key(p) ? b : a;
    });
    return dot(unit(sub(p, before)), unit(sub(after, p))) < Math.cos((onwardTurn * Math.PI) / 180);
  }

  private key(p: Vec3): string {
    return p.map((v) => Math.round(v / (this.size * 1e-6))).join(' ');
  }

  private point(i: number): Vec3 {
    return [this.edges[i], this.edges[i + 1], this.edges[i + 2]];
  }

  /** Numbers of pieces that end at each point. */
  private meeting(): Map<string, number[]> {
    if (this.at) return this.at;
    this.at = new Map();
    for (let i = 0; i < this.edges.length; i += 6)
      for (const end of [i, i + 3]) {
        const key = this.key(this.point(end));
        const list = this.at.get(key);
        if (list) list.push(i);
        else this.at.set(key, [i]);
      }
    return this.at;
  }

  /** Points from one end of the whole edge to the other; the first again at the end of one that closes. */
  private whole([a, b]: Piece): Vec3[] {
    const from = (this.meeting().get(this.key(a)) ?? []).find((i) => [i, i + 3].some((e) => this.key(this.point(e)) === this.key(b)));
    if (from === undefined) return [a, b];
    const used = new Set([from]);
    const forth = this.onward(a, b, used);
    if (this.key(forth.at(-1)!) === this.key(a)) return [a, ...forth];
    return [...this.onward(b, a, used).reverse(), ...forth];
  }

  /** Points that follow on from a piece, its end first. */
  private onward(from: Vec3, to: Vec3, used: Set<number>): Vec3[] {
    const out = [to];
    let [a, b] = [from, to];
    const least = Math.cos((onwardTurn * Math.PI) / 180);
    while (used.size <= this.edges.length / 6) {
      const here = this.meeting().get(this.key(b)) ?? [];
      const next = here.filter((i) => !used.has(i));
      // Where three meet, an edge ends.
      if (here.length !== 2 || next.length !== 1) break;
      const [p, q] = [this.point(next[0]), this.point(next[0] + 3)];
      const other = this.key(p) === this.key(b) ? q : p;
      if (dot(unit(sub(b, a)), unit(sub(other, b))) < least) break;
      used.add(next[0]);
      out.push(other);
      [a, b] = [b, other];
    }
    return out;
  }
}

const lengthAlong = (line: readonly Vec3[]): number => line.slice(1).reduce((sum, p, i) => sum + distance(line[i], p), 0);

/** A line, an arc or a circle where the points are that; else only how long it is. */
function shapeOfLine(line: Vec3[]): Shape {
  const [from, to] = [line[0], line.at(-1)!];
  const length = lengthAlong(line);
  const straight = distance(from, to);
  if (straight > 0) {
    const along = unit(sub(to, from));
    const off = (p: Vec3) => distance(p, add(from, scaled(along, dot(sub(p, from), along))));
    if (line.every((p) => off(p) <= edgeShare * straight)) return { kind: 'line', from, to, length: straight };
  }
  return circleOfLine(line, straight <= edgeShare * length) ?? { kind: 'curve', length };
}

function circleOfLine(line: Vec3[], closed: boolean): Shape | null {
  // Four points at least: a circle goes through any three.
  if (line.length < (closed ? 5 : 4)) return null;
  const third = (k: number) => line[Math.floor((k * (line.length - 1)) / (closed ? 3 : 2))];
  const round = circleThrough(third(0), third(1), third(2));
  if (!round) return null;
  const { centre, r, normal } = round;
  if (line.some((p) => Math.abs(distance(p, centre) - r) > edgeShare * r || Math.abs(dot(sub(p, centre), normal)) > edgeShare * r)) return null;
  const turn = closed ? 360 : turnOf(line, centre, normal);
  return { kind: 'circle', centre, axis: normal, r, turn, length: (r * turn * Math.PI) / 180 };
}

/** By how much the radius to the points of a line turns, degrees. */
function turnOf(line: Vec3[], centre: Vec3, normal: Vec3): number {
  let turn = 0;
  for (let i = 1; i < line.length; i++) {
    const [a, b] = [sub(line[i - 1], centre), sub(line[i], centre)];
    turn += Math.atan2(dot(cross(a, b), normal), dot(a, b));
  }
  return (Math.abs(turn) * 180) / Math.PI;
}
