import type { TubeWork } from '../bender/rules.ts';
import type { NestChoice } from '../cutlist/how.ts';
import { branchesWith, liesUnder, underBranch } from '../model/branches.ts';
import type { PartSummary } from '../model/design.ts';
import type { DrawingRecipe } from '../model/drawing-recipe.ts';
import type { Recipe } from '../recipe/recipe.ts';
import type { FileFormat, Receiver } from '../receivers/receivers.ts';
import type { FlattenChoice } from '../sheet/pattern.ts';
import type { Naming } from './names.ts';

/** A part as a release sees it: its figures and properties, without its geometry. Thickness in mm. */
export interface PlanPart {
  /** How its geometry is found again: a row's id on a server, source and number in a folder. */
  key: string;
  source: string;
  /** Number among the bodies of its source, from 1; 0 when it is the only one. */
  body: number;
  summary: PartSummary;
  recipe: Recipe;
  /** SHA-256 of its geometry's own bytes. */
  shape: string;
  /** Where it stands among the others: 12 numbers, mm. */
  place: number[];
  quantity: number;
  number: string;
  variant: string;
  material: string;
  thickness: number | null;
}

/** Which parts a line of a release takes. Null and empty mean: any. */
export interface ReleaseChoice {
  /** Names, part numbers or keys. */
  parts: string[] | null;
  leaveOut: string[];
  kinds: PartSummary['kind'][] | null;
  /** A word in the name, the part number or the path. */
  text: string;
  /** A branch of the design's tree. */
  branch: string | null;
  material: string;
  thickness: number | null;
  variants: string[] | null;
}

/** How many files chosen parts become: one each, one for all, one for each material and thickness, one for each bed, panels nested on sheets, or tubes with their bend tables. */
export const groupings = ['each', 'all', 'stock', 'bed', 'nested', 'tubes'] as const;
export type Grouping = (typeof groupings)[number];

/** One way that chosen parts go: to a receiver, in a format. */
export interface ReleaseLine {
  name: string;
  choose: ReleaseChoice;
  receiver: Receiver;
  format: FileFormat;
  unit: string;
  group: Grouping;
  /** Deviation (mm) and angle (degrees); null takes the part's own recipe. */
  facets: { deviation: number; angle: number } | null;
  /** Folded sheet parts go out as flat patterns; null for other ways. */
  flatten: FlattenChoice | null;
  drawing: Partial<DrawingRecipe> | null;
  /** How panels are laid on sheets, for files that are nested; absent: as usual. */
  nest?: Partial<NestChoice>;
  /** What is particular to tubes, for a bender; absent: as usual. */
  tubes?: Partial<TubeWork>;
}

/** Groups whose files come as one zip. */
export const comesAsZip = (group: Grouping): boolean => group === 'nested' || group === 'tubes';

/** A release as data: the same inputs give the same bytes. */
export interface ReleaseRecipe {
  job: string;
  variant: string;
  revision: string;
  /** ISO 8601, or empty. Never the day of the run, so that a run can be repeated. */
  date: string;
  lines: ReleaseLine[];
  naming: Naming;
}

export const anyPart: ReleaseChoice = {
  parts: null,
  leaveOut: [],
  kinds: null,
  text: '',
  branch: null,
  material: '',
  thickness: null,
  variants: null,
};

const low = (s: string) => s.toLowerCase();

/** Whether two thicknesses are one, mm. */
export const sameThickness = (a: number, b: number) => Math.abs(a - b) < 1e-6;

/** The parts that a line takes; of a branch only as many as hang there, and where. A quantity that a person typed is kept in proportion. */
export function takenBy(choice: ReleaseChoice, parts: readonly PlanPart[]): PlanPart[] {
  return parts
    .filter((part) => chosen(choice, part))
    .map((part) => {
      if (choice.branch === null) return part;
      const summary = underBranch(part.summary, choice.branch)!;
      if (summary === part.summary) return part;
      const whole = branchesWith(part.summary).reduce((sum, b) => sum + b.quantity, 0);
      const quantity = Math.max(1, Math.round((part.quantity * summary.quantity) / whole));
      return { ...part, summary, quantity, place: summary.places?.[0] ?? part.place };
    });
}

/** All that a part is called by: its name, its number, and what it hangs under. */
const wordsOf = ({ summary, number }: PlanPart): string[] => [summary.name, number, ...summary.path, ...branchesWith(summary).flatMap((b) => b.above)];

const isAsThick = (part: PlanPart, wanted: number | null): boolean => wanted === null || (part.thickness !== null && sameThickness(part.thickness, wanted));

/** Whether a line takes a part. */
export function chosen(choice: ReleaseChoice, part: PlanPart): boolean {
  const { summary, number } = part;
  const named = (list: readonly string[]) => list.some((n) => n === part.key || low(n) === low(summary.name) || (number !== '' && low(n) === low(number)));
  if (named(choice.leaveOut)) return false;
  if (choice.parts && !named(choice.parts)) return false;
  if (choice.kinds && !choice.kinds.includes(summary.kind)) return false;
  if (choice.text !== '' && !wordsOf(part).some((w) => low(w).includes(low(choice.text)))) return false;
  if (choice.branch !== null && !branchesWith(summary).some((b) => liesUnder(b, choice.branch!))) return false;
  if (choice.material !== '' && low(part.material) !== low(choice.material)) return false;
  if (choice.variants && !choice.variants.some((v) => low(v) === low(part.variant))) return false;
  return isAsThick(part, choice.thickness);
}
