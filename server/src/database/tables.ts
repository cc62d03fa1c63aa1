import type { Failure } from './failure.ts';
import type { TreeNode } from 'tall-kite/model/design';
import type { ColumnType, Generated, JSONColumnType } from 'kysely';
import type { KeptCutList } from '../jobs/kept.ts';
import type { KeptFigures } from '../heavy/shelve.ts';
import type { StockSheet } from 'tall-kite/cutlist/how';
import type { ReadChoices } from 'tall-kite/model/choices';
import type { PartSummary } from 'tall-kite/model/design';
import type { Evidence } from 'tall-kite/prove/evidence';
import type { Material } from 'tall-kite/materials/materials';
import type { Finding } from 'tall-kite/base/finding';
import type { PartChange, PartPrint } from 'tall-kite/release/manifest';
import type { BendTable } from 'tall-kite/sheet/rules';
import type { Receiver } from 'tall-kite/receivers/receivers';
import type { Recipe } from 'tall-kite/recipe/recipe';
import type { WayId } from 'tall-kite/steps/way';

import type { InboxTable, ReleaseFilesTable, ReleasesTable } from '../releases/tables.ts';
import type { OperationKind, OperationRequest, OperationResult } from '../operations/requests.ts';

type When = ColumnType<Date, Date | string | undefined, Date | string>;
type MaybeJson<T extends object> = ColumnType<T | null, string | null | undefined, string | null>;

/** What a person made of a job's cut list: one for each job. */
export interface CutListsTable {
  job_id: string;
  version: Generated<number>;
  content: JSONColumnType<KeptCutList>;
  changed_at: When;
}

/** Sheets and remnants in the stores. */
export interface StockSheetsTable {
  id: Generated<string>;
  content: JSONColumnType<StockSheet>;
  removed: Generated<boolean>;
  changed_at: When;
}

export interface JobsTable {
  id: Generated<string>;
  name: string;
  created_at: When;
  changed_at: When;
  /** What is ready in it; null since something of it changed. */
  counts: MaybeJson<JobCounts>;
  /** When a person removed it; it can be brought back for a while. */
  removed_at: ColumnType<Date | null, Date | null | undefined, Date | null>;
}

/** How many parts of a job are clear, to be looked at, stopped and written; designs that are still read; bytes of its files. */
export interface JobCounts {
  parts: number;
  clear: number;
  look: number;
  stop: number;
  written: number;
  reading: number;
  bytes: number;
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
  choices: MaybeJson<ReadChoices>;
  /** How far reading is, 0 to 1, and what it is at. */
  progress: Generated<number>;
  doing: Generated<string>;
  /** Variant that its parts belong to; empty for the design itself. */
  variant: Generated<string>;
  /** The design that this is the next revision of. */
  replaces: string | null;
  /** Recipes that its parts begin with, in their order: it came from the stores. */
  recipes: MaybeJson<(Recipe | null)[]>;
  /** The transaction that changed it last; the database sets it. */
  rev: Generated<number>;
  /** When a person removed it, and the parts that went with it; it can be brought back for a while. */
  removed_at: ColumnType<Date | null, Date | null | undefined, Date | null>;
  removed_parts: MaybeJson<string[]>;
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
  /** Where the part stands among the others: 12 numbers, mm. */
  place: ColumnType<number[], string | undefined, string>;
  /** A part that an undone change had made: kept for redo, shown nowhere. */
  removed: Generated<boolean>;
  /** Properties that a person or a parts list gave; null falls back on what the source says. Thickness in mm. */
  number: string | null;
  material: string | null;
  thickness: number | null;
  variant: Generated<string>;
  /** What its source held when it was read, for the next revision; null for parts made here. */
  origin: MaybeJson<PartOrigin>;
  /** What became of it at the last revision of its source. */
  change: MaybeJson<RevisionChange>;
  /** What a person said that it is for; null while nobody has. */
  ways: MaybeJson<WayId[]>;
  /** The part that it was made of here, as a flat pattern is of its sheet part. */
  made_from: string | null;
  version: Generated<number>;
  /** The transaction that changed it or one of its files last; the database sets it. */
  rev: Generated<number>;
}

/** A part as its source had it. */
export type PartOrigin = PartPrint & { body: number };

/** `old`: made here from a shape that the new revision changed. */
export interface RevisionChange {
  state: PartChange['state'] | 'old';
  what: string[];
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

/** One change a person made, with what stood before and after in each part, for undo and history. */
export interface ChangesTable {
  id: Generated<number>;
  job_id: string;
  what: string;
  parts: JSONColumnType<{ part: string; before: PartFields; after: PartFields }[]>;
  undone: Generated<boolean>;
  created_at: When;
}

export type OperationState = 'queued' | 'working' | 'ready' | 'failed' | 'cancelled' | 'kept' | 'dropped';

/** Something to be computed for parts: a report, a file, or a proposal that a person keeps or drops. */
export interface OperationsTable {
  id: Generated<string>;
  job_id: string;
  kind: OperationKind;
  request: JSONColumnType<OperationRequest>;
  parts: JSONColumnType<string[]>;
  /** Versions of the parts when it was asked for. */
  versions: JSONColumnType<Record<string, number>>;
  state: OperationState;
  progress: Generated<number>;
  doing: Generated<string>;
  result: MaybeJson<OperationResult>;
  failure: MaybeJson<Failure>;
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
  place?: number[];
  removed?: boolean;
  number?: string | null;
  material?: string | null;
  thickness?: number | null;
  variant?: string;
  ways?: WayId[] | null;
  change?: RevisionChange | null;
  /** Which design it belongs to, at which position, and what that held. */
  source?: { design_id: string; position: number; origin: PartOrigin | null };
  shape?: { summary: PartSummary; findings: Finding[]; geometry_sha256: string; view_sha256: string };
}

/** A font of a person's own, unpacked. */
export interface FontsTable {
  /** SHA-256 of its bytes. */
  id: string;
  name: string;
  bytes: number;
  data: Buffer;
  removed: Generated<boolean>;
  changed_at: When;
}

/** A shelf of the stores. */
export interface ShelvesTable {
  id: Generated<string>;
  name: string;
  removed: Generated<boolean>;
}

/** A design in the stores: its bytes by their hash, what is known of it, its place. */
export interface KeptDesignsTable {
  id: Generated<string>;
  shelf_id: string | null;
  file_name: string;
  sha256: string;
  bytes: ColumnType<number, number, number>;
  tags: JSONColumnType<string[]>;
  state: 'queued' | 'kept' | 'failed';
  figures: MaybeJson<KeptFigures>;
  failure: MaybeJson<Failure>;
  /** SHA-256 of a small picture. */
  picture: string | null;
  revision: number;
  /** The next revision, which took its place. */
  replaced_by: string | null;
  /** Recipes of what is in it, in its order, when it came from a job; null for what has none there any more. */
  recipes: MaybeJson<(Recipe | null)[]>;
  /** How it is read; null as usual. */
  choices: MaybeJson<ReadChoices>;
  removed: Generated<boolean>;
  created_at: When;
  changed_at: When;
}

/** A bend table kept in the stores. */
export interface BendTablesTable {
  id: Generated<string>;
  name: string;
  content: JSONColumnType<BendTable>;
  /** Taken away; kept so that it can be brought back. */
  removed: Generated<boolean>;
  version: Generated<number>;
  changed_at: When;
}

export interface MaterialsTable extends Omit<BendTablesTable, 'content'> {
  content: JSONColumnType<Material>;
}

/** A machine in the stores: its rules as data. */
export interface ReceiversTable {
  id: string;
  name: string;
  rules: JSONColumnType<Receiver>;
  position: number;
  archived: Generated<boolean>;
  version: Generated<number>;
  changed_at: When;
}

export interface Tables {
  receivers: ReceiversTable;
  releases: ReleasesTable;
  release_files: ReleaseFilesTable;
  inbox: InboxTable;
  cut_lists: CutListsTable;
  stock_sheets: StockSheetsTable;
  shelves: ShelvesTable;
  kept_designs: KeptDesignsTable;
  fonts: FontsTable;
  bend_tables: BendTablesTable;
  materials: MaterialsTable;
  jobs: JobsTable;
  designs: DesignsTable;
  parts: PartsTable;
  files: FilesTable;
  changes: ChangesTable;
  workers: WorkersTable;
  operations: OperationsTable;
}
