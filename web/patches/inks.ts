/** The inks of a stretch map: lengthened in one, shortened in the other, true as the sheet. */
export interface Inks {
  sheet: number[];
  longer: number[];
  shorter: number[];
  ink: string;
  rule: string;
}

const parsed = (hex: string): number[] => [1, 3, 5].map((k) => parseInt(hex.slice(k, k + 2), 16));

/** The page's own inks, light or dark. */
export function inksOf(element: Element): Inks {
  const css = getComputedStyle(element);
  const of = (name: string) => css.getPropertyValue(name).trim();
  return { sheet: parsed(of('--sheet')), longer: parsed(of('--designed')), shorter: parsed(of('--received')), ink: of('--ink'), rule: of('--rule') };
}

/**
 * The colour of a stretch.
 * @param log logarithm of the principal stretch that is farther from 1
 * @param most the logarithm that is full ink
 * @param shade 0 to 1: how much of the light is kept
 */
export function stretchColour({ sheet, longer, shorter }: Inks, log: number, most: number, shade = 1): string {
  const share = most > 0 ? Math.min(1, Math.abs(log) / most) : 0;
  const to = log > 0 ? longer : shorter;
  const mix = sheet.map((v, k) => Math.round((v + (to[k] - v) * share * 0.85) * shade));
  return `rgb(${mix.join(',')})`;
}
