import type { Format } from '../format.ts';

export const stl: Format = {
  id: 'STL',
  endings: ['stl'],
  unit: 'none',
  saysUp: true,
  load: async () => (await import('./reader.ts')).reader,
};
