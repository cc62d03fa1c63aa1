import type { Severity } from 'tall-kite/base/finding';

const rank = { stop: 0, look: 1, clear: 2 };

/** What stands in a strip with so much room: what deviates first, in the order of the evidence, and what is folded away. */
export function inRoom<C extends { verdict: Severity }>(claims: readonly C[], room: number): { shown: C[]; rest: C[] } {
  if (claims.length <= room) return { shown: [...claims], rest: [] };
  const sorted = [...claims].sort((a, b) => rank[a.verdict] - rank[b.verdict]);
  const folded = new Set(sorted.slice(room - 1));
  return { shown: sorted.slice(0, room - 1), rest: claims.filter((c) => folded.has(c)) };
}
