import type { Format } from '../format.ts';

export const ply: Format = {
  id: 'PLY',
  endings: ['ply'],
  unit: 'none',
  saysUp: false,
  load: async () => (await import('./reader.ts')).reader,
};
