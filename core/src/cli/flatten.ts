import { store } from '../command/store.ts';
import { mkdir, readFile } from 'node:fs/promises';
import { basename, extname, join } from 'node:path';
import { usualChoices } from '../model/choices.ts';
import type { DesignPart } from '../model/design.ts';
import { withFindings } from '../prove/evidence.ts';
import { sha256 } from '../base/sha256.ts';
import { Unusable, asUnusable, worst, type Severity } from '../base/finding.ts';
import { withoutKernel } from '../kernel/kernel.ts';
import { workingKernel } from '../kernel/load.ts';
import { nodeTools } from '../pipeline/node-tools.ts';
import { makeOneFile } from '../pipeline/one-file.ts';
import { firstDrawingRecipe } from '../model/drawing-recipe.ts';
import { readyReceivers } from '../receivers/ready.ts';
import { firstRecipe, safeFileName, scaleOf, type Recipe } from '../recipe/recipe.ts';
import { flattenShape, sheetSource } from '../sheet/flatten.ts';
import { partOfPattern } from '../sheet/part.ts';
import { usualFlatten, type FlattenChoice, type Pattern } from '../sheet/pattern.ts';
import { bendCsv, brakePicture } from '../sheet/report.ts';
import { pressSchema } from '../sheet/press.ts';
import type { PressChoice, ReliefCuts, Rip } from '../sheet/asked.ts';
import { readBendTable, type BendRule, type HandbookStock } from '../sheet/rules.ts';
import { patternFileOptions, patternReceiver } from './flat.ts';
import { loadDesign, partOption, readOptions } from '../command/source.ts';
import { badText, choice, choiceOrNone, each, flag, millimetres, number, parsed, text } from '../command/option.ts';
import { directionOf } from '../command/vectors.ts';
import { command, toFolder, type Asked, type Report } from '../command/command.ts';
import { settled } from '../command/settle.ts';

const rules = ['din6935', 'handbook-soft', 'handbook-half-hard', 'handbook-hard'] as const;

/** "3/7": two walls that meet; "5@-y": down a round wall, where it looks in a direction; "7@middle": down a flat wall. Faces are counted from 1. */
export function ripOf(typed: string): Rip {
  const pair = /^(\d{1,7})\/(\d{1,7})$/.exec(typed.trim());
  const seam = /^(\d{1,7})@(.+)$/.exec(typed.trim());
  if (pair && Number(pair[1]) > 0 && Number(pair[2]) > 0 && pair[1] !== pair[2]) return { between: [Number(pair[1]) - 1, Number(pair[2]) - 1] };
  if (seam && Number(seam[1]) > 0 && seam[2] === 'middle') return { face: Number(seam[1]) - 1, middle: true };
  if (seam && Number(seam[1]) > 0) return { face: Number(seam[1]) - 1, towards: directionOf('rip', seam[2]) };
  throw new Unusable(
    'bad-rip',
    `--rip must be like 3/7 (where faces 3 and 7 meet) 5@-y (down round face 5, where it looks to -Y) or 7@middle (down flat face 7), not "${typed}".`,
    'Faces are counted from 1, as in what "flatten" says.',
  );
}

const pressLike = 'usual, or opening=16,strength=300,most=600,punch=85x12x100,ram=80';

/** One "name=value" of the press; the punch is angle x width x height. */
function pressWord(word: string): [string, unknown] {
  const [name, value, ...more] = word.trim().split('=');
  const numbers = (value ?? '').split('x').map(Number);
  const known = ['opening', 'strength', 'most', 'punch', 'ram'].includes(name) && value !== undefined && more.length === 0;
  if (!known || numbers.length !== (name === 'punch' ? 3 : 1)) throw badText('press', word, pressLike);
  return [name, name === 'punch' ? { angle: numbers[0], width: numbers[1], height: numbers[2] } : numbers[0]];
}

/** "usual", or "opening=16,strength=300,most=600,punch=85x12x100": the V and the punch (angle x width x height) in mm and degrees, MPa, kN. */
export function pressOf(typed: string): PressChoice {
  const words = typed.trim() === 'usual' ? [] : typed.split(',').map(pressWord);
  const given = Object.fromEntries(words);
  if (Object.keys(given).length < words.length) throw badText('press', typed, pressLike);
  const { value, error } = pressSchema.validate(given, { convert: false });
  if (error) throw new Unusable('bad-number', `--press: ${error.message.replace(/"/g, '')}.`, `Write it like ${pressLike}.`);
  return value;
}

/** "obround=3x4": its kind, how wide, and how deep past the bend zone, mm. */
function bendReliefOf(name: string, typed: string): ReliefCuts['bends'] {
  const found = /^(rectangular|obround)=(\d+(?:\.\d+)?)x(\d+(?:\.\d+)?)$/.exec(typed.trim());
  const [width, depth] = [Number(found?.[2]), Number(found?.[3])];
  if (!found || !(width >= 0.1 && width <= 100 && depth >= 0.1 && depth <= 200))
    throw badText(name, typed, 'obround=3x4 or rectangular=3x4 (width x depth past the bend)');
  return { kind: found[1] as 'rectangular' | 'obround', width, depth };
}

/** "round=5": its kind and its diameter or side, mm. */
function cornerReliefOf(name: string, typed: string): ReliefCuts['corners'] {
  const found = /^(round|square)=(\d+(?:\.\d+)?)$/.exec(typed.trim());
  const size = Number(found?.[2]);
  if (!found || !(size >= 0.1 && size <= 200)) throw badText(name, typed, 'round=5 or square=5');
  return { kind: found[1] as 'round' | 'square', size };
}

const options = {
  ...partOption,
  ...readOptions,
  face: number('N', [1, 1_000_000], 'faces', 'The flat face that stays; usually the largest.'),
  rip: each('3/7|5@-y|7@middle', 'A seam that the design lacks: where two walls meet, down a round wall, down a flat one.', (_, typed) => ripOf(typed)),
  k: number('0.44', [0, 1], 'of the thickness', 'Neutral line by one K-factor.'),
  rule: choiceOrNone(rules, 'Neutral line by DIN 6935 or a handbook; usually DIN 6935.'),
  table: text('FILE.csv', 'Allowances from a bend table of your own.'),
  radius: millimetres([0, 10_000], "Inside radius that the tool makes; usually the design's."),
  side: choice(['bends-up', 'face', 'back'], 'bends-up', 'Which side is seen.'),
  leaveOut: choice(['all', 'none'], 'all', 'What is stamped in the sheet: left out, or a refusal.'),
  leaves: choice(['nothing', 'centre', 'outline'], 'centre', 'What a stamped feature leaves on the flat.'),
  countersinks: choice(['through', 'cut-side'], 'through', 'Which circle of a countersink is cut.'),
  tolerance: number('PERCENT', [0.1, 20], 'percent of the thickness', 'By how much walls may differ; usually 5.'),
  bendRelief: parsed('obround=3x4', 'Reliefs beside bends: kind=width x depth past the bend.', bendReliefOf),
  cornerRelief: parsed('round=5', 'Reliefs in corners: kind=size.', cornerReliefOf),
  press: parsed('usual|opening=16,strength=300,most=600,punch=85x12x100', 'Force, shortest flanges and collisions on a press brake.', (_, typed) =>
    pressOf(typed),
  ),
  grain: choice(['any', 'across', 'along'], 'any', 'How bends lie to the grain.'),
  zoneEdges: flag('Draws where bends begin and end.'),
  material: text('NAME', 'Written into the table.'),
  density: number('G_PER_CM3', [0.1, 30], 'g/cm3', 'For the weight.'),
  ...patternFileOptions,
};

type Wish = Asked<typeof options>;

async function ruleFor(given: Wish): Promise<BendRule> {
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
async function run(given: Wish): Promise<Report> {
  if ([given.k, given.rule, given.table].filter((v) => v !== null).length > 1)
    throw new Unusable('which-rule', '"flatten" takes one of --k, --rule and --table.', 'For instance: --k 0.44');
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
    rips: given.rip,
    reliefs: { bends: given.bendRelief, corners: given.cornerRelief },
    press: given.press,
    rule: await ruleFor(given),
    radius: given.radius,
    leaveOut: given.leaveOut === 'all' ? 'all' : [],
    leaves: given.leaves,
    countersinks: given.countersinks,
    tolerance: (given.tolerance ?? 5) / 100,
    zoneEdges: given.zoneEdges,
    grain: given.grain,
    deviation: given.fitArcs ?? usualFlatten.deviation,
    material: given.material ?? '',
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

async function attempt(part: DesignPart, given: Wish, choice: FlattenChoice): Promise<{ part: DesignPart; pattern: Pattern | null; failure: Unusable | null }> {
  try {
    const { geometry, summary } = part;
    if (geometry.kind === 'drawing') throw new Unusable('already-flat', `"${summary.name}" is a drawing already.`, 'Write it as it is: tall-kite write');
    const recipe = firstRecipe(summary, readyReceivers);
    recipe.size.reading = given.fromUnit;
    const scale = scaleOf(summary, recipe);
    const pattern = await withoutKernel((kernel) => flattenShape(kernel, sheetSource(geometry, scale, summary.volume), choice), workingKernel);
    return { part, pattern, failure: null };
  } catch (thrown) {
    return { part, pattern: null, failure: thrown instanceof Unusable ? thrown : asUnusable(thrown) };
  }
}

async function reportOf(source: DesignPart, pattern: Pattern, leftOut: unknown[], given: Wish): Promise<Report> {
  const { name, path, quantity, partNumber } = source.summary;
  const part = partOfPattern(pattern, { name, path, quantity, partNumber, unit: 'mm', format: 'made here' });
  part.summary.lost = source.summary.lost;
  const flat = part.summary.flat!;
  const drawing = part.geometry.kind === 'drawing' ? part.geometry.drawing : null;
  const recipe: Recipe = {
    ...firstRecipe(part.summary, readyReceivers),
    receiver: patternReceiver(given),
    drawing: { ...firstDrawingRecipe(), version: given.dxfVersion, kerf: given.kerf ?? 0, ...(given.pages ? { pages: given.pages } : {}) },
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

export const flattenCommand = command({
  word: 'flatten',
  takes: 'IN',
  least: 1,
  most: 1,
  out: toFolder,
  options,
  does: 'The flat pattern of a folded sheet part, folded again to prove it, with a bend table (CSV) and a picture for the press brake.',
  example: 'flatten "WS-204 enclosure tray.step" --rule din6935 --out flat',
  run,
});
