import type { Reader } from '../format.ts';
import { lossFinding } from '../../base/loss.ts';
import { layerOfGerber, lossesOfGerber } from './drawing.ts';
import { looksLikeGerber } from './pack.ts';
import { readGerber } from './read.ts';

export const reader: Reader = {
  kind: 'drawing',
  looksLike: (bytes) => looksLikeGerber(new TextDecoder('latin1').decode(bytes.subarray(0, 4000))),
  read(bytes) {
    const file = readGerber(bytes);
    const name = file.attributes.get('.FileFunction')?.slice(0, 1)[0]?.toLowerCase() ?? 'layer';
    const layers = layerOfGerber(file, name);
    const leftOut = lossesOfGerber(file);
    const lost = lossFinding(leftOut);
    return {
      version: 'X2',
      unit: 'mm',
      metric: null,
      drawing: { layers, texts: [], points: [] },
      leftOut,
      findings: [...file.findings, ...(lost ? [lost] : [])],
    };
  },
};
