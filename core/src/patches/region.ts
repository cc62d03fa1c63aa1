import { Unusable, type Finding } from '../base/finding.ts';
import { edgesOf, manyEdge, nextCorner, openEdge } from '../geometry/edges.ts';
import { crossOfTriangle } from '../geometry/triangle.ts';
import { measureMesh, type Mesh } from '../geometry/mesh.ts';
import { dot, lengthOf } from '../geometry/vector.ts';
import { faceAreas } from '../body/figures.ts';
import { solidFacets } from '../kernel/facet-source.ts';
import type { Kernel } from '../kernel/kernel.ts';
import { readBrepText, type ExactSolid } from '../surfaces/brep-text.ts';
import type { SpreadChoice } from './choice.ts';
import { ExactSnap, snapped } from './exact.ts';
import { facedMesh, someTriangles, type Faced } from './faced.ts';
import { withoutNeedles } from './needles.ts';
import { restOf } from './rest.ts';

/** The faces that are to be spread, as triangles. */
export interface Region {
  mesh: Mesh;
  /** The face of each triangle, numbered from 0 as the part numbers them. */
  face: Int32Array;
  /** How many faces the part has, and which were taken. */
  faces: number;
  taken: number[];
  exact: ExactSolid | null;
  findings: Finding[];
}

/** More triangles than this are not spread. */
export const mostTriangles = 400_000;
/** Two triangles that turn back on each other by more than this are folded, degrees. */
const folded = 175;

/** Facets of a solid for a look and for choosing: fine enough that smooth neighbours are told from sharp ones. */
const lookFacets = { deflection: 0.1, angle: 0.1 };
/** Faces that turn less than this along their common edges run smoothly on, degrees: twice the facets' own angle and some. */
const smoothTurn = 13;

/** A solid as triangles with the face of each. @param brep scaled to mm */
export function facedSolid(kernel: Kernel | null, brep: string, facets = lookFacets): Faced & { exact: ExactSolid } {
  const { positions, triangles, starts } = solidFacets(brep, facets.deflection, facets.angle, kernel);
  const face = new Int32Array(triangles.length / 3);
  for (let f = 0; f + 1 < starts.length; f++) face.fill(f, starts[f], starts[f + 1]);
  return { mesh: { positions, triangles }, face, faces: starts.length - 1, exact: readBrepText(brep) };
}

/** The faces that are taken: those asked for, and what runs smoothly into them when that is wanted. @throws Unusable for a face that there is not */
export function takenFaces({ mesh, face, faces }: Faced, choice: Pick<SpreadChoice, 'faces' | 'tangent' | 'crease'>, exact: boolean): number[] {
  if (choice.faces === null) return Array.from({ length: faces }, (_, f) => f);
  const none = choice.faces.find((f) => f >= faces);
  if (none !== undefined)
    throw new Unusable(
      'no-such-face',
      `There is no face ${none + 1}; the part has ${faces}.`,
      'Pick another face: "tall-kite spread --list-faces" and the page Spread number them.',
    );
  const taken = new Set(choice.faces);
  if (choice.tangent) {
    const next = smoothNeighbours(mesh, face, exact ? smoothTurn : choice.crease);
    const stack = [...taken];
    while (stack.length > 0)
      for (const g of next.get(stack.pop()!) ?? []) {
        if (taken.has(g)) continue;
        taken.add(g);
        stack.push(g);
      }
  }
  return [...taken].sort((a, b) => a - b);
}

/** For each face the faces that it runs into with no edge that turns more than `turn` degrees. */
function smoothNeighbours(mesh: Mesh, face: Int32Array, turn: number): Map<number, Set<number>> {
  const { across } = edgesOf(mesh.triangles, mesh.positions.length / 3);
  const least = Math.cos((turn * Math.PI) / 180);
  const sharp = new Set<string>();
  const met = new Map<number, Set<number>>();
  for (let c = 0; c < across.length; c++) {
    const [a, b] = [face[(c / 3) | 0], across[c] < 0 ? -1 : face[(across[c] / 3) | 0]];
    if (b < 0 || a === b) continue;
    met.set(a, (met.get(a) ?? new Set()).add(b));
    const [n, m] = [crossOfTriangle(mesh, (c / 3) | 0), crossOfTriangle(mesh, (across[c] / 3) | 0)];
    if (dot(n, m) < least * lengthOf(n) * lengthOf(m)) sharp.add(`${a} ${b}`);
  }
  for (const [a, list] of met) for (const b of list) if (sharp.has(`${a} ${b}`) || sharp.has(`${b} ${a}`)) list.delete(b);
  return met;
}

/** Triangles of some faces, with their own vertices. */
export function only(it: Pick<Faced, 'mesh' | 'face'>, taken: readonly number[]): { mesh: Mesh; face: Int32Array } {
  const wanted = new Set(taken);
  return someTriangles(it, (t) => wanted.has(it.face[t]));
}

/** Without needles, and without points that nothing uses. */
function cleaned(own: { mesh: Mesh; face: Int32Array }): { mesh: Mesh; face: Int32Array } {
  const { mesh, face } = withoutNeedles(own.mesh, own.face);
  return only({ mesh, face }, [...new Set(face)]);
}

/** The region of a mesh. @param mesh in mm. @throws Unusable when it can't be spread */
export function regionOfMesh(mesh: Mesh, choice: SpreadChoice): Region {
  const faced = facedMesh(mesh, choice.crease);
  const taken = takenFaces(faced, choice, false);
  const own = cleaned(only(faced, taken));
  return { ...own, faces: faced.faces, taken, exact: null, findings: heldSound(own.mesh) };
}

/**
 * The region of a solid, its points brought onto the exact faces and edges.
 * @param facets how fine the faces that are taken are to be
 */
export function regionOfSolid(
  kernel: Kernel | null,
  brep: string,
  choice: SpreadChoice,
  facets: (exact: ExactSolid, taken: readonly number[], area: number) => { deflection: number; angle: number },
): Region {
  const look = facedSolid(kernel, brep);
  const taken = takenFaces(look, choice, true);
  const coarse = only(look, taken).mesh;
  const fine = facedSolid(kernel, brep, facets(look.exact, taken, measureMesh(coarse).area));
  snapped(fine.mesh, fine.face, new ExactSnap(fine.exact));
  const own = cleaned(only(fine, taken));
  return { ...own, faces: look.faces, taken, exact: fine.exact, findings: heldSound(own.mesh) };
}

const many = (n: number, one: string, more: string) => `${n.toLocaleString('en')} ${n === 1 ? one : more}`;

/** What stops a surface from being spread, as a sentence; what only wants a look comes back. */
function heldSound(mesh: Mesh): Finding[] {
  const { positions, triangles } = mesh;
  const count = triangles.length / 3;
  if (count === 0) throw new Unusable('nothing-to-spread', 'There is no surface to spread.', 'Pick faces that have an area.');
  if (count > mostTriangles)
    throw new Unusable(
      'too-many-facets',
      `The surface has ${many(count, 'triangle', 'triangles')}; at most ${mostTriangles.toLocaleString('en')} are spread.`,
      'Make the mesh lighter first, or take fewer faces.',
    );
  const edges = edgesOf(triangles, positions.length / 3);
  if (edges.nonManifold > 0)
    throw new Unusable(
      'fork',
      `The surface forks: at ${many(edges.nonManifold, 'edge', 'edges')} more than two of its triangles meet, and a piece of cloth has two sides only.`,
      'Take the faces of one branch, or take what is doubled away (Mend).',
    );
  if (edges.flipped > 0)
    throw new Unusable(
      'turned-triangles',
      `${many(edges.flipped, 'edge has', 'edges have')} its two triangles turned against each other: which side is up is not the same all over.`,
      'Mend it first: "tall-kite mend" turns triangles the same way.',
    );
  const rest = restOf(mesh);
  if ('without' in rest)
    throw new Unusable(
      'no-area',
      `Triangle ${rest.without + 1} of the surface has no area, so it can't be laid flat.`,
      'Mend it first: needles and crumbs go.',
    );
  const least = Math.cos((folded * Math.PI) / 180);
  let back = 0;
  for (let c = 0; c < triangles.length; c++) {
    if (edges.across[c] <= c) continue;
    const [n, m] = [crossOfTriangle(mesh, (c / 3) | 0), crossOfTriangle(mesh, (edges.across[c] / 3) | 0)];
    if (dot(n, m) < least * lengthOf(n) * lengthOf(m)) back++;
  }
  if (back === 0) return [];
  return [
    {
      code: 'folded-triangles',
      severity: 'look',
      count: back,
      message: `At ${many(back, 'edge', 'edges')} the surface is folded back onto itself.`,
      remedy: 'Look whether the surface is meant to be so; mend it when it is not.',
    },
  ];
}

/** Whether a mesh is closed: there is no border to begin a flat from. */
export function closedAll({ triangles, positions }: Mesh): boolean {
  const { across } = edgesOf(triangles, positions.length / 3);
  return !across.some((c) => c === openEdge || c === manyEdge);
}

/** Border edges, each as its two vertices, in the direction of their triangles. */
export function rimOf({ triangles, positions }: Mesh): [number, number][] {
  const { across } = edgesOf(triangles, positions.length / 3);
  const out: [number, number][] = [];
  for (let c = 0; c < triangles.length; c++) if (across[c] === openEdge) out.push([triangles[c], triangles[nextCorner(c)]]);
  return out;
}

/** A face in a list: its number from 1, its area, a place near its middle, and what kind of surface it is, when that is known. */
export interface FaceRow {
  face: number;
  area: number;
  middle: [number, number, number];
  kind: string | null;
}

/** The faces of a part, for choosing. Of a mesh they are what its creases part. */
export function faceRows(of: { kind: 'solid'; kernel: Kernel | null; brep: string } | { kind: 'mesh'; mesh: Mesh; crease: number }): FaceRow[] {
  const faced: Faced & { exact?: ExactSolid } = of.kind === 'solid' ? facedSolid(of.kernel, of.brep) : facedMesh(of.mesh, of.crease);
  const { mesh, face, faces, exact } = faced;
  const rows = Array.from({ length: faces }, (_, f): FaceRow => ({ face: f + 1, area: 0, middle: [0, 0, 0], kind: exact?.faces[f].surface.kind ?? null }));
  for (let t = 0; t < face.length; t++) {
    const row = rows[face[t]];
    const area = lengthOf(crossOfTriangle(mesh, t)) / 2;
    row.area += area;
    for (let i = 0; i < 3; i++) for (let d = 0; d < 3; d++) row.middle[d] += (area * mesh.positions[mesh.triangles[t * 3 + i] * 3 + d]) / 3;
  }
  for (const row of rows) if (row.area > 0) row.middle = row.middle.map((v) => v / row.area) as FaceRow['middle'];
  // Facets of round faces are a little smaller than the faces.
  const areas = of.kind === 'solid' ? faceAreas(of.brep) : null;
  areas?.forEach((area, f) => (rows[f].area = area));
  return rows;
}
