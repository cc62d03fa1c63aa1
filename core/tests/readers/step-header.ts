import { readStepHeader } from '../../src/formats/step/header.ts';
import { latin } from '../../src/formats/stl/read.ts';

/** The head of a STEP file from its bytes. */
export const readStep = (bytes: Uint8Array) => readStepHeader(latin(bytes));
