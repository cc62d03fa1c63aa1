import type { Kernel } from '../kernel/kernel.ts';
import type { ReadProgress } from '../formats/format.ts';

/** The kernels a reader may ask for: one opens STEP and IGES, the other makes facets of open surfaces. */
export interface Kernels {
  opening: () => Promise<Kernel>;
  working: () => Promise<Kernel>;
  /** Told now and then while a file of many drawings is read. */
  progress?: ReadProgress;
}
