import { Input } from 'antd';
import { Choice } from '@/shell/controls.tsx';
import { useQuery } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import { handbookShares, type BendRule, type HandbookStock } from 'tall-kite/sheet/rules';
import type { StoredBends } from '@tall-kite/server/stores/bends';
import { ask } from '@/shell/ask.ts';
import { typedNumber } from '@/flat-table/panels/recipe.ts';
import desk from '@/shell/desk.module.css';

const beginWith = (tables: StoredBends[] | undefined, usual: string | null): string => (tables?.some((t) => t.id === usual) ? usual! : 'din6935');

/** The fields that choose by which rule bends are counted, the rule (null while a figure is wrong), and the table from the stores if it is one. @param usual the table to begin with, by its id. */
export function useBendRule(usual: string | null = null): { rule: BendRule | null; stored: StoredBends | undefined; fields: ReactNode } {
  const tables = useQuery({ queryKey: ['bends'], queryFn: () => ask<StoredBends[]>('/api/stores/bends') });
  const [chosen, setKind] = useState<string | null>(null);
  const kind = chosen ?? beginWith(tables.data, usual);
  const [k, setK] = useState('0.44');
  const kv = typedNumber(k);
  const stored = tables.data?.find((t) => t.id === kind);
  const rule: BendRule | null =
    kind === 'k'
      ? kv !== null && kv >= 0 && kv <= 1
        ? { kind: 'k', k: kv }
        : null
      : kind === 'din6935'
        ? { kind: 'din6935' }
        : kind in handbookShares
          ? { kind: 'handbook', stock: kind as HandbookStock }
          : stored
            ? { kind: 'table', table: stored.table }
            : null;
  const fields = (
    <>
      <label className={desk.row}>
        Bends counted by
        <Choice
          value={kind}
          label="Bends counted by"
          onChange={(value) => setKind(value)}
          options={[
            { value: 'din6935', label: 'DIN 6935' },
            { value: 'k', label: 'a K-factor' },
            ...Object.entries(handbookShares).map(([id, { share }]) => ({ value: id, label: `handbook, ${share.toFixed(2)} T + 1.57 R` })),
            ...(tables.data ?? []).map((t) => ({ value: t.id, label: t.table.name })),
          ]}
        />
      </label>
      {kind in handbookShares && <p className="context">For {handbookShares[kind as HandbookStock].words}.</p>}
      {kind === 'k' && (
        <label className={desk.row}>
          K-factor
          <Input
            aria-label="K-factor"
            inputMode="decimal"
            value={k}
            aria-invalid={rule === null}
            onChange={(e) => setK(e.target.value)}
            className="num"
            size="small"
          />
        </label>
      )}
    </>
  );
  return { rule, stored, fields };
}
