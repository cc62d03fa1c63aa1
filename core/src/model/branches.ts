import type { Branch, PartSummary } from './design.ts';

/** Occurrences of a part put together by where they hang in the tree. */
export function branchesOf(above: readonly string[][]): { branches: Branch[]; of: number[] } {
  const known = new Map<string, number>();
  const branches: Branch[] = [];
  const of = above.map((names) => {
    const key = names.join('\u0000');
    let at = known.get(key);
    if (at === undefined) {
      at = branches.push({ above: names, quantity: 0 }) - 1;
      known.set(key, at);
    }
    branches[at].quantity++;
    return at;
  });
  return { branches, of };
}

type InTree = Pick<PartSummary, 'path' | 'quantity' | 'branches'>;

/** Every branch in which a part occurs; of parts that say nothing of it, the one of their path. */
export function branchesWith(part: InTree): Branch[] {
  return part.branches ?? [{ above: part.path.slice(0, -1), quantity: part.quantity }];
}

const low = (s: string) => s.toLowerCase();

/** Whether a branch lies under a name, or under a path of names ("Frame / Left arm"); capitals don't count. */
export function liesUnder(branch: Branch, name: string): boolean {
  const wanted = name.split(' / ').map(low);
  const names = branch.above.map(low);
  if (wanted.length === 1) return names.includes(wanted[0]);
  return names.some((_, i) => wanted.every((w, k) => names[i + k] === w));
}

/**
 * A part as it occurs under one branch of the tree: its quantity and places there; null when it does not occur there.
 * @example underBranch(nut, 'rod-assembly') // 2 of the 8
 */
export function underBranch<P extends InTree & Pick<PartSummary, 'places' | 'placeBranches'>>(part: P, name: string): P | null {
  const all = branchesWith(part);
  const taken = all.map((b) => liesUnder(b, name));
  if (!taken.some(Boolean)) return null;
  if (taken.every(Boolean)) return part;
  const quantity = all.reduce((sum, b, i) => sum + (taken[i] ? b.quantity : 0), 0);
  const { placeBranches } = part;
  const places = placeBranches && part.places ? part.places.filter((_, i) => taken[placeBranches[i]]) : part.places;
  return { ...part, quantity, places, branches: all.filter((_, i) => taken[i]), placeBranches: undefined };
}

/** Every branch of the tree that parts hang in, as paths of names, parents before children. */
export function branchPaths(parts: readonly InTree[]): string[] {
  const out = new Set<string>();
  for (const part of parts) for (const { above } of branchesWith(part)) for (let n = 1; n <= above.length; n++) out.add(above.slice(0, n).join(' / '));
  return [...out].sort((a, b) => (a < b ? -1 : 1));
}
