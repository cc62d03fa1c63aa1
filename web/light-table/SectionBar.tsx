'use client';
import { Button } from 'antd';
import { useCallback, useEffect, useState, type RefObject } from 'react';
import { Choice, Glide } from '@/shell/controls.tsx';
import { LengthInput } from '@/shell/LengthInput.tsx';
import { useLengths } from '@/shell/unit.tsx';
import type { Scene } from './Scene.ts';
import type { SectionFigures, SectionPlane } from './section-cut.ts';
import style from './section.module.css';

const area = (mm2: number): string => `${mm2.toLocaleString('en', { maximumFractionDigits: mm2 < 10 ? 3 : 1 })} mm²`;

/** Triangles that are cut anew at every move of the slider; heavier meshes are cut when it is let go. */
const mostWhileSliding = 300_000;

/** A plane through the part, moved by a slider or a typed height; what it cuts is hatched and measured, designed over received. @param drawn changes when the prints do @param triangles of the part as it is drawn @param solid a solid is cut in the facets of the screen, which lie inside what is round: its figures are about right */
export function SectionBar({
  scene,
  drawn,
  triangles,
  solid,
  close,
}: {
  scene: RefObject<Scene | null>;
  drawn: unknown;
  triangles: number;
  solid: boolean;
  close: () => void;
}) {
  const light = triangles <= mostWhileSliding;
  // Where the slider is while a heavy mesh waits for it to be let go.
  const [sliding, setSliding] = useState<number | null>(null);
  const { len } = useLengths();
  const [reach, setReach] = useState<[number, number]>([0, 0]);
  const [plane, setPlane] = useState<SectionPlane | null>(null);
  const [figures, setFigures] = useState<SectionFigures>({ designed: null, received: null });
  const axis = plane?.axis ?? 2;
  const across = useCallback(
    (to: SectionPlane['axis']) => {
      const range = scene.current?.reachAlong(to) ?? [0, 0];
      setReach(range);
      const inside = (at: number) => at > range[0] && at < range[1];
      setPlane((old) => (old?.axis === to && inside(old.at) ? old : { axis: to, at: (range[0] + range[1]) / 2, behind: old?.behind ?? false }));
    },
    [scene],
  );
  // The prints may have become others: the plane stays where it is if that is still within them.
  useEffect(() => across(axis), [across, axis, drawn]);
  useEffect(() => {
    const stage = scene.current;
    if (stage && plane) setFigures(stage.setSection(plane));
  }, [plane, drawn, scene]);
  useEffect(() => {
    const stage = scene.current;
    return () => void stage?.setSection(null);
  }, [scene]);
  const { designed, received } = figures;
  if (!plane) return null;
  return (
    <div className={style.bar} role="group" aria-label="Section" data-test="section">
      <b>Section</b>
      <Choice
        label="Across"
        value={axis}
        onChange={(v) => across(Number(v) as SectionPlane['axis'])}
        options={['X', 'Y', 'Z'].map((name, k) => ({ value: k, label: `across ${name}` }))}
      />
      <span className={style.glide}>
        <Glide
          label="Place of the section"
          words={len(sliding ?? plane.at)}
          min={reach[0]}
          max={reach[1]}
          step={(reach[1] - reach[0]) / 500 || 1}
          value={sliding ?? plane.at}
          onChange={(at) => (light ? setPlane({ ...plane, at }) : setSliding(at))}
          done={(at) => {
            setSliding(null);
            setPlane({ ...plane, at });
          }}
        />
      </span>
      <LengthInput
        label="Place of the section"
        width={74}
        value={String(Number((sliding ?? plane.at).toFixed(4)))}
        onChange={(mm) => mm !== '' && mm !== '?' && setPlane({ ...plane, at: Number(mm) })}
      />
      <Button size="small" onClick={() => setPlane({ ...plane, behind: !plane.behind })}>
        Other half
      </Button>
      <span className="figure" role="status">
        <span
          className={style.designed}
          title={solid ? 'Cut in the facets drawn on the screen, not in the exact surfaces: round outlines come out a little small.' : undefined}
        >
          {solid && designed ? 'about ' : ''}
          {designed ? `${area(designed.area)}, ${len(designed.length)} round` : 'nothing cut'}
        </span>
        {received && <span className={style.received}> {`${area(received.area)}, ${len(received.length)} round`}</span>}
      </span>
      <Button size="small" onClick={close}>
        Close
      </Button>
    </div>
  );
}
