'use client';
import { useQuery } from '@tanstack/react-query';
import type { StoredSheet } from '@tall-kite/server/stores/sheets';
import { ask } from '@/shell/ask.ts';
import { Choice } from '@/shell/controls.tsx';
import { useLengths } from '@/shell/unit.tsx';

/** Sheets, blocks and remnants in the stores whose thickness is known, to take one as the stock. */
export function FromStores({ choose }: { choose: (stock: [number, number, number]) => void }) {
  const { lens } = useLengths();
  const stored = useQuery({ queryKey: ['stored-sheets'], queryFn: () => ask<StoredSheet[]>('/api/stores/sheets') });
  const thick = (stored.data ?? []).filter((s) => s.sheet.thickness !== null);
  if (thick.length === 0) return null;
  return (
    <label>
      From the stores{' '}
      <Choice
        label="Stock from the stores"
        value=""
        onChange={(id) => {
          const found = thick.find((s) => s.id === id);
          if (found) choose([found.sheet.width, found.sheet.height, found.sheet.thickness!]);
        }}
        options={[
          { value: '', label: 'a sheet or block' },
          ...thick.map((s) => ({ value: s.id, label: `${s.sheet.name}, ${lens([s.sheet.width, s.sheet.height, s.sheet.thickness!])}` })),
        ]}
      />
    </label>
  );
}
