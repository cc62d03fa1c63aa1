/* The kernels have thousands of generated names without useful types; only this folder touches them. */
// eslint-disable-next-line @typescript-eslint/no-explicit-any
export type Kernel = any;

/** What the kernel said when it threw, as plain text. */
export function kernelMessage(kernel: Kernel, thrown: unknown): string {
  try {
    if (typeof thrown === 'number') return String(kernel.OCJS.getStandard_FailureData(thrown).GetMessageString());
    if (kernel.getExceptionMessage && thrown instanceof WebAssembly.Exception) {
      return kernel.getExceptionMessage(thrown).filter(Boolean).join(': ');
    }
  } catch {
    // no message to be had
  }
  return thrown instanceof Error ? thrown.message : String(thrown);
}

/** Something that only the kernel can do was asked of work that was begun without it. */
export class NeedsKernel extends Error {
  constructor() {
    super('this needs the kernel');
  }
}

/**
 * Work that seldom needs the kernel: begun without it, and once more with it where that turns out.
 * @example await withoutKernel((kernel) => flattenShape(kernel, source, choice), workingKernel)
 */
export async function withoutKernel<T>(work: (kernel: Kernel | null) => T | Promise<T>, kernel: () => Promise<Kernel>): Promise<T> {
  try {
    return await work(null);
  } catch (thrown) {
    if (!(thrown instanceof NeedsKernel)) throw thrown;
    return work(await kernel());
  }
}
