import type { Finding } from '../base/finding.ts';
import { clear, found, type Step } from './step.ts';

/** How deep a router goes, with which bit; chosen before anything is written. */
export const depthsStep: Step<'Depths'> = {
  id: 'Depths',
  column: 'Form',
  beforeFile: true,
  state: ({ recipe }) => {
    const { carve, stock } = recipe.drawing!;
    if (!carve) return clear('as the machine does', 'no depth in the file');
    return found(deeper(stock?.thickness ?? null, carve.pocket), `bit ${carve.bit} mm`, `pockets ${carve.pocket} mm, engraving ${carve.engrave} mm`);
  },
};

/** A pocket as deep as the sheet is a hole. */
function deeper(thickness: number | null, pocket: number): Finding | null {
  if (thickness === null || pocket < thickness) return null;
  const message = `A pocket of ${pocket} mm goes through the sheet of ${thickness} mm.`;
  return { code: 'pocket-through', severity: 'stop', count: 1, message, remedy: 'Make it shallower, or give the contours the meaning of holes.' };
}
