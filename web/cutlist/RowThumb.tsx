'use client';
import { flattened } from 'tall-kite/curves/flatten';
import type { CutRow } from 'tall-kite/cutlist/row';

/** Contours of a row as one SVG path, y down. @param fine mm */
export function pathOf(row: CutRow, fine: number, layers: (l: CutRow['layers'][number]) => boolean = () => true): string {
  const out: string[] = [];
  for (const l of row.layers.filter(layers))
    for (const c of l.contours) out.push(flattened(c.segments, fine).map(([x, y], i) => `${i === 0 ? 'M' : 'L'}${x.toFixed(2)} ${(-y).toFixed(2)}`).join('') + (c.closed ? 'Z' : '')); // prettier-ignore
  return out.join('');
}

/** A panel as it lies, small. */
export function RowThumb({ row }: { row: CutRow }) {
  if (row.kind === 'other') return null;
  const pad = row.length * 0.03;
  return (
    <svg width={52} height={34} viewBox={`${-pad} ${-row.width - pad} ${row.length + 2 * pad} ${row.width + 2 * pad}`} aria-hidden="true">
      <path d={pathOf(row, row.length / 200, (l) => l.meaning === 'cut')} fill="var(--faint)" fillRule="evenodd" stroke="var(--designed)" vectorEffect="non-scaling-stroke" strokeWidth={1} />
      <path d={pathOf(row, row.length / 200, (l) => l.meaning !== 'cut')} fill="none" stroke="var(--muted)" vectorEffect="non-scaling-stroke" strokeWidth={0.7} />
    </svg>
  ); // prettier-ignore
}
