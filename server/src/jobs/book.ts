import { createHash } from 'node:crypto';
import { sql } from 'kysely';
import { worstOf } from 'tall-kite/steps/step';
import type { Database } from '../database/connect.ts';
import { partIds, viewsInSlices, type PartView } from './part-views.ts';

/** What the list of jobs counts of a part. */
export interface Tally {
  leftOut: boolean;
  mark: 'clear' | 'look' | 'stop';
  written: boolean;
}

interface Line extends Tally {
  /** The part's view as JSON, its file without evidence. */
  json: string;
}

/** A moment of one database: every change by a transaction before `before` can be seen. */
export interface Stamp {
  before: number;
  /** Which database, and since when it runs: a backup that was brought back begins to count anew. */
  database: string;
}

/** A stamp as it goes to pages and comes back. */
export const stampText = ({ before, database }: Stamp): string => `${before}-${database}`;
export function stampFrom(text: string | null): Stamp | null {
  const [, before, database] = /^(\d{1,15})-(\d{1,20}\.\d{1,20})$/.exec(text ?? '') ?? [];
  return before === undefined ? null : { before: Number(before), database };
}

/** A job's parts as they were at a moment. */
interface Page {
  stamp: Stamp;
  ids: string[];
  order: string;
  lines: Map<string, Line>;
}

/** What a page that knows a job as it was at some moment has to learn, as pieces of JSON. */
export interface Learnt {
  stamp: Stamp;
  /** The stamp that what is told here follows; null when everything is told. */
  since: Stamp | null;
  /** Hash of the ids of parts and designs in their order: whoever has another one gets the ids too. */
  order: string;
  ids: string[] | null;
  parts: string[];
}

/** What of a part is counted. */
export const tallyOf = (part: PartView): Tally => {
  const { mark } = worstOf(part.steps);
  return { leftOut: part.leftOut, mark: mark === 'stop' || mark === 'look' ? mark : 'clear', written: part.file?.state === 'written' && !part.file.stale };
};

const lineOf = (part: PartView): Line => ({ ...tallyOf(part), json: JSON.stringify(part.file ? { ...part, file: { ...part.file, evidence: null } } : part) });

/** The first transaction that may still be at work: changes of all before it can be seen. Source: PostgreSQL, "Transaction ID and Snapshot Information Functions". */
async function stampOf(db: Database): Promise<Stamp> {
  const { rows } = await sql<{ before: string; database: string }>`select pg_snapshot_xmin(pg_current_snapshot())::text as before,
    (select oid from pg_database where datname = current_database())::text || '.' || round(extract(epoch from pg_postmaster_start_time()))::text as database`.execute(
    db,
  );
  return { before: Number(rows[0].before), database: rows[0].database };
}

/** Parts whose view may differ from what could be seen at a stamp: they changed, or a part that was made of them did. */
async function changedSince(db: Database, jobId: string, { before }: Stamp): Promise<string[]> {
  const rows = await db.selectFrom('parts').select(['id', 'made_from']).where('job_id', '=', jobId).where('rev', '>=', before).execute();
  return [...new Set(rows.flatMap((r) => (r.made_from === null ? [r.id] : [r.id, r.made_from])))];
}

const orderOf = (...ids: (readonly string[])[]): string => createHash('sha256').update(ids.join(';')).digest('hex').slice(0, 16);

/** Most parts that are remembered in all; a part takes some 4 kB. */
const mostParts = 40_000;

/**
 * The parts of the jobs that were asked for last, as the JSON in which pages get them: only those that changed are made anew. One for each process;
 * it holds nothing that the database does not, and asks that each time.
 *
 * @example const { parts } = await book.learn(db, jobId, null) // the JSON of every part
 */
export class JobBook {
  private readonly pages = new Map<string, Page>();
  /** What is under way for a job: the next one waits for it, and then looks again. */
  private readonly turns = new Map<string, Promise<unknown>>();
  private readonly most: number;

  /** @param most parts that are remembered in all. */
  constructor(most = mostParts) {
    this.most = most;
  }

  /**
   * What changed since a stamp that an earlier answer gave; all parts when there is none.
   * @param order the hash of the ids that the asker has.
   */
  async learn(db: Database, jobId: string, since: Stamp | null, order: string | null = null): Promise<Learnt> {
    const { stamp, order: now, ids, lines } = await this.page(db, jobId);
    if (since === null || since.database !== stamp.database) return { stamp, since: null, order: now, ids, parts: ids.map((id) => lines.get(id)!.json) };
    const changed = await changedSince(db, jobId, since);
    return { stamp, since, order: now, ids: order === now ? null : ids, parts: changed.flatMap((id) => lines.get(id)?.json ?? []) };
  }

  /** What the list of jobs counts of each part. */
  async tallies(db: Database, jobId: string): Promise<Tally[]> {
    return [...(await this.page(db, jobId)).lines.values()];
  }

  private page(db: Database, jobId: string): Promise<Page> {
    const before = this.turns.get(jobId) ?? Promise.resolve();
    const turn = before.then(
      () => this.turned(db, jobId),
      () => this.turned(db, jobId),
    );
    this.turns.set(jobId, turn);
    const over = () => this.turns.get(jobId) === turn && this.turns.delete(jobId);
    turn.then(over, over);
    return turn;
  }

  private async turned(db: Database, jobId: string): Promise<Page> {
    const old = this.pages.get(jobId);
    const stamp = await stampOf(db);
    const ids = await partIds(db, jobId);
    const has = new Set(ids);
    const lines = new Map(old?.stamp.database === stamp.database ? [...old.lines].filter(([id]) => has.has(id)) : []);
    const stale = lines.size > 0 ? new Set(await changedSince(db, jobId, old!.stamp)) : new Set<string>();
    const wanted = ids.filter((id) => stale.has(id) || !lines.has(id));
    for await (const views of viewsInSlices(db, jobId, wanted)) for (const view of views) lines.set(view.id, lineOf(view));
    // One that went while the others were read is told with the next change.
    const there = ids.filter((id) => lines.has(id));
    const designs = await db.selectFrom('designs').select('id').where('job_id', '=', jobId).where('removed_at', 'is', null).orderBy('id').execute();
    const page: Page = { stamp, ids: there, order: orderOf(there, designs.map((d) => d.id)), lines }; // prettier-ignore
    this.pages.delete(jobId);
    this.pages.set(jobId, page);
    this.forget();
    return page;
  }

  /** Gives up the jobs that were asked for longest ago; the last one stays whatever its size. */
  private forget(): void {
    let parts = [...this.pages.values()].reduce((sum, p) => sum + p.ids.length, 0);
    for (const [jobId, page] of this.pages) {
      if (parts <= this.most || this.pages.size === 1) return;
      parts -= page.ids.length;
      this.pages.delete(jobId);
    }
  }
}
