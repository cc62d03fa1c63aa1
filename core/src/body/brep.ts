import { curveAt, type Curve } from '../surfaces/curves.ts';
import { surfaceAt, type Frame, type Surface } from '../surfaces/surfaces.ts';
import { cross, distance, unit, type Vec3 } from '../geometry/vector.ts';
import { NotTaken, type Body, type BodyEdge } from './body.ts';
import { smoothPieces, type Trace } from './trace.ts';
import type { Piece, Trim } from './trim.ts';

/** Least tolerance that is written, mm: the exact-geometry kernel's own. */
const leastTolerance = 1e-7;

const v3 = (p: ArrayLike<number>) => `${p[0]} ${p[1]} ${p[2]}`;
const frameText = (f: Frame) => `${v3(f.at)} ${v3(f.z)} ${v3(f.x)} ${v3(f.y)}`;

/** Knots once each with how often they stand there. */
function knotText(knots: Float64Array): { text: string; count: number } {
  const list: [number, number][] = [];
  for (const k of knots) {
    const last = list[list.length - 1];
    if (last && last[0] === k) last[1]++;
    else list.push([k, 1]);
  }
  return { text: list.map(([k, n]) => `${k} ${n}`).join(' '), count: list.length };
}

function polesText(poles: Float64Array, weights: Float64Array | null): string {
  const out: string[] = [];
  for (let i = 0; i < poles.length / 3; i++) out.push(`${poles[3 * i]} ${poles[3 * i + 1]} ${poles[3 * i + 2]}${weights ? ` ${weights[i]}` : ''}`);
  return out.join(' ');
}

function curveText(c: Curve): string {
  switch (c.kind) {
    case 'line':
      return `1 ${v3(c.at)} ${v3(c.along)}`;
    case 'circle':
      return `2 ${v3(c.at)} ${v3(unit(cross(c.x, c.y)))} ${v3(c.x)} ${v3(c.y)} ${c.rx}`;
    case 'ellipse':
      return `3 ${v3(c.at)} ${v3(unit(cross(c.x, c.y)))} ${v3(c.x)} ${v3(c.y)} ${c.rx} ${c.ry}`;
    case 'parabola':
      return `4 ${v3(c.at)} ${v3(unit(cross(c.x, c.y)))} ${v3(c.x)} ${v3(c.y)} ${c.focal}`;
    case 'hyperbola':
      return `5 ${v3(c.at)} ${v3(unit(cross(c.x, c.y)))} ${v3(c.x)} ${v3(c.y)} ${c.rx} ${c.ry}`;
    case 'bspline': {
      const knots = knotText(c.knots);
      return `7 ${c.weights ? 1 : 0} 0 ${c.degree} ${c.poles.length / 3} ${knots.count} ${polesText(c.poles, c.weights)} ${knots.text}`;
    }
    default:
      throw new NotTaken('curve-kind');
  }
}

function surfaceText(s: Surface): string {
  switch (s.kind) {
    case 'plane':
      return `1 ${frameText(s.frame)}`;
    case 'cylinder':
      return `2 ${frameText(s.frame)} ${s.r}`;
    case 'cone':
      return `3 ${frameText(s.frame)} ${s.r} ${s.half}`;
    case 'sphere':
      return `4 ${frameText(s.frame)} ${s.r}`;
    case 'torus':
      return `5 ${frameText(s.frame)} ${s.major} ${s.minor}`;
    case 'extrusion':
      return `6 ${v3(s.along)} ${curveText(s.profile)}`;
    case 'revolution':
      return `7 ${v3(s.at)} ${v3(s.axis)} ${curveText(s.profile)}`;
    case 'bspline': {
      const [u, v] = [knotText(s.uKnots), knotText(s.vKnots)];
      const r = s.weights ? 1 : 0;
      return `9 ${r} ${r} 0 0 ${s.uDegree} ${s.vDegree} ${s.uCount} ${s.vCount} ${u.count} ${v.count} ${polesText(s.poles, s.weights)} ${u.text} ${v.text}`;
    }
    case 'offset':
      return `11 ${s.by} ${surfaceText(s.of)}`;
    default:
      throw new NotTaken('surface-kind');
  }
}

/** An end of a piece: the edge's parameter; u, v and how they change there. */
type End = [number, number[]];

/** Pieces of a bent trace at most. */
const mostPieces = 2000;

/**
 * A trace in the parameter plane as text: a straight one that runs evenly as a line, another straight one as a spline of degree 1, a bent one as cubic
 * pieces by values and slopes (Hermite), halved until the surface at its middle lies on the edge.
 */
function traceText(trace: Trace, du: number, dv: number, tolerance: number): { text: string; off: number } {
  const { from, to, first, last } = trace;
  if (trace.straight) {
    const [su, sv] = [(last[0] - first[0]) / (to - from), (last[1] - first[1]) / (to - from)];
    if (Math.abs(Math.hypot(su, sv) - 1) < 1e-15) return { text: `1 ${first[0] + du - su * from} ${first[1] + dv - sv * from} ${su} ${sv}`, off: 0 };
    return { text: `7 0 0 1 2 2 ${first[0] + du} ${first[1] + dv} ${last[0] + du} ${last[1] + dv} ${from} 2 ${to} 2`, off: 0 };
  }
  const out = new Float64Array(4);
  const at = (t: number): number[] => {
    if (t === from || t === to) {
      trace.at(t === from ? from + (to - from) * 1e-9 : to - (to - from) * 1e-9, out);
      const [u, v] = t === from ? first : last;
      return [u, v, out[2], out[3]];
    }
    trace.at(t, out);
    return [...out];
  };
  const surface = trace.surface;
  const knots: number[] = [from];
  const values: number[][] = [at(from)];
  let off = 0;
  const add = ([a, va]: End, [b, vb]: End, depth: number): void => {
    const h = b - a;
    let worst = 0;
    for (const s of [0.25, 0.5, 0.75]) {
      const [p, q, r, w] = [(1 + 2 * s) * (1 - s) ** 2, s * (1 - s) ** 2 * h, s * s * (3 - 2 * s), s * s * (s - 1) * h];
      const uv = [0, 1].map((c) => p * va[c] + q * va[2 + c] + r * vb[c] + w * vb[2 + c]);
      // Held against the trace, not against the edge: how far that lies off the surface is the file's.
      trace.at(a + s * h, out);
      worst = Math.max(worst, distance(surfaceAt(surface, uv[0], uv[1]).at, surfaceAt(surface, out[0], out[1]).at));
    }
    if (worst > tolerance && depth < 9 && knots.length < mostPieces) {
      const m = (a + b) / 2;
      const vm = at(m);
      add([a, va], [m, vm], depth + 1);
      add([m, vm], [b, vb], depth + 1);
      return;
    }
    off = Math.max(off, worst);
    knots.push(b);
    values.push(vb);
  };
  const cuts = smoothPieces(trace.curve, from, to);
  for (let i = 1; i < cuts.length; i++) add([cuts[i - 1], values[values.length - 1]], [cuts[i], at(cuts[i])], 0);
  const poles: string[] = [];
  const last2 = knots.length - 1;
  knots.forEach((t, i) => {
    const [u, v, uu, vv] = values[i];
    const pole = (h: number) => poles.push(`${u + du + (uu * h) / 3} ${v + dv + (vv * h) / 3}`);
    if (i === 0) poles.push(`${u + du} ${v + dv}`);
    else pole(knots[i - 1] - t);
    if (i === last2) poles.push(`${u + du} ${v + dv}`);
    else pole(knots[i + 1] - t);
  });
  const many = knots.map((t, i) => `${t} ${i === 0 || i === last2 ? 4 : 2}`).join(' ');
  return { text: `7 0 0 3 ${poles.length} ${knots.length} ${poles.join(' ')} ${many}`, off };
}

/** Faces go on smoothly over an edge when their normals turn by less than this there, rad. Common practice, no source. */
const smoothTurn = 1e-4;

/** Whether two faces, or two sides of one, meet in a sharp edge anywhere along it. */
function bentBetween(edge: BodyEdge, [a, b]: readonly [Piece, Piece], one: Trim, two: Trim): boolean {
  const uv = new Float64Array(4);
  const normal = (piece: Piece, trim: Trim, t: number): Vec3 => {
    piece.trace!.at(t, uv);
    const { du, dv } = surfaceAt(trim.on.surface, uv[0] + piece.du, uv[1] + piece.dv);
    const n = unit(cross(du, dv));
    return trim.sense < 0 ? [-n[0], -n[1], -n[2]] : n;
  };
  return [0.1, 0.5, 0.9].some((share) => {
    const t = edge.from + share * (edge.to - edge.from);
    const [m, n] = [normal(a, one, t), normal(b, two, t)];
    return !(distance(m, n) < smoothTurn);
  });
}

/** An entry of the list of shapes, and what refers to it. */
interface Entry {
  text: string;
}

/**
 * BREP text of a body, as the exact-geometry kernel reads it, with the traces of edges on surfaces that are not flat.
 * Source of the format: "BRep Format" of the kernel's open documentation (version 1).
 * @param trims one for each face
 * @param closed whether its shells bound a solid; else they are written as they are
 */
export function brepText(body: Body, trims: readonly Trim[], size: number, closed = true): string {
  return new Writer(body, trims, size).text(closed);
}

class Writer {
  private readonly body: Body;
  private readonly trims: readonly Trim[];
  private readonly size: number;
  private readonly traces: string[] = [];
  private readonly shapes: Entry[] = [];
  /** Lines of each edge that say its traces, and how far they lie off it. */
  private readonly onFaces: string[][];
  private readonly off: Float64Array;

  constructor(body: Body, trims: readonly Trim[], size: number) {
    this.body = body;
    this.trims = trims;
    this.size = size;
    this.onFaces = body.edges.map(() => []);
    this.off = new Float64Array(body.edges.length).fill(leastTolerance);
  }

  text(closed: boolean): string {
    const { body, shapes } = this;
    const poles = body.faces.map((_, f) => this.layTraces(f));
    const vertexOff = new Float64Array(body.points.length).fill(leastTolerance);
    body.edges.forEach((edge, i) => {
      for (const [at, vertex] of [[edge.from, edge.start], [edge.to, edge.end]]) {
        vertexOff[vertex] = Math.max(vertexOff[vertex], this.off[i], distance(curveAt(edge.curve, at, 1).at, body.points[vertex]) * 1.001);
      }
    }); // prettier-ignore
    const vertices = body.points.map((p, i) => this.put(`Ve\n${vertexOff[i]}\n${v3(p)}\n0 0\n\n0101101\n*`));
    this.layJoins();
    const edges = body.edges.map((edge, i) => this.edge(edge, i, vertices));
    const faces = body.faces.map((_, f) => this.face(f, edges, vertices, poles[f]));
    const shells = body.shells.map((list) => this.put(`Sh\n\n0101100\n${list.map((f) => this.ref(faces[f], body.faces[f].turned)).join(' ')} *`));
    const whole = this.put(`${closed ? 'So' : 'Co'}\n\n1100000\n${shells.map((s) => this.ref(s, false)).join(' ')} *`);
    const total = shapes.length;
    // References count from the end of the list.
    const numbered = shapes.map((s) => s.text.replace(/([+-])@(\d+)/g, (_, sign: string, k: string) => `${sign}${total - Number(k)}`));
    return [
      '',
      'CASCADE Topology V1, (c) Matra-Datavision',
      'Locations 0',
      `Curve2ds ${this.traces.length}`,
      ...this.traces,
      `Curves ${body.edges.length}`,
      ...body.edges.map((e) => curveText(e.curve)),
      'Polygon3D 0',
      'PolygonOnTriangulations 0',
      `Surfaces ${body.faces.length}`,
      ...body.faces.map((f) => surfaceText(f.surface)),
      'Triangulations 0',
      '',
      `TShapes ${total}`,
      ...numbered,
      '',
      `+${total - whole} 0 `,
    ].join('\n');
  }

  /** Says of each edge between two faces whether they go on smoothly there: such edges are no lines in a drawing. */
  private layJoins(): void {
    const first = new Map<number, { piece: Piece; face: number }>();
    this.trims.forEach((trim, face) => {
      for (const piece of trim.loops.flat()) {
        if (!piece.trace) continue;
        const other = first.get(piece.edge);
        if (!other) first.set(piece.edge, { piece, face });
        else if (other.face !== face) {
          const bent = bentBetween(this.body.edges[piece.edge], [other.piece, piece], this.trims[other.face], trim);
          this.onFaces[piece.edge].push(`4 ${bent ? 'C0' : 'G1'} ${other.face + 1} 0 ${face + 1} 0`);
        }
      }
    });
  }

  private put(text: string): number {
    this.shapes.push({ text });
    return this.shapes.length - 1;
  }

  private ref(shape: number, turned: boolean): string {
    return `${turned ? '-' : '+'}@${shape} 0`;
  }

  /** Writes the traces of a face's edges; gives the shapes that stand for its poles, by piece. */
  private layTraces(f: number): Map<Piece, string> {
    const trim = this.trims[f];
    const poles = new Map<Piece, string>();
    // The kernel finds traces on planes by itself.
    if (trim.on.surface.kind === 'plane') {
      for (const { edge, trace } of trim.loops.flat()) this.off[edge] = Math.max(this.off[edge], trace!.off * 1.5);
      return poles;
    }
    const sides = new Map<number, { piece: Piece; index: number }>();
    const { turned } = this.body.faces[f];
    for (const loop of trim.loops) {
      for (const piece of loop) {
        if (!piece.trace) {
          poles.set(piece, this.poleText(piece, f, turned));
          continue;
        }
        const { text, off } = traceText(piece.trace, piece.du, piece.dv, Math.max(leastTolerance, 1e-9 * this.size, piece.trace.off / 10));
        this.off[piece.edge] = Math.max(this.off[piece.edge], off * 1.5 + piece.trace.off * 1.5);
        const index = this.traces.push(text);
        const { from, to } = piece.trace;
        const other = sides.get(piece.edge);
        const lines = this.onFaces[piece.edge];
        if (!other) {
          sides.set(piece.edge, { piece, index });
          lines.push(`2  ${index} ${f + 1} 0 ${from} ${to}`);
          continue;
        }
        // A seam: the trace of the forward use first, as the face itself runs.
        lines.pop();
        const forward = piece.turned === turned;
        const smooth = bentBetween(this.body.edges[piece.edge], [piece, other.piece], trim, trim) ? 'C0' : 'CN';
        lines.push(`3  ${forward ? index : other.index} ${forward ? other.index : index} ${smooth} ${f + 1} 0 ${from} ${to}`);
      }
    }
    return poles;
  }

  /** An edge without a curve, along a pole. The face itself runs the other way round where it is turned. */
  private poleText(piece: Piece, f: number, turned: boolean): string {
    const [a, b] = turned ? [piece.end, piece.begin] : [piece.begin, piece.end];
    const long = Math.hypot(b[0] - a[0], b[1] - a[1]);
    const index = this.traces.push(`1 ${a[0]} ${a[1]} ${(b[0] - a[0]) / long} ${(b[1] - a[1]) / long}`);
    return `Ed\n ${leastTolerance} 1 1 1\n2  ${index} ${f + 1} 0 0 ${long}\n0\n\n0101000`;
  }

  private edge(edge: BodyEdge, i: number, vertices: readonly number[]): number {
    const ends = `${this.ref(vertices[edge.start], false)} ${this.ref(vertices[edge.end], true)} *`;
    return this.put([`Ed\n ${this.off[i]} 1 1 0`, `1  ${i + 1} 0 ${edge.from} ${edge.to}`, ...this.onFaces[i], '0', '', '0101000', ends].join('\n'));
  }

  private face(f: number, edges: readonly number[], vertices: readonly number[], poles: Map<Piece, string>): number {
    const { turned } = this.body.faces[f];
    const wires = this.trims[f].loops.map((loop) => {
      const uses = loop.map((piece) => {
        if (piece.trace) return this.ref(edges[piece.edge], piece.turned !== turned);
        const vertex = vertices[piece.vertex];
        return this.ref(this.put(`${poles.get(piece)!}\n${this.ref(vertex, false)} ${this.ref(vertex, true)} *`), false);
      });
      if (turned) uses.reverse();
      return this.put(`Wi\n\n0101100\n${uses.join(' ')} *`);
    });
    return this.put(`Fa\n0  ${leastTolerance} ${f + 1} 0\n\n0111000\n${wires.map((w) => this.ref(w, false)).join(' ')} *`);
  }
}

/** Rough size of a body, mm: the diagonal of the box round its vertices and the poles of its splines. */
export function sizeOfBody(body: Body): number {
  const low = [Infinity, Infinity, Infinity];
  const high = [-Infinity, -Infinity, -Infinity];
  const take = (p: ArrayLike<number>) => {
    for (let k = 0; k < 3; k++) {
      low[k] = Math.min(low[k], p[k]);
      high[k] = Math.max(high[k], p[k]);
    }
  };
  body.points.forEach(take);
  for (const { curve, from, to } of body.edges) for (let i = 1; i < 8; i++) take(curveAt(curve, from + ((to - from) * i) / 8).at);
  return Math.hypot(high[0] - low[0], high[1] - low[1], high[2] - low[2]);
}

/** Middle of the box round a body's vertices, mm. */
export function middleOfBody(body: Body): Vec3 {
  const low = [0, 1, 2].map((k) => body.points.reduce((m, p) => Math.min(m, p[k]), Infinity));
  const high = [0, 1, 2].map((k) => body.points.reduce((m, p) => Math.max(m, p[k]), -Infinity));
  return [0, 1, 2].map((k) => (low[k] + high[k]) / 2) as Vec3;
}
