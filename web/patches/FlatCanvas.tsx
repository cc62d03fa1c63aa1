'use client';
import { useEffect, useRef } from 'react';
import type { Drawing } from 'tall-kite/curves/drawing';
import { flattened } from 'tall-kite/curves/flatten';
import { boxOfFlat, type Patch } from 'tall-kite/patches/patch';
import { inksOf, stretchColour } from './inks.ts';
import type { ShownPatch } from './shown.ts';
import { useSize } from './useSize.ts';
import style from './patches.module.css';

/** Room round the picture, pixels. */
const rim = 26;

interface Props {
  drawing: Drawing & { patch: Patch };
  shown: ShownPatch;
  /** The seam that is looked at. */
  seam: number | null;
}

/** The flat in its stretch, with the lines of its drawing over it; a chosen seam stands out on both its sides. */
export function FlatCanvas({ drawing, shown, seam }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const size = useSize(canvas);
  const { patch } = drawing;
  useEffect(() => {
    const pen = canvas.current?.getContext('2d');
    if (!pen || !size) return;
    const ratio = window.devicePixelRatio || 1;
    pen.canvas.width = size[0] * ratio;
    pen.canvas.height = size[1] * ratio;
    pen.scale(ratio, ratio);
    const inks = inksOf(pen.canvas);
    const [l, b, r, t] = boxOfFlat(shown.flat);
    const more = Math.max(patch.choice.allowance.seam, patch.choice.allowance.border) * 1.2;
    const k = Math.min((size[0] - 2 * rim) / (r - l + 2 * more), (size[1] - 2 * rim) / (t - b + 2 * more));
    const put = (x: number, y: number): [number, number] => [size[0] / 2 + (x - (l + r) / 2) * k, size[1] / 2 - (y - (b + t) / 2) * k];
    const { flat, triangles, logs, most } = shown;
    for (let i = 0; i < logs.length; i++) {
      pen.fillStyle = pen.strokeStyle = stretchColour(inks, logs[i], most);
      pen.beginPath();
      for (let c = 0; c < 3; c++) {
        const v = triangles[i * 3 + c] * 2;
        if (c === 0) pen.moveTo(...put(flat[v], flat[v + 1]));
        else pen.lineTo(...put(flat[v], flat[v + 1]));
      }
      pen.closePath();
      pen.fill();
      pen.lineWidth = 0.6;
      pen.stroke();
    }
    const line = (points: readonly (readonly number[])[], width: number, colour: string, closed: boolean) => {
      pen.strokeStyle = colour;
      pen.lineWidth = width;
      pen.beginPath();
      points.forEach(([x, y], i) => (i === 0 ? pen.moveTo(...put(x, y)) : pen.lineTo(...put(x, y))));
      if (closed) pen.closePath();
      pen.stroke();
    };
    for (const layer of drawing.layers)
      for (const c of layer.contours) line(flattened(c.segments, 0.25 / k), c.meaning === 'cut' || c.meaning === 'hole' ? 1.6 : 0.9, inks.ink, c.closed);
    if (seam !== null)
      for (const side of patch.seams[seam]?.sides ?? []) {
        const piece = patch.pieces[side.piece];
        const run = piece.loops[side.loop][side.run];
        const points = run.vertices.map((v) => [piece.flat[2 * v], piece.flat[2 * v + 1]]);
        line(points, 6, `rgb(${inks.sheet.join(',')})`, false);
        line(points, 3.4, `rgb(${inks.longer.join(',')})`, false);
      }
  }, [drawing, patch, shown, seam, size]);
  return <canvas ref={canvas} className={style.canvas} role="img" aria-label={`${patch.pieces.length} flat ${patch.pieces.length === 1 ? 'piece' : 'pieces'} with their stretch`} data-test="flat" />;
}
