import type { ColumnType, Generated, JSONColumnType } from 'kysely';
import type { PartSummary } from 'tall-kite/design/design';
import type { Evidence } from 'tall-kite/evidence/evidence';
import type { Finding } from 'tall-kite/findings/finding';
import type { TreeNode } from 'tall-kite/kernel/open-step';
import type { Recipe } from 'tall-kite/recipe/recipe';

type When = ColumnType<Date, Date | string | undefined, Date | string>;
type MaybeJson<T extends object> = ColumnType<T | null, string | null | undefined, string | null>;

/** A sentence for people with its remedy, kept when something could not be done. */
export interface Failure {
  code: string;
  message: string;
  remedy: string;
}

export interface JobsTable {
  id: Generated<string>;
  name: string;
  created_at: When;
  changed_at: When;
}

export type DesignState = 'queued' | 'reading' | 'read' | 'failed';

export interface DesignsTable {
  id: Generated<string>;
  job_id: string;
  file_name: string;
  bytes: ColumnType<number, number, number>;
  sha256: string;
  state: DesignState;
  format: string | null;
  version: string | null;
  unit: string | null;
  tree: MaybeJson<TreeNode[]>;
  findings: MaybeJson<Finding[]>;
  failure: MaybeJson<Failure>;
  created_at: When;
}

export interface PartsTable {
  id: Generated<string>;
  job_id: string;
  design_id: string;
  position: number;
  name: string;
  quantity: number;
  summary: JSONColumnType<PartSummary>;
  findings: JSONColumnType<Finding[]>;
  geometry_sha256: string;
  view_sha256: string;
  recipe: JSONColumnType<Recipe>;
  left_out: Generated<boolean>;
  version: Generated<number>;
}

export type FileState = 'queued' | 'writing' | 'written' | 'failed';

export interface FilesTable {
  id: Generated<string>;
  job_id: string;
  part_id: string;
  /** Version of the part whose recipe was written; the file is stale when the part has moved on. */
  part_version: number;
  recipe: JSONColumnType<Recipe>;
  state: FileState;
  file_name: string | null;
  sha256: string | null;
  bytes: number | null;
  evidence: MaybeJson<Evidence>;
  failure: MaybeJson<Failure>;
  created_at: When;
}

/** One change a person made, with what stood before and after, for undo and history. */
export interface ChangesTable {
  id: Generated<number>;
  job_id: string;
  part_id: string;
  what: string;
  before: JSONColumnType<PartFields>;
  after: JSONColumnType<PartFields>;
  undone: Generated<boolean>;
  created_at: When;
}

/** Worker processes that are alive, so that the tasks of dead ones are taken up again. */
export interface WorkersTable {
  worker_id: string;
  seen_at: When;
}

/** What of a part a person can change. */
export interface PartFields {
  recipe?: Recipe;
  name?: string;
  quantity?: number;
  left_out?: boolean;
}

export interface Tables {
  jobs: JobsTable;
  designs: DesignsTable;
  parts: PartsTable;
  files: FilesTable;
  changes: ChangesTable;
  workers: WorkersTable;
}
