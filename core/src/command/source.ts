import { readFile, stat } from 'node:fs/promises';
import { basename } from 'node:path';
import { Unusable } from '../base/finding.ts';
import { drawingUnits, lengthUnits } from '../base/readings.ts';
import { together } from '../geometry/shells.ts';
import { identityRows } from '../geometry/rows.ts';
import type { Mesh } from '../geometry/mesh.ts';
import type { Finding } from '../base/finding.ts';
import { nodeKernels, workingKernel } from '../kernel/load.ts';
import { usualChoices, type ReadChoices } from '../model/choices.ts';
import type { Design } from '../model/design.ts';
import { mostBytes, readDesign } from '../pipeline/read.ts';
import { preparedMesh } from '../pipeline/write-part.ts';
import { placedMesh } from '../processes/receive.ts';
import { facetsFinding } from '../facets/make.ts';
import { firstRecipe } from '../recipe/recipe.ts';
import { readyReceivers } from '../receivers/ready.ts';
import { anyAngle, choiceLimits } from '../surfaces/presets.ts';
import { choice, choiceOrNone, flag, number, parsed, text, type Values } from './option.ts';
import { knownLengthOf } from './vectors.ts';

const units = [...new Set([...lengthUnits, ...drawingUnits].map((u) => u.id))];

/** Which way up, and what bare numbers are. */
export const readOptions = {
  up: choice(['find', 'z', 'y'], 'find', 'Which axis points up in OBJ, PLY and OFF.'),
  fromUnit: choiceOrNone(units, 'What bare numbers of the file are.'),
};

/** How exact solids become facets; null takes the preset that suits the part. */
export const facetOptions = {
  deviation: number('MM', choiceLimits.deviation, 'mm', 'Facets lie at most this far from exact surfaces.'),
  angle: number('DEGREES', choiceLimits.angle, 'degrees', 'Neighbouring facets turn at most by this; without it the deviation alone decides.'),
  balanced: flag('Facets lie to both sides of round surfaces: about half as many, but sizes move by up to the deviation.'),
};

/** Of drawings: what makes a layer, and what is taken. */
export const drawingReadOptions = {
  layers: choice(['groups', 'colours', 'keep'], 'groups', 'What makes a layer of an SVG; "keep" writes layers as they came.'),
  hidden: flag('Takes what lies on layers that are off or frozen.'),
  text: choice(['leave', 'outlines', 'single-line'], 'leave', 'Writing in a drawing stays writing, which nobody cuts, or is drawn.'),
  page: number('N', [1, 10_000], '', 'Which page of a PDF; usually the first.'),
};

/** A side of the whole that is known, for finding out what its numbers mean. */
export const knownLengthOption = {
  knownLength: parsed('"width=100"', 'How wide (or high, or long along z) it is in truth, mm: names what its numbers were, and sizes it.', knownSideOf),
};

/** "width=100", "height=60", or an axis: which side, and how long in mm. */
function knownSideOf(name: string, typed: string): { axis: 0 | 1 | 2; length: number } {
  return knownLengthOf(
    name,
    typed.trim().replace(/^(width|height|depth)(?==)/i, (side) => ({ width: 'x', height: 'y', depth: 'z' })[side.toLowerCase()]!),
  );
}

/** What options say of drawings, as reading takes it. */
export const drawingChoices = ({ layers, hidden, text: writing, page }: Values<typeof drawingReadOptions>): Partial<ReadChoices> => ({
  layersFrom: layersFrom(layers),
  hidden,
  ...(writing === 'leave' ? {} : { writing }),
  ...(page === null ? {} : { page: Math.round(page) }),
});

export const partOption = { part: text('NAME', 'Only the part of this name.') };

/** What options say of layers, as reading takes it. */
export const layersFrom = (layers: 'groups' | 'colours' | 'keep'): 'groups' | 'colours' => (layers === 'colours' ? 'colours' : 'groups');

/** Reads a file from disk as a design. @throws Unusable with a sentence. */
export async function loadDesign(file: string, choices: ReadChoices = usualChoices): Promise<Design> {
  const info = await stat(file).catch(() => null);
  if (!info?.isFile()) throw new Unusable('no-such-file', `There is no file "${file}".`, 'Check the name and the folder.');
  if (info.size > mostBytes)
    throw new Unusable(
      'too-large',
      `"${file}" has ${(info.size / 1e6).toFixed(0)} MB; at most ${mostBytes / 2 ** 20} MB are opened.`,
      'Export fewer parts at a time.',
    );
  return readDesign(await readFile(file), basename(file), nodeKernels, choices);
}

export interface Loaded {
  name: string;
  mesh: Mesh;
  colour: string | null;
  findings: Finding[];
}

/** Degrees between neighbouring facets when a deviation is typed and no angle: it alone decides. */
export const usualAngle = anyAngle;

/** How the parts of a file become meshes. */
export type MeshWish = Values<typeof readOptions> & Partial<Values<typeof facetOptions>> & { places?: 'one' };

/** Every part of a file as a mesh at every place where it stands, mm; exact solids as facets of the typed deviation. */
export async function meshesOf(file: string, wish: MeshWish): Promise<Loaded[]> {
  const design = await loadDesign(file, { ...usualChoices, up: wish.up });
  const out: Loaded[] = [];
  for (const part of design.parts) {
    const recipe = firstRecipe(part.summary, readyReceivers);
    recipe.size.reading = wish.fromUnit;
    if (wish.deviation) recipe.facets = { ...recipe.facets, deviation: wish.deviation, angle: wish.angle ?? usualAngle };
    if (wish.balanced) recipe.facets.balanced = true;
    const { mesh, facets } = await preparedMesh(part.summary, part.geometry, recipe, workingKernel);
    const told = facets?.balanced ? [...part.findings, ...facetsFinding(facets)] : part.findings;
    for (const place of wish.places === 'one' ? [identityRows] : (part.summary.places ?? [identityRows])) {
      out.push({ name: part.summary.name, mesh: placedMesh(mesh, place), colour: part.summary.colour, findings: told });
    }
  }
  if (out.length === 0) throw new Unusable('no-parts', `"${file}" holds no part that this can be done with.`, 'See "tall-kite inspect" for what is in it.');
  return out;
}

/** All of a file as one mesh, under the name and colour of its first part. */
export async function wholeOf(file: string, wish: MeshWish): Promise<Loaded & { parts: number }> {
  const loaded = await meshesOf(file, wish);
  return { ...loaded[0], mesh: together(loaded.map((l) => l.mesh)), parts: loaded.length };
}
