import { Unusable } from 'tall-kite/base/finding';
import type { Database } from '../database/connect.ts';
import { announce } from '../live/announce.ts';
import { noSuchPart } from '../parts/change.ts';
import { enqueue } from '../queue/enqueue.ts';

/** Asks for a part's file: a row and a task in one transaction. A file that is being written already is not asked for twice. */
export async function askForFile(db: Database, partId: string): Promise<string> {
  return db.transaction().execute(async (trx) => {
    const part = await trx.selectFrom('parts').selectAll().where('id', '=', partId).where('removed', '=', false).forUpdate().executeTakeFirst();
    if (!part) throw noSuchPart();
    const waiting = await trx
      .selectFrom('files')
      .select('id')
      .where('part_id', '=', partId)
      .where('part_version', '=', part.version)
      .where('state', 'in', ['queued', 'writing'])
      .executeTakeFirst();
    if (waiting) return waiting.id;
    const { id } = await trx
      .insertInto('files')
      .values({ job_id: part.job_id, part_id: partId, part_version: part.version, recipe: JSON.stringify(part.recipe), state: 'queued' })
      .returning('id')
      .executeTakeFirstOrThrow();
    await enqueue(trx, 'write-file', id);
    await announce(trx, part.job_id);
    return id;
  });
}

/** A written file with its part and job. @throws Unusable when there is none or it is not written yet. */
export async function writtenFile(db: Database, fileId: string) {
  const row = await db
    .selectFrom('files')
    .innerJoin('parts', 'parts.id', 'files.part_id')
    .innerJoin('designs', 'designs.id', 'parts.design_id')
    .innerJoin('jobs', 'jobs.id', 'files.job_id')
    .selectAll('files')
    .select([
      'parts.name as part_name',
      'parts.quantity as quantity',
      'jobs.name as job_name',
      'designs.file_name as source_name',
      'designs.sha256 as source_sha256',
    ])
    .where('files.id', '=', fileId)
    .executeTakeFirst();
  if (!row || row.state !== 'written' || !row.sha256 || !row.evidence || row.file_name === null || row.bytes === null) {
    throw new Unusable('no-such-file', 'There is no such written file.', 'Go back to the ledger and write it.');
  }
  return { ...row, sha256: row.sha256, evidence: row.evidence, file_name: row.file_name, bytes: row.bytes };
}

/** A file's evidence as the JSON document that people download. */
export function evidenceDocument(file: Awaited<ReturnType<typeof writtenFile>>) {
  return {
    program: 'Tall Kite',
    job: file.job_name,
    part: file.part_name,
    quantity: file.quantity,
    source: { file: file.source_name, sha256: file.source_sha256 },
    file: { name: file.file_name, bytes: file.bytes, sha256: file.sha256, written: file.created_at.toISOString() },
    recipe: file.recipe,
    verdict: file.evidence.verdict,
    reason: file.evidence.reason ?? null,
    claims: file.evidence.claims,
    findings: file.evidence.findings,
  };
}
