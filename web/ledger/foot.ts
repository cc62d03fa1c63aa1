import type { PartView } from '@tall-kite/server/jobs/part-views';

/** Which step mends what the receiver found. */
const mendedAt: Record<string, string> = { overhang: 'Stance', 'off-the-bed': 'Stance', 'too-heavy': 'Facets', tiny: 'File', claim: 'File', stale: 'File' };

const rank = { none: 0, clear: 0, look: 1, stop: 2 };

/** What the foot of the ledger says of a part, and the ways on from there. */
export interface Foot {
  mark: 'clear' | 'look' | 'stop' | 'none';
  sentence: string;
  remedy: string;
  /** Whether its worst is its size: it may have been read in another unit. */
  oddSize: boolean;
  /** The step to go to, and whether what was found is mended there. */
  first: { step: string; mends: boolean };
  /** A step that is still ahead on another of its ways; null where there is none, or something is to be mended first. */
  next: string | null;
  /** What was made of it. */
  made: { id: string; name: string } | null;
  /** Its own file: whether it can be written now, and what the button says; null for a part that has none. */
  write: { can: boolean; words: string } | null;
  file: NonNullable<PartView['file']> | null;
}

/** The worst of a part in one sentence, and what to do. The first of several that are as bad counts: steps follow each other. */
export function footOf(part: Pick<PartView, 'steps' | 'strands' | 'file'>): Foot {
  const { strands } = part;
  const worst = part.steps.reduce((a, b) => (rank[b.mark] > rank[a.mark] ? b : a));
  const file = part.file?.state === 'written' ? part.file : null;
  const form = strands[0].form.step;
  const ahead = strands.find((s) => s.form.mark === 'none' && !s.made)?.form.step ?? null;
  return {
    ...saidOf(worst, form, file !== null),
    oddSize: worst.step === 'Size' && worst.mark !== 'clear',
    next: worst.finding || ahead === form ? null : ahead,
    made: strands.find((s) => s.made)?.made ?? null,
    write: writeOf(part, worst.mark === 'stop'),
    file,
  };
}

/** What was found, and where it is mended; or that nothing was. */
function saidOf(worst: PartView['steps'][number], form: string, written: boolean): Pick<Foot, 'mark' | 'sentence' | 'remedy' | 'first'> {
  const { finding, mark, step } = worst;
  if (finding) return { mark, sentence: finding.message, remedy: finding.remedy, first: { step: mendedAt[finding.code] ?? step, mends: true } };
  return { mark: 'clear', sentence: written ? 'The file agrees with the design.' : 'Ready.', remedy: '', first: { step: form, mends: false } };
}

function writeOf({ strands, file }: Pick<PartView, 'strands' | 'file'>, stopped: boolean): Foot['write'] {
  if (!strands.some((s) => s.steps.some((x) => x.step === 'File'))) return null;
  const busy = file?.state === 'queued' || file?.state === 'writing';
  return { can: !busy && !stopped, words: busy ? 'Being written …' : file?.state === 'written' ? 'Write again' : 'Write the file' };
}
