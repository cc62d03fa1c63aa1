import type { Finding } from '../base/finding.ts';
import { diagonalOf, type Box } from '../geometry/box.ts';
import type { StatedFigures } from '../formats/step/stated.ts';

/** What was measured of a part after it was read, in mm; `named` as the file calls it. */
export interface MeasuredPart {
  named: string;
  quantity: number;
  volume: number;
  area: number;
  centre: readonly [number, number, number];
  box: Box;
}

/**
 * Figures of a part farther apart than this share of the stated one are worth a look. Senders measure their own facets: on the open files of the CAx Implementor
 * Forum their figures are up to 0.6 % from those of the exact solids (measured). What is missing or doubled in a part is mostly more.
 */
export const statedShare = 0.01;
/** Likewise all parts against the whole: by the sender's own figures of each part, which agree among themselves; else by those measured here. */
export const wholeShare = { stated: 1e-4, measured: statedShare };

const figure = (v: number): string => Number(v.toPrecision(6)).toLocaleString('en', { maximumFractionDigits: 3 });
const share = (v: number): string => `${Number((v * 100).toPrecision(2)).toLocaleString('en', { maximumFractionDigits: 6 })} %`;

const agrees = (code: string, message: string): Finding => ({ code, severity: 'clear', count: 1, message, remedy: '' });
const differs = (code: string, message: string, remedy: string): Finding => ({ code, severity: 'look', count: 1, message, remedy });

/** A figure of the sender beside one that was measured here: how far they are apart as a share of the stated one, and in words. */
interface Compared {
  name: string;
  off: number;
  words: string;
}

function comparedOf(stated: StatedFigures, part: MeasuredPart): Compared[] {
  const out: Compared[] = [];
  for (const [name, said, found, unit] of [
    ['volume', stated.volume, part.volume, 'mm³'],
    ['surface', stated.area, part.area, 'mm²'],
  ] as const)
    if (said !== null) out.push({ name, off: Math.abs(found - said) / said, words: `${name} ${figure(found)} ${unit} here, ${figure(said)} ${unit} stated` });
  if (stated.centre !== null) {
    const away = Math.hypot(...stated.centre.map((v, k) => v - part.centre[k]));
    out.push({ name: 'centre', off: away / diagonalOf(part.box), words: `centre ${figure(away)} mm from where it is stated` });
  }
  return out;
}

/**
 * What the sender measured of its parts, held against what was measured of them here. A part is compared when exactly one has its product's name and that has one solid; all parts
 * together are compared with what is stated of the whole, which finds parts that went missing on the way.
 * @returns findings of each part, by its place in the list, and of the design
 * @example statedFindings(statedFigures(file), parts).whole
 */
export function statedFindings(stated: readonly StatedFigures[], parts: readonly MeasuredPart[]): { of: Map<number, Finding>; whole: Finding[] } {
  const of = new Map<number, Finding>();
  const whole: Finding[] = [];
  const byName = new Map<string, number[]>();
  parts.forEach((p, i) => listedUnder(byName, p.named, i));
  const saidOf = new Map<string, StatedFigures[]>();
  const wholes: StatedFigures[] = [];
  for (const s of stated)
    if (s.role === 'part') listedUnder(saidOf, s.product, s);
    else if (s.role === 'whole') wholes.push(s);
  // One part and one product are each other's, whatever they are called.
  const only = parts.length === 1 && stated.length === 1;
  // Several of one name are not told apart; of several solids each is a part here, and none of them is what was measured.
  const clearly = (said: StatedFigures[] | undefined): StatedFigures | null => (said?.length === 1 && said[0].bodies <= 1 ? said[0] : null);
  for (const [product, said] of saidOf) {
    const one = clearly(said);
    const at = only ? [0] : (byName.get(product) ?? []);
    if (one && at.length === 1) of.set(at[0], partFinding(one, parts[at[0]]));
  }
  const [all] = wholes;
  if (wholes.length === 1 && all.volume !== null) {
    const own = parts.map((p) => clearly(saidOf.get(p.named))?.volume ?? null);
    const sum = parts.reduce((v, p, i) => v + (own[i] ?? p.volume) * p.quantity, 0);
    whole.push(wholeFinding(all.product, all.volume, sum, own.every((v) => v !== null) ? wholeShare.stated : wholeShare.measured));
  }
  return { of, whole };
}

function listedUnder<T>(by: Map<string, T[]>, name: string, value: T): void {
  const list = by.get(name);
  if (list) list.push(value);
  else by.set(name, [value]);
}

function partFinding(stated: StatedFigures, part: MeasuredPart): Finding {
  const all = comparedOf(stated, part);
  const off = all.filter((c) => !(c.off <= statedShare));
  if (off.length > 0)
    return differs(
      'stated-otherwise',
      `The sender measured ${stated.product} otherwise: ${off.map((c) => c.words).join('; ')}.`,
      'Look at the part beside the sender’s drawing; export it again if a face or a body is missing.',
    );
  const most = all.reduce((m, c) => Math.max(m, c.off), 0);
  return agrees('as-stated', `As the sender measured it: ${all.map((c) => c.name).join(', ')} within ${most < 1e-8 ? '0.000001 %' : share(most)}.`); // prettier-ignore
}

function wholeFinding(name: string, stated: number, sum: number, most: number): Finding {
  const off = Math.abs(sum - stated) / stated;
  if (off > most)
    return differs(
      'whole-stated-otherwise',
      `All parts together come to ${figure(sum)} mm³; the sender measured ${figure(stated)} mm³ of ${name}, ${share(off)} ${sum < stated ? 'more' : 'less'}.`,
      sum < stated ? 'Parts or bodies may be missing: compare the parts with the sender’s list.' : 'Parts may be there twice: compare the parts with the sender’s list.', // prettier-ignore
    );
  return agrees('whole-as-stated', `All parts together come to the volume that the sender states of ${name}: ${figure(stated)} mm³, within ${share(Math.max(off, 1e-8))}.`); // prettier-ignore
}
