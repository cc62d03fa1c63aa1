import type { Finding } from '../base/finding.ts';
import type { Engine } from '../engine/engine.ts';
import { receiveBoard, type ReceivedBoard } from '../formats/gerber/pack.ts';
import type { BoardShopReceiver } from '../receivers/receivers.ts';
import { fitsIn, tooLong } from './rules.ts';
import { figuresOf, type BoardFigures } from './view.ts';

/**
 * What a board shop makes of a zip and nothing else: what it read, the figures, and what it can't make.
 * @throws Unusable when the zip can't be read
 * @example shopReceives(engine, zip, dipper).findings
 */
export function shopReceives(
  engine: Engine,
  zip: Uint8Array,
  shop: BoardShopReceiver,
): { received: ReceivedBoard; figures: BoardFigures; findings: Finding[] } {
  const received = receiveBoard(zip);
  const figures = figuresOf(engine, received);
  const { largest } = shop.boardShop;
  const findings = [...tooLong(zip, shop.mostBytes), ...received.findings];
  if (!fitsIn(figures.size, largest))
    findings.push({
      code: 'too-large',
      severity: 'stop',
      count: 1,
      message: `${figures.size.map((v) => Number(v.toFixed(3))).join(' × ')} mm is larger than ${shop.name} makes (${largest.join(' × ')} mm).`,
      remedy: 'Divide it, or choose another shop.',
    });
  return { received, figures, findings };
}
