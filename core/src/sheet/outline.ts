import type { SkinContour } from './pieces.ts';
import type { Hinge, Loop } from './hinges.ts';
import { contourOf, type Contour } from '../curves/drawing.ts';
import { fitContour, mergedContour } from '../curves/fit.ts';
import { endOf, startOf, reversed, type P2, type Segment } from '../curves/segment.ts';
import type { Vec3 } from '../geometry/vector.ts';
import { Unusable } from '../base/finding.ts';
import { flatOf, put, type FlatPiece } from './pieces.ts';
import { across } from './skin.ts';
import { pointOn, type Course } from './topology.ts';
import type { Laid } from './lay-out.ts';
import { sharpCorners, cornerKey, type SharpCorners } from './sharp.ts';

/** The border of the skin on the flat, chained into contours; pieces keep the edges they came from. */
export function outlines(laid: Laid, allowed: number): SkinContour[] {
  const { top, skin, placed } = laid;
  const joined = new Nodes();
  const corners = sharpCorners(laid);
  const hinged = new Map<number, Hinge>();
  for (const hinge of skin.hinges) for (const e of hinge.edges) hinged.set(e, hinge);
  const pieces: { piece: FlatPiece; ends: [string, string] }[] = [];
  const connections = new Map<string, { ends: [string, string]; segment: Segment; piece: FlatPiece }>();
  for (const [e, hinge] of hinged) {
    const edge = top.edges[e];
    const [from, to] = [0, 1].map((t) => put(placed.place[hinge.a], skin.patches[hinge.a].develop.at(pointOn(edge.course, t))));
    const along: P2 = [to[0] - from[0], to[1] - from[1]];
    edge.ends.forEach((v, end) => {
      const [p, q] = [`${v}/${hinge.a}`, `${v}/${hinge.b}`];
      if (hinge.sharp === 0) {
        joined.join(p, q);
        return;
      }
      // Ends of a bend with no radius on this side: a line across its zone; where two of its edges meet there is none.
      const key = `${v} ${hinge.a} ${hinge.b}`;
      if (connections.delete(key)) return;
      const at = pointOn(edge.course, end);
      const [a, b] = [hinge.a, hinge.b].map((i) => corners.get(cornerKey(v, i))?.at ?? put(placed.place[i], skin.patches[i].develop.at(at)));
      const course = edge.course.kind === 'exact' ? ({ kind: 'corners', points: Float64Array.from([...at, ...at]) } as const) : edge.course;
      connections.set(key, {
        ends: [p, q],
        segment: { kind: 'line', a, b },
        piece: { edge: -1, patch: -1, segments: [{ kind: 'line', a, b }], off: 0, course, across: along },
      });
    });
  }
  skin.patches.forEach((patch, i) => {
    for (const loop of patch.loops) {
      for (const e of loop.edges) {
        if (hinged.has(e)) continue;
        const edge = top.edges[e];
        const beyond = across(
          edge,
          edge.faces.find((f) => skin.patchOf[f] === i)!,
        );
        const { segments, off, course } = flatOf(edge, patch.develop, placed.place[i], { allowed, beyond: top.faces[beyond]?.surface });
        const [first, last] = edge.ends.map((v) => corners.get(cornerKey(v, i)));
        if (first || last) {
          const cut = cutBack(segments[0], course, first, last);
          pieces.push({ piece: { edge: e, patch: i, off, ...cut }, ends: [`${edge.ends[0]}/${i}`, `${edge.ends[1]}/${i}`] });
          continue;
        }
        pieces.push({ piece: { edge: e, patch: i, segments, off, course }, ends: [`${edge.ends[0]}/${i}`, `${edge.ends[1]}/${i}`] });
      }
    }
  });
  for (const c of connections.values()) pieces.push({ piece: c.piece, ends: c.ends });
  const ends = new Map<string, number[]>();
  pieces.forEach(({ ends: pair }, i) => {
    for (const key of new Set(pair.map((k) => joined.rootOf(k)))) {
      const list = ends.get(key);
      if (list) list.push(i);
      else ends.set(key, [i]);
    }
  });
  const used = new Set<number>();
  const contours: SkinContour[] = [];
  for (let i = 0; i < pieces.length; i++) {
    if (used.has(i)) continue;
    used.add(i);
    const chain = [pieces[i].piece];
    const segments = [...pieces[i].piece.segments];
    const begin = joined.rootOf(pieces[i].ends[0]);
    let at = joined.rootOf(pieces[i].ends[1]);
    while (at !== begin) {
      const next = ends.get(at)?.find((k) => !used.has(k));
      if (next === undefined) {
        const p = endOf(segments[segments.length - 1]);
        throw new Unusable(
          'outline-open',
          `The outline of the flat does not close at X ${p[0].toFixed(2)}, Y ${p[1].toFixed(2)} mm of the flat.`,
          'Heal the solid first, or pick another fixed wall.',
        );
      }
      used.add(next);
      const { piece, ends: pair } = pieces[next];
      const turned = joined.rootOf(pair[0]) !== at;
      segments.push(...(turned ? piece.segments.map(reversed).reverse() : piece.segments));
      chain.push(piece);
      at = joined.rootOf(pair[turned ? 0 : 1]);
    }
    let contour = contourOf(segments, true);
    let off = 0;
    if (!top.exact) {
      const done = fitContour(contour, Math.max(allowed, ...top.faces.map((f) => f.fit * 2)));
      contour = done.result;
      off = done.measured;
    }
    // A straight edge that runs on over a bend is one line.
    contour = mergedContour(contour, top.exact ? 1e-7 : Math.max(1e-4, top.diagonal * 2e-6));
    contours.push({ contour, pieces: chain.map((p) => (off > p.off ? { ...p, off } : p)) });
  }
  return contours;
}

type Corner = { at: P2; point: Vec3 } | undefined;

/** A straight edge whose ends were cut back beside sharp outer corners. */
function cutBack(line: Segment, course: Course, first: Corner, last: Corner): { segments: Segment[]; course: Course } {
  const [p, q] = [first?.point ?? pointOn(course, 0), last?.point ?? pointOn(course, 1)];
  const segment: Segment = { kind: 'line', a: first?.at ?? startOf(line), b: last?.at ?? endOf(line) };
  return { segments: [segment], course: { kind: 'corners', points: Float64Array.from([...p, ...q]) } };
}

/** Which ends are the same place on the flat. */
class Nodes {
  private readonly up = new Map<string, string>();
  rootOf(key: string): string {
    let at = key;
    for (let next = this.up.get(at); next !== undefined; next = this.up.get(at)) at = next;
    return at;
  }
  join(a: string, b: string): void {
    const [p, q] = [this.rootOf(a), this.rootOf(b)];
    if (p !== q) this.up.set(p, q);
  }
}

/** A patch's own border on the flat, hinges included. */
export function loopContour({ top, skin, placed }: Laid, i: number, loop: Loop, corners: SharpCorners): Contour {
  const segments: Segment[] = [];
  let at = -1;
  const { edges } = loop;
  // A loop's edges are in order; which way each runs follows from its vertices.
  if (edges.length > 1) {
    const [p, q] = top.edges[edges[0]].ends;
    const next = top.edges[edges[1]].ends;
    at = next.includes(q) ? p : q;
  } else at = top.edges[edges[0]].ends[0];
  for (const e of edges) {
    const edge = top.edges[e];
    let flat = flatOf(edge, skin.patches[i].develop, placed.place[i], { allowed: 0.005 }).segments;
    const [first, last] = edge.ends.map((v) => corners.get(cornerKey(v, i)));
    if (first || last) flat = [{ kind: 'line', a: first?.at ?? startOf(flat[0]), b: last?.at ?? endOf(flat[flat.length - 1]) }];
    const turned = edge.ends[0] !== at;
    segments.push(...(turned ? flat.map(reversed).reverse() : flat));
    at = edge.ends[turned ? 0 : 1];
  }
  return contourOf(segments, true);
}
