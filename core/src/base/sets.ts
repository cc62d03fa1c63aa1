/**
 * Numbers from 0 that are gathered into sets, each known by one of its members.
 * Method: disjoint sets with path halving (Tarjan and van Leeuwen 1984); no recursion, so that a long chain takes no stack.
 * @example const sets = new Sets(3); sets.join(2, 0); sets.root(2) === sets.root(0)
 */
export class Sets {
  private readonly above: Int32Array;

  constructor(count: number) {
    this.above = Int32Array.from({ length: count }, (_, i) => i);
  }

  /** The member that stands for the set of i. */
  root(i: number): number {
    const { above } = this;
    while (above[i] !== i) i = above[i] = above[above[i]];
    return i;
  }

  /** The set of a becomes part of that of b, whose root stands for both. */
  join(a: number, b: number): void {
    this.above[this.root(a)] = this.root(b);
  }
}

/** Things that share a key, each group in the order they came in. @example groupedBy(parts, (p) => p.material) */
export function groupedBy<T, K>(things: Iterable<T>, keyOf: (thing: T) => K): Map<K, T[]> {
  const groups = new Map<K, T[]>();
  for (const thing of things) {
    const key = keyOf(thing);
    const group = groups.get(key);
    if (group) group.push(thing);
    else groups.set(key, [thing]);
  }
  return groups;
}
