import { determinantOf, identityRows, type Rows } from '../../geometry/rows.ts';
import { cross, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../../geometry/vector.ts';
import { NotTaken } from '../../body/body.ts';
import { squareTo } from '../../body/inverse.ts';
import type { Frame } from '../../surfaces/surfaces.ts';
import { numberOf, StepGeometry, type Scale } from './geometry.ts';
import type { Part21 } from './part21.ts';
import { refOf } from './values.ts';

/** A turn or a mirror that scales nothing has a determinant this near to 1 or -1. */
const rigid = 1e-9;
/** Rounding left over from turning to and fro, as a part of 1 and in mm: what is that near to nothing is nothing. */
const leftOver = 1e-15;

export const cleaned = (rows: Rows): Rows => {
  const clean = rows.map((v, i) => (Math.abs(v) < leftOver ? 0 : i % 4 < 3 && Math.abs(Math.abs(v) - 1) < leftOver ? Math.sign(v) : v));
  return clean.every((v, i) => v === identityRows[i]) ? identityRows : clean;
};

export const rowsOf = (f: Frame): Rows => [0, 1, 2].flatMap((k) => [f.x[k], f.y[k], f.z[k], f.at[k]]);

/**
 * Where an operator moves things: axes and a middle, perhaps mirrored.
 * Source: ISO 10303-42, cartesian_transformation_operator_3d and base_axis. Its own parameters are the last ones, whatever names stand before them.
 * @throws NotTaken when it scales
 */
export function operatorRows(file: Part21, id: number, scale: Scale): Rows {
  const geometry = new StepGeometry(file, scale);
  const [one, two, origin, size, three] = file.params(id).slice(-5);
  if (size !== null && numberOf(size) !== 1) throw new NotTaken('scaled-place');
  const said = (v: typeof one): Vec3 | null => (v === null ? null : geometry.direction(refOf(v)));
  const [a, b, c] = [said(one), said(two), said(three)];
  const z: Vec3 = c ?? (a && b ? unit(cross(a, b)) : [0, 0, 1]);
  const flat = a ? sub(a, scaled(z, dot(a, z))) : sub([1, 0, 0], scaled(z, z[0]));
  const x = lengthOf(flat) > rigid ? unit(flat) : squareTo(z);
  const right = cross(z, x);
  const y = b && dot(b, right) < 0 ? scaled(right, -1) : right;
  return rowsOf({ at: geometry.point(refOf(origin)), x, y, z });
}

/** The place of an axis placement, or of a transformation operator. */
export function placementRows(file: Part21, id: number, scale: Scale): Rows {
  if (file.types(id)[0] === 'CARTESIAN_TRANSFORMATION_OPERATOR_3D') return operatorRows(file, id, scale);
  return rowsOf(new StepGeometry(file, scale).frame(id));
}

/** A place that turns, moves and perhaps mirrors. @throws NotTaken when it scales */
export function rigidPlace(rows: Rows): Rows {
  if (!(Math.abs(Math.abs(determinantOf(rows)) - 1) < rigid)) throw new NotTaken('scaled-place');
  return cleaned(rows);
}
