import { curveAt, periodOf } from '../../surfaces/curves.ts';
import type { BsplineSurface, Surface } from '../../surfaces/surfaces.ts';
import { naturalSign } from '../../surfaces/brep-text.ts';
import { recognised } from '../../surfaces/recognise.ts';
import { cross, distance, lengthOf, sub, type Vec3 } from '../../geometry/vector.ts';
import type { LooseFace } from '../../body/sew.ts';
import { NotTaken, type Body, type BodyEdge, type BodyFace, type Use } from '../../body/body.ts';
import { parameterOf } from '../../body/inverse.ts';
import { flagOf, StepGeometry, type Scale } from './geometry.ts';
import type { Part21 } from './part21.ts';
import { refOf, refsOf } from './values.ts';

/** Faces of one solid at most, and uses of edges. */
const mostFaces = 200_000;
const mostUses = 2_000_000;

/** Types of instances that are whole solids. */
export const solidTypes = new Set(['MANIFOLD_SOLID_BREP', 'BREP_WITH_VOIDS', 'FACETED_BREP']);

/** Types of instances that are surfaces by faces, and bound no solid by what they say. */
export const surfaceTypes = new Set(['SHELL_BASED_SURFACE_MODEL', 'FACE_BASED_SURFACE_MODEL']);

/** Sets of faces: closed or open, what comes of them is seen when they are sewn. */
const shellTypes = new Set(['CLOSED_SHELL', 'OPEN_SHELL', 'CONNECTED_FACE_SET', 'ORIENTED_CLOSED_SHELL', 'ORIENTED_OPEN_SHELL']);

/**
 * Faces of a surface model, in mm, each by itself.
 * Source: ISO 10303-42, shell_based_surface_model, face_based_surface_model.
 * @throws NotTaken when something of it is not taken here
 */
export function facesOf(file: Part21, id: number, scale: Scale, tolerance: number): LooseFace[] {
  const shells = refsOf(file.params(id)[1]);
  const reading = new Reading(file, scale, tolerance);
  return shells.flatMap((shell) => reading.loose(shell));
}

/**
 * A solid of the file as a body in mm.
 * Source: ISO 10303-42, topology schema and manifold_solid_brep, brep_with_voids, faceted_brep.
 * @throws NotTaken when something of it is not taken here or does not fit together
 */
export function bodyOf(file: Part21, id: number, scale: Scale, tolerance: number): Body {
  const [type, ...more] = file.types(id);
  if (!solidTypes.has(type) || more.length > 0) throw new NotTaken('no-solid');
  return new Reading(file, scale, tolerance).solid(id, type);
}

class Reading {
  private readonly file: Part21;
  private readonly geometry: StepGeometry;
  private readonly body: Body;
  private readonly vertices = new Map<number, number>();
  private readonly edges = new Map<number, { edge: number; same: boolean }>();
  private readonly straight = new Map<string, number>();
  private uses = 0;

  constructor(file: Part21, scale: Scale, tolerance: number) {
    this.file = file;
    this.geometry = new StepGeometry(file, scale);
    this.body = { points: [], edges: [], faces: [], shells: [], tolerance };
  }

  solid(id: number, type: string): Body {
    const { file, body } = this;
    const p = file.params(id);
    this.shell(refOf(p[1]), false);
    if (type === 'BREP_WITH_VOIDS') for (const shell of refsOf(p[2])) this.shell(shell, false);
    return body;
  }

  /** Faces of a shell as pieces of curves. */
  loose(id: number): LooseFace[] {
    const { file, body } = this;
    const [type] = file.types(id);
    if (!shellTypes.has(type)) throw new NotTaken('shell-kind');
    const p = file.params(id);
    if (type.startsWith('ORIENTED')) return this.loose(refOf(p[2]));
    const faces = refsOf(p[1]);
    if (faces.length === 0 || body.faces.length + faces.length > mostFaces) throw new NotTaken('no-faces');
    return faces.map((face) => {
      const { surface, turned, loops } = body.faces[this.face(face, false)];
      const piece = ({ edge, turned: back }: Use) => ({ curve: body.edges[edge].curve, from: body.edges[edge].from, to: body.edges[edge].to, back });
      return { surface, against: turned, loops: loops.map((loop) => loop.map(piece)) };
    });
  }

  private shell(id: number, against: boolean): void {
    const { file, body } = this;
    const [type] = file.types(id);
    const p = file.params(id);
    if (type === 'ORIENTED_CLOSED_SHELL') {
      this.shell(refOf(p[2]), against !== !flagOf(p[3]));
      return;
    }
    if (type !== 'CLOSED_SHELL') throw new NotTaken('shell-kind');
    const faces = refsOf(p[1]);
    if (faces.length === 0 || body.faces.length + faces.length > mostFaces) throw new NotTaken('no-faces');
    body.shells.push(faces.map((face) => this.face(face, against)));
  }

  private face(id: number, against: boolean): number {
    const { file, body } = this;
    const [type] = file.types(id);
    let [given, round] = [id, against];
    if (type === 'ORIENTED_FACE') {
      const p = file.params(id);
      given = refOf(p[2]);
      if (!flagOf(p[3])) round = !round;
    }
    const [kind] = file.types(given);
    if (kind !== 'ADVANCED_FACE' && kind !== 'FACE_SURFACE') throw new NotTaken(`face ${kind ?? 'that is not there'}`);
    const [, bounds, surface, same] = file.params(given);
    const raw = this.geometry.surface(refOf(surface));
    // What is exactly a plane, cylinder, cone, sphere or torus is taken as that, however it is written.
    const exact = recognised(raw);
    const other = exact !== raw && naturalSign(raw, exact) * naturalSign(exact, exact) < 0;
    const face: BodyFace = { surface: exact, turned: (!flagOf(same) !== round) !== other, loops: [] };
    for (const bound of refsOf(bounds)) {
      const [, loop, forward] = file.params(bound);
      if (file.types(refOf(loop))[0] === 'VERTEX_LOOP') {
        // A point that bounds a face is a pole, which is found; alone it stands for a whole ball.
        if (refsOf(bounds).length === 1) face.loops.push(this.whole(exact));
        continue;
      }
      face.loops.push(this.loop(refOf(loop), flagOf(forward) === round));
    }
    if (face.loops.length === 0) throw new NotTaken('no-bounds');
    return body.faces.push(face) - 1;
  }

  /** The seam of a face that is all of its surface, and ends in two poles. */
  private whole(surface: Surface): Use[] {
    if (surface.kind === 'sphere') return this.wholeSphere(surface);
    if (surface.kind === 'bspline') return this.wholeSpline(surface);
    if (surface.kind === 'revolution') return this.wholeTurned(surface);
    throw new NotTaken('loop VERTEX_LOOP');
  }

  /** A closed spline that ends in two poles, an ellipsoid say, likewise: its seam is the first of its lines of poles. */
  private wholeSpline({ uCount, vCount, vDegree, vKnots, poles, weights }: BsplineSurface): Use[] {
    const pole = (i: number, j: number): Vec3 => [poles[(i * vCount + j) * 3], poles[(i * vCount + j) * 3 + 1], poles[(i * vCount + j) * 3 + 2]];
    const near = Math.max(this.body.tolerance, 1e-7);
    for (let i = 1; i < uCount; i++) for (const j of [0, vCount - 1]) if (distance(pole(i, j), pole(0, j)) > near) throw new NotTaken('loop VERTEX_LOOP');
    for (let j = 0; j < vCount; j++) if (distance(pole(uCount - 1, j), pole(0, j)) > near) throw new NotTaken('loop VERTEX_LOOP');
    const curve: Spline = { kind: 'bspline', degree: vDegree, knots: vKnots, poles: poles.slice(0, 3 * vCount), weights: weights && weights.slice(0, vCount) };
    return this.seam({ curve, from: vKnots[vDegree], to: vKnots[vCount] }, pole(0, 0), pole(0, vCount - 1));
  }

  /** A spline turned all round that begins and ends on the axis, a spindle: its profile is the seam. */
  private wholeTurned({ at, axis, profile }: Extract<Surface, { kind: 'revolution' }>): Use[] {
    if (profile.kind !== 'bspline') throw new NotTaken('loop VERTEX_LOOP');
    const [from, to] = [profile.knots[profile.degree], profile.knots[profile.poles.length / 3]];
    const [one, other] = [from, to].map((t) => curveAt(profile, t, 1).at);
    const off = (p: Vec3) => lengthOf(cross(sub(p, at), axis));
    if (Math.max(off(one), off(other)) > Math.max(this.body.tolerance, 1e-7)) throw new NotTaken('loop VERTEX_LOOP');
    return this.seam({ curve: profile, from, to }, one, other);
  }

  /** A seam from one pole to another, gone along both ways. */
  private seam(along: Omit<BodyEdge, 'start' | 'end'>, one: Vec3, other: Vec3): Use[] {
    const { body } = this;
    const [start, end] = [body.points.push(one) - 1, body.points.push(other) - 1];
    const edge = body.edges.push({ ...along, start, end }) - 1;
    return [
      { edge, turned: false },
      { edge, turned: true },
    ];
  }

  /** A sphere with no edge gets a seam from pole to pole. */
  private wholeSphere({ frame: { at, x, z }, r }: Extract<Surface, { kind: 'sphere' }>): Use[] {
    const pole = (s: number): Vec3 => [at[0] + s * r * z[0], at[1] + s * r * z[1], at[2] + s * r * z[2]];
    return this.seam({ curve: { kind: 'circle', at, x, y: z, rx: r, ry: r }, from: -Math.PI / 2, to: Math.PI / 2 }, pole(-1), pole(1));
  }

  /** @param back the loop is gone along from its end */
  private loop(id: number, back: boolean): Use[] {
    const { file } = this;
    const [type] = file.types(id);
    let uses: Use[];
    if (type === 'EDGE_LOOP') uses = refsOf(file.params(id)[1]).map((use) => this.use(use));
    else if (type === 'POLY_LOOP') uses = this.polygon(refsOf(file.params(id)[1]));
    else throw new NotTaken(`loop ${type ?? 'that is not there'}`);
    this.uses += uses.length;
    if (uses.length === 0 || this.uses > mostUses) throw new NotTaken('no-edges');
    return back ? uses.reverse().map(({ edge, turned }) => ({ edge, turned: !turned })) : uses;
  }

  private use(id: number): Use {
    const { file } = this;
    const [type] = file.types(id);
    if (type !== 'ORIENTED_EDGE') throw new NotTaken(`use ${type ?? 'that is not there'}`);
    const p = file.params(id);
    const { edge, same } = this.edge(refOf(p[3]));
    return { edge, turned: flagOf(p[4]) !== same };
  }

  private vertex(id: number): number {
    const known = this.vertices.get(id);
    if (known !== undefined) return known;
    const { file, body } = this;
    if (file.types(id)[0] !== 'VERTEX_POINT') throw new NotTaken('vertex-kind');
    const index = body.points.push(this.geometry.point(refOf(file.params(id)[1]))) - 1;
    this.vertices.set(id, index);
    return index;
  }

  private edge(id: number): { edge: number; same: boolean } {
    const known = this.edges.get(id);
    if (known) return known;
    const { file, body } = this;
    if (file.types(id)[0] !== 'EDGE_CURVE') throw new NotTaken('edge-kind');
    const [, first, last, curve, sense] = file.params(id);
    const same = flagOf(sense);
    const [a, b] = [this.vertex(refOf(first)), this.vertex(refOf(last))];
    const edge = this.between(this.geometry.curve(refOf(curve)), same ? a : b, same ? b : a);
    const made = { edge: body.edges.push(edge) - 1, same };
    this.edges.set(id, made);
    return made;
  }

  /** The piece of a curve from one vertex to another along it. */
  private between(curve: BodyEdge['curve'], start: number, end: number): BodyEdge {
    const { points } = this.body;
    const period = periodOf(curve);
    if (curve.kind === 'bspline' && period > 0) return this.inClosed(curve, start, end);
    const from = parameterOf(curve, points[start]);
    let to = start === end ? from : parameterOf(curve, points[end]);
    if (period > 0) {
      const tiny = 1e-12 * period;
      while (to <= from + tiny) to += period;
      while (to > from + period + tiny) to -= period;
    }
    return { curve, from, to, start, end };
  }

  /** Parameters on a closed spline: its ends are one point, and which is meant follows from the other; one that goes on over the ends is gone along twice. */
  private inClosed(curve: Spline, start: number, end: number): BodyEdge {
    const { points } = this.body;
    const [low, high] = [curve.knots[curve.degree], curve.knots[curve.poles.length / 3]];
    const near = Math.max(this.body.tolerance, 1e-7);
    const seam = curveAt(curve, low).at;
    const from = distance(points[start], seam) <= near ? low : parameterOf(curve, points[start]);
    const to = distance(points[end], seam) <= near ? high : parameterOf(curve, points[end]);
    if (to > from) return { curve, from, to, start, end };
    return { curve: twice(curve), from, to: to + (high - low), start, end };
  }

  /** A polygon's edges are shared by the points that they join. */
  private polygon(ids: readonly number[]): Use[] {
    const { body } = this;
    return ids.map((id, i) => {
      const [a, b] = [this.corner(id), this.corner(ids[(i + 1) % ids.length])];
      const [start, end] = a < b ? [a, b] : [b, a];
      const key = `${start} ${end}`;
      let edge = this.straight.get(key);
      if (edge === undefined) {
        const [p, q] = [body.points[start], body.points[end]];
        const long = distance(p, q);
        if (!(long > 0)) throw new NotTaken('empty-edge');
        const along: Vec3 = [(q[0] - p[0]) / long, (q[1] - p[1]) / long, (q[2] - p[2]) / long];
        edge = body.edges.push({ curve: { kind: 'line', at: p, along }, from: 0, to: long, start, end }) - 1;
        this.straight.set(key, edge);
      }
      return { edge, turned: a > b };
    });
  }

  private corner(id: number): number {
    const known = this.vertices.get(id);
    if (known !== undefined) return known;
    const index = this.body.points.push(this.geometry.point(id)) - 1;
    this.vertices.set(id, index);
    return index;
  }
}

type Spline = Extract<BodyEdge['curve'], { kind: 'bspline' }>;

/** A closed spline gone along twice: the poles once more but for the first, which is the last. */
function twice({ degree, knots, poles, weights }: Spline): Spline {
  const count = poles.length / 3;
  const span = knots[count] - knots[degree];
  const inner = [...knots.subarray(degree + 1, count)];
  const [low, high] = [knots[degree], knots[count]];
  const all = [...Array<number>(degree + 1).fill(low), ...inner, ...Array<number>(degree).fill(high), ...inner.map((k) => k + span), ...Array<number>(degree + 1).fill(high + span)]; // prettier-ignore
  return {
    kind: 'bspline',
    degree,
    knots: Float64Array.from(all),
    poles: Float64Array.from([...poles, ...poles.subarray(3)]),
    weights: weights && Float64Array.from([...weights, ...weights.subarray(1)]),
  };
}
