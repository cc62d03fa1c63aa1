import type { Drawing, TextRun } from '../../curves/drawing.ts';
import { distance, endOf, startOf } from '../../curves/segment.ts';
import { numberAt, type Entity } from './entity.ts';
import { timesFrame, type Frame } from './frame.ts';
import type { Copies } from './unfold.ts';

/** Marks a chain closed when it ends where it began, whatever its flag said. */
export function closedByThemselves(drawing: Drawing, reach: number): Drawing {
  const same = Math.max(1e-9, reach * 1e-12);
  for (const layer of drawing.layers) {
    for (const c of layer.contours) {
      if (c.closed) {
        // A closed curve that does not come back to its start gets the missing piece.
        const last = c.segments[c.segments.length - 1];
        const gap = distance(endOf(last), startOf(c.segments[0]));
        if (gap > same * 1000) c.segments.push({ kind: 'line', a: endOf(last), b: startOf(c.segments[0]) });
      } else if (c.segments.length > 1 || c.segments[0].kind !== 'line') {
        c.closed = distance(endOf(c.segments[c.segments.length - 1]), startOf(c.segments[0])) <= same;
      }
    }
  }
  return drawing;
}

/** Where the copies of an INSERT stand, in its own coordinates: one, or rows and columns. Source: DXF Reference, INSERT. */
export function copiesOf(e: Entity, own: Frame | null): Copies {
  const angle = (numberAt(e, 50) * Math.PI) / 180;
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  const [sx, sy, sz] = [numberAt(e, 41, 1), numberAt(e, 42, 1), numberAt(e, 43, 1)];
  const [ax, ay, az] = [numberAt(e, 10), numberAt(e, 20), numberAt(e, 30)];
  const columns = Math.max(1, Math.trunc(numberAt(e, 70, 1)));
  const rows = Math.max(1, Math.trunc(numberAt(e, 71, 1)));
  const [dx, dy] = [numberAt(e, 44), numberAt(e, 45)];
  const at = (i: number): Frame => {
    const x = (i % columns) * dx;
    const y = Math.floor(i / columns) * dy;
    const placed: Frame = [c * sx, -s * sy, 0, ax + c * x - s * y, s * sx, c * sy, 0, ay + s * x + c * y, 0, 0, sz, az];
    return own ? timesFrame(own, placed) : placed;
  };
  return { count: columns * rows, at };
}

/** How a stretch looks; braces keep and bring back what held before them. */
type Look = Omit<TextRun, 'text'>;

/** Signs of one letter that stand for another, and codes that change nothing which is cut (lines over, under and through). */
const signs: Record<string, string> = { P: '\n', X: '\n', N: '\n', '~': ' ', '\\': '\\', '{': '{', '}': '}', L: '', l: '', O: '', o: '', K: '', k: '' };

/**
 * Text in stretches of one look each, its formatting codes obeyed where they change height (\H), width (\W) or slant (\Q), else taken out.
 * Fractions and tolerances (\S) are set above each other: side by side here, so that no figure is lost. Source: DXF Reference, MTEXT.
 * @param height of the text as a whole @example richText('M6 {\\H0.7x;deep}', 5) // [{ text: 'M6 ', size: 1 }, { text: 'deep', size: 0.7 }]
 */
export function richText(text: string, height: number): TextRun[] {
  const runs: TextRun[] = [];
  const saved: Look[] = [];
  let look: Look = { size: 1 };
  const put = (letters: string): void => {
    if (letters === '') return;
    const last = runs[runs.length - 1];
    if (last && sameLook(last, look)) last.text += letters;
    else runs.push({ ...look, text: letters });
  };
  for (let i = 0; i < text.length; i++) {
    const sign = text[i];
    if (sign === '{') saved.push(look);
    else if (sign === '}') look = saved.pop() ?? look;
    else if (sign !== '\\') put(sign);
    else {
      const code = text[i + 1] ?? '';
      const end = endOfCode(text, i + 2);
      if (Object.hasOwn(signs, code)) {
        put(signs[code]);
        i++;
      } else if (/^[A-Za-z]$/.test(code) && end >= 0) {
        const value = text.slice(i + 2, end);
        if (code === 'S') put(stacked(value));
        else look = changed(look, code, value, height);
        i = end;
      } else put(sign);
    }
  }
  return trimmed(
    runs.map((run) => ({
      ...run,
      text: run.text
        .replace(/%%[cC]/g, '⌀')
        .replace(/%%[dD]/g, '°')
        .replace(/%%[pP]/g, '±'),
    })),
  );
}

/** The two texts of a stacked fraction, in one line. */
function stacked(value: string): string {
  const at = value.search(/[\^#/]/);
  return at < 0 ? value.trim() : `${value.slice(0, at).trim()}/${value.slice(at + 1).trim()}`;
}

/** Where a code's value ends; -1 when no semicolon follows before the next backslash: then the backslash was one that was meant. */
function endOfCode(text: string, from: number): number {
  for (let i = from; i < text.length && i < from + longestCode && text[i] !== '\\'; i++) if (text[i] === ';') return i;
  return -1;
}

/** A code with its value is at most so long; a backslash far from any semicolon is one that was meant. */
const longestCode = 300;

const sameLook = (a: Look, b: Look): boolean => a.size === b.size && a.widthFactor === b.widthFactor && a.slant === b.slant;

function changed(look: Look, code: string, value: string, height: number): Look {
  const by = Number.parseFloat(value);
  if (code === 'Q') return Number.isFinite(by) && Math.abs(by) <= 85 ? { ...look, slant: (by * Math.PI) / 180 } : look;
  if (!(by > 0.01 && by < 10_000) || (code !== 'H' && code !== 'W')) return look;
  const share = /x$/i.test(value.trim());
  if (code === 'W') return { ...look, widthFactor: share ? (look.widthFactor ?? 1) * by : by };
  return { ...look, size: share ? look.size * by : by / height };
}

/** Without white space at both ends. */
function trimmed(runs: TextRun[]): TextRun[] {
  const list = runs.filter((r) => r.text !== '');
  while (list.length > 0 && list[0].text.trimStart() === '') list.shift();
  while (list.length > 0 && list[list.length - 1].text.trimEnd() === '') list.pop();
  if (list.length === 0) return [];
  list[0] = { ...list[0], text: list[0].text.trimStart() };
  const end = list.length - 1;
  list[end] = { ...list[end], text: list[end].text.trimEnd() };
  return list;
}
