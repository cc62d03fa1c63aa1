import type { PartSummary } from '../model/design.ts';
import { boardStep } from './board.ts';
import { depthsStep } from './depths.ts';
import { facetsStep } from './facets.ts';
import { fileStep } from './file.ts';
import { layersStep } from './layers.ts';
import { drawStep, madeBy, raiseStep, spreadStep, stockStep, unfoldStep } from './making.ts';
import { receivedStep } from './received.ts';
import { runStep } from './run.ts';
import { sheetStep } from './sheet.ts';
import { sizeStep } from './size.ts';
import { soundnessStep } from './soundness.ts';
import { sourceStep } from './source.ts';
import { traceStep } from './trace.ts';
import { wordsStep } from './words.ts';
import { stanceStep } from './stance.ts';
import { notReached, worstOf, type Cell, type FileStateOf, type PartState, type Step } from './step.ts';
import { shapesAnew, wayNamed, waysFor, waysOf, type WayId, type WayTaken } from './way.ts';

/** Every step, in the order of the thread: the trunk that all parts have, then those of the ways (`way.ts` says which). */
const all = [
  sourceStep,
  traceStep,
  wordsStep,
  sizeStep,
  soundnessStep,
  stanceStep,
  sheetStep,
  unfoldStep,
  spreadStep,
  stockStep,
  drawStep,
  raiseStep,
  runStep,
  boardStep,
  facetsStep,
  layersStep,
  depthsStep,
  fileStep,
  receivedStep,
] as const;

export type StepName = (typeof all)[number]['id'];
export const steps = all as readonly Step<StepName>[];

/** Steps that come before any way parts from the others. */
export const trunk: readonly StepName[] = ['Source', 'Trace', 'Words', 'Size', 'Soundness'];

/** A step of a part with what it shows, and how far the thread runs. */
export interface StepState extends Cell {
  step: StepName;
  column: Step['column'];
  beforeFile: boolean;
}

/** One way of a part: its steps after the trunk, and what stands for it in a row of the ledger. */
export interface Strand extends WayTaken {
  name: string;
  steps: StepState[];
  /** The steps before the file in one cell, and which of them decides. */
  form: Cell & { step: StepName };
  file: Cell;
  received: Cell;
  /** The part made of this one, whose file it is; null when the file is the part's own or nothing was made yet. */
  made: { id: string; name: string } | null;
}

/** The steps of one way of a kind of part, the trunk first. */
export const stepsFor = (kind: PartSummary['kind'], way: WayId): readonly Step<StepName>[] => {
  const names: readonly string[] = [...trunk, ...(wayNamed(way).steps[kind] ?? [])];
  return steps.filter((s) => names.includes(s.id));
};

const stateOf = (step: Step<StepName>, part: PartState, file: FileStateOf | null): StepState => {
  const { id, column, beforeFile } = step;
  return { step: id, column, beforeFile, ...step.state(part, file) };
};

/** Steps after a stop are not reached, while there is no file that says otherwise. */
function cutAtStop(list: StepState[], stopped: boolean, file: FileStateOf | null): StepState[] {
  if (file?.evidence) return list;
  const first = stopped ? -1 : list.findIndex((s) => s.mark === 'stop');
  if (!stopped && first < 0) return list;
  return list.map((s, i) => (i > first ? { ...s, ...notReached() } : s));
}

/** The trunk of a part, and a strand for each way that it goes. */
export function threadOf(part: PartState, file: FileStateOf | null): { trunk: StepState[]; strands: Strand[] } {
  const { kind } = part.summary;
  const states = new Map<StepName, StepState>();
  const of = (step: Step<StepName>) => {
    let state = states.get(step.id);
    if (!state) states.set(step.id, (state = stateOf(step, part, file)));
    return state;
  };
  const first = cutAtStop(steps.filter((s) => trunk.includes(s.id) && (s.only?.(part.summary) ?? true)).map(of), false, file);
  const stopped = first.some((s) => s.mark === 'stop');
  return {
    trunk: first,
    strands: waysOf(part).map((taken) =>
      strandOf(
        taken,
        cutAtStop(
          stepsFor(kind, taken.way)
            .filter((s) => !trunk.includes(s.id))
            .map(of),
          stopped && !shapesAnew.includes(taken.way),
          file,
        ),
        part,
      ),
    ),
  };
}

function strandOf(taken: WayTaken, list: StepState[], { made = [] }: PartState): Strand {
  const forms = list.filter((s) => s.column === 'Form');
  const decides = worstOf(forms);
  const others = forms.filter((s) => s !== decides && s.figure !== '').map((s) => s.figure);
  const making = forms.find((s) => s.step in madeBy);
  const other = making && made.find(madeBy[making.step as keyof typeof madeBy]);
  const [file, received] = (['File', 'Received'] as const).map((id) => list.find((s) => s.step === id));
  const reached = making?.mark !== 'none';
  return {
    ...taken,
    name: wayNamed(taken.way).name,
    steps: list,
    form: { ...decides, context: [...others, decides.context].filter(Boolean).join(', ') },
    file: file ?? (other && reached ? other.file : notReached()),
    received: received ?? (other && reached ? other.received : notReached()),
    made: other ? { id: other.id, name: other.name } : null,
  };
}

/** Every step of a part, each once, in the order of the thread. */
export function stepsOf(part: PartState, file: FileStateOf | null): StepState[] {
  const thread = threadOf(part, file);
  return stepsOfThread(thread);
}

/** Every step of a thread, each once, in the order of the registry. */
export function stepsOfThread({ trunk: first, strands }: ReturnType<typeof threadOf>): StepState[] {
  const list = [...first, ...strands.flatMap((s) => s.steps)];
  return steps.flatMap(({ id }) => list.find((s) => s.step === id) ?? []);
}

/** Whether a stop keeps the part's file from being written. */
export const isStopped = (list: readonly StepState[]): boolean => list.some((s) => s.beforeFile && s.mark === 'stop');

/** The step of an address ("facets"), when a part of this kind can have it on some way. */
export function stepNamed(word: string, kind: PartSummary['kind']): { step: StepName; way: WayId | null } | null {
  const step = steps.find((s) => s.id.toLowerCase() === word.toLowerCase())?.id;
  if (!step) return null;
  if (trunk.includes(step)) return { step, way: null };
  const way = waysFor(kind).find((w) => w.steps[kind]!.includes(step));
  return way ? { step, way: way.id } : null;
}
