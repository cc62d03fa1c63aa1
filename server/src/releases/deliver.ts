import type { JobHelpers } from 'graphile-worker';
import { sql, type Selectable } from 'kysely';
import { tablesInZip } from 'tall-kite/bender/files';
import { sheetsInZip } from 'tall-kite/cutlist/run';
import { announceRelease } from '../live/announce.ts';
import { patient } from '../queue/again.ts';
import type { Means } from './means.ts';
import type { ReleaseFilesTable } from './tables.ts';

/** Sends a released file to its receiver's inbox. The key lets the inbox take a delivery that is sent twice once. */
export async function deliver({ db, blobs, settings }: Means, id: string, helpers: JobHelpers): Promise<void> {
  const row = await db.selectFrom('release_files').selectAll().where('id', '=', id).executeTakeFirst();
  if (!row || row.delivery !== 'waiting' || !row.sha256) return;
  const say = (delivery: 'accepted' | 'refused' | 'failed', said: string) =>
    patient(async () => {
      await sql`update release_files set delivery = ${delivery}, delivery_said = ${said}, seq = nextval('release_seq') where id = ${id} and delivery = 'waiting'`.execute(
        db,
      );
      await announceRelease(db, row.release_id);
    });
  if (!settings.inboxUrl) return void (await say('failed', 'No inboxes run on this server.'));
  try {
    const bytes = await blobs.read(row.sha256);
    // Of a nest the machine gets its sheets, of tubes their bend tables; the rest is for people.
    const within = { nested: sheetsInZip, tubes: tablesInZip }[row.line.group as string];
    const sent = within?.(bytes) ?? [{ name: row.name.split('/').pop()!, bytes }];
    if (sent.length === 0) return void (await say('failed', 'Nothing in this file is for the machine itself.'));
    const answers = [];
    for (const file of sent) answers.push(await offered(settings.inboxUrl, row, file, sent.length > 1));
    await say(answers.every((a) => a.accepted) ? 'accepted' : 'refused', answers.map((a) => a.said).filter(Boolean).join(' ')); // prettier-ignore
  } catch (thrown) {
    if (helpers.job.attempts < helpers.job.max_attempts) throw thrown;
    await say('failed', `The inbox could not be reached: ${((thrown as Error).cause as Error | undefined)?.message ?? (thrown as Error).message}.`);
  }
}

/** One file to its receiver's inbox, and what that answered. @throws Error when it could not be reached or gave no answer */
async function offered(inbox: string, row: Selectable<ReleaseFilesTable>, file: { name: string; bytes: Uint8Array }, several: boolean) {
  const url = new URL(`/inbox/${encodeURIComponent(row.line.receiver.id)}`, inbox);
  url.searchParams.set('name', file.name);
  const response = await fetch(url, {
    method: 'POST',
    headers: { 'Idempotency-Key': `${row.id} ${row.sha256}${several ? ` ${file.name}` : ''}`, 'Content-Length': String(file.bytes.length) },
    body: new Blob([new Uint8Array(file.bytes)]),
    signal: AbortSignal.timeout(300_000),
  });
  const answer = (await response.json()) as { accepted?: boolean; said?: string; remedy?: string };
  if (response.status !== 200 && response.status !== 422) throw new Error(answer.said ?? `the inbox answered ${response.status}`);
  const words = [answer.said, answer.remedy].filter(Boolean).join(' ');
  return { accepted: answer.accepted === true, said: several && words ? `${file.name}: ${words}` : words };
}
