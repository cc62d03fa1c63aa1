import type { Format } from '../format.ts';

export const step: Format = {
  id: 'STEP',
  endings: ['step', 'stp', 'p21'],
  load: async () => (await import('./reader.ts')).reader,
};
