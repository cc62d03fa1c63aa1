import type { Format } from '../format.ts';

export const gltf: Format = {
  id: 'glTF',
  endings: ['glb', 'gltf'],
  unit: 'stated',
  saysUp: true,
  load: async () => (await import('./reader.ts')).reader,
};
