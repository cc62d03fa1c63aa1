import { readStepHeader } from '../../src/formats/step/header.ts';

/** The head of a STEP file from its bytes. */
export const readStep = (bytes: Uint8Array) => readStepHeader(bytes);
