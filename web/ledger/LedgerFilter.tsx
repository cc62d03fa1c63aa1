import { useMemo } from 'react';
import { choicesOf, noFilter, type Filter } from './filter.ts';
import type { PartView } from '@tall-kite/server/jobs/jobs';

const names: Record<Exclude<keyof Filter, 'text'>, string> = {
  kind: 'Kind',
  branch: 'Branch',
  material: 'Material',
  thickness: 'Thickness',
  variant: 'Variant',
  mark: 'Mark',
  change: 'At this revision',
};

/** One line that narrows the ledger: a word, and a choice for each field in which the parts differ. */
export function LedgerFilter({
  parts,
  shown,
  filter,
  set,
  children,
}: {
  parts: PartView[];
  shown: number;
  filter: Filter;
  set: (f: Filter) => void;
  children: React.ReactNode;
}) {
  const choices = useMemo(() => choicesOf(parts), [parts]);
  const active = JSON.stringify(filter) !== JSON.stringify(noFilter);
  return (
    <div className="filter" role="search" aria-label="Show parts">
      <input
        className="typed"
        type="search"
        aria-label="Name, number, material or branch"
        placeholder="name, number, branch …"
        value={filter.text}
        maxLength={120}
        onChange={(e) => set({ ...filter, text: e.target.value })}
        data-test="filter"
      />
      {choices.map(({ field, values }) => (
        <select key={field} className="typed" aria-label={names[field]} value={filter[field]} onChange={(e) => set({ ...filter, [field]: e.target.value })}>
          <option value="">{names[field]}: any</option>
          {values.map((v) => (
            <option key={v} value={v}>
              {v}
            </option>
          ))}
        </select>
      ))}
      {active && (
        <button className="plain small" onClick={() => set(noFilter)}>
          Show all
        </button>
      )}
      <span className="context" aria-live="polite">
        {active ? `${shown} of ${parts.length} shown` : ''}
      </span>
      <span className="right">{children}</span>
    </div>
  );
}
