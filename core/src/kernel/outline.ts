import { cross } from '../geometry/vector.ts';
import { contourOf, type Contour } from '../curves/drawing.ts';
import { recognised } from '../curves/recognise.ts';
import { ellipseFrom, type P2, type Segment } from '../curves/segment.ts';
import { Unusable } from '../base/finding.ts';
import { kernelMessage, type Kernel } from './kernel.ts';
import { withScope } from './scope.ts';

type P3 = readonly [number, number, number];

/** A plane to draw on: its origin, its X and Y directions (unit, at right angles), mm. Z points to the eye. */
export interface Frame {
  origin: P3;
  x: P3;
  y: P3;
}

export const normalOf = ({ x, y }: Frame): [number, number, number] => cross(x, y);

/** What a view shows: edges that are seen, edges behind, as single exact segments. */
export interface Outline {
  visible: Contour[];
  hidden: Contour[];
  /** Curves that had to be sampled, because the kernel has no exact form for them. */
  sampled: number;
  /** Curves of the kernel that came as lines or arcs they lie on within `kernelCurve`. */
  near: number;
}

/**
 * What the kernel's own curves of intersection and silhouette are off at most, mm: measured 7e-6 for sections (chains of 1,000 chords) and
 * 4e-5 for views (degree 5) on cylinders of 5 mm that are given as B-splines.
 */
export const kernelCurve = 1e-4;

type Keep = <T extends { delete(): void }>(object: T) => T;

/**
 * The edges of a solid as seen along a frame's Z, by exact hidden-line removal. Lines, circles and ellipses come as such.
 * @param brep BREP text. @throws Unusable with a sentence when the kernel fails.
 */
export function viewOutline(k: Kernel, brep: string, frame: Frame, hidden: boolean): Outline {
  return guarded(k, 'The outline could not be made', (keep) => {
    const shape = keep(k.BRepToolsWrapper.Read(brep));
    const n = normalOf(frame);
    const axes = keep(new k.gp_Ax2(keep(new k.gp_Pnt(...frame.origin)), keep(new k.gp_Dir(...n)), keep(new k.gp_Dir(...frame.x))));
    const algo = keep(new k.HLRBRep_Algo());
    algo.Add(shape, 0);
    algo.Projector(keep(new k.HLRAlgo_Projector(axes)));
    algo.Update();
    algo.Hide();
    const result = keep(new k.HLRBRep_HLRToShape(algo));
    const out: Outline = { visible: [], hidden: [], sampled: 0, near: 0 };
    // In the projector's own coordinates the drawing lies in X and Y.
    const flat: Frame = { origin: [0, 0, 0], x: [1, 0, 0], y: [0, 1, 0] };
    for (const kind of ['VCompound', 'OutLineVCompound']) edgesInto(k, keep, result[kind](), flat, out.visible, out);
    if (hidden) for (const kind of ['HCompound', 'OutLineHCompound']) edgesInto(k, keep, result[kind](), flat, out.hidden, out);
    return out;
  });
}

/** Where a plane cuts a solid. */
export function sectionOutline(k: Kernel, brep: string, frame: Frame): Outline {
  return guarded(k, 'The section could not be made', (keep) => {
    const shape = keep(k.BRepToolsWrapper.Read(brep));
    const plane = keep(new k.gp_Pln(keep(new k.gp_Pnt(...frame.origin)), keep(new k.gp_Dir(...normalOf(frame)))));
    const section = keep(new k.BRepAlgoAPI_Section(shape, plane, false));
    section.Build(keep(new k.Message_ProgressRange()));
    const out: Outline = { visible: [], hidden: [], sampled: 0, near: 0 };
    edgesInto(k, keep, section.Shape(), frame, out.visible, out);
    return out;
  });
}

/** The outline of one flat face with its holes; `face` counts from 0 in the order of the BREP. @throws Unusable when it is not flat. */
export function faceOutline(k: Kernel, brep: string, face: number): { outline: Outline; frame: Frame } {
  return guarded(k, 'The outline of the face could not be made', (keep) => {
    const shape = keep(k.BRepToolsWrapper.Read(brep));
    const faces = keep(new k.TopExp_Explorer(shape, k.TopAbs_ShapeEnum.TopAbs_FACE, k.TopAbs_ShapeEnum.TopAbs_SHAPE));
    for (let i = 0; i < face && faces.More(); i++) faces.Next();
    if (!faces.More()) throw new Unusable('no-such-face', `The part has no face number ${face + 1}.`, 'Pick a face on the part.');
    const found = k.TopoDS.Face(faces.Current());
    const surface = keep(new k.BRepAdaptor_Surface(found, true));
    if (surface.GetType() !== k.GeomAbs_SurfaceType.GeomAbs_Plane)
      throw new Unusable('not-flat', 'That face is not flat, so it has no outline to cut.', 'Pick a flat face.');
    const position = keep(keep(surface.Plane()).Position());
    const vector = (d: Kernel): P3 => [d.X(), d.Y(), d.Z()];
    const o = keep(position.Location());
    let x = vector(keep(position.XDirection()));
    const y = vector(keep(position.YDirection()));
    // A face seen from inside the solid is turned over, so that it is drawn as it is seen from outside.
    if (found.Orientation() === k.TopAbs_Orientation.TopAbs_REVERSED) x = [-x[0], -x[1], -x[2]];
    const frame: Frame = { origin: [o.X(), o.Y(), o.Z()], x, y };
    const outline: Outline = { visible: [], hidden: [], sampled: 0, near: 0 };
    edgesInto(k, keep, found, frame, outline.visible, outline);
    return { outline, frame };
  });
}

function guarded<T>(k: Kernel, what: string, work: (keep: Keep) => T): T {
  try {
    return withScope((keep) => work(keep as Keep));
  } catch (thrown) {
    if (thrown instanceof Unusable) throw thrown;
    throw new Unusable('outline-failed', `${what} (${kernelMessage(k, thrown)}).`, 'Try another view, or heal the solid in the program that made it.');
  }
}

/** All edges of a shape as contours of one segment; counts those that are not exact. */
function edgesInto(k: Kernel, keep: Keep, shape: Kernel, frame: Frame, out: Contour[], counts: Outline): void {
  if (!shape || shape.IsNull()) return;
  k.BRepLib.BuildCurves3d(shape);
  const edges = keep(new k.TopExp_Explorer(shape, k.TopAbs_ShapeEnum.TopAbs_EDGE, k.TopAbs_ShapeEnum.TopAbs_SHAPE));
  for (; edges.More(); edges.Next()) {
    const curve = keep(new k.BRepAdaptor_Curve(k.TopoDS.Edge(edges.Current())));
    const made = segmentsOf(k, keep, curve, frame);
    if (made.sampled) counts.sampled++;
    if (made.near) counts.near++;
    for (const s of made.segments) out.push(contourOf([s], false));
  }
}

const dot = (a: P3, b: P3) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];

function segmentsOf(k: Kernel, keep: Keep, curve: Kernel, frame: Frame): { segments: Segment[]; sampled: boolean; near?: boolean } {
  const type = curve.GetType();
  const { origin, x, y } = frame;
  const from = curve.FirstParameter();
  const to = curve.LastParameter();
  const flat = (p: Kernel): P2 => {
    const d: P3 = [p.X() - origin[0], p.Y() - origin[1], p.Z() - origin[2]];
    return [dot(d, x), dot(d, y)];
  };
  const direction = (d: Kernel, size: number): P2 => {
    const v: P3 = [d.X(), d.Y(), d.Z()];
    return [dot(v, x) * size, dot(v, y) * size];
  };
  const at = (t: number) => flat(keep(curve.Value(t)));
  const kinds = k.GeomAbs_CurveType;
  if (type === kinds.GeomAbs_Line) {
    const a = at(from);
    const b = at(to);
    return { segments: Math.hypot(a[0] - b[0], a[1] - b[1]) > 1e-9 ? [{ kind: 'line', a, b }] : [], sampled: false };
  }
  if (type === kinds.GeomAbs_Circle || type === kinds.GeomAbs_Ellipse) {
    const conic = keep(type === kinds.GeomAbs_Circle ? curve.Circle() : curve.Ellipse());
    const position = keep(conic.Position());
    const radii: P2 = type === kinds.GeomAbs_Circle ? [conic.Radius(), conic.Radius()] : [conic.MajorRadius(), conic.MinorRadius()];
    const u = direction(keep(position.XDirection()), radii[0]);
    const v = direction(keep(position.YDirection()), radii[1]);
    // Seen from the side a circle is a line.
    if (Math.abs(u[0] * v[1] - u[1] * v[0]) > 1e-9 * radii[0] * radii[1]) {
      return { segments: [ellipseFrom(flat(keep(position.Location())), [u, v], from, to - from)], sampled: false };
    }
  }
  if (type === kinds.GeomAbs_BSplineCurve || type === kinds.GeomAbs_BezierCurve) {
    const spline = splineOf(keep, curve, type === kinds.GeomAbs_BezierCurve, flat, from, to);
    if (spline) {
      const plain = recognised(spline, kernelCurve);
      return { segments: [plain], sampled: false, near: plain !== spline };
    }
  }
  const points: P2[] = [];
  for (let i = 0; i <= 64; i++) points.push(at(from + ((to - from) * i) / 64));
  return { segments: points.slice(1).map((b, i): Segment => ({ kind: 'line', a: points[i], b })), sampled: true };
}

function splineOf(keep: Keep, curve: Kernel, bezier: boolean, flat: (p: Kernel) => P2, from: number, to: number): Segment | null {
  try {
    const source = bezier ? curve.Bezier() : curve.BSpline();
    const own = keep(source.Copy());
    if (bezier) {
      if (Math.abs(from) > 1e-9 || Math.abs(to - 1) > 1e-9) own.Segment(from, to);
      const n = own.NbPoles();
      const points = Array.from({ length: n }, (_, i) => flat(keep(own.Pole(i + 1))));
      if (!own.IsRational() && (n === 3 || n === 4)) return { kind: 'bezier', points };
      const knots = [...Array(n).fill(0), ...Array(n).fill(1)] as number[];
      return { kind: 'spline', degree: n - 1, knots, points, weights: own.IsRational() ? Array.from({ length: n }, (_, i) => own.Weight(i + 1)) : null };
    }
    if (own.IsPeriodic()) own.SetNotPeriodic();
    if (from > own.FirstParameter() + 1e-12 || to < own.LastParameter() - 1e-12) own.Segment(from, to, 1e-9);
    const n = own.NbPoles();
    const points = Array.from({ length: n }, (_, i) => flat(keep(own.Pole(i + 1))));
    const knots: number[] = [];
    for (let i = 1; i <= own.NbKnots(); i++) for (let m = 0; m < own.Multiplicity(i); m++) knots.push(own.Knot(i));
    const weights = own.IsRational() ? Array.from({ length: n }, (_, i) => own.Weight(i + 1) as number) : null;
    if (knots.length !== n + own.Degree() + 1) return null;
    return { kind: 'spline', degree: own.Degree(), knots, points, weights };
  } catch {
    return null;
  }
}
