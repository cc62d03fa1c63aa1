'use client';
import { useState } from 'react';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import style from './ledger.module.css';

/** The part shaded, seen from a corner; a drawing by its lines. */
export function Thumb({ part }: { part: PartView }) {
  const [without, setWithout] = useState('');
  // One without a picture is drawn by its edges.
  if (part.summary.kind !== 'drawing' && without !== part.view)
    return (
      <img
        className={style.thumb}
        src={`/api/parts/${part.id}/thumb?of=${part.view.slice(0, 12)}`}
        width={46}
        height={46}
        alt=""
        loading="lazy"
        onError={() => setWithout(part.view)}
      />
    );
  if (!part.summary.thumb) return <BoxThumb part={part} />;
  return (
    <svg className={style.thumb} viewBox="0 0 46 46" aria-hidden="true">
      <path d={part.summary.thumb} fill="none" stroke="var(--designed)" strokeWidth="0.9" strokeLinejoin="round" />
    </svg>
  );
}

/** A small drawing of the part's box in proportion, seen from a corner: enough to tell a rod from a plate. */
function BoxThumb({ part }: { part: PartView }) {
  const { min, max } = part.summary.box;
  const [x, y, z] = [0, 1, 2].map((k) => Math.max(1e-9, max[k] - min[k]));
  const put = (a: number, b: number, c: number): [number, number] => [(a * x - b * y) * 0.866, (a * x + b * y) * 0.5 - c * z];
  const corners = [put(0, 0, 0), put(1, 0, 0), put(1, 1, 0), put(0, 1, 0), put(0, 0, 1), put(1, 0, 1), put(1, 1, 1), put(0, 1, 1)];
  const xs = corners.map((p) => p[0]);
  const ys = corners.map((p) => p[1]);
  const [left, top] = [Math.min(...xs), Math.min(...ys)];
  const scale = 36 / Math.max(Math.max(...xs) - left, Math.max(...ys) - top);
  const [w, h] = [(Math.max(...xs) - left) * scale, (Math.max(...ys) - top) * scale];
  const at = corners.map(([a, b]) => `${(23 - w / 2 + (a - left) * scale).toFixed(1)} ${(23 - h / 2 + (b - top) * scale).toFixed(1)}`);
  const path = `M${at[1]}L${at[2]}L${at[3]}L${at[7]}L${at[4]}L${at[5]}Z M${at[5]}L${at[6]}L${at[7]} M${at[6]}L${at[2]}`;
  return (
    <svg className={style.thumb} viewBox="0 0 46 46" aria-hidden="true">
      <path d={path} fill={part.summary.colour ?? 'none'} fillOpacity={0.35} stroke="var(--designed)" strokeWidth="1.1" strokeLinejoin="round" />
    </svg>
  );
}
