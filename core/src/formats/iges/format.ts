import type { Format } from '../format.ts';

export const iges: Format = {
  id: 'IGES',
  endings: ['igs', 'iges'],
  unit: 'stated',
  load: async () => (await import('./reader.ts')).reader,
};
