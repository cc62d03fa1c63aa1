import type { Drawing } from '../curves/drawing.ts';
import { chord, laidBack } from '../patches/laid-back.ts';
import { seamSlack, type Patch } from '../patches/patch.ts';
import { atMost, within, type Claim } from './evidence.ts';

/** What else a received drawing may be off by, mm: what was fitted to, and what its format loses. */
export interface PatchSlack {
  allowed: number;
  rounding: number;
  approximated: number;
}

/**
 * Holds a received drawing against the surface: its borders laid back, its seams, its area, its stretch along the border.
 * Lines lie off the flat by what they were fitted to; facets leave open how the border bends between their points.
 */
export function patchClaims(patch: Patch, received: Drawing, { allowed, rounding, approximated }: PatchSlack): Claim[] {
  const back = laidBack(patch, received);
  const drawn = patch.deviation + allowed + approximated + 2 * rounding + chord;
  const limit = 1.2 * drawn + 2 * back.sag;
  const off = Math.max(back.distance, back.missed);
  const claims: Claim[] = [atMost('Laid back on the surface', 'mm', limit, off)];
  const paired = back.seams.filter((s) => s.sides.length === 2);
  if (paired.length > 0) {
    const slack = seamSlack + 4 * (rounding + approximated + allowed);
    claims.push(
      atMost('Two sides of a seam', 'mm', slack, Math.max(...paired.map((s) => difference(s.sides[0], s.sides[1])))),
      atMost('Seams to the surface', 'mm', slack, Math.max(...paired.flatMap((s) => s.sides.map((v) => difference(v, s.surface))))),
    );
  }
  const beyond = Math.max(0, back.border[1] - back.stated[1], back.stated[0] - back.border[0]);
  claims.push(
    atMost('Stretch along the border, beyond what is stated', '', 1e-4 + (4 * drawn) / back.shortest, beyond),
    within('Area of the pieces', 'mm2', [back.area.facets, back.area.received], back.length * (drawn + back.sag) + 1e-6),
  );
  return claims;
}

const difference = (a: number, b: number): number => (Number.isFinite(a) && Number.isFinite(b) ? Math.abs(a - b) : Infinity);
