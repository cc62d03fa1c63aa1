import { branchesWith, branchPaths } from 'tall-kite/model/branches';
import type { PartView } from '@tall-kite/server/jobs/part-views';

/** What of the ledger is shown; empty fields hold nothing back. */
export interface Filter {
  text: string;
  kind: string;
  branch: string;
  material: string;
  thickness: string;
  variant: string;
  /** What it is for. */
  way: string;
  /** The worst mark of a part's steps. */
  mark: string;
  /** What became of it at the last revision. */
  change: string;
}

export const noFilter: Filter = { text: '', kind: '', branch: '', material: '', thickness: '', variant: '', way: '', mark: '', change: '' };

export const thicknessText = (mm: number): string => `${Number(mm.toFixed(3))} mm`;

/** The word for parts without a value in a field. */
export const none = '(none)';

const rank = { none: 0, clear: 1, look: 2, stop: 3 };

/** The worst mark of a part's steps. */
export function worstMark(part: PartView): 'clear' | 'look' | 'stop' {
  let worst: keyof typeof rank = 'clear';
  for (const step of part.steps) if (rank[step.mark] > rank[worst]) worst = step.mark;
  return worst as 'clear' | 'look' | 'stop';
}

const values: Record<Exclude<keyof Filter, 'text'>, (part: PartView) => string | string[]> = {
  kind: (p) => p.summary.kind,
  branch: (p) => {
    const paths = branchPaths([p.summary]);
    return paths.length > 0 ? paths : p.designName;
  },
  material: (p) => p.material || none,
  thickness: (p) => (p.thickness === null ? none : thicknessText(p.thickness)),
  variant: (p) => p.variant || none,
  way: (p) => p.strands.map((s) => s.name),
  mark: worstMark,
  change: (p) => p.change?.state ?? none,
};

/** What the ledger can be grouped by, in words. */
export const groupFields = {
  branch: 'branch',
  design: 'file',
  material: 'material',
  thickness: 'thickness',
  variant: 'variant',
  way: 'way',
  mark: 'mark',
  kind: 'kind',
} as const;
export type GroupField = keyof typeof groupFields;

/** The group that a part stands in: with several branches or ways, the first. */
export function groupOf(by: GroupField, part: PartView): string {
  if (by === 'design') return part.designName;
  if (by === 'branch') return branchesWith(part.summary)[0]?.above.join(' / ') || part.designName;
  const value = values[by](part);
  return Array.isArray(value) ? value[0] : value;
}

/** Whether a part is shown. */
export function shownBy(filter: Filter, part: PartView): boolean {
  for (const [field, value] of Object.entries(values)) {
    const wanted = filter[field as keyof Filter];
    if (wanted === '') continue;
    const own = value(part);
    if (Array.isArray(own) ? !own.includes(wanted) : own !== wanted) return false;
  }
  const words = filter.text.trim().toLowerCase();
  if (words === '') return true;
  const hay = [
    part.name,
    part.number,
    part.material,
    part.variant,
    part.designName,
    ...part.summary.path,
    ...branchesWith(part.summary).flatMap((b) => b.above),
  ]
    .join('\n')
    .toLowerCase();
  return words.split(/\s+/).every((w) => hay.includes(w));
}

const order = new Intl.Collator('en', { numeric: true });

/** Fields that tell some parts of a job from others, with their values in order. */
export function choicesOf(parts: readonly PartView[]): { field: Exclude<keyof Filter, 'text'>; values: string[] }[] {
  return (Object.keys(values) as Exclude<keyof Filter, 'text'>[])
    .map((field) => ({ field, values: [...new Set(parts.flatMap(values[field]))].sort(order.compare) }))
    .filter((c) => c.values.length > 1);
}

/** A node of the assembly tree to choose from. */
export interface BranchNode {
  value: string;
  title: string;
  children: BranchNode[];
}

/** Paths of branches ("Frame / Left arm") as a tree; a path whose parents are missing stands at the top. @example branchTree(['Frame', 'Frame / Arm']) */
export function branchTree(paths: readonly string[]): BranchNode[] {
  const nodes = new Map<string, BranchNode>();
  const top: BranchNode[] = [];
  for (const value of [...paths].sort(order.compare)) {
    const cut = value.lastIndexOf(' / ');
    const parent = cut < 0 ? undefined : nodes.get(value.slice(0, cut));
    const node = { value, title: parent ? value.slice(cut + 3) : value, children: [] };
    nodes.set(value, node);
    (parent?.children ?? top).push(node);
  }
  return top;
}
