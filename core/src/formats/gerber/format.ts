import type { Format } from '../format.ts';

export const gerber: Format = {
  id: 'Gerber',
  endings: ['gbr', 'ger', 'gtl', 'gbl', 'gts', 'gbs', 'gto', 'gbo', 'gko', 'gm1', 'gm2'],
  unit: 'stated',
  load: async () => (await import('./reader.ts')).reader,
};
