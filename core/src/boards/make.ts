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
import { proveBoard } from './prove.ts';
import { receiveBoard, type ReceivedBoard } from '../formats/gerber/pack.ts';
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
  const evidence = proveBoard({ engine, board: whole, choice }, received, findings);
  return { one, whole, contours, files, zip, received, evidence };
}

/** Of a panel only its size is held to the rules: small holes along its tabs are meant to break. */
const sizeOnly = (board: Board, choice: BoardChoice, shop: BoardShop): Finding[] => shopFindings({ ...board, holes: [], slots: [], cutOuts: [], edges: [] }, choice, shop).filter((f) => f.code === 'too-large'); // prettier-ignore
