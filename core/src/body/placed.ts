import { determinantOf, identityRows, type Rows } from '../geometry/rows.ts';
import type { Vec3 } from '../geometry/vector.ts';
import { placedCurve, placedSurface } from '../surfaces/placed.ts';
import { NotTaken, type Body } from './body.ts';

/** A placement turns, moves and perhaps mirrors: its determinant is this near to 1 or -1. */
const rigid = 1e-9;

/**
 * A body after a placement that turns, moves and perhaps mirrors it: a mirrored one has its loops gone along the other way, and its outside is the outside still.
 * @throws NotTaken when it scales
 * @example placedBody(body, [1, 0, 0, 5, 0, 1, 0, 0, 0, 0, 1, 0]).points[0][0] // five more than it was
 */
export function placedBody(body: Body, rows: Rows): Body {
  if (rows.every((v, i) => v === identityRows[i])) return body;
  const determinant = determinantOf(rows);
  if (!(Math.abs(Math.abs(determinant) - 1) < rigid)) throw new NotTaken('scaled-place');
  const mirrored = determinant < 0;
  const point = (p: Vec3): Vec3 => [0, 4, 8].map((r) => rows[r] * p[0] + rows[r + 1] * p[1] + rows[r + 2] * p[2] + rows[r + 3]) as Vec3;
  return {
    ...body,
    points: body.points.map(point),
    edges: body.edges.map((edge) => ({ ...edge, curve: placedCurve(edge.curve, rows) })),
    faces: body.faces.map(({ surface, turned, loops }) => ({
      surface: placedSurface(surface, rows),
      turned: turned !== mirrored,
      loops: mirrored ? loops.map((loop) => [...loop].reverse().map((use) => ({ ...use, turned: !use.turned }))) : loops,
    })),
  };
}
