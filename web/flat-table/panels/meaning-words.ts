import type { Meaning } from 'tall-kite/curves/drawing';

/** What people call each meaning of a contour. */
export const meaningWords: Record<Meaning, string> = {
  cut: 'cut',
  hole: 'hole',
  pocket: 'pocket',
  score: 'score',
  engrave: 'engrave',
  bend: 'bend line',
  'bend-up': 'bend line, up',
  'bend-down': 'bend line, down',
  'bend-edge': 'edge of a bend',
  mark: 'mark',
  label: 'label',
  stock: 'stock edge',
  small: 'small part',
  fill: 'filled area',
  lead: 'way in',
};
