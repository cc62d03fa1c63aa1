import { readFile } from 'node:fs/promises';
import { Unusable } from '../base/finding.ts';

/** A JSON file that was named. @throws Unusable when there is none or it is no JSON. */
export async function jsonFile(file: string, what: string): Promise<unknown> {
  const text = await readFile(file, 'utf8').catch(() => {
    throw new Unusable('no-such-file', `There is no ${what} "${file}".`, 'Check the name and the folder.');
  });
  try {
    return JSON.parse(text);
  } catch (thrown) {
    throw new Unusable('not-json', `The ${what} "${file}" is not JSON: ${(thrown as Error).message}.`, 'Correct it.');
  }
}
