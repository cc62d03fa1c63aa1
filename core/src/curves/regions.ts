import { Sets } from '../base/sets.ts';
import { pointAt, startOf, type Segment } from './segment.ts';
import { areaUnder, lengthOf } from './measure.ts';

/** A chain with two ends, each at a numbered node; a loop has both at the same. */
export interface Link {
  segments: readonly Segment[];
  from: number;
  to: number;
}

/** A closed walk: links in order, each run forwards or backwards. */
export type Walk = { link: number; back: boolean }[];

/** A face under this share of the square of all lengths has no area. */
const noArea = 1e-12;
/** Directions nearer than this, rad, are told apart by which way the curves bend away. */
const sameDirection = 1e-6;

/**
 * Splits links of which an even number meet at every node into closed walks that keep regions apart: shapes that touch at a corner come out
 * as they are, each on its own. The plane's faces are traced about every node; faces of even and odd colour alternate over each link, the
 * outermost is even, and the odd ones are the shapes. Walks that come back to a node are cut there.
 * Null when links cross away from nodes, so that no such colouring exists. Linear but for sorting the links of each node by angle.
 * Source: two-colouring of faces of a plane graph with even degrees (dual of Euler's theorem).
 */
export function regionWalks(links: readonly Link[], nodes: number): Walk[] | null {
  const next = nextAround(links, nodes);
  const face = new Int32Array(links.length * 2).fill(-1);
  const faces: { area: number; first: number }[] = [];
  for (let h = 0; h < face.length; h++) {
    if (face[h] >= 0) continue;
    let area = 0;
    let g = h;
    do {
      face[g] = faces.length;
      area += areaOf(links[g >> 1].segments) * (g & 1 ? -1 : 1);
      g = next[g];
    } while (g !== h);
    faces.push({ area, first: h });
  }
  const odd = coloured(links.length, face, faces);
  if (!odd) return null;
  const walks: Walk[] = [];
  // A shape without area lies between links drawn twice: what was meant can't be told from the faces.
  const length = links.reduce((n, l) => n + l.segments.reduce((m, t) => m + lengthOf(t), 0), 0);
  if (faces.some((f, i) => odd[i] && Math.abs(f.area) <= noArea * length * length)) return null;
  for (let f = 0; f < faces.length; f++) {
    if (!odd[f]) continue;
    const whole: number[] = [];
    let g = faces[f].first;
    do {
      whole.push(g);
      g = next[g];
    } while (g !== faces[f].first);
    for (const loop of cutAtNodes(whole, links)) walks.push(loop.map((e) => ({ link: e >> 1, back: (e & 1) === 1 })));
  }
  return walks;
}

/** Half-edge 2 i runs link i forwards, 2 i + 1 backwards. The one that follows turns as sharply to the left as can be, so that faces lie to the left. */
function nextAround(links: readonly Link[], nodes: number): Int32Array {
  // Links that leave each node, as half-edges.
  const leaving: number[][] = Array.from({ length: nodes }, () => []);
  links.forEach((l, i) => {
    leaving[l.from].push(i * 2);
    leaving[l.to].push(i * 2 + 1);
  });
  const next = new Int32Array(links.length * 2);
  for (const list of leaving) {
    const rays = list.map((h) => rayOf(links[h >> 1], (h & 1) === 1, h)).sort(byAngle);
    for (let i = 0; i < rays.length; i++) {
      // Coming in along the twin of ray i, the face to the left goes on with the ray before it (clockwise).
      next[rays[i].half ^ 1] = rays[(i + rays.length - 1) % rays.length].half;
    }
  }
  return next;
}

interface Ray {
  half: number;
  angle: number;
  /** Angle to a point a little further along, for curves that leave in one direction. */
  further: number;
  /** Links that lie on each other: their order at one end is the reverse of that at the other. */
  tie: number;
}

function rayOf({ segments, from, to }: Link, back: boolean, half: number): Ray {
  const s = back ? segments[segments.length - 1] : segments[0];
  const at = back ? pointAt(s, 1) : startOf(s);
  const towards = (t: number): number => {
    const p = pointAt(s, back ? 1 - t : t);
    return Math.atan2(p[1] - at[1], p[0] - at[0]);
  };
  return {
    half,
    angle: towards(s.kind === 'line' ? 1 : 1e-5),
    further: towards(s.kind === 'line' ? 1 : 0.05),
    tie: from < to !== back ? half >> 1 : -(half >> 1),
  };
}

function byAngle(a: Ray, b: Ray): number {
  if (Math.abs(a.angle - b.angle) > sameDirection) return a.angle - b.angle;
  const turn = Math.sin(a.further - b.further);
  return Math.abs(turn) > sameDirection * sameDirection ? turn : a.tie - b.tie;
}

/** What a chain adds to the area of a face, about the origin. */
function areaOf(segments: readonly Segment[]): number {
  let sum = 0;
  for (const s of segments) sum += areaUnder(s);
  return sum;
}

/** Which faces are odd; null when two faces of one colour share a link, or a piece of the drawing has not exactly one outer face. */
function coloured(links: number, face: Int32Array, faces: readonly { area: number }[]): boolean[] | null {
  const sides: number[][] = faces.map(() => []);
  for (let i = 0; i < links; i++) {
    const [a, b] = [face[i * 2], face[i * 2 + 1]];
    if (a === b) return null;
    sides[a].push(b);
    sides[b].push(a);
  }
  const odd: (boolean | null)[] = faces.map(() => null);
  // The outer face of each connected piece runs clockwise: it has the only negative area.
  const outer = faces.map((_, i) => i).filter((i) => faces[i].area < 0);
  for (const start of outer) {
    if (odd[start] !== null) return null;
    odd[start] = false;
    const queue = [start];
    while (queue.length > 0) {
      const f = queue.pop()!;
      for (const g of sides[f]) {
        if (odd[g] === null) {
          if (faces[g].area < 0) return null;
          odd[g] = !odd[f];
          queue.push(g);
        } else if (odd[g] === odd[f]) return null;
      }
    }
  }
  return odd.every((o) => o !== null) ? (odd as boolean[]) : null;
}

/** A walk that passes a node twice is two walks. */
function cutAtNodes(whole: number[], links: readonly Link[]): number[][] {
  const loops: number[][] = [];
  const stack: number[] = [];
  const at = new Map<number, number>();
  const startNode = (h: number) => (h & 1 ? links[h >> 1].to : links[h >> 1].from);
  const endNode = (h: number) => (h & 1 ? links[h >> 1].from : links[h >> 1].to);
  for (const h of whole) {
    if (!at.has(startNode(h))) at.set(startNode(h), stack.length);
    stack.push(h);
    const seen = at.get(endNode(h));
    if (seen === undefined) continue;
    const loop = stack.splice(seen);
    for (const e of loop.slice(1)) at.delete(startNode(e));
    if (stack.length === 0) at.clear();
    loops.push(loop);
  }
  return loops;
}

/** Nodes of ends that lie within a distance of each other, by joining neighbours. `near` calls back with the ends near end i. */
export function nodesOfEnds(count: number, near: (i: number, take: (j: number) => void) => void): { node: Int32Array; size: number[] } {
  const sets = new Sets(count);
  for (let i = 0; i < count; i++) near(i, (j) => sets.join(j, i));
  const node = new Int32Array(count).fill(-1);
  const size: number[] = [];
  for (let i = 0; i < count; i++) {
    const r = sets.root(i);
    if (node[r] < 0) node[r] = size.push(0) - 1;
    node[i] = node[r];
    size[node[i]]++;
  }
  return { node, size };
}
