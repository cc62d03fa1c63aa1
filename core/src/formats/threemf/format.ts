import type { Format } from '../format.ts';

export const threeMf: Format = {
  id: '3MF',
  endings: ['3mf'],
  unit: 'stated',
  saysUp: true,
  load: async () => (await import('./reader.ts')).reader,
};
