import type { Format } from '../format.ts';

export const stl: Format = {
  id: 'STL',
  endings: ['stl'],
  saysUp: true,
  load: async () => (await import('./reader.ts')).reader,
};
