import Joi from 'joi';
import { sha256 } from '../base/sha256.ts';
import { Unusable, type Finding } from '../base/finding.ts';
import type { BoardChoice } from '../boards/choice.ts';
import { makeBoard, type BoardMade } from '../boards/make.ts';
import type { BoardContour } from '../boards/meaning.ts';
import { boardSchema } from '../boards/schema.ts';
import { boardView } from '../boards/view.ts';
import { websOf } from '../boards/webs.ts';
import { transformedDrawing } from '../curves/drawing.ts';
import { receiverSchema } from '../receivers/rules.ts';
import { isBoardShop, type Receiver } from '../receivers/receivers.ts';
import { safeFileName } from '../recipe/recipe.ts';
import { fileName, id } from './fields.ts';
import { Cancelled, onePart, type Operation, type Outcome, type Work } from './operation.ts';
import { scaleOfPart } from './shape.ts';

interface AboutBoard {
  part: string;
  choice: BoardChoice;
  /** The board shop. */
  receiver: Receiver;
}

export interface BoardRequest extends AboutBoard {
  kind: 'board';
}

export interface BoardFilesRequest extends AboutBoard {
  kind: 'board-files';
  name: string;
}

const about = {
  part: id,
  choice: boardSchema.required(),
  receiver: receiverSchema.required(),
};

/** Contours beyond these are not listed one by one on a page. */
const mostListed = 3000;

/** A contour's meaning for a page. */
export type ListedContour = Omit<BoardContour, 'contour'>;

async function made(
  { request, parts: [part], tools, progress }: Work<AboutBoard & { kind: string; name?: string }>,
  keep?: (zip: Uint8Array) => Promise<Uint8Array>,
): Promise<BoardMade> {
  if (part.geometry.kind !== 'drawing') throw new Unusable('no-drawing', `"${part.summary.name}" is no drawing.`, 'Draw it flat first.');
  if (progress(0.1, 'laying out the board')) throw new Cancelled();
  const scale = scaleOfPart(part);
  const drawing = transformedDrawing(part.geometry.drawing, [scale, 0, 0, scale, 0, 0]);
  const told: Finding[] = (part.summary.lost ?? []).filter((f) => f.severity !== 'clear');
  const { choice, receiver } = request;
  if (!isBoardShop(receiver)) throw new Unusable('no-board-shop', `${receiver.name} makes no boards.`, 'Choose a board shop.');
  const board = await makeBoard(
    await tools.engine(),
    drawing,
    { choice, shop: receiver.boardShop, mostBytes: receiver.mostBytes, name: request.name ?? part.summary.name, told },
    keep,
  );
  if (progress(0.8, 'read back')) throw new Cancelled();
  return board;
}

/** A drawing as a board: what its contours are, what a shop reads from its files, the proof. */
export const boardOperation: Operation<BoardRequest> = {
  kind: 'board',
  verb: 'make a board',
  gives: 'report',
  schema: Joi.object(about),
  parts: onePart,
  async run(work): Promise<Outcome> {
    const board = await made(work);
    // Small holes along the tabs of a panel are meant to break.
    const thin = work.request.choice.panel ? [] : websOf(board.one, work.request.receiver.boardShop!.leastWeb).under;
    const view = boardView(await work.tools.engine(), board.received, board.evidence, thin);
    const contours: ListedContour[] = board.contours.slice(0, mostListed).map(({ contour: _, ...c }) => c);
    return {
      report: { board: { view, contours, more: board.contours.length - contours.length }, said: ['Made the board, and read it back as its shop does.'] },
      made: [],
      inPlace: false,
    };
  },
};

/** Layers, drill files, job file and readme as one zip, read back from the bytes that were kept. */
export const boardFilesOperation: Operation<BoardFilesRequest> = {
  kind: 'board-files',
  verb: 'write a board',
  gives: 'file',
  schema: Joi.object({ ...about, name: fileName }),
  parts: onePart,
  async run(work): Promise<Outcome> {
    const zip = `${safeFileName(work.request.name)}_board.zip`;
    // What is read back and proved are the bytes that were kept.
    const board = await made(work, (bytes) => work.keep(zip, [bytes]));
    const bytes = board.zip;
    return {
      report: {
        file: { fileName: zip, sha256: sha256([bytes]), bytes: bytes.length, evidence: board.evidence },
        said: [`Wrote the board as ${board.files.length} files.`],
      },
      made: [],
      inPlace: false,
    };
  },
};
