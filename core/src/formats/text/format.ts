import type { Format } from '../format.ts';

export const text: Format = {
  id: 'text',
  endings: ['lettering'],
  unit: 'stated',
  load: async () => (await import('./reader.ts')).reader,
};
