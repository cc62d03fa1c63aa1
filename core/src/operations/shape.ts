import type { DesignPart, Geometry } from '../model/design.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { placed } from '../geometry/placement.ts';
import { partOfMesh } from '../pipeline/mesh-design.ts';
import type { Tools } from '../pipeline/one-file.ts';
import { preparedMesh } from '../pipeline/write-part.ts';
import { placedMesh } from '../processes/receive.ts';
import { scaleOf } from '../recipe/recipe.ts';
import { inPlace, placementOf } from '../stance/stance.ts';
import type { Made, OperationPart } from './operation.ts';

/** How many mm of the finished part one number of the part's own coordinates is. */
export const scaleOfPart = (part: OperationPart): number => scaleOf(part.summary, part.recipe);

/** The part in its own coordinates as a mesh; an exact solid as the facets of its recipe. */
export async function ownMesh(part: OperationPart, tools: Tools): Promise<Mesh> {
  if (part.geometry.kind === 'mesh') return part.geometry.mesh;
  const recipe = { ...part.recipe, stance: inPlace, size: { ...part.recipe.size, factor: 1 } };
  return (await preparedMesh(part.summary, part.geometry, recipe, tools.working)).mesh;
}

/** The part where it stands among the others, in mm. */
export async function placedPart(part: OperationPart, tools: Tools): Promise<Mesh> {
  if (part.geometry.kind === 'mesh') {
    const { positions, triangles } = part.geometry.mesh;
    return placedMesh({ positions: placed(positions, placementOf(inPlace, scaleOfPart(part), positions)), triangles }, part.place);
  }
  const { mesh } = await preparedMesh(part.summary, part.geometry, { ...part.recipe, stance: inPlace }, tools.working);
  return placedMesh(mesh, part.place);
}

/** A mesh that came of a part: under a name, with one more sentence of what was done. */
export function madeOf(mesh: Mesh, part: OperationPart, name: string, said: string): Made {
  const { path, quantity, colour, unit, format, partNumber, places, made } = part.summary;
  const about = { name, path: [...path.slice(0, -1), name], quantity, colour, unit, format, partNumber, places, made: [...(made ?? []), said] };
  return { geometry: { kind: 'mesh', mesh }, part: () => partOfMesh(mesh, about) };
}

/** A part whose figures are known already. */
export const madePart = (part: DesignPart): Made => ({ geometry: part.geometry, part: () => part });

/** The mesh of something made or given as a mesh. @throws TypeError for other geometry. */
export function meshIn({ geometry }: { geometry: Geometry }): Mesh {
  if (geometry.kind !== 'mesh') throw new TypeError(`a mesh is needed, not a ${geometry.kind}`);
  return geometry.mesh;
}
