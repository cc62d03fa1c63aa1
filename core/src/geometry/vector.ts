/** Three numbers: a point (mm) or a direction. */
export type Vec3 = [number, number, number];

/** Three numbers out of a row of them. @example vecAt(mesh.positions, 3 * vertex) */
export const vecAt = (row: ArrayLike<number>, at: number): Vec3 => [row[at], row[at + 1], row[at + 2]];
/** The place of a vertex in a row of places, three numbers each. @example placeAt(mesh.positions, mesh.triangles[0]) */
export const placeAt = (positions: ArrayLike<number>, vertex: number): Vec3 => vecAt(positions, 3 * vertex);

export const dot = (a: Vec3, b: Vec3) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
export const sub = (a: Vec3, b: Vec3): Vec3 => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
export const add = (a: Vec3, b: Vec3): Vec3 => [a[0] + b[0], a[1] + b[1], a[2] + b[2]];
export const scaled = (a: Vec3, s: number): Vec3 => [a[0] * s, a[1] * s, a[2] * s];
export const cross = (a: ArrayLike<number>, b: ArrayLike<number>): Vec3 => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
export const lengthOf = (a: Vec3) => Math.sqrt(dot(a, a));
export const distance = (a: Vec3, b: Vec3) => Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
export const unit = (a: Vec3): Vec3 => {
  const n = lengthOf(a);
  return n > 0 ? scaled(a, 1 / n) : [0, 0, 1];
};

/** Two unit directions that span the plane across a unit normal, right-handed with it. @example spanned([0, 0, 1]) // [[0, 1, 0], [-1, 0, 0]] */
export function spanned(normal: Vec3): [u: Vec3, v: Vec3] {
  const [x, y, z] = normal.map(Math.abs);
  // The axis that the normal is farthest from, so that the cross product is long.
  const u = unit(cross(normal, x <= y && x <= z ? [1, 0, 0] : y <= z ? [0, 1, 0] : [0, 0, 1]));
  return [u, cross(normal, u)];
}
