import { ellipseFrom, type P2, type Segment } from '../curves/segment.ts';
import { lengthOf } from '../curves/measure.ts';
import { recognised } from '../curves/recognise.ts';
import { add, cross, dot, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import { arcOfCorners, fitted } from '../sheet/pieces.ts';
import { pointOn, type Topology } from '../sheet/topology.ts';

/** A plane that a part is seen in: X, Y of the drawing, and the height above it. */
export interface Seen {
  x: Vec3;
  y: Vec3;
  n: Vec3;
}

/** The plane seen against a direction. */
export function seenAlong(n: Vec3, along: Vec3): Seen {
  const x = unit(sub(along, scaled(n, dot(along, n))));
  return { n, x, y: cross(n, x) };
}

export const flat = ({ x, y }: Seen, p: Vec3): P2 => [dot(p, x), dot(p, y)];
export const heightOf = ({ n }: Seen, p: Vec3): number => dot(p, n);

/** Fitted curves are within this, mm. */
const fit = 0.005;

/** An edge as it is seen: exact for lines, circles, ellipses and splines; nothing when it is seen end on. */
export function projected(top: Topology, { e, face }: { e: number; face: number }, seen: Seen, tiny: number): Segment[] {
  const edge = top.edges[e];
  const { course } = edge;
  const at = (p: Vec3) => flat(seen, p);
  const done = segmentsOf();
  return done.filter((s) => lengthOf(s) > tiny);

  function segmentsOf(): Segment[] {
    if (edge.straight) return [{ kind: 'line', a: at(pointOn(course, 0)), b: at(pointOn(course, 1)) }];
    if (course.kind === 'corners') {
      const other = edge.faces.find((f) => f !== face);
      const beyond = other === undefined ? null : top.faces[other].surface;
      const arc = beyond?.kind === 'cylinder' ? arcOfCorners(course.points, beyond, at) : null;
      if (arc) return [arc];
      const points = Array.from({ length: course.points.length / 3 }, (_, i) => at([course.points[i * 3], course.points[i * 3 + 1], course.points[i * 3 + 2]]));
      return points.slice(1).map((b, i): Segment => ({ kind: 'line', a: points[i], b }));
    }
    const { curve, from, to } = course;
    if (curve.kind === 'circle' || curve.kind === 'ellipse') {
      const centre = at(curve.at);
      const [p, q] = [at(add(curve.at, scaled(curve.x, curve.rx))), at(add(curve.at, scaled(curve.y, curve.ry)))];
      const [u, v]: [P2, P2] = [[p[0] - centre[0], p[1] - centre[1]], [q[0] - centre[0], q[1] - centre[1]]]; // prettier-ignore
      // Seen from the side it is a line, there and back.
      if (Math.abs(u[0] * v[1] - u[1] * v[0]) < 1e-9 * curve.rx * curve.ry) return [];
      return [ellipseFrom(centre, [u, v], from, to - from)];
    }
    if (curve.kind === 'bspline') {
      const n = curve.poles.length / 3;
      const whole = Math.abs(curve.knots[curve.degree] - from) + Math.abs(curve.knots[n] - to) <= 1e-9 * Math.abs(to - from);
      if (whole) {
        const points = Array.from({ length: n }, (_, i) => at([curve.poles[i * 3], curve.poles[i * 3 + 1], curve.poles[i * 3 + 2]]));
        return [recognised({ kind: 'spline', degree: curve.degree, knots: [...curve.knots], points, weights: curve.weights ? [...curve.weights] : null })];
      }
    }
    return fitted((t) => at(pointOn(course, t)), fit).segments;
  }
}
