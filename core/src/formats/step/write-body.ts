import { curveAt, type Curve } from '../../surfaces/curves.ts';
import { pieceOfCurve } from '../../surfaces/nurbs.ts';
import type { BsplineSurface, Frame, Surface } from '../../surfaces/surfaces.ts';
import { cross, dot, sub, unit, type Vec3 } from '../../geometry/vector.ts';
import { NotTaken, type Body, type BodyEdge, type BodyFace } from '../../body/body.ts';
import type { StepLines } from './lines.ts';
import { exactReal } from './strings.ts';

type Torus = Extract<Surface, { kind: 'torus' }>;

const flag = (yes: boolean): string => (yes ? '.T.' : '.F.');
const list = (names: readonly string[]): string => `(${names.join(',')})`;

/** Parts of a direction below this are rounding. */
const leftOver = 1e-16;

/** Ends of a spline curve, or lines of poles of a surface, that lie no farther apart than this share of their size are one. */
const closes = 1e-9;

/**
 * Writes a body as solids of an exchange structure.
 * Source: ISO 10303-42, geometry schema, and topology schema from vertex_point to manifold_solid_brep and brep_with_voids.
 */
export class StepBody {
  private readonly lines: StepLines;
  private readonly body: Body;
  private readonly length: number;
  private readonly vertices: (string | undefined)[] = [];
  private readonly edges: (string | undefined)[] = [];

  /** @param length what lengths are multiplied by */
  constructor(lines: StepLines, body: Body, length: number) {
    this.lines = lines;
    this.body = body;
    this.length = length;
  }

  /**
   * Writes the solid; gives its name. What is written is handed on meanwhile.
   * @param text what it is called, as a string of the structure
   * @throws NotTaken for a curve or a surface that is not written here
   */
  *solid(text: string): Generator<Uint8Array, string> {
    const { lines, body } = this;
    const shells: string[] = [];
    for (const shell of body.shells) {
      const faces: string[] = [];
      for (const f of shell) {
        faces.push(this.face(body.faces[f]));
        yield* lines.full();
      }
      shells.push(lines.add(`CLOSED_SHELL('',${list(faces)})`));
    }
    const [outer, ...hollows] = shells;
    if (hollows.length === 0) return lines.add(`MANIFOLD_SOLID_BREP('${text}',${outer})`);
    const turned = hollows.map((shell) => lines.add(`ORIENTED_CLOSED_SHELL('',*,${shell},.T.)`));
    return lines.add(`BREP_WITH_VOIDS('${text}',${outer},${list(turned)})`);
  }

  private face({ surface, turned, loops }: BodyFace): string {
    const { lines } = this;
    const { name, against } = surface.kind === 'torus' && surface.minor > surface.major ? this.crossing(surface, loops) : this.surface(surface);
    const bounds = loops.map((loop) => {
      const uses = loop.map((use) => lines.add(`ORIENTED_EDGE('',*,*,${this.edge(use.edge)},${flag(!use.turned)})`));
      return lines.add(`FACE_BOUND('',${lines.add(`EDGE_LOOP('',${list(uses)})`)},.T.)`);
    });
    return lines.add(`ADVANCED_FACE('',${list(bounds)},${name},${flag(turned === against)})`);
  }

  private edge(index: number): string {
    const known = this.edges[index];
    if (known) return known;
    const edge = this.body.edges[index];
    const [start, end] = [this.vertex(edge.start), this.vertex(edge.end)];
    return (this.edges[index] = this.lines.add(`EDGE_CURVE('',${start},${end},${this.curve(cutOut(edge))},.T.)`));
  }

  private vertex(index: number): string {
    return (this.vertices[index] ??= this.lines.add(`VERTEX_POINT('',${this.point(this.body.points[index])})`));
  }

  private size(v: number): string {
    return exactReal(v * this.length);
  }

  private point(p: ArrayLike<number>): string {
    return this.lines.add(`CARTESIAN_POINT('',(${this.size(p[0])},${this.size(p[1])},${this.size(p[2])}))`);
  }

  private direction(d: Vec3): string {
    return this.lines.once(stepDirection(d));
  }

  private placement(at: Vec3, z: Vec3, x: Vec3): string {
    return this.lines.add(`AXIS2_PLACEMENT_3D('',${this.point(at)},${this.direction(z)},${this.direction(x)})`);
  }

  private vector(d: Vec3): string {
    return this.lines.add(`VECTOR('',${this.direction(d)},1.)`);
  }

  private curve(c: Curve): string {
    const { lines } = this;
    switch (c.kind) {
      case 'line':
        return lines.add(`LINE('',${this.point(c.at)},${this.vector(unit(c.along))})`);
      case 'circle':
        return lines.add(`CIRCLE('',${this.conic(c)},${this.size(c.rx)})`);
      case 'ellipse':
        return lines.add(`ELLIPSE('',${this.conic(c)},${this.size(c.rx)},${this.size(c.ry)})`);
      case 'hyperbola':
        return lines.add(`HYPERBOLA('',${this.conic(c)},${this.size(c.rx)},${this.size(c.ry)})`);
      case 'parabola':
        return lines.add(`PARABOLA('',${this.conic(c)},${this.size(c.focal)})`);
      case 'bspline':
        return this.splineCurve(c);
      default:
        throw new NotTaken(`curve ${c.kind}`);
    }
  }

  private conic({ at, x, y }: { at: Vec3; x: Vec3; y: Vec3 }): string {
    return this.placement(at, unit(cross(x, y)), x);
  }

  private splineCurve({ degree, knots, poles, weights }: Extract<Curve, { kind: 'bspline' }>): string {
    const { lines } = this;
    const points = Array.from({ length: poles.length / 3 }, (_, i) => this.point(poles.subarray(3 * i, 3 * i + 3)));
    const ends = poles.length - 3;
    const closed = near(poles, [0], [ends]);
    const { times, once } = knotsApart(knots);
    const plain = `${degree},${list(points)},.UNSPECIFIED.,${flag(closed)},.U.`;
    const with_ = `${list(times)},${list(once)},.UNSPECIFIED.`;
    if (!weights) return lines.add(`B_SPLINE_CURVE_WITH_KNOTS('',${plain},${with_})`);
    const rational = list(Array.from(weights, exactReal));
    return lines.add(
      `(BOUNDED_CURVE()B_SPLINE_CURVE(${plain})B_SPLINE_CURVE_WITH_KNOTS(${with_})CURVE()GEOMETRIC_REPRESENTATION_ITEM()RATIONAL_B_SPLINE_CURVE(${rational})REPRESENTATION_ITEM(''))`,
    );
  }

  /** Writes a surface; `against` where its du x dv points against that of the surface as it is given. */
  private surface(s: Surface): { name: string; against: boolean } {
    const { lines } = this;
    switch (s.kind) {
      case 'extrusion':
        return { name: lines.add(`SURFACE_OF_LINEAR_EXTRUSION('',${this.curve(s.profile)},${this.vector(unit(s.along))})`), against: false };
      case 'revolution': {
        const axis = lines.add(`AXIS1_PLACEMENT('',${this.point(s.at)},${this.direction(s.axis)})`);
        return { name: lines.add(`SURFACE_OF_REVOLUTION('',${this.curve(s.profile)},${axis})`), against: false };
      }
      case 'bspline':
        return { name: this.splineSurface(s), against: false };
      case 'offset': {
        const { name, against } = this.surface(s.of);
        return { name: lines.add(`OFFSET_SURFACE('',${name},${this.size(against ? -s.by : s.by)},.F.)`), against };
      }
      case 'other':
        throw new NotTaken('surface other');
      default:
        return this.elementary(s);
    }
  }

  /** A plane, cylinder, cone, sphere or torus: axes of the structure are right-handed, and cones open upwards. */
  private elementary(s: Extract<Surface, { frame: Frame }>): { name: string; against: boolean } {
    const { lines } = this;
    const { at, x, y, z } = s.frame;
    // With y the other way round, u or v runs the other way.
    const against = dot(cross(x, y), z) < 0;
    const name = (type: string, ...sizes: string[]) => lines.add(`${type}('',${[this.placement(at, z, x), ...sizes].join(',')})`);
    switch (s.kind) {
      case 'plane':
        return { name: name('PLANE'), against };
      case 'cylinder':
        return { name: name('CYLINDRICAL_SURFACE', this.size(s.r)), against };
      case 'sphere':
        return { name: name('SPHERICAL_SURFACE', this.size(s.r)), against };
      case 'torus':
        return { name: name('TOROIDAL_SURFACE', this.size(s.major), this.size(s.minor)), against };
      case 'cone':
        return { name: this.cone(s), against };
    }
  }

  /** A torus that crosses itself: of its two parts, like an apple and its core, the structure says which one is meant. Source: ISO 10303-42, degenerate_toroidal_surface. */
  private crossing(torus: Torus, loops: BodyFace['loops']): { name: string; against: boolean } {
    const { frame, major, minor } = torus;
    const { at, x, y, z } = frame;
    let [outer, inner] = [0, 0];
    for (const { edge } of loops.flat()) {
      const { curve, from, to } = this.body.edges[edge];
      for (const share of [0.25, 0.5, 0.75]) {
        const p = sub(curveAt(curve, from + (to - from) * share, 1).at, at);
        const [radius, height] = [Math.hypot(dot(p, x), dot(p, y)), dot(p, z)];
        outer += Math.abs(Math.hypot(radius - major, height) - minor);
        inner += Math.abs(Math.hypot(radius + major, height) - minor);
      }
    }
    const name = this.lines.add(`DEGENERATE_TOROIDAL_SURFACE('',${this.placement(at, z, x)},${this.size(major)},${this.size(minor)},${flag(outer <= inner)})`);
    return { name, against: dot(cross(x, y), z) < 0 };
  }

  /** A cone as the structure has it: its angle above 0 and its radius not below. */
  private cone({ frame: { at, x, z }, r, half }: Extract<Surface, { kind: 'cone' }>): string {
    const s = half < 0 ? -1 : 1;
    const up: Vec3 = [s * z[0], s * z[1], s * z[2]];
    const angle = Math.abs(half);
    // From a place below the tip to one as far above it.
    const lift = r < 0 ? (-2 * r) / Math.tan(angle) : 0;
    const from: Vec3 = [at[0] + lift * up[0], at[1] + lift * up[1], at[2] + lift * up[2]];
    return this.lines.add(`CONICAL_SURFACE('',${this.placement(from, up, x)},${this.size(Math.abs(r))},${exactReal(angle)})`);
  }

  private splineSurface(s: BsplineSurface): string {
    const { lines } = this;
    const { poles, uCount, vCount } = s;
    const at = (i: number, j: number) => (i * vCount + j) * 3;
    const row = <T>(i: number, of: (i: number, j: number) => T): T[] => Array.from({ length: vCount }, (_, j) => of(i, j));
    const column = (j: number): number[] => Array.from({ length: uCount }, (_, i) => at(i, j));
    const grid = list(Array.from({ length: uCount }, (_, i) => list(row(i, (k, j) => this.point(poles.subarray(at(k, j), at(k, j) + 3))))));
    const closed = [near(poles, row(0, at), row(uCount - 1, at)), near(poles, column(0), column(vCount - 1))];
    const [u, v] = [knotsApart(s.uKnots), knotsApart(s.vKnots)];
    const plain = `${s.uDegree},${s.vDegree},${grid},.UNSPECIFIED.,${flag(closed[0])},${flag(closed[1])},.U.`;
    const with_ = `${list(u.times)},${list(v.times)},${list(u.once)},${list(v.once)},.UNSPECIFIED.`;
    if (!s.weights) return lines.add(`B_SPLINE_SURFACE_WITH_KNOTS('',${plain},${with_})`);
    const weights = s.weights;
    const rational = list(Array.from({ length: uCount }, (_, i) => list(row(i, (k, j) => exactReal(weights[k * vCount + j])))));
    return lines.add(
      `(BOUNDED_SURFACE()B_SPLINE_SURFACE(${plain})B_SPLINE_SURFACE_WITH_KNOTS(${with_})GEOMETRIC_REPRESENTATION_ITEM()RATIONAL_B_SPLINE_SURFACE(${rational})REPRESENTATION_ITEM('')SURFACE())`,
    );
  }
}

/** A direction as an instance of the structure. */
export const stepDirection = (d: readonly number[]): string => `DIRECTION('',(${d.map((v) => exactReal(Math.abs(v) < leftOver ? 0 : v)).join(',')}))`;

/** Knots once each, and how often each stands there. */
function knotsApart(knots: Float64Array): { once: string[]; times: string[] } {
  const once: number[] = [];
  const times: number[] = [];
  for (const k of knots) {
    if (once.length > 0 && once[once.length - 1] === k) times[times.length - 1]++;
    else {
      once.push(k);
      times.push(1);
    }
  }
  return { once: once.map(exactReal), times: times.map(String) };
}

/** Whether poles at some places are those at others. */
function near(poles: Float64Array, a: readonly number[], b: readonly number[]): boolean {
  let far = 0;
  for (const v of poles) far = Math.max(far, Math.abs(v));
  return a.every((p, i) => Math.hypot(poles[p] - poles[b[i]], poles[p + 1] - poles[b[i] + 1], poles[p + 2] - poles[b[i] + 2]) <= closes * far);
}

/** The curve of an edge. Of a spline that closes, or is gone along twice, only the piece: else its ends would not say where it begins. */
function cutOut({ curve, from, to }: BodyEdge): Curve {
  if (curve.kind !== 'bspline') return curve;
  const { degree, knots, poles } = curve;
  const [low, high] = [knots[degree], knots[poles.length / 3]];
  if (from === low && to === high) return curve;
  return { ...curve, ...pieceOfCurve(curve, from, to) };
}
