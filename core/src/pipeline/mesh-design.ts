import { noFaces, type MeshFile, type MeshFilePart } from '../formats/mesh-file.ts';
import { Unusable, type Finding } from '../base/finding.ts';
import { sizeOf } from '../geometry/box.ts';
import { measureMesh, type Mesh } from '../geometry/mesh.ts';
import { commonBed, readings } from '../base/readings.ts';
import { checkMesh } from '../mesh/soundness/check-mesh.ts';
import { shapeFindings, shellsInWords } from '../mesh/soundness/gate.ts';
import { isPatch } from '../model/is-patch.ts';
import { openLengthOf } from '../geometry/edges.ts';
import { soundnessFindings } from '../mesh/soundness/findings.ts';
import type { Format } from '../formats/format.ts';
import type { ReadChoices } from '../model/choices.ts';
import { branchesOf } from '../model/branches.ts';
import { rigidParts } from '../formats/rigid.ts';
import type { Design, DesignFormat, DesignPart, PartSummary } from '../model/design.ts';
import { looksYUp, turnToZUp } from '../geometry/up-axis.ts';
import { treeOf } from './design-tree.ts';

/** So many places of one part are kept. */
export const mostPlaces = 2000;

/** A file of meshes as a design. */
export function meshDesign({ id, saysUp }: Format, file: MeshFile, fileName: string, choices: ReadChoices): Design {
  const base = fileName.replace(/\.[^.]*$/, '') || 'Part';
  const findings = [...file.findings];
  // What is left of one whose places are no numbers may be nothing.
  const filled = file.parts.filter((p) => p.mesh.triangles.length > 0);
  if (filled.length < file.parts.length && !findings.some((f) => f.code === 'no-triangles')) findings.push(noFaces(true));
  const rigid = rigidParts(filled);
  const taken = choices.meshes ? rigid.parts : [];
  findings.push(...leftOutOf(rigid, choices));
  if (choices.up === 'y' || (choices.up === 'find' && !saysUp && looksYUp(taken.map((p) => p.mesh)))) {
    for (const part of taken) turnToZUp(part.mesh.positions);
    findings.push(turned(choices));
  }
  const parts = taken.map((part, i) => meshPart(part, taken.length > 1 ? `${base} ${i + 1}` : base, file.unit, id));
  const kept = chosen(parts, choices, findings);
  if (file.unit === null) findings.push(...kept.slice(0, 1).map((part) => unitFinding(part, id)));
  return { format: id, version: file.version, unit: file.unit, tree: treeOf(kept), parts: kept, findings };
}

/** Places that squeeze a part to nothing, and meshes that were not wanted. */
function leftOutOf({ parts, flattened }: ReturnType<typeof rigidParts>, { meshes }: ReadChoices): Finding[] {
  const findings: Finding[] = [];
  if (flattened > 0) {
    findings.push({
      code: 'placed-flat',
      severity: 'stop',
      count: flattened,
      message: `${flattened.toLocaleString('en')} places squeeze a part to nothing and were left out.`,
      remedy: 'Export the file again.',
    });
  }
  if (!meshes && parts.length > 0) {
    findings.push({
      code: 'meshes-left-out',
      severity: 'look',
      count: parts.length,
      message: `${parts.length.toLocaleString('en')} meshes were left out, as chosen before reading.`,
      remedy: 'Bring the file in again with meshes taken.',
    });
  }
  return findings;
}

const turned = ({ up }: ReadChoices): Finding => ({
  code: 'y-up',
  severity: up === 'y' ? 'clear' : 'look',
  count: 1,
  message: `The file was made with Y up; its parts were turned so that Z is up.`,
  remedy: 'If a part lies wrong now, bring the file in again with "Z is up" chosen.',
});

/** The parts that stay, by what is to become of bad ones. @throws Unusable where nothing is to be read then */
function chosen(parts: DesignPart[], { bad }: ReadChoices, findings: Finding[]): DesignPart[] {
  const broken = parts.filter((p) => p.findings.some((f) => f.severity === 'stop'));
  if (bad === 'keep' || broken.length === 0) return parts;
  if (bad === 'stop') {
    throw new Unusable(
      'unsound-mesh',
      `"${broken[0].summary.name}" is not one closed solid, and nothing is read then, as chosen.`,
      'Choose to keep or leave out bad entities, and mend it on the Soundness step.',
    );
  }
  findings.push({
    code: 'meshes-unsound',
    severity: 'look',
    count: broken.length,
    message: `Left out, as chosen: ${broken.length.toLocaleString('en')} meshes that are not closed.`,
    remedy: 'Bring the file in again and keep them; the Soundness step mends them.',
  });
  return parts.filter((p) => !broken.includes(p));
}

/** A mesh of a file as a part. @param fallback its name where the file gives none */
export function meshPart(part: MeshFilePart, fallback: string, unit: string | null, format: DesignFormat): DesignPart {
  const name = part.name ?? fallback;
  const { branches, of } = branchesOf(part.aboveEach ?? part.places.map(() => part.above));
  return partOfMesh(part.mesh, {
    branches,
    placeBranches: of.slice(0, mostPlaces),
    name,
    path: [...part.above, name],
    quantity: part.places.length,
    colour: part.colour,
    unit,
    format,
    partNumber: part.partNumber,
    places: part.places.slice(0, mostPlaces),
  });
}

/** A mesh as a part with its figures and findings. */
export function partOfMesh(
  mesh: Mesh,
  about: Pick<PartSummary, 'name' | 'path' | 'quantity' | 'colour' | 'unit' | 'format'> &
    Partial<Pick<PartSummary, 'partNumber' | 'places' | 'made' | 'branches' | 'placeBranches'>>,
): DesignPart {
  const measures = measureMesh(mesh);
  const sound = checkMesh(mesh, 0);
  const openLength = sound.openEdges > 0 ? openLengthOf(mesh) : 0;
  const { shells, nonManifoldEdges, flippedEdges } = sound;
  const patch = isPatch({ kind: 'mesh', openLength, area: measures.area, shells, nonManifoldEdges, flippedEdges, triangles: sound.triangles });
  const found = soundnessFindings(sound, measures.volume, shells > 1 ? shellsInWords(mesh) : null);
  return {
    geometry: { kind: 'mesh', mesh },
    findings: [...(patch ? [openSurface(sound.openEdges), ...found.filter((f) => f.code !== 'open-edges')] : found), ...shapeFindings(mesh)],
    summary: {
      ...(openLength > 0 ? { openLength } : {}),
      ...about,
      kind: 'mesh',
      box: measures.box,
      volume: measures.volume,
      area: measures.area,
      centre: measures.centre,
      faces: null,
      triangles: sound.triangles,
      shells: sound.shells,
      openEdges: sound.openEdges,
      nonManifoldEdges: sound.nonManifoldEdges,
      flippedEdges: sound.flippedEdges,
      degenerateTriangles: sound.degenerateTriangles,
      survey: null,
    },
  };
}

/** An open surface is no fault by itself: it may be a sail. What can't be made of it is told where it is made. */
const openSurface = (edges: number): Finding => ({
  code: 'open-surface',
  severity: 'look',
  count: edges,
  message: `An open surface: ${edges.toLocaleString('en')} edges on its border, so it has no volume.`,
  remedy: 'Spread it flat as it is; to be printed or carved it must be closed first.',
});

/** A file without a unit: whether its numbers make a believable size as millimetres. */
function unitFinding(part: DesignPart, format: DesignFormat): Finding {
  const size = sizeOf(part.summary.box);
  const asMm = readings(size, commonBed)[0];
  const shown = size.map((s) => Number(s.toPrecision(4))).join(' × ');
  if (asMm.likely === 2) {
    return {
      code: 'no-unit',
      severity: 'clear',
      count: 1,
      message: `${format} has no unit; read as millimetres it is ${shown} mm.`,
      remedy: 'Check the size once.',
    };
  }
  return {
    code: 'no-unit',
    severity: 'look',
    count: 1,
    message: `${format} has no unit; read as millimetres it is ${shown} mm, which is unlikely.`,
    remedy: 'Choose the unit on the Size step, or give one known length.',
  };
}
