/** Data of earlier schemas opens: one dump for each since the first that was kept, made by pg_dump from a job with a mesh, a solid, a drawing of it and a file. */
import { execFileSync } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from 'vitest';
import { connect } from '../src/database/connect.ts';
import { migrate } from '../src/database/migrations.ts';
import { jobView, listJobs } from '../src/jobs/jobs.ts';
import { stepHistory } from '../src/parts/change.ts';

const { postgresFolder } = (await import(new URL('../../scripts/machine.mjs', import.meta.url).href)) as { postgresFolder(): string };
const folder = join(import.meta.dirname, 'data');
const dumps = readdirSync(folder).filter((f) => /^schema-\d{3}\.sql$/.test(f));

describe('data of earlier schemas', () => {
  test('there is a dump to open', () => expect(dumps).toContain('schema-007.sql'));
  test.each(dumps)('%s is brought to today, and nothing of it is lost', async (dump) => {
    const name = `t_${randomUUID().replaceAll('-', '')}`;
    const admin = connect(process.env.DATABASE_URL!, 1);
    await admin.pool.query(`create database ${name}`);
    await admin.db.destroy();
    const url = process.env.DATABASE_URL!.replace(/\/[^/]*$/, `/${name}`);
    execFileSync(join(postgresFolder(), 'psql'), ['-X', '-q', '-v', 'ON_ERROR_STOP=1', '-d', url, '-f', join(folder, dump)]);
    const { db, pool } = connect(url, 2);
    await migrate(db, pool);
    // Again: what is at today stays there.
    await migrate(db, pool);
    const { jobs } = await listJobs(db);
    expect(jobs).toMatchObject([{ name: 'Test job', parts: 3, written: 1 }]);
    const { parts, designs, undo } = await jobView(db, jobs[0].id);
    expect(designs.map((d) => [d.fileName, d.state]).sort()).toEqual([['cube-mm.step', 'read'], ['sphereWithHole.stl', 'read']]); // prettier-ignore
    const cube = parts.find((p) => p.summary.kind === 'solid')!;
    expect(cube).toMatchObject({ number: 'K-7', thickness: 3, ways: ['print', 'cut'] });
    expect(cube.strands.find((s) => s.way === 'cut')!.made!.name).toBe('Cube, outline from top');
    expect(parts.find((p) => p.summary.kind === 'mesh')!.file!.evidence!.claims.length).toBeGreaterThan(8);
    // History still goes back.
    expect(undo).toBe('draw Cube');
    await stepHistory(db, jobs[0].id, 'undo');
    expect((await jobView(db, jobs[0].id)).parts).toHaveLength(2);
    await db.destroy();
  });
});
