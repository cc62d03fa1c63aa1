import type { Format } from '../format.ts';

export const picture: Format = {
  id: 'picture',
  endings: ['png', 'jpg', 'jpeg', 'webp', 'gif', 'bmp', 'tif', 'tiff'],
  unit: 'sometimes',
  bare: { unit: '96dpi', words: '96 per inch', believed: false },
  load: async () => (await import('./reader.ts')).reader,
};
