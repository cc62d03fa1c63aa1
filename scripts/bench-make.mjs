// A share of a release's files made in a plain loop, without a queue: what the machine itself gives with so many processes.
import { nodeTools } from '../core/dist/pipeline/node-tools.js';
import { makeFile } from '../core/dist/release/make.js';
import { connect } from '../server/dist/database/connect.js';
import { unpackGeometry } from '../core/dist/model/pack.js';
import { keepIn } from '../server/dist/heavy/shapes.js';
import { Blobs } from '../server/dist/storage/blobs.js';

const [url, folder, releaseId, share, of] = process.argv.slice(2);
const { db } = connect(url, 1);
const blobs = new Blobs(folder);
const rows = await db.selectFrom('release_files').selectAll().where('release_id', '=', releaseId).orderBy('position').execute();
await db.destroy();
const make = (r) =>
  makeFile(
    { ...r, key: r.id, skip: null },
    async (part) => ({ geometry: unpackGeometry(part.summary.kind, await blobs.read(part.shape)), findings: [] }),
    nodeTools,
    keepIn(blobs),
  );
const own = rows.filter((_, i) => i % Number(of) === Number(share));
for (const r of own.slice(0, 12)) await make(r);
process.send('ready');
process.once('message', async () => {
  const from = performance.now();
  for (const r of own) await make(r);
  process.send(performance.now() - from);
  process.exit(0);
});
