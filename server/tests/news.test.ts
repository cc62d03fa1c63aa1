/** What changed of a job since a page looked: after any changes the page knows what it would know by asking for everything. */
import { sql } from 'kysely';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { told, type KnownJob } from '../../web/shell/news.ts';
import { connect } from '../src/database/connect.ts';
import { JobBook, stampFrom, stampText } from '../src/jobs/book.ts';
import { jobView, listJobs } from '../src/jobs/jobs.ts';
import { jobFirst, jobNews, type JobNews } from '../src/jobs/news.ts';
import { partViews } from '../src/jobs/part-views.ts';
import { changePart, changeSeveral, stepHistory } from '../src/parts/change.ts';
import { bringBackDesign, dismissDesign, listDesigns, removeDesign } from '../src/designs/designs.ts';
import { allRead, makeWorld, manyBoxes, type World } from './world.ts';

let world: World;
let jobId: string;
beforeAll(async () => {
  world = await makeWorld();
  world.worker();
  jobId = await world.job();
  await world.bring(jobId, 'boxes.obj', manyBoxes(30));
  await world.bring(jobId, 'Helix.stl');
  await world.until(jobId, allRead);
});
afterAll(() => world?.close());

const newsOf = async (book: JobBook, known: KnownJob | null, whole = 'none', db = world.db): Promise<JobNews> =>
  JSON.parse(await jobNews(db, book, jobId, { whole, since: stampFrom(known?.stamp ?? null), order: known?.order ?? null })) as JobNews;
const asJson = (value: unknown): unknown => JSON.parse(JSON.stringify(value));
const plain = ({ stamp: _, order: __, ...job }: KnownJob) => job;
/** A page that is told of every change. */
const pageOf = (book: JobBook) => {
  let known: KnownJob | null = null;
  return async () => {
    const news = await newsOf(book, known);
    known = told(known, news) ?? told(null, await newsOf(book, null))!;
    return { news, known };
  };
};
const same = async (known: KnownJob) => expect(plain(known)).toEqual(asJson(await jobView(world.db, jobId, 'none')));

/** Changes of every kind, by their number. */
const kinds: ((parts: { id: string; version: number }[], random: (n: number) => number, look: () => Promise<unknown>) => Promise<unknown>)[] = [
  (parts, random) => {
    const { id, version } = parts[random(parts.length)];
    return changePart(world.db, id, { version, what: 'count', fields: { quantity: 1 + random(50) } });
  },
  (parts, random) => changeSeveral(world.db, jobId, { what: 'leave out', parts: parts.filter((_, i) => i % (2 + random(5)) === 0), fields: { left_out: random(2) === 0 } }), // prettier-ignore
  () => stepHistory(world.db, jobId, 'undo'),
  () => stepHistory(world.db, jobId, 'redo'),
  (parts, random) => changePart(world.db, parts[random(parts.length)].id, { version: 1, what: 'late', fields: { quantity: 2 } }).catch(() => {}),
  // A file of a part, in a transaction that a second one overtakes; the page looks before it ends.
  async (parts, random, look) => {
    const other = connect(world.url, 1);
    await world.db.transaction().execute(async (trx) => {
      await sql`insert into files (job_id, part_id, part_version, recipe, state) select job_id, id, version, recipe, 'failed' from parts where id = ${parts[0].id}`.execute(trx); // prettier-ignore
      const last = parts[parts.length - 1];
      await changePart(other.db, last.id, { version: last.version, what: 'meanwhile', fields: { name: `n${random(1000)}` } });
      await look();
    });
    await other.db.destroy();
  },
  (parts) => sql`delete from files where part_id = ${parts[0].id}`.execute(world.db),
  // A part made of another, and its end.
  (parts, random) => sql`insert into parts (job_id, design_id, position, name, quantity, summary, findings, geometry_sha256, view_sha256, recipe, made_from)
      select job_id, design_id, 500 + ${random(1000)}::int, 'Made', 1, summary, findings, geometry_sha256, view_sha256, recipe, id from parts where id = ${parts[random(parts.length)].id}`.execute(world.db), // prettier-ignore
  () => sql`delete from parts where name = 'Made'`.execute(world.db),
  () => sql`update parts set removed = true where name = 'Made'`.execute(world.db),
  async () => {
    const id = await world.bring(jobId, 'no.stl', Buffer.from('no mesh at all, only words and more words, and then some more of them to make it long enough'));
    await world.until(jobId, allRead);
    await dismissDesign(world.db, id);
  },
  // A design removed with its parts, and brought back by the next.
  async () => {
    const [first, ...others] = (await listDesigns(world.db, jobId)).reverse();
    if (first.removedAt) await bringBackDesign(world.db, first.id);
    else if (others.some((d) => d.removedAt === null)) await removeDesign(world.db, first.id);
  },
];

describe('news of a job', () => {
  test.each([1, 2, 3, 4])('after any changes (seed %i) a page knows what it would be told anew, and so does a process that just began', async (seed) => {
    let state = seed * 7919;
    const random = (n: number) => (state = (state * 1103515245 + 12345) % 2147483648) % n;
    const book = new JobBook();
    const page = pageOf(book);
    await page();
    for (let i = 0; i < 25; i++) {
      const parts = (await partViews(world.db, jobId)).map(({ id, version }) => ({ id, version }));
      const kind = kinds[Math.floor(random(1 << 20) / 64) % kinds.length];
      await kind(parts, random, page);
      // Some changes go by before it looks.
      if (random(3) > 0) await same((await page()).known);
    }
    await same((await page()).known);
    await same((await pageOf(new JobBook())()).known);
  });

  test('one changed part is one part told; nothing changed, nothing told; what did not change is the very object that it was', async () => {
    const page = pageOf(new JobBook());
    const before = (await page()).known;
    const quiet = (await page()).news;
    expect({ parts: quiet.parts, ids: quiet.ids, designs: quiet.designs }).toEqual({ parts: [], ids: null, designs: null });
    const { id, version } = before.parts[3];
    await changePart(world.db, id, { version, what: 'count', fields: { quantity: 77 } });
    const { news, known } = await page();
    expect(news.parts.map((p) => p.id)).toEqual([id]);
    expect(known.parts[3].quantity).toBe(77);
    known.parts.forEach((p, i) => i === 3 || expect(p).toBe(before.parts[i]));
  });

  test('the part that a page is about brings its evidence, others do not', async () => {
    const [{ id }] = await partViews(world.db, jobId);
    await sql`insert into files (job_id, part_id, part_version, recipe, state, evidence) select job_id, id, version, recipe, 'failed', '{"verdict":"stop","claims":[],"findings":[]}' from parts where id = ${id}`.execute(world.db); // prettier-ignore
    const book = new JobBook();
    const evidence = async (whole: string) => (await newsOf(book, null, whole)).parts.find((p) => p.id === id)!.file!.evidence;
    expect([await evidence('none'), await evidence(id)]).toEqual([null, { verdict: 'stop', claims: [], findings: [] }]);
    await sql`delete from files where part_id = ${id}`.execute(world.db);
  });

  test('a stamp of another database, or of none, is told everything', async () => {
    const book = new JobBook();
    const { known } = await pageOf(book)();
    const { before, database } = stampFrom(known.stamp)!;
    for (const stamp of [stampText({ before, database: `${database}1` }), '', '12', '1-2', 'x-1.2', `${before}`]) {
      const news = await newsOf(book, { ...known, stamp });
      expect({ stamp, since: news.since, parts: news.parts.length }).toEqual({ stamp, since: null, parts: known.parts.length });
    }
    expect(stampFrom(known.stamp)).toEqual({ before, database });
  });

  test('news that do not fit what a page knows are not put together', async () => {
    const { known } = await pageOf(new JobBook())();
    const news: JobNews = { ...known, since: known.stamp, ids: [...known.parts.map((p) => p.id), 'unheard-of'], parts: [], designs: null };
    expect(told(known, news)).toBeNull();
    expect(told(null, { ...news, ids: null })).toBeNull();
  });

  test('what the list counts is the same by the book and by looking at every part, and few jobs are remembered', async () => {
    const book = new JobBook(10);
    await world.db.updateTable('jobs').set({ counts: null }).execute();
    const anew = (await listJobs(world.db)).jobs;
    await world.db.updateTable('jobs').set({ counts: null }).execute();
    expect((await listJobs(world.db, {}, (db, id) => book.tallies(db, id))).jobs).toEqual(anew);
    const held = (book as unknown as { pages: Map<string, unknown> }).pages;
    // Larger than the limit, but the only one.
    expect([...held.keys()]).toEqual([jobId]);
    const other = await world.job();
    await book.tallies(world.db, other);
    expect([...held.keys()]).toEqual([other]);
  });
});

test('a change of what a part is for gives the version that it has: the next change is taken', async () => {
  const [{ id, version }] = await partViews(world.db, jobId);
  const first = await changePart(world.db, id, { version, what: 'carve', fields: { ways: ['carve'] } });
  const second = await changePart(world.db, id, { version: first.version, what: 'count', fields: { quantity: 4 } });
  expect(second.version).toBe(version + 1);
  const { versions } = await changeSeveral(world.db, jobId, { what: 'both', parts: [{ id, version: second.version }], fields: { material: 'Ash' } });
  expect(versions).toEqual({ [id]: version + 2 });
  expect((await partViews(world.db, jobId))[0]).toMatchObject({ ways: ['carve'], quantity: 4, material: 'Ash', version: version + 2 });
});

test('the first rows of a job of many parts: as the whole job has them, and how many there are; of a smaller one none', async () => {
  const whole = await jobView(world.db, jobId, 'none');
  const n = whole.parts.length;
  // Eight times as many as are asked for: just enough, and one too few.
  const many = Math.floor(n / 8);
  const first = (await jobFirst(world.db, jobId, many))!;
  const { of, parts, ...rest } = first;
  expect([of, parts.length]).toEqual([n, many]);
  expect(asJson({ ...rest, parts })).toEqual(asJson({ ...whole, parts: whole.parts.slice(0, many) }));
  expect(await jobFirst(world.db, jobId, many + 1)).toBe(null);
  await expect(jobFirst(world.db, '00000000-0000-4000-8000-000000000000', many)).resolves.toBe(null);
});
