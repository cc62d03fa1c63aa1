import { createReadStream, createWriteStream } from 'node:fs';
import { mkdir, readFile, rename, rm, writeFile } from 'node:fs/promises';
import { dirname, join, sep } from 'node:path';
import { randomUUID } from 'node:crypto';
import { pipeline } from 'node:stream/promises';
import { sha256 as hashOf } from 'tall-kite/base/sha256';
import { Unusable } from 'tall-kite/base/finding';
import { manifestText, reportCsv } from 'tall-kite/release/manifest';
import type { Database } from '../database/connect.ts';
import type { Settings } from '../settings/settings.ts';
import type { Blobs } from '../storage/blobs.ts';
import type { Means } from './means.ts';
import { releaseDocument } from './report.ts';

/** A release's own folder below the one that the server watches over: given when it began, so that revisions and jobs never mix. */
async function folderOf(db: Database, settings: Settings, releaseId: string): Promise<string> {
  if (!settings.releaseDir) throw new Unusable('no-folder', 'The server has no folder for released files.', 'Set RELEASE_DIR, or release without it.');
  const { folder } = await db.selectFrom('releases').select('folder').where('id', '=', releaseId).executeTakeFirstOrThrow();
  if (!folder) throw new Unusable('no-folder', 'This release was begun without a folder.', 'Release again, into the folder.');
  return join(settings.releaseDir, folder);
}

/** A file's path below a folder. @throws RangeError when a name would lead out of it. */
function below(folder: string, name: string): string {
  const path = join(folder, ...name.split('/'));
  if (!path.startsWith(folder + sep)) throw new RangeError(`"${name}" leads out of the folder`);
  return path;
}

/** Copies stored bytes to a name: first beside it, then renamed, so that whoever watches never sees half a file. */
async function copy(blobs: Blobs, sha256: string, path: string): Promise<void> {
  await mkdir(dirname(path), { recursive: true });
  const beside = join(dirname(path), `.${randomUUID()}.part`);
  try {
    await pipeline(createReadStream(blobs.path(sha256)), createWriteStream(beside));
    await rename(beside, path);
  } catch (thrown) {
    await rm(beside, { force: true });
    throw thrown;
  }
}

/** Puts a released file there at once, and gives the way to take it back: what was cancelled meanwhile is not released. */
export async function putInFolder({ db, blobs, settings }: Means, releaseId: string, file: { name: string; sha256: string }): Promise<() => Promise<void>> {
  const path = below(await folderOf(db, settings, releaseId), file.name);
  await copy(blobs, file.sha256, path);
  return () => rm(path, { force: true });
}

/** At the end of a run: files that are not there yet or were spoilt, then manifest and report. */
export async function fillFolder({ db, blobs, settings }: Means, releaseId: string): Promise<void> {
  const folder = await folderOf(db, settings, releaseId);
  const { manifest, changes, made } = await releaseDocument(db, releaseId);
  for (const { file, sha256 } of manifest.files) {
    const path = below(folder, file);
    const there = await readFile(path).then(
      (bytes) => hashOf([bytes]),
      () => null,
    );
    if (there !== sha256) await copy(blobs, sha256, path);
  }
  await mkdir(folder, { recursive: true });
  for (const [name, text] of [
    ['manifest.json', manifestText(manifest)],
    ['report.csv', reportCsv(manifest, changes, made)],
  ]) {
    const beside = join(folder, `.${randomUUID()}.part`);
    await writeFile(beside, text);
    await rename(beside, join(folder, name));
  }
}
