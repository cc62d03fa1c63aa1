import { createHash, randomBytes } from 'node:crypto';
import { existsSync, mkdtempSync, readdirSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { describe, expect, test } from 'vitest';
import { shownName } from '../src/designs/designs.ts';
import { Blobs } from '../src/storage/blobs.ts';

describe('the store of files', () => {
  const folder = mkdtempSync(join(tmpdir(), 'tall-kite-store-'));
  const blobs = new Blobs(folder);
  const incoming = () => (existsSync(join(folder, 'incoming')) ? readdirSync(join(folder, 'incoming')) : []);

  test('bytes are kept under their SHA-256, once, and come back the same', async () => {
    const bytes = randomBytes(300_000);
    const stored = await blobs.take(Readable.from([bytes.subarray(0, 1000), bytes.subarray(1000)]), 1e9);
    expect(stored).toEqual({ bytes: 300_000, sha256: createHash('sha256').update(bytes).digest('hex') });
    expect(await blobs.put([bytes])).toEqual(stored);
    expect((await blobs.read(stored.sha256)).equals(bytes)).toBe(true);
    expect(incoming()).toEqual([]);
  });
  test('a stream that breaks off, or is too long, leaves nothing behind', async () => {
    const breaking = new Readable({ read() { this.push(randomBytes(1000)); this.destroy(new Error('gone')); } }); // prettier-ignore
    await expect(blobs.take(breaking, 1e9)).rejects.toThrow();
    await expect(blobs.take(Readable.from([randomBytes(2000)]), 1000)).rejects.toMatchObject({ code: 'too-large' });
    // A line that was cut can look like an end: fewer bytes than announced are no file.
    await expect(blobs.take(Readable.from([randomBytes(500)]), 1e9, 2000)).rejects.toMatchObject({ code: 'broken-off' });
    expect(incoming()).toEqual([]);
  });
  test('only a hash is ever a path', async () => {
    expect(() => blobs.path('../../etc/passwd')).toThrow(RangeError);
    expect(shownName('C:\\parts\\..\\a\u0007b.stl')).toBe('ab.stl');
    expect(() => shownName('///')).toThrow('no name');
  });
});
