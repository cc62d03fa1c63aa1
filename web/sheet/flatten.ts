import { comesIn, densityOf, materialNamed, thicknessDoubt, type Material, type Thickness } from 'tall-kite/materials/materials';
import { usualFlatten } from 'tall-kite/sheet/pattern';
import { typedNumber } from '@/flat-table/panels/recipe.ts';

/** By how much walls of a sheet may differ can be asked for from this to that, % of its thickness. */
const shares = [0.1, 20] as const;
/** Largest tool radius, mm, and heaviest material, g/cm³, that can be asked for. */
const mostRadius = 10_000;
const mostDensity = 30;

/** What is typed; empty fields stand for what is usual. */
export interface Typed {
  tool: string;
  /** Null until something is typed. */
  tolerance: string | null;
  density: string;
}

/** By how much walls of a stored sheet may differ, % of its thickness: what it may be thinner or thicker by, within what can be asked for. */
const shareOf = ({ thickness, minus, plus }: Thickness): number =>
  Math.max(shares[0], Math.min(shares[1], Number(((100 * Math.max(minus, plus)) / thickness).toFixed(2))));

/** What the stores know of a material: its bend table, what speaks against the part's thickness, and by how much its walls may differ, %. */
export function knownOf(materials: readonly Material[], material: string, thickness: number | null) {
  const known = materialNamed(materials, material);
  const comes = known && thickness !== null ? comesIn(known, thickness) : null;
  return {
    bends: known?.bends,
    doubt: thicknessDoubt(materials, material, thickness),
    tolerance: String(comes ? shareOf(comes) : usualFlatten.tolerance * 100),
  };
}

/** The tolerance in %, NaN for what is no number. */
export const shareTyped = (tolerance: string): number => typedNumber(tolerance) ?? NaN;

export const shareFits = (share: number): boolean => share >= shares[0] && share <= shares[1];

/**
 * What is typed as numbers; null when one can't be.
 * @param usual tolerance (%), and density (g/cm³) where it is known
 * @returns radius in mm, null as drawn; tolerance as a share of the thickness; density in g/cm³
 */
export function typedFlatten({ tool, tolerance, density }: Typed, usual: { tolerance: string; density: number | null }) {
  const share = shareTyped(tolerance ?? usual.tolerance);
  const [radius, weight] = [typedNumber(tool), typedNumber(density)];
  const radiusFits = tool === '' || (radius !== null && radius >= 0 && radius <= mostRadius);
  const weightFits = density === '' || (weight !== null && weight > 0 && weight <= mostDensity);
  if (!shareFits(share) || !radiusFits || !weightFits) return null;
  return { radius: tool === '' ? null : radius, tolerance: share / 100, density: density === '' ? usual.density : weight };
}

/** The material of a flat: as it is typed, else that of its bend table; and its density where it is known. */
export function flatMaterial(typed: string, ofTable: string | undefined, materials: readonly Material[]): { material: string; density: number | null } {
  const material = typed.trim() || (ofTable ?? '');
  return { material, density: densityOf(material, materials) };
}
