import type { Format } from '../format.ts';

export const board: Format = {
  id: 'board zip',
  endings: ['zip'],
  unit: 'stated',
  load: async () => (await import('./reader.ts')).reader,
};
