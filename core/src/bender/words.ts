import type { Affine } from '../curves/affine.ts';
import { transformed } from '../curves/affine.ts';
import { boxOfContour, type Contour } from '../curves/drawing.ts';
import { usualText } from '../text/choice.ts';
import { lettered } from '../text/lettering.ts';
import type { LetterFiles } from '../text/letters.ts';

/** Words as single lines, so that they are there in every format. */
export class LineWords {
  private readonly known = new Map<string, Promise<Contour[]>>();
  private readonly letters: LetterFiles;
  constructor(letters: LetterFiles) {
    this.letters = letters;
  }

  /**
   * Strokes of a line of words. @param at where they begin on the base line (mm), or end, or have their middle @param size height of capitals, mm
   * @returns contours with the meaning "mark"; none for words without a letter that there is
   */
  async put(words: string, at: readonly [number, number], size: number, from: 'left' | 'middle' | 'right' = 'left'): Promise<Contour[]> {
    if (words.trim() === '') return [];
    const made =
      this.known.get(words) ??
      lettered({ ...usualText, words, font: 'line', size: { by: 'cap', mm: 10 }, meaning: 'engrave', plate: null }, this.letters).then(
        ({ drawing }) => drawing.layers.flatMap((l) => l.contours),
        () => [],
      );
    this.known.set(words, made);
    const strokes = await made;
    if (strokes.length === 0) return [];
    const boxes = strokes.map(boxOfContour);
    const [left, right] = [Math.min(...boxes.map((b) => b[0])), Math.max(...boxes.map((b) => b[2]))];
    const k = size / 10;
    const shift = from === 'left' ? -left * k : from === 'right' ? -right * k : (-(left + right) / 2) * k;
    const map: Affine = [k, 0, 0, k, at[0] + shift, at[1]];
    return strokes.map((c) => ({ ...c, segments: c.segments.map((s) => transformed(s, map)), meaning: 'mark' as const }));
  }
}
