import type { NestChoice } from 'tall-kite/cutlist/how';
import type { Nest } from 'tall-kite/cutlist/nested';
import type { RowEdit } from 'tall-kite/cutlist/row';
import type { TypedPanel } from 'tall-kite/cutlist/typed';

/** What is kept of a job's cut list: changes to rows, how parts are laid and where they lie. */
export interface KeptCutList {
  edits: Record<string, RowEdit>;
  choice: NestChoice;
  laid: Nest | null;
  /** Panels of typed sizes, which belong to no part; absent: none. */
  typed?: TypedPanel[];
}
