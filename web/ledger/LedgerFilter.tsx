import { Input, Button, TreeSelect } from 'antd';
import { useMemo } from 'react';
import { Choice } from '@/shell/controls.tsx';
import { branchTree, choicesOf, groupFields, noFilter, type Filter, type GroupField } from './filter.ts';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import frame from '@/shell/frame.module.css';

const names: Record<Exclude<keyof Filter, 'text'>, string> = {
  kind: 'Kind',
  branch: 'Branch',
  material: 'Material',
  thickness: 'Thickness',
  variant: 'Variant',
  way: 'Way',
  mark: 'Mark',
  change: 'At this revision',
};

/** One line that narrows the ledger: a word, and a choice for each field in which the parts differ. */
export function LedgerFilter({
  parts,
  shown,
  filter,
  set,
  group,
  setGroup,
  children,
}: {
  parts: PartView[];
  shown: number;
  filter: Filter;
  set: (f: Filter) => void;
  group: GroupField | null;
  setGroup: (by: GroupField | null) => void;
  children: React.ReactNode;
}) {
  const choices = useMemo(() => choicesOf(parts), [parts]);
  const active = JSON.stringify(filter) !== JSON.stringify(noFilter);
  return (
    <div className={frame.filter} role="search" aria-label="Show parts">
      <Input
        type="search"
        aria-label="Name, number, material or branch"
        placeholder="name, number, branch …"
        value={filter.text}
        maxLength={120}
        onChange={(e) => set({ ...filter, text: e.target.value })}
        data-test="filter"
        size="small"
      />
      {choices.map(({ field, values }) =>
        field === 'branch' ? (
          <TreeSelect
            key={field}
            size="small"
            aria-label={names.branch}
            popupMatchSelectWidth={false}
            showSearch
            treeNodeFilterProp="title"
            treeDefaultExpandAll={values.length < 40}
            value={filter.branch}
            onChange={(value: string) => set({ ...filter, branch: value })}
            treeData={[{ value: '', title: 'Branch: any' }, ...branchTree(values)]}
          />
        ) : (
          <Choice
            key={field}
            value={filter[field]}
            label={names[field]}
            onChange={(value) => set({ ...filter, [field]: value })}
            options={[{ value: '', label: `${names[field]}: any` }, ...values.map((v) => ({ value: v, label: v }))]}
          />
        ),
      )}
      <Choice
        value={group ?? ''}
        label="Group by"
        onChange={(value) => setGroup((value || null) as GroupField | null)}
        options={[{ value: '', label: 'In one list' }, ...Object.entries(groupFields).map(([value, word]) => ({ value, label: `Grouped by ${word}` }))]}
      />
      {active && (
        <Button onClick={() => set(noFilter)} size="small">
          Show all
        </Button>
      )}
      <span className="context" aria-live="polite">
        {active ? `${shown} of ${parts.length} shown` : ''}
      </span>
      <span className={frame.right}>{children}</span>
    </div>
  );
}
