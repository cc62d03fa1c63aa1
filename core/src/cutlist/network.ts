import Flatbush from 'flatbush';
import { areaOfContour, boxOfContour, contourOf, type Contour, type Drawing } from '../curves/drawing.ts';
import { mergedContour } from '../curves/fit.ts';
import { offsetContour } from '../curves/offset.ts';
import { shareOf } from '../curves/split.ts';
import { distance, endOf, isFull, pieceOf, pointAt, reversed, startOf, type P2, type Segment } from '../curves/segment.ts';
import { lengthOf, type Box2 } from '../curves/measure.ts';
import { meetingOf } from '../curves/meet.ts';
import type { Engine } from '../engine/engine.ts';
import { gapOf, type NestChoice } from './how.ts';
import { noCorner } from './shared.ts';

/** Ends this near each other, or to another line, meet: no tool leaves less standing. mm */
const meets = 2e-3;
/** What lines that are cut part a sheet into. */
export interface Parted {
  faces: Face[];
  /** Ends that lead nowhere: no face is behind them. */
  loose: number;
  /** Stretches that are there twice. */
  twice: number;
}

/** A piece of the sheet that comes loose. */
export interface Face {
  /** Its border, as the middle of the cut. */
  contour: Contour;
  /** Contours of the file, by number, that its border is cut by. */
  by: number[];
  /** Faces beyond its border, by number; -1: what is around the block. */
  beside: number[];
}

interface Edge {
  s: Segment;
  from: number;
  to: number;
  of: number;
}

/**
 * The pieces that a sheet falls into when all contours are cut: the faces of the plane between them, each by its border counter-clockwise. Lines may end
 * on others. Source: half-edges round each place by angle, de Berg et al., Computational Geometry, chapter 2.
 */
export function partedBy(contours: readonly Contour[]): Parted {
  const { edges, nodes, twice } = edgesOf(contours);
  const full = contours.flatMap((c, of): Edge[] => (c.segments.length === 1 && isFull(c.segments[0]) ? [{ s: c.segments[0], from: -1, to: -1, of }] : []));
  const { kept, loose } = withoutLooseEnds(edges);
  const faces = facesOf(kept, nodes);
  for (const { s, of } of full) faces.push({ contour: contourOf([s], true), by: [of], beside: [-1] });
  return { faces, loose, twice };
}

/** All pieces between places where something begins, ends or runs into it. */
function edgesOf(contours: readonly Contour[]): { edges: Edge[]; nodes: P2[]; twice: number } {
  const all = contours.flatMap((c, of) => c.segments.filter((s) => !isFull(s) && lengthOf(s) > meets / 2).map((s) => ({ s, of })));
  const nodes: P2[] = [];
  const cells = new Map<string, number[]>();
  const nodeOf = (p: P2): number => {
    const [i, j] = [Math.floor(p[0] / meets), Math.floor(p[1] / meets)];
    for (let k = 0; k < 9; k++) for (const n of cells.get(`${i + (k % 3) - 1} ${j + Math.floor(k / 3) - 1}`) ?? []) if (distance(nodes[n], p) < meets) return n;
    cells.set(`${i} ${j}`, [...(cells.get(`${i} ${j}`) ?? []), nodes.length]);
    return nodes.push(p) - 1;
  };
  const ends = all.map(({ s }) => [nodeOf(startOf(s)), nodeOf(endOf(s))]);
  const boxes = all.map(({ s }) => boxOfContour(contourOf([s], false)));
  crossings(
    all.map(({ s }) => s),
    boxes,
    (p) => nodeOf(p),
  );
  const index = new Flatbush(Math.max(1, nodes.length));
  if (nodes.length === 0) index.add(0, 0, 0, 0);
  for (const [x, y] of nodes) index.add(x, y, x, y);
  index.finish();
  const edges: Edge[] = [];
  const known = new Map<string, { middle: P2; kind: Segment['kind'] }[]>();
  let twice = 0;
  all.forEach(({ s, of }, i) => {
    const [from, to] = ends[i];
    const box = boxes[i];
    const stops: { t: number; node: number }[] = [{ t: 0, node: from }, { t: 1, node: to }]; // prettier-ignore
    if (s.kind === 'line' || s.kind === 'arc')
      for (const node of index.search(box[0] - meets, box[1] - meets, box[2] + meets, box[3] + meets)) {
        if (node === from || node === to) continue;
        const t = shareOf(s, nodes[node]);
        if (distance(pointAt(s, t), nodes[node]) < meets) stops.push({ t, node });
      }
    stops.sort((a, b) => a.t - b.t);
    for (let k = 1; k < stops.length; k++) {
      const [a, b] = [stops[k - 1], stops[k]];
      if (a.node === b.node) continue;
      const piece = stops.length === 2 || s.kind === 'spline' ? s : pieceOf(s, a.t, b.t);
      const key = `${Math.min(a.node, b.node)} ${Math.max(a.node, b.node)}`;
      const middle = pointAt(piece, 0.5);
      const others = known.get(key) ?? [];
      // A round that begins along a line is not the same stretch, as near as they are at first.
      if (others.some((o) => o.kind === piece.kind && distance(o.middle, middle) < meets)) {
        twice++;
        continue;
      }
      known.set(key, [...others, { middle, kind: piece.kind }]);
      edges.push({ s: piece, from: a.node, to: b.node, of });
    }
  });
  return { edges, nodes, twice };
}

/** Places where lines and arcs cross: dividing lines run through each other. */
function crossings(all: readonly Segment[], boxes: readonly Box2[], found: (p: P2) => void): void {
  if (all.length === 0) return;
  const index = new Flatbush(all.length);
  for (const box of boxes) index.add(...box);
  index.finish();
  all.forEach((s, i) => {
    if (s.kind !== 'line' && s.kind !== 'arc') return;
    for (const k of index.search(...boxes[i], (k) => k > i)) {
      const t = all[k];
      if (t.kind !== 'line' && t.kind !== 'arc') continue;
      const { places } = meetingOf(s, t, 1e-9);
      for (let n = 0; n < places.length; n += 2) found([places[n], places[n + 1]]);
    }
  });
}

/** Edges without those that lead nowhere, and how many ends did. */
function withoutLooseEnds(edges: readonly Edge[]): { kept: Edge[]; loose: number } {
  const at = new Map<number, number[]>();
  edges.forEach((e, i) => [e.from, e.to].forEach((n) => at.set(n, [...(at.get(n) ?? []), i])));
  const gone = new Set<number>();
  const left = new Map([...at].map(([n, list]) => [n, list.length]));
  const open = [...left].filter(([, n]) => n === 1).map(([n]) => n);
  const loose = open.length;
  while (open.length > 0) {
    const n = open.pop()!;
    for (const i of at.get(n)!) {
      if (gone.has(i)) continue;
      gone.add(i);
      for (const m of [edges[i].from, edges[i].to]) {
        left.set(m, left.get(m)! - 1);
        if (left.get(m) === 1) open.push(m);
      }
    }
  }
  return { kept: edges.filter((_, i) => !gone.has(i)), loose };
}

/** Faces to the left of edges walked both ways; what goes round outside is none. */
function facesOf(edges: readonly Edge[], nodes: readonly P2[]): Face[] {
  // Half-edges: 2 i as drawn, 2 i + 1 the other way.
  const half = (h: number): { s: Segment; from: number; to: number } => {
    const e = edges[h >> 1];
    return h % 2 === 0 ? e : { s: reversed(e.s), from: e.to, to: e.from };
  };
  const count = edges.length * 2;
  const angle = new Float64Array(count);
  const out = new Map<number, number[]>();
  for (let h = 0; h < count; h++) {
    const { s, from } = half(h);
    // A little along: two that leave in the same direction are told by how they bend.
    const [x, y] = pointAt(s, Math.min(0.5, 1 / Math.max(2, lengthOf(s))));
    angle[h] = Math.atan2(y - nodes[from][1], x - nodes[from][0]);
    out.set(from, [...(out.get(from) ?? []), h]);
  }
  const turnAt = new Map<number, number>();
  for (const list of out.values()) {
    list.sort((a, b) => angle[a] - angle[b]);
    list.forEach((h, k) => turnAt.set(h, k));
  }
  const face = new Int32Array(count).fill(-1);
  const faces: Face[] = [];
  const walks: number[][] = [];
  for (let first = 0; first < count; first++) {
    if (face[first] !== -1) continue;
    const walk: number[] = [];
    for (let h = first; face[h] === -1;) {
      face[h] = -2 - walks.length;
      walk.push(h);
      const list = out.get(half(h).to)!;
      // The next clockwise from where it came.
      h = list[(turnAt.get(h ^ 1)! + list.length - 1) % list.length];
    }
    walks.push(walk);
  }
  const number = new Map<number, number>();
  walks.forEach((walk, w) => {
    const contour = mergedContour(
      contourOf(
        walk.map((h) => half(h).s),
        true,
      ),
      noCorner,
    );
    if (areaOfContour(contour) <= 0) return;
    number.set(-2 - w, faces.length);
    faces.push({ contour, by: [...new Set(walk.map((h) => edges[h >> 1].of))], beside: [] });
  });
  walks.forEach((walk, w) => {
    const own = number.get(-2 - w);
    if (own !== undefined) faces[own].beside = [...new Set(walk.map((h) => number.get(face[h ^ 1]) ?? -1))];
  });
  return faces;
}

/** What a sheet whose cuts are shared falls into: the drawing as parts with their edges, and which face each outline is. */
export interface Fallen {
  drawing: Drawing;
  parted: Parted;
  /** Which face each outline of the drawing came of. */
  faceOf: ReadonlyMap<Contour, number>;
  /** Numbers, in the order of the file's layers and contours, of the contours that faces are cut by. */
  numbers: readonly number[];
}

/** Contours of a received sheet with half a cut taken from each side of every line: what is left of each face, and openings as they become. */
export function fallenApart(drawing: Drawing, choice: NestChoice, engine: Engine): Fallen {
  const { names } = choice;
  const outlines = new Set([names.large, names.small].map((n) => n.toUpperCase()));
  const inner = [names.inner, names.hole, names.row].map((n) => n.toUpperCase());
  const isOutline = (name: string) => outlines.has(name.toUpperCase());
  let next = 0;
  const cuts = drawing.layers.flatMap((l) => l.contours.map((contour) => ({ contour, number: next++, outline: isOutline(l.name) }))).filter((c) => c.outline);
  const parted = partedBy(cuts.map((c) => c.contour));
  const half = gapOf(choice) / 2;
  const faceOf = new Map<Contour, number>();
  const parts = parted.faces.flatMap(({ contour }, i) => {
    const left = offsetContour(engine, contour, -half).contours;
    for (const c of left) faceOf.set(c, i);
    return left;
  });
  const layers = drawing.layers
    .filter((l) => !isOutline(l.name))
    .map((l) => {
      const opening = inner.some((n) => l.name.toUpperCase().startsWith(n)) && !/_\d[\d_]*MM$/i.test(l.name);
      return opening ? { ...l, contours: l.contours.flatMap((c) => (c.closed ? offsetContour(engine, c, half).contours : [c])) } : l;
    });
  const look = drawing.layers.find((l) => isOutline(l.name));
  if (look) layers.push({ ...look, name: names.large, contours: parts });
  return { drawing: { ...drawing, layers }, parted, faceOf, numbers: cuts.map((c) => c.number) };
}
