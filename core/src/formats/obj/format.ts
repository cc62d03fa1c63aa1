import type { Format } from '../format.ts';

export const obj: Format = {
  id: 'OBJ',
  endings: ['obj'],
  saysUp: false,
  load: async () => (await import('./reader.ts')).reader,
};
