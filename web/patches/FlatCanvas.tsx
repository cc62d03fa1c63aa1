'use client';
import { useEffect, useRef } from 'react';
import type { Drawing } from 'tall-kite/curves/drawing';
import { flattened } from 'tall-kite/curves/flatten';
import { boxOfFlat, drawnLayer, type Patch, type SeamSide } from 'tall-kite/patches/patch';
import { inksOf, stretchColour, type Inks } from './inks.ts';
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

/** Something that paints the flat: pixels from mm, and the page's inks. */
interface Painter {
  pen: CanvasRenderingContext2D;
  put: (x: number, y: number) => [number, number];
  /** Pixels a millimetre. */
  k: number;
  inks: Inks;
}

function painterFor(
  pen: CanvasRenderingContext2D,
  size: readonly [number, number],
  flat: ArrayLike<number>,
  { seam, border }: Patch['choice']['allowance'],
): Painter {
  const ratio = window.devicePixelRatio || 1;
  pen.canvas.width = size[0] * ratio;
  pen.canvas.height = size[1] * ratio;
  pen.scale(ratio, ratio);
  const [l, b, r, t] = boxOfFlat(flat);
  const more = Math.max(seam, border) * 1.2;
  const k = Math.min((size[0] - 2 * rim) / (r - l + 2 * more), (size[1] - 2 * rim) / (t - b + 2 * more));
  return { pen, k, inks: inksOf(pen.canvas), put: (x, y) => [size[0] / 2 + (x - (l + r) / 2) * k, size[1] / 2 - (y - (b + t) / 2) * k] };
}

function paintStretch({ pen, put, inks }: Painter, { flat, triangles }: ShownPatch, logs: Float32Array): void {
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
}

function line(
  { pen, put }: Painter,
  points: readonly (readonly number[])[],
  { width, colour, closed = false }: { width: number; colour: string; closed?: boolean },
): void {
  pen.strokeStyle = colour;
  pen.lineWidth = width;
  pen.beginPath();
  points.forEach(([x, y], i) => (i === 0 ? pen.moveTo(...put(x, y)) : pen.lineTo(...put(x, y))));
  if (closed) pen.closePath();
  pen.stroke();
}

function paintLines(painter: Painter, drawing: Drawing): void {
  for (const { name, contours } of drawing.layers)
    for (const c of contours) {
      // Letters of the drawing are too small to be read here; the canvas has its own.
      if (c.meaning === 'engrave' && name !== drawnLayer) continue;
      const width = c.meaning === 'cut' || c.meaning === 'hole' ? 1.6 : 0.9;
      line(painter, flattened(c.segments, 0.25 / painter.k), { width, colour: painter.inks.ink, closed: c.closed });
    }
}

const css = (rgb: readonly number[]) => `rgb(${rgb.join(',')})`;

/** Both sides of a seam, standing out. */
function paintSeam(painter: Painter, patch: Patch, seam: number): void {
  for (const side of patch.seams[seam]?.sides ?? []) {
    const { flat, loops } = patch.pieces[side.piece];
    const points = loops[side.loop][side.run].vertices.map((v) => [flat[2 * v], flat[2 * v + 1]]);
    line(painter, points, { width: 6, colour: css(painter.inks.sheet) });
    line(painter, points, { width: 3.4, colour: css(painter.inks.longer) });
  }
}

function paintNames({ pen, put, k, inks }: Painter, patch: Patch, seam: number | null): void {
  const family = getComputedStyle(pen.canvas).fontFamily;
  const write = (words: string, [x, y]: [number, number], font: string) => {
    pen.font = `${font} ${family}`;
    pen.textAlign = 'center';
    pen.textBaseline = 'middle';
    pen.lineWidth = 4;
    pen.strokeStyle = css(inks.sheet);
    pen.strokeText(words, x, y);
    pen.fillStyle = inks.ink;
    pen.fillText(words, x, y);
  };
  if (patch.pieces.length > 1) for (const piece of patch.pieces) write(piece.name, put(...piece.at), '600 16px');
  patch.seams.forEach(({ name, sides }, i) => {
    for (const side of sides) write(name, put(...inside(patch, side, 13 / k)), `${i === seam ? 700 : 400} 13px`);
  });
}

/** The flat in its stretch, with the lines of its drawing over it; a chosen seam stands out on both its sides. */
export function FlatCanvas({ drawing, shown, measure, seam }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const size = useSize(canvas);
  const { patch } = drawing;
  useEffect(() => {
    const pen = canvas.current?.getContext('2d');
    if (!pen || !size) return;
    const painter = painterFor(pen, size, shown.flat, patch.choice.allowance);
    paintStretch(painter, shown, shown.logs[measure]);
    paintLines(painter, drawing);
    if (seam !== null) paintSeam(painter, patch, seam);
    paintNames(painter, patch, seam);
  }, [drawing, patch, shown, measure, seam, size]);
  const label = `${patch.pieces.length} flat ${patch.pieces.length === 1 ? 'piece' : 'pieces'} with their stretch`;
  return <canvas ref={canvas} className={style.canvas} role="img" aria-label={label} data-test="flat" />;
}
