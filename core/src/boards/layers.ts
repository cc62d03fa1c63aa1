import { contourOf } from '../curves/drawing.ts';
import { nest } from '../curves/nest.ts';
import { drillFile, type DrillWork } from '../formats/drill/write.ts';
import { GerberWriter, type Attribute } from '../formats/gerber/write.ts';
import type { Board, Chain } from './board.ts';
import { orderSize, type BoardChoice } from './choice.ts';

/** A file of a board. */
export interface LayerFile {
  /** Its function as the standard says it: "Copper,L1,Top". */
  function: string;
  /** Positive: what is drawn is there; negative: what is drawn is open. */
  polarity: 'Positive' | 'Negative';
  /** How its name ends: by the standard, and by the trade. */
  endings: { standard: string; trade: string };
  bytes: Uint8Array;
}

const attributes = (name: string, polarity: LayerFile['polarity'] | null, { panel }: Pick<BoardChoice, 'panel'>): Attribute[] => [
  ['.GenerationSoftware', 'Tall Kite', 'Tall Kite'],
  ['.FileFunction', ...name.split(',')],
  ...(polarity ? [['.FilePolarity', polarity] as Attribute] : []),
  ['.SameCoordinates', 'one'],
  ['.Part', panel ? 'Array' : 'Single'],
];

/** All layers and drill files of a board. @example layersOf(board, usualBoard).map((l) => l.function) */
export function layersOf(board: Board, choice: BoardChoice): LayerFile[] {
  const out: LayerFile[] = [profile(board, choice)];
  const sides = ['top', 'bottom'] as const;
  for (const side of sides) if (hasCopper(board, choice, side)) out.push(copper(board, choice, side));
  if (choice.mask !== 'none') for (const side of sides) out.push(mask(board, choice, side));
  for (const side of sides) if (hasLegend(board, choice, side)) out.push(legend(board, choice, side));
  if (board.scores.length > 0) out.push(scores(board, choice));
  for (const plated of [true, false]) {
    const works = worksOf(board, plated);
    if (works.length > 0) out.push(drills(works, plated));
  }
  return out;
}

/** Whether a side is poured with copper. */
export const poured = (choice: BoardChoice, side: 'top' | 'bottom'): boolean => choice.copper === 'both' || (choice.copper === 'top' && side === 'top');
/** Whether a side has any copper: poured, drawn, or the rings of plated holes. */
export const hasCopper = (board: Board, choice: BoardChoice, side: 'top' | 'bottom'): boolean =>
  poured(choice, side) || board[side].copper.length > 0 || board.holes.some((h) => h.plated) || board.slots.some((s) => s.plated) || board.fiducials.length > 0;
/** Whether a side has a legend, the spot for an order number counted. */
export const hasLegend = (board: Board, { orderSpot }: BoardChoice, side: 'top' | 'bottom'): boolean =>
  board[side].legendLines.length > 0 || board[side].legendFilled.length > 0 || orderSpot?.side === side;

const file = (name: string, polarity: LayerFile['polarity'], endings: LayerFile['endings'], writer: GerberWriter): LayerFile => ({
  function: name,
  polarity,
  endings,
  bytes: writer.bytes(),
});

function profile(board: Board, choice: BoardChoice): LayerFile {
  const name = 'Profile,NP';
  const g = new GerberWriter(attributes(name, null, choice));
  const pen = g.circle(choice.profileWidth, ['Profile']);
  for (const chain of [...board.edges, ...board.cutOuts]) g.stroke(pen, chain);
  return file(name, 'Positive', { standard: '_profile.gbr', trade: '.GKO' }, g);
}

/**
 * Copper of a side. Poured: the board's area, then everything that it keeps away from is taken off, by twice the clearance along edges; last what is laid on by itself.
 * Openings of drawn copper are taken away with what they hold put back after them.
 */
function copper(board: Board, choice: BoardChoice, side: 'top' | 'bottom'): LayerFile {
  const name = side === 'top' ? 'Copper,L1,Top' : 'Copper,L2,Bot';
  const g = new GerberWriter(attributes(name, 'Positive', choice));
  const { ring } = choice;
  if (poured(choice, side)) pour(g, board, choice.clearance);
  filled(g, board[side].copper);
  g.polarity(true);
  for (const { at, diameter, plated } of board.holes) if (plated) g.flash(g.circle(diameter + 2 * ring, ['ComponentPad']), at);
  for (const { path, width, plated } of board.slots) if (plated) g.stroke(g.circle(width + 2 * ring, ['ComponentPad']), path);
  for (const { at, diameter } of board.fiducials) g.flash(g.circle(diameter, ['FiducialPad', 'Global']), at);
  return file(name, 'Positive', side === 'top' ? { standard: '_copper_top.gbr', trade: '.GTL' } : { standard: '_copper_bottom.gbr', trade: '.GBL' }, g);
}

/** The board's area, less what copper keeps away from. */
function pour(g: GerberWriter, board: Board, clearance: number): void {
  for (const e of board.edges) g.region([e]);
  g.polarity(false);
  for (const c of [...board.cutOuts, ...board.keepOuts]) g.region([c]);
  const away = g.circle(2 * clearance);
  for (const c of [...board.edges, ...board.cutOuts]) g.stroke(away, c);
  for (const { at, diameter, plated } of board.holes) if (!plated) g.flash(g.circle(diameter + 2 * clearance), at);
  for (const { path, width, plated } of board.slots) if (!plated) g.stroke(g.circle(width + 2 * clearance), path);
  for (const { at, opening } of board.fiducials) g.flash(g.circle(opening), at);
}

/** Chains filled even-odd: from the outermost in, each by turns laid on and taken away. */
function filled(g: GerberWriter, chains: readonly Chain[]): void {
  if (chains.length === 0) return;
  for (const { chain, depth } of byDepth(chains)) {
    g.polarity(depth % 2 === 0);
    g.region([chain]);
  }
}

function mask(board: Board, choice: BoardChoice, side: 'top' | 'bottom'): LayerFile {
  const name = side === 'top' ? 'Soldermask,Top' : 'Soldermask,Bot';
  const g = new GerberWriter(attributes(name, 'Negative', choice));
  const { maskGrow, ring } = choice;
  filled(g, board[side].mask);
  g.polarity(true);
  for (const { at, diameter, plated } of board.holes) g.flash(g.circle(diameter + 2 * maskGrow + (plated ? 2 * ring : 0)), at);
  for (const { path, width, plated } of board.slots) g.stroke(g.circle(width + 2 * maskGrow + (plated ? 2 * ring : 0)), path);
  for (const { at, opening } of board.fiducials) g.flash(g.circle(opening), at);
  return file(name, 'Negative', side === 'top' ? { standard: '_mask_top.gbr', trade: '.GTS' } : { standard: '_mask_bottom.gbr', trade: '.GBS' }, g);
}

/** The spot for an order number, as a filled rectangle. */
export function orderChain({ orderSpot }: BoardChoice): Chain {
  const { x, y } = orderSpot!;
  const [w, h] = orderSize.map((v) => v / 2);
  const corners: [number, number][] = [[x - w, y - h], [x + w, y - h], [x + w, y + h], [x - w, y + h]]; // prettier-ignore
  return corners.map((a, i) => ({ kind: 'line', a, b: corners[(i + 1) % 4] }));
}

function legend(board: Board, choice: BoardChoice, side: 'top' | 'bottom'): LayerFile {
  const name = side === 'top' ? 'Legend,Top' : 'Legend,Bot';
  const g = new GerberWriter(attributes(name, 'Positive', choice));
  filled(g, board[side].legendFilled);
  g.polarity(true);
  if (choice.orderSpot?.side === side) g.region([orderChain(choice)]);
  const pen = g.circle(choice.legendWidth, ['NonConductor']);
  for (const c of board[side].legendLines) g.stroke(pen, c);
  return file(name, 'Positive', side === 'top' ? { standard: '_legend_top.gbr', trade: '.GTO' } : { standard: '_legend_bottom.gbr', trade: '.GBO' }, g);
}

function scores({ scores: lines }: Board, choice: BoardChoice): LayerFile {
  const name = 'Vcut';
  const g = new GerberWriter(attributes(name, 'Positive', choice));
  const pen = g.circle(choice.profileWidth);
  for (const c of lines) g.stroke(pen, c);
  return file(name, 'Positive', { standard: '_score.gbr', trade: '.GM2' }, g);
}

/** Holes and slots by diameter, smallest first. */
function worksOf(board: Board, plated: boolean): DrillWork[] {
  const use = plated ? ['Plated', 'PTH', 'ComponentDrill'] : ['NonPlated', 'NPTH', 'MechanicalDrill'];
  const by = new Map<string, { diameter: number; holes: [number, number][]; slots: Chain[] }>();
  const of = (diameter: number) => {
    const key = diameter.toFixed(6);
    const known = by.get(key) ?? { diameter: Number(key), holes: [], slots: [] };
    by.set(key, known);
    return known;
  };
  for (const h of board.holes) if (h.plated === plated) of(h.diameter).holes.push(h.at);
  for (const s of board.slots) if (s.plated === plated) of(s.width).slots.push(s.path);
  return [...by.values()].sort((a, b) => a.diameter - b.diameter).map((w) => ({ ...w, use }));
}

function drills(works: readonly DrillWork[], plated: boolean): LayerFile {
  const name = plated ? 'Plated,1,2,PTH' : 'NonPlated,1,2,NPTH';
  return {
    function: name,
    polarity: 'Positive',
    endings: plated ? { standard: '_plated.drl', trade: '-PTH.DRL' } : { standard: '_bare.drl', trade: '-NPTH.DRL' },
    bytes: drillFile(
      [
        ['.GenerationSoftware', 'Tall Kite', 'Tall Kite'],
        ['.FileFunction', ...name.split(',')],
      ],
      works,
    ),
  };
}

/** Closed chains from the outermost in, with how many others lie around each. */
export function byDepth(chains: readonly Chain[]): { chain: Chain; depth: number }[] {
  const places = depthsOf(chains);
  return chains.map((chain, i) => ({ chain, depth: places[i] })).sort((a, b) => a.depth - b.depth);
}

function depthsOf(chains: readonly Chain[]): number[] {
  const layer = { name: '', colour: null, lineType: 'CONTINUOUS', contours: chains.map((c) => contourOf([...c], true)) };
  const out = chains.map(() => 0);
  for (const n of nest({ layers: [layer], texts: [], points: [] })) out[n.contour] = n.depth;
  return out;
}
