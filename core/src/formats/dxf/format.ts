import type { Format } from '../format.ts';

export const dxf: Format = {
  id: 'DXF',
  endings: ['dxf'],
  unit: 'sometimes',
  bare: { unit: 'mm', words: 'millimetres', believed: true },
  load: async () => (await import('./reader.ts')).reader,
};
