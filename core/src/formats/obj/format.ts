import type { Format } from '../format.ts';

export const obj: Format = {
  id: 'OBJ',
  endings: ['obj'],
  unit: 'none',
  saysUp: false,
  load: async () => (await import('./reader.ts')).reader,
};
