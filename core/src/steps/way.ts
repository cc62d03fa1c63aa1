import type { PartSummary } from '../model/design.ts';
import { isPatch } from '../model/is-patch.ts';
import type { Recipe } from '../recipe/recipe.ts';
import { noReceiver, takesOf, type Receiver } from '../receivers/receivers.ts';

/** What a part is for. */
export const wayIds = ['print', 'carve', 'cut', 'fold', 'spread', 'relief', 'bend', 'board', 'pass'] as const;
export type WayId = (typeof wayIds)[number];

type Kind = PartSummary['kind'];

/** One thing that a part can be for: a strand of the thread with its own steps. */
export interface Way {
  id: WayId;
  name: string;
  /** What comes of it, in a sentence, for each kind of part that can go this way. */
  does: Partial<Record<Kind, string>>;
  /** Steps after the trunk, by kind. */
  steps: Partial<Record<Kind, readonly string[]>>;
}

const solid = ['Stance', 'Facets', 'File', 'Received'];
const flat = ['Sheet', 'Layers', 'File', 'Received'];
const both = <T>(value: T) => ({ solid: value, mesh: value });

/** Every way, in the order in which they are offered. A new one is a line here and the steps that it names. */
export const ways: readonly Way[] = [
  {
    id: 'print',
    name: 'Print',
    does: { ...both('A file of the solid for a printer: STL, 3MF and others.'), drawing: 'Raised to a solid, which is printed.' },
    steps: { ...both(solid), drawing: ['Raise'] },
  },
  {
    id: 'carve',
    name: 'Carve',
    does: {
      ...both('A file of the solid for a router that carves in three axes.'),
      drawing: 'A drawing for a router: cuts, pockets and engraving, each with its depth.',
    },
    steps: { ...both(solid), drawing: ['Sheet', 'Layers', 'Depths', 'File', 'Received'] },
  },
  {
    id: 'cut',
    name: 'Cut flat',
    does: {
      ...both('A view, an outline or a section of it is drawn, and cut from sheet: DXF, SVG, PDF.'),
      drawing: 'A drawing for a laser, a jet, a knife or a template: DXF, SVG, PDF.',
    },
    steps: { ...both(['Draw']), drawing: flat },
  },
  {
    id: 'fold',
    name: 'Fold',
    does: both('Unfolded to a flat pattern with its bend lines, which is cut and folded: DXF, SVG, PDF.'),
    steps: both(['Unfold']),
  },
  {
    id: 'spread',
    name: 'Spread flat',
    does: both('A surface that may not unroll becomes flat pieces of cloth, film or sheet, with its stretch in figures: DXF, SVG, PDF.'),
    steps: both(['Spread']),
  },
  {
    id: 'relief',
    name: 'Relief',
    does: both('Set into a block or sheet of stock at its size, with its zero plane: a closed block that is carved or printed.'),
    steps: both(['Stock']),
  },
  {
    id: 'bend',
    name: 'Bend tube',
    does: both('Its straights and bends become a bend table; with it the solid built anew, templates of its ends and its sheet: CSV, STEP, PDF.'),
    steps: both(['Run']),
  },
  {
    id: 'board',
    name: 'Make board',
    does: { drawing: 'Its outline, holes and legend become the layers that a board shop makes a plate from: Gerber, drill files, zip.' },
    steps: { drawing: ['Board'] },
  },
  {
    id: 'pass',
    name: 'Pass on',
    does: {
      ...both('For people and programs instead of a machine: STEP, 3MF, STL and others.'),
      drawing: 'For people and programs instead of a machine: DXF, SVG, PDF.',
    },
    steps: { ...both(solid), drawing: flat },
  },
];

export const wayNamed = (id: WayId): Way => ways.find((w) => w.id === id)!;

/** The ways that a kind of part can go. */
export const waysFor = (kind: Kind): Way[] => ways.filter((w) => w.steps[kind]);

/** Whether a way ends in a file of the part itself, not of something made of it. */
export const endsInOwnFile = (way: WayId, kind: Kind): boolean => wayNamed(way).steps[kind]?.includes('File') ?? false;

/** The way on which a receiver takes parts. */
export function wayOf(receiver: Receiver): WayId {
  if (receiver.id === noReceiver.id) return 'pass';
  if (receiver.bender) return 'bend';
  if (receiver.boardShop) return 'board';
  if (receiver.cutter) return receiver.cutter.kind === 'router' ? 'carve' : 'cut';
  return /carv|mill|rout/i.test(receiver.process) ? 'carve' : 'print';
}

/** The first receiver of a way, null when there is none for this kind of part. */
export function receiverOfWay(way: WayId, kind: Kind, receivers: readonly Receiver[]): Receiver | null {
  if (way === 'pass') return noReceiver;
  return receivers.find((r) => wayOf(r) === way && takesOf(r) === (kind === 'drawing' ? 'drawings' : 'solids')) ?? null;
}

/** A way that a part goes, with the reason. */
export interface WayTaken {
  way: WayId;
  why: string;
  /** A person chose it; else it is a guess. */
  chosen: boolean;
}

/** What was made of a part, as far as a way shows in it. */
type Made = { name: string; kind: Kind; flat: boolean; spread?: boolean; relief?: boolean };

/** The way that something made of a part belongs to. */
function wayOfMade(kind: Kind, made: Made): WayId {
  if (kind === 'drawing') return 'print';
  if (made.relief) return 'relief';
  return made.flat ? 'fold' : made.spread ? 'spread' : 'cut';
}

/** Ways on which a part itself may be open and need not fit a bed as it stands: what is made of it is asked for that. */
export const shapesAnew: readonly WayId[] = ['spread', 'relief'];

/** Thinnest side of a plain plate over its second side, and in mm, up to which it is taken for one. Common practice, no source. */
const plateShare = 0.2;
const plateMost = 40;

/**
 * What a part is for: what was chosen, else a guess with its reason. The way of its own file is that of its receiver.
 * @example waysOf({ summary, recipe, ways: null })[0].why
 */
export function waysOf(part: { summary: PartSummary; recipe: Recipe; ways?: readonly WayId[] | null; made?: readonly Made[] }): WayTaken[] {
  const { kind } = part.summary;
  const own = wayOf(part.recipe.receiver);
  const asked = part.ways;
  if (!asked) {
    const guesses = new Map<WayId, string>();
    for (const made of part.made ?? []) guesses.set(wayOfMade(kind, made), `"${made.name}" was made of it`);
    const shape = kind === 'drawing' || guesses.size > 0 ? null : shapeWay(part.summary);
    if (shape) guesses.set(shape.way, shape.why);
    if (!guesses.has(own)) guesses.set(own, own === 'pass' ? 'no machine is chosen' : `it goes to ${part.recipe.receiver.name}`);
    return [...guesses].map(([way, why]) => ({ way, why, chosen: false }));
  }
  const settled = new Set<WayId>();
  for (const way of asked) if (wayNamed(way).steps[kind]) settled.add(endsInOwnFile(way, kind) ? own : way);
  if (settled.size === 0) settled.add(own);
  return [...settled].map((way) => ({ way, why: 'chosen', chosen: true }));
}

/** The ways of a part with one more, or one less; the last one stays. */
export function waysWith(taken: readonly WayId[], way: WayId, kind: Kind): WayId[] {
  // A part has one file of its own: another machine for it takes the place of the one before.
  const others = taken.filter((w) => w !== way && !(endsInOwnFile(way, kind) && endsInOwnFile(w, kind)));
  return [...others, way].sort((a, b) => wayIds.indexOf(a) - wayIds.indexOf(b));
}

/** Whether a solid or mesh looks as if it were made of tube or of sheet. */
function shapeWay(summary: PartSummary): Pick<WayTaken, 'way' | 'why'> | null {
  const { box, survey, volume, area } = summary;
  if (isPatch(summary)) return { way: 'spread', why: `an open surface with ${summary.openEdges!.toLocaleString('en')} edges on its border` };
  if (survey?.tube) return { way: 'bend', why: survey.tube };
  if (survey?.sheet) return { way: 'fold', why: `walls of ${Number(survey.sheet.toFixed(3))} mm with round bends between them` };
  const [thin, middle] = [0, 1, 2].map((k) => box.max[k] - box.min[k]).sort((a, b) => a - b);
  const plain = survey !== null && survey.bothWays === 0;
  // A plate's volume is its thickness times one of its large faces: twice the volume over the whole area comes near the thickness.
  if (plain && thin > 0 && thin <= plateMost && thin <= middle * plateShare && (2 * volume) / area > thin * 0.5)
    return { way: 'cut', why: `a plate of ${Number(thin.toFixed(3))} mm` };
  return null;
}
