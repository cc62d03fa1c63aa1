import type { Format } from '../format.ts';

export const off: Format = {
  id: 'OFF',
  endings: ['off'],
  unit: 'none',
  saysUp: false,
  load: async () => (await import('./reader.ts')).reader,
};
