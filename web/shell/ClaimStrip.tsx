'use client';
import { Button } from 'antd';
import { useCallback, useState, type RefCallback } from 'react';
import { counted } from 'tall-kite/base/figures';
import { worst } from 'tall-kite/base/finding';
import type { Evidence } from 'tall-kite/prove/evidence';
import { claimFigure, designedFigure, unitText } from 'tall-kite/prove/page';
import { Mark } from '@/marks/Mark.tsx';
import { inRoom } from './in-room.ts';
import style from './claims.module.css';

/** Claims side by side, designed over received, as many as there is room for: what deviates first, the rest behind a button. */
export function ClaimStrip({ claims, showAll }: { claims: Evidence['claims']; showAll: () => void }) {
  const [strip, room] = useRoom();
  const { shown, rest } = inRoom(claims, room);
  return (
    <div className={style.strip} ref={strip} role="group" aria-label="Claims">
      {shown.map((c) => (
        <div className={style.claim} data-test="claim" key={c.quantity}>
          <b>
            {c.quantity}
            {c.unit && ` (${unitText(c.unit)})`}
          </b>
          <div className="figure c-designed">{designedFigure(c)}</div>
          <div className="figure c-received">{claimFigure(c.received, c.unit)}</div>
          <Mark mark={c.verdict} size={11} />
        </div>
      ))}
      {rest.length > 0 && (
        <div className={style.claim} data-test="claim">
          <b>and {counted(rest.length, 'more claim')}</b>
          <div>
            <Mark mark={worst(rest.map((c) => c.verdict))} size={11} />
          </div>
          <Button size="small" onClick={showAll}>
            Show them
          </Button>
        </div>
      )}
    </div>
  );
}

/** Least width of a claim, px. */
const claimWidth = 104;

/** How many claims stand side by side in an element, as it is wide now. */
function useRoom(): [RefCallback<HTMLElement>, number] {
  const [room, setRoom] = useState(11);
  const ref = useCallback((element: HTMLElement | null) => {
    if (!element) return;
    const watch = new ResizeObserver(() => setRoom(Math.max(2, Math.floor(element.clientWidth / claimWidth))));
    watch.observe(element);
    return () => watch.disconnect();
  }, []);
  return [ref, room];
}
