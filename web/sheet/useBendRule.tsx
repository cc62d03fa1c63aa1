import { useQuery } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import { handbookShares, type BendRule, type HandbookStock } from 'tall-kite/sheet/rules';
import type { StoredBends } from '@tall-kite/server/stores/bends';
import { ask } from '@/shell/ask.ts';
import { typedNumber } from '@/flat-table/panels/recipe.ts';

/** The fields that choose by which rule bends are counted, the rule (null while a figure is wrong), and the table from the stores if it is one. */
export function useBendRule(): { rule: BendRule | null; stored: StoredBends | undefined; fields: ReactNode } {
  const tables = useQuery({ queryKey: ['bends'], queryFn: () => ask<StoredBends[]>('/api/stores/bends') });
  const [kind, setKind] = useState('din6935');
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
      <label className="row">
        Bends counted by
        <select className="typed" aria-label="Bends counted by" value={kind} onChange={(e) => setKind(e.target.value)}>
          <option value="din6935">DIN 6935</option>
          <option value="k">a K-factor</option>
          {Object.entries(handbookShares).map(([id, { share, words }]) => (
            <option key={id} value={id} title={words}>
              {`handbook, ${share.toFixed(2)} T + 1.57 R`}
            </option>
          ))}
          {tables.data?.map((t) => (
            <option key={t.id} value={t.id}>
              {t.table.name}
            </option>
          ))}
        </select>
      </label>
      {kind in handbookShares && <p className="context">For {handbookShares[kind as HandbookStock].words}.</p>}
      {kind === 'k' && (
        <label className="row">
          K-factor
          <input
            className="typed num"
            aria-label="K-factor"
            inputMode="decimal"
            value={k}
            aria-invalid={rule === null}
            onChange={(e) => setK(e.target.value)}
          />
        </label>
      )}
    </>
  );
  return { rule, stored, fields };
}
