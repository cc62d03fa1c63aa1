import { withoutZeros } from '../../base/decimals.ts';
import { endOf, pieceOf, startOf, type ArcSegment, type P2 } from '../../curves/segment.ts';
import type { Attribute, Track } from '../gerber/write.ts';

/** A hole or a slot: the path of a bit, or a place. Lengths in mm. */
export interface DrillWork {
  diameter: number;
  /** What the tool is for, as ".AperFunction" has it. */
  use: readonly string[];
  holes: readonly P2[];
  /** Paths of the middle of the bit. */
  slots: readonly (readonly Track[])[];
}

/** Places with six decimals at most, always with a point. Source: XNC Format Specification, 2.4 (from memory). */
const place = (v: number): string => {
  const text = withoutZeros((Math.round(v * 1e6) / 1e6 || 0).toFixed(6));
  return text.endsWith('.') ? `${text}0` : text;
};
const at = ([x, y]: P2): string => `X${place(x)}Y${place(y)}`;

/**
 * An XNC drill file: metric, decimal points always, slots routed. Source: XNC Format Specification, 2021 (from memory).
 * @param attributes of the file, as ".FileFunction"
 * @example drillFile([['.FileFunction', 'Plated', '1', '2', 'PTH']], works)
 */
export function drillFile(attributes: readonly Attribute[], works: readonly DrillWork[]): Uint8Array {
  const lines = ['M48', ...attributes.map((a) => `; #@! TF${a.join(',')}`), 'METRIC'];
  works.forEach(({ diameter, use }, i) => {
    if (use.length > 0) lines.push(`; #@! TA.AperFunction,${use.join(',')}`);
    lines.push(`T${String(i + 1).padStart(2, '0')}C${place(diameter)}`);
    if (use.length > 0) lines.push('; #@! TD');
  });
  lines.push('%');
  works.forEach(({ holes, slots }, i) => {
    lines.push(`T${String(i + 1).padStart(2, '0')}`);
    if (holes.length > 0) lines.push('G05', ...holes.map(at));
    for (const slot of slots) lines.push(...routed(slot));
  });
  lines.push('M30');
  return new TextEncoder().encode(`${lines.join('\n')}\n`);
}

function routed(slot: readonly Track[]): string[] {
  const lines = [`G00${at(startOf(slot[0]))}`, 'M15'];
  for (const track of slot) for (const t of halves(track)) lines.push(moved(t));
  lines.push('M16');
  return lines;
}

const halves = (t: Track): Track[] =>
  t.kind === 'arc' && Math.abs(t.sweep) > Math.PI / 2 + 1e-9 ? [...halves(pieceOf(t, 0, 0.5) as ArcSegment), ...halves(pieceOf(t, 0.5, 1) as ArcSegment)] : [t];

/** A line, or an arc of at most a quarter by its radius: one that is said that way can't be taken for its other part. */
const moved = (t: Track): string => (t.kind === 'line' ? `G01${at(t.b)}` : `${t.sweep > 0 ? 'G03' : 'G02'}${at(endOf(t))}A${place(t.radius)}`);
