import type { OperationKind } from '@tall-kite/server/operations/requests';

/** Operations whose result a person keeps or drops. */
export function isProposalKind(kind: OperationKind): boolean {
  return !['check', 'stances', 'clearance', 'together', 'bed'].includes(kind);
}
