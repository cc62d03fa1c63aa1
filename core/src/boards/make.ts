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
import { shopFindings } from './rules.ts';

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
 * Makes the files of a board, reads their zip back as a shop does, and holds it against the design.
 * @param how shop: whose rules it is held to; name: what its files are called by
 * @param keep what is kept of the zip's bytes is what is read back
 * @throws Unusable when the drawing has no closed edge, or no panel can be made of it
 */
export async function makeBoard(
  engine: Engine,
  drawing: Drawing,
  how: { choice: BoardChoice; shop: BoardShop | null; name: string; told: readonly Finding[] },
  keep: (zip: Uint8Array, files: readonly BoardFile[]) => Promise<Uint8Array> = async (zip) => zip,
): Promise<BoardMade> {
  const { choice, shop, name, told } = how;
  const { board: one, contours } = boardOf(drawing, choice);
  const whole = choice.panel ? panelOf(one, choice.panel) : one;
  const files = boardFiles(whole, choice, name);
  const zip = await keep(boardZip(files), files);
  const received = receiveBoard(zip);
  const findings = [...told, ...one.findings, ...(shop ? shopFindings(one, choice, shop) : []), ...(shop && choice.panel ? sizeOnly(whole, choice, shop) : [])];
  const evidence = proveBoard({ engine, board: whole, choice }, received, [...findings, ...unprinted(engine, received)]);
  return { one, whole, contours, files, zip, received, evidence };
}

/** Of a panel only its size is held to the rules: small holes along its tabs are meant to break. */
const sizeOnly = (board: Board, choice: BoardChoice, shop: BoardShop): Finding[] => shopFindings({ ...board, holes: [], slots: [], cutOuts: [], edges: [] }, choice, shop).filter((f) => f.code === 'too-large'); // prettier-ignore

/** Less than this of a legend over a hole is rounding, mm2. */
const leastLost = 1e-3;

/** Legend that lies over holes or beyond the edge, where nothing can be printed. */
function unprinted(engine: Engine, received: ReceivedBoard): Finding[] {
  const images = new Images(engine, 1e-3);
  const board = images.inside([...received.edges, ...received.cutOuts].map((c) => c.segments as Track[]));
  const drilled = images.drilled(toolsOf(received));
  const there = board.subtract(drilled);
  board.delete();
  drilled.delete();
  const out = received.layers
    .filter((l) => l.kind === 'legend')
    .flatMap((l): Finding[] => {
      const image = images.layer(l.gerber.objects);
      const off = image.subtract(there);
      const lost = off.area();
      image.delete();
      off.delete();
      if (lost < leastLost) return [];
      return [
        {
          code: 'legend-lost',
          severity: 'look',
          count: 1,
          message: `${lost < 0.01 ? 'under 0.01' : lost.toFixed(2)} mm² of the legend, ${l.side}, lie over holes or beyond the edge and are not printed.`,
          remedy: 'Move it, or let it be cut.',
        },
      ];
    });
  there.delete();
  return out;
}
