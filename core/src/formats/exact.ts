import { Unusable } from '../base/finding.ts';
import { NotTaken } from '../body/body.ts';
import { bodyFigures, type BodyFigures } from '../body/figures.ts';
import { bodyOfBrep } from '../body/from-brep.ts';
import { kernelMessage, type Kernel } from '../kernel/kernel.ts';
import { openStep } from '../kernel/open-step.ts';
import { usualChoices, type ReadChoices } from '../model/choices.ts';
import type { OpenedStep } from '../model/opened.ts';
import { openOwnIges } from './iges/open.ts';
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
 * Opens a STEP or IGES file: by ourselves where all of it is taken, else by the exact-geometry kernel.
 * @throws Unusable when neither can
 * @example (await openExact('STEP', bytes, { opening: kernels.opening })).parts[0].volume
 */
export async function openExact(
  kind: 'STEP' | 'IGES',
  bytes: Uint8Array,
  { opening, uncertainty = usualUncertainty, choices = usualChoices }: ExactOpening,
): Promise<OpenedStep> {
  const own = kind === 'IGES' ? openOwnIges(bytes, choices) : openOwnStep(bytes, uncertainty, { choices });
  if (own) return own;
  const kernel = await opening();
  try {
    return measuredAgain(openStep(kernel, bytes, choices, kind));
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

/** The kernel's sums and ours of the same solid may differ by so much, as a part of either; the kernel's settle to about a millionth. */
const doubtful = 1e-4;

/** Sums of what the kernel opened, taken again by ourselves from the BREP text: finer, and a second way to the same figures. Where the two disagree it is told. */
function measuredAgain(opened: OpenedStep): OpenedStep {
  for (const part of opened.parts) {
    const own = ownFigures(part.brep);
    if (!own) continue;
    if (Math.abs(own.volume / part.volume - 1) < doubtful && Math.abs(own.area / part.area - 1) < doubtful) {
      part.volume = own.volume;
      part.area = own.area;
      part.centre = own.centre;
      continue;
    }
    const figure = (v: number) => `${Number(v.toPrecision(6)).toLocaleString('en')} mm³`;
    opened.findings.push({
      code: 'two-volumes',
      severity: 'look',
      count: 1,
      message: `${part.name}: its volume is ${figure(part.volume)} in one way and ${figure(own.volume)} in another; its faces do not say clearly where they end.`,
      remedy: 'Heal the solid in the program that made it, and export again.',
    });
  }
  return opened;
}

/** Figures of a solid by ourselves; null where it is not taken. */
function ownFigures(brep: string): BodyFigures | null {
  try {
    return bodyFigures(bodyOfBrep(brep));
  } catch (thrown) {
    if (thrown instanceof NotTaken || thrown instanceof RangeError) return null;
    throw thrown;
  }
}
