import type { JobView } from '@tall-kite/server/jobs/jobs';
import type { JobNews } from '@tall-kite/server/jobs/news';

/** A job as a page knows it, with what it asks for news by. */
export type KnownJob = JobView & { stamp: string; order: string };

/**
 * What a page knows after news: parts that did not change are the objects that they were. Null when the news do not fit what was known, and everything
 * has to be asked for.
 */
export function told(known: KnownJob | null, { since, ids, parts, designs, ...rest }: JobNews): KnownJob | null {
  if (since === null) return designs && { ...rest, designs, parts };
  if (!known) return null;
  const changed = new Map(parts.map((p) => [p.id, p]));
  const held = new Map(known.parts.map((p) => [p.id, p]));
  const now = (ids ?? known.parts.map((p) => p.id)).map((id) => changed.get(id) ?? held.get(id));
  if (now.some((p) => p === undefined)) return null;
  return { ...rest, designs: designs ?? known.designs, parts: now as JobView['parts'] };
}
