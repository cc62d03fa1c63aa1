// One supervisor for a data folder: a file that says who holds it. Linux tells whether that process still lives.
import { chmodSync, mkdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { isRoot } from './machine.mjs';

/** When a process began, in clock ticks since the machine did; null when there is none. Source: proc(5), /proc/pid/stat, field 22. */
export function bornAt(pid) {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8');
    return stat.slice(stat.lastIndexOf(')') + 2).split(' ')[19];
  } catch {
    return null;
  }
}

/** What is written in a file, or null. */
export function readJson(file) {
  try {
    return JSON.parse(readFileSync(file, 'utf8'));
  } catch {
    return null;
  }
}

/** Writes a file whole or not at all. */
export function writeJson(file, value) {
  const temporary = `${file}.${process.pid}`;
  writeFileSync(temporary, `${JSON.stringify(value, null, 2)}\n`, { mode: 0o600 });
  renameSync(temporary, file);
}

const fileOf = (folder) => join(folder, 'held-by.json');

/** Who holds a data folder; null when nobody does, or whoever did is dead. A number that another process has now is not taken for it. */
export function holderOf(folder) {
  const said = readJson(fileOf(folder));
  return said && bornAt(said.pid) === said.born ? said : null;
}

/**
 * Takes a data folder for this process.
 * @returns how to give it back
 * @throws Error that says who holds it
 */
export function hold(folder, what) {
  mkdirSync(folder, { recursive: true });
  // Nobody else looks in; as root the database's own user has to pass through to its folder.
  chmodSync(folder, isRoot ? 0o711 : 0o700);
  const file = fileOf(folder);
  const mine = { pid: process.pid, born: bornAt(process.pid), what, since: new Date().toISOString() };
  for (let i = 0; i < 3; i++) {
    const other = holderOf(folder);
    if (other && other.pid !== process.pid)
      throw new Error(
        `The data folder ${folder} is held by process ${other.pid} (${other.what}) since ${other.since}. Stop that one first, or give another DATA_DIR.`,
      );
    // A dead one's file goes; of two that come at once only one makes the new file.
    if (!other) rmSync(file, { force: true });
    try {
      writeFileSync(file, `${JSON.stringify(mine)}\n`, { flag: 'wx', mode: 0o600 });
    } catch (thrown) {
      if (thrown.code === 'EEXIST') continue;
      throw thrown;
    }
    if (readJson(file)?.pid === process.pid) return () => rmSync(file, { force: true });
  }
  throw new Error(`The data folder ${folder} could not be taken: another start is taking it.`);
}
