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
