import bidiFactory, { type Bidi } from 'bidi-js';
import type { Face } from './face.ts';
import type { LazyFace } from './letters.ts';

/** A stretch of one line in one direction, one script and one face, in the order in which it is seen from left to right. */
export interface Run {
  text: string;
  /** Where in the line it begins. */
  from: number;
  back: boolean;
  face: Face;
  /** Which of the faces it is; those after the family's own stand in. */
  at: number;
}

// The package's types speak of a module, its file is a function.
const bidi = (bidiFactory as unknown as () => Bidi)();
const scripts = [
  'Latin', 'Greek', 'Cyrillic', 'Hebrew', 'Arabic', 'Devanagari', 'Bengali', 'Tamil', 'Thai', 'Georgian', 'Armenian', 'Han', 'Hiragana', 'Katakana',
  'Hangul', 'Gujarati', 'Gurmukhi', 'Kannada', 'Malayalam', 'Oriya', 'Telugu', 'Sinhala', 'Khmer', 'Lao', 'Myanmar', 'Tibetan', 'Ethiopic',
].map((name): [string, RegExp] => [name, new RegExp(`\\p{Script=${name}}`, 'u')]); // prettier-ignore
const scriptOf = (cluster: string): string | null => scripts.find(([, test]) => test.test(cluster))?.[0] ?? null;
/** What has no letter of its own: joiners, direction marks, variation selectors. */
const unseen = /\p{Default_Ignorable_Code_Point}/u;
const clusters = new Intl.Segmenter('en', { granularity: 'grapheme' });

/** Signs that hardly any font has, and those that stand for them in drawings: a diameter, a minus, minutes and seconds. Common practice, no source. */
const likenesses: Record<string, string> = { '⌀': 'Ø', '∅': 'Ø', '−': '-', '‐': '-', '‑': '-', '′': "'", '″': '"' };

interface Cluster {
  text: string;
  from: number;
  level: number;
  script: string | null;
  face: number;
}

/**
 * A line cut into runs, with letters that no face has. Directions by the Unicode Bidirectional Algorithm (UAX 9), through bidi-js.
 * @param faces asked in order for each letter with its marks
 */
export async function runsOf(line: string, faces: readonly LazyFace[]): Promise<{ runs: Run[]; missing: string[] }> {
  const { list, missing } = await clustersOf(line, faces);
  // What comes before the first letter of a script belongs to it.
  const first = list.find((c) => c.script)?.script ?? null;
  const runs: (Run & { level: number; script: string | null })[] = [];
  for (const c of list) {
    const script = c.script ?? first;
    const last = runs[runs.length - 1];
    if (last && last.level === c.level && last.script === script && last.at === c.face) last.text += c.text;
    else runs.push({ text: c.text, from: c.from, back: (c.level & 1) === 1, face: await faces[c.face].open(), at: c.face, level: c.level, script });
  }
  return { runs: reordered(runs), missing };
}

/** Letters with their marks: direction, script (that of the letter before where it has none) and face. */
async function clustersOf(line: string, faces: readonly LazyFace[]): Promise<{ list: Cluster[]; missing: string[] }> {
  const { levels } = bidi.getEmbeddingLevels(line);
  const missing: string[] = [];
  const list: Cluster[] = [];
  for (const { segment, index } of clusters.segment(line)) {
    const before = list[list.length - 1];
    let text = segment;
    let face = await faceFor(text, faces, before?.face);
    if (face < 0 && likenesses[segment]) face = await faceFor((text = likenesses[segment]), faces, before?.face);
    if (face < 0) missing.push(segment);
    list.push({ text, from: index, level: levels[index], script: scriptOf(segment) ?? before?.script ?? null, face: Math.max(0, face) });
  }
  return { list, missing };
}

/** Rule L2: from the highest level down to the lowest odd one, reverse what lies at that level or higher. */
function reordered<T extends { level: number }>(runs: readonly T[]): T[] {
  const out = [...runs];
  const highest = out.reduce((m, r) => Math.max(m, r.level), 0);
  for (let level = highest; level >= 1; level--)
    for (let i = 0; i < out.length; i++) {
      if (out[i].level < level) continue;
      let j = i;
      while (j + 1 < out.length && out[j + 1].level >= level) j++;
      out.splice(i, j - i + 1, ...out.slice(i, j + 1).reverse());
      i = j;
    }
  return out;
}

/** The first face that has a letter with all its marks; the one of the letter before when it does, so that runs stay long. -1 for none. */
async function faceFor(cluster: string, faces: readonly LazyFace[], before: number | undefined): Promise<number> {
  const codes = [...cluster].filter((c) => !unseen.test(c)).map((c) => c.codePointAt(0)!);
  const composed = [...cluster.normalize('NFC')].filter((c) => !unseen.test(c)).map((c) => c.codePointAt(0)!);
  const has = async (i: number): Promise<boolean> => {
    const face = await faces[i].open();
    return codes.every((c) => face.has(c)) || composed.every((c) => face.has(c));
  };
  if (before !== undefined && (/^\s$/.test(cluster) ? await has(before) : before === 0 && (await has(0)))) return before;
  for (let i = 0; i < faces.length; i++) if (await has(i)) return i;
  return -1;
}
