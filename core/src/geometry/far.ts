import type { Finding } from '../base/finding.ts';
import { diagonalOf, type Box } from './box.ts';

/** Numbers of 24 binary digits (float32) that lose more than this where a part lies make it a part far from its zero, mm. */
export const farLoss = 0.0005;

/** What numbers of 24 binary digits lose at a distance from zero, mm. */
export const lossAt = (far: number): number => far * 2 ** -24;

/** The largest coordinate of a box without sign, mm. */
export const farthestOf = (box: Box): number => Math.max(...box.min.map(Math.abs), ...box.max.map(Math.abs));

/**
 * The distance from zero that rounding is counted for, mm: that of the part, but no more than what makes a part far beyond its own size. So no
 * file is allowed more because it says that it lies far away.
 */
export const roundingReach = (box: Box): number => Math.max(diagonalOf(box), Math.min(farthestOf(box), farLoss * 2 ** 24));

const metres = (mm: number) => `${Number((mm / 1000).toPrecision(3))} m`;

/** What a file loses that lies far from its zero; none when it loses nothing that matters. */
export function farFinding(far: number): Finding[] {
  if (lossAt(far) <= farLoss) return [];
  return [
    {
      code: 'far-from-zero',
      severity: 'look',
      count: 1,
      message: `It lies ${metres(far)} from its zero: numbers of 24 binary digits lose up to ${lossAt(far).toPrecision(2)} mm there.`,
      remedy: 'Write it at its zero unless that place is wanted.',
    },
  ];
}

/** A part or drawing that was far away and is written at its zero. @param where in words: "its middle", "its low left corner". */
export const broughtToZero = (far: number, where: string): Finding => ({
  code: 'brought-to-zero',
  severity: 'clear',
  count: 1,
  message: `It was made ${metres(far)} from its zero, where the numbers of most files lose ${lossAt(far).toPrecision(2)} mm; it is written with ${where} at zero.`,
  remedy: 'On the command line --place drawn keeps its place, if other parts rely on it.',
});
