import { mkdir } from 'node:fs/promises';
import { basename, extname, join } from 'node:path';
import { Unusable, worst, type Finding, type Severity } from '../base/finding.ts';
import { sha256 } from '../base/sha256.ts';
import { boardMeanings, maskColours, usualBoard, usualPanel, type BoardChoice, type BoardMeaning } from '../boards/choice.ts';
import { boardZip, type BoardFile } from '../boards/files.ts';
import { makeBoard } from '../boards/make.ts';
import { boardSchema } from '../boards/schema.ts';
import { figuresOf } from '../boards/view.ts';
import { command, type Asked, type Out, type Report } from '../command/command.ts';
import { badText, choice, each, flag, millimetres, number, parsed } from '../command/option.ts';
import { drawingChoices, drawingReadOptions, loadDesign, partOption, readOptions } from '../command/source.ts';
import { store } from '../command/store.ts';
import { receiverOption } from '../command/written.ts';
import { transformedDrawing } from '../curves/drawing.ts';
import { usualChoices } from '../model/choices.ts';
import { nodeTools } from '../pipeline/node-tools.ts';
import { readyReceivers } from '../receivers/ready.ts';
import { isBoardShop, type BoardShopReceiver } from '../receivers/receivers.ts';
import { firstRecipe, scaleOf } from '../recipe/recipe.ts';

const out: Out = { kind: 'folder', needed: false, endings: [] };

/** "2x3": columns and rows. */
function panelSize(name: string, typed: string): [number, number] {
  const m = /^(\d{1,2})x(\d{1,2})$/.exec(typed.trim());
  if (!m || Number(m[1]) < 1 || Number(m[2]) < 1) throw badText(name, typed, '2x3');
  return [Number(m[1]), Number(m[2])];
}

/** "LEGEND=legend": a layer and what it is. */
function layerMeaning(name: string, typed: string): [string, BoardMeaning] {
  const at = typed.lastIndexOf('=');
  const meaning = typed.slice(at + 1) as BoardMeaning;
  if (at < 1 || !boardMeanings.includes(meaning)) throw badText(name, typed, `LAYER=${boardMeanings.join('|')}`);
  return [typed.slice(0, at), meaning];
}

const isColour = (of: string): boolean => /^#[0-9a-f]{6}$/i.test(of);

/** "10,20": a place, mm. */
function placeOf(name: string, typed: string): { x: number; y: number } {
  const [x, y, ...more] = typed.split(',').map(Number);
  if (!Number.isFinite(x) || !Number.isFinite(y) || more.length > 0) throw badText(name, typed, '10,20');
  return { x, y };
}

const options = {
  ...partOption,
  ...readOptions,
  ...drawingReadOptions,
  copper: choice(['none', 'top', 'both'], 'both', 'Which sides are poured with copper.'),
  clearance: millimetres([0.02, 20], 'Between poured copper and edges, cut-outs, bare holes; usually 0.3.'),
  thickness: millimetres([0.1, 10], 'Of the board; usually 1.6.'),
  ring: millimetres([0, 20], 'Copper around plated holes; usually 0.3.'),
  maskColour: choice(maskColours, 'green', 'Colour of the solder mask, or none.'),
  maskGrow: millimetres([0, 5], 'How much larger openings of the mask are than their copper; usually 0.05.'),
  copperMicrons: number('35', [5, 500], 'micrometres', 'Thickness of the copper; usually 35.'),
  innerRadius: millimetres([0, 20], 'Rounds inner corners of edges and cut-outs.'),
  meaning: each('LAYER=MEANING', `What a layer, or a colour (#rrggbb), is: ${boardMeanings.join(', ')}. Say it again for each.`, layerMeaning),
  orderSpot: parsed('X,Y', 'A filled spot of the top legend for the order number, by its middle.', placeOf),
  names: choice(['standard', 'trade'], 'standard', 'Names of files by the standard (.gbr), or by the endings of the trade.'),
  panel: parsed('2x3', 'Several as one: columns x rows.', panelSize),
  join: choice(['tabs', 'scored'], 'tabs', 'How the boards of a panel hold together.'),
  rail: millimetres([0, 50], 'Width of the rails of a panel; usually 7.'),
  ...receiverOption,
  zip: flag('Writes one zip instead of the files.'),
};

type Wish = Asked<typeof options>;

function choiceOf(given: Wish): BoardChoice {
  const usual = usualBoard;
  const wish: BoardChoice = {
    ...usual,
    copper: given.copper,
    clearance: given.clearance ?? usual.clearance,
    thickness: given.thickness ?? usual.thickness,
    ring: given.ring ?? usual.ring,
    mask: given.maskColour,
    maskGrow: given.maskGrow ?? usual.maskGrow,
    copperMicrons: given.copperMicrons ?? usual.copperMicrons,
    innerRadius: given.innerRadius ?? usual.innerRadius,
    byLayer: Object.fromEntries(given.meaning.filter(([of]) => !isColour(of))),
    byColour: Object.fromEntries(given.meaning.filter(([of]) => isColour(of)).map(([of, m]) => [of.toLowerCase(), m])),
    orderSpot: given.orderSpot ? { ...given.orderSpot, side: 'top' } : null,
    names: given.names,
    panel: given.panel ? { ...usualPanel, columns: given.panel[0], rows: given.panel[1], join: given.join, rail: given.rail ?? usualPanel.rail } : null,
  };
  const { error } = boardSchema.validate(wish, { convert: false });
  if (error) throw new Unusable('bad-board', `These choices make no board: ${error.message}.`, 'Correct that one.');
  return wish;
}

function shopOf({ receiver }: Wish): BoardShopReceiver {
  if (receiver && !isBoardShop(receiver))
    throw new Unusable('no-board-shop', `${receiver.name} (${receiver.process}) makes no boards.`, `Name a board shop: --receiver ${readyReceivers.find(isBoardShop)!.id}`); // prettier-ignore
  return (receiver ?? readyReceivers.find(isBoardShop)!) as BoardShopReceiver;
}

/** `board`: layers and drill files of the board that a drawing is, read back as a board shop does. */
async function run(given: Wish): Promise<Report> {
  const [file] = given.files;
  const wish = choiceOf(given);
  const shop = shopOf(given);
  const design = await loadDesign(file, { ...usualChoices, up: given.up, ...drawingChoices(given) });
  const flat = design.parts.filter((p) => p.geometry.kind === 'drawing' && (given.part === null || p.summary.name === given.part));
  if (flat.length !== 1) {
    const names = design.parts.map((p) => p.summary.name).join(', ') || 'none';
    throw flat.length === 0
      ? new Unusable('no-drawing', `There is no drawing${given.part === null ? '' : ` "${given.part}"`} in this file.`, `Parts in it: ${names}. A board is made of a drawing; draw a solid flat first.`) // prettier-ignore
      : new Unusable('which-part', `The file holds ${flat.length} drawings.`, `Name one with --part: ${names}.`);
  }
  const [{ summary, geometry, findings: own }] = flat;
  if (geometry.kind !== 'drawing') throw new RangeError('only drawings are here');
  const recipe = firstRecipe(summary, readyReceivers);
  recipe.size.reading = given.fromUnit;
  const scale = scaleOf(summary, recipe);
  const drawing = transformedDrawing(geometry.drawing, [scale, 0, 0, scale, 0, 0]);
  const name = basename(file, extname(file));
  const engine = await nodeTools.engine();
  // Gaps and crossings of what is only printed are none; those of the outline are told by what comes back.
  const told: Finding[] = [...design.findings.filter((f) => f.code !== 'texts'), ...own.filter((f) => f.code === 'left-out')].filter(
    (f) => f.severity !== 'clear',
  );
  const written: { file: string; bytes: number; sha256: string }[] = [];
  const made = await makeBoard(engine, drawing, { choice: wish, shop: shop.boardShop, mostBytes: shop.mostBytes, name, told }, async (zip, files) => {
    if (!given.out) return zip;
    await mkdir(given.out, { recursive: true });
    const kept: BoardFile[] = [];
    for (const f of given.zip ? [{ file: `${name}_board.zip`, function: '', bytes: zip, sha256: '' }] : files) {
      const bytes = await store(join(given.out, f.file), [f.bytes]);
      kept.push({ ...f, bytes });
      written.push({ file: join(given.out, f.file), bytes: bytes.length, sha256: sha256([bytes]) });
    }
    // What is read back is what lies on the disk.
    return given.zip ? kept[0].bytes : boardZip(kept);
  });
  const { evidence, received, files } = made;
  const f = figuresOf(engine, received);
  const json = {
    size: f.size,
    outline: f.outline,
    holes: f.holes,
    slots: f.slots,
    cutOuts: f.cutOuts,
    copper: f.copper,
    leastWeb: f.leastWeb,
    meanings: meaningsOf(made.contours),
    files: files.map(({ file: n, function: what, bytes, sha256: hash }) => ({ file: n, function: what, bytes: bytes.length, sha256: hash })),
    evidence: evidence.claims,
    findings: evidence.findings,
    verdict: evidence.verdict,
    written,
  };
  const severities: Severity[] = [evidence.verdict];
  const lines = [
    `${worst(severities)}: ${f.size.map((v) => v.toFixed(3)).join(' x ')} mm, ${f.holes.map((h) => `${h.count} x ${h.diameter} ${h.plated ? 'plated' : 'bare'}`).join(', ') || 'no holes'}, ${evidence.claims.filter((c) => c.verdict === 'clear').length} of ${evidence.claims.length} claims agree`,
    ...json.meanings.map((m) => `  ${m.layer}: ${m.count} ${m.meaning}, ${m.why}`),
    ...evidence.claims
      .filter((c) => c.verdict !== 'clear')
      .map((c) => `  ${c.verdict}: ${c.quantity}: designed ${c.designed}, received ${c.received} ${c.unit}`),
    ...evidence.findings.map((x) => `  ${x.severity}: ${x.message} ${x.remedy}`),
    ...written.map((w) => `  ${w.file} (${w.bytes} bytes)`),
  ];
  return { json, text: `${lines.join('\n')}\n`, severities };
}

/** What contours were taken for, gathered. */
function meaningsOf(contours: readonly { layer: string; meaning: BoardMeaning; why: string }[]) {
  const by = new Map<string, { layer: string; meaning: BoardMeaning; why: string; count: number }>();
  for (const { layer, meaning, why } of contours) {
    const key = `${layer}\n${meaning}\n${why}`;
    const known = by.get(key) ?? { layer, meaning, why, count: 0 };
    known.count++;
    by.set(key, known);
  }
  return [...by.values()];
}

export const boardCommand = command({
  word: 'board',
  takes: 'IN',
  least: 1,
  most: 1,
  out,
  options,
  does: 'The board that a drawing is: Gerber layers, drill files, job file and readme for a board shop, read back from their zip and held against the drawing.',
  example: 'board "WS-500 sensor disc.dxf" --copper both --receiver dipper --zip --out boards',
  run,
});
