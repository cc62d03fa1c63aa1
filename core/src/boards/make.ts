import type { CrossSection } from 'manifold-3d';
import type { Finding } from '../base/finding.ts';
import type { Drawing } from '../curves/drawing.ts';
import type { Engine } from '../engine/engine.ts';
import type { Evidence } from '../prove/evidence.ts';
import type { BoardShop } from '../receivers/receivers.ts';
import { boardOf, type Board } from './board.ts';
import type { BoardChoice } from './choice.ts';
import { boardFiles, boardZip, type BoardFile } from './files.ts';
import type { BoardContour } from './meaning.ts';
import { panelOf } from './panel.ts';
import { Images } from '../formats/gerber/image.ts';
import type { Track } from '../formats/gerber/write.ts';
import { proveBoard } from './prove.ts';
import { receiveBoard, toolsOf, type ReceivedBoard } from '../formats/gerber/pack.ts';
import { shopFindings, sizeFindings, tooLong } from './rules.ts';

/** A board with its files, what a shop reads from them, and the proof. */
export interface BoardMade {
  /** One board; `whole` is the panel of several, or the board itself. */
  one: Board;
  whole: Board;
  contours: BoardContour[];
  files: BoardFile[];
  zip: Uint8Array;
  received: ReceivedBoard;
  evidence: Evidence;
}

/**
 * Makes the files of a board (of a panel only its size is held to the shop's rules, small holes along its tabs are meant to break), reads their zip back as a shop does, and holds it against the design.
 * @param how shop: whose rules it is held to; name: what its files are called by
 * @param keep what is kept of the zip's bytes is what is read back
 * @throws Unusable when the drawing has no closed edge, or no panel can be made of it
 */
export async function makeBoard(
  engine: Engine,
  drawing: Drawing,
  how: { choice: BoardChoice; shop: BoardShop | null; mostBytes?: number; name: string; told: readonly Finding[] },
  keep: (zip: Uint8Array, files: readonly BoardFile[]) => Promise<Uint8Array> = async (zip) => zip,
): Promise<BoardMade> {
  const { choice, shop, name, told } = how;
  const { board: one, contours } = boardOf(drawing, choice);
  const whole = choice.panel ? panelOf(one, choice.panel) : one;
  const files = boardFiles(whole, choice, name);
  const zip = await keep(boardZip(files), files);
  const received = receiveBoard(zip);
  const findings = [
    ...tooLong(zip, how.mostBytes),
    ...told,
    ...one.findings,
    ...(shop ? shopFindings(one, choice, shop) : []),
    ...(shop && choice.panel ? sizeFindings(whole, shop) : []),
  ];
  const evidence = proveBoard({ engine, board: whole, choice }, received, [...findings, ...layFindings(engine, received, shop?.leastClearance ?? 0)]);
  return { one, whole, contours, files, zip, received, evidence };
}

/** Less than this of a legend over a hole is rounding, mm2. */
const leastLost = 1e-3;

/** Copper may lie nearer to an edge than the shop keeps by this, mm. */
const nearSlack = 1e-3;

/** What does not lie where it can be: holes beyond the board, copper too near to its edges, legend over holes. */
function layFindings(engine: Engine, received: ReceivedBoard, clearance: number): Finding[] {
  const images = new Images(engine, 1e-3);
  const kept: CrossSection[] = [];
  const keep = (c: CrossSection): CrossSection => (kept.push(c), c);
  const lost = (what: CrossSection, within: CrossSection): number => keep(what.subtract(within)).area();
  try {
    const tracks = (list: ReceivedBoard['edges']) => list.map((c) => c.segments as Track[]);
    const edges = keep(images.inside(tracks(received.edges)));
    const board = keep(images.inside(tracks([...received.edges, ...received.cutOuts])));
    const drilled = keep(images.drilled(toolsOf(received)));
    const bare = keep(images.drilled(received.drills.filter((d) => d.plated !== true).flatMap((d) => d.drill.tools)));
    const out: Finding[] = [];
    const beyond = lost(drilled, edges);
    if (beyond > leastLost)
      out.push({ code: 'hole-outside', severity: 'stop', count: 1, message: `${area(beyond)} of what is drilled lie beyond the edge of the board.`, remedy: 'Move the holes onto the board, or leave them out.' }); // prettier-ignore
    const there = keep(board.subtract(drilled));
    const inner = keep(keep(board.subtract(bare)).offset(-Math.max(0, clearance - nearSlack), 'Round', 2, 256));
    for (const layer of received.layers) {
      const words = `${layer.kind}, ${layer.side}`;
      if (layer.kind === 'legend') {
        const off = lost(keep(images.layer(layer.gerber.objects)), there);
        if (off > leastLost) out.push({ code: 'legend-lost', severity: 'look', count: 1, message: `${area(off)} of the ${words}, lie over holes or beyond the edge and are not printed.`, remedy: 'Move it, or let it be cut.' }); // prettier-ignore
      }
      if (layer.kind === 'copper' && clearance > 0) {
        const off = lost(keep(images.layer(layer.gerber.objects)), inner);
        if (off > leastLost) out.push({ code: 'copper-near', severity: 'stop', count: 1, message: `${area(off)} of the ${words}, lie nearer to edges, cut-outs or bare holes than the shop keeps (${clearance} mm).`, remedy: 'Move the copper or the hole, or take more clearance.' }); // prettier-ignore
      }
    }
    return out;
  } finally {
    for (const c of kept) c.delete();
  }
}

const area = (mm2: number): string => `${mm2 < 0.01 ? 'under 0.01' : mm2.toFixed(2)} mm²`;
