import type { Format } from '../format.ts';

export const amf: Format = {
  id: 'AMF',
  endings: ['amf'],
  saysUp: true,
  load: async () => (await import('./reader.ts')).reader,
};
