import { Unusable } from 'tall-kite/base/finding';

const sentences: Record<string, [code: string, message: string, remedy: string]> = {
  ENOSPC: ['disk-full', 'The disk of the data folder is full; nothing was kept.', 'Make room on it, then try again.'],
  EDQUOT: ['disk-full', 'There is no room left for this user on the disk of the data folder; nothing was kept.', 'Make room on it, then try again.'],
  EROFS: ['disk-closed', 'The data folder can only be read; nothing was kept.', 'Give this user the right to write there, then try again.'],
  EACCES: ['disk-closed', 'The data folder can not be written by this user; nothing was kept.', 'Give this user the right to write there, then try again.'],
  EMFILE: ['disk-busy', 'Too many files are open at once; nothing was kept.', 'Try again in a moment.'],
};

/** A failure of the disk in a sentence; anything else as it was. */
export function diskTrouble(thrown: unknown): unknown {
  const sentence = sentences[(thrown as NodeJS.ErrnoException | null)?.code ?? ''];
  return sentence ? new Unusable(...sentence) : thrown;
}

/** Does work on the disk; what fails there is told in a sentence. @throws Unusable */
export function onDisk<T>(work: () => T): T {
  try {
    return work();
  } catch (thrown) {
    throw diskTrouble(thrown);
  }
}
