import { createHash, randomUUID } from 'node:crypto';
import { createReadStream, createWriteStream, type ReadStream } from 'node:fs';
import { access, mkdir, open, readFile, rename, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { Transform, type Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { Unusable } from 'tall-kite/base/finding';

export interface Stored {
  sha256: string;
  bytes: number;
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
      await pipeline(source, count, createWriteStream(temporary));
      if (announced !== null && bytes !== announced) {
        throw new Unusable(
          'broken-off',
          `Only ${bytes.toLocaleString('en')} of ${announced.toLocaleString('en')} bytes arrived; nothing was kept.`,
          'Send the file again.',
        );
      }
      return await this.settle(temporary, hash.digest('hex'), bytes);
    } catch (thrown) {
      await rm(temporary, { force: true });
      throw thrown;
    }
  }

  /** Stores pieces of bytes made here. */
  async put(pieces: Iterable<Uint8Array>): Promise<Stored> {
    const temporary = await this.temporary();
    const hash = createHash('sha256');
    let bytes = 0;
    try {
      const handle = await open(temporary, 'w');
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
      await rm(temporary, { force: true });
      throw thrown;
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

  private async temporary(): Promise<string> {
    const folder = join(this.folder, 'incoming');
    await mkdir(folder, { recursive: true });
    return join(folder, randomUUID());
  }

  private async settle(temporary: string, sha256: string, bytes: number): Promise<Stored> {
    const path = this.path(sha256);
    await mkdir(join(path, '..'), { recursive: true });
    const known = await access(path).then(
      () => true,
      () => false,
    );
    if (known) await rm(temporary, { force: true });
    else await rename(temporary, path);
    return { sha256, bytes };
  }
}
