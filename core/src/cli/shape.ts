import { store } from './store.ts';
import { mkdir } from 'node:fs/promises';
import { basename, dirname, extname, join } from 'node:path';
import { usualChoices } from '../model/choices.ts';
import type { Evidence } from '../prove/evidence.ts';
import { sha256 } from '../base/sha256.ts';
import { Unusable, worst, type Finding, type Severity } from '../base/finding.ts';
import type { ThreeMfPart } from '../formats/threemf/write.ts';
import { transformedDrawing } from '../curves/drawing.ts';
import { mendDrawing, safeMend as safeFlatMend } from '../curves/mend.ts';
import { raiseDrawing } from '../drawing/raise.ts';
import { sizeOf } from '../geometry/box.ts';
import { measureMesh, type Mesh } from '../geometry/mesh.ts';
import { identityRows } from '../geometry/rows.ts';
import { dividedIntoShells, together } from '../geometry/shells.ts';
import { combine, type BooleanKind } from '../mesh/join/booleans.ts';
import { nodeEngine } from '../engine/load.ts';
import { nodeKernels, workingKernel } from '../kernel/load.ts';
import { makeLighter } from '../mesh/lighter/lighter.ts';
import { mend, safeMend } from '../mesh/mend/mend.ts';
import { proveTogether, writeTogether, type TogetherFile } from '../pipeline/together.ts';
import { preparedMesh } from '../pipeline/write-part.ts';
import { firstRecipe, safeFileName, scaleOf } from '../recipe/recipe.ts';
import { placedMesh, receiveFile } from '../processes/receive.ts';
import { receiverOf, receivers, type Receiver } from '../receivers/receivers.ts';
import { printReport } from '../processes/print.ts';
import { shapeFindings } from '../mesh/soundness/gate.ts';
import { checkMesh } from '../mesh/soundness/check-mesh.ts';
import { stanceCandidates } from '../stance/candidates.ts';
import { placementOf, stand } from '../stance/stance.ts';
import type { Given } from './arguments.ts';
import { loadDesign, type Report } from './inspect.ts';

export interface Loaded {
  name: string;
  mesh: Mesh;
  colour: string | null;
  findings: Finding[];
}

/** Every part of a file as a mesh at every place where it stands, mm; exact solids as facets of the typed deviation. */
export async function meshesOf(file: string, given: Given & { places?: 'one' }): Promise<Loaded[]> {
  const design = await loadDesign(file, { ...usualChoices, up: given.up });
  const out: Loaded[] = [];
  for (const part of design.parts) {
    const recipe = firstRecipe(part.summary);
    recipe.size.reading = given.fromUnit;
    if (given.deviation !== null && given.command !== 'lighten') recipe.facets = { ...recipe.facets, deviation: given.deviation, angle: given.angle ?? 30 };
    const { mesh } = await preparedMesh(part.summary, part.geometry, recipe, workingKernel);
    for (const place of given.places === 'one' ? [identityRows] : (part.summary.places ?? [identityRows])) {
      out.push({ name: part.summary.name, mesh: placedMesh(mesh, place), colour: part.summary.colour, findings: part.findings });
    }
  }
  if (out.length === 0) throw new Unusable('no-parts', `"${file}" holds no part that this can be done with.`, 'See "tall-kite inspect" for what is in it.');
  return out;
}

/** Figures of a mesh for before and after. */
export function figuresOf(mesh: Mesh) {
  const { volume, area, box } = measureMesh(mesh);
  const { triangles, shells, openEdges, nonManifoldEdges, flippedEdges, degenerateTriangles, closed } = checkMesh(mesh, 0);
  return { triangles, shells, openEdges, nonManifoldEdges, flippedEdges, degenerateTriangles, closed, volume, area, box };
}

export function receiverFor(given: Given, format = given.format): Receiver {
  return given.receiver !== null ? receiverOf(given.receiver) : receivers.find((r) => r.formats.includes(format))!;
}

export interface Written {
  file: string;
  format: string;
  bytes: number;
  sha256: string;
  verdict: Severity;
  evidence: Evidence['claims'];
  findings: Finding[];
}

/** Writes meshes to a file and holds its bytes on the disk against them. */
export async function writeOut(file: string, parts: readonly ThreeMfPart[], given: Given): Promise<Written> {
  const as: TogetherFile = {
    format: given.format,
    encoding: given.ascii ? 'ascii' : 'binary',
    unit: given.unit,
    title: basename(file, extname(file)),
    quads: given.quads,
  };
  const receiver = receiverFor(given);
  await mkdir(dirname(file), { recursive: true });
  const bytes = await store(file, writeTogether(parts, as, receiver));
  const evidence = proveTogether(parts, as, await receiveFile(bytes, as.format, receiver, nodeKernels));
  return {
    file,
    format: as.format,
    bytes: bytes.length,
    sha256: sha256([bytes]),
    verdict: evidence.verdict,
    evidence: evidence.claims,
    findings: evidence.findings,
  };
}

export const part = (name: string, mesh: Mesh, colour: string | null = null): ThreeMfPart => ({ name, partNumber: null, colour, mesh, places: [identityRows] });

export function textOf(written: Written[]): string {
  return written
    .map((w) => `${w.verdict}: ${w.file} (${w.bytes} bytes)\n${w.findings.map((f) => `  ${f.severity}: ${f.message} ${f.remedy}\n`).join('')}`)
    .join('');
}

/** `mend`: what was done, before and after, what moved, what is left. */
export async function mendFile(given: Given): Promise<Report> {
  const loaded = await meshesOf(given.files[0], given);
  const mended = mend(
    together(loaded.map((l) => l.mesh)),
    { ...safeMend, weld: given.weld, holes: given.holes, widestHole: given.widest, crumbs: given.crumbs, largestOnly: given.largest, wrap: given.wrap },
    await nodeEngine(),
  )!;
  const { report } = mended;
  if (report.refused !== null && !given.evenSo) {
    throw new Unusable(
      'mending-destroys',
      report.left[0],
      `Remake its surface (tall-kite mend ${given.files[0]} --wrap CELL --out ${given.out}), or mend it where it was made.`,
    );
  }
  const written = await writeOut(given.out, [part(loaded[0].name, mended.mesh)], given);
  const left: Finding[] = report.left.map((message) => ({
    code: 'left-unmended',
    severity: 'stop',
    count: 1,
    message,
    remedy: 'Mend it in the program that made it, or choose other settings.',
  }));
  // A surface made anew is another one, however near: never clear by itself.
  const anew: Severity[] = report.steps.some((step) => step.code === 'wrap') ? ['look'] : [];
  const severities = [written.verdict, ...left.map((f) => f.severity), ...anew];
  return {
    json: {
      input: given.files[0],
      steps: report.steps,
      before: report.before,
      after: report.after,
      moved: report.moved,
      added: report.added,
      left: report.left,
      proposedWeld: report.proposedWeld,
      held: report.held,
      refused: report.refused,
      written: [written],
      verdict: worst(severities),
    },
    text: `${report.steps.map((s) => s.sentence).join('\n') || 'Nothing had to be mended.'}\nMoved at most ${report.moved.toPrecision(3)} mm; new surface up to ${report.added.toPrecision(3)} mm from the old.\n${report.left.map((l) => `left: ${l}\n`).join('')}${textOf([written])}`,
    severities,
  };
}

/** `join`, `subtract`, `common`. All parts of the first file are one operand; every other file is another. */
export async function combineFiles(kind: BooleanKind, given: Given): Promise<Report> {
  const engine = await nodeEngine();
  const operands: Mesh[] = [];
  const names: string[] = [];
  const told: string[] = [];
  for (const file of given.files) {
    const loaded = await meshesOf(file, given);
    names.push(...loaded.map((l) => l.name));
    // "join" takes every part for itself, so that what is in one file is joined too.
    if (kind === 'join') operands.push(...loaded.map((l) => l.mesh));
    else if (loaded.length === 1) operands.push(loaded[0].mesh);
    else {
      const united = combine(
        engine,
        'join',
        loaded.map((l) => l.mesh),
      );
      told.push(...united.told);
      operands.push(united.mesh);
    }
  }
  const made = combine(engine, kind, operands);
  const written = await writeOut(given.out, [part(safeFileName(names[0] ?? 'part'), made.mesh)], given);
  told.push(...made.told);
  const findings: Finding[] = told.map((message) => ({
    code: 'mended-before',
    severity: 'look',
    count: 1,
    message,
    remedy: 'Check the part there; mend it by itself to see what moved.',
  }));
  if (made.note !== null) {
    findings.push({
      code: 'several-pieces',
      severity: 'look',
      count: made.pieces,
      message: made.note,
      remedy: 'Move them into each other, or keep them as separate parts.',
    });
  }
  const severities = [written.verdict, ...findings.map((f) => f.severity)];
  return {
    json: {
      inputs: given.files,
      before: operands.map(figuresOf),
      after: figuresOf(made.mesh),
      pieces: made.pieces,
      findings,
      written: [written],
      verdict: worst(severities),
    },
    text: `${made.pieces} ${made.pieces === 1 ? 'piece' : 'pieces'}, ${measureMesh(made.mesh).volume.toFixed(3)} mm3\n${findings.map((f) => `${f.severity}: ${f.message}\n`).join('')}${textOf([written])}`,
    severities,
  };
}

/** `divide`: one file a shell. */
export async function divideFile(given: Given): Promise<Report> {
  const loaded = await meshesOf(given.files[0], given);
  const whole = together(loaded.map((l) => l.mesh));
  const shells = dividedIntoShells(whole);
  const base = safeFileName(basename(given.files[0], extname(given.files[0])));
  const written: Written[] = [];
  for (const [i, shell] of shells.entries()) {
    const file = join(given.out, `${base}_${String(i + 1).padStart(String(shells.length).length, '0')}_${given.unit}.${given.format}`);
    written.push(await writeOut(file, [part(`${base} ${i + 1}`, shell)], given));
  }
  const sum = shells.reduce((v, s) => v + measureMesh(s).volume, 0);
  const severities = written.map((w) => w.verdict);
  return {
    json: { input: given.files[0], before: figuresOf(whole), after: shells.map(figuresOf), volume: sum, written, verdict: worst(severities) },
    text: textOf(written),
    severities,
  };
}

/** `lighten`: fewer triangles, measured. */
export async function lightenFile(given: Given): Promise<Report> {
  const loaded = await meshesOf(given.files[0], given);
  const mesh = together(loaded.map((l) => l.mesh));
  const made = (await makeLighter(mesh, { triangles: given.triangles, deviation: given.deviation }))!;
  const written = await writeOut(given.out, [part(loaded[0].name, made.mesh)], given);
  const opened = made.closedBefore && !made.closedAfter;
  const severities: Severity[] = [written.verdict, opened ? 'stop' : 'clear'];
  return {
    json: {
      input: given.files[0],
      before: figuresOf(mesh),
      after: figuresOf(made.mesh),
      deviation: { measured: made.measured.largest, there: made.measured.there.largest, back: made.measured.back.largest, unit: 'mm' },
      written: [written],
      verdict: worst(severities),
    },
    text: `${made.before} to ${made.after} triangles; the surfaces are ${made.measured.largest.toPrecision(3)} mm apart at most.\n${textOf([written])}`,
    severities,
  };
}

/** `stances`: ranked, the best first. */
export async function stancesOf(given: Given): Promise<Report> {
  const loaded = await meshesOf(given.files[0], given);
  const receiver = receiverFor(given, 'stl');
  const list = (await stanceCandidates(together(loaded.map((l) => l.mesh)), receiver.overhang, await nodeEngine(), 12))!;
  const stances = list.map((s, i) => ({
    rank: i + 1,
    turn: s.turn,
    side: s.side,
    contact: s.contact,
    overhang: s.overhang,
    support: s.support,
    height: s.height,
    steady: s.steady,
    cost: s.cost,
  }));
  if (stances.length === 0) throw new Unusable('no-stance', 'The part rests on none of its faces.', 'Set it down by three points on the light table.');
  if (given.apply !== null) {
    const chosen = list[given.apply - 1];
    if (!chosen)
      throw new Unusable('no-such-stance', `There are ${list.length} stances; ${given.apply} is none of them.`, 'See "tall-kite stances" without --apply.');
    const whole = together(loaded.map((l) => l.mesh));
    const standing = stand(whole, placementOf({ turn: chosen.turn, drop: true, how: 'ranked' }, 1, whole.positions));
    const written = await writeOut(given.out, [part(loaded[0].name, standing, loaded[0].colour)], given);
    const said = `Stands on its ${chosen.side}: height ${chosen.height.toFixed(2)} mm, contact ${chosen.contact.toFixed(1)} mm2, support ${chosen.support.toFixed(0)} mm3.\n`;
    return {
      json: { input: given.files[0], receiver: receiver.id, applied: stances[given.apply - 1], written: [written], verdict: written.verdict },
      text: said + textOf([written]),
      severities: [written.verdict],
    };
  }
  return {
    json: { input: given.files[0], receiver: receiver.id, overhangLimit: receiver.overhang, stances },
    text: stances
      .map(
        (s) =>
          `${s.rank}. ${s.side}: support ${s.support.toFixed(0)} mm3, contact ${s.contact.toFixed(1)} mm2, overhang ${s.overhang.toFixed(1)} mm2, height ${s.height.toFixed(1)} mm\n`,
      )
      .join(''),
    severities: ['clear'],
  };
}

/** `slice`: what the stand-in printer makes of the file. */
export async function sliceFile(given: Given): Promise<Report> {
  const loaded = await meshesOf(given.files[0], given);
  const receiver = receiverFor(given, 'stl');
  const choice = {
    layer: given.layer ?? receiver.layer,
    bead: given.bead ?? receiver.bead,
    walls: Math.round(given.walls),
    infill: given.infill,
    overhang: receiver.overhang,
    support: true,
  };
  const whole = together(loaded.map((l) => l.mesh));
  const made = printReport(await nodeEngine(), whole, choice)!;
  const { layers } = made;
  const report = { ...made.report, findings: [...made.report.findings, ...shapeFindings(whole, { several: loaded.length > 1 })] };
  const areas = layers.map((l) => ({ z: l.z, area: l.area, contours: l.closed.length, open: l.closed.filter((c) => !c).length }));
  return {
    json: { input: given.files[0], receiver: receiver.id, choice, report, layers: areas },
    text: `${report.layers} layers of ${choice.layer} mm; ${report.slicedVolume.toFixed(1)} mm3 sliced, ${report.meshVolume.toFixed(1)} mm3 in the part; ${report.filamentMass.toFixed(1)} g, ${(report.filamentLength / 1000).toFixed(2)} m of filament, about ${report.minutes.toFixed(0)} min\n${report.findings.map((f) => `${f.severity}: ${f.message} ${f.remedy}\n`).join('')}`,
    severities: report.findings.map((f) => f.severity),
  };
}

/** `raise`: closed contours of a drawing to a solid. */
export async function raiseFile(given: Given): Promise<Report> {
  if (given.thickness === null) throw new Unusable('no-thickness', '"raise" needs a thickness.', 'Add --thickness MM.');
  const design = await loadDesign(given.files[0], { ...usualChoices, layersFrom: given.layersFrom });
  const part = design.parts.find((p) => p.geometry.kind === 'drawing');
  if (!part || part.geometry.kind !== 'drawing') throw new Unusable('no-drawing', `"${given.files[0]}" holds no drawing.`, 'Name a DXF or SVG file.');
  const recipe = firstRecipe(part.summary);
  recipe.size.reading = given.fromUnit;
  const scale = scaleOf(part.summary, recipe);
  const scaled = transformedDrawing(part.geometry.drawing, [scale, 0, 0, scale, 0, 0]);
  const drawing = given.joinGaps === null ? scaled : mendDrawing(scaled, { ...safeFlatMend, joinGaps: given.joinGaps }).drawing;
  const mesh = raiseDrawing(await nodeEngine(), drawing, given.thickness, given.deviation ?? 0.02);
  const written = await writeOut(given.out, [{ name: part.summary.name, partNumber: null, colour: null, mesh, places: [identityRows] }], given);
  const { volume, box } = measureMesh(mesh);
  return {
    json: { ...written, triangles: mesh.triangles.length / 3, volume, size: sizeOf(box) },
    text: textOf([written]),
    severities: [written.verdict],
  };
}
