import { spawn, type ChildProcess } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { fileURLToPath } from 'node:url';
import { vi } from 'vitest';
import { connect } from '../src/database/connect.ts';
import { migrate } from '../src/database/migrations.ts';
import { bringIn } from '../src/designs/designs.ts';
import { jobView, makeJob, type JobView } from '../src/jobs/jobs.ts';
import { releaseView, type ReleaseView } from '../src/releases/report.ts';
import { Blobs } from '../src/storage/blobs.ts';

export const dataFile = (name: string) => readFileSync(fileURLToPath(new URL(`../../core/tests/data/${name}`, import.meta.url)));

/** A database of its own in the test cluster, a store of its own, and worker processes that can be killed. */
export async function makeWorld(base = process.env.DATABASE_URL, env: Record<string, string> = {}) {
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
        // The name by which its sessions are told from the test's own.
        env: { ...process.env, PGAPPNAME: 'worker', DATABASE_URL: url, DATA_DIR: dataDir, ...env },
        stdio: ['ignore', 'pipe', 'inherit'],
      });
      workers.push(child);
      return child;
    },
    /** The receivers' inboxes as a process of their own; gives their address when they listen. */
    async inboxes(port: number): Promise<ChildProcess> {
      const child = spawn(process.execPath, [fileURLToPath(new URL('../dist/inboxes.js', import.meta.url))], {
        env: { ...process.env, DATABASE_URL: url, DATA_DIR: dataDir, INBOX_URL: `http://127.0.0.1:${port}` },
        stdio: ['ignore', 'pipe', 'inherit'],
      });
      workers.push(child);
      await new Promise((done) => child.stdout!.once('data', done));
      return child;
    },
    async untilReleased(releaseId: string, done: (r: ReleaseView) => boolean = (r) => r.state !== 'running', seconds = 120): Promise<ReleaseView> {
      return vi.waitFor(
        async () => {
          const view = await releaseView(db, releaseId);
          if (!done(view)) throw new Error(`not done within ${seconds} s: ${JSON.stringify(view.counts)}`);
          return view;
        },
        { timeout: seconds * 1000, interval: 100 },
      );
    },
    job: () => makeJob(db, 'Test job'),
    bring: (jobId: string, file: string, bytes: Uint8Array = dataFile(file)) =>
      bringIn(db, blobs, { jobId, name: file, source: Readable.from([Buffer.from(bytes)]) }),
    async until(jobId: string, done: (job: JobView) => boolean, seconds = 60): Promise<JobView> {
      return vi.waitFor(
        async () => {
          const job = await jobView(db, jobId);
          if (!done(job)) throw new Error(`not done within ${seconds} s: ${JSON.stringify(job.designs)}`);
          return job;
        },
        { timeout: seconds * 1000, interval: 100 },
      );
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

/** An OBJ of many boxes, each a part of its own with a size of its own; `grown` ones are 1 mm longer. */
export function manyBoxes(count: number, grown: readonly number[] = []): Buffer {
  const lines: string[] = [];
  for (let n = 0; n < count; n++) {
    const [x, y, z] = [10 + (n % 7) + (grown.includes(n) ? 1 : 0), 5 + (n % 5), 3 + n / 100];
    lines.push(`o Box ${n + 1}`);
    for (let i = 0; i < 8; i++) lines.push(`v ${20 * n + (i & 1 ? x : 0)} ${i & 2 ? y : 0} ${i & 4 ? z : 0}`);
    for (const face of ['1 3 4 2', '5 6 8 7', '1 2 6 5', '3 7 8 4', '1 5 7 3', '2 4 8 6']) {
      lines.push(`f ${face.split(' ').map((v) => Number(v) + 8 * n).join(' ')}`); // prettier-ignore
    }
  }
  return Buffer.from(`${lines.join('\n')}\n`);
}
