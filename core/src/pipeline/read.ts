import type { TreeNode } from '../model/design.ts';
import { develop, partOfDeveloped } from '../develop/develop.ts';
import { looksLikeSizes, readSizes } from '../develop/sizes-file.ts';
import { noFaces } from '../formats/mesh-file.ts';
import { partOfDrawing } from '../drawing/part.ts';
import { readBrepText, type ExactSolid } from '../surfaces/brep-text.ts';
import { offOwnEdges } from '../surfaces/off-edges.ts';
import { sheetLike } from '../surfaces/sheetlike.ts';
import { tubeLike } from '../tubes/say.ts';
import { surveySolid } from '../surfaces/survey.ts';
import { sound, soundData } from '../base/sound.ts';
import { Unusable, type Finding } from '../base/finding.ts';
import { lossesAmong } from '../base/loss.ts';
import type { MeshFile, MeshFilePart } from '../formats/mesh-file.ts';
import { fitsLengthRule } from '../formats/stl/read.ts';
import { sizeOf } from '../geometry/box.ts';
import { measureMesh, type Mesh } from '../geometry/mesh.ts';
import { identityRows } from '../geometry/rows.ts';
import { openFacets } from '../kernel/facet-source.ts';
import { OpenSolid } from '../kernel/facets.ts';
import { type Kernel } from '../kernel/kernel.ts';
import { statedFindings } from './stated.ts';
import { nobodysName, type OpenSurface, type SolidPart } from '../model/opened.ts';
import { openExact } from '../formats/exact.ts';
import { commonBed, readings } from '../base/readings.ts';
import { checkMesh } from '../mesh/soundness/check-mesh.ts';
import { shapeFindings, shellsInWords } from '../mesh/soundness/gate.ts';
import { isPatch } from '../model/is-patch.ts';
import { openLengthOf } from '../geometry/edges.ts';
import { soundnessFindings } from '../mesh/soundness/findings.ts';
import type { Drawing } from '../curves/drawing.ts';
import { writingFinding } from '../curves/writing.ts';
import type { DrawingFile, ExactHeader, Format, ReadProgress } from '../formats/format.ts';
import { writingDrawn, type WritingWish } from '../text/marks.ts';
import { formats } from '../formats/registry.ts';
import { endings, openedInWords, sizesFormat } from './opened.ts';
import { usualChoices, type ReadChoices } from '../model/choices.ts';
import { branchesOf } from '../model/branches.ts';
import { rigidParts } from '../formats/rigid.ts';
import type { Design, DesignFormat, DesignPart, PartSummary } from '../model/design.ts';
import { looksYUp, turnToZUp } from '../geometry/up-axis.ts';

/** Largest file that is opened, bytes (said before an upload starts). */
export const mostBytes = 512 * 1024 * 1024;

/** The kernels a reader may ask for: one opens STEP and IGES, the other makes facets of open surfaces. */
export interface Kernels {
  opening: () => Promise<Kernel>;
  working: () => Promise<Kernel>;
  /** Told now and then while a file of many drawings is read. */
  progress?: ReadProgress;
}

/**
 * Reads a design from the bytes of a file. What kind it is comes from the bytes; an ending that says otherwise is a finding.
 * @param fileName only for its ending and for naming a part that has no name; never used as a path.
 * @param kernels are asked for when they are needed (STEP and IGES only).
 * @throws Unusable when nothing can be read.
 */
export async function readDesign(bytes: Uint8Array, fileName: string, kernels: Kernels, choices: ReadChoices = usualChoices): Promise<Design> {
  if (bytes.length === 0) {
    throw new Unusable('empty-file', 'The file is empty (0 bytes).', 'Export it again and check that the disk was not full.');
  }
  if (bytes.length > mostBytes) {
    throw new Unusable(
      'too-large',
      `The file has ${(bytes.length / 1e6).toFixed(0)} MB; at most ${mostBytes / 2 ** 20} MB are opened.`,
      'Export fewer parts at a time, or with a larger deviation.',
    );
  }
  bytes = plainText(bytes);
  const ending = /\.([A-Za-z0-9]+)$/.exec(fileName)?.[1].toLowerCase() ?? '';
  const said = endings[ending] ?? null;
  const really = (await formatByBytes(bytes)) ?? said;
  if (really === null) {
    if (isPostScript(bytes))
      throw new Unusable('postscript', 'This is PostScript (EPS), which is a program and no drawing; it is not read here.', 'Save it as PDF or SVG where it was made, and bring that in.'); // prettier-ignore
    throw new Unusable(
      'unknown-format',
      `Files ending in ".${ending || '(nothing)'}" are not read here, and these bytes are none of the formats that are.`,
      `Bring in ${openedInWords}; export one of them from the program that made the file.`,
    );
  }
  const design = await readAs(really, bytes, fileName, kernels, choices);
  if (really !== said) design.findings.unshift(otherEnding(ending, really));
  const lost = lossesAmong(design.findings);
  if (lost.length > 0) for (const part of design.parts) part.summary.lost = [...lost, ...(part.summary.lost ?? [])];
  if (choices.colour !== null) for (const part of design.parts) part.summary.colour ??= choices.colour;
  return withSoundWords(design);
}

/** Names and sentences that any store can keep; layers of drawings are named as their summaries name them. */
function withSoundWords({ parts, ...design }: Design): Design {
  for (const { geometry } of parts) if (geometry.kind === 'drawing') for (const layer of geometry.drawing.layers) layer.name = sound(layer.name);
  return { ...soundData(design), parts: parts.map((part) => ({ ...part, summary: soundData(part.summary), findings: soundData(part.findings) })) };
}

/** Text with a byte-order mark, or in UTF-16, as plain UTF-8; everything else as it came. Source: Unicode 15, 23.8. */
function plainText(bytes: Uint8Array): Uint8Array {
  const sixteen = bytes[0] === 0xff && bytes[1] === 0xfe ? 'utf-16le' : bytes[0] === 0xfe && bytes[1] === 0xff ? 'utf-16be' : null;
  if (sixteen !== null && !fitsLengthRule(bytes)) return new TextEncoder().encode(new TextDecoder(sixteen).decode(bytes));
  return bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf ? bytes.subarray(3) : bytes;
}

/** PostScript, plain or with a preview before it. Source: EPSF 3.0, 2 and 5. */
const isPostScript = (bytes: Uint8Array): boolean =>
  (bytes[0] === 0x25 && bytes[1] === 0x21) || (bytes[0] === 0xc5 && bytes[1] === 0xd0 && bytes[2] === 0xd3 && bytes[3] === 0xc6);

/** What the first bytes say, for the formats that can be told by them. */
export async function formatByBytes(bytes: Uint8Array): Promise<DesignFormat | null> {
  if (looksLikeSizes(bytes)) return sizesFormat;
  for (const format of formats) if ((await format.load()).looksLike?.(bytes)) return format.id;
  return null;
}

async function readAs(id: DesignFormat, bytes: Uint8Array, fileName: string, kernels: Kernels, choices: ReadChoices): Promise<Design> {
  if (id === sizesFormat) return sizesDesign(bytes, fileName);
  const format = formats.find((f) => f.id === id)!;
  const reader = await format.load();
  switch (reader.kind) {
    case 'solid':
      return exactDesign(format, reader.header(bytes), bytes, fileName, kernels, choices);
    case 'mesh':
      return meshDesign(format, reader.read(bytes), fileName, choices);
    case 'drawing':
      return drawingDesign(format, await reader.read(bytes, choices, kernels.progress), fileName, choices);
  }
}

function otherEnding(ending: string, really: string): Finding {
  return {
    code: 'other-ending',
    severity: 'look',
    count: 1,
    message: `The file ends in ".${ending}" but holds ${really}; it was read as ${really}.`,
    remedy: 'Nothing to do here; give the file its right ending so that other software opens it too.',
  };
}

/** So many places of one part are kept. */
const mostPlaces = 2000;

async function exactDesign({ id }: Format, header: ExactHeader, bytes: Uint8Array, fileName: string, kernels: Kernels, choices: ReadChoices): Promise<Design> {
  const { unit, uncertainty } = header;
  const opened = await openExact(id === 'IGES' ? 'IGES' : 'STEP', bytes, { opening: () => kernels.opening(), uncertainty, choices });
  const stated = statedFindings(
    header.stated ?? [],
    opened.parts.map((p) => ({ ...p, named: p.name })),
  );
  const base = fileName.replace(/\.[^.]*$/, '') || 'Part';
  const nameless = opened.parts.filter((part) => nobodysName.test(part.name));
  // The nearest name above it tells what it is; the file's own where there is none.
  const taken = new Map<string, number>();
  const above = nameless.map((part) => part.path.slice(0, -1).findLast((name) => !nobodysName.test(name)) ?? base);
  nameless.forEach((part, i) => {
    const many = above.filter((name) => name === above[i]).length > 1;
    const n = (taken.get(above[i]) ?? 0) + 1;
    taken.set(above[i], n);
    part.name = many ? `${above[i]} ${n}` : above[i];
  });
  for (const part of opened.parts) {
    part.path = [...part.path.slice(0, -1).filter((name) => !nobodysName.test(name)), part.name];
    part.above = part.above.map((names) => names.filter((name) => !nobodysName.test(name)));
  }
  const parts = opened.parts.map((part) => solidPartOf(part, unit, id, uncertainty));
  for (const [at, finding] of stated.of) parts[at].findings.push(finding);
  let broken = 0;
  for (const surface of opened.surfaces) {
    const part = await surfacePart(surface, unit, id, kernels);
    if (!part) {
      broken++;
      continue;
    }
    opened.tree.push({ name: surface.name, colour: null, parts: [parts.length], children: [] });
    parts.push(part);
  }
  const held = opened.meshes ?? [];
  const rigid = rigidParts(choices.meshes ? held.map(({ above, ...m }) => ({ ...m, above: above[0], aboveEach: above, partNumber: null })) : []);
  for (const part of rigid.parts) {
    opened.tree.push({ name: part.name ?? base, colour: part.colour, parts: [parts.length], children: [] });
    parts.push(meshPart(part, base, unit, id));
  }
  opened.findings.push(...tessellatedFindings(held.length, choices.meshes));
  if (broken > 0) {
    opened.findings.push({
      code: 'surfaces-unusable',
      severity: 'look',
      count: broken,
      message: `Left out: ${broken.toLocaleString('en')} surfaces whose numbers make no place in space.`,
      remedy: 'Export them again from the program that made them.',
    });
  }
  return { format: id, version: header.version, unit, tree: opened.tree, parts, findings: [...header.findings, ...stated.whole, ...opened.findings] };
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
async function surfacePart(surface: OpenSurface, unit: string | null, format: DesignFormat, kernels: Kernels): Promise<DesignPart | null> {
  const { deviation: usual, finest, coarsest } = surfaceFacets;
  const deviation = Math.min(Math.max(usual, finest * surface.span), coarsest * surface.span);
  const mesh = openFacets(surface.brep, deviation, surfaceFacets.angle) ?? (await facetsByKernel(surface.brep, deviation, kernels));
  if (mesh.triangles.length === 0 || !mesh.positions.every(Number.isFinite)) return null;
  const part = meshPart({ name: surface.name, above: [], partNumber: null, colour: null, mesh, places: [identityRows] }, surface.name, unit, format);
  part.summary.faces = surface.faces;
  return part;
}

async function facetsByKernel(brep: string, deviation: number, kernels: Kernels): Promise<Mesh> {
  const open = new OpenSolid(await kernels.working(), brep);
  try {
    const { positions, triangles } = open.facets(deviation, surfaceFacets.angle);
    return { positions, triangles };
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

function meshDesign({ id, saysUp }: Format, file: MeshFile, fileName: string, choices: ReadChoices): Design {
  const base = fileName.replace(/\.[^.]*$/, '') || 'Part';
  const findings = [...file.findings];
  // What is left of one whose places are no numbers may be nothing.
  const filled = file.parts.filter((p) => p.mesh.triangles.length > 0);
  if (filled.length < file.parts.length && !findings.some((f) => f.code === 'no-triangles')) findings.push(noFaces(true));
  const rigid = rigidParts(filled);
  let taken = rigid.parts;
  if (rigid.flattened > 0) {
    findings.push({
      code: 'placed-flat',
      severity: 'stop',
      count: rigid.flattened,
      message: `${rigid.flattened.toLocaleString('en')} places squeeze a part to nothing and were left out.`,
      remedy: 'Export the file again.',
    });
  }
  if (!choices.meshes && taken.length > 0) {
    findings.push({
      code: 'meshes-left-out',
      severity: 'look',
      count: taken.length,
      message: `${taken.length.toLocaleString('en')} meshes were left out, as chosen before reading.`,
      remedy: 'Bring the file in again with meshes taken.',
    });
    taken = [];
  }
  const yUp = choices.up === 'y' || (choices.up === 'find' && !saysUp && looksYUp(taken.map((p) => p.mesh)));
  if (yUp) {
    for (const part of taken) turnToZUp(part.mesh.positions);
    findings.push({
      code: 'y-up',
      severity: choices.up === 'y' ? 'clear' : 'look',
      count: 1,
      message: `The file was made with Y up; its parts were turned so that Z is up.`,
      remedy: 'If a part lies wrong now, bring the file in again with "Z is up" chosen.',
    });
  }
  const parts = taken.map((part, i) => meshPart(part, taken.length > 1 ? `${base} ${i + 1}` : base, file.unit, id));
  const broken = parts.filter((p) => p.findings.some((f) => f.severity === 'stop'));
  if (choices.bad === 'stop' && broken.length > 0) {
    throw new Unusable(
      'unsound-mesh',
      `"${broken[0].summary.name}" is not one closed solid, and nothing is read then, as chosen.`,
      'Choose to keep or leave out bad entities, and mend it on the Soundness step.',
    );
  }
  const kept = choices.bad === 'leave' ? parts.filter((p) => !broken.includes(p)) : parts;
  if (kept.length < parts.length) {
    findings.push({
      code: 'meshes-unsound',
      severity: 'look',
      count: broken.length,
      message: `Left out, as chosen: ${broken.length.toLocaleString('en')} meshes that are not closed.`,
      remedy: 'Bring the file in again and keep them; the Soundness step mends them.',
    });
  }
  if (file.unit === null) findings.push(...kept.slice(0, 1).map((part) => unitFinding(part, id)));
  return { format: id, version: file.version, unit: file.unit, tree: treeOf(kept), parts: kept, findings };
}

/** The tree of a mesh file: names above a part, then the part. */
function treeOf(parts: DesignPart[]): TreeNode[] {
  const roots: TreeNode[] = [];
  parts.forEach((part, i) => {
    let level = roots;
    for (const name of part.summary.path.slice(0, -1)) {
      let node = level.find((n) => n.name === name && n.parts.length === 0);
      if (!node) level.push((node = { name, colour: null, parts: [], children: [] }));
      level = node.children;
    }
    level.push({ name: part.summary.name, colour: part.summary.colour, parts: [i], children: [] });
  });
  return roots;
}

function meshPart(part: MeshFilePart, fallback: string, unit: string | null, format: DesignFormat): DesignPart {
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

async function drawingDesign(format: Format, file: DrawingFile, fileName: string, { writing = 'leave' }: ReadChoices): Promise<Design> {
  const name = fileName.replace(/\.[^.]*$/, '') || 'Drawing';
  const drawn = writing === 'leave' ? { drawing: file.drawing, findings: file.findings } : await withWriting(file, writing);
  const empty = drawn.drawing.layers.every((l) => l.contours.length === 0);
  if (empty) {
    const why = drawn.findings.find((f) => f.code === 'left-out' || f.code === 'texts')?.message ?? '';
    throw new Unusable(
      'nothing-drawn',
      `The file holds no contour that can be used. ${why}`.trim(),
      file.drawing.texts.length > 0
        ? 'Bring it in again with its texts drawn as outlines or single lines (--text on the command line).'
        : 'Check its layers, and turn pictures into paths where it was made.',
    );
  }
  const findings = [...drawn.findings];
  const about = { quantity: 1, unit: file.unit, format: format.id };
  // A page's number says nothing without its file.
  const nameIn = (own: string) => (own === '' ? name : format.id === 'PDF' ? `${name}, ${own}` : own);
  const parts = file.drawings
    ? file.drawings.map(({ name: own, drawing, findings: told }) =>
        withLoss(partOfDrawing(drawing, { ...about, name: nameIn(own), path: [nameIn(own)] }), told),
      )
    : [partOfDrawing(drawn.drawing, { ...about, name, path: [name] })];
  if (file.unit === null) findings.push(flatUnitFinding(parts[0], format, file.metric));
  return { format: format.id, version: file.version, unit: file.unit, tree: treeOf(parts), parts, findings, leftOut: file.leftOut };
}

/** Writing drawn by letters that stand in; what is told of it is told once. */
async function withWriting(file: DrawingFile, as: Exclude<WritingWish, 'leave'>): Promise<{ drawing: Drawing; findings: Finding[] }> {
  const { nodeLetters } = await import(/* turbopackIgnore: true */ '../text/node-files.ts');
  const { drawing, findings } = await writingDrawn(file.drawing, as, nodeLetters);
  return { drawing, findings: [...file.findings.filter((f) => f.code !== 'texts'), ...findings, ...writingFinding(drawing.texts)] };
}

/** A part with findings of its own, and what it lacks of what was asked for. */
function withLoss(part: DesignPart, findings: readonly Finding[]): DesignPart {
  part.findings.push(...findings);
  const lost = lossesAmong(findings);
  if (lost.length > 0) part.summary.lost = lost;
  return part;
}

/** A shape that is given by its sizes, developed. */
function sizesDesign(bytes: Uint8Array, fileName: string): Design {
  const choice = readSizes(bytes);
  const part = partOfDeveloped(choice, develop(choice), fileName.replace(/\.[^.]*$/, '') || undefined);
  part.summary.format = sizesFormat;
  return { format: sizesFormat, version: '1', unit: 'mm', tree: treeOf([part]), parts: [part], findings: [] };
}

/** A drawing without a unit: what it is taken for, and whether that makes a believable size. */
function flatUnitFinding(part: DesignPart, { bare }: Format, metric: boolean | null): Finding {
  const { unit: as, words, believed } = bare!;
  const size = sizeOf(part.summary.box);
  const reading = readings(size, [3000, 1500, 50], true).find((r) => r.unit === as)!;
  const shown = reading.size
    .slice(0, 2)
    .map((s) => Number(s.toPrecision(4)))
    .join(' × ');
  const hint = metric === false ? ' Its $MEASUREMENT says inches.' : '';
  const likely = reading.likely === 2 && metric !== false;
  return {
    code: 'no-unit',
    severity: likely && believed ? 'clear' : 'look',
    count: 1,
    message: `The file states no unit; read as ${words} it is ${shown} mm${likely ? '' : ', which is to be checked'}.${hint}`,
    remedy: 'Compare the readings on the Size step, or give one known length.',
  };
}

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
