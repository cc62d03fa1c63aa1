import { bytesText } from '../base/figures.ts';
import type { Finding } from '../base/finding.ts';
import { clear, found, notReached, type Step } from './step.ts';

const stale: Finding = { code: 'stale', severity: 'look', count: 1, message: 'The part changed after this file was written.', remedy: 'Write it again.' };
const failed = { code: 'failed', message: 'The file could not be written.', remedy: 'Try again.' };

/** The file as it was written. */
export const fileStep: Step<'File'> = {
  id: 'File',
  column: 'File',
  beforeFile: false,
  state: (_, file) => {
    if (!file) return notReached('not written');
    if (file.state === 'queued' || file.state === 'writing') return notReached('being written', '…');
    if (file.state === 'failed') return found({ ...(file.failure ?? failed), severity: 'stop', count: 1 }, 'not written', '');
    const figure = file.fileName ?? '';
    return file.stale ? found(stale, figure, 'older than the settings') : clear(figure, `${bytesText(file.bytes ?? 0)}, ${file.recipe.file.unit}`);
  },
};
