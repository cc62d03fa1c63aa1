import { times, transformed, type Affine } from '../curves/affine.ts';
import type { Contour, TextMark, TextRun } from '../curves/drawing.ts';
import { usualText } from './choice.ts';
import { setText, type Setting, type SetText } from './layout.ts';
import type { Letters } from './letters.ts';

/** A text of several looks, set: what one look gives, and how far the last base line lies under the first. */
export type RichText = Pick<SetText, 'contours' | 'missing' | 'stoodIn'> & {
  /** How high H is on the first line, mm. */
  cap: number;
  block: number;
};

/** Letters of one look that no place to break parts. */
interface Piece {
  run: TextRun;
  text: string;
  width: number;
}

/** A word: pieces of one look or several, and the room before it. */
interface Word {
  pieces: Piece[];
  before: number;
  width: number;
}

/**
 * Sets stretches of different height, width and slant one after another, in lines that are broken between words where they would be too wide.
 * A line lies under the one before by its tallest letters and the usual room between lines (as ezdxf 1.0's layout of MTEXT has it). Base line of the first line at y = 0, x from the alignment.
 */
export async function setRuns(mark: TextMark, runs: readonly TextRun[], letters: Letters): Promise<RichText> {
  const base: Omit<Setting, 'words'> = { ...usualText, size: { by: mark.em ? 'em' : 'cap', mm: 1 }, align: 'left' };
  const set = async (words: string, { size }: TextRun): Promise<SetText> =>
    setText({ ...base, words, size: { by: mark.em ? 'em' : 'cap', mm: mark.height * size } }, letters);
  const widths = new Map<string, number>();
  const widthOf = async (words: string, run: TextRun): Promise<number> => {
    const key = `${run.size} ${words}`;
    const known = widths.get(key) ?? (await set(words, run)).longest;
    widths.set(key, known);
    return known * (run.widthFactor ?? 1);
  };
  const lines: Word[][] = [];
  for (const line of linesOf(runs)) lines.push(...broken(await wordsOf(line, widthOf), mark.wrap ?? Infinity));
  const step = mark.line ?? 5 / 3;
  const capOne = (await set('H', { text: 'H', size: 1 })).cap;
  const out: RichText = { contours: [], missing: [], stoodIn: [], cap: 0, block: 0 };
  const across = mark.stands?.across ?? 'left';
  for (const [i, line] of lines.entries()) {
    const tallest = Math.max(0, ...line.flatMap((w) => w.pieces.map((p) => p.run.size))) || 1;
    if (i === 0) out.cap = tallest * capOne;
    else out.block += (tallest + step - 1) * capOne;
    for (const { piece, x } of alongLine(line, across)) {
      const made = await set(piece.text, piece.run);
      out.missing.push(...made.missing);
      out.stoodIn.push(...made.stoodIn);
      out.contours.push(...placed(made.contours, piece.run, [x, -out.block]));
    }
  }
  return out;
}

/** Where the pieces of a line begin, from its left end, middle or right end. */
function alongLine(line: readonly Word[], across: 'left' | 'centre' | 'right'): { piece: Piece; x: number }[] {
  const width = line.reduce((n, w, k) => n + w.width + (k > 0 ? w.before : 0), 0);
  let x = across === 'left' ? 0 : across === 'centre' ? -width / 2 : -width;
  return line.flatMap((word, k) => {
    if (k > 0) x += word.before;
    return word.pieces.map((piece) => {
      const at = x;
      x += piece.width;
      return { piece, x: at };
    });
  });
}

function placed(contours: readonly Contour[], { widthFactor = 1, slant = 0 }: TextRun, [x, y]: readonly [number, number]): Contour[] {
  const map = times([1, 0, 0, 1, x, y], [widthFactor, 0, Math.tan(slant), 1, 0, 0] as Affine);
  return contours.map((c) => ({ ...c, segments: c.segments.map((s) => transformed(s, map)) }));
}

/** Runs parted at line feeds. */
function linesOf(runs: readonly TextRun[]): TextRun[][] {
  const lines: TextRun[][] = [[]];
  for (const run of runs)
    run.text.split('\n').forEach((text, i) => {
      if (i > 0) lines.push([]);
      if (text !== '') lines[lines.length - 1].push({ ...run, text });
    });
  return lines;
}

async function wordsOf(line: readonly TextRun[], widthOf: (words: string, run: TextRun) => Promise<number>): Promise<Word[]> {
  const words: Word[] = [];
  let [room, open] = [0, false];
  for (const run of line)
    for (const piece of run.text.split(/( +)/)) {
      if (piece === '') continue;
      const width = await widthOf(piece, run);
      if (piece.trim() === '') {
        room += width;
        open = false;
        continue;
      }
      // What follows without a space between goes on with its word.
      if (!open) words.push({ pieces: [], before: room, width: 0 });
      const word = words[words.length - 1];
      word.pieces.push({ run, text: piece, width });
      word.width += width;
      [room, open] = [0, true];
    }
  return words;
}

/** Words in lines of at most a width; a word alone may be wider. */
function broken(words: readonly Word[], most: number): Word[][] {
  const lines: Word[][] = [[]];
  let at = 0;
  for (const word of words) {
    const line = lines[lines.length - 1];
    if (line.length > 0 && at + word.before + word.width > most) {
      lines.push([word]);
      at = word.width;
    } else {
      at += (line.length > 0 ? word.before : 0) + word.width;
      line.push(word);
    }
  }
  return lines;
}
