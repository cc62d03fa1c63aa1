import type { Database } from '../database/connect.ts';
import { propertiesOf } from '../parts/properties.ts';
import type { SourceFile } from 'tall-kite/release/plan';
import type { ReleasePart } from './tables.ts';

/** The parts of a job that a release may take, in the ledger's order, and the files they came from. Left-out parts stay out. */
export async function releaseParts(db: Database, jobId: string): Promise<{ parts: ReleasePart[]; sources: SourceFile[] }> {
  const rows = await db
    .selectFrom('parts')
    .innerJoin('designs', 'designs.id', 'parts.design_id')
    .selectAll('parts')
    .select(['designs.file_name', 'designs.sha256 as source_sha256', 'designs.bytes as source_bytes'])
    .where('parts.job_id', '=', jobId)
    .where('parts.removed', '=', false)
    .where('parts.left_out', '=', false)
    .orderBy('designs.created_at')
    .orderBy('designs.id')
    .orderBy('parts.position')
    .execute();
  const perDesign = new Map<string, number>();
  for (const row of rows) perDesign.set(row.design_id, (perDesign.get(row.design_id) ?? 0) + 1);
  const sources = new Map<string, SourceFile>();
  const parts = rows.map((row): ReleasePart => {
    sources.set(row.design_id, { file: row.file_name, sha256: row.source_sha256, bytes: row.source_bytes });
    const { thumb: _, picture: __, ...summary } = row.summary;
    return {
      key: row.id,
      source: row.file_name,
      body: perDesign.get(row.design_id)! > 1 ? row.position + 1 : 0,
      summary: { ...summary, name: row.name, quantity: row.quantity },
      recipe: row.recipe,
      shape: row.geometry_sha256,
      place: row.place,
      quantity: row.quantity,
      ...propertiesOf(row),
      findings: row.findings,
      version: row.version,
    };
  });
  return { parts, sources: [...sources.values()] };
}
