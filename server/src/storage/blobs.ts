import { createHash, randomUUID } from 'node:crypto';
import { createReadStream, createWriteStream, type ReadStream } from 'node:fs';
import { mkdir, open, readFile, rename, rm, stat, utimes } from 'node:fs/promises';
import { join } from 'node:path';
import { Transform, type Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { Unusable } from 'tall-kite/base/finding';
import { diskTrouble } from './disk.ts';

export interface Stored {
  sha256: string;
  bytes: number;
}

/** Whether a file is there under a name and holds what its name says. One of another length is hashed: a disk that lost power may have kept half of it. */
async function isWhole(path: string, sha256: string, bytes: number): Promise<boolean> {
  const size = await stat(path).then(
    (s) => s.size,
    () => null,
  );
  if (size === null || size === bytes) return size !== null;
  return (await hashOf(path)) === sha256;
}

/** SHA-256 of a file's bytes, as they stream. */
export async function hashOf(path: string): Promise<string> {
  const hash = createHash('sha256');
  await pipeline(createReadStream(path), hash);
  return hash.digest('hex');
}

/** A new name in a folder is on the disk, not only in memory. Source: fsync(2), notes on directories. */
async function synced(folder: string): Promise<void> {
  const handle = await open(folder, 'r');
  try {
    await handle.sync();
  } finally {
    await handle.close();
  }
}

/**
 * Files kept by the SHA-256 of their bytes. Bytes go to a temporary name first and are renamed when they are all there,
 * so that no half file ever has a name. No name that a person gave is ever used as a path.
 */
export class Blobs {
  private readonly folder: string;
  constructor(dataDir: string) {
    this.folder = dataDir;
  }

  /** The path of stored bytes. @throws RangeError when the hash is no hash. */
  path(sha256: string): string {
    if (!/^[0-9a-f]{64}$/.test(sha256)) throw new RangeError('not a SHA-256');
    return join(this.folder, 'blobs', sha256.slice(0, 2), sha256);
  }

  /**
   * Streams bytes in, hashing and counting; nothing stays behind when the stream breaks off.
   * @param announced how many bytes were said to come, when that is known: a stream that was cut off can end as if it were whole.
   */
  async take(source: Readable, mostBytes: number, announced: number | null = null): Promise<Stored> {
    const temporary = await this.temporary();
    const hash = createHash('sha256');
    let bytes = 0;
    const count = new Transform({
      transform(chunk: Buffer, _encoding, done) {
        bytes += chunk.length;
        if (bytes > mostBytes) {
          done(
            new Unusable(
              'too-large',
              `The file has more than ${mostBytes / 2 ** 20} MB, which is the limit.`,
              'Export fewer parts at a time, or with a larger deviation.',
            ),
          );
          return;
        }
        hash.update(chunk);
        done(null, chunk);
      },
    });
    try {
      await pipeline(source, count, createWriteStream(temporary, { mode: 0o600, flush: true }));
      if (announced !== null && bytes !== announced) {
        throw new Unusable(
          'broken-off',
          `Only ${bytes.toLocaleString('en')} of ${announced.toLocaleString('en')} bytes arrived; nothing was kept.`,
          'Send the file again.',
        );
      }
      return await this.settle(temporary, hash.digest('hex'), bytes);
    } catch (thrown) {
      await rm(temporary, { force: true }).catch(() => {});
      throw diskTrouble(thrown);
    }
  }

  /** Stores pieces of bytes made here. */
  async put(pieces: Iterable<Uint8Array>): Promise<Stored> {
    const temporary = await this.temporary();
    const hash = createHash('sha256');
    let bytes = 0;
    try {
      const handle = await open(temporary, 'w', 0o600);
      try {
        for (const piece of pieces) {
          hash.update(piece);
          bytes += piece.length;
          await handle.writeFile(piece);
        }
        await handle.sync();
      } finally {
        await handle.close();
      }
      return await this.settle(temporary, hash.digest('hex'), bytes);
    } catch (thrown) {
      await rm(temporary, { force: true }).catch(() => {});
      throw diskTrouble(thrown);
    }
  }

  async read(sha256: string): Promise<Buffer> {
    return readFile(this.path(sha256));
  }

  async stream(sha256: string): Promise<{ stream: ReadStream; bytes: number }> {
    const path = this.path(sha256);
    const { size } = await stat(path);
    return { stream: createReadStream(path), bytes: size };
  }

  /** Where bytes are that have no name yet. */
  get incoming(): string {
    return join(this.folder, 'incoming');
  }

  private async temporary(): Promise<string> {
    await mkdir(this.incoming, { recursive: true, mode: 0o700 }).catch((thrown: unknown) => {
      throw diskTrouble(thrown);
    });
    return join(this.incoming, randomUUID());
  }

  private async settle(temporary: string, sha256: string, bytes: number): Promise<Stored> {
    const path = this.path(sha256);
    const folder = join(path, '..');
    await mkdir(folder, { recursive: true, mode: 0o700 });
    if (await isWhole(path, sha256, bytes)) {
      await rm(temporary, { force: true });
      // As good as new: a sweep takes what nobody speaks of and is old.
      const now = new Date();
      await utimes(path, now, now);
    } else {
      await rename(temporary, path);
      await synced(folder);
    }
    return { sha256, bytes };
  }
}
