// What the processes write is kept in a file of the data folder, and in a few older ones: a log never fills the disk.
import { copyFileSync, existsSync, fstatSync, ftruncateSync, mkdirSync, openSync, renameSync } from 'node:fs';
import { join } from 'node:path';

/** Size at which a log is put aside, bytes, and how many older ones stay. */
export const usualLog = { mostBytes: 20_000_000, older: 5 };

/**
 * Opens the log of a data folder. Children get its number as their standard output: what they write is there also when this process is gone.
 * @returns the number, the path, and `turn`, which puts a log that is too long aside; true when it did
 * @example const { fd, turn } = openLog(dataDir); spawn(..., { stdio: ['ignore', fd, fd] })
 */
export function openLog(dataDir, { mostBytes, older } = usualLog) {
  const folder = join(dataDir, 'logs');
  mkdirSync(folder, { recursive: true, mode: 0o700 });
  const path = join(folder, 'tall-kite.log');
  // For adding only: whoever writes, writes at the end, also after it was cut.
  const fd = openSync(path, 'a', 0o600);
  const turn = () => {
    if (fstatSync(fd).size <= mostBytes) return false;
    for (let n = older - 1; n >= 1; n--) if (existsSync(`${path}.${n}`)) renameSync(`${path}.${n}`, `${path}.${n + 1}`);
    copyFileSync(path, `${path}.1`);
    ftruncateSync(fd, 0);
    return true;
  };
  return { fd, path, turn };
}
