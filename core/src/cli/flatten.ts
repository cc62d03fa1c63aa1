import { store } from './store.ts';
import { mkdir, readFile } from 'node:fs/promises';
import { basename, extname, join } from 'node:path';
import { usualChoices } from '../model/choices.ts';
import type { DesignPart } from '../model/design.ts';
import { withFindings } from '../prove/evidence.ts';
import { sha256 } from '../base/sha256.ts';
import { Unusable, asUnusable, worst, type Severity } from '../base/finding.ts';
import { workingKernel } from '../kernel/load.ts';
import { nodeTools } from '../pipeline/node-tools.ts';
import { makeOneFile } from '../pipeline/one-file.ts';
import { firstDrawingRecipe } from '../model/drawing-recipe.ts';
import { firstRecipe, safeFileName, scaleOf, type Recipe } from '../recipe/recipe.ts';
import { flattenShape } from '../sheet/flatten.ts';
import { partOfPattern } from '../sheet/part.ts';
import { usualFlatten, type FlattenChoice, type Pattern } from '../sheet/pattern.ts';
import { bendCsv, brakePicture } from '../sheet/report.ts';
import { readBendTable, type BendRule, type HandbookStock } from '../sheet/rules.ts';
import type { Given } from './arguments.ts';
import { flatReceiver } from './flat.ts';
import { loadDesign, type Report } from './inspect.ts';
import { settled } from './settle.ts';

async function ruleFor(given: Given): Promise<BendRule> {
  if (given.k !== null) return { kind: 'k', k: given.k };
  if (given.table !== null) {
    const text = await readFile(given.table, 'utf8').catch(() => {
      throw new Unusable('no-such-file', `There is no bend table "${given.table}".`, 'Check the name and the folder.');
    });
    const { table, bad } = readBendTable(text, basename(given.table, extname(given.table)));
    if (bad.length > 0) throw new Unusable('bad-table', `The bend table has bad rows. ${bad.slice(0, 3).join(' ')}`, 'Correct or delete these rows.');
    return { kind: 'table', table };
  }
  if (given.rule?.startsWith('handbook-')) return { kind: 'handbook', stock: given.rule.slice('handbook-'.length) as HandbookStock };
  return { kind: 'din6935' };
}

/** `flatten`: the flat pattern of the sheet part in a file, written, read back and folded again. */
export async function flattenFile(given: Given): Promise<Report> {
  const design = await loadDesign(given.files[0], { ...usualChoices, up: given.up });
  const wanted = design.parts.filter((p) => given.part === null || p.summary.name === given.part);
  if (wanted.length === 0) {
    const names = design.parts.map((p) => p.summary.name).join(', ') || 'none';
    throw new Unusable('no-such-part', given.part === null ? 'The design has no part.' : `There is no part "${given.part}".`, `Parts in the file: ${names}.`);
  }
  const choice: FlattenChoice = {
    ...usualFlatten,
    face: given.face === null ? null : given.face - 1,
    up: given.side,
    rips: given.rips,
    reliefs: given.reliefCuts,
    press: given.press,
    rule: await ruleFor(given),
    radius: given.radius,
    leaveOut: given.leaveOut === 'all' ? 'all' : [],
    leaves: given.leaves,
    countersinks: given.countersinks,
    tolerance: given.tolerance,
    zoneEdges: given.zoneEdges,
    grain: given.grain,
    deviation: given.fitArcs ?? usualFlatten.deviation,
    material: given.material,
    density: given.density,
  };
  const tried = [];
  for (const part of wanted) tried.push(await attempt(part, given, choice));
  const sheets = tried.filter((t) => t.pattern !== null).sort((a, b) => b.pattern!.area - a.pattern!.area);
  if (sheets.length === 0) {
    const first = tried[0].failure!;
    const more = tried.length > 1 ? ` None of the other ${tried.length - 1} parts is a sheet either.` : '';
    throw new Unusable(first.code, `${first.message}${more}`, first.remedy);
  }
  const [{ part, pattern }] = sheets;
  const leftOut = [
    ...pattern!.features.map(({ kind, side, size, height, at }) => ({ kind, side, size, height, at })),
    ...tried
      .filter((t) => t.part !== part)
      .map((t) => ({ kind: 'part', name: t.part.summary.name, why: t.failure?.message ?? 'a sheet part too: name it with --part' })),
  ];
  return reportOf(part, pattern!, leftOut, given);
}

async function attempt(
  part: DesignPart,
  given: Given,
  choice: FlattenChoice,
): Promise<{ part: DesignPart; pattern: Pattern | null; failure: Unusable | null }> {
  try {
    const { geometry, summary } = part;
    if (geometry.kind === 'drawing') throw new Unusable('already-flat', `"${summary.name}" is a drawing already.`, 'Write it as it is: tall-kite write');
    const recipe = firstRecipe(summary);
    recipe.size.reading = given.fromUnit;
    const scale = scaleOf(summary, recipe);
    const kernel = geometry.kind === 'solid' ? await workingKernel() : null;
    const pattern = flattenShape(kernel, geometry, scale, choice, geometry.kind === 'solid' ? summary.volume * scale ** 3 : null);
    return { part, pattern, failure: null };
  } catch (thrown) {
    return { part, pattern: null, failure: thrown instanceof Unusable ? thrown : asUnusable(thrown) };
  }
}

async function reportOf(source: DesignPart, pattern: Pattern, leftOut: unknown[], given: Given): Promise<Report> {
  const { name, path, quantity, partNumber } = source.summary;
  const part = partOfPattern(pattern, { name, path, quantity, partNumber, unit: 'mm', format: 'made here' });
  part.summary.lost = source.summary.lost;
  const flat = part.summary.flat!;
  const drawing = part.geometry.kind === 'drawing' ? part.geometry.drawing : null;
  const recipe: Recipe = {
    ...firstRecipe(part.summary),
    receiver: given.receiver === null && given.format === 'dxf' ? 'swift' : flatReceiver(given).id,
    drawing: { ...firstDrawingRecipe(), version: given.dxfVersion, kerf: given.kerf ?? 0 },
  };
  recipe.file = { ...recipe.file, format: given.format, unit: given.unit };
  await mkdir(given.out, { recursive: true });
  const { fileName, bytes, evidence } = await makeOneFile(part, recipe, nodeTools, (as, pieces) => store(join(given.out, as), pieces));
  const file = join(given.out, fileName);
  // What was found while unfolding counts as much as what came back.
  const proved = withFindings(evidence, part.findings);
  const made = await settled({ file, format: given.format, part: name, bytes, evidence: proved }, given);
  const written: Record<string, unknown>[] = [
    {
      file,
      format: given.format,
      bytes: made.bytes,
      sha256: made.sha256,
      verdict: made.verdict,
      reason: made.reason,
      kept: made.kept,
      evidence: made.evidence,
    },
  ];
  if (flat.bends.length > 0) {
    const encoder = new TextEncoder();
    for (const [ending, text] of [
      ['bends.csv', bendCsv(flat)],
      ['brake.svg', brakePicture(name, flat, drawing!)],
    ]) {
      const beside = join(given.out, `${safeFileName(name)}_${ending}`);
      const data = await store(beside, [encoder.encode(text)]);
      written.push({ file: beside, format: ending.slice(-3), bytes: data.length, sha256: sha256([data]) });
    }
  }
  const all = proved.findings;
  const severities: Severity[] = [proved.verdict, ...all.map((f) => f.severity)];
  const { thickness, spread, bends, box, area, length, holes, foldBack, weight, deviation } = flat;
  const json = {
    part: name,
    thickness,
    thicknessSpread: spread,
    bends: bends.map((b) => ({
      order: b.order,
      angle: b.angle,
      radius: b.radius,
      toolRadius: b.tool,
      direction: b.direction,
      length: b.length,
      allowance: b.allowance,
      deduction: b.deduction,
      k: b.k,
      rule: b.rule,
      rolled: b.rolled,
    })),
    ...(flat.press ? { press: flat.press } : {}),
    leftOut,
    flat: { box: { min: [box[0], box[1], 0], max: [box[2], box[3], 0] }, area, length, holes, deviation, fit: flat.fit, weight },
    foldBack,
    findings: all,
    verdict: worst(severities),
    written,
  };
  const lines = [
    `${worst(severities)}: ${name}, sheet ${Number(thickness.toFixed(4))} mm, flat ${(box[2] - box[0]).toFixed(3)} x ${(box[3] - box[1]).toFixed(3)} mm, ${bends.length} ${bends.length === 1 ? 'bend' : 'bends'}, ${holes} ${holes === 1 ? 'hole' : 'holes'}`,
    ...bends.map(
      (b) =>
        `  bend ${b.order}: ${b.direction} ${b.angle.toFixed(2)} degrees, R ${b.tool.toFixed(3)} mm, ${b.length.toFixed(2)} mm long, allowance ${b.allowance.toFixed(4)} mm (${b.rule})`,
    ),
    `  folded back within ${foldBack.distance.toFixed(5)} mm`,
    ...all.map((f) => `  ${f.severity}: ${f.message} ${f.remedy}`),
    ...written.map((w) => `  ${String(w.file)} (${String(w.bytes)} bytes)`),
  ];
  return { json, text: `${lines.join('\n')}\n`, severities };
}
