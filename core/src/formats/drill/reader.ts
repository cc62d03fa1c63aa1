import { Unusable } from '../../base/finding.ts';
import type { Reader } from '../format.ts';
import { layersOfDrills } from '../gerber/drawing.ts';
import { looksLikeDrill, readDrill } from './read.ts';

export const reader: Reader = {
  kind: 'drawing',
  looksLike: (bytes) => looksLikeDrill(new TextDecoder('latin1').decode(bytes.subarray(0, 4000))),
  read(bytes) {
    const { tools, plated, unit, findings } = readDrill(bytes);
    if (unit === null) throw new Unusable('no-unit', 'The drill file states no unit, so nobody knows how large its holes are.', 'Write METRIC or INCH into its head; export it again.');
    return { version: '', unit: 'mm', metric: null, drawing: { layers: layersOfDrills(tools, plated), texts: [], points: [] }, leftOut: [], findings };
  },
}; // prettier-ignore
