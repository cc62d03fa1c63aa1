import type { DrawingRecipe } from '../recipe/drawing.ts';
import type { FlattenChoice } from '../sheet/pattern.ts';
import type { FileFormat } from '../receivers/receivers.ts';
import type { PartSummary } from '../design/design.ts';
import type { Naming } from './names.ts';
import type { PartsRow } from './parts-list.ts';

/** Which parts a line of a release takes. Null and empty mean: any. */
export interface ReleaseChoice {
  parts: string[] | null;
  leaveOut: string[];
  kinds: PartSummary['kind'][] | null;
  /** A word in the name, the part number or the path. */
  text: string;
  /** A branch of the design's tree. */
  branch: string | null;
  material: string;
  thickness: number | null;
}

/** One way that chosen parts go: to a receiver, in a format. */
export interface ReleaseLine {
  name: string;
  choose: ReleaseChoice;
  receiver: string;
  format: FileFormat;
  unit: string;
  /** Deviation (mm) and angle (degrees); null takes the preset that suits the surfaces. */
  facets: { deviation: number; angle: number } | null;
  /** Folded sheet parts go out as flat patterns; null for other ways. */
  flatten: FlattenChoice | null;
  drawing: Partial<DrawingRecipe> | null;
}

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

export const anyPart: ReleaseChoice = { parts: null, leaveOut: [], kinds: null, text: '', branch: null, material: '', thickness: null };

/** Whether a line takes a part. */
export function chosen(choice: ReleaseChoice, part: PartSummary, row: PartsRow | null): boolean {
  const low = (s: string) => s.toLowerCase();
  const words = [part.name, part.partNumber ?? '', row?.number ?? '', ...part.path].map(low);
  if (choice.leaveOut.some((n) => low(n) === low(part.name))) return false;
  if (choice.parts && !choice.parts.some((n) => low(n) === low(part.name) || low(n) === low(part.partNumber ?? row?.number ?? ''))) return false;
  if (choice.kinds && !choice.kinds.includes(part.kind)) return false;
  if (choice.text !== '' && !words.some((w) => w.includes(low(choice.text)))) return false;
  if (choice.branch !== null && !part.path.slice(0, -1).some((p) => low(p) === low(choice.branch!))) return false;
  if (choice.material !== '' && low(row?.material ?? '') !== low(choice.material)) return false;
  const thickness = row?.thickness ?? part.flat?.thickness ?? null;
  return choice.thickness === null || (thickness !== null && Math.abs(thickness - choice.thickness) < 1e-6);
}
