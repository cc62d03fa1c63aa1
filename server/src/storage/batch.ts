import { spawn } from 'node:child_process';
import { createHash, randomUUID } from 'node:crypto';
import { closeSync, fsyncSync, mkdirSync, openSync, renameSync, rmSync, statSync, utimesSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { onDisk } from './disk.ts';
import type { Blobs, Stored } from './blobs.ts';

/** So many bytes are written before they are made to stay: what a design's parts hold is mostly less. */
const mostBytes = 256 * 1024 * 1024;

/** Makes everything that was written to a folder's file system stay, with one call instead of one a file. Source: sync(1) of coreutils, syncfs(2). */
export function syncFolder(folder: string): Promise<boolean> {
  return new Promise((done) => {
    const child = spawn('sync', ['-f', folder], { stdio: 'ignore' });
    child.once('error', () => done(false));
    child.once('close', (code) => done(code === 0));
  });
}

function syncOne(path: string): void {
  const handle = openSync(path, 'r');
  try {
    fsyncSync(handle);
  } finally {
    closeSync(handle);
  }
}

interface Waiting extends Stored {
  temporary: string;
}

/**
 * Many small files for the store at once: each is written to a temporary name, and all get their names when all of them are on the disk. After
 * `done` every one of them stays, as if it had been put by itself; before it, or when it throws, none has a name.
 */
export class Batch {
  private waiting: Waiting[] = [];
  private bytes = 0;
  private readonly seen = new Set<string>();
  private readonly made = new Set<string>();
  private readonly blobs: Blobs;
  private readonly sync: (folder: string) => Promise<boolean>;

  /** @param sync replaces the call that makes files stay; tests only. */
  constructor(blobs: Blobs, sync = syncFolder) {
    this.blobs = blobs;
    this.sync = sync;
    mkdirSync(this.blobs.incoming, { recursive: true, mode: 0o700 });
  }

  async put(pieces: readonly Uint8Array[]): Promise<Stored> {
    const hash = createHash('sha256');
    for (const piece of pieces) hash.update(piece);
    const stored = { sha256: hash.digest('hex'), bytes: pieces.reduce((sum, p) => sum + p.length, 0) };
    if (this.seen.has(stored.sha256)) return stored;
    const temporary = join(this.blobs.incoming, randomUUID());
    this.waiting.push({ ...stored, temporary });
    this.seen.add(stored.sha256);
    onDisk(() => writeFileSync(temporary, pieces.length === 1 ? pieces[0] : Buffer.concat(pieces), { mode: 0o600 }));
    this.bytes += stored.bytes;
    if (this.bytes > mostBytes) await this.done();
    return stored;
  }

  /** Makes all of them stay under their names. */
  async done(): Promise<void> {
    const { waiting } = this;
    this.waiting = [];
    this.bytes = 0;
    if (waiting.length === 0) return;
    try {
      // A name must never be there before the bytes that it stands for.
      if (!(await this.sync(this.blobs.incoming))) for (const { temporary } of waiting) syncOne(temporary);
      const folders = new Set<string>();
      onDisk(() => {
        for (const one of waiting) folders.add(this.named(one));
      });
      if (!(await this.sync(this.blobs.incoming))) for (const folder of folders) syncOne(folder);
    } catch (thrown) {
      this.drop(waiting);
      throw thrown;
    }
  }

  /** Gives up what has no name yet. */
  drop(waiting = this.waiting): void {
    for (const { temporary } of waiting) rmSync(temporary, { force: true });
  }

  private named({ sha256, bytes, temporary }: Waiting): string {
    const path = this.blobs.path(sha256);
    const folder = join(path, '..');
    if (!this.made.has(folder)) mkdirSync(folder, { recursive: true, mode: 0o700 });
    this.made.add(folder);
    const there = statSync(path, { throwIfNoEntry: false });
    const now = new Date();
    // One of another length was cut short by a crash; one of this length is touched, so that no sweep takes it.
    if (there?.size === bytes) {
      utimesSync(path, now, now);
      rmSync(temporary, { force: true });
    } else renameSync(temporary, path);
    return folder;
  }
}
