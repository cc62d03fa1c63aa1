import type { Bender, BendRule, BoardShop, Cutter, Receiver } from './receivers.ts';

type Numbers<T> = { [K in keyof T]-?: T[K] extends number ? K : never }[keyof T];

/** One rule of a machine that is a number: what it means, its unit, and its limits. */
export interface RuleField<K extends string = string> {
  key: K;
  label: string;
  unit: string;
  about: string;
  least: number;
  most: number;
  whole?: true;
}

/** Rules of every machine. */
export const commonRules: RuleField<Numbers<Receiver>>[] = [
  { key: 'mostBytes', label: 'Longest file', unit: 'bytes', about: 'Longer files are refused.', least: 1000, most: 1e11, whole: true },
  {
    key: 'smallest',
    label: 'Doubtful under',
    unit: 'mm',
    about: 'A longest side under this is taken for a mistaken unit; 0 asks nothing.',
    least: 0,
    most: 1000,
  },
  { key: 'spacing', label: 'Spacing', unit: 'mm', about: 'Kept between parts and from the rim.', least: 0, most: 500 },
  { key: 'clearance', label: 'Clearance', unit: 'mm', about: 'Least gap between parts that are to move against each other.', least: 0, most: 20 },
];

/** Rules of machines that make solids. */
export const solidRules: RuleField<Numbers<Receiver>>[] = [
  { key: 'bead', label: 'Bead, pixel or bit', unit: 'mm', about: 'Thinner walls are not made.', least: 0, most: 100 },
  { key: 'layer', label: 'Layer', unit: 'mm', about: 'Height of a layer, or depth of a pass.', least: 0, most: 100 },
  { key: 'overhang', label: 'Overhang', unit: '°', about: 'From the vertical, without support.', least: 0, most: 90 },
  { key: 'mostTriangles', label: 'Most triangles', unit: '', about: 'More are refused; 0 for a machine that reads none.', least: 0, most: 1e9, whole: true },
];

/** Rules of machines that work on sheets. */
export const sheetRules: RuleField<Numbers<Cutter>>[] = [
  { key: 'kerf', label: 'Kerf or bit', unit: 'mm', about: 'Width that the tool takes away.', least: 0, most: 100 },
  { key: 'feed', label: 'Feed', unit: 'mm/min', about: 'How fast it cuts.', least: 1, most: 1e6 },
  { key: 'rapid', label: 'Rapid', unit: 'mm/min', about: 'How fast it moves between cuts.', least: 1, most: 1e6 },
  { key: 'pierce', label: 'Pierce', unit: 's', about: 'Time to begin each cut.', least: 0, most: 600 },
  { key: 'pass', label: 'Pass', unit: 'mm', about: 'Depth of one pass; 0 cuts through at once.', least: 0, most: 500 },
  { key: 'pocketDepth', label: 'Pocket depth', unit: 'mm', about: 'Of a pocket when the drawing gives none.', least: 0, most: 500 },
  { key: 'engraveAngle', label: 'Engraving bit', unit: '°', about: 'Its angle; 0 for none.', least: 0, most: 180 },
  { key: 'margin', label: 'Clear rim', unit: 'mm', about: 'Where the tool does not go on the sheet.', least: 0, most: 500 },
];

/** Rules of tube benders. Often asked for: a radius of at least twice the outside size, a clamp of one and a half to two times it (common practice, no source). */
export const benderRules: RuleField<Numbers<Bender>>[] = [
  { key: 'clamp', label: 'Least straight', unit: 'mm', about: 'What the clamp holds, between bends and at the ends; 0 for any.', least: 0, most: 10_000 },
  {
    key: 'leastRadius',
    label: 'Least radius',
    unit: '× outside',
    about: 'Of a bend, as a multiple of the outside size of the tube; 0 for any.',
    least: 0,
    most: 100,
  },
  { key: 'longest', label: 'Longest tube', unit: 'mm', about: 'Cut length, with what is left on to hold it by.', least: 1, most: 100_000 },
];

/** Limits of a die's radius, mm. */
export const dieLimits: [number, number] = [0.1, 10_000];

/** Figures of a rule for one material and die. */
export const bendRuleFields: RuleField<Numbers<BendRule>>[] = [
  { key: 'radius', label: 'Die', unit: 'mm', about: 'Centre-line radius of the die.', least: dieLimits[0], most: dieLimits[1] },
  { key: 'ratio', label: 'Ratio', unit: '', about: 'The machine bends by the angle times this, and the offset.', least: 0.8, most: 1.5 },
  { key: 'offset', label: 'Offset', unit: '°', about: 'Added to the angle, so that the tube springs back to what is wanted.', least: -20, most: 20 },
  { key: 'elongation', label: 'Elongation', unit: 'mm a bend', about: 'How much longer the tube gets in one bend.', least: -50, most: 50 },
];

/** Rules of board shops. Common practice of cheap boards, no source: type your shop's over them. */
export const boardRules: RuleField<Numbers<BoardShop>>[] = [
  { key: 'leastHole', label: 'Least hole', unit: 'mm', about: 'Smaller ones are not drilled.', least: 0.01, most: 10 },
  { key: 'leastSlot', label: 'Least slot', unit: 'mm', about: 'Width of the smallest routing bit for slots.', least: 0.01, most: 10 },
  { key: 'leastWeb', label: 'Least web', unit: 'mm', about: 'Material left between holes, slots, cut-outs and edges.', least: 0, most: 20 },
  { key: 'leastRing', label: 'Least ring', unit: 'mm', about: 'Copper around a plated hole.', least: 0, most: 10 },
  { key: 'leastClearance', label: 'Least clearance', unit: 'mm', about: 'Between copper and edges, cut-outs and bare holes.', least: 0, most: 20 },
  { key: 'leastText', label: 'Least text', unit: 'mm', about: 'Height of a letter of the legend.', least: 0, most: 20 },
  { key: 'innerRadius', label: 'Inner radius', unit: 'mm', about: 'What its smallest bit leaves in inner corners of edges and cut-outs.', least: 0, most: 20 },
];
