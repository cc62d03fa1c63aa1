import type { Database } from '../database/connect.ts';
import type { Settings } from '../settings/settings.ts';
import type { Blobs } from '../storage/blobs.ts';

/** What the tasks of a release work with. */
export interface Means {
  db: Database;
  blobs: Blobs;
  settings: Settings;
}
