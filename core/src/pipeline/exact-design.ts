import { surveySolid } from '../surfaces/survey.ts';
import { readBrepText, type ExactSolid } from '../surfaces/brep-text.ts';
import { offOwnEdges } from '../surfaces/off-edges.ts';
import { sheetLike } from '../surfaces/sheetlike.ts';
import { tubeLike } from '../tubes/say.ts';
import type { Finding } from '../base/finding.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { identityRows } from '../geometry/rows.ts';
import { openFacets } from '../kernel/facet-source.ts';
import { OpenSolid } from '../kernel/facets.ts';
import { statedFindings } from './stated.ts';
import { nobodysName, type OpenSurface, type SolidPart } from '../model/opened.ts';
import { openExact } from '../formats/exact.ts';
import type { ExactHeader, Format } from '../formats/format.ts';
import type { ReadChoices } from '../model/choices.ts';
import { branchesOf } from '../model/branches.ts';
import { rigidParts } from '../formats/rigid.ts';
import type { Design, DesignFormat, DesignPart } from '../model/design.ts';
import type { Kernels } from './kernels.ts';
import { meshPart, mostPlaces } from './mesh-design.ts';

/** A file that is read, and how. */
export interface Reading {
  /** Only for naming a part that has no name. */
  fileName: string;
  kernels: Kernels;
  choices: ReadChoices;
}

/** A STEP or IGES file as a design: exact solids, open surfaces and shapes of triangles as meshes. */
export async function exactDesign({ id }: Format, header: ExactHeader, bytes: Uint8Array, { fileName, kernels, choices }: Reading): Promise<Design> {
  const { unit, uncertainty } = header;
  const opened = await openExact(id === 'IGES' ? 'IGES' : 'STEP', bytes, { opening: () => kernels.opening(), uncertainty, choices });
  const stated = statedFindings(header.stated ?? [], opened.parts.map((p) => ({ ...p, named: p.name }))); // prettier-ignore
  const base = fileName.replace(/\.[^.]*$/, '') || 'Part';
  named(opened.parts, base);
  const parts = opened.parts.map((part) => solidPartOf(part, unit, id, uncertainty));
  for (const [at, finding] of stated.of) parts[at].findings.push(finding);
  const { tree, findings } = opened;
  const hung = (part: DesignPart, colour: string | null = null) => tree.push({ name: part.summary.name, colour, parts: [parts.push(part) - 1], children: [] });
  const surfaces: (DesignPart | null)[] = [];
  const only = parts.length + opened.surfaces.length === 1;
  for (const [i, { name, ...surface }] of opened.surfaces.entries()) {
    const called = name !== null && !nobodysName.test(name) ? name : only ? base : `${base}, surface ${i + 1}`;
    surfaces.push(await surfacePart({ ...surface, name: called }, { unit, format: id }, kernels));
  }
  for (const part of surfaces) if (part) hung(part);
  const held = opened.meshes ?? [];
  const rigid = rigidParts(choices.meshes ? held.map(({ above, ...m }) => ({ ...m, above: above[0], aboveEach: above, partNumber: null })) : []);
  for (const part of rigid.parts) hung(meshPart(part, base, unit, id), part.colour);
  findings.push(...tessellatedFindings(held.length, choices.meshes), ...unusable(surfaces.filter((p) => p === null).length));
  return { format: id, version: header.version, unit, tree, parts, findings: [...header.findings, ...stated.whole, ...findings] };
}

/** Gives parts that nobody named the nearest name above them that tells what they are, or the file's own; names that tell nothing are left out of paths. */
function named(parts: readonly SolidPart[], base: string): void {
  const nameless = parts.filter((part) => nobodysName.test(part.name));
  const taken = new Map<string, number>();
  const above = nameless.map((part) => part.path.slice(0, -1).findLast((name) => !nobodysName.test(name)) ?? base);
  const many = new Map<string, number>();
  for (const name of above) many.set(name, (many.get(name) ?? 0) + 1);
  nameless.forEach((part, i) => {
    const n = (taken.get(above[i]) ?? 0) + 1;
    taken.set(above[i], n);
    part.name = many.get(above[i])! > 1 ? `${above[i]} ${n}` : above[i];
  });
  for (const part of parts) {
    part.path = [...part.path.slice(0, -1).filter((name) => !nobodysName.test(name)), part.name];
    part.above = part.above.map((names) => names.filter((name) => !nobodysName.test(name)));
  }
}

/** Surfaces that no mesh can be made of. */
function unusable(count: number): Finding[] {
  const message = `Left out: ${count.toLocaleString('en')} surfaces whose numbers make no place in space.`;
  return count === 0 ? [] : [{ code: 'surfaces-unusable', severity: 'look', count, message, remedy: 'Export them again from the program that made them.' }];
}

/** Shapes that the file holds as triangles alone. */
function tessellatedFindings(count: number, taken: boolean): Finding[] {
  if (count === 0) return [];
  const many = `${count.toLocaleString('en')} ${count === 1 ? 'shape' : 'shapes'}`;
  return [
    taken
      ? {
          code: 'tessellated',
          severity: 'look',
          count,
          message: `${many} ${count === 1 ? 'is' : 'are'} in the file as triangles, not as exact surfaces, and came as ${count === 1 ? 'a mesh' : 'meshes'}.`,
          remedy: 'For exact holes, flat patterns and other facets, export exact geometry.',
        }
      : {
          code: 'meshes-left-out',
          severity: 'look',
          count,
          message: `${many} of triangles ${count === 1 ? 'was' : 'were'} left out, as chosen before reading.`,
          remedy: 'Bring the file in again with meshes taken.',
        },
  ];
}

/** Surfaces farther off their own edges than this are worth a look, farther than the second make another part; mm. */
export const offEdges = { look: 0.002, stop: 0.1 };

/** A face whose surface does not lie on its own edges: the part is not where the file says, and its volume is not the part's. */
function offFindings(name: string, solid: ExactSolid, uncertainty: number): Finding[] {
  const { farthest, face, count } = offOwnEdges(solid, Math.max(offEdges.look, uncertainty));
  if (count === 0) return [];
  return [
    {
      code: 'surface-off-edges',
      severity: farthest > Math.max(offEdges.stop, uncertainty) ? 'stop' : 'look',
      count,
      message: `${name}: ${count === 1 ? 'a face lies' : `${count} faces lie`} off ${count === 1 ? 'its' : 'their'} own edges, face ${face + 1} by ${farthest.toPrecision(3)} mm; volume and shape are wrong by that.`,
      remedy: 'Heal the solid in the program that made it, and export again.',
    },
  ];
}

/** Edges that should meet and do not: where the solid ends there is not said by more than that. */
function apartFindings(name: string, gap: number, uncertainty: number): Finding[] {
  if (!(gap > Math.max(offEdges.look, uncertainty))) return [];
  return [
    {
      code: 'edges-apart',
      severity: gap > Math.max(offEdges.stop, uncertainty) ? 'stop' : 'look',
      count: 1,
      message: `${name}: edges that should meet in one corner lie up to ${gap.toPrecision(3)} mm apart; size and volume are open by that.`,
      remedy: 'Heal the solid in the program that made it, and export again.',
    },
  ];
}

/** Deviation and turn angle of the facets that stand for an open surface, mm and rad: those of the finest preset, neither finer nor coarser than shares of its size. */
const surfaceFacets = { deviation: 0.015, angle: (5 * Math.PI) / 180, finest: 2e-5, coarsest: 1e-3 };

/** An open surface as a mesh; null when it can't be placed. */
async function surfacePart(
  surface: OpenSurface & { name: string },
  { unit, format }: { unit: string | null; format: DesignFormat },
  kernels: Kernels,
): Promise<DesignPart | null> {
  const { deviation: usual, finest, coarsest } = surfaceFacets;
  const deviation = Math.min(Math.max(usual, finest * surface.span), coarsest * surface.span);
  const own = openFacets(surface.brep, deviation, surfaceFacets.angle);
  const { mesh, off } = own ? { mesh: own, off: deviation } : await facetsByKernel(surface, deviation, kernels);
  if (mesh.triangles.length === 0 || !mesh.positions.every(Number.isFinite)) return null;
  const part = meshPart({ name: surface.name, above: [], partNumber: null, colour: null, mesh, places: [identityRows] }, surface.name, unit, format);
  part.summary.faces = surface.faces;
  if (off > deviation) {
    const coarse = coarseFinding(surface.name, off, mesh.triangles.length / 3);
    part.findings.push(coarse);
    part.summary.lost = [coarse];
  }
  return part;
}

const coarseFinding = (name: string, off: number, count: number): Finding => ({
  code: 'coarse-facets',
  severity: 'look',
  count: 1,
  message: `${name}: the open surface is so bent that its mesh is as coarse as ${Number(off.toPrecision(2))} mm (${count.toLocaleString('en')} triangles); finer ones would be too many.`,
  remedy: 'Look at it for a spike that is not meant, and export it again.',
});

/** Triangles of an open surface at most that the kernel's mesher is asked for, by what a coarse mesh has; it takes minutes for a few times as many. */
const mostOfSurface = 30_000;
/** Turn angle of that coarse mesh, rad. */
const coarseAngle = 0.5;

/** Facets by the kernel, for a deviation in mm, or one that asks for no more triangles than can be. A damaged surface may have a spike of any height. */
async function facetsByKernel({ brep, span }: OpenSurface, deviation: number, kernels: Kernels): Promise<{ mesh: Mesh; off: number }> {
  const open = new OpenSolid(await kernels.working(), brep);
  try {
    const rough = surfaceFacets.coarsest * span;
    // Twice as many triangles halve how far they lie off.
    const { triangles } = open.facets(rough, coarseAngle);
    const off = Math.max(deviation, (rough * triangles.length) / 3 / mostOfSurface);
    const made = open.facets(off, off > deviation ? coarseAngle : surfaceFacets.angle);
    return { mesh: { positions: made.positions, triangles: made.triangles }, off };
  } finally {
    open.close();
  }
}

/** An exact solid as a part with its figures and findings. @param uncertainty that the file states of its own places, mm. */
export function solidPartOf(part: SolidPart, unit: string | null, format: string, uncertainty = 0): DesignPart {
  const exact = readBrepText(part.brep);
  const findings: Finding[] = offFindings(part.name, exact, Math.max(uncertainty, part.sewnWithin ?? 0));
  if (findings.length === 0) findings.push(...apartFindings(part.name, part.gap ?? 0, uncertainty));
  if (part.volume <= 0) {
    findings.push({
      code: 'inside-out',
      severity: 'stop',
      count: 1,
      message: `The solid "${part.name}" is inside out (its volume is ${part.volume.toPrecision(4)} mm³).`,
      remedy: 'Heal it in the program that made it, and export again.',
    });
  }
  const { name, path, quantity, colour, box, volume, area, centre, faces, shells } = part;
  const { branches, of } = branchesOf(part.above);
  return {
    geometry: { kind: 'solid', brep: part.brep },
    findings,
    summary: {
      name,
      path,
      kind: 'solid',
      quantity,
      colour,
      box,
      volume,
      area,
      centre,
      faces,
      shells,
      triangles: null,
      openEdges: null,
      nonManifoldEdges: null,
      flippedEdges: null,
      degenerateTriangles: null,
      survey: { ...surveySolid(exact), sheet: sheetLike(exact, volume, area), tube: tubeLike(exact, volume) },
      unit,
      format,
      places: part.places.slice(0, mostPlaces),
      branches,
      placeBranches: of.slice(0, mostPlaces),
    },
  };
}
