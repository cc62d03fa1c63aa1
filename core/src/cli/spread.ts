import { mkdir } from 'node:fs/promises';
import { join } from 'node:path';
import { sha256 } from '../base/sha256.ts';
import { Unusable, worst, type Finding, type Severity } from '../base/finding.ts';
import { command, type Asked, type Out, type Report } from '../command/command.ts';
import { badText, choice, each, flag, millimetres, number, parsed } from '../command/option.ts';
import { settled } from '../command/settle.ts';
import { loadDesign, partOption, readOptions } from '../command/source.ts';
import { store } from '../command/store.ts';
import { directionOf, threeOf } from '../command/vectors.ts';
import { nodeEngine } from '../engine/load.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { withoutKernel } from '../kernel/kernel.ts';
import { workingKernel } from '../kernel/load.ts';
import { usualChoices } from '../model/choices.ts';
import type { DesignPart, Shape } from '../model/design.ts';
import { firstDrawingRecipe } from '../model/drawing-recipe.ts';
import type { PatchFigures } from '../model/patch.ts';
import {
  mostDabs,
  mostLines,
  mostPlaces,
  spreadBounds,
  usualSpread,
  type Area,
  type CutLine,
  type Division,
  type DrawnLine,
  type SpreadChoice,
} from '../patches/choice.ts';
import { drawnSpread } from '../patches/draw.ts';
import { partOfPatch } from '../patches/part.ts';
import { faceRows } from '../patches/region.ts';
import { boxOfFlat } from '../patches/patch.ts';
import { saidStretch } from '../patches/said.ts';
import { spreadShape } from '../patches/spread.ts';
import { nodeTools } from '../pipeline/node-tools.ts';
import { makeOneFile } from '../pipeline/one-file.ts';
import { withFindings } from '../prove/evidence.ts';
import { readyReceivers } from '../receivers/ready.ts';
import { firstRecipe, largeEnough, scaleOf, type Recipe } from '../recipe/recipe.ts';
import { scaledBrep } from '../sheet/flatten.ts';
import { nodeLetters } from '../text/node-files.ts';
import { patternFileOptions, patternReceiver } from './flat.ts';

/** "1,4,5": faces, counted from 1. */
function facesOf(name: string, typed: string): number[] {
  const numbers = typed.split(',').map((v) => Number(v.trim()));
  if (!numbers.every((v) => Number.isInteger(v) && v >= 1 && v <= 1_000_000)) throw badText(name, typed, '1,4,5');
  return [...new Set(numbers)].map((v) => v - 1);
}

/** "0,0,300/0,0,1": a place and a direction. */
function axisOf(name: string, typed: string): { at: [number, number, number]; along: [number, number, number] } {
  const [at, along, ...more] = typed.split('/');
  if (along === undefined || more.length > 0) throw badText(name, typed, '0,0,300/0,0,1');
  return { at: threeOf(name, at), along: directionOf(name, along) };
}

/** "10,0,5", "10,0,5/80,0,5" or "10,0,5/40,9,5/border": where a cut begins, what it goes through, where it ends. */
function cutOf(name: string, typed: string): CutLine {
  const places = typed.split('/');
  const toBorder = places.length === 1 || places[places.length - 1].trim() === 'border';
  if (places.length > mostPlaces) throw badText(name, typed, `10,0,5/80,0,5, at most ${mostPlaces} places`);
  const named = (places.length > 1 && toBorder ? places.slice(0, -1) : places).map((p) => threeOf(name, p));
  const to = toBorder ? null : named[named.length - 1];
  return { from: named[0], to, through: named.slice(1, toBorder ? undefined : -1) };
}

/** "0,0,9/20,0,9/20,20,9": three places or more round an area. */
function loopOf(name: string, typed: string): [number, number, number][] {
  const places = typed.split('/').map((p) => threeOf(name, p));
  if (places.length < 3 || places.length > mostPlaces) throw badText(name, typed, `0,0,9/20,0,9/20,20,9, 3 to ${mostPlaces} places`);
  return places;
}

/** "0,0,9/20,0,9": places of one line or more. */
function placesOf(name: string, typed: string): [number, number, number][] {
  const places = typed.split('/').map((p) => threeOf(name, p));
  if (places.length > mostLines) throw badText(name, typed, `0,0,9/20,0,9, at most ${mostLines} places`);
  return places;
}

/** "0,0,9/20,0,9" or "0,0,9/20,0,9/20,20,9/closed": a line that is drawn on the flat. */
function drawnOf(name: string, typed: string): DrawnLine {
  const places = typed.split('/');
  const closed = places[places.length - 1].trim() === 'closed';
  const through = (closed ? places.slice(0, -1) : places).map((p) => threeOf(name, p));
  const least = closed ? 3 : 2;
  if (through.length < least || through.length > mostPlaces)
    throw badText(name, typed, `0,0,9/20,0,9/20,20,9${closed ? '/closed' : ''}, ${least} to ${mostPlaces} places`);
  return { through, round: false, closed };
}

/** "0,0,9,15/20,0,9,15": places where a round brush is put, each with its radius. */
function dabsOf(name: string, typed: string): { at: [number, number, number]; radius: number }[] {
  const [least, most] = spreadBounds.brush;
  const dabs = typed.split('/').map((dab) => {
    const numbers = dab.split(',').map((v) => (v.trim() === '' ? NaN : Number(v)));
    const [x, y, z, radius] = numbers;
    if (numbers.length !== 4 || !numbers.every(Number.isFinite) || radius < least || radius > most)
      throw badText(name, typed, `0,0,9,15/20,0,9,15 (a place and a radius of ${least} to ${most} mm each)`);
    return { at: [x, y, z] as [number, number, number], radius };
  });
  if (dabs.length > mostDabs) throw badText(name, typed, `0,0,9,15, at most ${mostDabs} places`);
  return dabs;
}

/** "3,1,5": percent along and across the grain, and degrees of shear. */
function limitsOf(name: string, typed: string): NonNullable<SpreadChoice['limits']> {
  const [along, across, shear, ...more] = typed.split(',').map(Number);
  const fits = [along, across].every((v) => v >= 0 && v <= 100) && shear >= 0 && shear <= spreadBounds.shear[1];
  if (!fits || more.length > 0) throw badText(name, typed, '3,1,5 (percent along the grain, percent across it, degrees of shear)');
  return { along: along / 100, across: across / 100, shear };
}

const out: Out = { kind: 'folder', needed: false, endings: [] };
const pieces = spreadBounds.pieces;

const options = {
  ...partOption,
  ...readOptions,
  faces: parsed('N,N', 'Faces that are spread, counted from 1; usually all of an open surface.', facesOf),
  tangent: flag('Takes faces that run smoothly into these along.'),
  crease: number('DEGREES', spreadBounds.crease, 'degrees', 'Edges of a mesh that turn more than this part its faces; usually 40.'),
  listFaces: flag('Says only which faces there are.'),
  facet: millimetres(spreadBounds.facet, 'Longest side of a facet: finer is nearer and takes longer; usually about 3,000 facets.'),
  rigid: flag('As rigid as possible, without making the worst stretch least in the end.'),
  grain: choice(['x', 'y'], 'x', 'Which way of the sheet the grain runs: what stands up on the surface points along it.'),
  allowance: millimetres(spreadBounds.allowance, 'Seam allowance along seams and border.'),
  hem: millimetres(spreadBounds.allowance, 'Another allowance along the border.'),
  gores: number('N', pieces, '', 'Cuts it into so many wedges round an axis.'),
  axis: parsed('X,Y,Z/X,Y,Z', 'Axis of the gores: a place and a direction; usually through the point farthest from the border.', axisOf),
  panels: number('N', pieces, '', 'Cuts it into so many strips of equal width.'),
  across: parsed('x|y|z|X,Y,Z', 'Which way one panel follows the other; usually the longest.', directionOf),
  cuts: number('N', spreadBounds.cuts, '', 'Looks for so many relief cuts at most.'),
  cut: each('X,Y,Z[/X,Y,Z...][/border]', 'A relief cut from place to place, or on to the border; as often as needed.', cutOf),
  loop: parsed('X,Y,Z/X,Y,Z/X,Y,Z...', 'Only what lies within a loop through these places; needs --within.', loopOf),
  upTo: parsed('X,Y,Z[/X,Y,Z...]', 'Only what lies within the edges at these places, with what they run on into; needs --within.', placesOf),
  within: parsed('X,Y,Z', 'A place within the loop, or within the edges.', threeOf),
  paint: parsed('X,Y,Z,R[/X,Y,Z,R...]', 'Only what a round brush paints: places and radii.', dabsOf),
  draw: each('X,Y,Z/X,Y,Z[/X,Y,Z...][/closed]', 'A line on the surface that is drawn on the flat; as often as needed.', drawnOf),
  curved: flag('Cuts, loops and drawn lines are smooth curves through their places, not straight from place to place.'),
  keepBorder: flag('The border keeps its length, as seams do.'),
  keep: parsed('X,Y,Z[/X,Y,Z...]', 'Edges of the border at these places keep their length, from corner to corner.', placesOf),
  notches: millimetres(spreadBounds.notches, 'Notches at most so far apart along seams; usually 100.'),
  bare: flag('Without names, arrows and notches.'),
  faceLines: flag('Draws edges between faces on the flat.'),
  bears: parsed('3,1,5', 'What the material bears: percent along the grain, percent across it, degrees of shear.', limitsOf),
  ...patternFileOptions,
};

type Wish = Asked<typeof options>;

function divisionOf(given: Wish): Division {
  if (given.gores !== null && given.panels !== null)
    throw new Unusable('which-division', '"spread" takes --gores or --panels, not both.', 'Choose one of them.');
  if (given.gores !== null) return { by: 'gores', count: whole('gores', given.gores), axis: given.axis };
  if (given.panels !== null) return { by: 'panels', count: whole('panels', given.panels), across: given.across };
  return { by: 'none' };
}

function areaOf({ loop, upTo, within, paint, curved }: Wish): Area | null {
  if ([loop, upTo, paint].filter(Boolean).length > 1)
    throw new Unusable('which-area', '"spread" takes one of --loop, --up-to and --paint.', 'Choose one of them.');
  if (paint) return { by: 'painted', dabs: paint };
  if (!loop && !upTo && !within) return null;
  if ((!loop && !upTo) || !within)
    throw new Unusable(
      'which-side',
      'A loop or edges need a place within them, and a place within needs a loop or edges.',
      'Type both: --loop 0,0,9/20,0,9/20,20,9 --within 12,5,9',
    );
  return loop ? { by: 'loop', through: loop, round: curved, inside: within } : { by: 'edges', at: upTo!, inside: within };
}

function whole(name: string, v: number): number {
  if (!Number.isInteger(v)) throw badText(name, String(v), '6');
  return v;
}

function choiceOf(given: Wish): SpreadChoice {
  return {
    ...usualSpread,
    faces: given.faces,
    tangent: given.tangent,
    crease: given.crease ?? usualSpread.crease,
    facet: given.facet,
    aim: given.rigid ? 'rigid' : 'even',
    grain: given.grain,
    keepBorder: given.keepBorder,
    divide: divisionOf(given),
    cuts: given.cuts === null ? 0 : whole('cuts', given.cuts),
    lines: given.cut.map((line) => ({ ...line, round: given.curved })),
    area: areaOf(given),
    ...(given.keep ? { keep: given.keep } : {}),
    ...(given.draw.length > 0 ? { drawn: given.draw.map((line) => ({ ...line, round: given.curved })) } : {}),
    allowance: { seam: given.allowance ?? 0, border: given.hem ?? given.allowance ?? 0 },
    notches: given.bare ? null : (given.notches ?? usualSpread.notches),
    writing: !given.bare,
    inner: given.faceLines,
    limits: given.bears,
    deviation: given.fitArcs ?? usualSpread.deviation,
  };
}

/** The part that is meant: the one named, or the only one that is no drawing. */
async function partFor(given: Wish): Promise<{ part: DesignPart; shape: Shape; scale: number }> {
  const design = await loadDesign(given.files[0], { ...usualChoices, up: given.up });
  const wanted = design.parts.filter((p) => given.part === null || p.summary.name === given.part);
  const names = design.parts.map((p) => p.summary.name).join(', ') || 'none';
  if (wanted.length === 0) throw new Unusable('no-such-part', `There is no part "${given.part}".`, `Parts in the file: ${names}.`);
  const shaped = wanted.filter((p) => p.geometry.kind !== 'drawing');
  if (shaped.length === 0) throw new Unusable('already-flat', `"${wanted[0].summary.name}" is a drawing already.`, 'Write it as it is: tall-kite write');
  if (shaped.length > 1) throw new Unusable('which-part', `The file has ${shaped.length} parts.`, `Name one with --part: ${names}.`);
  const [part] = shaped;
  const recipe = firstRecipe(part.summary, readyReceivers);
  recipe.size.reading = given.fromUnit;
  return { part, shape: part.geometry as Shape, scale: scaleOf(part.summary, recipe) };
}

/** `spread`: faces of a solid or a region of a mesh laid flat, written, read back and laid onto the surface again. */
async function run(given: Wish): Promise<Report> {
  const { part, shape, scale } = await partFor(given);
  const wish = choiceOf(given);
  if (given.listFaces) return facesReport(part.summary.name, await facesIn(shape, scale, wish.crease));
  const spread = await withoutKernel((kernel) => spreadShape(kernel, { shape, scale }, wish), workingKernel);
  const drawing = await drawnSpread(spread, await nodeEngine(), nodeLetters);
  const { name, path, quantity, partNumber, lost } = part.summary;
  const made = partOfPatch(drawing, { name, path, quantity, partNumber, unit: 'mm', format: 'made here' });
  made.summary.lost = lost;
  const figures = made.summary.patch!;
  const written = given.out ? await writtenOf(made, given) : null;
  const findings = written?.findings ?? made.findings;
  const verdict = worst([...findings.map((f) => f.severity), ...(written ? [written.row.verdict] : [])]);
  const box = boxOfFlat(drawing.patch.pieces.flatMap((p) => p.flat));
  const { largest, least, areaLargest, areaLeast, bound, along, across, shear } = figures.stretch;
  const json = {
    part: name,
    flat: { box: { min: [box[0], box[1], 0], max: [box[2], box[3], 0] }, area: figures.flatArea, pieces: figures.pieces.length, deviation: figures.deviation },
    surface: { area: figures.area, facets: figures.facets, faces: spread.region.taken.map((f) => f + 1), exact: figures.pieces.every((p) => p.exact) },
    stretch: { largest, least, areaLargest, areaLeast, bound, along, across, shear },
    pieces: figures.pieces,
    seams: figures.seams.map((s) => ({ name: s.name, surface: s.length, sides: s.flat })),
    cuts: figures.cuts,
    kept: figures.kept ?? [],
    received: written?.received ?? null,
    findings,
    verdict,
    written: written ? [written.row] : [],
  };
  return { json, text: textOf(name, { figures, findings, verdict, written }), severities: [verdict] };
}

type Told = { figures: PatchFigures; findings: readonly Finding[]; verdict: Severity; written: Awaited<ReturnType<typeof writtenOf>> | null };

/** What was made, in lines. */
function textOf(name: string, { figures, findings, verdict, written }: Told): string {
  const { largest, least, bound } = figures.stretch;
  const lines = [
    `${verdict}: ${name}, ${figures.pieces.length} ${figures.pieces.length === 1 ? 'piece' : 'pieces'}, surface ${figures.area.toFixed(1)} mm2, flat ${figures.flatArea.toFixed(1)} mm2`,
    `  ${saidStretch(figures.stretch)}${bound !== null && bound > 1 ? ` No flat of a cap as bent has less than ${bound.toFixed(4)} from most to least; this one has ${(largest / least).toFixed(4)}.` : ''}`,
    ...figures.pieces.map(
      (p) =>
        `  piece ${p.name}: ${p.box.map((v) => v.toFixed(1)).join(' x ')} mm, ${p.exact ? 'unrolled exactly' : `${p.stretch.least.toFixed(4)} to ${p.stretch.largest.toFixed(4)}`}`,
    ),
    ...figures.seams.map((s) => `  seam ${s.name}: ${s.length.toFixed(3)} mm, on the flat ${s.flat.map((v) => v.toFixed(3)).join(' and ')} mm`),
    ...(figures.kept ?? []).map((e, i) => `  kept edge ${i + 1}: ${e.length.toFixed(3)} mm, on the flat ${e.flat.toFixed(3)} mm`),
    ...figures.cuts.map(
      (c, i) =>
        `  cut ${i + 1}: ${c.length.toFixed(1)} mm, mean stretch ${c.before === null ? '' : `${(100 * c.before).toFixed(2)} % to `}${(100 * c.after).toFixed(2)} %`,
    ),
    ...findings.filter((f) => f.code !== 'stretch').map((f) => `  ${f.severity}: ${f.message} ${f.remedy}`),
    ...(written ? [`  ${written.row.file} (${written.row.bytes} bytes)${written.row.reason ? ` because: ${written.row.reason}` : ''}`] : []),
  ];
  return `${lines.join('\n')}\n`;
}

async function writtenOf(part: DesignPart, given: Wish) {
  const recipe: Recipe = {
    ...firstRecipe(part.summary, readyReceivers),
    receiver: given.receiver ?? (given.format === 'dxf' ? largeEnough(part.summary.box, readyReceivers) : null) ?? patternReceiver(given),
    drawing: { ...firstDrawingRecipe(), version: given.dxfVersion, kerf: given.kerf ?? 0, ...(given.pages ? { pages: given.pages } : {}) },
  };
  recipe.file = { ...recipe.file, format: given.format, unit: given.unit };
  await mkdir(given.out, { recursive: true });
  const { fileName, bytes, evidence } = await makeOneFile(part, recipe, nodeTools, (as, data) => store(join(given.out, as), data));
  const proved = withFindings(evidence, part.findings);
  const row = await settled({ file: join(given.out, fileName), format: given.format, part: part.summary.name, bytes, evidence: proved }, given);
  const claim = (quantity: string) => evidence.claims.find((c) => c.quantity === quantity)?.received ?? null;
  const received = {
    distance: claim('Laid back on the surface'),
    seams: claim('Two sides of a seam'),
    area: claim('Area of the pieces'),
    sha256: sha256([bytes]),
  };
  return { row, received, findings: proved.findings };
}

async function facesIn(shape: Shape, scale: number, crease: number) {
  if (shape.kind === 'solid') {
    return withoutKernel((kernel) => faceRows({ kind: 'solid', kernel, brep: scaledBrep(kernel, shape.brep, scale) }), workingKernel);
  }
  const mesh: Mesh = { positions: shape.mesh.positions.map((v) => v * scale), triangles: shape.mesh.triangles };
  return faceRows({ kind: 'mesh', mesh, crease });
}

function facesReport(part: string, faces: ReturnType<typeof faceRows>): Report {
  const lines = faces.map(
    (f) => `  face ${f.face}: ${f.area.toFixed(1)} mm2 about ${f.middle.map((v) => v.toFixed(1)).join(', ')}${f.kind ? `, ${f.kind}` : ''}`,
  );
  return { json: { part, faces }, text: `${part}: ${faces.length} ${faces.length === 1 ? 'face' : 'faces'}\n${lines.join('\n')}\n`, severities: [] };
}

export const spreadCommand = command({
  word: 'spread',
  takes: 'IN',
  least: 1,
  most: 1,
  out,
  options,
  does: 'Lays a surface that may not unroll flat, as pieces of cloth, film or sheet: its stretch in figures, seams of equal lengths on both sides, allowances, notches. The file is read back and laid onto the surface again.',
  example: 'spread "WS-520 dome sail.stl" --gores 6 --allowance 12 --out sail',
  run,
});
