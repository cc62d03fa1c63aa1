import { NotTaken } from '../../body/body.ts';
import { mostTriangles } from '../../geometry/growing.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import type { Part21, Value } from './part21.ts';
import { numberOf } from './geometry.ts';
import { listOf, refOf, refsOf } from './values.ts';

/** Types of instances that are triangles of a shape: whole ones. Source: ISO 10303-42:2014, tessellated shape, from memory. */
export const tessellatedTypes = new Set(['TESSELLATED_SOLID', 'TESSELLATED_SHELL']);

const faceTypes = new Set(['TRIANGULATED_FACE', 'COMPLEX_TRIANGULATED_FACE', 'TRIANGULATED_SURFACE_SET', 'COMPLEX_TRIANGULATED_SURFACE_SET']);

/**
 * A tessellated solid or shell as a mesh in mm. Points that its faces have alike are one.
 * @param length mm of a length in the file
 * @throws NotTaken when something of it is not taken here, or names points that are not there
 */
export function tessellatedMesh(file: Part21, id: number, length: number): Mesh {
  const faces = refsOf(file.params(id)[1]);
  const positions: number[] = [];
  const triangles: number[] = [];
  const points = new Map<string, number>();
  const lists = new Map<number, Value[]>();
  for (const face of faces) {
    const [type] = file.types(face);
    if (!faceTypes.has(type)) throw new NotTaken(`face ${type ?? 'that is not there'}`);
    const p = file.params(face);
    const list = refOf(p[1]);
    const coordinates = lists.get(list) ?? listOf(file.params(list, 'COORDINATES_LIST')[2]);
    lists.set(list, coordinates);
    // A face says what it is of after its normals; a set of triangles does not.
    const own = p.slice(type.endsWith('FACE') ? 5 : 4);
    const named = listOf(own[0]).map(numberOf);
    const vertex = (k: number): number => {
      const at = named.length > 0 ? named[k - 1] : k;
      const place = listOf(coordinates[at - 1]).map(numberOf);
      if (place.length !== 3) throw new NotTaken('no-point');
      const key = place.join(' ');
      let known = points.get(key);
      if (known === undefined) {
        points.set(key, (known = points.size));
        positions.push(...place.map((x) => x * length));
      }
      return known;
    };
    for (const [a, b, c] of trianglesOf(type, own)) {
      const [i, j, k] = [vertex(a), vertex(b), vertex(c)];
      if (i !== j && j !== k && k !== i) triangles.push(i, j, k);
    }
    if (triangles.length > 3 * mostTriangles) throw new NotTaken('many-triangles');
  }
  if (triangles.length === 0) throw new NotTaken('no-faces');
  return { positions: Float64Array.from(positions), triangles: Uint32Array.from(triangles) };
}

/** Triangles of a face by the numbers of its points: as they are, or by strips and fans. */
function trianglesOf(type: string, [, first, second]: Value[]): number[][] {
  const rows = (v: Value | undefined) => listOf(v).map((row) => listOf(row).map(numberOf));
  if (!type.startsWith('COMPLEX')) return rows(first).map((t) => (t.length === 3 ? t : missing()));
  const strips = rows(first).flatMap((s) => s.slice(2).map((_, i) => (i % 2 === 0 ? [s[i], s[i + 1], s[i + 2]] : [s[i + 1], s[i], s[i + 2]])));
  const fans = rows(second).flatMap((f) => f.slice(2).map((_, i) => [f[0], f[i + 1], f[i + 2]]));
  return [...strips, ...fans];
}

function missing(): never {
  throw new NotTaken('no-point');
}
