import { open, readFile, rename, rm } from 'node:fs/promises';
import { Unusable } from '../base/finding.ts';

/** Writes beside the name and renames, so that no half file ever has it; gives back the bytes as the disk has them. */
export async function store(file: string, pieces: Iterable<Uint8Array>): Promise<Buffer> {
  const part = `${file}.${process.pid}.part`;
  try {
    const handle = await open(part, 'w');
    try {
      for (const piece of pieces) await handle.writeFile(piece);
    } finally {
      await handle.close();
    }
    await rename(part, file);
  } catch (thrown) {
    await rm(part, { force: true });
    throw new Unusable('not-written', `"${file}" could not be written: ${(thrown as Error).message}.`, 'Check the folder and the space on the disk.');
  }
  return readFile(file);
}
