import type { ColumnType, Generated, JSONColumnType } from 'kysely';
import type { Evidence } from 'tall-kite/prove/evidence';
import type { Finding, Severity } from 'tall-kite/base/finding';
import type { Manifest, PartChange } from 'tall-kite/release/manifest';
import type { OnBed } from 'tall-kite/release/plan';
import type { PlanPart, ReleaseLine, ReleaseRecipe } from 'tall-kite/release/recipe';
import type { Failure } from '../database/failure.ts';

type When = ColumnType<Date, Date | string | undefined, Date | string>;
type MaybeWhen = ColumnType<Date | null, Date | string | null | undefined, Date | string | null>;
type MaybeJson<T extends object> = ColumnType<T | null, string | null | undefined, string | null>;

/** A part as it was when the release was asked for: later changes do not reach a run. */
export interface ReleasePart extends PlanPart {
  findings: Finding[];
  version: number;
}

export type ReleaseState = 'running' | 'done' | 'cancelled';

export interface ReleaseOptions {
  /** Files go to the folder that the server watches over, too. */
  folder: boolean;
  /** Files go to the receivers' inboxes. */
  deliver: boolean;
  /** Files whose verdict is stop go out too. Absent in releases of earlier versions. */
  evenSo?: boolean;
}

export interface ReleasesTable {
  id: Generated<string>;
  job_id: string;
  /** Number within the job, from 1. */
  number: number;
  recipe: JSONColumnType<ReleaseRecipe>;
  options: JSONColumnType<ReleaseOptions>;
  /** What stands in the manifest before its files. */
  head: JSONColumnType<Omit<Manifest, 'files' | 'notMade'>>;
  /** What became of each part since the release before; null for the first. */
  changes: MaybeJson<PartChange[]>;
  state: ReleaseState;
  /** Sub-folder on the server that the files went to. */
  folder: string | null;
  /** When a person removed it; it can be brought back for a while. */
  removed_at: ColumnType<Date | null, Date | null | undefined, Date | null>;
  created_at: When;
  ended_at: MaybeWhen;
}

/** `same`: an earlier release made these very bytes. `skipped`: the part does not suit its line. */
export type ReleaseFileState = 'queued' | 'making' | 'made' | 'same' | 'skipped' | 'failed' | 'cancelled';
export type DeliveryState = 'none' | 'waiting' | 'accepted' | 'refused' | 'failed';

export interface ReleaseFilesTable {
  id: Generated<string>;
  release_id: string;
  job_id: string;
  position: number;
  /** Name with folder; empty for what was known to be skipped. */
  name: string;
  parts: JSONColumnType<ReleasePart[]>;
  line: JSONColumnType<ReleaseLine>;
  title: string;
  bed: MaybeJson<OnBed[]>;
  input: string;
  state: ReleaseFileState;
  sha256: string | null;
  bytes: number | null;
  verdict: Severity | null;
  evidence: MaybeJson<Evidence>;
  failure: MaybeJson<Failure>;
  /** The row among the parts' files that shows it on the light table. */
  file_id: string | null;
  delivery: Generated<DeliveryState>;
  delivery_said: string | null;
  started_at: MaybeWhen;
  ended_at: MaybeWhen;
  /** Grows with each change of any row, so that pages ask for what is new only. */
  seq: Generated<number>;
}

/** What came to a receiver's inbox. */
export interface InboxTable {
  id: Generated<number>;
  receiver: string;
  /** Given by the sender: the same delivery sent twice is taken once. */
  key: string | null;
  file_name: string;
  sha256: string;
  bytes: number;
  accepted: boolean;
  said: string;
  remedy: string;
  at: When;
}
