import type { Format } from '../format.ts';

export const pdf: Format = {
  id: 'PDF',
  endings: ['pdf'],
  unit: 'stated',
  load: async () => (await import('./reader.ts')).reader,
};
