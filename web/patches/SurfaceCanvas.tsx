'use client';
import { useEffect, useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import { usualLook, type Look } from '@/tubes/projection.ts';
import { drawSurface, type Shown } from './draw-surface.ts';
import { placeAt, seenFrom, triangleAt } from './seen.ts';
import { useSize } from './useSize.ts';
import style from './patches.module.css';

interface Props extends Pick<Shown, 'triangles' | 'colour' | 'rims'>, Partial<Pick<Shown, 'ways' | 'edges' | 'dabs'>> {
  positions: ArrayLike<number>;
  /** What is turned away is not seen. */
  closed?: boolean;
  /** Called with the triangle that was clicked, and the place on it. */
  pick?: (triangle: number, place: [number, number, number]) => void;
  /** Called with places of the surface over which the pointer is drawn; beside the surface it still turns. */
  paint?: (place: [number, number, number]) => void;
  label: string;
}

const noWays: Shown['ways'] = [];
const noEdges: Shown['edges'] = [];
const noDabs: Shown['dabs'] = [];

/** A brush is put down at most so far from where it was, pixels. */
const stride = 6;
/** Moves of less than this are clicks, pixels. */
const still = 4;

/** A surface seen from a side that is turned with the pointer or the arrow keys. */
export function SurfaceCanvas({
  positions,
  triangles,
  closed = false,
  colour,
  rims,
  pick,
  ways = noWays,
  edges = noEdges,
  paint,
  dabs = noDabs,
  label,
}: Props) {
  const [look, setLook] = useState<Look>(usualLook);
  const canvas = useRef<HTMLCanvasElement>(null);
  const size = useSize(canvas);
  const from = useRef<{ x: number; y: number; look: Look; moved: boolean; paints: boolean } | null>(null);
  const seen = useMemo(() => (size ? seenFrom({ positions, triangles, closed }, look, size) : null), [positions, triangles, closed, look, size]);
  useEffect(() => {
    const pen = canvas.current?.getContext('2d');
    if (!pen || !seen || !size) return;
    const ratio = window.devicePixelRatio || 1;
    pen.canvas.width = size[0] * ratio;
    pen.canvas.height = size[1] * ratio;
    pen.scale(ratio, ratio);
    drawSurface(pen, seen, { triangles, colour, rims, ways, edges, dabs });
    // Which look the picture now shows, for who can't see it.
    pen.canvas.dataset.drawn = `${look.turn.toFixed(2)} ${look.lean.toFixed(2)}`;
  }, [seen, look, size, triangles, colour, rims, ways, edges, dabs]); // prettier-ignore
  const turn = (dx: number, dy: number, at: Look) => setLook({ turn: at.turn - dx, lean: Math.max(-Math.PI / 2, Math.min(Math.PI / 2, at.lean + dy)) });
  /** The triangle at the pointer, and the place on it; null beside the surface. */
  const under = (host: HTMLCanvasElement, x: number, y: number): { triangle: number; place: [number, number, number] } | null => {
    if (!seen) return null;
    const box = host.getBoundingClientRect();
    const pixel: [number, number] = [x - box.left, y - box.top];
    const triangle = triangleAt(seen, triangles, ...pixel);
    return triangle < 0 ? null : { triangle, place: placeAt(seen, positions, [0, 1, 2].map((i) => triangles[triangle * 3 + i]), pixel) }; // prettier-ignore
  };
  const down = (e: PointerEvent<HTMLCanvasElement>) => {
    e.currentTarget.setPointerCapture(e.pointerId);
    const found = paint ? under(e.currentTarget, e.clientX, e.clientY) : null;
    from.current = { x: e.clientX, y: e.clientY, look, moved: false, paints: found !== null };
    if (found) paint!(found.place);
  };
  const move = (e: PointerEvent<HTMLCanvasElement>) => {
    const begun = from.current;
    if (!begun) return;
    if (begun.paints) {
      // A quick hand leaves no gaps: all the way from where it was last.
      const far = Math.hypot(e.clientX - begun.x, e.clientY - begun.y);
      for (let d = stride; d < far + stride; d += stride) {
        const share = Math.min(1, d / far);
        const found = under(e.currentTarget, begun.x + share * (e.clientX - begun.x), begun.y + share * (e.clientY - begun.y));
        if (found) paint?.(found.place);
      }
      [begun.x, begun.y] = [e.clientX, e.clientY];
      return;
    }
    begun.moved ||= Math.hypot(e.clientX - begun.x, e.clientY - begun.y) > still;
    if (begun.moved) turn((e.clientX - begun.x) / 160, (e.clientY - begun.y) / 160, begun.look);
  };
  const up = (e: PointerEvent<HTMLCanvasElement>) => {
    const begun = from.current;
    from.current = null;
    if (!begun || begun.moved || begun.paints || !pick) return;
    const found = under(e.currentTarget, e.clientX, e.clientY);
    if (found) pick(found.triangle, found.place);
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
