/** The code of what some work throws; "nothing thrown" when it ends well. */
export function code(work: () => unknown): string {
  try {
    work();
  } catch (thrown) {
    return (thrown as { code: string }).code;
  }
  return 'nothing thrown';
}
