import type { Format } from '../format.ts';

export const step: Format = {
  id: 'STEP',
  endings: ['step', 'stp', 'p21'],
  unit: 'stated',
  load: async () => (await import('./reader.ts')).reader,
};
