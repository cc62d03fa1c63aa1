import type { PartView } from '@tall-kite/server/jobs/part-views';

/** Why there is no evidence yet. */
export function noEvidence(file: PartView['file']): string {
  if (file?.state === 'queued' || file?.state === 'writing') return 'The file is being written and read back …';
  if (file?.state === 'failed' && file.failure) return `${file.failure.message} ${file.failure.remedy}`;
  return 'None yet: write the file, and what its bytes say is held against the design here.';
}
