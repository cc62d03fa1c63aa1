/** Weight of a cubic centimetre by material, g; other materials have none. Common practice, handbook values. */
export const densities: readonly (readonly [RegExp, number])[] = [
  [/\b(birch|multiplex)/i, 0.68],
  [/\bply/i, 0.6],
  [/\bmdf\b/i, 0.75],
  [/chipboard|particle/i, 0.65],
  [/\boak\b/i, 0.71],
  [/\bpine\b|\bspruce\b/i, 0.48],
  [/acryl|pmma/i, 1.18],
  [/polycarb/i, 1.2],
  [/\balu|\balmg/i, 2.7],
  [/stainless/i, 7.9],
  [/steel/i, 7.85],
];
export const densityOf = (material: string): number | null => densities.find(([name]) => name.test(material))?.[1] ?? null;

/** What a weight is told from. Lengths in mm. */
export interface Weighed {
  material: string;
  /** mm3 of a solid; null for what was drawn, which has its face and a typed thickness. */
  volume: number | null;
  area: number;
  thickness: number | null;
}

/** Weight of one, g; null when the material has no known density or there is no thickness. */
export function weightOf({ material, volume, area, thickness }: Weighed): number | null {
  const density = densityOf(material);
  const whole = volume ?? (thickness === null ? null : area * thickness);
  return density === null || whole === null ? null : (whole / 1000) * density;
}
