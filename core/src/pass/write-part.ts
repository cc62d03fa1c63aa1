import type { Geometry, PartSummary } from '../design/design.ts';
import { readBrepText, type ExactSolid } from '../exact/brep-text.ts';
import { facetsWithin, makeFacets, type Facets } from '../facets/make.ts';
import { Unusable } from '../findings/finding.ts';
import { asciiStl, binaryStl } from '../formats/stl/write.ts';
import type { Box } from '../geometry/box.ts';
import { boxOf, diagonalOf } from '../geometry/box.ts';
import { measureMesh, type Mesh } from '../geometry/mesh.ts';
import { placed, type Placement } from '../geometry/placement.ts';
import { OpenSolid } from '../kernel/facets.ts';
import type { Kernel } from '../kernel/kernel.ts';
import { fileNameOf, scaleOf, type Recipe } from '../recipe/recipe.ts';
import { receiverOf } from '../receivers/receivers.ts';
import { mmPer } from '../size/readings.ts';
import { checkMesh } from '../soundness/check-mesh.ts';
import { placementOf, sideDown } from '../stance/stance.ts';

/** What is meant: the figures that the received file is held against. Lengths in mm, after size and stance. */
export interface Designed {
  box: Box;
  volume: number;
  area: number;
  centre: [number, number, number];
  shells: number;
  closed: boolean;
  side: string;
  /** The promise, mm. */
  deviation: number;
  /** Turn angle chosen, rad; 0 for a mesh, which is not faceted anew. */
  angle: number;
  mostTriangles: number;
  triangles: number;
  encoding: 'binary' | 'ascii';
  placement: Placement;
  scale: number;
  /** The exact surfaces and which triangles stand for which face; null for a mesh. */
  exact: { solid: ExactSolid; starts: Uint32Array } | null;
  /** The mesh meant, corner by corner, when the part is a mesh. */
  mesh: Mesh | null;
}

export interface WrittenPart {
  fileName: string;
  pieces: Generator<Uint8Array>;
  designed: Designed;
  facets: Facets | null;
}

/**
 * The pass up to the bytes: size, stance, facets, write. Nothing is read back here.
 * @param kernel gives the working kernel; only solids ask for it.
 * @throws Unusable when facets can't be made or a budget can't be met.
 */
export async function writePart(part: PartSummary, geometry: Geometry, recipe: Recipe, kernel: () => Promise<Kernel>): Promise<WrittenPart> {
  const scale = scaleOf(part, recipe);
  const made = geometry.kind === 'solid' ? solidMesh(part, geometry.brep, recipe, scale, await kernel()) : meantMesh(part, geometry.mesh, recipe, scale);
  const fileName = fileNameOf(part, recipe);
  const perUnit = mmPer(recipe.file.unit);
  const header = `Tall Kite, numbers are ${recipe.file.unit}: ${part.name}`;
  const pieces = recipe.file.encoding === 'binary' ? binaryStl(made.mesh, perUnit, header) : asciiStl(made.mesh, perUnit, part.name);
  return { fileName, pieces, designed: made.designed, facets: made.facets };
}

function solidMesh(part: PartSummary, brep: string, recipe: Recipe, scale: number, kernel: Kernel): { mesh: Mesh; designed: Designed; facets: Facets } {
  const exact = readBrepText(brep);
  const solid = new OpenSolid(kernel, brep);
  try {
    const asked = recipe.facets.deviation;
    const rounding = roundingOf(part.box, scale);
    const facets = chosenFacets(solid, exact, recipe, (asked - rounding) / scale, scale);
    // Under a budget the promise is what the finest facets within it reach.
    const promise = recipe.facets.budget ? facets.measured.largest * scale * 1.001 + rounding : asked;
    const placement = placementOf(recipe.stance, scale, facets.positions);
    const mesh = { positions: placed(facets.positions, placement), triangles: facets.triangles };
    const box = solid.box(placement, scale);
    const centre = placed(part.centre, placement);
    const designed: Designed = {
      box,
      volume: part.volume * scale ** 3,
      area: part.area * scale ** 2,
      centre: [centre[0], centre[1], centre[2]],
      shells: part.shells,
      closed: true,
      side: sideDown(recipe.stance.turn),
      deviation: promise,
      angle: (recipe.facets.angle * Math.PI) / 180,
      mostTriangles: mostTrianglesOf(recipe),
      triangles: facets.triangles.length / 3,
      encoding: recipe.file.encoding,
      placement,
      scale,
      exact: { solid: exact, starts: facets.starts },
      mesh: null,
    };
    return { mesh, designed, facets };
  } finally {
    solid.close();
  }
}

/** What rounding to float32 in the file can add to a deviation, mm: half a unit in the last place, three axes. */
function roundingOf(box: Box, scale: number): number {
  const far = Math.max(...box.min.map(Math.abs), ...box.max.map(Math.abs), diagonalOf(box)) * scale;
  return far * 2 ** -23;
}

function chosenFacets(solid: OpenSolid, exact: ExactSolid, recipe: Recipe, deviation: number, scale: number): Facets {
  const { budget, angle } = recipe.facets;
  if (!(deviation > 0)) {
    throw new Unusable(
      'below-float32',
      `A deviation of ${recipe.facets.deviation} mm is finer than the numbers of an STL can hold at this size.`,
      'Choose a larger deviation.',
    );
  }
  if (!budget) return makeFacets(solid, exact, { deviation, angle });
  const most = budget.kind === 'triangles' ? budget.most : Math.floor((budget.most - 84) / 50);
  const facets = facetsWithin(solid, exact, most, 60, [0.001 / scale, 5 / scale]);
  if (!facets) {
    throw new Unusable(
      'budget-too-small',
      `${most.toLocaleString('en')} triangles are too few for this part, even at 5 mm deviation.`,
      'Allow more triangles.',
    );
  }
  return facets;
}

function mostTrianglesOf(recipe: Recipe): number {
  const limit = receiverOf(recipe.receiver).mostTriangles;
  const { budget } = recipe.facets;
  if (!budget) return limit;
  return Math.min(limit, budget.kind === 'triangles' ? budget.most : Math.floor((budget.most - 84) / 50));
}

function meantMesh(part: PartSummary, source: Mesh, recipe: Recipe, scale: number): { mesh: Mesh; designed: Designed; facets: null } {
  const placement = placementOf(recipe.stance, scale, source.positions);
  const mesh = { positions: placed(source.positions, placement), triangles: source.triangles };
  const measures = measureMesh(mesh);
  const sound = checkMesh(mesh, 0);
  return {
    mesh,
    facets: null,
    designed: {
      box: boxOf(mesh.positions),
      volume: measures.volume,
      area: measures.area,
      centre: measures.centre,
      shells: part.shells,
      closed: sound.closed,
      side: sideDown(recipe.stance.turn),
      deviation: diagonalOf(measures.box) * 1e-6 + roundingOf(part.box, scale),
      angle: 0,
      mostTriangles: mostTrianglesOf(recipe),
      triangles: source.triangles.length / 3,
      encoding: recipe.file.encoding,
      placement,
      scale,
      exact: null,
      mesh,
    },
  };
}
