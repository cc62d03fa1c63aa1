import type { Format } from '../format.ts';

export const svg: Format = {
  id: 'SVG',
  endings: ['svg', 'svgz'],
  unit: 'sometimes',
  bare: { unit: '96dpi', words: '96 per inch', believed: false },
  load: async () => (await import('./reader.ts')).reader,
};
