import type { OperationPart } from './part.ts';
import type { Geometry, PartSummary } from 'tall-kite/model/design';
import { partOfMesh, solidPartOf } from 'tall-kite/pipeline/read';
import { Unusable } from 'tall-kite/base/finding';
import { measureMesh, type Mesh } from 'tall-kite/geometry/mesh';
import { identityRows, timesRows, type Rows } from 'tall-kite/geometry/rows';
import { dividedIntoShells } from 'tall-kite/geometry/shells';
import { combine, relation } from 'tall-kite/mesh/join/booleans';
import { cutByPlane } from 'tall-kite/mesh/join/cut';
import { nodeEngine } from 'tall-kite/engine/load';
import { mirrored } from 'tall-kite/mesh/join/move';
import { reliefSolid } from 'tall-kite/mesh/join/relief';
import { toolMesh } from 'tall-kite/mesh/join/tools';
import { SolidBuilder } from 'tall-kite/kernel/build';
import { openingKernel, workingKernel } from 'tall-kite/kernel/load';
import { openStep } from 'tall-kite/kernel/open-step';
import { heavinessOf, makeLighter } from 'tall-kite/mesh/lighter/lighter';
import { mend } from 'tall-kite/mesh/mend/mend';
import { nodeTools } from 'tall-kite/pipeline/node-tools';
import { withFindings } from 'tall-kite/prove/evidence';
import { lostOf } from 'tall-kite/base/loss';
import { bedFindings, makeTogether } from 'tall-kite/pipeline/one-file';
import type { TogetherFile } from 'tall-kite/pipeline/together';
import { rowsOnBed } from 'tall-kite/beds/layout';
import { sha256 } from 'tall-kite/base/sha256';
import { preparedMesh } from 'tall-kite/pipeline/write-part';
import { safeFileName, scaleOf } from 'tall-kite/recipe/recipe';
import { placedMesh } from 'tall-kite/processes/receive';
import { receiverOf } from 'tall-kite/receivers/receivers';
import { boxOf } from 'tall-kite/geometry/box';
import { fullFindings } from 'tall-kite/mesh/soundness/full-findings';
import { fullCheck } from 'tall-kite/mesh/soundness/full-check';
import { beadsOf, gapBetween, wallThickness } from 'tall-kite/mesh/soundness/thickness';
import { inPlace } from 'tall-kite/stance/stance';
import { stanceCandidates } from 'tall-kite/stance/candidates';
import { packPlaces } from 'tall-kite/view/places';
import type { Blobs } from '../storage/blobs.ts';
import { flatOperation } from './flat.ts';
import { flattenOperation } from './flatten.ts';
import { unpackGeometry } from 'tall-kite/model/pack';
import { keepIn, storePart } from './shapes.ts';
import type { MadePart, OperationReport, OperationRequest, OperationResult } from '../operations/requests.ts';

export interface OperateRequest {
  request: OperationRequest;
  parts: OperationPart[];
  /** [0] becomes 1 when the person gave up. */
  cancel: Int32Array;
}

type Progress = (share: number, what: string) => boolean;

/** Given up by the person: nothing is kept. */
export class Cancelled extends Unusable {
  constructor() {
    super('cancelled', 'Cancelled; nothing was changed.', 'Ask again when you like.');
  }
}

/** Computes what was asked for. New shapes go to the store; nothing else changes. */
export async function operate(blobs: Blobs, asked: OperateRequest, progress: Progress): Promise<OperationResult> {
  const result = await operated(blobs, asked, progress);
  // What reading left out of the sources is missing in what is made of them too.
  const lost = lostOf(asked.parts.map((p) => p.summary));
  return lost.length === 0 ? result : { ...result, made: result.made.map((m) => ({ ...m, summary: { ...m.summary, lost } })) };
}

async function operated(blobs: Blobs, { request, parts }: OperateRequest, progress: Progress): Promise<OperationResult> {
  const shapes = await Promise.all(parts.map((part) => shapeOf(blobs, part)));
  const [first] = parts;
  const report: OperationReport = { said: [] };
  const result = (made: MadePart[], inPlace: boolean, places: string | null = null): OperationResult => ({ report, made, inPlace, places });
  const store = (mesh: Mesh, part: OperationPart, name: string, said: string) =>
    storeMesh(blobs, mesh, { ...part.summary, name, made: [...(part.summary.made ?? []), said] });
  const own = async () => ownMesh(first, shapes[0]);
  switch (request.kind) {
    case 'check':
      return { report, made: [], inPlace: false, places: await check(blobs, first, await own(), request.thickness, report, progress) };
    case 'mend': {
      const scale = scaleOf(first.summary, first.recipe);
      const { choice } = request;
      const done = mend(
        await own(),
        {
          ...choice,
          weld: choice.weld === null ? null : choice.weld / scale,
          widestHole: choice.widestHole === null ? null : choice.widestHole / scale,
          wrap: choice.wrap === null ? null : choice.wrap / scale,
        },
        await nodeEngine(),
        progress,
      );
      if (!done) throw new Cancelled();
      const { proposedWeld } = done.report;
      report.mend = {
        ...done.report,
        moved: done.report.moved * scale,
        added: done.report.added * scale,
        proposedWeld: proposedWeld === null ? null : proposedWeld * scale,
      };
      report.said = done.report.steps.map((s) => s.sentence);
      return result(done.report.steps.length === 0 ? [] : [await store(done.mesh, first, first.summary.name, 'mended')], true);
    }
    case 'lighter': {
      const scale = scaleOf(first.summary, first.recipe);
      const done = await makeLighter(
        await own(),
        { triangles: request.triangles, deviation: request.deviation === null ? null : request.deviation / scale },
        progress,
      );
      if (!done) throw new Cancelled();
      const { measured } = done;
      report.lighter = {
        before: done.before,
        after: done.after,
        measured: measured.largest * scale,
        there: measured.there.largest * scale,
        back: measured.back.largest * scale,
      };
      report.said = [`${done.before.toLocaleString('en')} triangles became ${done.after.toLocaleString('en')}.`];
      if (done.closedBefore && !done.closedAfter)
        throw new Unusable('opened', 'The lighter mesh would not be closed any more, so it was not kept.', 'Ask for more triangles.');
      return result([await store(done.mesh, first, first.summary.name, 'made lighter')], true);
    }
    case 'join':
    case 'subtract':
    case 'common':
      return combined(blobs, request.kind, parts, shapes, report, progress);
    case 'body': {
      progress(0.2, 'cutting');
      const scale = scaleOf(first.summary, first.recipe);
      const mesh = await own();
      const engine = await nodeEngine();
      const body = request.as === 'boss' ? { ...request.body, normal: request.body.normal.map((v) => -v) as [number, number, number] } : request.body;
      const tool = toolMesh(engine, body);
      for (let i = 0; i < tool.positions.length; i++) tool.positions[i] /= scale;
      const made = combine(engine, request.as === 'hole' ? 'subtract' : 'join', [mesh, tool]);
      report.combine = {
        pieces: made.pieces,
        note: made.note,
        volumeBefore: measureMesh(mesh).volume * scale ** 3,
        volumeAfter: measureMesh(made.mesh).volume * scale ** 3,
        exact: false,
      };
      report.said = [`${request.as === 'hole' ? 'Took out' : 'Put on'} a ${request.body.kind}.`, ...made.told];
      return result([await store(made.mesh, first, first.summary.name, `${request.as} of a ${request.body.kind}`)], true);
    }
    case 'cut': {
      progress(0.2, 'cutting');
      const scale = scaleOf(first.summary, first.recipe);
      const { pegs } = request;
      const small = pegs && { ...pegs, diameter: pegs.diameter / scale, depth: pegs.depth / scale, clearance: pegs.clearance / scale };
      const halves = cutByPlane(await nodeEngine(), await own(), { ...request.plane, offset: request.plane.offset / scale }, small);
      report.cut = { area: halves.area * scale ** 2, pegs: halves.pegs.length };
      report.said = [`Cut ${pegs ? `with ${pegs.count} pegs` : 'flat'}; the cut is ${(halves.area * scale ** 2).toFixed(1)} mm².`];
      const made: MadePart[] = [];
      const alone = request.keep !== 'both';
      if (request.keep !== 'below') made.push(await store(halves.above!, first, alone ? first.summary.name : `${first.summary.name} upper`, 'cut by a plane'));
      if (request.keep !== 'above') made.push(await store(halves.below!, first, alone ? first.summary.name : `${first.summary.name} lower`, 'cut by a plane'));
      return result(made, alone);
    }
    case 'divide': {
      const shells = dividedIntoShells(await own());
      if (shells.length < 2)
        throw new Unusable('one-shell', 'The part is one shell, so there is nothing to divide.', 'Cut it by a plane if it is to be two parts.');
      if (shells.length > 200)
        throw new Unusable(
          'too-many-shells',
          `The part has ${shells.length.toLocaleString('en')} shells; at most 200 become parts.`,
          'Drop its crumbs first (Soundness).',
        );
      const made: MadePart[] = [];
      for (const [i, shell] of shells.entries()) {
        if (progress(i / shells.length, 'dividing')) throw new Cancelled();
        made.push(await store(shell, first, `${first.summary.name} ${i + 1}`, 'divided into shells'));
      }
      report.said = [`Divided into ${shells.length} shells.`];
      return result(made, false);
    }
    case 'relief': {
      const scale = scaleOf(first.summary, first.recipe);
      const { choice } = request;
      const small =
        choice.kind === 'thicken'
          ? { ...choice, thickness: choice.thickness / scale }
          : choice.kind === 'base'
            ? { ...choice, height: choice.height / scale }
            : { ...choice, height: choice.height / scale, margin: choice.margin / scale };
      const mesh = reliefSolid(await nodeEngine(), await own(), small);
      report.said = ['Made a solid of the surface.'];
      return result([await store(mesh, first, first.summary.name, 'made solid')], true);
    }
    case 'mirror': {
      const mesh = await own();
      const box = boxOf(mesh.positions);
      report.said = [`Mirrored across ${'XYZ'[request.axis]}.`];
      return result(
        [await store(mirrored(mesh, request.axis, (box.min[request.axis] + box.max[request.axis]) / 2), first, `${first.summary.name} (mirrored)`, 'mirrored')],
        true,
      );
    }
    case 'stances': {
      const { mesh } = await preparedMesh(first.summary, shapes[0], { ...first.recipe, stance: inPlace }, workingKernel);
      const found = await stanceCandidates(mesh, receiverOf(first.recipe.receiver).overhang, await nodeEngine(), 8, (s) => progress(s, 'standing it'));
      if (!found) throw new Cancelled();
      report.stances = found;
      return result([], false);
    }
    case 'clearance':
      return clearance(parts, shapes, report, progress);
    case 'flatten':
      return flattenOperation(blobs, request, first, shapes[0], report, (share, what) => {
        if (progress(share, what)) throw new Cancelled();
      });
    case 'draw':
    case 'clean':
    case 'node':
    case 'raise':
      return flatOperation(blobs, request, first, shapes[0], report, progress);
    case 'together':
    case 'bed':
      return fileOf(blobs, request, parts, shapes, report, progress);
  }
}

async function shapeOf(blobs: Blobs, part: OperationPart): Promise<Geometry> {
  return unpackGeometry(part.summary.kind, await blobs.read(part.geometry));
}

/** The part in its own coordinates as a mesh; an exact solid as the facets of its recipe. */
async function ownMesh(part: OperationPart, shape: Geometry): Promise<Mesh> {
  if (shape.kind === 'mesh') return shape.mesh;
  const { mesh } = await preparedMesh(part.summary, shape, { ...part.recipe, stance: inPlace, size: { ...part.recipe.size, factor: 1 } }, workingKernel);
  return mesh;
}

/** The part where it stands among the others, in mm. */
async function placedPart(part: OperationPart, shape: Geometry): Promise<Mesh> {
  const { mesh } = await preparedMesh(part.summary, shape, { ...part.recipe, stance: inPlace }, workingKernel);
  return placedMesh(mesh, part.place);
}

async function storeMesh(blobs: Blobs, mesh: Mesh, about: PartSummary): Promise<MadePart> {
  const { name, path, quantity, colour, unit, format, partNumber, places, made } = about;
  return storePart(blobs, partOfMesh(mesh, { name, path: [...path.slice(0, -1), name], quantity, colour, unit, format, partNumber, places, made }));
}

async function check(blobs: Blobs, part: OperationPart, mesh: Mesh, thick: boolean, report: OperationReport, progress: Progress): Promise<string> {
  const scale = scaleOf(part.summary, part.recipe);
  const receiver = receiverOf(part.recipe.receiver);
  const found = fullCheck(mesh, { crossings: true, progress: (s, w) => progress(s * (thick ? 0.5 : 1), w) });
  if (!found) throw new Cancelled();
  let thickness = null;
  let thin = new Uint32Array(0);
  if (thick && found.closed) {
    const walls = wallThickness(mesh, receiver.bead / scale, (s) => progress(0.5 + s / 2, 'measuring walls'));
    if (!walls) throw new Cancelled();
    thickness = { least: walls.least * scale, thinArea: walls.thinArea * scale ** 2, bead: receiver.bead, beads: beadsOf(walls.least * scale, receiver.bead) };
    thin = Uint32Array.from(Array.from(walls.of.keys()).filter((i) => walls.of[i] * scale < receiver.bead));
  }
  const heavy = { ...heavinessOf(mesh, part.recipe.facets.deviation / scale), deviation: part.recipe.facets.deviation };
  const { where, ...counts } = found;
  report.check = {
    ...counts,
    openEdgeVertices: undefined,
    holes: counts.holes.slice(0, 100),
    roles: counts.roles.slice(0, 200),
    heavy,
    thickness,
    findings: fullFindings(found, { scale, heavy: heavy.times, deviation: heavy.deviation, thickness, receiver }),
  };
  const stored = await blobs.put([packPlaces(mesh, where, thin)]);
  return stored.sha256;
}

async function combined(
  blobs: Blobs,
  kind: 'join' | 'subtract' | 'common',
  parts: OperationPart[],
  shapes: Geometry[],
  report: OperationReport,
  progress: Progress,
): Promise<OperationResult> {
  const [first] = parts;
  const words = { join: 'joined', subtract: 'less the others', common: 'what they share' };
  const name = kind === 'join' ? parts.map((p) => p.summary.name).slice(0, 3).join(' + ') : first.summary.name; // prettier-ignore
  const about = {
    name: name.slice(0, 120),
    path: [name.slice(0, 120)],
    quantity: 1,
    colour: first.summary.colour,
    unit: 'mm',
    format: 'made here',
    places: [identityRows],
    made: [`${words[kind]}: ${parts.map((p) => p.summary.name).join(', ')}`.slice(0, 300)],
  };
  progress(0.1, 'fetching parts');
  if (shapes.every((s) => s.kind === 'solid')) {
    // All exact: the kernel does it, and the result stays exact.
    const b = new SolidBuilder(await workingKernel());
    const solids = parts.map((part, i) => {
      const shape = b.fromBrep((shapes[i] as { brep: string }).brep);
      const f = part.recipe.size.factor;
      return b.placed(shape, timesRows(part.place, [f, 0, 0, 0, 0, f, 0, 0, 0, 0, f, 0]));
    });
    progress(0.4, 'combining');
    const [a, ...others] = solids;
    const shape = kind === 'subtract' ? b.cut(a, ...others) : others.reduce((left, s) => (kind === 'join' ? b.joined(left, s) : b.common(left, s)), a);
    const opened = openStep(await openingKernel(), b.step(about.name, [{ name: about.name, colour: about.colour ?? '#b0b0b0', shape, places: [[0, 0, 0]] }]));
    if (opened.parts.length === 0)
      throw new Unusable(
        'nothing-left',
        kind === 'common' ? 'The parts have nothing in common.' : 'Nothing is left of the part.',
        'Look at where the parts stand to each other.',
      );
    const made: MadePart[] = [];
    for (const [i, part] of opened.parts.entries()) {
      const whole = solidPartOf(
        {
          ...part,
          name: opened.parts.length > 1 ? `${about.name} ${i + 1}` : about.name,
          path: [about.name],
          colour: about.colour,
          quantity: 1,
          places: [identityRows],
        },
        'mm',
        'made here',
      );
      whole.summary.made = about.made;
      made.push(await storePart(blobs, whole));
    }
    const pieces = opened.parts.length;
    report.combine = {
      pieces,
      note:
        pieces > 1 && kind === 'join' ? `They stay ${pieces} pieces: they only touch in a line or lie apart. Let them run into each other by a little.` : null,
      volumeBefore: parts.reduce((n, p) => n + p.summary.volume * p.recipe.size.factor ** 3, 0),
      volumeAfter: opened.parts.reduce((n, p) => n + p.volume, 0),
      exact: true,
    };
    report.said = [`${parts.length} parts ${words[kind]}, exact surfaces kept.`];
    return { report, made, inPlace: false, places: null };
  }
  const meshes: Mesh[] = [];
  for (const [i, part] of parts.entries()) meshes.push(await placedPart(part, shapes[i]));
  if (progress(0.4, 'combining')) throw new Cancelled();
  const done = combine(await nodeEngine(), kind, meshes);
  report.combine = {
    pieces: done.pieces,
    note: done.note,
    volumeBefore: meshes.reduce((n, m) => n + measureMesh(m).volume, 0),
    volumeAfter: measureMesh(done.mesh).volume,
    exact: false,
  };
  report.said = [`${parts.length} parts ${words[kind]}, as a mesh.`, ...done.told];
  const part = partOfMesh(done.mesh, about);
  return { report, made: [await storePart(blobs, part)], inPlace: false, places: null };
}

async function clearance(parts: OperationPart[], shapes: Geometry[], report: OperationReport, progress: Progress): Promise<OperationResult> {
  const engine = await nodeEngine();
  const limit = receiverOf(parts[0].recipe.receiver).clearance;
  const meshes: Mesh[] = [];
  for (const [i, part] of parts.entries()) meshes.push(await placedPart(part, shapes[i]));
  const pairs: NonNullable<OperationReport['clearance']>['pairs'] = [];
  for (let i = 0; i < meshes.length; i++) {
    for (let j = 0; j < i; j++) {
      if (progress(pairs.length / ((meshes.length * (meshes.length - 1)) / 2), 'measuring gaps')) throw new Cancelled();
      const how = relation(engine, meshes[j], meshes[i]);
      const gap = gapBetween(meshes[j], meshes[i], limit);
      pairs.push({ a: parts[j].summary.name, b: parts[i].summary.name, how: how.how, gap: how.gap, shared: how.shared, tightArea: gap.tightArea });
    }
  }
  report.clearance = { pairs, clearance: limit };
  return { report, made: [], inPlace: false, places: null };
}

/** Several parts as one file, proved from its own bytes. */
async function fileOf(
  blobs: Blobs,
  request: Extract<OperationRequest, { kind: 'together' | 'bed' }>,
  parts: OperationPart[],
  shapes: Geometry[],
  report: OperationReport,
  progress: Progress,
): Promise<OperationResult> {
  const receiver = receiverOf(request.receiver);
  const list = [];
  let along = 0;
  for (const [i, part] of parts.entries()) {
    if (progress((0.7 * i) / parts.length, 'making facets')) throw new Cancelled();
    const assembled = request.kind === 'together' && request.placing === 'assembly';
    const recipe = { ...part.recipe, receiver: receiver.id, stance: assembled ? inPlace : { ...part.recipe.stance, drop: true } };
    const { mesh } = await preparedMesh(part.summary, shapes[i], recipe, workingKernel);
    let places: Rows[];
    if (request.kind === 'bed') places = request.laid.filter((l) => l.id === part.id).map((l) => rowsOnBed(l.turn, l.x, l.y));
    else if (assembled) places = [part.place, ...(part.summary.places ?? []).slice(1)];
    else {
      // Set down in a row along X, a spacing apart, as many as are wanted.
      const box = boxOf(mesh.positions);
      places = Array.from({ length: part.summary.quantity }, () => {
        const at: Rows = [1, 0, 0, along - box.min[0], 0, 1, 0, -box.min[1], 0, 0, 1, 0];
        along += box.max[0] - box.min[0] + receiver.spacing;
        return at;
      });
    }
    list.push({ name: part.summary.name, partNumber: part.summary.partNumber ?? null, colour: part.summary.colour, mesh, places, lost: part.summary.lost });
  }
  const as: TogetherFile = {
    format: request.kind === 'bed' ? (receiver.formats.includes('3mf') ? '3mf' : 'stl') : request.format,
    encoding: 'binary',
    unit: request.unit,
    title: request.name,
    quads: false,
  };
  progress(0.75, 'writing and reading it back');
  const fileName = `${safeFileName(`${request.name}_${request.unit}`)}.${as.format}`;
  const made = await makeTogether(list, as, receiver, fileName, nodeTools, keepIn(blobs));
  const evidence = request.kind === 'bed' ? withFindings(made.evidence, bedFindings(list, receiver.bed)) : made.evidence;
  report.file = { fileName, sha256: sha256([made.bytes]), bytes: made.bytes.length, evidence };
  report.said = [`Wrote ${list.reduce((n, p) => n + p.places.length, 0)} parts to one file.`];
  return { report, made: [], inPlace: false, places: null };
}
