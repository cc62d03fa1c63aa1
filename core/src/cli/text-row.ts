import { join } from 'node:path';
import { Unusable, worst, type Severity } from '../base/finding.ts';
import { settled, settledText } from '../command/settle.ts';
import { store } from '../command/store.ts';
import { partOf, writeOut, writtenText } from '../command/written.ts';
import type { Drawing } from '../curves/drawing.ts';
import { bridged } from '../drawing/bridges.ts';
import { partOfDrawing } from '../drawing/part.ts';
import { raiseDrawing } from '../drawing/raise.ts';
import { nodeEngine } from '../engine/load.ts';
import { firstDrawingRecipe } from '../model/drawing-recipe.ts';
import { nodeTools } from '../pipeline/node-tools.ts';
import { makeOneFile } from '../pipeline/one-file.ts';
import { withFindings } from '../prove/evidence.ts';
import { readyReceivers } from '../receivers/ready.ts';
import { firstRecipe, type Recipe } from '../recipe/recipe.ts';
import type { TextChoice } from '../text/choice.ts';
import { lettered, type Lettered } from '../text/lettering.ts';
import { nodeLetters } from '../text/node-files.ts';
import { patternReceiver } from './flat.ts';
import type { TextWish } from './text-options.ts';

/** Words and the name of their file. */
export interface TextRow {
  name: string;
  words: string;
}

/** One row, written and proved. */
export interface TextMade {
  json: object;
  verdict: Severity;
  text: string;
}

/** One text as a drawing or a solid: written, and read back. */
export async function rowMade({ name, words }: TextRow, base: TextChoice, asked: TextWish): Promise<TextMade> {
  const made = await lettered({ ...base, words }, nodeLetters);
  return asked.format === 'stl' ? asSolid(made, name, asked) : asDrawing(made, name, asked);
}

function withBridges(drawing: Drawing, asked: TextWish): Drawing {
  return asked.bridges === null ? drawing : bridged(drawing, { count: Math.round(asked.bridges), width: asked.bridgeWidth ?? 1, from: 0.125 }).drawing;
}

async function asDrawing({ drawing, findings }: Lettered, name: string, asked: TextWish) {
  const held = withBridges(drawing, asked);
  const part = partOfDrawing(held, { name, path: [name], quantity: 1, unit: 'mm', format: 'text' });
  const recipe: Recipe = {
    ...firstRecipe(part.summary, readyReceivers),
    receiver: patternReceiver({ ...asked, format: asked.format as 'dxf' | 'svg' | 'pdf' }),
    drawing: { ...firstDrawingRecipe(), version: asked.dxfVersion, kerf: asked.kerf ?? 0, fit: asked.fitArcs },
  };
  recipe.file = { ...recipe.file, format: asked.format as 'dxf' | 'svg' | 'pdf', unit: asked.unit };
  const { fileName, bytes, evidence } = await makeOneFile(part, recipe, nodeTools, (as, data) => store(join(asked.out, as), data));
  const proved = withFindings(evidence, [...findings, ...part.findings]);
  const row = await settled({ file: join(asked.out, fileName), format: asked.format, part: name, bytes, evidence: proved }, asked);
  const { cap, letters, count } = drawing.lettering;
  const json = { ...row, letters: count, font: letters, cap, contours: part.summary.drawing!.contours };
  return { json, verdict: row.verdict, text: `${count} letters of "${letters}", H ${cap.toFixed(3)} mm high\n${settledText(row)}` };
}

async function asSolid({ drawing, findings }: Lettered, name: string, asked: TextWish) {
  const mesh = raiseDrawing(await nodeEngine(), withBridges(drawing, asked), asked.thickness!, { draft: ((asked.draft ?? 0) * Math.PI) / 180 });
  const stop = findings.find((f) => f.severity === 'stop');
  if (stop && !asked.evenSo) throw new Unusable(stop.code, stop.message, stop.remedy);
  const row = await writeOut(join(asked.out, `${name}.stl`), [partOf(name, mesh)], { unit: asked.unit, receiver: asked.receiver, ascii: false, quads: false });
  const { cap, letters, count } = drawing.lettering;
  const verdict = worst([row.verdict, ...findings.map((f) => f.severity)]);
  const json = { ...row, verdict, findings: [...findings, ...row.findings], letters: count, font: letters, cap, triangles: mesh.triangles.length / 3 };
  return { json, verdict, text: writtenText([row]) };
}
