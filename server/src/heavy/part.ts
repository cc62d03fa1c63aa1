import type { PartSummary } from 'tall-kite/model/design';
import type { Rows } from 'tall-kite/geometry/rows';
import type { Recipe } from 'tall-kite/recipe/recipe';

/** A part as the thread gets it. */
export interface OperationPart {
  id: string;
  summary: PartSummary;
  geometry: string;
  /** The file that it came from, in the store; null for what was made here. */
  source: string | null;
  recipe: Recipe;
  place: Rows;
}
