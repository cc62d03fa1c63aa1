'use client';
import { useEffect, useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import { usualLook, type Look } from '@/tubes/projection.ts';
import { inksOf, type Inks } from './inks.ts';
import { placeAt, seenFrom, triangleAt } from './seen.ts';
import { useSize } from './useSize.ts';
import style from './patches.module.css';

interface Props {
  positions: ArrayLike<number>;
  triangles: ArrayLike<number>;
  /** The colour of a triangle under some light. */
  colour: (inks: Inks, triangle: number, light: number) => string;
  /** For each triangle which of its edges are drawn: bits 1, 2 and 4. */
  rims: Uint8Array;
  /** Called with the triangle that was clicked, and the place on it. */
  pick?: (triangle: number, place: [number, number, number]) => void;
  /** Ways that are drawn over it: a dot at each place, a line from one to the next. */
  ways?: readonly (readonly (readonly number[])[])[];
  label: string;
}

const noWays: NonNullable<Props['ways']> = [];

/** Moves of less than this are clicks, pixels. */
const still = 4;

/** A surface seen from a side that is turned with the pointer or the arrow keys. */
export function SurfaceCanvas({ positions, triangles, colour, rims, pick, ways = noWays, label }: Props) {
  const [look, setLook] = useState<Look>(usualLook);
  const canvas = useRef<HTMLCanvasElement>(null);
  const size = useSize(canvas);
  const from = useRef<{ x: number; y: number; look: Look; moved: boolean } | null>(null);
  const seen = useMemo(() => (size ? seenFrom(positions, triangles, look, size) : null), [positions, triangles, look, size]);
  useEffect(() => {
    const pen = canvas.current?.getContext('2d');
    if (!pen || !seen || !size) return;
    const ratio = window.devicePixelRatio || 1;
    pen.canvas.width = size[0] * ratio;
    pen.canvas.height = size[1] * ratio;
    pen.scale(ratio, ratio);
    const inks = inksOf(pen.canvas);
    const { points, order, light } = seen;
    for (const t of order) {
      const [a, b, c] = [triangles[t * 3] * 2, triangles[t * 3 + 1] * 2, triangles[t * 3 + 2] * 2];
      pen.fillStyle = pen.strokeStyle = colour(inks, t, light[t]);
      pen.beginPath();
      pen.moveTo(points[a], points[a + 1]);
      pen.lineTo(points[b], points[b + 1]);
      pen.lineTo(points[c], points[c + 1]);
      pen.closePath();
      pen.fill();
      // Without its own edge a hair of the page would show between two triangles.
      pen.lineWidth = 0.6;
      pen.stroke();
      if (rims[t] === 0) continue;
      pen.strokeStyle = inks.ink;
      pen.lineWidth = 1.8;
      pen.beginPath();
      for (const [bit, from, to] of [[1, a, b], [2, b, c], [4, c, a]]) {
        if (!(rims[t] & bit)) continue;
        pen.moveTo(points[from], points[from + 1]);
        pen.lineTo(points[to], points[to + 1]);
      }
      pen.stroke();
    }
    pen.strokeStyle = pen.fillStyle = `rgb(${inks.shorter.join(',')})`;
    pen.lineWidth = 2.4;
    for (const way of ways) {
      const places = way.map(seen.put);
      pen.beginPath();
      places.forEach(([x, y], i) => (i === 0 ? pen.moveTo(x, y) : pen.lineTo(x, y)));
      pen.stroke();
      for (const [x, y] of places) {
        pen.beginPath();
        pen.arc(x, y, 4.5, 0, 2 * Math.PI);
        pen.fill();
      }
    }
    // Which look the picture now shows, for who can't see it.
    pen.canvas.dataset.drawn = `${look.turn.toFixed(2)} ${look.lean.toFixed(2)}`;
  }, [seen, look, size, triangles, colour, rims, ways]); // prettier-ignore
  const turn = (dx: number, dy: number, at: Look) => setLook({ turn: at.turn - dx, lean: Math.max(-Math.PI / 2, Math.min(Math.PI / 2, at.lean + dy)) });
  const down = (e: PointerEvent<HTMLCanvasElement>) => {
    e.currentTarget.setPointerCapture(e.pointerId);
    from.current = { x: e.clientX, y: e.clientY, look, moved: false };
  };
  const move = (e: PointerEvent<HTMLCanvasElement>) => {
    const begun = from.current;
    if (!begun) return;
    begun.moved ||= Math.hypot(e.clientX - begun.x, e.clientY - begun.y) > still;
    if (begun.moved) turn((e.clientX - begun.x) / 160, (e.clientY - begun.y) / 160, begun.look);
  };
  const up = (e: PointerEvent<HTMLCanvasElement>) => {
    const begun = from.current;
    from.current = null;
    if (!begun || begun.moved || !pick || !seen) return;
    const box = e.currentTarget.getBoundingClientRect();
    const pixel: [number, number] = [e.clientX - box.left, e.clientY - box.top];
    const found = triangleAt(seen, triangles, ...pixel);
    if (found >= 0) pick(found, placeAt(seen, positions, [0, 1, 2].map((i) => triangles[found * 3 + i]), pixel)); // prettier-ignore
  };
  const key = (e: KeyboardEvent<HTMLCanvasElement>) => {
    const steps: Record<string, [number, number]> = { ArrowLeft: [-0.1, 0], ArrowRight: [0.1, 0], ArrowUp: [0, -0.1], ArrowDown: [0, 0.1] };
    if (e.key in steps) turn(...steps[e.key], look);
    else if (e.key === 'Home') setLook(usualLook);
    else return;
    e.preventDefault();
  };
  return (
    <canvas
      ref={canvas}
      className={style.canvas}
      role="img"
      tabIndex={0}
      aria-label={`${label}; arrow keys turn it, Home turns it back`}
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={up}
      onKeyDown={key}
      data-test="surface"
    />
  );
}
