import type { Contour, Meaning } from './drawing.ts';

/** Words in layer names that tell what is meant, in the languages that drawings come in. Common practice, no source. */
const nameRules: [RegExp, Meaning][] = [
  [/^bend.?up$/i, 'bend-up'],
  [/^bend.?down$/i, 'bend-down'],
  [/^bend.?zone$/i, 'bend-edge'],
  [/^marks?$/i, 'mark'],
  [/\bfill|hatch|schraffur|f[uü]llung/i, 'fill'],
  [/^lead(.?in)?s?$/i, 'lead'],
  [/bend|fold|bieg|falz|pli\b/i, 'bend'],
  [/engrav|grav|etch|mark/i, 'engrave'],
  [/pocket|tasche|poche/i, 'pocket'],
  [/hole|drill|bohr|loch|per[cç]age/i, 'hole'],
  [/score|crease|ritz|\brill/i, 'score'],
  [/label|text|note|schrift|dim/i, 'label'],
  [/stock|sheet|border|frame|blank|platte|rahmen/i, 'stock'],
  [/small|onion|skin/i, 'small'],
  [/cut|outer|inner|contour|profile|kontur|schnitt|d[eé]coup/i, 'cut'],
];

/** What a layer's name says that it is for; null when it says nothing. */
export const meaningOfName = (layer: string): Meaning | null => nameRules.find(([pattern]) => pattern.test(layer))?.[1] ?? null;

/** Whether a contour is a filled area and no edge: it has no part in nesting, doubles and crossings. */
export const isFill = (contour: Contour, layer: string): boolean => contour.meaning === 'fill' || (contour.meaning === null && meaningOfName(layer) === 'fill');
