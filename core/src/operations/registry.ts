import { Unusable } from '../base/finding.ts';
import { lostOf } from '../base/loss.ts';
import { boardFilesOperation, boardOperation } from './boards.ts';
import { bodyOperation } from './body.ts';
import { checkOperation } from './check.ts';
import { clearanceOperation } from './clearance.ts';
import { combineOperations } from './combine.ts';
import { cutOperation } from './cut.ts';
import { cutListOperation, nestOperation } from './cutlist.ts';
import { divideOperation } from './divide.ts';
import { arrangeOperation, bridgeOperation, cleanOperation, drawOperation, nodeOperation, ontoOperation, raiseOperation } from './drawings.ts';
import { bedOperation, togetherOperation } from './files.ts';
import { flattenOperation } from './flatten.ts';
import { hollowOperation } from './hollow.ts';
import { lighterOperation } from './lighter.ts';
import { mendOperation } from './mend.ts';
import { mirrorOperation } from './mirror.ts';
import { reliefOperation } from './relief.ts';
import { spreadOperation } from './spread.ts';
import { stancesOperation } from './stances.ts';
import { heightsOperation, stockOperation } from './stock.ts';
export { withKeptFont } from './text.ts';
import { engraveOperation, putTextOperation, textOperation, writingOperation } from './text.ts';
import { greyReliefOperation, traceOperation, traceWaysOperation } from './trace.ts';
import { tubeFilesOperation, tubesOperation } from './tubes.ts';
import type { Form, Operation, Outcome, Work } from './operation.ts';

/** Everything that can be done to parts. A new one is a file and a line here. */
const all = [
  checkOperation,
  mendOperation,
  hollowOperation,
  reliefOperation,
  stockOperation,
  heightsOperation,
  cutOperation,
  bodyOperation,
  ...combineOperations,
  divideOperation,
  lighterOperation,
  mirrorOperation,
  stancesOperation,
  clearanceOperation,
  drawOperation,
  cleanOperation,
  nodeOperation,
  raiseOperation,
  bridgeOperation,
  arrangeOperation,
  ontoOperation,
  traceOperation,
  traceWaysOperation,
  greyReliefOperation,
  textOperation,
  putTextOperation,
  writingOperation,
  engraveOperation,
  flattenOperation,
  spreadOperation,
  togetherOperation,
  bedOperation,
  cutListOperation,
  nestOperation,
  tubesOperation,
  tubeFilesOperation,
  boardOperation,
  boardFilesOperation,
] as const;

type RequestOf<O> = O extends Operation<infer R> ? R : never;

/** What a person asks to be computed. Lengths in mm of the finished part, in the coordinates in which it stands as modelled. */
export type OperationRequest = RequestOf<(typeof all)[number]>;
export type OperationKind = OperationRequest['kind'];
export type Gives = Operation['gives'];

export const operations = all as unknown as readonly Operation<OperationRequest>[];

/** @throws RangeError for an operation that is not known. */
export function operationOf(kind: OperationKind): Operation<OperationRequest> {
  const found = operations.find((o) => o.kind === kind);
  if (!found) throw new RangeError(`unknown operation ${kind}`);
  return found;
}

/** Checks a request that comes from outside. @throws Unusable with the field and the limit. */
export function checkRequest(input: unknown): OperationRequest {
  const { kind, ...rest } = (input ?? {}) as { kind?: unknown };
  const found = operations.find((o) => o.kind === kind);
  if (!found) throw new Unusable('bad-operation', 'That is nothing that can be asked for.', 'Reload the page and try again.');
  const { value, error } = found.schema.validate(rest, { convert: false });
  if (error) throw new Unusable('bad-request', `${error.message}.`.replace(/\.\.$/, '.'), 'Correct the value; nothing was changed.');
  return { kind, ...value } as OperationRequest;
}

/** The parts that a request is about. */
export const partsOf = (request: OperationRequest): string[] => operationOf(request.kind).parts(request);

/** Does what was asked for. What reading left out of the sources is missing in what is made of them too. @throws Unusable, Cancelled */
export async function operate(work: Work<OperationRequest>): Promise<Outcome> {
  const outcome = await operationOf(work.request.kind).run(work);
  const lost = lostOf(work.parts.map((p) => p.summary));
  if (outcome.anew || lost.length === 0) return outcome;
  const told = outcome.made.map((made) => ({
    ...made,
    part: () => {
      const part = made.part();
      const own = (part.summary.lost ?? []).filter((f) => !lost.some((l) => l.message === f.message));
      return { ...part, summary: { ...part.summary, lost: [...lost, ...own] } };
    },
  }));
  return { ...outcome, made: told };
}

/** Small operations that are asked for by a form of plain fields, for the page. */
export const operationForms = (): (Form & { kind: OperationKind })[] => operations.flatMap(({ kind, form }) => (form ? [{ kind, ...form }] : []));
