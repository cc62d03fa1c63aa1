import { Unusable, type Finding } from '../../base/finding.ts';
import { filledIn } from '../../text/filled.ts';
import { lettered, type Lettered } from '../../text/lettering.ts';
import type { DrawingFile, Reader, ReadProgress } from '../format.ts';
import { looksLikeText, readTextFile, type TextFile } from './file.ts';

/** Rows without letters are told so many at a time. */
const mostNamed = 5;

export const reader: Reader = {
  kind: 'drawing',
  looksLike: looksLikeText,
  read: async (bytes, _, progress) => drawings(readTextFile(bytes), progress),
};

async function drawings({ choice, series }: TextFile, progress: ReadProgress = () => {}): Promise<DrawingFile> {
  const { nodeLetters } = await import(/* turbopackIgnore: true */ '../../text/node-files.ts');
  const file = { version: '1', unit: 'mm', metric: null, leftOut: [] };
  if (!series) {
    const { drawing, findings } = await lettered(choice, nodeLetters);
    // What is wrong with the words belongs to their part, so that it stops its file.
    return { ...file, drawing, findings: [], drawings: [{ name: '', drawing, findings }] };
  }
  const made: (Lettered & { name: string })[] = [];
  const empty: string[] = [];
  const taken = new Map<string, number>();
  for (const [i, row] of series.rows.entries()) {
    const words = filledIn(choice.words, series, row);
    progress(i / series.rows.length, `drawing ${i + 1} of ${series.rows.length}`);
    if (words.trim() === '') {
      empty.push(String(i + 1));
      continue;
    }
    const wanted = (row[0] ?? '').trim() || words.split('\n')[0].trim() || `row ${i + 1}`;
    const n = (taken.get(wanted) ?? 0) + 1;
    taken.set(wanted, n);
    made.push({ ...(await lettered({ ...choice, words }, nodeLetters)), name: n > 1 ? `${wanted} (${n})` : wanted });
  }
  if (made.length === 0) throw new Unusable('no-letters', 'No row of the list has words in it.', 'Choose another column.');
  const findings: Finding[] = [];
  if (empty.length > 0)
    findings.push({
      code: 'rows-empty',
      severity: 'look',
      count: empty.length,
      message: `${empty.length} ${empty.length === 1 ? 'row has' : 'rows have'} no words and made no drawing: row ${empty.slice(0, mostNamed).join(', ')}${empty.length > mostNamed ? ' ...' : ''}.`,
      remedy: 'Fill them in, or go on without.',
    });
  return { ...file, drawing: made[0].drawing, findings, drawings: made };
}
