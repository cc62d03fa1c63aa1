'use client';
import { Glide } from '@/shell/controls.tsx';
import dynamic from 'next/dynamic';
import { useEffect, useState } from 'react';
import { Downloads, NothingReceived, ReceivedHead } from '@/light-table/panels/FilePanel.tsx';
import type { PanelProps } from '@/light-table/panels/panel.ts';
import { Figures } from '@/light-table/panels/parts.tsx';
import { counted, secondsText } from 'tall-kite/base/figures';
import type { FlatReceived } from '@/workers/flat.ts';
import type { Overlay } from '../FlatTable.tsx';
import { ClaimsTable } from '@/shell/ClaimsTable.tsx';
import { Len, useLengths } from '@/shell/unit.tsx';
import desk from '@/shell/desk.module.css';

const CarvedView = dynamic(() => import('../CarvedView.tsx').then((m) => m.CarvedView), { ssr: false });

/** What the machine understood: the order of its cuts, lengths and time, and every claim. */
export function FlatReceivedPanel(props: PanelProps & { received: FlatReceived | null; setOverlay: (o: Overlay) => void }) {
  const { part, received, setOverlay } = props;
  const evidence = part.file?.state === 'written' ? part.file.evidence : null;
  const receiver = part.file?.recipe.receiver ?? part.recipe.receiver;
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
        <Cuts received={received} feed={receiver.cutter.feed} upTo={Math.min(upTo, received.order.length)} setUpTo={setUpTo} />
      )}
      {receiver.cutter?.kind === 'router' && <CarvedView part={part} />}
      <ClaimsTable claims={evidence.claims} />
      <Downloads {...props} />
    </>
  );
}

type CutsProps = {
  received: FlatReceived;
  /** mm a minute. */
  feed: number;
  /** So many cuts are drawn in their order. */
  upTo: number;
  setUpTo: (count: number) => void;
};

/** Lengths and time of its cuts, and their order one by one. */
function Cuts({ received, feed, upTo, setUpTo }: CutsProps) {
  const { len } = useLengths();
  const count = received.order.length;
  const last = upTo > 0 ? received.order[upTo - 1] : null;
  return (
    <section aria-label="Cuts" data-test="cuts">
      <Figures
        rows={[
          ['Cut', `${len(received.cut)} in ${counted(count, 'cut')}`],
          ['Travel', len(received.travel)],
          ['Time, about', `${secondsText(received.time)} at ${feed.toLocaleString('en')} mm/min`],
        ]}
      />
      <div className={desk.row}>
        <span className="nowrap">Order of cuts</span>
        <Glide label="Order of cuts" words={`${upTo} of ${count}`} min={0} max={count} value={upTo} onChange={setUpTo} />
        <span className="figure nowrap">
          {upTo} of {count}
        </span>
      </div>
      {last && (
        <p className="context">
          Cut {upTo}: {last.layer},{' '}
          <span className="figure">
            <Len mm={last.length} />
          </span>
          , {last.closed ? 'closed' : 'open'}
        </p>
      )}
    </section>
  );
}
