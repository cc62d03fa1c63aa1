'use client';
import { Segmented } from 'antd';
import { useMemo, useState } from 'react';
import { clashesOf, momentsOf, polyline, usualSpace } from 'tall-kite/bender/order';
import type { Run } from 'tall-kite/tubes/run';
import type { TubeView } from 'tall-kite/bender/view';
import { Glide } from '@/shell/controls.tsx';
import { Stick } from './Stick.tsx';
import { TubePicture, type Line } from './TubePicture.tsx';
import { lookAlong, usualLook, type Look } from './projection.ts';
import style from './tubes.module.css';

const bends = (run: Run) => run.pieces.filter((p) => p.kind === 'bend');

/** The tube as designed and as the table makes it, or as it is bent step by step; under it the tube before it is bent. */
export function TubeStage({ tube, bend, choose }: { tube: TubeView; bend: number | null; choose: (bend: number | null) => void }) {
  const [mode, setMode] = useState<'both' | 'bending'>('both');
  const [look, setLook] = useState<Look>(usualLook);
  const [at, setAt] = useState(0);
  const moments = useMemo(() => momentsOf(tube.run), [tube.run]);
  const clashes = useMemo(() => clashesOf(tube.run, usualSpace(tube.run.section.width)), [tube.run]);
  const room = useMemo<Line[]>(() => moments.map((m) => ({ points: [[-m.stock, 0, 0], ...m.points], ink: 'stock', width: tube.run.section.width })), [moments, tube.run]); // prettier-ignore
  const pick = (k: number | null) => {
    choose(k);
    const of = k === null ? null : bends(tube.run)[k];
    if (of && mode === 'both') setLook(lookAlong(of.axis));
    if (k !== null)
      setAt(
        Math.max(
          0,
          moments.findIndex((m) => m.bend === k + 1),
        ),
      );
  };
  const moment = moments[Math.min(at, moments.length - 1)];
  const hit = moment && clashes.find((c) => c.bend === moment.bend);
  const lines: Line[] =
    mode === 'both' || !moment
      ? [
          { points: polyline(tube.run), ink: 'designed', width: tube.run.section.width },
          { points: polyline(tube.received), ink: 'received', width: tube.run.section.width * 0.16 },
        ]
      : [
          { points: [[-moment.stock, 0, 0], [0, 0, 0]], ink: 'stock', width: tube.run.section.width },
          { points: moment.points, ink: hit ? 'received' : 'designed', width: tube.run.section.width },
        ]; // prettier-ignore
  const says = moment
    ? `bend ${moment.bend}, ${moment.turning ? 'turned into its plane' : `${Math.round(moment.done * tube.table.rows[moment.bend - 1].angle)}° bent`}`
    : '';
  const marks = mode === 'both' ? bends(tube.run).map((b, k) => ({ at: b.from, words: String(k + 1), chosen: k === bend })) : [];
  const ends = mode === 'both' ? [{ at: tube.run.pieces[0].from, words: 'A', chosen: false }, { at: tube.run.pieces[tube.run.pieces.length - 1].to, words: 'B', chosen: false }] : []; // prettier-ignore
  return (
    <section className={style.stage} aria-label={`${tube.mark}, ${tube.name}`} data-test="tube-stage">
      <div className={style.bar}>
        <Segmented
          size="small"
          aria-label="What is shown"
          value={mode}
          onChange={setMode}
          options={[
            { value: 'both', label: 'Designed and received' },
            { value: 'bending', label: 'As it is bent', disabled: moments.length === 0 },
          ]}
        />
        {mode === 'bending' && moment ? (
          <>
            <Glide label="Step of bending" words={says} min={0} max={moments.length - 1} value={Math.min(at, moments.length - 1)} onChange={setAt} />
            <span className="context nowrap" role="status" data-test="moment">
              {says}
              {hit ? `: hits ${hit.with === 'itself' ? 'itself' : `the ${hit.with}`}` : ''}
            </span>
          </>
        ) : (
          <span className="context">
            <b className="c-designed">designed</b>, <b className="c-received">bent from the table alone</b>,{' '}
            <span className="figure nowrap">{tube.distance < 1e-3 ? '0.001' : tube.distance.toFixed(3)} mm</span> apart at most
          </span>
        )}
      </div>
      <TubePicture lines={lines} labels={[...marks, ...ends]} room={mode === 'both' ? undefined : room} look={look} setLook={setLook} />
      <Stick tube={tube} bend={bend} choose={pick} />
    </section>
  );
}
