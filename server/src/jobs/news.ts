import type { Database } from '../database/connect.ts';
import { stampText, type JobBook, type Stamp } from './book.ts';
import { designViews, jobHead, type JobView } from './jobs.ts';
import { partViews } from './part-views.ts';

/** A job as a page asks for it. */
export interface NewsAsked {
  /** The part whose file comes with its evidence; those of others come without. */
  whole: string;
  /** What an earlier answer gave: then only what changed comes. */
  since: Stamp | null;
  order: string | null;
}

/** A job for a page that may know an earlier state of it. */
export interface JobNews extends Omit<JobView, 'designs'> {
  stamp: string;
  order: string;
  /** The stamp that this follows: `parts` are those that changed since. Null when all of them are here. */
  since: string | null;
  /** All parts in their order; null when the asker has them so. */
  ids: string[] | null;
  /** Null when none changed since. */
  designs: JobView['designs'] | null;
}

/** What of a job a page does not know yet, as JSON (of a `JobNews`). @throws Unusable when there is no such job. */
export async function jobNews(db: Database, book: JobBook, jobId: string, { whole, since, order }: NewsAsked): Promise<string> {
  const head = await jobHead(db, jobId);
  const news = await book.learn(db, jobId, since, order);
  const withEvidence = /^[0-9a-f-]{36}$/.test(whole) ? (await partViews(db, jobId, [whole]))[0] : undefined;
  const marker = `{"id":"${whole}",`;
  const parts = withEvidence ? news.parts.map((json) => (json.startsWith(marker) ? JSON.stringify(withEvidence) : json)) : news.parts;
  const same = news.since !== null && news.ids === null && !(await designsChanged(db, jobId, news.since));
  const designs = same ? null : await designViews(db, jobId);
  const rest = JSON.stringify({ ...head, designs, stamp: stampText(news.stamp), since: news.since && stampText(news.since), order: news.order, ids: news.ids });
  return `${rest.slice(0, -1)},"parts":[${parts.join()}]}`;
}

async function designsChanged(db: Database, jobId: string, { before }: Stamp): Promise<boolean> {
  const one = await db.selectFrom('designs').select('id').where('job_id', '=', jobId).where('rev', '>=', before).limit(1).executeTakeFirst();
  return one !== undefined;
}
