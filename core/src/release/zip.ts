import { Zip, ZipDeflate, ZipPassThrough } from 'fflate';

/** Formats that are packed already. */
const packed = /\.(3mf|pdf|zip)$/i;
/** The earliest time that a zip can say: no time of a run in the bytes. Source: APPNOTE.TXT, MS-DOS date and time. */
const noTime = new Date(1980, 0, 1);

/**
 * A zip of named files, one after another, as pieces of bytes: memory holds one file at a time. Equal input gives equal bytes.
 * @param files in the order in which they stand in the zip; each is asked for when its turn comes.
 */
export async function* zipped(files: Iterable<{ name: string; bytes: () => Promise<Uint8Array> }>): AsyncGenerator<Uint8Array> {
  const ready: Uint8Array[] = [];
  let failure: Error | null = null;
  const zip = new Zip((error, data) => {
    if (error) failure = error;
    else ready.push(data);
  });
  for (const { name, bytes } of files) {
    const entry = packed.test(name) ? new ZipPassThrough(name) : new ZipDeflate(name, { level: 6 });
    entry.mtime = noTime;
    zip.add(entry);
    entry.push(await bytes(), true);
    if (failure) throw failure;
    yield* ready.splice(0);
  }
  zip.end();
  yield* ready.splice(0);
}
