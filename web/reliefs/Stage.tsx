'use client';
import { Segmented } from 'antd';
import { useEffect, useRef, useState, type PointerEvent } from 'react';
import { usualLook } from 'tall-kite/view/shade';
import { inksOf } from '@/patches/inks.ts';
import { useSize } from '@/patches/useSize.ts';
import { Len } from '@/shell/unit.tsx';
import type { Shown } from '@/workers/relief.worker.ts';
import { reliefWorker, type ReliefTools } from './useRelief.ts';
import style from './reliefs.module.css';

/** The block shaded, turned by hand or from straight above; as it is meant, or as the bit would leave it. */
export function Stage({ it }: { it: ReliefTools }) {
  const [look, setLook] = useState({ turn: 25, above: 38 });
  const [wanted, setShows] = useState<Shown>('relief');
  const made = it.shown && !it.shown.failed ? it.shown : null;
  const shows = made?.carved ? wanted : 'relief';
  const told = made ? (shows === 'carved' ? `Inked: where more than 0.05 mm stays.` : made.undercut > 0 ? 'Inked: overhangs that are filled.' : '') : '';
  return (
    <section className={style.stage} data-test="relief-stage">
      <div className={style.bar}>
        <Segmented
          size="small"
          aria-label="Where it is seen from"
          value={look.above === 90 ? 'above' : 'side'}
          onChange={(v) => setLook(v === 'above' ? { turn: 0, above: 90 } : { turn: 25, above: 38 })}
          options={[
            { value: 'side', label: 'From the side' },
            { value: 'above', label: 'From above' },
          ]}
        />
        {made?.carved && (
          <Segmented
            size="small"
            aria-label="What is shown"
            value={shows}
            onChange={(v) => setShows(v as Shown)}
            options={[
              { value: 'relief', label: 'As meant' },
              { value: 'carved', label: 'As the bit leaves it' },
            ]}
          />
        )}
        <span className="context">{it.busy ? 'Setting it into the stock …' : 'Drag to turn it.'}</span>
      </div>
      <Picture it={it} look={look} setLook={setLook} shows={shows} />
      <div className={style.scale} data-test="relief-told">
        {made && (
          <>
            <span>
              Shown with heights every <Len mm={made.cell} />
              {(it.choice.cell ?? made.cell) < made.cell * 0.99 ? '; the block is made finer' : ''}.
            </span>
            <span className={style.told}>{told}</span>
          </>
        )}
      </div>
    </section>
  );
}

type Turned = { turn: number; above: number };

function Picture({ it, look, setLook, shows }: { it: ReliefTools; look: Turned; setLook: (l: Turned) => void; shows: Shown }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const size = useSize(canvas);
  const made = it.shown && !it.shown.failed ? it.shown : null;
  const drawing = useRef(0);
  const [drawn, setDrawn] = useState(false);
  useEffect(() => {
    if (!size || !made) return;
    const mine = ++drawing.current;
    const [width, height] = size;
    const inks = inksOf(canvas.current!);
    void reliefWorker()
      .picture({ width, height, ...look, shows, ink: [...usualLook.ink], second: inks.shorter as [number, number, number] })
      .then((data) => {
        const on = canvas.current;
        // Only the last look counts.
        if (!on || !data || mine !== drawing.current) return;
        on.width = width;
        on.height = height;
        on.getContext('2d')!.putImageData(new ImageData(new Uint8ClampedArray(data), width, height), 0, 0);
        setDrawn(true);
      });
  }, [size, made, look, shows]);
  const from = useRef<{ x: number; y: number; look: Turned } | null>(null);
  const move = (e: PointerEvent) => {
    if (!from.current) return;
    const { x, y, look: begun } = from.current;
    setLook({ turn: begun.turn - (e.clientX - x) * 0.4, above: Math.min(90, Math.max(-10, begun.above + (e.clientY - y) * 0.4)) });
  };
  return (
    <canvas
      ref={canvas}
      className={style.canvas}
      role="img"
      aria-label="The block with its relief; the arrow keys turn it"
      tabIndex={0}
      data-test="relief-picture"
      data-drawn={drawn ? 'yes' : 'no'}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        from.current = { x: e.clientX, y: e.clientY, look };
      }}
      onPointerMove={move}
      onPointerUp={() => (from.current = null)}
      onKeyDown={(e) => {
        const by = { ArrowLeft: [-10, 0], ArrowRight: [10, 0], ArrowUp: [0, 10], ArrowDown: [0, -10] }[e.key];
        if (!by) return;
        e.preventDefault();
        setLook({ turn: look.turn + by[0], above: Math.min(90, Math.max(-10, look.above + by[1])) });
      }}
    />
  );
}
