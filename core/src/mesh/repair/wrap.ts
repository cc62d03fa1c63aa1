import { Indices, Numbers } from '../../geometry/growing.ts';
import { Unusable } from '../../base/finding.ts';
import { buildBvh } from '../../geometry/bvh/build.ts';
import { nearestOnMesh, nowhere } from '../../geometry/bvh/nearest.ts';
import { boxOf, sizeOf } from '../../geometry/box.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { windingNumber, windingTree } from '../../geometry/winding.ts';
import type { Vec3 } from '../../geometry/vector.ts';

/** No grid of more places than this is worked on. */
export const mostCells = 12_000_000;
/** Vertices keep this share of a grid edge away from its ends, so that none fall together. */
const nearest = 0.05;

/** The finest cell, mm, that a part can be remade with: what keeps its grid within bounds. */
export function finestCell(mesh: Mesh): number {
  const [x, y, z] = sizeOf(boxOf(mesh.positions));
  // A few places more on each side; solved by a few rounds.
  let cell = Math.cbrt((x * y * z) / mostCells) || 1e-6;
  for (let round = 0; round < 20; round++) cell = Math.cbrt(((x + 5 * cell) * (y + 5 * cell) * (z + 5 * cell)) / mostCells);
  return cell;
}

/** Seven edges go up from every place of the grid: along x, y, z, the three flat diagonals and the long one. As steps of 0 or 1 in x, y, z. */
const ways = [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
  [1, 1, 0],
  [0, 1, 1],
  [1, 0, 1],
  [1, 1, 1],
] as const;
const wayOf = (a: number, b: number): number => [1, 2, 4, 3, 6, 5, 7].indexOf(a ^ b);
/** The six tetrahedra of a cube that share its long diagonal; corners as bits x, y, z. All turn the same way round. */
const tetrahedra = [
  [0, 1, 3, 7],
  [0, 3, 2, 7],
  [0, 2, 6, 7],
  [0, 6, 4, 7],
  [0, 4, 5, 7],
  [0, 5, 1, 7],
] as const;

/**
 * The surface of a part made anew: everything is inside whose winding number is above a half, so that holes, doubled walls and
 * places where it goes through itself are gone. Always closed, and never through itself: every tetrahedron of the grid holds one
 * or two flat triangles of its own. Corners are rounded off by about half a cell.
 * Sources: Jacobson 2013 and Barill 2018 (inside by winding numbers); Doi and Koide, An efficient method of triangulating
 * equi-valued surfaces by using tetrahedral cells, 1991; Kuhn, 1960 (six tetrahedra to a cube).
 *
 * @param cell mm between places of the grid.
 * @param inset how deep under the surface the new one lies, mm.
 * @throws Unusable when the grid would have too many places, or nothing is inside.
 * @returns null when given up.
 */
export function wrapped(mesh: Mesh, cell: number, progress: (share: number) => boolean | void = () => {}, inset = 0): Mesh | null {
  const box = boxOf(mesh.positions);
  const size = sizeOf(box);
  const [nx, ny, nz] = size.map((v) => Math.ceil(v / cell) + 4);
  if (!(nx * ny * nz <= mostCells * 1.001)) {
    const least = Number((finestCell(mesh) * 1.06).toPrecision(2));
    throw new Unusable('cell-too-fine', `A cell of ${cell} mm makes a grid of too many places for this part.`, `Take ${least} mm or more.`);
  }
  const from = [0, 1, 2].map((k) => box.min[k] - ([nx, ny, nz][k] - 1) * cell * 0.5 + size[k] / 2) as Vec3;
  const grid: Grid = { nx, ny, cell, from };
  const tree = windingTree(buildBvh(mesh));
  const deep = inset / cell;
  const made = new Surface(grid, depthsOf(tree, grid, 0, deep));
  for (let k = 0; k + 1 < nz; k++) {
    if (progress(k / nz) === true) return null;
    made.upTo(depthsOf(tree, grid, k + 1, deep), k);
  }
  const { positions, triangles } = made;
  if (triangles.length === 0) {
    throw new Unusable(
      'nothing-inside',
      'Nothing of the part is inside: its surface wraps no room.',
      'Thicken it (Join and divide) instead, or take a finer cell.',
    );
  }
  return { positions: positions.taken(), triangles: triangles.taken() };
}

/** Places along X and Y in a layer, mm between them, and where the first one lies. */
interface Grid {
  nx: number;
  ny: number;
  cell: number;
  from: Vec3;
}

/** How deep the places of layer k lie under the new surface, in cells; below zero outside. Beyond two cells only the side is right. @param deep inset in cells */
function depthsOf(tree: ReturnType<typeof windingTree>, { nx, ny, cell, from }: Grid, k: number, deep: number): Float32Array {
  const values = new Float32Array(nx * ny);
  const out = nowhere();
  const reach = deep + 2;
  for (let j = 0; j < ny; j++) {
    let side = 0;
    for (let i = 0; i < nx; i++) {
      const at: Vec3 = [from[0] + i * cell, from[1] + j * cell, from[2] + k * cell];
      nearestOnMesh(tree.bvh, at, out, reach * reach * cell * cell);
      const far = out.triangle < 0;
      // No surface lies between two places that are both far from it.
      if (!far || side === 0) side = windingNumber(tree, at) > 0.5 ? 1 : -1;
      values[j * nx + i] = side * (far ? reach : Math.sqrt(out.squared) / cell) - deep;
      if (!far) side = 0;
    }
  }
  return values;
}

/** The surface between one layer of depths and the next. Corners of a cube are numbers from 0 to 7: bits for X, Y and Z. */
class Surface {
  readonly positions = new Numbers();
  readonly triangles = new Indices();
  private readonly grid: Grid;
  private low: Float32Array;
  private high: Float32Array;
  /** The vertex on each of the seven edges that go up from each place, -1 for none yet. */
  private lowMade: Int32Array;
  private highMade: Int32Array;
  /** The layer of cubes at work. */
  private k = 0;

  constructor(grid: Grid, first: Float32Array) {
    this.grid = grid;
    this.low = this.high = first;
    this.lowMade = this.highMade = new Int32Array(first.length * 7).fill(-1);
  }

  /** One layer more: the cubes from k to k + 1. */
  upTo(next: Float32Array, k: number): void {
    const { nx, ny } = this.grid;
    [this.low, this.lowMade] = [this.high, this.highMade];
    this.high = next;
    this.highMade = new Int32Array(next.length * 7).fill(-1);
    this.k = k;
    for (let j = 0; j + 1 < ny; j++)
      for (let i = 0; i + 1 < nx; i++) {
        let inside = 0;
        for (let c = 0; c < 8; c++) if (this.value(c, j * nx + i) > 0) inside |= 1 << c;
        if (inside !== 0 && inside !== 255) for (const tet of tetrahedra) this.part(tet, inside, i, j);
      }
  }

  /** One or two triangles that part the inside of a tetrahedron from its outside. */
  private part(tet: readonly number[], inside: number, i: number, j: number): void {
    const within = tet.filter((c) => inside & (1 << c));
    if (within.length === 0 || within.length === 4) return;
    const without = tet.filter((c) => !(inside & (1 << c)));
    // Whether the four corners, those inside first, turn as the tetrahedron does.
    const even = parity([...within, ...without].map((c) => tet.indexOf(c)));
    const on = (a: number, b: number) => this.vertexOn(a, b, i, j);
    const push = (a: number, b: number, c: number) => (even ? this.triangles.push3(a, b, c) : this.triangles.push3(a, c, b));
    if (within.length === 1) push(on(within[0], without[0]), on(within[0], without[1]), on(within[0], without[2]));
    else if (within.length === 3) push(on(within[0], without[0]), on(within[1], without[0]), on(within[2], without[0]));
    else {
      const [p, q, r, s] = [on(within[0], without[0]), on(within[0], without[1]), on(within[1], without[1]), on(within[1], without[0])];
      push(p, q, r);
      push(p, r, s);
    }
  }

  /** Depth at a corner of the cube whose first place has this number in its layer. */
  private value(c: number, at: number): number {
    return (c & 4 ? this.high : this.low)[at + (c & 1) + (c & 2 ? this.grid.nx : 0)];
  }

  /** The vertex on the edge between two corners of a cube, made when it is first asked for. */
  private vertexOn(a: number, b: number, i: number, j: number): number {
    const { nx, cell, from } = this.grid;
    const [c, d] = a < b ? [a, b] : [b, a];
    const made = c & 4 ? this.highMade : this.lowMade;
    const at = j * nx + i;
    const slot = (at + (c & 1) + (c & 2 ? nx : 0)) * 7 + wayOf(c, d);
    if (made[slot] >= 0) return made[slot];
    const [u, v] = [this.value(c, at), this.value(d, at)];
    const s = Math.min(1 - nearest, Math.max(nearest, u / (u - v)));
    const way = ways[wayOf(c, d)];
    const start = [i + (c & 1), j + (c & 2 ? 1 : 0), this.k + (c & 4 ? 1 : 0)];
    this.positions.push3(from[0] + (start[0] + s * way[0]) * cell, from[1] + (start[1] + s * way[1]) * cell, from[2] + (start[2] + s * way[2]) * cell);
    return (made[slot] = this.positions.length / 3 - 1);
  }
}

/** Whether a permutation of four is even. */
function parity(order: number[]): boolean {
  let swaps = 0;
  for (let a = 0; a < order.length; a++) for (let b = a + 1; b < order.length; b++) if (order[a] > order[b]) swaps++;
  return swaps % 2 === 0;
}
