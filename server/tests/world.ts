import { spawn, type ChildProcess } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { fileURLToPath } from 'node:url';
import { connect } from '../src/database/connect.ts';
import { migrate } from '../src/database/migrations.ts';
import { bringIn } from '../src/designs/designs.ts';
import { jobView, makeJob, type JobView } from '../src/jobs/jobs.ts';
import { Blobs } from '../src/storage/blobs.ts';

export const dataFile = (name: string) => readFileSync(fileURLToPath(new URL(`../../core/tests/data/${name}`, import.meta.url)));

/** A database of its own in the test cluster, a store of its own, and worker processes that can be killed. */
export async function makeWorld() {
  const base = process.env.DATABASE_URL;
  if (!base) throw new Error('DATABASE_URL is not set; run "npm test".');
  const name = `t_${randomUUID().replaceAll('-', '')}`;
  const admin = connect(base, 1);
  await admin.pool.query(`create database ${name}`);
  await admin.db.destroy();
  const url = base.replace(/\/[^/]*$/, `/${name}`);
  const dataDir = mkdtempSync(join(tmpdir(), 'tall-kite-server-'));
  const { db, pool } = connect(url, 4);
  await migrate(db, pool);
  const blobs = new Blobs(dataDir);
  const workers: ChildProcess[] = [];
  return {
    db,
    url,
    dataDir,
    blobs,
    worker(): ChildProcess {
      const child = spawn(process.execPath, [fileURLToPath(new URL('../dist/worker.js', import.meta.url))], {
        env: { ...process.env, DATABASE_URL: url, DATA_DIR: dataDir },
        stdio: ['ignore', 'pipe', 'inherit'],
      });
      workers.push(child);
      return child;
    },
    job: () => makeJob(db, 'Test job'),
    bring: (jobId: string, file: string, bytes: Uint8Array = dataFile(file)) => bringIn(db, blobs, jobId, file, Readable.from([Buffer.from(bytes)])),
    async until(jobId: string, done: (job: JobView) => boolean, seconds = 60): Promise<JobView> {
      for (let i = 0; i < seconds * 10; i++) {
        const job = await jobView(db, jobId);
        if (done(job)) return job;
        await new Promise((r) => setTimeout(r, 100));
      }
      throw new Error(`not done within ${seconds} s: ${JSON.stringify((await jobView(db, jobId)).designs)}`);
    },
    async close() {
      for (const child of workers) if (child.exitCode === null) child.kill('SIGKILL');
      await db.destroy();
    },
  };
}

export type World = Awaited<ReturnType<typeof makeWorld>>;
export const allRead = (job: JobView) => job.designs.every((d) => d.state === 'read' || d.state === 'failed');
export const allWritten = (job: JobView) => job.parts.every((p) => p.file?.state === 'written' || p.file?.state === 'failed');
