import type { Designed } from '../prove/designed.ts';
import type { Geometry, PartSummary } from '../model/design.ts';
import { joinedBytes } from '../base/bytes.ts';
import { anyAngle } from '../surfaces/presets.ts';
import { readBrepText, type ExactSolid } from '../surfaces/brep-text.ts';
import { measureDeviation } from '../surfaces/deviation.ts';
import { throughHolesOf } from '../surfaces/genus.ts';
import { facetAllowance } from '../facets/allowance.ts';
import { throughHoles, voidsOf } from '../geometry/genus.ts';
import { facetsFinding, facetsWithin, makeFacets, type Facets } from '../facets/make.ts';
import { Unusable, type Finding } from '../base/finding.ts';
import { NotTaken } from '../body/body.ts';
import { objFile } from '../formats/obj/write.ts';
import { plyFile } from '../formats/ply/write.ts';
import type { StepUnit } from '../formats/step/lines.ts';
import { withStatedFigures } from '../formats/step/stated.ts';
import { stepOfPart } from '../formats/step/write.ts';
import { facetedStep, mostFacetedFaces } from '../formats/step/write-faceted.ts';
import { asciiStl, binaryStl } from '../formats/stl/write.ts';
import { threeMfFile } from '../formats/threemf/write.ts';
import type { Box } from '../geometry/box.ts';
import { boxOf } from '../geometry/box.ts';
import { measureMesh, type Mesh } from '../geometry/mesh.ts';
import { placed } from '../geometry/placement.ts';
import { identityRows, type Rows } from '../geometry/rows.ts';
import { dividedIntoShells } from '../geometry/shells.ts';
import { turnedToYUp } from '../geometry/up-axis.ts';
import { plainColour, SolidBuilder } from '../kernel/build.ts';
import { FacetSource } from '../kernel/facet-source.ts';
import type { Kernel } from '../kernel/kernel.ts';
import { fileNameOf, scaleOf, type Recipe } from '../recipe/recipe.ts';
import { formatNames, receiverFor } from '../receivers/receivers.ts';
import { broughtToZero, farFinding, farthestOf, roundingReach } from '../geometry/far.ts';
import { isPatch } from '../model/is-patch.ts';
import { mmPer } from '../base/readings.ts';
import { checkMesh } from '../mesh/soundness/check-mesh.ts';
import { placementOf, sideDown } from '../stance/stance.ts';

export interface WrittenPart {
  fileName: string;
  pieces: Iterable<Uint8Array>;
  designed: Designed;
  facets: Facets | null;
  /** What is odd about the file before it is read back. */
  findings: Finding[];
}

/**
 * The pass up to the bytes: size, stance, facets, write. Nothing is read back here.
 * @param kernel gives the working kernel; only solids ask for it.
 * @throws Unusable when facets can't be made or a budget can't be met.
 */
export async function writePart(part: PartSummary, geometry: Geometry, recipe: Recipe, kernel: () => Promise<Kernel>): Promise<WrittenPart> {
  const { format } = recipe.file;
  const receiver = receiverFor(recipe);
  if (!receiver.formats.includes(format)) {
    throw new Unusable(
      'format-refused',
      `${receiver.name} does not read ${formatNames[format]}; it reads ${receiver.formats.map((f) => formatNames[f]).join(', ')}.`,
      'Choose one of these formats on the File step, or another receiver.',
    );
  }
  const made = await preparedMesh(part, geometry, recipe, kernel);
  const fileName = fileNameOf(part, recipe);
  const { mesh, designed } = made;
  if (format === 'step') {
    const pieces = geometry.kind === 'solid' ? await exactStep(part, geometry.brep, designed, kernel) : meshStep(part, mesh);
    return { fileName, pieces, designed, facets: made.facets, findings: made.findings };
  }
  // A receiver whose software takes Y for up gets the part turned, so that it stands there as it stands here.
  const turned = receiver.up === 'y' && format !== '3mf' ? { positions: turnedToYUp(mesh.positions), triangles: mesh.triangles } : mesh;
  return { fileName, pieces: meshBytes(part, turned, recipe), designed, facets: made.facets, findings: made.findings };
}

/** Size, stance and facets: the mesh that is to be written, and what is meant by it. */
export async function preparedMesh(
  part: PartSummary,
  geometry: Geometry,
  recipe: Recipe,
  kernel: () => Promise<Kernel>,
): Promise<{ mesh: Mesh; designed: Designed; facets: Facets | null; findings: Finding[] }> {
  const scale = scaleOf(part, recipe);
  if (geometry.kind === 'drawing') throw new Unusable('flat', 'A drawing is flat and has no facets.', 'Raise it to a solid first, or write DXF, SVG or PDF.');
  const made = geometry.kind === 'solid' ? await solidMesh({ part, recipe, scale }, geometry.brep, kernel) : meantMesh(part, geometry.mesh, recipe, scale);
  return { ...made, findings: [...placeFindings(made.designed, recipe), ...(made.facets ? facetsFinding(made.facets, scale) : [])] };
}

/** A part that was brought to its zero from far away, or that is left there. STEP keeps all digits. */
function placeFindings(designed: Designed, recipe: Recipe): Finding[] {
  const { shift } = designed.placement;
  if (shift[0] !== 0 || shift[1] !== 0) return [broughtToZero(Math.hypot(...shift), 'its middle, standing on the bed,')];
  return recipe.file.format === 'step' ? [] : farFinding(farthestOf(designed.box));
}

/** The bytes of one part in a mesh format. */
function meshBytes(part: PartSummary, mesh: Mesh, recipe: Recipe): Generator<Uint8Array> {
  const { format, unit, encoding, quads } = recipe.file;
  const perUnit = mmPer(unit);
  const header = `Tall Kite, numbers are ${unit}: ${part.name}`;
  switch (format) {
    case '3mf':
      return threeMfFile(
        [{ name: part.name, partNumber: part.partNumber ?? null, colour: part.colour, mesh, places: [identityRows] }],
        unit,
        perUnit,
        part.name,
      );
    case 'obj':
      // A surface of heights has regular pairs that are seldom flat.
      return objFile([{ name: part.name, mesh }], perUnit, unit, quads && (part.relief || isPatch(part)) ? 'bent' : quads);
    case 'ply':
      return plyFile(mesh, { perUnit, unit, encoding });
    default:
      return encoding === 'binary' ? binaryStl(mesh, perUnit, header) : asciiStl(mesh, perUnit, part.name);
  }
}

/** The exact solid in its stance, as STEP: by ourselves, or by the kernel where it holds what we do not write. */
async function exactStep(part: PartSummary, brep: string, designed: Designed, kernel: () => Promise<Kernel>): Promise<Uint8Array[]> {
  const { volume, area, centre } = designed;
  const { rows: m, shift } = designed.placement;
  const rows = [m[0], m[1], m[2], shift[0], m[3], m[4], m[5], shift[1], m[6], m[7], m[8], shift[2]];
  const unit = stepUnits.find((u) => u === designed.unit) ?? 'mm';
  const place = { rows, scale: designed.scale, unit };
  const bytes = joinedBytes(ownStep(part, brep, place) ?? [kernelStep(part, brep, place, await kernel())]);
  return [withStatedFigures(bytes, [{ product: part.name, volume, area, centre }])];
}

const stepUnits = ['mm', 'cm', 'm', 'in', 'ft'] as const;

/** Where a solid is written, its scale among the rows, and in which unit. */
interface StepPlace {
  rows: Rows;
  scale: number;
  unit: StepUnit;
}

/** By ourselves; null where that can not be. */
function ownStep({ name, partNumber, colour }: PartSummary, brep: string, { rows, scale, unit }: StepPlace): Uint8Array[] | null {
  // Turn and move first, then lengths by the scale.
  const place = rows.map((v) => v / scale);
  try {
    return stepOfPart({ name, partNumber, colour, brep }, unit, place, scale);
  } catch (thrown) {
    if (thrown instanceof NotTaken) return null;
    throw thrown;
  }
}

function kernelStep({ name, colour }: PartSummary, brep: string, { rows, unit }: StepPlace, kernel: Kernel): Uint8Array {
  const b = new SolidBuilder(kernel);
  const solid = b.placed(b.fromBrep(brep), rows);
  return b.step(name, [{ name, colour: colour ?? plainColour, shape: solid, places: [[0, 0, 0]] }], kernelUnits[unit]);
}

const kernelUnits = { mm: 'MM', cm: 'CM', m: 'M', in: 'INCH', ft: 'FT' } as const;

function meshStep(part: PartSummary, mesh: Mesh): Generator<Uint8Array> {
  const faces = mesh.triangles.length / 3;
  if (faces > mostFacetedFaces) {
    throw new Unusable(
      'too-many-faces',
      `As STEP each of its ${faces.toLocaleString('en')} triangles would be a face; at most ${mostFacetedFaces.toLocaleString('en')} are written.`,
      'Make the mesh lighter on the Soundness step, or write a mesh format.',
    );
  }
  const sound = checkMesh(mesh, 0);
  const voids = dividedIntoShells(mesh).some((shell) => measureMesh(shell).volume <= 0);
  if (!sound.closed || voids) {
    throw new Unusable(
      'step-needs-solid',
      sound.closed ? 'The mesh has a void inside, which a faceted STEP solid can not say.' : 'Only a closed mesh can be written as a STEP solid.',
      sound.closed ? 'Write a mesh format, or fill the void.' : 'Mend it on the Soundness step first.',
    );
  }
  return facetedStep(mesh, part.name);
}

/** A part that is written, how, and what its numbers are multiplied by. */
interface Wanted {
  part: PartSummary;
  recipe: Recipe;
  scale: number;
}

/** A solid: by its facets, and by its exact faces. */
interface BothWays {
  solid: FacetSource;
  exact: ExactSolid;
}

async function solidMesh(wanted: Wanted, brep: string, kernel: () => Promise<Kernel>): Promise<{ mesh: Mesh; designed: Designed; facets: Facets }> {
  const { part, recipe, scale } = wanted;
  const exact = readBrepText(brep);
  const solid = new FacetSource(brep, kernel);
  try {
    const asked = recipe.facets.deviation;
    const rounding = roundingOf(part.box, scale);
    const facets = await chosenFacets({ solid, exact }, wanted, (asked - rounding) / scale);
    // Under a budget the promise is what the finest facets within it reach.
    const promise = recipe.facets.budget ? facets.measured.largest * scale * 1.001 + rounding : asked;
    const placement = placementOf(recipe.stance, scale, facets.positions);
    const mesh = { positions: placed(facets.positions, placement), triangles: facets.triangles };
    const box = await solid.box(placement, scale);
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
      mostTriangles: mostTrianglesOf(recipe),
      triangles: facets.triangles.length / 3,
      ...fileOf(part, recipe),
      placement,
      scale,
      exact: { solid: exact, starts: facets.starts },
      mesh,
      facetDeviation: facets.measured.largest * scale,
      faces: recipe.file.format === 'step' ? part.faces : null,
      allowance: facetAllowance(
        mesh,
        facets.starts,
        facets.measured.perFace.map((d, f) => (exact.faces[f].surface.kind === 'other' ? promise : d * scale)),
      ),
      holes: throughHolesOf(exact, part.shells),
      voids: voidsOf(mesh),
      samples: await samplesOf({ solid, exact }, { placement, scale }, promise),
    };
    return { mesh, designed, facets };
  } finally {
    solid.close();
  }
}

/** Turn between facets of the sampling mesh, rad: every round face gets several. */
const sampleAngle = 0.5;

/**
 * Points that the received surface has to pass: of the exact edges and surfaces, by no facets; where our own mesher does not take the solid, corners and middles
 * of facets made for that alone, with a coarser request of their own. A hole or a face that is missing in the file has points that lie far from all that was received.
 */
async function samplesOf(
  { solid, exact }: BothWays,
  { placement, scale }: Pick<Designed, 'placement' | 'scale'>,
  promise: number,
): Promise<Designed['samples']> {
  const taken = solid.points();
  if (taken) return { points: placed(taken, placement), within: 0 };
  const own = await solid.facets((promise * 2) / scale, sampleAngle);
  const within = measureDeviation(exact, own).largest * scale;
  const p = placed(own.positions, placement);
  const points = new Float64Array(p.length + own.triangles.length);
  points.set(p);
  for (let i = 0; i < own.triangles.length; i += 3) {
    const [a, b, c] = [own.triangles[i] * 3, own.triangles[i + 1] * 3, own.triangles[i + 2] * 3];
    for (let k = 0; k < 3; k++) points[p.length + i + k] = (p[a + k] + p[b + k] + p[c + k]) / 3;
  }
  return { points, within };
}

function fileOf(part: PartSummary, recipe: Recipe): Pick<Designed, 'format' | 'encoding' | 'unit' | 'name' | 'ordered'> {
  const { format, encoding, unit, quads } = recipe.file;
  return { format, encoding, unit, name: part.name, ordered: format !== 'step' && !(format === 'obj' && quads) };
}

/** What rounding to float32 in the file can add to a deviation, mm: half a unit in the last place, three axes. Parts stand near their zero. */
function roundingOf(box: Box, scale: number): number {
  const at = (p: Box['min']) => p.map((v) => v * scale) as Box['min'];
  return roundingReach({ min: at(box.min), max: at(box.max) }) * 2 ** -23;
}

async function chosenFacets({ solid, exact }: BothWays, { recipe, scale }: Wanted, deviation: number): Promise<Facets> {
  const { budget, angle, balanced } = recipe.facets;
  if (!(deviation > 0)) {
    throw new Unusable(
      'below-float32',
      `A deviation of ${recipe.facets.deviation} mm is finer than the numbers of an STL can hold at this size.`,
      'Choose a larger deviation.',
    );
  }
  if (!budget) return makeFacets(solid, exact, { deviation, angle, balanced });
  const most = budget.kind === 'triangles' ? budget.most : Math.floor((budget.most - 84) / 50);
  const facets = await facetsWithin(solid, exact, most, { angle: anyAngle, balanced, bounds: [0.001 / scale, 5 / scale] });
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
  const limit = receiverFor(recipe).mostTriangles;
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
      deviation: Math.max(1e-6, 2 * roundingOf(part.box, scale)),
      mostTriangles: mostTrianglesOf(recipe),
      triangles: source.triangles.length / 3,
      ...fileOf(part, recipe),
      placement,
      scale,
      exact: null,
      mesh,
      facetDeviation: 0,
      faces: recipe.file.format === 'step' ? source.triangles.length / 3 : null,
      allowance: { volume: 0, area: 0 },
      holes: throughHoles(mesh),
      voids: voidsOf(mesh),
      samples: null,
    },
  };
}
