import type { LooseFace, LoosePiece } from '../../body/sew.ts';
import { NotTaken } from '../../body/body.ts';
import type { Rows } from '../../geometry/rows.ts';
import { add, cross, distance, dot, scaled, sub, type Vec3 } from '../../geometry/vector.ts';
import type { Curve } from '../../surfaces/curves.ts';
import { placedCurve } from '../../surfaces/placed.ts';
import { naturalSign } from '../../surfaces/brep-text.ts';
import { recognised } from '../../surfaces/recognise.ts';
import { surfaceAt, type BsplineSurface, type Surface } from '../../surfaces/surfaces.ts';
import { lineBetween, type IgesCurves, type Piece } from './curves.ts';
import { Cursor } from './records.ts';
import { sheetOf, type Sheet } from './surfaces.ts';

const mostLoops = 100_000;

/**
 * A face of no solid: a surface with its bounds, or as far as it goes by itself.
 * Source: IGES 5.3, 4.32 (boundary), 4.33 (curve on a parametric surface), 4.34 (bounded surface), 4.35 (trimmed surface).
 * @throws NotTaken when something of it is not taken here
 */
export function faceOf(curves: IgesCurves, id: number, above: Rows): LooseFace {
  const { type } = curves.file.entry(id);
  const place = curves.placeOf(id, above);
  if (type === 144) return trimmedSurface(curves, id, place);
  if (type === 143) return boundedSurface(curves, id, place);
  return whole(sheetOf(curves, id, above));
}

function trimmedSurface(curves: IgesCurves, id: number, place: Rows): LooseFace {
  const c = new Cursor(curves.file.fields(id));
  const [surface, bounded] = [c.entry(), c.count(1)];
  const inner = c.count(mostLoops);
  const outer = c.entry();
  const sheet = sheetOf(curves, surface, place);
  const loops = bounded === 1 ? [onSurface(curves, outer, place)] : whole(sheet).loops;
  for (let i = 0; i < inner; i++) loops.push(onSurface(curves, c.entry(), place));
  return loose(sheet, loops);
}

/** A face whose loops run counter-clockwise round it as the file means its surface. */
function loose({ surface: raw, sign }: Sheet, loops: LoosePiece[][]): LooseFace {
  const surface = recognised(raw);
  const other = surface !== raw && naturalSign(raw, surface) * naturalSign(surface, surface) < 0;
  return { surface, loops, against: other !== sign < 0 };
}

/** The curve in space of a curve on a surface. */
function onSurface(curves: IgesCurves, id: number, above: Rows): Piece[] {
  const { file } = curves;
  if (file.entry(id).type !== 142) throw new NotTaken('bound');
  const c = new Cursor(file.fields(id));
  c.skip(3);
  const inSpace = c.entry();
  if (inSpace === 0) throw new NotTaken('bound-by-parameters');
  return curves.pieces(inSpace, curves.placeOf(id, above));
}

function boundedSurface(curves: IgesCurves, id: number, place: Rows): LooseFace {
  const c = new Cursor(curves.file.fields(id));
  c.skip(1);
  const sheet = sheetOf(curves, c.entry(), place);
  const loops = Array.from({ length: c.count(mostLoops) }, () => boundary(curves, c.entry(), place));
  return loops.length > 0 ? loose(sheet, loops) : whole(sheet);
}

/** A loop of curves in space, each with the sense in which it is gone along. */
function boundary(curves: IgesCurves, id: number, above: Rows): LoosePiece[] {
  const { file } = curves;
  if (file.entry(id).type !== 141) throw new NotTaken('bound');
  const place = curves.placeOf(id, above);
  const c = new Cursor(file.fields(id));
  c.skip(3);
  const out: LoosePiece[] = [];
  for (let n = c.count(mostLoops); n > 0; n--) {
    const pieces = curves.pieces(c.entry(), place);
    const back = c.number() === 2;
    out.push(...(back ? pieces.reverse().map((piece) => ({ ...piece, back })) : pieces));
    c.skip(c.count(mostLoops));
  }
  return out;
}

/** A surface as far as it goes by itself: lines of constant parameters bound it, but where they are only a point. */
function whole(sheet: Sheet): LooseFace {
  const { surface, ends } = sheet;
  if (!ends) throw new NotTaken('endless-surface');
  const [u0, u1, v0, v1] = ends;
  const loop: LoosePiece[] = [];
  for (const [along, at, a, b] of [['u', v0, u0, u1], ['v', u1, v0, v1], ['u', v1, u1, u0], ['v', u0, v1, v0]] as const) {
    const piece = isoLine(surface, { along, at, from: Math.min(a, b), to: Math.max(a, b) });
    if (piece) loop.push({ ...piece, back: a > b });
  } // prettier-ignore
  return loose({ ...sheet, sign: 1 }, [loop]);
}

/** A line of constant parameter: which runs, where the other stands, from where to where. */
interface Iso {
  along: 'u' | 'v';
  at: number;
  from: number;
  to: number;
}

/** A line of constant parameter, gone along upwards; null where it is a point. */
function isoLine(surface: Surface, iso: Iso): Piece | null {
  const { along, at, from, to } = iso;
  const there = (t: number): Vec3 => (along === 'u' ? surfaceAt(surface, t, at).at : surfaceAt(surface, at, t).at);
  const middle = there((from + to) / 2);
  if (!(distance(there(from), middle) + distance(middle, there(to)) > 0)) return null;
  switch (surface.kind) {
    case 'bspline':
      return { curve: outermost(surface, iso), from, to };
    case 'extrusion':
      if (along === 'v') return lineBetween(there(from), there(to));
      return { curve: movedBy(surface.profile, scaled(surface.along, at)), from, to };
    case 'revolution':
      if (along === 'v') return { curve: placedCurve(surface.profile, aboutAxis(surface.at, surface.axis, at)), from, to };
      return { curve: circleThrough(there(0), surface), from, to };
    default:
      throw new NotTaken('endless-surface');
  }
}

/** The first or last line of a spline surface one way. */
function outermost(surface: BsplineSurface, { along, at }: Iso): Curve {
  const { uCount, vCount, poles, weights } = surface;
  const [column, row] = [at === surface.vKnots[0] ? 0 : vCount - 1, at === surface.uKnots[0] ? 0 : uCount - 1];
  const list = along === 'u' ? Array.from({ length: uCount }, (_, i) => i * vCount + column) : Array.from({ length: vCount }, (_, j) => row * vCount + j);
  return {
    kind: 'bspline',
    degree: along === 'u' ? surface.uDegree : surface.vDegree,
    knots: along === 'u' ? surface.uKnots : surface.vKnots,
    poles: Float64Array.from(list.flatMap((i) => [poles[3 * i], poles[3 * i + 1], poles[3 * i + 2]])),
    weights: weights && Float64Array.from(list, (i) => weights[i]),
  };
}

/** The circle about an axis through a point, from there. */
function circleThrough(p: Vec3, { at, axis }: { at: Vec3; axis: Vec3 }): Curve {
  const centre = add(at, scaled(axis, dot(sub(p, at), axis)));
  const r = distance(p, centre);
  const x = scaled(sub(p, centre), 1 / r);
  return { kind: 'circle', at: centre, x, y: cross(axis, x), rx: r, ry: r };
}

/** A curve moved along. */
const movedBy = (curve: Curve, by: Vec3): Curve => placedCurve(curve, [1, 0, 0, by[0], 0, 1, 0, by[1], 0, 0, 1, by[2]]);

/** A turn about an axis through a point. Source: Rodrigues' formula. */
function aboutAxis(at: Vec3, k: Vec3, angle: number): Rows {
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  const turn = [0, 1, 2].map((i) => [0, 1, 2].map((j) => (i === j ? c : 0) + (1 - c) * k[i] * k[j] + s * [[0, -k[2], k[1]], [k[2], 0, -k[0]], [-k[1], k[0], 0]][i][j])); // prettier-ignore
  return turn.flatMap((row, i) => [...row, at[i] - dot(row as Vec3, at)]);
}
