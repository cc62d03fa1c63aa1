/** Puts all of a list at the end of another, however long it is: as arguments of `push` some hundred thousand overflow the stack. @example append(out, done.segments) */
export function append<T>(into: T[], more: Iterable<T>): void {
  for (const one of more) into.push(one);
}

/** The largest figure of a list, however long it is; -Infinity for none. @example largestOf(points, (p) => p[0]) */
export function largestOf<T>(list: Iterable<T>, figure: (one: T) => number): number {
  let most = -Infinity;
  for (const one of list) most = Math.max(most, figure(one));
  return most;
}

/** The first place of a rising list that is not below x; its length when all are. @example lowerBound(Float64Array.of(1, 3), 2) // 1 */
export function lowerBound(list: ArrayLike<number>, x: number): number {
  let low = 0;
  let high = list.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (list[middle] < x) low = middle + 1;
    else high = middle;
  }
  return low;
}
