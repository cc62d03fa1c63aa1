'use client';
import { Button } from 'antd';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import type { StoredSheet } from '@tall-kite/server/stores/sheets';
import { ask } from '@/shell/ask.ts';
import { useLengths } from '@/shell/unit.tsx';

/** Sheets and remnants that are kept for cutting panels from. */
export function StoredSheets({ guarded }: { guarded: (work: () => Promise<void>) => Promise<boolean> }) {
  const client = useQueryClient();
  const { len, lens } = useLengths();
  const stored = useQuery({ queryKey: ['stored-sheets'], queryFn: () => ask<StoredSheet[]>('/api/stores/sheets') });
  const [gone, setGone] = useState<StoredSheet | null>(null);
  const act = (id: string, method: 'DELETE' | 'POST', after: StoredSheet | null) =>
    void guarded(async () => {
      await ask(`/api/stores/sheets/${id}`, { method });
      setGone(after);
      await client.invalidateQueries({ queryKey: ['stored-sheets'] });
    });
  if (!stored.data || (stored.data.length === 0 && !gone)) return null;
  return (
    <section className="stored" aria-label="Sheets and remnants" data-test="stored-sheets">
      <h2>Sheets and remnants</h2>
      <ul className="partlist">
        {stored.data.map((s) => (
          <li key={s.id} style={{ gridTemplateColumns: '1fr auto auto' }}>
            <span>
              {s.sheet.name} <span className="context">{s.sheet.material}</span>
            </span>
            <span className="figure">
              {lens([s.sheet.width, s.sheet.height])}
              {s.sheet.thickness === null ? '' : `, ${len(s.sheet.thickness)}`}
            </span>
            <Button size="small" onClick={() => act(s.id, 'DELETE', s)}>
              Take away
            </Button>
          </li>
        ))}
      </ul>
      {gone && (
        <p role="status">
          &quot;{gone.sheet.name}&quot; was taken away.{' '}
          <Button size="small" onClick={() => act(gone.id, 'POST', null)}>
            Undo
          </Button>
        </p>
      )}
    </section>
  );
}
