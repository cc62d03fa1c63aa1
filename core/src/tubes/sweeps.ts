import { cross, dot, lengthOf, scaled, sub, add, type Vec3 } from '../geometry/vector.ts';
import type { Surface } from '../surfaces/surfaces.ts';
import { anyAcross } from './run.ts';
import { middleOf, sweepOf, type LoopPiece, type Point } from './sections.ts';
import type { EdgeForm, Skin } from './skin.ts';
import type { Sweep } from './sweep.ts';

/** Directions count as one within this angle for exact solids, rad. */
const square = 1e-6;
/** Edges looked at in one search; beyond it nothing more is found, and that is told. */
const mostLooks = 60_000_000;

/** What a search found. `gaveUp` when there was more than is looked through. */
export interface Swept {
  sweeps: Sweep[];
  /** Sweeps that go all the way round. */
  rings: Sweep[];
  gaveUp: boolean;
}

/** The frame in which one sweep is measured, and what belongs to it there. */
interface Way {
  kind: Sweep['kind'];
  at: Vec3;
  along: Vec3;
  x: Vec3;
  y: Vec3;
  /** Where an edge runs along this way: its place across, and from where to where; null when it does not. */
  lateral(form: EdgeForm): { place: Point; from: number; to: number } | null;
  /** Whether a surface was made by this move. */
  carries(surface: Surface): boolean;
  /** A point as (x, y, t). */
  local(p: Vec3): Vec3;
}

/** Every sweep of a skin. @example sweepsOf(skin).sweeps.filter((s) => s.kind === 'bend').length */
export function sweepsOf(skin: Skin): Swept {
  const found: Swept = { sweeps: [], rings: [], gaveUp: false };
  const search = new Search(skin);
  const used = new Set<number>();
  for (let e = 0; e < skin.edges.length; e++) {
    const { form } = skin.edges[e];
    if (!form || used.has(e)) continue;
    if (search.looks > mostLooks) {
      found.gaveUp = true;
      break;
    }
    const sweep = search.from(e);
    if (!sweep) continue;
    for (const edge of sweep.edges) used.add(edge);
    const turn = sweep.kind === 'bend' && form.kind === 'circle' ? Math.abs(form.to - form.from) : 0;
    if (turn > 2 * Math.PI - 1e-6) found.rings.push(sweep);
    else found.sweeps.push(sweep);
  }
  return found;
}

class Search {
  looks = 0;
  private readonly skin: Skin;
  private readonly slack: number;
  constructor(skin: Skin) {
    this.skin = skin;
    this.slack = skin.exact ? square : 1e-4;
  }

  /** The sweep that an edge is a lateral edge of; null when it is of none. */
  from(start: number): Sweep | null {
    const { skin } = this;
    const form = skin.edges[start].form!;
    if (skin.edges[start].faces.length !== 2) return null;
    const way = this.wayOf(form);
    const own = way.lateral(form);
    if (!own || own.to - own.from <= (way.kind === 'straight' ? skin.near * 4 : 1e-9)) return null;
    const station = (own.from + own.to) / 2;
    const loop: LoopPiece[] = [];
    const faces: number[] = [];
    const edges: number[] = [];
    let [edge, face] = [start, skin.edges[start].faces[0]];
    do {
      const step = this.across(way, face, edge, station);
      if (!step || loop.length > skin.edges.length) return null;
      loop.push(step.piece);
      faces.push(face);
      edges.push(edge);
      edge = step.edge;
      const { faces: both } = skin.edges[edge];
      if (both.length !== 2) return null;
      face = both[0] === face ? both[1] : both[0];
    } while (edge !== start);
    const { kind, at, along, x, y } = way;
    const sweep: Sweep = { kind, at, along, x, y, loop, solid: this.filled(way, loop, faces), faces, edges, body: skin.faces[faces[0]].body, bounds: [[], []] };
    this.bound(sweep, way);
    return sweep;
  }

  /** Whether the outline's faces look outwards, by their lengths. */
  private filled(way: Way, loop: readonly LoopPiece[], faces: readonly number[]): boolean {
    const { centre } = middleOf(loop);
    let sum = 0;
    loop.forEach(({ from, to, arc }, i) => {
      const { surface, outward } = this.skin.faces[faces[i]];
      const at: Point = arc ? arc.middle : [(from[0] + to[0]) / 2, (from[1] + to[1]) / 2];
      let normal: Point = [0, 0];
      if (arc) normal = [(at[0] - arc.centre[0]) / arc.r, (at[1] - arc.centre[1]) / arc.r];
      else if (surface.kind === 'plane')
        normal = way.kind === 'straight' ? [dot(surface.frame.z, way.x), dot(surface.frame.z, way.y)] : [0, dot(surface.frame.z, way.along)];
      else if (surface.kind === 'cylinder' || surface.kind === 'cone') normal = [1, 0];
      const length = arc ? Math.abs(sweepOf(from, to, arc)) * arc.r : Math.hypot(to[0] - from[0], to[1] - from[1]);
      sum += Math.sign(normal[0] * (at[0] - centre[0]) + normal[1] * (at[1] - centre[1])) * outward * length;
    });
    return sum > 0;
  }

  private wayOf(form: EdgeForm): Way {
    const { slack, skin } = this;
    const near = skin.near * 4;
    if (form.kind === 'line') {
      const { along, at } = form;
      const x = anyAcross(along);
      const y = cross(along, x);
      const local = (p: Vec3): Vec3 => [dot(sub(p, at), x), dot(sub(p, at), y), dot(sub(p, at), along)];
      return {
        kind: 'straight',
        at,
        along,
        x,
        y,
        local,
        lateral(other) {
          if (other.kind !== 'line' || other.to - other.from <= near) return null;
          const away = lengthOf(cross(other.along, along));
          if (away > slack && away * (other.to - other.from) > near) return null;
          const [a, b] = [other.from, other.to].map((s) => local(add(other.at, scaled(other.along, s))));
          return { place: [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2], from: Math.min(a[2], b[2]), to: Math.max(a[2], b[2]) };
        },
        carries(s) {
          if (s.kind === 'plane') return Math.abs(dot(s.frame.z, along)) <= slack * 30;
          if (s.kind === 'cylinder') return lengthOf(cross(s.frame.z, along)) <= slack * 30;
          return false;
        },
      };
    }
    const { axis: along, at } = form;
    const x = scaled(turnedX(form, form.from), 1 / form.r);
    const y = cross(along, x);
    const middle = (form.to - form.from) / 2;
    const onAxis = (p: Vec3, size: number) => lengthOf(cross(sub(p, at), along)) <= Math.max(near, slack * size * 30, 2e-3);
    /** The angle of a point, in the turn about the middle of this edge. */
    const angleOf = (p: Vec3) => {
      const t = Math.atan2(dot(sub(p, at), y), dot(sub(p, at), x));
      return t - 2 * Math.PI * Math.round((t - middle) / (2 * Math.PI));
    };
    const local = (p: Vec3): Vec3 => {
      const q = sub(p, at);
      const h = dot(q, along);
      return [lengthOf(sub(q, scaled(along, h))), h, angleOf(p)];
    };
    return {
      kind: 'bend',
      at,
      along,
      x,
      y,
      local,
      lateral(other) {
        if (other.kind !== 'circle' || lengthOf(cross(other.axis, along)) > 30 * slack || !onAxis(other.at, other.r)) return null;
        const place: Point = [other.r, dot(sub(other.at, at), along)];
        const half = Math.abs(other.to - other.from) / 2;
        const centre = angleOf(add(other.at, turnedX(other, (other.from + other.to) / 2)));
        return { place, from: centre - half, to: centre + half };
      },
      carries(s) {
        if (!('frame' in s)) return false;
        if (lengthOf(cross(s.frame.z, along)) > 30 * slack) return false;
        return s.kind === 'plane' || onAxis(s.frame.at, s.kind === 'torus' ? s.major : s.r);
      },
    };
  }

  /** Lateral edges of a face that the section goes through, with their places in it. */
  private cutEdges(way: Way, f: number, station: number): { edge: number; place: Point }[] {
    const { skin } = this;
    const here: { edge: number; place: Point }[] = [];
    const { edges } = skin.faces[f];
    this.looks += edges.length;
    const [shifts, margin] = way.kind === 'bend' ? [[0, 2 * Math.PI, -2 * Math.PI], 1e-9] : [[0], 0];
    for (const edge of edges) {
      const { form } = skin.edges[edge];
      const along = form && way.lateral(form);
      if (along && shifts.some((k) => along.from + k <= station + margin && along.to + k >= station - margin)) here.push({ edge, place: along.place });
    }
    return here;
  }

  /** From one lateral edge across a face to the next one. */
  private across(way: Way, f: number, edge: number, station: number): { edge: number; piece: LoopPiece } | null {
    const { surface } = this.skin.faces[f];
    if (!way.carries(surface)) return null;
    const here = this.cutEdges(way, f, station);
    const own = here.findIndex((h) => h.edge === edge);
    if (own < 0) return null;
    const from = here[own].place;
    const circle = this.circleOf(way, surface);
    if (!circle) return acrossFlat(here, own);
    if (here.length > 2) return null;
    const [cx, cy] = circle.centre;
    if (here.length === 1) return { edge, piece: { from, to: from, arc: { ...circle, middle: [2 * cx - from[0], 2 * cy - from[1]] } } };
    const next = here[1 - own];
    const middle = this.middleOf(way, f, circle, [here[own], next]);
    return { edge: next.edge, piece: { from, to: next.place, arc: { ...circle, middle } } };
  }

  /** The circle that a round face is in the section. */
  private circleOf(way: Way, s: Surface): { centre: Point; r: number } | null {
    if (way.kind === 'straight' && s.kind === 'cylinder') {
      const [x, y] = way.local(s.frame.at);
      return { centre: [x, y], r: s.r };
    }
    if (way.kind === 'bend' && s.kind === 'torus') return { centre: [s.major, way.local(s.frame.at)[1]], r: s.minor };
    return null;
  }

  /** The middle of the one of two arcs between two points on which the face's other edges lie. */
  private middleOf(way: Way, f: number, { centre, r }: { centre: Point; r: number }, ends: { edge: number; place: Point }[]): Point {
    const { skin } = this;
    const lateral = ends.map((e) => e.edge);
    const [from, to] = ends.map((e) => e.place);
    const a = Math.atan2(from[1] - centre[1], from[0] - centre[0]);
    const b = Math.atan2(to[1] - centre[1], to[0] - centre[0]);
    const sweep = (((b - a) % (2 * Math.PI)) + 2 * Math.PI) % (2 * Math.PI);
    let votes = 0;
    for (const e of skin.faces[f].edges) {
      if (lateral.includes(e)) continue;
      for (const p of skin.edges[e].points) {
        const [x, y] = way.local(p);
        const t = (((Math.atan2(y - centre[1], x - centre[0]) - a) % (2 * Math.PI)) + 2 * Math.PI) % (2 * Math.PI);
        if (Math.min(t, 2 * Math.PI - t, Math.abs(t - sweep)) < 1e-6) continue;
        votes += t < sweep ? 1 : -1;
      }
    }
    const middle = votes >= 0 ? a + sweep / 2 : a + sweep / 2 + Math.PI;
    return [centre[0] + r * Math.cos(middle), centre[1] + r * Math.sin(middle)];
  }

  /** Lateral edges of the sweep's faces at one place of the section. */
  private inLine(way: Way, sweep: Sweep, place: Point): { e: number; along: NonNullable<ReturnType<Way['lateral']>> }[] {
    const out: { e: number; along: NonNullable<ReturnType<Way['lateral']>> }[] = [];
    // Along a long merged face there may be other pieces of the tube at the same place: only those of round sides are taken together.
    if (way.kind === 'bend') return out;
    for (const f of sweep.faces) {
      const face = this.skin.faces[f];
      if (face.surface.kind !== 'cylinder') continue;
      for (const e of face.edges) {
        const { form } = this.skin.edges[e];
        const along = form && way.lateral(form);
        if (along && Math.hypot(along.place[0] - place[0], along.place[1] - place[1]) <= this.skin.near * 10) out.push({ e, along });
      }
    }
    return out;
  }

  /** The vertex at the lower or upper end of a lateral edge. */
  private vertexAt(way: Way, e: number, side: 0 | 1): number {
    const { points, ends } = this.skin.edges[e];
    const [p, q] = [points[0], points[points.length - 1]].map((at) => way.local(at)[2]);
    return ends[p <= q === (side === 0) ? 0 : 1];
  }

  /** What stands at the two ends: the ends of the lateral edges, and the edges between them. */
  private bound(sweep: Sweep, way: Way): void {
    const { skin } = this;
    const vertices: [Set<number>, Set<number>] = [new Set(), new Set()];
    for (const e of [...sweep.edges]) {
      const own = { e, along: way.lateral(skin.edges[e].form!)! };
      // A lateral edge may come in pieces: holes and grooves lie across it.
      let [first, last] = [own, own];
      for (const other of this.inLine(way, sweep, own.along.place)) {
        if (!sweep.edges.includes(other.e)) sweep.edges.push(other.e);
        if (other.along.from < first.along.from) first = other;
        if (other.along.to > last.along.to) last = other;
      }
      vertices[0].add(this.vertexAt(way, first.e, 0));
      vertices[1].add(this.vertexAt(way, last.e, 1));
      sweep.bounds[0].push([...own.along.place, first.along.from]);
      sweep.bounds[1].push([...own.along.place, last.along.to]);
    }
    // A few lateral edges alone do not tell a slanting or a hollowed end from a square one: the edges between them do.
    if (way.kind === 'straight') for (const side of [0, 1] as const) this.boundBetween(sweep, way, [vertices[side], vertices[1 - side]], sweep.bounds[side]);
  }

  /** Points of the edges that go from one lateral edge to the next at an end. */
  private boundBetween(sweep: Sweep, way: Way, [ends, others]: [Set<number>, Set<number>], into: Vec3[]): void {
    const { skin } = this;
    const lateral = new Set(sweep.edges);
    const faces = new Set(sweep.faces);
    const open = [...ends];
    const seen = new Set<number>();
    while (open.length > 0 && seen.size < 200) {
      const v = open.pop()!;
      for (const e of skin.vertices.get(v) ?? []) {
        const edge = skin.edges[e];
        if (lateral.has(e) || seen.has(e) || !edge.faces.some((f) => faces.has(f))) continue;
        const far = edge.ends[0] === v ? edge.ends[1] : edge.ends[0];
        // With many lateral edges only an edge from one of them to another is taken: beyond may be the next piece.
        if (others.has(far) || (sweep.edges.length > 2 && !ends.has(far))) continue;
        seen.add(e);
        for (const p of edge.points) into.push(way.local(p));
        open.push(far);
      }
    }
  }
}

/** Across a face that is a line in the section: its lateral edges stand along it, two by two. */
function acrossFlat(here: { edge: number; place: Point }[], own: number): { edge: number; piece: LoopPiece } | null {
  if (here.length % 2 === 1) return null;
  const { edge, place: from } = here[own];
  let [far, dx, dy] = [0, 1, 0];
  for (const h of here) {
    const [ex, ey] = [h.place[0] - from[0], h.place[1] - from[1]];
    if (Math.hypot(ex, ey) > far) [far, dx, dy] = [Math.hypot(ex, ey), ex, ey];
  }
  here.sort((a, b) => (a.place[0] - b.place[0]) * dx + (a.place[1] - b.place[1]) * dy);
  const next = here[here.findIndex((h) => h.edge === edge) ^ 1];
  return { edge: next.edge, piece: { from, to: next.place, arc: null } };
}

function turnedX(c: Extract<EdgeForm, { kind: 'circle' }>, angle: number): Vec3 {
  const y = cross(c.axis, c.x);
  return add(scaled(c.x, c.r * Math.cos(angle)), scaled(y, c.r * Math.sin(angle)));
}
