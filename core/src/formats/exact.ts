import { Unusable } from '../base/finding.ts';
import { kernelMessage, type Kernel } from '../kernel/kernel.ts';
import { openStep } from '../kernel/open-step.ts';
import { usualChoices, type ReadChoices } from '../model/choices.ts';
import type { OpenedStep } from '../model/opened.ts';
import { openOwnStep } from './step/open.ts';

/** How an exact design is opened. */
export interface ExactOpening {
  /** The kernel that opens what we do not take ourselves; asked for only then. */
  opening: () => Promise<Kernel>;
  /** How far places may be off, as the file states, mm. */
  uncertainty?: number;
  choices?: ReadChoices;
}

/** What STEP files state of their places when they are written here, mm. */
const usualUncertainty = 1e-5;

/**
 * Opens a STEP or IGES file: STEP by ourselves where all of it is taken, else by the exact-geometry kernel.
 * @throws Unusable when neither can
 * @example (await openExact('STEP', bytes, { opening: kernels.opening })).parts[0].volume
 */
export async function openExact(
  kind: 'STEP' | 'IGES',
  bytes: Uint8Array,
  { opening, uncertainty = usualUncertainty, choices = usualChoices }: ExactOpening,
): Promise<OpenedStep> {
  const own = kind === 'STEP' && choices.solids ? openOwnStep(bytes, uncertainty) : null;
  if (own) return own;
  const kernel = await opening();
  try {
    return openStep(kernel, bytes, choices, kind);
  } catch (thrown) {
    if (thrown instanceof Unusable) throw thrown;
    // The kernel throws bare numbers on some damaged files.
    throw new Unusable(
      'kernel-failed',
      `The ${kind} file could not be opened (${kernelMessage(kernel, thrown)}).`,
      'Export it again from the program that made it.',
    );
  }
}
