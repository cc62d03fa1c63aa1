'use client';
import { Glide } from '@/shell/controls.tsx';
import dynamic from 'next/dynamic';
import { useEffect, useState } from 'react';
import { Downloads, NothingReceived, ReceivedHead } from '@/light-table/panels/FilePanel.tsx';
import type { PanelProps } from '@/light-table/panels/panel.ts';
import { Figures } from '@/light-table/panels/parts.tsx';
import type { FlatReceived } from '@/workers/flat.ts';
import type { Overlay } from '../FlatTable.tsx';
import { ClaimsTable } from '@/shell/ClaimsTable.tsx';
import { Len, useLengths } from '@/shell/unit.tsx';
import desk from '@/shell/desk.module.css';

const CarvedView = dynamic(() => import('../CarvedView.tsx').then((m) => m.CarvedView), { ssr: false });

/** What the machine understood: the order of its cuts, lengths and time, and every claim. */
export function FlatReceivedPanel(props: PanelProps & { received: FlatReceived | null; setOverlay: (o: Overlay) => void }) {
  const { len } = useLengths();
  const { part, received, setOverlay } = props;
  const evidence = part.file?.state === 'written' ? part.file.evidence : null;
  const receiver = part.file?.recipe.receiver ?? part.recipe.receiver;
  const count = received?.order.length ?? 0;
  const [upTo, setUpTo] = useState(0);
  useEffect(() => setUpTo(0), [part.file?.id]);
  useEffect(() => {
    setOverlay(received && upTo > 0 ? { order: { points: received.order.map((o) => o.start), upTo } } : {});
  }, [received, upTo, setOverlay]);
  if (!evidence) return <NothingReceived {...props} />;
  return (
    <>
      <ReceivedHead evidence={evidence} />
      {received && receiver.cutter && receiver.cutter.kind !== 'template' && (
        <section aria-label="Cuts" data-test="cuts">
          <Figures
            rows={[
              ['Cut', `${len(received.cut)} in ${count.toLocaleString('en')} cuts`],
              ['Travel', len(received.travel)],
              ['Time, about', `${timeText(received.time)} at ${receiver.cutter.feed.toLocaleString('en')} mm/min`],
            ]}
          />
          <div className={desk.row}>
            <span className="nowrap">Order of cuts</span>
            <Glide label="Order of cuts" words={`${upTo} of ${count}`} min={0} max={count} value={upTo} onChange={setUpTo} />
            <span className="figure nowrap">
              {upTo} of {count}
            </span>
          </div>
          {upTo > 0 && (
            <p className="context">
              Cut {upTo}: {received.order[upTo - 1].layer},{' '}
              <span className="figure">
                <Len mm={received.order[upTo - 1].length} />
              </span>
              , {received.order[upTo - 1].closed ? 'closed' : 'open'}
            </p>
          )}
        </section>
      )}
      {receiver.cutter?.kind === 'router' && <CarvedView part={part} />}
      <ClaimsTable claims={evidence.claims} />
      <Downloads {...props} />
    </>
  );
}

/** Seconds as people say them. */
export const timeText = (s: number): string => (s < 90 ? `${Math.round(s)} s` : `${Math.floor(s / 60)} min ${Math.round(s % 60)} s`);
