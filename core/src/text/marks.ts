import type { Finding } from '../base/finding.ts';
import { times, transformed, type Affine } from '../curves/affine.ts';
import { growBySegment, noBox } from '../curves/measure.ts';
import type { Contour, Drawing, Layer, TextMark } from '../curves/drawing.ts';
import { usualText } from './choice.ts';
import { setText, type SetText } from './layout.ts';
import { lettersOf, type LetterFiles, type Letters } from './letters.ts';

/** What becomes of writing in a file: it stays writing, or is drawn. */
export type WritingWish = 'leave' | 'outlines' | 'single-line';

/** Letters that stand in for whatever font the file names. */
const standIn: Record<Exclude<WritingWish, 'leave'>, string> = { outlines: 'sans', 'single-line': 'line' };
export const writingLayer = 'engrave';

/** Texts of one drawing that are drawn at most, and letters of all of them. */
const mostLetters = 200_000;

export interface Drawn {
  drawing: Drawing;
  findings: Finding[];
}

/**
 * Writing of a drawing as contours on a layer of their own, to be engraved; the height of H is what the file says (of the em in SVG). Letters that there
 * are none of stay writing. @example await writingDrawn(drawing, 'single-line', nodeLetters)
 */
export async function writingDrawn(drawing: Drawing, as: Exclude<WritingWish, 'leave'>, files: LetterFiles): Promise<Drawn> {
  const { texts } = drawing;
  if (texts.length === 0) return { drawing, findings: [] };
  const letters = await lettersOf({ font: standIn[as], axes: {} }, files);
  const contours: Contour[] = [];
  const left: TextMark[] = [];
  const missing = new Set<string>();
  const stoodIn = new Set<string>();
  let count = 0;
  for (const mark of texts) {
    count += mark.text.length;
    if (count > mostLetters || !(mark.height > 0)) {
      left.push(mark);
      continue;
    }
    const made = await drawnMark(mark, letters);
    for (const m of made.missing) missing.add(m);
    for (const m of made.stoodIn) stoodIn.add(m);
    contours.push(...made.contours);
  }
  const layer: Layer = { name: writingLayer, colour: null, lineType: 'CONTINUOUS', contours };
  const same = drawing.layers.find((l) => l.name === writingLayer);
  const layers = contours.length === 0 ? drawing.layers : same ? drawing.layers.map((l) => (l === same ? { ...l, contours: [...l.contours, ...contours] } : l)) : [...drawing.layers, layer]; // prettier-ignore
  const drawn = texts.length - left.length;
  const findings: Finding[] = [
    {
      code: 'writing-drawn',
      severity: 'look',
      count: drawn,
      message: `${drawn.toLocaleString('en')} ${drawn === 1 ? 'text was' : 'texts were'} drawn as ${as === 'outlines' ? 'outlines' : 'single lines'} of "${letters.name}", which stands in for the fonts of the file; heights are the file's, widths are not.`,
      remedy: 'Compare the places of long lines with the drawing.',
    },
    ...missingFinding([...missing], letters.name),
    ...stoodInFinding([...stoodIn], letters.name),
  ];
  return { drawing: { ...drawing, layers, texts: left }, findings };
}

/** Letters that nothing here can draw: a file without them says something else than was typed. */
export const missingFinding = (missing: readonly string[], name: string): Finding[] =>
  missing.length === 0
    ? []
    : [
        {
          code: 'letters-missing',
          severity: 'stop',
          count: missing.length,
          message: `Left out: "${name}" and the letters that stand in have none for ${missing.slice(0, 12).join(' ')}${missing.length > 12 ? ' ...' : ''}.`,
          remedy: 'Choose other letters, or bring in a font that has them.',
        },
      ];

export const stoodInFinding = (stoodIn: readonly string[], name: string): Finding[] =>
  stoodIn.length === 0
    ? []
    : [
        {
          code: 'letters-stand-in',
          severity: 'look',
          count: stoodIn.length,
          message: `"${name}" lacks ${stoodIn.slice(0, 12).join(' ')}${stoodIn.length > 12 ? ' ...' : ''}; letters of another face stand in.`,
          remedy: 'Look at them, or bring in a font that has them.',
        },
      ];

/** One text as contours where it stands. */
async function drawnMark(mark: TextMark, letters: Letters): Promise<SetText> {
  const { height, text, stands, widthFactor = 1, slant = 0 } = mark;
  const across = stands?.across ?? 'left';
  const setting = { ...usualText, size: { by: mark.em ? ('em' as const) : ('cap' as const), mm: height }, align: across, line: (mark.line ?? 5 / 3) * 1 };
  const words = mark.wrap ? await wrapped(text, mark.wrap, letters, setting) : text;
  const made = await setText({ ...setting, words }, letters);
  const lines = words.split('\n').length;
  const block = made.cap * setting.line * (lines - 1);
  const up = stands?.up ?? 'base';
  const shift = { base: 0, top: -made.cap, middle: (block - made.cap) / 2, bottom: block }[up] ?? 0;
  let map: Affine = [widthFactor, 0, Math.tan(slant), 1, 0, 0];
  if (mark.fit) map = fitted(made, mark.fit, map);
  if (mark.mirrored) map = [-map[0], map[1], -map[2], map[3], -map[4], map[5]];
  const [c, s] = [Math.cos(mark.angle), Math.sin(mark.angle)];
  const whole = times([c, s, -s, c, mark.at[0], mark.at[1]], map);
  const contours = made.contours.map((contour): Contour => ({
    ...contour,
    meaning: 'engrave',
    segments: contour.segments.map((g) => transformed(transformed(g, [1, 0, 0, 1, 0, shift]), whole)),
  }));
  return { ...made, contours };
}

/** A line between two places: its ink begins at the first and is as wide as they are apart. */
function fitted({ box }: SetText, { width, whole }: NonNullable<TextMark['fit']>, [, , lean]: Affine): Affine {
  const ink = box[2] - box[0];
  if (!(ink > 0)) return [1, 0, lean, 1, 0, 0];
  const by = width / ink;
  return [by, 0, lean, whole ? by : 1, -by * box[0], 0];
}

/** Lines broken between words so that each is at most so wide; a word alone may be wider. */
async function wrapped(text: string, width: number, letters: Letters, setting: Omit<Parameters<typeof setText>[0], 'words'>): Promise<string> {
  const widthOf = async (words: string): Promise<number> => {
    const box = noBox();
    for (const c of (await setText({ ...setting, words, align: 'left' }, letters)).contours) for (const s of c.segments) growBySegment(box, s);
    return box[0] > box[2] ? 0 : box[2] - box[0];
  };
  const space = (await widthOf('n n')) - (await widthOf('nn'));
  const out: string[] = [];
  for (const line of text.split('\n')) {
    let [now, at] = ['', 0];
    for (const word of line.split(' ')) {
      const own = await widthOf(word);
      if (now !== '' && at + space + own > width) {
        out.push(now);
        [now, at] = [word, own];
      } else [now, at] = now === '' ? [word, own] : [`${now} ${word}`, at + space + own];
    }
    out.push(now);
  }
  return out.join('\n');
}
