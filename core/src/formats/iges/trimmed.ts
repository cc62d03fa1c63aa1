import type { LooseFace, LoosePiece } from '../../body/sew.ts';
import { NotTaken } from '../../body/body.ts';
import type { Rows } from '../../geometry/rows.ts';
import { add, cross, distance, dot, scaled, sub, type Vec3 } from '../../geometry/vector.ts';
import type { Curve } from '../../surfaces/curves.ts';
import { placedCurve } from '../../surfaces/placed.ts';
import { naturalSign } from '../../surfaces/brep-text.ts';
import { recognised } from '../../surfaces/recognise.ts';
import { surfaceAt, type Surface } from '../../surfaces/surfaces.ts';
import { lineBetween, type IgesCurves, type Piece } from './curves.ts';
import { Cursor } from './records.ts';
import { sheetOf, surfaceTypes, type Sheet } from './surfaces.ts';

const mostLoops = 100_000;

/** Types of entities that are faces by themselves: surfaces with bounds, and surfaces that end of their own. */
export const faceTypes: ReadonlySet<number> = new Set([143, 144, ...surfaceTypes]);

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
  for (const [along, at, from, to] of [['u', v0, u0, u1], ['v', u1, v0, v1], ['u', v1, u1, u0], ['v', u0, v1, v0]] as const) {
    const piece = isoLine(surface, along, at, from, to);
    if (piece) loop.push({ ...piece, back: from > to });
  } // prettier-ignore
  return loose({ ...sheet, sign: 1 }, [loop]);
}

/** A line of constant parameter, gone along from low to high whichever way it is asked for; null where it is a point. */
function isoLine(surface: Surface, along: 'u' | 'v', at: number, a: number, b: number): Piece | null {
  const [from, to] = [Math.min(a, b), Math.max(a, b)];
  const there = (t: number): Vec3 => (along === 'u' ? surfaceAt(surface, t, at).at : surfaceAt(surface, at, t).at);
  const size = distance(there(from), there((from + to) / 2)) + distance(there((from + to) / 2), there(to));
  if (!(size > 0)) return null;
  if (surface.kind === 'bspline') {
    const { uCount, vCount, poles, weights } = surface;
    const list = along === 'u' ? Array.from({ length: uCount }, (_, i) => i * vCount + (at === surface.vKnots[0] ? 0 : vCount - 1)) : Array.from({ length: vCount }, (_, j) => (at === surface.uKnots[0] ? 0 : uCount - 1) * vCount + j); // prettier-ignore
    const curve: Curve = {
      kind: 'bspline',
      degree: along === 'u' ? surface.uDegree : surface.vDegree,
      knots: along === 'u' ? surface.uKnots : surface.vKnots,
      poles: Float64Array.from(list.flatMap((i) => [poles[3 * i], poles[3 * i + 1], poles[3 * i + 2]])),
      weights: weights && Float64Array.from(list, (i) => weights[i]),
    };
    return { curve, from, to };
  }
  if (surface.kind === 'extrusion') {
    if (along === 'v') return lineBetween(there(from), there(to));
    return { curve: movedBy(surface.profile, scaled(surface.along, at)), from, to };
  }
  if (surface.kind !== 'revolution') throw new NotTaken('endless-surface');
  const { at: middle, axis, profile } = surface;
  if (along === 'v') return { curve: placedCurve(profile, aboutAxis(middle, axis, at)), from, to };
  const p = there(0);
  const q = sub(p, middle);
  const centre = add(middle, scaled(axis, dot(q, axis)));
  const r = distance(p, centre);
  const x = scaled(sub(p, centre), 1 / r);
  return { curve: { kind: 'circle', at: centre, x, y: cross(axis, x), rx: r, ry: r }, from, to };
}

/** A curve moved along. */
const movedBy = (curve: Curve, by: Vec3): Curve => placedCurve(curve, [1, 0, 0, by[0], 0, 1, 0, by[1], 0, 0, 1, by[2]]);

/** A turn about an axis through a point. Source: Rodrigues' formula. */
function aboutAxis(at: Vec3, k: Vec3, angle: number): Rows {
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  const turn = [0, 1, 2].map((i) => [0, 1, 2].map((j) => (i === j ? c : 0) + (1 - c) * k[i] * k[j] + s * [[0, -k[2], k[1]], [k[2], 0, -k[0]], [-k[1], k[0], 0]][i][j])); // prettier-ignore
  return turn.flatMap((row, i) => [...row, at[i] - dot(row as Vec3, at)]);
}
