import type { Finding } from '../base/finding.ts';
import { times, transformed, type Affine } from '../curves/affine.ts';
import { growBySegment, noBox } from '../curves/measure.ts';
import type { Contour, Drawing, Layer, TextMark, TextWay } from '../curves/drawing.ts';
import { trackOf } from '../curves/track.ts';
import { usualText } from './choice.ts';
import { setText, type AlongTrack, type SetText } from './layout.ts';
import { lettersOf, type LetterFiles, type Letters } from './letters.ts';
import { setRuns } from './rich.ts';
import { append } from '../base/rows.ts';

/** What becomes of writing in a file: it stays writing, or is drawn. */
export type WritingWish = 'leave' | 'outlines' | 'single-line';

/** Letters that stand in for whatever font the file names. */
const standIn: Record<Exclude<WritingWish, 'leave'>, string> = { outlines: 'sans', 'single-line': 'line' };
export const writingLayer = 'engrave';

/** Texts of one drawing that are drawn at most, and letters of all of them. */
const mostLetters = 200_000;
/** Looks that one text changes between at most: each stretch is set by itself. */
export const mostRuns = 1000;

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
  let [count, past] = [0, 0];
  for (const mark of texts) {
    count += mark.text.length;
    if (count > mostLetters || !(mark.height > 0) || (mark.runs?.length ?? 0) > mostRuns) {
      left.push(mark);
      continue;
    }
    const made = await drawnMark(mark, letters);
    for (const m of made.missing) missing.add(m);
    for (const m of made.stoodIn) stoodIn.add(m);
    if (made.past) past++;
    append(contours, made.contours);
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
    ...pastFinding(past),
  ];
  return { drawing: { ...drawing, layers, texts: left }, findings };
}

/** A reader of the file would leave away what does not fit on the way; here nothing is lost. */
const pastFinding = (count: number): Finding[] =>
  count === 0
    ? []
    : [
        {
          code: 'text-past-contour',
          severity: 'look',
          count,
          message: `${count === 1 ? 'A text is' : `${count.toLocaleString('en')} texts are`} longer than the line that ${count === 1 ? 'it runs' : 'they run'} along; the rest runs straight on.`,
          remedy: 'Look at the ends, or make the letters smaller where the file was made.',
        },
      ];

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
async function drawnMark(mark: TextMark, letters: Letters): Promise<Set1> {
  if (mark.along) return drawnAlong(mark, mark.along, letters);
  const { height, text, stands, widthFactor = 1, slant = 0 } = mark;
  const across = stands?.across ?? 'left';
  const line = mark.line ?? 5 / 3;
  const setting = { ...usualText, size: { by: mark.em ? ('em' as const) : ('cap' as const), mm: height }, align: across, line };
  let made: Set1;
  let block: number;
  let map: Affine = [widthFactor, 0, Math.tan(slant), 1, 0, 0];
  if (mark.runs) {
    const rich = await setRuns(mark, mark.runs, letters);
    [made, block] = [rich, rich.block];
  } else {
    const words = mark.wrap ? await wrapped(text, mark.wrap, letters, setting) : text;
    const plain = await setText({ ...setting, words }, letters);
    if (mark.fit) map = fitted(plain, mark.fit, map);
    [made, block] = [plain, plain.cap * line * (words.split('\n').length - 1)];
  }
  const up = stands?.up ?? 'base';
  const shift = { base: 0, top: -made.cap, middle: (block - made.cap) / 2, bottom: block }[up] ?? 0;
  if (mark.mirrored) map = [-map[0], map[1], -map[2], map[3], -map[4], map[5]];
  const [c, s] = [Math.cos(mark.angle), Math.sin(mark.angle)];
  const whole = times([c, s, -s, c, mark.at[0], mark.at[1]], map);
  return { ...made, contours: engravedBy(made.contours, times(whole, [1, 0, 0, 1, 0, shift])) };
}

/** What is needed of a text that was set. */
type Set1 = Pick<SetText, 'contours' | 'missing' | 'stoodIn' | 'cap'> & { past?: boolean };

const engravedBy = (contours: readonly Contour[], map: Affine): Contour[] =>
  contours.map((contour) => ({ ...contour, meaning: 'engrave', segments: contour.segments.map((g) => transformed(g, map)) }));

/** Letters along a way of the file, in its own frame. Source: SVG 2, 11.8. */
async function drawnAlong({ text, em, stands }: TextMark, along: TextWay, letters: Letters): Promise<Set1> {
  const track = trackOf({ segments: along.segments, closed: along.closed, colour: null, meaning: null });
  const align = stands?.across ?? 'left';
  const path: AlongTrack = { kind: 'track', track, from: along.from, off: along.off, back: along.back };
  const made = await setText({ ...usualText, words: text, align, path, size: { by: em ? 'em' : 'cap', mm: along.height } }, letters);
  const begins = align === 'left' ? 0 : align === 'centre' ? -made.longest / 2 : -made.longest;
  const [first, last] = [begins, begins + made.longest].map((v) => (along.back ? along.from - v : along.from + v)).sort((a, b) => a - b);
  const past = along.closed ? made.longest > track.length : first < -1e-9 || last > track.length + 1e-9;
  return { ...made, past, contours: engravedBy(made.contours, along.map) };
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
