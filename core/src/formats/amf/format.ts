import type { Format } from '../format.ts';

export const amf: Format = {
  id: 'AMF',
  endings: ['amf'],
  unit: 'stated',
  saysUp: true,
  load: async () => (await import('./reader.ts')).reader,
};
