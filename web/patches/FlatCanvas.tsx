'use client';
import { useEffect, useRef } from 'react';
import type { Drawing } from 'tall-kite/curves/drawing';
import { flattened } from 'tall-kite/curves/flatten';
import { boxOfFlat, type Patch, type SeamSide } from 'tall-kite/patches/patch';
import { inksOf, stretchColour } from './inks.ts';
import { mostOf, type Measure, type ShownPatch } from './shown.ts';
import { useSize } from './useSize.ts';
import style from './patches.module.css';

/** Room round the picture, pixels. */
const rim = 26;

/** A place beside the middle of a side of a seam, so far into its piece. */
function inside(patch: Patch, side: SeamSide, by: number): [number, number] {
  const { flat, loops } = patch.pieces[side.piece];
  const { vertices } = loops[side.loop][side.run];
  const i = Math.min(vertices.length - 2, vertices.length >> 1);
  const [a, b] = [vertices[i], vertices[i + 1]].map((v) => [flat[2 * v], flat[2 * v + 1]]);
  const long = Math.hypot(b[0] - a[0], b[1] - a[1]) || 1;
  // The piece lies to the left of its border.
  return [a[0] - ((b[1] - a[1]) / long) * by, a[1] + ((b[0] - a[0]) / long) * by];
}

interface Props {
  drawing: Drawing & { patch: Patch };
  shown: ShownPatch;
  measure: Measure;
  /** The seam that is looked at. */
  seam: number | null;
}

/** The flat in its stretch, with the lines of its drawing over it; a chosen seam stands out on both its sides. */
export function FlatCanvas({ drawing, shown, measure, seam }: Props) {
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
    const { flat, triangles } = shown;
    const logs = shown.logs[measure];
    const most = mostOf(logs);
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
      for (const c of layer.contours) {
        // Letters of the drawing are too small to be read here; the canvas has its own.
        if (c.meaning === 'engrave') continue;
        line(flattened(c.segments, 0.25 / k), c.meaning === 'cut' || c.meaning === 'hole' ? 1.6 : 0.9, inks.ink, c.closed);
      }
    if (seam !== null)
      for (const side of patch.seams[seam]?.sides ?? []) {
        const piece = patch.pieces[side.piece];
        const run = piece.loops[side.loop][side.run];
        const points = run.vertices.map((v) => [piece.flat[2 * v], piece.flat[2 * v + 1]]);
        line(points, 6, `rgb(${inks.sheet.join(',')})`, false);
        line(points, 3.4, `rgb(${inks.longer.join(',')})`, false);
      }
    const write = (words: string, [x, y]: [number, number], font: string) => {
      pen.font = font;
      pen.textAlign = 'center';
      pen.textBaseline = 'middle';
      pen.lineWidth = 4;
      pen.strokeStyle = `rgb(${inks.sheet.join(',')})`;
      pen.strokeText(words, x, y);
      pen.fillStyle = inks.ink;
      pen.fillText(words, x, y);
    };
    const family = getComputedStyle(pen.canvas).fontFamily;
    if (patch.pieces.length > 1) for (const piece of patch.pieces) write(piece.name, put(...piece.at), `600 16px ${family}`);
    patch.seams.forEach(({ name, sides }, i) => {
      for (const side of sides) write(name, put(...inside(patch, side, 13 / k)), `${i === seam ? 700 : 400} 13px ${family}`);
    });
  }, [drawing, patch, shown, measure, seam, size]);
  return (
    <canvas
      ref={canvas}
      className={style.canvas}
      role="img"
      aria-label={`${patch.pieces.length} flat ${patch.pieces.length === 1 ? 'piece' : 'pieces'} with their stretch`}
      data-test="flat"
    />
  );
}
