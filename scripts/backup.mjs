// npm run backup FOLDER, npm run restore FOLDER: all data of this installation, also while it runs.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { copyFileSync, createReadStream, existsSync, mkdirSync, readdirSync, rmSync, statSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { fileURLToPath } from 'node:url';
import { startCluster } from './cluster.mjs';
import { hold, holderOf, readJson, writeJson } from './hold.mjs';
import { ensureModules, ensurePackages, giveUp, postgresFolder, postgresPackage, root } from './machine.mjs';

const sha256 = async (path) => {
  const hash = createHash('sha256');
  await pipeline(createReadStream(path), hash);
  return hash.digest('hex');
};

/** Names of all files of a store: each is the SHA-256 of its bytes. */
function* hashesIn(folder) {
  if (!existsSync(folder)) return;
  for (const part of readdirSync(folder)) for (const name of readdirSync(join(folder, part))) if (/^[0-9a-f]{64}$/.test(name)) yield name;
}

const pathOf = (folder, hash) => join(folder, hash.slice(0, 2), hash);

/** Runs a program of PostgreSQL on a database. Where it is goes by the environment: arguments can be read by every user of the machine. @throws Error with what it said */
function postgres(program, databaseUrl, args) {
  const { hostname, port, username, password, pathname } = new URL(databaseUrl);
  const env = {
    ...process.env,
    PGHOST: hostname,
    PGPORT: port || '5432',
    PGUSER: decodeURIComponent(username),
    PGPASSWORD: decodeURIComponent(password),
    PGDATABASE: pathname.slice(1),
  };
  const done = spawnSync(join(postgresFolder(), program), args, { encoding: 'utf8', maxBuffer: 1 << 26, env });
  if (done.status !== 0) throw new Error(`${program}: ${(done.stderr || done.error?.message || 'it failed').trim().slice(-2000)}`);
  return done.stdout;
}

/** Every hash that a row of the database speaks of. */
export function hashesOf(databaseUrl) {
  const tables = postgres('psql', databaseUrl, ['-X', '-At', '-c', `select table_name || '.' || column_name from information_schema.columns where table_schema = 'public' and column_name like '%sha256'`]); // prettier-ignore
  const found = new Set();
  for (const line of tables.split('\n').filter(Boolean)) {
    const [table, column] = line.split('.');
    const rows = postgres('psql', databaseUrl, ['-X', '-At', '-c', `select distinct "${column}" from "${table}" where "${column}" is not null`]);
    for (const hash of rows.split('\n').filter(Boolean)) found.add(hash);
  }
  return found;
}

/**
 * A backup in an empty or new folder: the database as it stands at one moment, then every stored file, each hashed on its way. Files never change once
 * they are there and are copied after the database, so that everything a row speaks of is in it.
 * @returns {Promise<{files: number, bytes: number, missing: string[]}>} `missing`: what rows speak of and the store does not hold
 */
export async function backup({ databaseUrl, dataDir, to }) {
  if (existsSync(to) && readdirSync(to).length > 0) throw new Error(`${to} is not empty. Give a new folder for each backup.`);
  mkdirSync(to, { recursive: true, mode: 0o700 });
  postgres('pg_dump', databaseUrl, ['-Fc', '--no-owner', '-f', join(to, 'database.dump')]);
  const wanted = hashesOf(databaseUrl);
  const blobs = join(dataDir, 'blobs');
  let [files, bytes] = [0, 0];
  for (const hash of hashesIn(blobs)) {
    const [from, target] = [pathOf(blobs, hash), pathOf(join(to, 'blobs'), hash)];
    mkdirSync(join(target, '..'), { recursive: true });
    copyFileSync(from, target);
    if ((await sha256(target)) !== hash)
      throw new Error(`The stored file ${hash} does not hold what its name says; the disk may be failing. The backup is not whole.`);
    files++;
    bytes += statSync(target).size;
    wanted.delete(hash);
  }
  // Made whole last: a backup without this page was broken off.
  const missing = [...wanted].filter((hash) => !existsSync(pathOf(join(to, 'blobs'), hash)));
  writeJson(join(to, 'backup.json'), { made: new Date().toISOString(), files, bytes, missing, database: await sha256(join(to, 'database.dump')) });
  return { files, bytes, missing };
}

/** A backup brought back into an empty database and an empty data folder; every file is hashed again. @returns what was found missing */
export async function restore({ from, databaseUrl, dataDir }) {
  const page = readJson(join(from, 'backup.json'));
  if (!page) throw new Error(`${from} holds no whole backup: backup.json is missing or can't be read.`);
  if ((await sha256(join(from, 'database.dump'))) !== page.database)
    throw new Error('The database in the backup is not what was written; it was changed or broken.');
  const blobs = join(dataDir, 'blobs');
  let files = 0;
  for (const hash of hashesIn(join(from, 'blobs'))) {
    const target = pathOf(blobs, hash);
    mkdirSync(join(target, '..'), { recursive: true, mode: 0o700 });
    copyFileSync(pathOf(join(from, 'blobs'), hash), target);
    if ((await sha256(target)) !== hash) throw new Error(`The file ${hash} in the backup does not hold what its name says.`);
    files++;
  }
  if (files !== page.files) throw new Error(`The backup has ${files} files; ${page.files} were written.`);
  postgres('pg_restore', databaseUrl, ['-d', new URL(databaseUrl).pathname.slice(1), '--no-owner', '--exit-on-error', join(from, 'database.dump')]);
  const missing = [...hashesOf(databaseUrl)].filter((hash) => !existsSync(pathOf(blobs, hash)));
  return { files, missing };
}

async function main([what, folder]) {
  if (!folder) giveUp(`Give the folder: npm run ${what} FOLDER`);
  ensurePackages(postgresPackage);
  ensureModules();
  const dataDir = resolve(process.env.DATA_DIR ?? join(root, 'data'));
  const place = resolve(folder);
  const running = holderOf(dataDir);
  if (what === 'restore' && (running || (existsSync(dataDir) && readdirSync(dataDir).length > 0)))
    giveUp(running ? `${dataDir} is in use by process ${running.pid}. Stop it first.` : `${dataDir} is not empty. Give an empty DATA_DIR to restore into.`);
  // While the app runs its database is asked; else one is started for as long as this takes.
  const letGo = running ? () => {} : hold(dataDir, `npm run ${what}`);
  const cluster = running ? null : await startCluster(dataDir);
  const databaseUrl = process.env.DATABASE_URL ?? cluster?.url ?? readJson(join(dataDir, 'status.json'))?.database;
  try {
    if (!databaseUrl) throw new Error('The running app does not say where its database is. Stop it and try again, or set DATABASE_URL.');
    if (what === 'backup') {
      const { files, bytes, missing } = await backup({ databaseUrl, dataDir, to: place });
      console.log(`Kept ${files} files, ${(bytes / 1e6).toFixed(1)} MB, and the database in ${place}.`);
      if (missing.length > 0) throw new Error(`${missing.length} files that the database speaks of were gone before: ${missing.slice(0, 3).join(', ')} ...`);
    } else {
      const { files, missing } = await restore({ from: place, databaseUrl, dataDir });
      console.log(`Brought back ${files} files and the database into ${dataDir}. "npm start" runs it.`);
      if (missing.length > 0) throw new Error(`${missing.length} files that the database speaks of are not in the backup.`);
    }
  } finally {
    await cluster?.stop();
    letGo();
    if (what === 'restore') rmSync(join(dataDir, 'status.json'), { force: true });
  }
}

if (process.argv[1] === fileURLToPath(import.meta.url)) await main(process.argv.slice(2)).catch((thrown) => giveUp(thrown.message));
