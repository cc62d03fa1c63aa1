import { resolve } from 'node:path';

/** Where this process finds its database and files. */
export interface Settings {
  databaseUrl: string;
  dataDir: string;
  /** Folder that released files are written into as well; null when there is none. */
  releaseDir: string | null;
  /** Address of the receivers' inboxes; null when none run. */
  inboxUrl: string | null;
  /** Whether this worker takes short work only. */
  short: boolean;
}

/** Reads DATABASE_URL, DATA_DIR, RELEASE_DIR, INBOX_URL and LANE. @throws Error that says which one is missing. */
export function settingsFrom(env: NodeJS.ProcessEnv = process.env): Settings {
  if (!env.DATABASE_URL) throw new Error('DATABASE_URL is not set. "npm run demo" and "npm start" set it; see .env.example.');
  return {
    databaseUrl: env.DATABASE_URL,
    dataDir: resolve(env.DATA_DIR ?? 'data'),
    releaseDir: env.RELEASE_DIR ? resolve(env.RELEASE_DIR) : null,
    inboxUrl: env.INBOX_URL || null,
    short: env.LANE === 'short',
  };
}
