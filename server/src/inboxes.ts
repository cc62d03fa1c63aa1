import { connect } from './database/connect.ts';
import { HeavyThread } from './heavy/heavy.ts';
import { inboxServer } from './releases/inbox.ts';
import { settingsFrom } from './settings/settings.ts';
import { log } from './standing/log.ts';
import { Blobs } from './storage/blobs.ts';

// The receivers' inboxes: a process of its own, as a machine would be, on loopback only.
const settings = settingsFrom();
const { db } = connect(settings.databaseUrl, 3);
const heavy = new HeavyThread(settings.dataDir);
const port = Number(new URL(settings.inboxUrl ?? 'http://127.0.0.1:0').port);
const server = inboxServer(db, new Blobs(settings.dataDir), heavy);
server.listen(port, '127.0.0.1', () => {
  const at = server.address();
  log.info({ port: typeof at === 'object' && at ? at.port : port }, 'inboxes ready');
});

async function stop(): Promise<void> {
  server.close();
  await heavy.close();
  await db.destroy().catch(() => {});
  process.exit(0);
}
process.on('SIGTERM', () => void stop());
process.on('SIGINT', () => void stop());
