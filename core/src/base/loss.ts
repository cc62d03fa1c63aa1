import type { Finding } from './finding.ts';

/** Something that a source shows and that is not in what was made from it: what, how many, and why. */
export interface Loss {
  what: string;
  count: number;
  why: string;
}

/** So many kinds are named in the sentence; the rest are counted. */
const mostNamed = 6;

/** Losses gathered by kind while a file is read. */
export class Losses {
  private readonly found = new Map<string, Loss>();

  add(what: string, why: string, count = 1): void {
    const key = `${what}\0${why}`;
    const before = this.found.get(key);
    if (before) before.count += count;
    else this.found.set(key, { what, count, why });
  }

  list(): Loss[] {
    return [...this.found.values()];
  }
}

/** All losses as one sentence; null when there are none. A file made from a source that lost something is at best "look". */
export function lossFinding(losses: readonly Loss[]): Finding | null {
  const count = losses.reduce((n, l) => n + l.count, 0);
  if (count === 0) return null;
  const list = losses.slice(0, mostNamed).map((l) => `${l.count.toLocaleString('en')} × ${l.what} (${l.why})`);
  const more = losses.length - mostNamed;
  return {
    code: 'left-out',
    severity: 'look',
    count,
    message: `Left out or not obeyed: ${list.join('; ')}${more > 0 ? `; and ${more} more kinds` : ''}.`,
    remedy:
      'If it matters, change it where the file was made (text and pictures into outlines, blocks into plain lines), or bring the file in again with other choices.',
  };
}

/**
 * Codes of findings that say that a source holds more than what was read from it. A file made from it lacks that too, and its evidence tells
 * so: every reader's finding of this kind goes with each of its parts.
 */
const lossCodes: ReadonlySet<string> = new Set([
  'left-out',
  'texts',
  'bad-faces',
  'not-three-corners',
  'not-numbers',
  'missing-object',
  'not-placed',
  'unknown-extension',
  'broken-references',
  'colours-lost',
  'meshes-left-out',
  'meshes-unsound',
  'surfaces-unusable',
  'loose-faces',
  'solids-left-out',
  'curves-left-out',
  'points-left-out',
  'endless-left-out',
  'face-colours',
  'pictures-left-out',
  'hidden-taken',
  'unsound-solids',
  'solids-unreadable',
  'left-of-picture',
  'pictures-apart',
  'letters-missing',
  'pages-left-out',
]);

/** A file without these says something else than was meant: a stop stays one. */
const staysStop: ReadonlySet<string> = new Set(['letters-missing']);

/** Those findings of a source that files made from it have to tell. A stop of reading is a look in what was left whole. */
export const lossesAmong = (findings: readonly Finding[]): Finding[] =>
  findings.filter((f) => lossCodes.has(f.code)).map((f) => (f.severity === 'stop' && !staysStop.has(f.code) ? { ...f, severity: 'look' } : f));

/** The losses of several parts together, each told once. */
export function lostOf(parts: readonly { lost?: readonly Finding[] }[]): Finding[] {
  const told = new Map(parts.flatMap((p) => p.lost ?? []).map((f) => [`${f.code}\0${f.message}`, f]));
  return [...told.values()];
}
