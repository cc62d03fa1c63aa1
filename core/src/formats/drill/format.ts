import type { Format } from '../format.ts';

export const drill: Format = {
  id: 'XNC drill',
  endings: ['drl', 'xnc', 'xln'],
  unit: 'stated',
  load: async () => (await import('./reader.ts')).reader,
};
