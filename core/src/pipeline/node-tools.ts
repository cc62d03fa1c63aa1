import { nodeEngine } from '../engine/load.ts';
import { nodeKernels, workingKernel } from '../kernel/load.ts';
import type { Tools } from './one-file.ts';

/** What making files needs, in a process of Node. */
export const nodeTools: Tools = { kernels: nodeKernels, working: workingKernel, engine: nodeEngine };
