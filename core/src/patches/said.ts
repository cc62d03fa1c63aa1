import type { Vec3 } from '../geometry/vector.ts';
import type { PatchStretch } from '../model/patch.ts';

/** A share in percent, three digits. */
export const percent = (v: number): string => `${Number((v * 100).toPrecision(3))} %`;
const place = (p: Vec3): string => p.map((v) => Number(v.toFixed(1))).join(', ');

/** Largest lengthening and shortening in words. */
export function saidStretch(s: Pick<PatchStretch, 'largest' | 'least' | 'largestAt' | 'leastAt' | 'areaLargest' | 'areaLeast'>): string {
  if (s.largest - 1 < 5e-7 && 1 - s.least < 5e-7) return 'Nothing is stretched: the surface unrolls.';
  const grown = `The flat is longer than the surface by at most ${percent(Math.max(0, s.largest - 1))} (at ${place(s.largestAt)} mm)`;
  const area = `its area changes by ${percent(s.areaLeast - 1)} to ${percent(s.areaLargest - 1)}`;
  return `${grown} and shorter by at most ${percent(Math.max(0, 1 - s.least))} (at ${place(s.leastAt)} mm); ${area}.`;
}
