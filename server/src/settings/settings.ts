import { resolve } from 'node:path';

/** Where this process finds its database and files. */
export interface Settings {
  databaseUrl: string;
  dataDir: string;
}

/** Reads DATABASE_URL and DATA_DIR. @throws Error that says which one is missing. */
export function settingsFrom(env: NodeJS.ProcessEnv = process.env): Settings {
  if (!env.DATABASE_URL) throw new Error('DATABASE_URL is not set. "npm run demo" and "npm start" set it; see .env.example.');
  return { databaseUrl: env.DATABASE_URL, dataDir: resolve(env.DATA_DIR ?? 'data') };
}
