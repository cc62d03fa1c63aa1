import type { Finding } from 'tall-kite/base/finding';
import type { PartSummary } from 'tall-kite/model/design';
import type { OperationReport } from 'tall-kite/operations/report';

export type { OperationKind, OperationRequest } from 'tall-kite/operations/registry';
export type { CheckReport, CleanFigures, OperationReport } from 'tall-kite/operations/report';

/** A part that came of an operation, its shape in the store. */
export interface MadePart {
  name: string;
  summary: PartSummary;
  findings: Finding[];
  geometry: string;
  view: string;
}

export interface OperationResult {
  report: OperationReport;
  /** In-place when there is one and `inPlace`; else new parts, and the old ones are left out. */
  made: MadePart[];
  inPlace: boolean;
  /** New parts come beside the old ones, which stay. */
  beside?: boolean;
  /** Packed places of findings (see view), for a check. */
  places: string | null;
}
