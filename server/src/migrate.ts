import { connect } from './database/connect.ts';
import { migrate } from './database/migrations.ts';
import { settingsFrom } from './settings/settings.ts';

const { db, pool } = connect(settingsFrom().databaseUrl, 2);
await migrate(db, pool);
await db.destroy();
