import { openPeriodic, flatKnots } from './nurbs.ts';
import type { Curve } from './curves.ts';
import { recognised } from './recognise.ts';
import { surfaceAt, type BsplineSurface, type Frame, type Surface } from './surfaces.ts';
import { determinantOf, identityRows, invertedRows, timesRows, type Rows } from '../geometry/rows.ts';
import { placedCurve, placedSurface } from './placed.ts';
import { cross, dot, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';

/** A face with the surface it lies on, in the part's own coordinates. */
export interface ExactFace {
  surface: Surface;
  edges: ExactEdge[];
  /** Boundary loops: 1 for a plain face, one more for each hole. */
  loops: number;
  /** 1 where the solid's outside lies along the plane's z, away from the axis, centre or ring of a round surface, or along du x dv of a free one; else -1. */
  outward: 1 | -1;
}

/** An edge: its curve between two parameters; null where the edge is only a point (the pole of a sphere). */
export interface ExactEdge {
  curve: Curve | null;
  from: number;
  to: number;
  /** The same number wherever the solid uses this edge: two faces that share it meet there. */
  id: number;
  /** Numbers of the vertices at `from` and at `to`; the same for a closed edge. */
  ends: [number, number];
}

/** What a solid's BREP text holds, as far as deviation and choice of facets need it. */
export interface ExactSolid {
  faces: ExactFace[];
}

/** An entry of the list of shapes. */
export interface BrepShape {
  /** Ve, Ed, Wi, Fa, Sh, So, CS, Co */
  type: string;
  surface: number;
  place: number;
  curve: number;
  curvePlace: number;
  from: number;
  to: number;
  /** How far a vertex, an edge or a face may lie off what it joins, as the text states it, mm; 0 for others. */
  tolerance: number;
  /** Place of a vertex. */
  point: Vec3 | null;
  parts: BrepReference[];
}

/** One shape within another. */
export interface BrepReference {
  shape: number;
  place: number;
  /** Turned round: the end of an edge rather than its start. */
  turned: boolean;
}

/**
 * Reads the BREP text that the exact-geometry kernel writes, without the kernel: surfaces, curves and which face lies
 * on which. Faces come in the order in which a walk over the shape meets them, the same order as its facets.
 * Source of the format: "BRep Format" of the kernel's open documentation (versions 1 to 3).
 */
export function readBrepText(text: string): ExactSolid {
  const parsed = parseBrep(text);
  const faces: ExactFace[] = [];
  new Walk(parsed, faces).go(parsed.root, identityRows);
  return { faces };
}

/** A BREP text taken apart: its lists, and the shape that it is. Shapes, curves and surfaces are numbered from 1. */
export interface ParsedBrep {
  shapes: BrepShape[];
  places: Rows[];
  curves: Curve[];
  surfaces: SignedSurface[];
  root: BrepReference | null;
}

/** Takes a BREP text apart. @throws RangeError when it is none */
export function parseBrep(text: string): ParsedBrep {
  const tokens = new Tokens(text);
  tokens.skipTo('Locations');
  const places = readPlaces(tokens);
  tokens.skipTo('Curve2ds');
  tokens.skipTo('Curves');
  const curves = Array.from({ length: tokens.number() }, () => readCurve(tokens));
  tokens.skipTo('Surfaces');
  const surfaces = Array.from({ length: tokens.number() }, () => {
    const raw = readSurface(tokens);
    const surface = recognised(raw);
    return { surface, sign: naturalSign(raw, surface) };
  });
  tokens.skipTo('TShapes');
  return { shapes: readShapes(tokens), places, curves, surfaces, root: readReference(tokens) };
}

/** A surface, and 1 where du x dv as it was written points as `naturalSign` says; else -1. */
export interface SignedSurface {
  surface: Surface;
  sign: 1 | -1;
}

/** 1 where du x dv of a surface as it was written points along the plane's z, or away from the axis, centre or ring that it is; else -1. */
export function naturalSign(raw: Surface, surface: Surface): 1 | -1 {
  if (!('frame' in surface)) return 1;
  const [u, v] = middleOf(raw);
  const { at, du, dv } = surfaceAt(raw, u, v);
  const { frame } = surface;
  const q = sub(at, frame.at);
  const radial = sub(q, scaled(frame.z, dot(q, frame.z)));
  const away =
    surface.kind === 'plane' ? frame.z : surface.kind === 'sphere' ? q : surface.kind === 'torus' ? sub(q, scaled(unit(radial), surface.major)) : radial;
  return dot(cross(du, dv), away) < 0 ? -1 : 1;
}

/** Parameters well within a surface. */
function middleOf(s: Surface): [number, number] {
  const middle = (c: Curve) => (c.kind === 'bspline' ? (c.knots[c.degree] + c.knots[c.poles.length / 3]) / 2 : 0.3);
  if (s.kind === 'bspline') return [(s.uKnots[s.uDegree] + s.uKnots[s.uCount]) / 2, (s.vKnots[s.vDegree] + s.vKnots[s.vCount]) / 2];
  if (s.kind === 'extrusion') return [middle(s.profile), 1];
  if (s.kind === 'revolution') return [0.3, middle(s.profile)];
  return s.kind === 'offset' ? middleOf(s.of) : [0.3, 0.3];
}

class Tokens {
  private readonly text: string;
  private at = 0;
  constructor(text: string) {
    this.text = text;
  }
  /** The next run of characters that are not white space. */
  next(): string {
    const { text } = this;
    let i = this.at;
    while (i < text.length && text.charCodeAt(i) <= 32) i++;
    let end = i;
    while (end < text.length && text.charCodeAt(end) > 32) end++;
    this.at = end;
    if (end === i) throw new RangeError('BREP text ends too early');
    return text.slice(i, end);
  }
  peek(): string {
    const was = this.at;
    const token = this.next();
    this.at = was;
    return token;
  }
  number(): number {
    return Number(this.next());
  }
  vec(): Vec3 {
    return [this.number(), this.number(), this.number()];
  }
  /** Goes on after a section's word at the start of a line. */
  skipTo(word: string): void {
    const found = this.text.indexOf(`\n${word} `, Math.max(0, this.at - 1));
    if (found < 0) throw new RangeError(`BREP text has no ${word}`);
    this.at = found + word.length + 2;
  }
}

function readPlaces(tokens: Tokens): Rows[] {
  const count = tokens.number();
  const places: Rows[] = [identityRows];
  for (let i = 0; i < count; i++) {
    if (tokens.number() === 1) {
      places.push(Array.from({ length: 12 }, () => tokens.number()));
      continue;
    }
    let product = identityRows;
    for (;;) {
      const index = tokens.number();
      if (index === 0) break;
      const power = tokens.number();
      const step = power < 0 ? invertedRows(places[index]) : places[index];
      for (let k = 0; k < Math.abs(power); k++) product = timesRows(product, step);
    }
    places.push(product);
  }
  return places;
}

function readCurve(t: Tokens): Curve {
  const kind = t.number();
  switch (kind) {
    case 1:
      return { kind: 'line', at: t.vec(), along: t.vec() };
    case 2:
    case 3: {
      const at = t.vec();
      t.vec();
      const x = t.vec();
      const y = t.vec();
      const rx = t.number();
      return { kind: kind === 2 ? 'circle' : 'ellipse', at, x, y, rx, ry: kind === 2 ? rx : t.number() };
    }
    case 4: {
      const at = t.vec();
      t.vec();
      return { kind: 'parabola', at, x: t.vec(), y: t.vec(), focal: t.number() };
    }
    case 5: {
      const at = t.vec();
      t.vec();
      return { kind: 'hyperbola', at, x: t.vec(), y: t.vec(), rx: t.number(), ry: t.number() };
    }
    case 6: {
      const rational = t.number() === 1;
      const degree = t.number();
      const { poles, weights } = readPoles(t, degree + 1, rational);
      return { kind: 'bspline', degree, knots: flatKnots([0, 1], [degree + 1, degree + 1]), poles, weights };
    }
    case 7: {
      const rational = t.number() === 1;
      const periodic = t.number() === 1;
      const degree = t.number();
      const count = t.number();
      const knotCount = t.number();
      const { poles, weights } = readPoles(t, count, rational);
      const { knots, times: many } = readKnots(t, knotCount);
      if (!periodic) return { kind: 'bspline', degree, knots: flatKnots(knots, many), poles, weights };
      const open = openPeriodic(count, degree, knots, many);
      return { kind: 'bspline', degree, knots: open.knots, poles: pick(poles, open.order, 3)!, weights: pick(weights, open.order, 1) };
    }
    case 8: {
      t.number();
      t.number();
      return readCurve(t);
    }
    case 9: {
      const by = t.number();
      const side = t.vec();
      return { kind: 'offset', by, side, of: readCurve(t) };
    }
    default:
      throw new RangeError(`BREP text has a curve of kind ${kind}`);
  }
}

function pick(values: Float64Array | null, order: number[], size: number): Float64Array | null {
  if (!values) return null;
  const out = new Float64Array(order.length * size);
  order.forEach((from, to) => {
    for (let k = 0; k < size; k++) out[to * size + k] = values[from * size + k];
  });
  return out;
}

function readPoles(t: Tokens, count: number, rational: boolean): { poles: Float64Array; weights: Float64Array | null } {
  const poles = new Float64Array(count * 3);
  const weights = rational ? new Float64Array(count) : null;
  for (let i = 0; i < count; i++) {
    poles.set(t.vec(), i * 3);
    if (weights) weights[i] = t.number();
  }
  return { poles, weights };
}

function readKnots(t: Tokens, count: number): { knots: number[]; times: number[] } {
  const knots: number[] = [];
  const many: number[] = [];
  for (let i = 0; i < count; i++) {
    knots.push(t.number());
    many.push(t.number());
  }
  return { knots, times: many };
}

function readFrame(t: Tokens): Frame {
  return { at: t.vec(), z: t.vec(), x: t.vec(), y: t.vec() };
}

function readSurface(t: Tokens): Surface {
  const kind = t.number();
  switch (kind) {
    case 1:
      return { kind: 'plane', frame: readFrame(t) };
    case 2:
      return { kind: 'cylinder', frame: readFrame(t), r: t.number() };
    case 3:
      return { kind: 'cone', frame: readFrame(t), r: t.number(), half: t.number() };
    case 4:
      return { kind: 'sphere', frame: readFrame(t), r: t.number() };
    case 5:
      return { kind: 'torus', frame: readFrame(t), major: t.number(), minor: t.number() };
    case 6:
      return { kind: 'extrusion', along: t.vec(), profile: readCurve(t) };
    case 7:
      return { kind: 'revolution', at: t.vec(), axis: unit(t.vec()), profile: readCurve(t) };
    case 8: {
      const rational = t.number() === 1 || false;
      const vRational = t.number() === 1;
      const uDegree = t.number();
      const vDegree = t.number();
      const { poles, weights } = readPoles(t, (uDegree + 1) * (vDegree + 1), rational || vRational);
      return {
        kind: 'bspline',
        uDegree,
        vDegree,
        uCount: uDegree + 1,
        vCount: vDegree + 1,
        poles,
        weights,
        uKnots: flatKnots([0, 1], [uDegree + 1, uDegree + 1]),
        vKnots: flatKnots([0, 1], [vDegree + 1, vDegree + 1]),
      };
    }
    case 9:
      return readBsplineSurface(t);
    case 10: {
      for (let k = 0; k < 4; k++) t.number();
      return readSurface(t);
    }
    case 11: {
      const by = t.number();
      return { kind: 'offset', by, of: readSurface(t) };
    }
    default:
      throw new RangeError(`BREP text has a surface of kind ${kind}`);
  }
}

function readBsplineSurface(t: Tokens): BsplineSurface {
  const rational = [t.number() === 1, t.number() === 1].includes(true);
  const uPeriodic = t.number() === 1;
  const vPeriodic = t.number() === 1;
  const [uDegree, vDegree, nu, nv, nku, nkv] = Array.from({ length: 6 }, () => t.number());
  const { poles, weights } = readPoles(t, nu * nv, rational);
  const u = readKnots(t, nku);
  const v = readKnots(t, nkv);
  const plain = (n: number) => Array.from({ length: n }, (_, i) => i);
  const uOpen = uPeriodic ? openPeriodic(nu, uDegree, u.knots, u.times) : { knots: flatKnots(u.knots, u.times), order: plain(nu) };
  const vOpen = vPeriodic ? openPeriodic(nv, vDegree, v.knots, v.times) : { knots: flatKnots(v.knots, v.times), order: plain(nv) };
  const order = uOpen.order.flatMap((i) => vOpen.order.map((j) => i * nv + j));
  return {
    kind: 'bspline',
    uDegree,
    vDegree,
    uKnots: uOpen.knots,
    vKnots: vOpen.knots,
    uCount: uOpen.order.length,
    vCount: vOpen.order.length,
    poles: pick(poles, order, 3)!,
    weights: pick(weights, order, 1),
  };
}

function readReference(t: Tokens): BrepReference | null {
  const token = t.next();
  if (token === '*') return null;
  return { shape: Number(token.slice(1)), place: t.number(), turned: token[0] === '-' };
}

function readShapes(t: Tokens): BrepShape[] {
  const count = t.number();
  const shapes: BrepShape[] = [];
  for (let i = 0; i < count; i++) {
    const type = t.next();
    const shape: BrepShape = { type, surface: 0, place: 0, curve: 0, curvePlace: 0, from: 0, to: 0, tolerance: 0, point: null, parts: [] };
    if (type === 'Ve') {
      shape.tolerance = t.number();
      shape.point = t.vec();
      skipVertexPoints(t);
    } else if (type === 'Ed') readEdge(t, shape);
    else if (type === 'Fa') {
      t.number();
      shape.tolerance = t.number();
      shape.surface = t.number();
      shape.place = t.number();
      if (t.peek().length !== 7) {
        if (t.number() === 2) t.number();
      }
    }
    t.next(); // flags
    for (let part = readReference(t); part; part = readReference(t)) shape.parts.push(part);
    shapes.push(shape);
  }
  // References count from the end of the list: 1 is the shape written last.
  return [undefined as unknown as BrepShape, ...shapes.reverse()];
}

/** Points of a vertex on curves and surfaces: lists of numbers that end with "0 0". */
function skipVertexPoints(t: Tokens): void {
  for (;;) {
    t.number(); // parameter
    const kind = t.number();
    if (kind === 0) return;
    if (kind === 1) t.number();
    else if (kind === 2) {
      t.number();
      t.number();
    } else if (kind === 3) {
      t.number();
      t.number();
    }
    t.number(); // placement
  }
}

function readEdge(t: Tokens, shape: BrepShape): void {
  shape.tolerance = t.number();
  for (let k = 0; k < 3; k++) t.number();
  for (;;) {
    const kind = t.number();
    if (kind === 0) return;
    if (kind === 1) {
      shape.curve = t.number();
      shape.curvePlace = t.number();
      shape.from = t.number();
      shape.to = t.number();
    } else if (kind === 2) skip(t, 5);
    else if (kind === 3) {
      // two curves on one surface; the second index and the continuity ("CN") may stand together
      t.number();
      const second = t.next();
      if (/^\d+$/.test(second)) t.next();
      skip(t, 4);
    } else if (kind === 4) {
      t.next();
      skip(t, 4);
    } else if (kind === 5) skip(t, 2);
    else if (kind === 6) skip(t, 3);
    else if (kind === 7) skip(t, 4);
    else throw new RangeError(`BREP text has an edge entry of kind ${kind}`);
  }
}

function skip(t: Tokens, count: number): void {
  for (let k = 0; k < count; k++) t.next();
}

/** Walks over the shapes from the root and collects faces; the same edge or vertex at the same place gets the same number. */
class Walk {
  private readonly shapes: BrepShape[];
  private readonly places: Rows[];
  private readonly curves: Curve[];
  private readonly surfaces: SignedSurface[];
  private readonly faces: ExactFace[];
  private readonly numbers = new PlacedNumbers();

  constructor({ shapes, places, curves, surfaces }: ParsedBrep, faces: ExactFace[]) {
    this.shapes = shapes;
    this.places = places;
    this.curves = curves;
    this.surfaces = surfaces;
    this.faces = faces;
  }

  go(ref: BrepReference | null, above: Rows, turned = false): void {
    if (!ref) return;
    const shape = this.shapes[ref.shape];
    const here = timesRows(above, this.places[ref.place]);
    const round = ref.turned !== turned;
    if (shape.type === 'Fa') this.face(shape, here, round);
    else for (const part of shape.parts) this.go(part, here, round);
  }

  private face(shape: BrepShape, here: Rows, turned: boolean): void {
    const { shapes, places } = this;
    const edges: ExactEdge[] = [];
    let loops = 0;
    for (const wire of shape.parts) {
      if (shapes[wire.shape].type !== 'Wi') continue;
      loops++;
      const inWire = timesRows(here, places[wire.place]);
      for (const part of shapes[wire.shape].parts) {
        const edge = shapes[part.shape];
        if (edge.type !== 'Ed') continue;
        const inEdge = timesRows(inWire, places[part.place]);
        const place = timesRows(inEdge, places[edge.curvePlace]);
        const vertex = (turned: boolean) => {
          const found = edge.parts.find((v) => v.turned === turned) ?? edge.parts[0];
          return found ? this.numbers.of(found.shape, timesRows(inEdge, places[found.place])) : -1;
        };
        edges.push({
          curve: edge.curve ? placedCurve(this.curves[edge.curve - 1], place) : null,
          from: edge.from,
          to: edge.to,
          id: this.numbers.of(part.shape, inEdge),
          ends: [vertex(false), vertex(true)],
        });
      }
    }
    const place = timesRows(here, places[shape.place]);
    const { surface, sign } = this.surfaces[shape.surface - 1];
    const mirrored = determinantOf(place) < 0;
    this.faces.push({ surface: placedSurface(surface, place), edges, loops, outward: turned !== mirrored ? (-sign as 1 | -1) : sign });
  }
}

/** Numbers of shapes at places: the same shape at the same place has the same, from 0. */
export class PlacedNumbers {
  private readonly numbers = new Map<string, number>();

  of(shape: number, place: Rows): number {
    const still = place.every((v, i) => v === identityRows[i]);
    const key = still ? String(shape) : `${shape} ${place.map((v) => v.toFixed(9)).join(' ')}`;
    const known = this.numbers.get(key);
    if (known !== undefined) return known;
    this.numbers.set(key, this.numbers.size);
    return this.numbers.size - 1;
  }
}
