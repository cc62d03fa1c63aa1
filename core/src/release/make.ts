import { withoutKernel } from '../kernel/kernel.ts';
import { tubesZip, type TubeFormat } from '../bender/files.ts';
import { usualWork } from '../bender/rules.ts';
import { findTubes, type TubePart } from '../bender/source.ts';
import { toDies } from '../bender/to-die.ts';
import { usualNest, type NestChoice } from '../cutlist/how.ts';
import { cutListWith, type ListPart } from '../cutlist/list.ts';
import { nestRows } from '../cutlist/nest-rows.ts';
import { sortedRows } from '../cutlist/row.ts';
import { nestZip } from '../cutlist/run.ts';
import { rowsOnBed } from '../beds/layout.ts';
import type { DesignPart, Geometry } from '../model/design.ts';
import type { Drawing } from '../curves/drawing.ts';
import { transformedDrawing } from '../curves/drawing.ts';
import { meantContours } from '../drawing/meaning.ts';
import { partOfDrawing } from '../drawing/part.ts';
import { setOut } from '../curves/set-out.ts';
import { withFindings, type Evidence } from '../prove/evidence.ts';
import { sha256 } from '../base/sha256.ts';
import { Unusable, type Finding } from '../base/finding.ts';
import { lostOf } from '../base/loss.ts';
import type { ThreeMfPart } from '../formats/threemf/write.ts';
import { boxOf } from '../geometry/box.ts';
import { timesRows, type Rows } from '../geometry/rows.ts';
import { bedFindings, makeOneFile, makeTogether, type Keep, type Tools } from '../pipeline/one-file.ts';
import { preparedMesh } from '../pipeline/write-part.ts';
import { firstDrawingRecipe } from '../model/drawing-recipe.ts';
import { benderFormats, isBender } from '../receivers/receivers.ts';
import { scaleOf, type Recipe } from '../recipe/recipe.ts';
import { flattenShape, sheetSource } from '../sheet/flatten.ts';
import { partOfPattern } from '../sheet/part.ts';
import { inPlace } from '../stance/stance.ts';
import type { ReleaseRow } from './plan.ts';
import type { PlanPart, ReleaseLine } from './recipe.ts';

/** A part that a line does not suit, found while making. */
export class Skipped extends Unusable {}

export interface MadeFile {
  bytes: number;
  sha256: string;
  /** With the parts' own findings and those of writing; its verdict counts them all. */
  evidence: Evidence;
}

/** Gives a part's geometry when it is needed, and its findings. */
export type GeometryOf = (part: PlanPart) => Promise<{ geometry: Geometry; findings: Finding[] }>;

/**
 * One file of a release: made, read back from its own bytes, and held against the design.
 * @throws Skipped when the kind of part does not suit the receiver; Unusable when it can't be made.
 */
export async function makeFile(row: ReleaseRow, geometryOf: GeometryOf, tools: Tools, keep: Keep): Promise<MadeFile> {
  if (row.skip) throw new Skipped(row.skip.code, row.skip.message, row.skip.remedy);
  const named: Keep = (_, pieces) => keep(row.name, pieces);
  const { bytes, evidence } = await (row.line.group === 'each' ? makeAlone(row, geometryOf, tools, named) : makeGroup(row, geometryOf, tools, named));
  return { bytes: bytes.length, sha256: sha256([bytes]), evidence };
}

async function makeAlone(row: ReleaseRow, geometryOf: GeometryOf, tools: Tools, keep: Keep) {
  const { line } = row;
  const part = await ready(row.parts[0], line, geometryOf, tools);
  const made = await makeOneFile(part, recipeFor(row.parts[0], part, line), tools, keep);
  return { ...made, evidence: withFindings(made.evidence, part.findings) };
}

/** A part as a line needs it: as it is, or unfolded. */
async function ready(source: PlanPart, line: ReleaseLine, geometryOf: GeometryOf, tools: Tools): Promise<DesignPart> {
  const { geometry, findings } = await geometryOf(source);
  if (!line.flatten || geometry.kind === 'drawing') return { summary: source.summary, geometry, findings };
  const { summary } = source;
  const scale = scaleOf(summary, source.recipe);
  const { flatten } = line;
  try {
    const pattern = await withoutKernel(
      (kernel) => flattenShape(kernel, sheetSource(geometry, scale, summary.volume), flatten),
      () => tools.working(),
    );
    const { name, path, quantity, partNumber } = summary;
    const flat = partOfPattern(pattern, { name, path, quantity, partNumber, unit: 'mm', format: 'made here' });
    return { ...flat, summary: { ...flat.summary, lost: summary.lost }, findings: [...findings, ...flat.findings] };
  } catch (thrown) {
    if (!(thrown instanceof Unusable)) throw thrown;
    throw new Skipped(thrown.code, `Not a folded sheet part, so no flat pattern: ${thrown.message}`, thrown.remedy);
  }
}

/** The part's own recipe with what the line says of receiver, format and unit. */
function recipeFor(source: PlanPart, part: DesignPart, line: ReleaseLine): Recipe {
  const recipe: Recipe = { ...source.recipe, receiver: line.receiver, file: { ...source.recipe.file, name: null, format: line.format, unit: line.unit } };
  if (line.facets) recipe.facets = { ...recipe.facets, ...line.facets, preset: null, budget: null };
  // A flat made on the way is in mm already.
  if (line.flatten && part.geometry.kind === 'drawing' && source.summary.kind !== 'drawing') recipe.size = { reading: null, factor: 1 };
  if (part.geometry.kind === 'drawing') recipe.drawing = { ...(source.recipe.drawing ?? firstDrawingRecipe()), ...line.drawing };
  return recipe;
}

const notPlaced = (name: string, of: number, there: number): Finding => ({
  code: 'places-missing',
  severity: 'stop',
  count: of - there,
  message: `${name}: the design places ${of.toLocaleString('en')} of it; only the places of ${there.toLocaleString('en')} are kept, so the others are not in the file.`,
  remedy: 'Write it one each, or release a branch of the design at a time.',
});

async function makeGroup(row: ReleaseRow, geometryOf: GeometryOf, tools: Tools, keep: Keep) {
  if (row.line.group === 'nested') return nestedGroup(row, geometryOf, tools, keep);
  if (row.line.group === 'tubes') return tubesGroup(row, geometryOf, tools, keep);
  return row.line.receiver.cutter ? drawingGroup(row, geometryOf, tools, keep) : meshGroup(row, geometryOf, tools, keep);
}

/** Panels among the parts laid on sheets: one zip with a file a sheet, the list, labels and a plan. Searched by rounds, so that a run can be repeated. */
async function nestedGroup({ line, title, parts }: ReleaseRow, geometryOf: GeometryOf, tools: Tools, keep: Keep) {
  const listed: ListPart[] = [];
  const findings: Finding[] = [];
  for (const source of parts) {
    const part = await geometryOf(source);
    findings.push(...part.findings.filter((f) => f.severity === 'stop').map((f) => ({ ...f, message: `${source.summary.name}: ${f.message}` })));
    const { key, summary, recipe, quantity, number, material, thickness } = source;
    listed.push({ key, summary, recipe, geometry: part.geometry, quantity, number, material, thickness });
  }
  const rows = sortedRows((await cutListWith(listed, tools.working))!);
  if (rows.every((r) => r.kind !== 'panel')) throw new Skipped('no-panel', 'None of its parts is a panel.', 'Choose other parts for this line.');
  const choice: NestChoice = { ...usualNest, ...line.nest, seconds: null };
  const nest = nestRows(rows, choice, await tools.engine());
  // Letters are where the work is done, never in a page, which knows this file for its plans.
  const { nodeLetters } = await import(/* turbopackIgnore: true */ '../text/node-files.ts');
  const how = { receiver: line.receiver, format: line.format as 'dxf' | 'svg' | 'pdf', name: title, csv: { comma: false, mark: false } };
  const made = (await nestZip({ rows, nest, choice }, how, { tools, letters: nodeLetters }))!;
  const bytes = await keep('', [made.bytes]);
  return { bytes, evidence: withFindings(made.evidence, findings) };
}

/** Tubes among the parts, one mark for each kind, with their bend tables: one zip with what the machine takes along. */
async function tubesGroup({ line, parts }: ReleaseRow, geometryOf: GeometryOf, tools: Tools, keep: Keep) {
  const { receiver } = line;
  if (!isBender(receiver)) throw new Unusable('no-bender', `${receiver.name} bends no tubes.`, 'Choose a tube bender for this line.');
  const listed: TubePart[] = [];
  const findings: Finding[] = [];
  for (const source of parts) {
    const part = await geometryOf(source);
    const { key, summary, recipe, quantity } = source;
    findings.push(...part.findings.filter((f) => f.severity === 'stop').map((f) => ({ ...f, message: `${summary.name}: ${f.message}` })));
    listed.push({ key, summary: { ...summary, quantity }, geometry: part.geometry, scale: scaleOf(summary, recipe) });
  }
  const { material, density, allowances, toDie, fit, quantity } = { ...usualWork, ...line.tubes };
  const design = findTubes(listed, fit);
  if (design.runs.length === 0 && design.none.length === 0)
    throw new Skipped('no-tube', 'None of its parts is a tube or bar of straights and bends.', 'Choose other parts for this line.');
  const other = toDie ? toDies(design, receiver.bender.dies) : { found: design, findings: [] };
  // Letters are where the work is done, never in a page, which knows this file for its plans.
  const { nodeLetters } = await import(/* turbopackIgnore: true */ '../text/node-files.ts');
  const bender = { ...receiver.bender, material, density, allowances };
  const formats = receiver.formats.filter((f): f is TubeFormat => benderFormats.includes(f));
  const how = { formats, quantity, bender, tools, letters: nodeLetters, told: [...other.findings, ...findings] };
  const { bytes, evidence } = (await tubesZip(other.found, how))!;
  return { bytes: await keep('', [bytes]), evidence };
}

async function meshGroup(row: ReleaseRow, geometryOf: GeometryOf, tools: Tools, keep: Keep) {
  const { line, title, bed } = row;
  const { receiver } = line;
  const list: ThreeMfPart[] = [];
  const findings: Finding[] = [];
  let along = 0;
  for (const source of row.parts) {
    const part = await ready(source, line, geometryOf, tools);
    findings.push(...part.findings.map((f) => ({ ...f, message: `${source.summary.name}: ${f.message}` })));
    const recipe = recipeFor(source, part, line);
    const stance = line.group === 'all' ? inPlace : { ...recipe.stance, drop: true };
    const { mesh } = await preparedMesh(part.summary, part.geometry, { ...recipe, stance }, tools.working);
    const box = boxOf(mesh.positions);
    const middle: Rows = [1, 0, 0, -(box.min[0] + box.max[0]) / 2, 0, 1, 0, -(box.min[1] + box.max[1]) / 2, 0, 0, 1, 0];
    let places: Rows[];
    if (bed) places = bed.filter((l) => l.key === source.key).map((l) => timesRows(rowsOnBed(l.turn, l.x, l.y), middle));
    else if (line.group === 'all') {
      places = [source.place, ...(source.summary.places ?? []).slice(1)];
      if (places.length < source.summary.quantity) findings.push(notPlaced(source.summary.name, source.summary.quantity, places.length));
    } else {
      // In a row along X, a spacing apart, as many as are wanted.
      places = Array.from({ length: source.quantity }, () => {
        const at: Rows = [1, 0, 0, along - box.min[0], 0, 1, 0, -box.min[1], 0, 0, 1, 0];
        along += box.max[0] - box.min[0] + receiver.spacing;
        return at;
      });
    }
    list.push({ name: source.summary.name, partNumber: source.number || null, colour: source.summary.colour, mesh, places, lost: source.summary.lost });
  }
  const as = { format: line.format, encoding: 'binary' as const, unit: line.unit, title, quads: false };
  const made = await makeTogether(list, as, { receiver: receiver, fileName: row.name }, { tools: tools, keep: keep });
  return { ...made, evidence: withFindings(made.evidence, bed ? [...findings, ...bedFindings(list, receiver.bed)] : findings) };
}

/** Drawings side by side on one sheet, each with its own meanings, as many as are wanted of each. */
async function drawingGroup(row: ReleaseRow, geometryOf: GeometryOf, tools: Tools, keep: Keep) {
  const { line, title } = row;
  const { receiver } = line;
  const items: { drawing: Drawing; copies: number }[] = [];
  const findings: Finding[] = [];
  let first: Recipe | null = null;
  for (const source of row.parts) {
    let part: DesignPart;
    try {
      part = await ready(source, line, geometryOf, tools);
    } catch (thrown) {
      if (!(thrown instanceof Skipped)) throw thrown;
      findings.push({ code: 'left-out', severity: 'look', count: 1, message: `"${source.summary.name}" is not in this file. ${thrown.message}`, remedy: thrown.remedy }); // prettier-ignore
      continue;
    }
    findings.push(...part.findings.map((f) => ({ ...f, message: `${source.summary.name}: ${f.message}` })));
    const recipe = recipeFor(source, part, line);
    first ??= recipe;
    const { drawing } = part.geometry as { drawing: Drawing };
    const scale = scaleOf(part.summary, recipe);
    items.push({ drawing: transformedDrawing(asMeant(drawing, recipe), [scale, 0, 0, scale, 0, 0]), copies: source.quantity });
  }
  if (!first) throw new Skipped('no-sheet', 'None of its parts is a folded sheet part.', 'Choose other parts for this line.');
  const sheet = setOut(items, receiver.bed[0], receiver.spacing);
  const part = partOfDrawing(sheet, { name: title, path: [title], quantity: 1, unit: 'mm', format: 'made here' });
  part.summary.lost = lostOf(row.parts.map((p) => p.summary));
  const { kerf, tabs, relief, fit, version, blocks, looks, holeMost, smallArea } = first.drawing!;
  const usual = firstDrawingRecipe();
  const recipe: Recipe = {
    ...first,
    size: { reading: null, factor: 1 },
    drawing: { ...usual, place: { ...usual.place, datum: 'drawn' }, kerf, tabs, relief, fit, version, blocks, looks, holeMost, smallArea },
  };
  const made = await makeOneFile(part, recipe, tools, keep);
  return { ...made, evidence: withFindings(made.evidence, [...findings, ...part.findings]) };
}

/** The drawing with the meaning of each contour written into it, so that it keeps its own among others. */
function asMeant(drawing: Drawing, recipe: Recipe): Drawing {
  const meant = meantContours(drawing, recipe.drawing!);
  let n = 0;
  return { ...drawing, pattern: undefined, patch: undefined, layers: drawing.layers.map((l) => ({ ...l, contours: l.contours.map(() => ({ ...meant[n].contour, meaning: meant[n++].meaning })) })) }; // prettier-ignore
}
