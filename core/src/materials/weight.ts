import { densityOf, type Material } from './materials.ts';

/** What a weight is told from. Lengths in mm. */
export interface Weighed {
  material: string;
  /** mm3 of a solid; null for what was drawn, which has its face and a typed thickness. */
  volume: number | null;
  area: number;
  thickness: number | null;
}

/** Weight of one, g; null when the material has no known density or there is no thickness. */
export function weightOf({ material, volume, area, thickness }: Weighed, materials: readonly Material[] = []): number | null {
  const density = densityOf(material, materials);
  const whole = volume ?? (thickness === null ? null : area * thickness);
  return density === null || whole === null ? null : (whole / 1000) * density;
}
