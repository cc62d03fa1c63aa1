import { aboutRow, heldBack, releasedFile } from 'tall-kite/release/run';
import { manifestText, reportCsv, type Manifest, type PartChange } from 'tall-kite/release/manifest';
import type { Evidence } from 'tall-kite/prove/evidence';
import { zipped } from 'tall-kite/release/zip';
import type { Severity } from 'tall-kite/base/finding';
import type { ReleaseRecipe } from 'tall-kite/release/recipe';
import type { Selectable } from 'kysely';
import type { Database } from '../database/connect.ts';
import type { Failure } from '../database/failure.ts';
import type { Blobs } from '../storage/blobs.ts';
import { noSuchRelease } from './releases.ts';
import type { DeliveryState, ReleaseFileState, ReleaseFilesTable, ReleaseOptions, ReleaseState } from './tables.ts';

/** @throws Unusable when there is no such release. */
async function releaseAndJob(db: Database, releaseId: string) {
  const release = await db
    .selectFrom('releases')
    .innerJoin('jobs', 'jobs.id', 'releases.job_id')
    .selectAll('releases')
    .select('jobs.name as job_name')
    .where('releases.id', '=', releaseId)
    .executeTakeFirst();
  if (!release) throw noSuchRelease();
  return release;
}

const goesOn = { code: 'not-made', message: 'Not made yet, the run goes on.', remedy: 'Wait for its end.' };
const leftOut = { code: 'not-made', message: 'It was not made.', remedy: 'Retry it.' };
/** What is said of a row that nothing else is said of. */
const unmade = {
  queued: goesOn,
  making: goesOn,
  cancelled: { code: 'not-made', message: 'Cancelled before it was made.', remedy: 'Retry it.' },
  failed: leftOut,
  skipped: leftOut,
};

/** A release as its manifest, the changes since the one before, and which of its files were made in this run. */
export async function releaseDocument(
  db: Database,
  releaseId: string,
): Promise<{ manifest: Manifest; changes: PartChange[]; made: Set<string>; name: string; recipe: ReleaseRecipe }> {
  const release = await releaseAndJob(db, releaseId);
  const rows = await db.selectFrom('release_files').selectAll().where('release_id', '=', releaseId).orderBy('position').execute();
  const manifest: Manifest = { ...release.head, files: [], notMade: [] };
  const made = new Set<string>();
  for (const row of rows) {
    const about = aboutRow(row);
    if (row.state === 'made' || row.state === 'same') {
      const held = heldBack(row.evidence!, release.options.evenSo ?? false);
      if (held) {
        const { parts: _, ...rest } = about;
        manifest.notMade.push({ ...rest, severity: 'stop', ...held });
        continue;
      }
      if (row.state === 'made') made.add(row.name);
      manifest.files.push(releasedFile({ ...row, key: row.id, skip: null }, { sha256: row.sha256!, bytes: row.bytes!, evidence: row.evidence! }));
    } else {
      const { parts: _, ...rest } = about;
      const failure = row.failure ?? unmade[row.state];
      const ahead = row.state === 'queued' || row.state === 'making';
      manifest.notMade.push({ ...rest, severity: ahead || row.state === 'skipped' ? 'look' : 'stop', ...failure });
    }
  }
  return { manifest, changes: release.changes ?? [], made, name: `${release.job_name}_${release.number}`, recipe: release.recipe };
}

/** The whole release as one zip, as pieces of bytes; one file after another, each read when its turn comes. */
export async function releaseZip(db: Database, blobs: Blobs, releaseId: string): Promise<{ name: string; pieces: AsyncGenerator<Uint8Array> }> {
  const { manifest, changes, made, name } = await releaseDocument(db, releaseId);
  const encoder = new TextEncoder();
  const entries = [
    ...manifest.files.map((f) => ({ name: f.file, bytes: () => blobs.read(f.sha256) as Promise<Uint8Array> })),
    { name: 'manifest.json', bytes: async () => encoder.encode(manifestText(manifest)) },
    { name: 'report.csv', bytes: async () => encoder.encode(reportCsv(manifest, changes, made)) },
  ];
  return { name, pieces: zipped(entries) };
}

export interface ReleaseListed {
  id: string;
  number: number;
  revision: string;
  state: ReleaseState;
  createdAt: string;
  endedAt: string | null;
  /** When it was removed; null for one that is there. */
  removedAt: string | null;
  counts: ReleaseCounts;
}

/** How many rows of a release are in which state, and how files were judged. */
export interface ReleaseCounts {
  rows: number;
  waiting: number;
  making: number;
  made: number;
  same: number;
  skipped: number;
  failed: number;
  cancelled: number;
  clear: number;
  look: number;
  stop: number;
  bytes: number;
  accepted: number;
  refused: number;
}

export interface ReleaseRowView {
  id: string;
  position: number;
  part: string;
  parts: string[];
  partId: string | null;
  source: string;
  line: string;
  receiver: string;
  format: string;
  name: string;
  state: ReleaseFileState;
  sha256: string | null;
  bytes: number | null;
  verdict: Severity | null;
  claims: number;
  agree: number;
  /** The worst thing found, or why it was not made. */
  finding: string;
  remedy: string;
  failure: Failure | null;
  /** Whether it is kept out of zip, folder and inboxes, since its verdict is stop. */
  held: boolean;
  fileId: string | null;
  delivery: DeliveryState;
  deliverySaid: string | null;
  seq: number;
}

export interface ReleaseView extends ReleaseListed {
  jobId: string;
  jobName: string;
  recipe: ReleaseRecipe;
  options: ReleaseOptions;
  folder: string | null;
  changes: PartChange[] | null;
  sources: Manifest['sources'];
  recipeSha256: string;
  program: string;
  /** Seconds until it ends, as far as it can be told; null while nothing is known. */
  secondsLeft: number | null;
  rows: ReleaseRowView[];
}

const countsOf = (db: Database) =>
  db
    .selectFrom('release_files')
    .select((eb) => [
      'release_id',
      eb.fn.countAll<number>().as('rows'),
      ...(['queued', 'making', 'made', 'same', 'skipped', 'failed', 'cancelled'] as const).map((s) =>
        eb.fn.countAll<number>().filterWhere('state', '=', s).as(s),
      ),
      ...(['clear', 'look', 'stop'] as const).map((v) =>
        eb.fn.countAll<number>().filterWhere('verdict', '=', v).filterWhere('state', 'in', ['made', 'same']).as(v),
      ),
      ...(['accepted', 'refused'] as const).map((d) => eb.fn.countAll<number>().filterWhere('delivery', '=', d).as(d)),
      eb.fn.sum<number>('bytes').as('bytes'),
    ])
    .groupBy('release_id');

type Counted = Awaited<ReturnType<ReturnType<typeof countsOf>['executeTakeFirstOrThrow']>>;

const noneCounted: ReleaseCounts = { rows: 0, waiting: 0, making: 0, made: 0, same: 0, skipped: 0, failed: 0, cancelled: 0, clear: 0, look: 0, stop: 0, bytes: 0, accepted: 0, refused: 0 }; // prettier-ignore

function plainCounts(counted: Counted | undefined): ReleaseCounts {
  if (!counted) return noneCounted;
  const { release_id: _, queued, bytes, ...counts } = counted;
  return { ...counts, waiting: queued, bytes: Number(bytes ?? 0) };
}

/** The releases of a job, or of all jobs, the newest first; or those that were removed. */
export async function listReleases(
  db: Database,
  jobId: string | null = null,
  removed = false,
): Promise<(ReleaseListed & { jobId: string; jobName: string })[]> {
  const rows = await db
    .selectFrom('releases')
    .innerJoin('jobs', 'jobs.id', 'releases.job_id')
    .selectAll('releases')
    .select('jobs.name as job_name')
    .where('jobs.removed_at', 'is', null)
    .where('releases.removed_at', removed ? 'is not' : 'is', null)
    .$if(jobId !== null, (q) => q.where('releases.job_id', '=', jobId!))
    .orderBy('releases.created_at', 'desc')
    .limit(500)
    .execute();
  if (rows.length === 0) return [];
  const ids = rows.map((r) => r.id);
  const counts = new Map((await countsOf(db).where('release_id', 'in', ids).execute()).map((c) => [c.release_id, c]));
  return rows.map((r) => ({
    id: r.id,
    jobId: r.job_id,
    jobName: r.job_name,
    number: r.number,
    revision: r.recipe.revision,
    state: r.state,
    createdAt: r.created_at.toISOString(),
    endedAt: r.ended_at?.toISOString() ?? null,
    removedAt: r.removed_at?.toISOString() ?? null,
    counts: plainCounts(counts.get(r.id)),
  }));
}

/**
 * A release with its rows.
 * @param after only rows that changed since this number; 0 gives all.
 */
export async function releaseView(db: Database, releaseId: string, after = 0): Promise<ReleaseView> {
  const release = await releaseAndJob(db, releaseId);
  const counts = plainCounts(await countsOf(db).where('release_id', '=', releaseId).executeTakeFirst());
  const rows = await db
    .selectFrom('release_files')
    .selectAll()
    .where('release_id', '=', releaseId)
    .$if(after > 0, (q) => q.where('seq', '>', after))
    .orderBy('position')
    .execute();
  const { head } = release;
  return {
    id: release.id,
    jobId: release.job_id,
    jobName: release.job_name,
    number: release.number,
    revision: release.recipe.revision,
    state: release.state,
    createdAt: release.created_at.toISOString(),
    endedAt: release.ended_at?.toISOString() ?? null,
    removedAt: release.removed_at?.toISOString() ?? null,
    counts,
    recipe: release.recipe,
    options: release.options,
    folder: release.folder,
    changes: release.changes,
    sources: head.sources,
    recipeSha256: head.recipe,
    program: head.program,
    secondsLeft: release.state === 'running' ? await secondsLeft(db, releaseId, counts) : null,
    rows: rows.map((row) => rowView(row, release.options.evenSo ?? false)),
  };
}

function rowView(row: Selectable<ReleaseFilesTable>, evenSo: boolean): ReleaseRowView {
  const { evidence, failure, line, parts } = row;
  const about = aboutRow(row);
  const claims = evidence?.claims ?? [];
  return {
    id: row.id,
    position: row.position,
    part: about.part,
    parts: about.parts ?? [],
    partId: parts.length === 1 ? parts[0].key : null,
    source: about.source,
    line: line.name,
    receiver: line.receiver.name,
    format: line.format,
    name: row.name,
    state: row.state,
    sha256: row.sha256,
    bytes: row.bytes,
    verdict: row.verdict,
    claims: claims.length,
    agree: claims.filter((c) => c.verdict === 'clear').length,
    ...(failure ? { finding: failure.message, remedy: failure.remedy } : evidence ? worstOf(evidence) : { finding: '', remedy: '' }),
    failure,
    held: evidence !== null && heldBack(evidence, evenSo) !== null,
    fileId: row.file_id,
    delivery: row.delivery,
    deliverySaid: row.delivery_said,
    seq: row.seq,
  };
}

/** What made a file's verdict: a claim that does not hold, else a finding and its remedy; empty when all is clear. */
export function worstOf({ verdict, claims, findings, reason }: Evidence): { finding: string; remedy: string } {
  if (verdict === 'clear') return { finding: '', remedy: '' };
  const claim = claims.find((c) => c.verdict === verdict);
  if (claim) return { finding: reason ?? `${claim.quantity}: designed ${claim.designed}, received ${claim.received} ${claim.unit}`.trim(), remedy: '' };
  const { message, remedy } = findings.find((f) => f.severity === verdict) ?? { message: reason ?? '', remedy: '' };
  return { finding: message, remedy };
}

/** From how many rows were done since the first began. */
async function secondsLeft(db: Database, releaseId: string, counts: ReleaseCounts): Promise<number | null> {
  const { first, last, done } = await db
    .selectFrom('release_files')
    .select((eb) => [eb.fn.min('started_at').as('first'), eb.fn.max('ended_at').as('last'), eb.fn.count<number>('ended_at').as('done')])
    .where('release_id', '=', releaseId)
    .executeTakeFirstOrThrow();
  if (!first || !last || done < 1) return null;
  const took = (new Date(last).getTime() - new Date(first).getTime()) / 1000;
  return Math.ceil((took / done) * (counts.waiting + counts.making));
}

/** A row's evidence in full, and its bytes. @throws Unusable when there is no such row or it was not made. */
export async function releasedRow(db: Database, rowId: string) {
  const row = await db.selectFrom('release_files').selectAll().where('id', '=', rowId).executeTakeFirst();
  if (!row || !row.sha256 || !row.evidence || row.bytes === null) throw noSuchRelease();
  return { ...row, sha256: row.sha256, evidence: row.evidence, bytes: row.bytes };
}
