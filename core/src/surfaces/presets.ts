/** What a person asks of facets. Deviation in mm, angle between neighbouring facets in degrees. */
export interface FacetChoice {
  deviation: number;
  angle: number;
  /** Whether facets may lie to both sides of surfaces that are bent to one side: half as many then, but sizes move by up to the deviation. */
  balanced?: boolean;
}

export interface Preset extends FacetChoice {
  id: 'flat' | 'one-way' | 'both-ways' | 'show';
  name: string;
  suits: string;
}

/** Presets named after the surfaces that they suit. Source of the order: common practice (see the reasons). */
export const presets: Preset[] = [
  { id: 'flat', name: 'Flat-faced', deviation: 0.2, angle: 30, suits: 'flat sides, where extra facets show nothing' },
  { id: 'one-way', name: 'Round one way', deviation: 0.08, angle: 15, suits: 'holes and plain rounds' },
  { id: 'both-ways', name: 'Round both ways', deviation: 0.04, angle: 10, suits: 'balls, domes and blended rounds' },
  { id: 'show', name: 'Show face', deviation: 0.015, angle: 5, suits: 'faces that are seen and touched' },
];

/** A turn angle, degrees, that leaves all to the deviation. */
export const anyAngle = 90;

/** Limits of what may be typed: mm and degrees. */
export const choiceLimits = { deviation: [0.001, 5], angle: [1, anyAngle] } as const;

/** Segments on a quarter turn of radius r (mm) for a choice. Sagitta: d = r (1 - cos(theta / 2)), any handbook of geometry. */
export function facetsPerQuarter(r: number, choice: FacetChoice): number {
  const bySagitta = choice.deviation >= r ? Math.PI : 2 * Math.acos(1 - choice.deviation / r);
  const step = Math.min(bySagitta, (choice.angle * Math.PI) / 180);
  return Math.max(1, Math.ceil(Math.PI / 2 / step - 1e-9));
}
