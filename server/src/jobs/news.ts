import type { Database } from '../database/connect.ts';
import { stampText, type JobBook, type Stamp } from './book.ts';
import { designViews, jobHead, type JobView } from './jobs.ts';
import { partIds, partViews } from './part-views.ts';

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

/** The first parts of a job that has many more, so that a page shows something while the rest is fetched. */
export interface JobFirst extends JobView {
  /** How many parts there are in all. */
  of: number;
}

/** A job with fewer parts than this many times what was asked for comes whole: that takes no longer. */
const worthParting = 8;

/**
 * The first rows of a large job. Null when it has too few parts for that to be worth while, or is none: ask for all of it then.
 * @param many how many parts
 * @example (await jobFirst(db, jobId, 50))?.parts.length // 50 of a job of 10,000, null of one of 100
 */
export async function jobFirst(db: Database, jobId: string, many: number): Promise<JobFirst | null> {
  const ids = await partIds(db, jobId);
  if (ids.length < worthParting * many) return null;
  const head = await jobHead(db, jobId);
  const wanted = ids.slice(0, many);
  const views = new Map((await partViews(db, jobId, wanted)).map((v) => [v.id, v]));
  const parts = wanted.flatMap((id) => views.get(id) ?? []);
  for (const part of parts) if (part.file) part.file.evidence = null;
  return { ...head, designs: await designViews(db, jobId), parts, of: ids.length };
}

async function designsChanged(db: Database, jobId: string, { before }: Stamp): Promise<boolean> {
  const one = await db.selectFrom('designs').select('id').where('job_id', '=', jobId).where('rev', '>=', before).limit(1).executeTakeFirst();
  return one !== undefined;
}
