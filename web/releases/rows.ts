import type { ReleaseRowView } from '@tall-kite/server/releases/report';

export type RowMark = 'clear' | 'look' | 'stop' | 'none';

/** The mark of a row: its verdict, and a stop when its receiver refused it. */
export function markOf(row: Pick<ReleaseRowView, 'state' | 'delivery' | 'verdict'>): RowMark {
  if (row.state === 'failed' || row.delivery === 'refused') return 'stop';
  if (row.state === 'skipped') return 'look';
  if (row.state !== 'made' && row.state !== 'same') return 'none';
  // What did not arrive wants a person's eye, however good it is.
  return row.delivery === 'failed' && row.verdict !== 'stop' ? 'look' : (row.verdict ?? 'clear');
}

export const stateWords: Record<ReleaseRowView['state'], string> = {
  queued: 'waiting',
  making: 'being made',
  made: 'made',
  same: 'same as before',
  skipped: 'skipped',
  failed: 'failed',
  cancelled: 'cancelled',
};

export const deliveryWords: Record<ReleaseRowView['delivery'], string> = {
  none: '',
  waiting: 'on its way',
  accepted: 'accepted',
  refused: 'refused',
  failed: 'not delivered',
};

export interface RowFilter {
  text: string;
  mark: string;
  state: string;
  receiver: string;
}

export const allRows: RowFilter = { text: '', mark: '', state: '', receiver: '' };

/** Rows that are shown: by words in part, file, source or finding, by mark, state and receiver. */
export function shownRows(rows: readonly ReleaseRowView[], filter: RowFilter): ReleaseRowView[] {
  const words = filter.text.trim().toLowerCase().split(/\s+/).filter(Boolean);
  return rows.filter((r) => {
    if (filter.mark !== '' && markOf(r) !== filter.mark) return false;
    if (filter.state !== '' && r.state !== filter.state) return false;
    if (filter.receiver !== '' && r.receiver !== filter.receiver) return false;
    if (words.length === 0) return true;
    const hay = [r.part, ...r.parts, r.name, r.source, r.receiver, r.finding].join('\n').toLowerCase();
    return words.every((w) => hay.includes(w));
  });
}

/** A time left as people say it. */
export function timeLeft(seconds: number): string {
  if (seconds < 60) return `about ${Math.max(1, seconds)} s left`;
  const minutes = Math.round(seconds / 60);
  return minutes < 90 ? `about ${minutes} min left` : `about ${(minutes / 60).toFixed(1)} h left`;
}

/** What is said of a row first: what its receiver said no to, what was found, or that all is well. */
export function sentenceOf(row: Pick<ReleaseRowView, 'delivery' | 'deliverySaid' | 'finding' | 'sha256'>): string {
  if (row.delivery === 'refused') return `The receiver refused it: ${row.deliverySaid ?? ''}`;
  const said = row.finding || (row.sha256 ? 'The file agrees with the design.' : 'Not made yet.');
  return row.delivery === 'failed' ? `${said} It was not delivered: ${row.deliverySaid ?? ''}` : said;
}
