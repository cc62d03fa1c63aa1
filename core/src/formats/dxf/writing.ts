import type { TextMark, TextRun } from '../../curves/drawing.ts';
import type { P2 } from '../../curves/segment.ts';
import { numberAt, textAt, type Entity } from './entity.ts';
import { richText } from './values.ts';

const rad = Math.PI / 180;
const acrossOf = ['left', 'centre', 'right'] as const;
const upOf = ['base', 'bottom', 'middle', 'top'] as const;

/**
 * Writing of TEXT, MTEXT and ATTRIB with how it stands; null when there is nothing to see. Source: DXF Reference, TEXT (72, 73, 41, 51) and MTEXT
 * (71, 41, 44, 11). @param textOf decodes a value of the file
 */
export function writingOf(e: Entity, textOf: (value: string) => string): Omit<TextMark, 'layer'> | null {
  const long = e.type === 'MTEXT' ? e.values.filter((_, i) => e.codes[i] === 3).join('') : '';
  const given = textOf(long + (textAt(e, 1) ?? ''));
  const runs = richText(given, numberAt(e, 40, 1) || 1);
  const text = runs.map((r) => r.text).join('');
  // An attribute may be invisible by its flag.
  if (text === '' || (e.type === 'ATTRIB' && numberAt(e, 70) & 1)) return null;
  return e.type === 'MTEXT' ? paragraphs(e, text, runs) : line(e, text.replace(/\n/g, ' '));
}

function line(e: Entity, text: string): Omit<TextMark, 'layer'> {
  const first: P2 = [numberAt(e, 10), numberAt(e, 20)];
  const second: P2 = [numberAt(e, 11, first[0]), numberAt(e, 21, first[1])];
  // An attribute keeps its upright place under another number.
  const [across, up] = [numberAt(e, 72), numberAt(e, e.type === 'ATTRIB' ? 74 : 73)];
  const mark: Omit<TextMark, 'layer'> = { at: first, height: numberAt(e, 40, 1), angle: numberAt(e, 50) * rad, text };
  const [factor, slant, turned] = [numberAt(e, 41, 1), numberAt(e, 51), numberAt(e, 71)];
  if (factor > 0 && factor !== 1) mark.widthFactor = factor;
  if (slant !== 0) mark.slant = slant * rad;
  if (turned & 2) mark.mirrored = true;
  if (across === 3 || across === 5) {
    const [dx, dy] = [second[0] - first[0], second[1] - first[1]];
    if (Math.hypot(dx, dy) > 0) {
      mark.fit = { width: Math.hypot(dx, dy), whole: across === 3 };
      mark.angle = Math.atan2(dy, dx);
    }
    return mark;
  }
  if (across === 0 && up === 0) return mark;
  mark.at = second;
  mark.stands = across === 4 ? { across: 'centre', up: 'middle' } : { across: acrossOf[across] ?? 'left', up: upOf[up] ?? 'base' };
  return mark;
}

function paragraphs(e: Entity, text: string, runs: TextRun[]): Omit<TextMark, 'layer'> {
  const [dx, dy] = [numberAt(e, 11), numberAt(e, 21)];
  const attachment = Math.min(9, Math.max(1, numberAt(e, 71, 1))) - 1;
  const wrap = numberAt(e, 41);
  return {
    at: [numberAt(e, 10), numberAt(e, 20)],
    height: numberAt(e, 40, 1),
    angle: dx !== 0 || dy !== 0 ? Math.atan2(dy, dx) : numberAt(e, 50) * rad,
    text,
    stands: { across: acrossOf[attachment % 3], up: (['top', 'middle', 'bottom'] as const)[Math.floor(attachment / 3)] },
    // Lines are five thirds of the height apart, times the factor.
    line: (5 / 3) * numberAt(e, 44, 1),
    ...(wrap > 0 ? { wrap } : {}),
    ...(runs.length > 1 || runs[0].size !== 1 || runs[0].widthFactor || runs[0].slant ? { runs } : {}),
  };
}
