'use client';
import { Button } from 'antd';
import { cross } from 'tall-kite/geometry/vector';
import type { FlattenChoice } from 'tall-kite/sheet/pattern';
import type { View } from 'tall-kite/view/view';
import { faceOf } from '@/flat-table/draw.ts';
import type { Picking } from '@/light-table/Table.tsx';
import desk from '@/shell/desk.module.css';

type Rip = FlattenChoice['rips'][number];

/** A seam in words; faces are counted from 1. */
const words = (rip: Rip): string =>
  'between' in rip ? `between faces ${rip.between[0] + 1} and ${rip.between[1] + 1}` : `down face ${rip.face + 1}${'middle' in rip ? ', in its middle' : ''}`;

/** Outward direction of a triangle of the view. */
function lookOf(shape: View, triangle: number): [number, number, number] {
  const corner = (k: number) => {
    const v = shape.triangles[triangle * 3 + k] * 3;
    return [shape.positions[v], shape.positions[v + 1], shape.positions[v + 2]];
  };
  const [a, b, c] = [corner(0), corner(1), corner(2)];
  const u = [0, 1, 2].map((i) => b[i] - a[i]);
  const v = [0, 1, 2].map((i) => c[i] - a[i]);
  return cross(u, v);
}

/** Whether all triangles of a face look the same way. */
function flat(shape: View, face: number): boolean {
  const end = shape.starts[face + 1] ?? shape.triangles.length / 3;
  let first: number[] | null = null;
  for (let t = shape.starts[face]; t < end; t++) {
    const n = lookOf(shape, t);
    const long = Math.hypot(...n);
    if (!(long > 0)) continue;
    first ??= n.map((v) => v / long);
    if ((n[0] * first[0] + n[1] * first[1] + n[2] * first[2]) / long < 0.9999) return false;
  }
  return true;
}

/** Seams that the design does not have: where two picked walls meet, or down a wall that is picked twice. */
export function RipRows({
  rips,
  set,
  shape,
  setPicking,
}: {
  rips: readonly Rip[];
  set: (add: (old: Rip[]) => Rip[]) => void;
  shape: View | null;
  setPicking: (p: Picking) => void;
}) {
  const pick = () => {
    if (!shape) return;
    setPicking({
      prompt: 'Pick the first wall. For a seam down one wall pick it twice: a round one where the seam is to be, a flat one anywhere.',
      take: (p) => {
        const first = faceOf(shape, p.triangle);
        if (first < 0) return setPicking(null);
        setPicking({
          prompt: `Face ${first + 1} it is. Pick the wall that is to come loose from it (or the same wall again).`,
          take: (q) => {
            setPicking(null);
            const second = faceOf(shape, q.triangle);
            if (second < 0) return;
            set((old) => [
              ...old,
              first !== second
                ? { between: [first, second] }
                : flat(shape, first)
                  ? { face: first, middle: true }
                  : { face: first, towards: lookOf(shape, q.triangle) },
            ]);
          },
        });
      },
    });
  };
  return (
    <div className={desk.row} data-test="rips">
      <span>Rip it open</span>
      <span>
        {rips.map((rip, i) => (
          <span key={i} className="figure">
            {words(rip)}{' '}
            <Button aria-label={`Leave out the rip ${words(rip)}`} onClick={() => set((old) => old.filter((_, k) => k !== i))} size="small">
              Leave out
            </Button>{' '}
          </span>
        ))}
        <Button disabled={!shape} onClick={pick} size="small">
          {rips.length === 0 ? 'Pick two walls' : 'One more'}
        </Button>
      </span>
    </div>
  );
}
