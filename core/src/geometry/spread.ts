/** The i-th number of a sequence spread evenly over 0..1. Source: Halton, 1960. */
export function halton(i: number, base: number): number {
  let f = 1;
  let r = 0;
  while (i > 0) {
    f /= base;
    r += f * (i % base);
    i = Math.floor(i / base);
  }
  return r;
}
