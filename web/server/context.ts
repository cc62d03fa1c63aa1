import { connect } from '@tall-kite/server/database/connect';
import { JobBook } from '@tall-kite/server/jobs/book';
import { Ear } from '@tall-kite/server/live/listen';
import { settingsFrom } from '@tall-kite/server/settings/settings';
import { Blobs } from '@tall-kite/server/storage/blobs';

function make() {
  const settings = settingsFrom();
  const { db } = connect(settings.databaseUrl);
  return { settings, db, blobs: new Blobs(settings.dataDir), ear: new Ear(settings.databaseUrl), book: new JobBook() };
}

const held = globalThis as { tallKite?: ReturnType<typeof make> };

/** Connections of this web process, made when first needed. */
export function context() {
  return (held.tallKite ??= make());
}
