import { store } from './store.ts';
import { mkdir, writeFile } from 'node:fs/promises';
import { basename, dirname, extname, join } from 'node:path';
import { clashes, layOut, rowsOnBed, type LayItem } from '../beds/layout.ts';
import { usualChoices } from '../model/choices.ts';
import { Unusable, worst, type Finding, type Severity } from '../base/finding.ts';
import { plyFile } from '../formats/ply/write.ts';
import { boxOf, sizeOf } from '../geometry/box.ts';
import { buildBvh } from '../geometry/bvh.ts';
import { hull2 } from '../geometry/hull.ts';
import { measureMesh, type Mesh } from '../geometry/mesh.ts';
import { placed } from '../geometry/placement.ts';
import { identityRows, type Rows } from '../geometry/rows.ts';
import { together } from '../geometry/shells.ts';
import { combine } from '../mesh/join/booleans.ts';
import { cutByPlane } from '../mesh/join/cut.ts';
import { hollowed } from '../mesh/join/hollow.ts';
import { nodeEngine } from '../engine/load.ts';
import { factorForSize, mirrored, turnedAbout } from '../mesh/join/move.ts';
import { reliefSolid, type ReliefChoice } from '../mesh/join/relief.ts';
import { toolMesh } from '../mesh/join/tools.ts';
import { heavinessOf } from '../mesh/lighter/lighter.ts';
import { distancesOf, twoSidedDistance } from '../mesh/lighter/distance.ts';
import { nodeKernels, workingKernel } from '../kernel/load.ts';
import { assembled, assembledIges } from '../pipeline/assembly.ts';
import { bedFindings } from '../pipeline/one-file.ts';
import { safeFileName } from '../recipe/recipe.ts';
import { factorFor } from '../base/readings.ts';
import { fullCheck } from '../mesh/soundness/full-check.ts';
import { fullFindings } from '../mesh/soundness/full-findings.ts';
import { beadsOf, wallThickness } from '../mesh/soundness/thickness.ts';
import type { Given } from './arguments.ts';
import { loadDesign, type Report } from './inspect.ts';
import { settled, settledText } from './settle.ts';
import { figuresOf, meshesOf, part, receiverFor, textOf, writeOut, type Written } from './shape.ts';

const mm = (v: number) => `${Number(v.toPrecision(6))} mm`;

/** What every command that writes one file says. */
function reportOf(given: Given, json: object, said: string[], written: Written[], findings: Finding[] = []): Report {
  const severities: Severity[] = [...written.map((w) => w.verdict), ...findings.map((f) => f.severity)];
  return {
    json: { input: given.files[0], ...json, findings, written, verdict: worst(severities) },
    text: `${said.map((s) => `${s}\n`).join('')}${findings.map((f) => `${f.severity}: ${f.message} ${f.remedy}\n`).join('')}${textOf(written)}`,
    severities,
  };
}

/** `place`: scaled, mirrored, turned, centred, moved and set down, in this order, whatever the order in which it was typed. */
export async function placeFile(given: Given): Promise<Report> {
  const loaded = await meshesOf(given.files[0], given);
  const { scale, knownLength, mirrored: across, turns, centre, move, drop } = given.placing;
  let mesh = together(loaded.map((l) => l.mesh));
  const before = sizeOf(boxOf(mesh.positions));
  const said: string[] = [];
  let factor = scale ?? 1;
  if (knownLength !== null) factor = factorForSize(boxOf(mesh.positions), knownLength.axis, knownLength.length);
  const apply = (rows: Rows) => {
    const m = [0, 1, 2].flatMap((r) => rows.slice(r * 4, r * 4 + 3));
    mesh = { positions: placed(mesh.positions, { rows: Float64Array.from(m), shift: [rows[3], rows[7], rows[11]] }), triangles: mesh.triangles };
  };
  if (factor !== 1) {
    apply([factor, 0, 0, 0, 0, factor, 0, 0, 0, 0, factor, 0]);
    const name = factorName(factor);
    said.push(`Scaled by ${Number(factor.toPrecision(9))}${name ? ` (${name})` : ''}.`);
  }
  if (across !== null) {
    mesh = mirrored(mesh, across, 0);
    said.push(`Mirrored across ${'XYZ'[across]}.`);
  }
  for (const { axis, degrees } of turns) {
    apply(turnedAbout(identityRows, axis, degrees, [0, 0, 0]));
    said.push(`Turned ${degrees} degrees about ${'XYZ'[axis]}.`);
  }
  const shift = (by: readonly number[]) => apply([1, 0, 0, by[0], 0, 1, 0, by[1], 0, 0, 1, by[2]]);
  if (centre) {
    const { min, max } = boxOf(mesh.positions);
    shift([0, 1, 2].map((k) => -(min[k] + max[k]) / 2));
    said.push('Centred at zero.');
  }
  if (move !== null) {
    shift(move);
    said.push(`Moved by ${move.join(', ')} mm.`);
  }
  if (drop) {
    shift([0, 0, -boxOf(mesh.positions).min[2]]);
    said.push('Set down at Z 0.');
  }
  if (said.length === 0)
    throw new Unusable('nothing-to-do', '"place" was told nothing to do.', 'Add --move, --turn, --scale, --known-length, --mirrored, --centre or --drop.');
  const written = await writeOut(given.out, [part(loaded[0].name, mesh, loaded[0].colour)], given);
  const after = boxOf(mesh.positions);
  said.push(`${before.map(mm).join(' x ')} became ${sizeOf(after).map(mm).join(' x ')}.`);
  return reportOf(given, { factor, factorName: factorName(factor), before, size: sizeOf(after), box: after, steps: said }, said, [written]);
}

/** What units a factor explains, when they do: the part was read in another unit than it was made in. */
const factorName = (factor: number): string | null => (factor === 1 ? null : factorFor(1, factor).name);

/** `relief`: an open surface becomes a solid. */
export async function reliefFile(given: Given): Promise<Report> {
  const loaded = await meshesOf(given.files[0], given);
  const { thicken, base, margin } = given.shaping;
  if ((thicken === null) === (base === null)) {
    throw new Unusable(
      'which-relief',
      '"relief" needs --thicken or --base.',
      'For instance: --base -5 for a flat base at Z -5 mm; add --margin 10 for a block.',
    );
  }
  const choice: ReliefChoice =
    thicken !== null ? { kind: 'thicken', thickness: thicken } : margin !== null ? { kind: 'block', margin, height: base! } : { kind: 'base', height: base! };
  const mesh = reliefSolid(await nodeEngine(), together(loaded.map((l) => l.mesh)), choice);
  const written = await writeOut(given.out, [part(loaded[0].name, mesh, loaded[0].colour)], given);
  const { volume, box } = measureMesh(mesh);
  const said = [`${sizeOf(box).map(mm).join(' x ')}, ${volume.toFixed(1)} mm3, closed.`];
  return reportOf(given, { choice, volume, size: sizeOf(box) }, said, [written]);
}

/** `hollow`: a closed solid with a hollow inside, its wall measured. */
export async function hollowFile(given: Given): Promise<Report> {
  if (given.shaping.wall === null) throw new Unusable('no-wall', '"hollow" needs a wall thickness.', 'Add --wall MM.');
  const loaded = await meshesOf(given.files[0], given);
  const whole = together(loaded.map((l) => l.mesh));
  const made = hollowed(await nodeEngine(), whole, { wall: given.shaping.wall, cell: given.wrap, drain: given.shaping.drain, drains: given.shaping.drains })!;
  const written = await writeOut(given.out, [part(loaded[0].name, made.mesh, loaded[0].colour)], given);
  const [before, after] = [measureMesh(whole).volume, measureMesh(made.mesh).volume];
  const said = [
    `Hollow of ${made.hollow.toFixed(1)} mm3; the wall is ${made.thinnest.toPrecision(4)} to ${made.thickest.toPrecision(4)} mm thick where it was measured.`,
    `${before.toFixed(1)} mm3 became ${after.toFixed(1)} mm3${made.drains.length > 0 ? `, with ${made.drains.length} drain ${made.drains.length === 1 ? 'hole' : 'holes'}` : ''}.`,
  ];
  const findings: Finding[] =
    made.drains.length > 0
      ? []
      : [
          {
            code: 'no-drain',
            severity: 'look',
            count: 1,
            message: 'The hollow is closed: resin or powder stays in it.',
            remedy: 'Add --drain DIAMETER for a hole to it; right for filament.',
          },
        ];
  return reportOf(given, { ...made, mesh: undefined, before, after }, said, [written], findings);
}

/** `cut`: two halves by a plane, flat or with pegs; one file each. */
export async function cutFile(given: Given): Promise<Report> {
  const { plane, pegs, keep } = given.shaping;
  if (plane === null) throw new Unusable('no-plane', '"cut" needs a plane.', 'Add --plane z=12.5, or --plane 1,0,1=20 for a direction and how far along it.');
  const loaded = await meshesOf(given.files[0], given);
  const halves = cutByPlane(await nodeEngine(), together(loaded.map((l) => l.mesh)), plane, pegs);
  const base = safeFileName(basename(given.files[0], extname(given.files[0])));
  const written: Written[] = [];
  const volumes: Record<string, number> = {};
  for (const side of ['above', 'below'] as const) {
    const mesh = halves[side];
    if (!mesh || (keep !== 'both' && keep !== side)) continue;
    volumes[side] = measureMesh(mesh).volume;
    written.push(await writeOut(join(given.out, `${base}_${side}_${given.unit}.${given.format}`), [part(`${base} ${side}`, mesh, loaded[0].colour)], given));
  }
  return reportOf(
    given,
    { area: halves.area, pegs: halves.pegs, volumes },
    [`The cut is ${halves.area.toFixed(2)} mm2${pegs ? `, with ${halves.pegs.length} pegs` : ''}.`],
    written,
  );
}

/** `drill`: a round hole (or with --boss a pin) of a typed size. */
export async function drillFile(given: Given): Promise<Report> {
  const { at, axis, diameter, depth, boss } = given.shaping;
  if (at === null || diameter === null || depth === null) {
    throw new Unusable('which-hole', '"drill" needs --at, --diameter and --depth.', 'For instance: --at 10,20,5 --axis -z --diameter 4 --depth 12');
  }
  const loaded = await meshesOf(given.files[0], given);
  const engine = await nodeEngine();
  const whole = together(loaded.map((l) => l.mesh));
  const length = Math.hypot(...axis);
  // The body reaches from the point along the axis: into the part for a hole.
  const normal = axis.map((v) => -v / length) as [number, number, number];
  const tool = toolMesh(engine, { kind: 'cylinder', at, normal, diameter, depth });
  const made = combine(engine, boss ? 'join' : 'subtract', [whole, tool]);
  const [before, after] = [measureMesh(whole).volume, measureMesh(made.mesh).volume];
  if (Math.abs(before - after) < 1e-9 * Math.abs(before)) {
    throw new Unusable(
      'misses',
      `The ${boss ? 'pin lies wholly in' : 'hole misses'} the part: nothing would change.`,
      'Check --at and --axis against "tall-kite inspect".',
    );
  }
  const written = await writeOut(given.out, [part(loaded[0].name, made.mesh, loaded[0].colour)], given);
  const said = [
    ...made.told,
    `${boss ? 'Put on' : 'Took out'} ${Math.abs(before - after).toFixed(3)} mm3; ${made.pieces} ${made.pieces === 1 ? 'piece' : 'pieces'}.`,
  ];
  return reportOf(given, { before, after, pieces: made.pieces }, said, [written]);
}

/** `check`: all that is known of a mesh's soundness, walls too. */
export async function checkFile(given: Given): Promise<Report> {
  const loaded = await meshesOf(given.files[0], { ...given, places: 'one' });
  const receiver = receiverFor(given, 'stl');
  const bead = given.bead ?? receiver.bead;
  const parts = [];
  const severities: Severity[] = [];
  let text = '';
  for (const { name, mesh, findings: read } of loaded) {
    const found = fullCheck(mesh)!;
    const walls = found.closed ? wallThickness(mesh, bead)! : null;
    const thickness = walls && { least: walls.least, thinArea: walls.thinArea, bead, beads: beadsOf(walls.least, bead) };
    const deviation = given.deviation ?? 0.05;
    const heavy = heavinessOf(mesh, deviation).times;
    const seen = new Set([
      'open-edges',
      'non-manifold-edges',
      'flipped-triangles',
      'degenerate-triangles',
      'several-shells',
      'inside-out',
      'self-intersections',
      'shells-overlap',
      'shell-inside-out',
      'wall-in-solid',
    ]);
    const findings = [...fullFindings(found, { scale: 1, heavy, deviation, thickness, receiver }), ...read.filter((f) => !seen.has(f.code))];
    const { where: _, openEdgeVertices: __, measures, ...counts } = found;
    parts.push({
      name,
      ...counts,
      box: measures.box,
      area: measures.area,
      volume: found.closed && found.selfIntersections === 0 ? measures.volume : null,
      thickness,
      findings,
    });
    severities.push(worst(findings.map((f) => f.severity)));
    text += `${name}: ${found.triangles} triangles, ${!found.closed ? 'not closed' : found.selfIntersections > 0 ? 'closed, through itself' : `closed, ${measures.volume.toFixed(3)} mm3`}, ${found.roles.map((r) => r.role).join(', ') || 'no shell'}`;
    text += `${walls && Number.isFinite(walls.least) ? `, thinnest wall ${walls.least.toPrecision(4)} mm` : ''}\n`;
    for (const f of findings) text += `  ${f.severity}: ${f.message} ${f.remedy}\n`;
  }
  return { json: { input: given.files[0], receiver: receiver.id, parts, verdict: worst(severities) }, text, severities };
}

/** `compare`: how far the surfaces of two files are apart, both ways; with --out a mesh coloured by distance. */
export async function compareFiles(given: Given): Promise<Report> {
  const [a, b] = [await meshesOf(given.files[0], given), await meshesOf(given.files[1], given)].map((list) => together(list.map((l) => l.mesh)));
  const { there, back, largest } = twoSidedDistance(a, b);
  const distances = distancesOf(a, buildBvh(b));
  let sum = 0;
  for (const d of distances) sum += d * d;
  const rms = Math.sqrt(sum / Math.max(1, distances.length));
  const [before, after] = [figuresOf(a), figuresOf(b)];
  const limit = given.deviation;
  const severity: Severity = limit !== null && largest > limit ? 'stop' : 'clear';
  const said = [
    `From the first to the second at most ${there.largest.toPrecision(4)} mm (at X ${there.at.map((v) => v.toFixed(3)).join(', ')}), back at most ${back.largest.toPrecision(4)} mm (at ${back.at.map((v) => v.toFixed(3)).join(', ')}); root mean square at corners ${rms.toPrecision(4)} mm.`,
    `Volume ${before.closed && after.closed ? `${before.volume.toFixed(3)} and ${after.volume.toFixed(3)} mm3` : 'not compared: not both are closed'}; area ${before.area.toFixed(3)} and ${after.area.toFixed(3)} mm2.`,
  ];
  let coloured: string | null = null;
  if (given.out !== '.') {
    const most = limit ?? (largest || 1);
    const colours = new Uint8Array(a.positions.length);
    distances.forEach((d, v) => colours.set(heat(d / most), v * 3));
    const file = given.out;
    await mkdir(dirname(file), { recursive: true });
    const pieces = [...plyFile(a, 1, 'mm', 'binary', { colours })];
    await writeFile(file, Buffer.concat(pieces));
    coloured = file;
    said.push(`${file}: the first, blue where both agree, red at ${most.toPrecision(3)} mm and more.`);
  }
  if (severity === 'stop') said.push(`stop: farther apart than the ${limit} mm that were asked for.`);
  return {
    json: { inputs: given.files, largest, there, back, rms, before, after, coloured, limit, verdict: severity, unit: 'mm' },
    text: `${said.join('\n')}\n`,
    severities: [severity],
  };
}

/** Blue over white to red, 0 to 1. */
function heat(share: number): [number, number, number] {
  const s = Math.min(1, Math.max(0, share));
  const mix = (a: number, b: number, k: number) => Math.round(a + (b - a) * k);
  return s < 0.5
    ? [mix(40, 245, s * 2), mix(90, 245, s * 2), mix(200, 245, s * 2)]
    : [mix(245, 200, s * 2 - 1), mix(245, 30, s * 2 - 1), mix(245, 40, s * 2 - 1)];
}

/** `layout`: parts laid on as many beds as they need; one file a bed. */
export async function layoutFiles(given: Given): Promise<Report> {
  const receiver = receiverFor(given, 'stl');
  const size = {
    width: receiver.bed[0],
    length: receiver.bed[1],
    height: receiver.bed[2],
    spacing: given.beds.spacing ?? receiver.spacing,
    margin: given.beds.margin ?? 0,
  };
  const items: (LayItem & { mesh: Mesh; colour: string | null })[] = [];
  for (const file of given.files) {
    const design = await loadDesign(file, { ...usualChoices, up: given.up });
    const loaded = await meshesOf(file, { ...given, places: 'one' });
    loaded.forEach(({ name, mesh, colour }, i) => {
      const box = boxOf(mesh.positions);
      const standing: Mesh = { positions: mesh.positions.map((v, k) => (k % 3 === 2 ? v - box.min[2] : v)), triangles: mesh.triangles };
      const points: [number, number][] = [];
      for (let v = 0; v < standing.positions.length; v += 3) points.push([standing.positions[v], standing.positions[v + 1]]);
      const copies = (design.parts[i]?.summary.quantity ?? 1) * given.beds.copies;
      items.push({ id: String(items.length), name, outline: hull2(points), height: box.max[2] - box.min[2], copies, mesh: standing, colour });
    });
  }
  const laid = layOut(items, size);
  if (laid.laid.length === 0) {
    const why = laid.misfits
      .map((m) => `${m.name} is ${m.over.toFixed(1)} mm too ${m.along === 'height' ? 'high' : m.along === 'length' ? 'long' : 'wide'}`)
      .join('; ');
    throw new Unusable(
      'fits-no-bed',
      `No part fits the bed of ${receiver.name} (${receiver.bed.join(' x ')} mm): ${why}.`,
      'Cut them (tall-kite cut), or choose another receiver.',
    );
  }
  await mkdir(given.out, { recursive: true });
  const written: Written[] = [];
  const findings: Finding[] = laid.misfits.map((m) => ({
    code: 'fits-no-bed',
    severity: 'stop' as const,
    count: 1,
    message: `${m.name} fits no bed of ${receiver.name}: ${m.over.toFixed(1)} mm over in ${m.along}.`,
    remedy: 'Turn it on its side, cut it, or choose another receiver.',
  }));
  const { pairs, off } = clashes(items, laid.laid, size);
  if (pairs.length + off.length > 0)
    findings.push({
      code: 'clash',
      severity: 'stop',
      count: pairs.length + off.length,
      message: `${pairs.length + off.length} places clash.`,
      remedy: 'Type a smaller spacing.',
    });
  for (let bed = 0; bed < laid.beds; bed++) {
    const list = items
      .map((item) => ({
        ...part(item.name, item.mesh, item.colour),
        places: laid.laid.filter((l) => l.bed === bed && l.id === item.id).map((l) => rowsOnBed(l.turn, l.x, l.y)),
      }))
      .filter((p) => p.places.length > 0);
    findings.push(...bedFindings(list, receiver.bed));
    written.push(await writeOut(join(given.out, `bed_${bed + 1}_of_${laid.beds}_${given.unit}.${given.format}`), list, given));
  }
  const said = [
    `${laid.laid.length} parts on ${laid.beds} ${laid.beds === 1 ? 'bed' : 'beds'} of ${receiver.name} (${size.width} x ${size.length} mm), filled ${laid.filled.map((f) => `${Math.round(f * 100)} %`).join(', ')}.`,
  ];
  return reportOf(
    given,
    { receiver: receiver.id, bed: size, beds: laid.beds, laid: laid.laid, misfits: laid.misfits, filled: laid.filled },
    said,
    written,
    findings,
  );
}

/** `assemble`: whole designs as one STEP file with tree, names, colours and every copy at its place; or as IGES, solids only. */
export async function assembleFiles(given: Given): Promise<Report> {
  const iges = /\.(igs|iges)$/i.test(given.out);
  if (!iges && given.format !== 'step') throw new Unusable('bad-format', 'Assemblies are written as STEP or IGES.', 'Let --out end in .step or .igs.');
  const designs = [];
  for (const file of given.files) designs.push(await loadDesign(file, { ...usualChoices, up: given.up }));
  const top = designs.length === 1 && designs[0].tree.length === 1 && designs[0].tree[0].children.length > 0 ? designs[0].tree[0].name : null;
  const title = given.branch ?? top ?? basename(given.out, extname(given.out));
  const { bytes, evidence } = iges
    ? await assembledIges(designs, given.branch, title, nodeKernels)
    : await assembled(designs, given.branch, title, await workingKernel(), nodeKernels);
  await mkdir(dirname(given.out), { recursive: true });
  const stored = await store(given.out, [bytes]);
  const made = await settled({ file: given.out, format: 'step', part: title, bytes: stored, evidence }, given);
  return { json: { inputs: given.files, branch: given.branch, written: [made], verdict: made.verdict }, text: settledText(made), severities: [made.verdict] };
}
