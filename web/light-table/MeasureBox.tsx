'use client';
import { Button, Spin } from 'antd';
import { measuredLength } from 'tall-kite/base/lengths';
import { useLengths } from '@/shell/unit.tsx';
import { betweenSaid, pickSaid } from './measured.ts';
import type { Measuring } from './useMeasure.ts';
import desk from '@/shell/desk.module.css';
import style from './measure.module.css';

/** What the picks say, and what lies between them. @param lower something else stands above @param unseen the design can't be seen: it is what is measured all the same */
export function MeasureBox({ measuring, scale, lower, unseen }: { measuring: Measuring; scale: number; lower: boolean; unseen: boolean }) {
  const { unit } = useLengths();
  const figures = { len: (mm: number) => measuredLength(mm, unit), scale };
  const { picks, said, busy, failed } = measuring;
  const between = said?.between ? betweenSaid(said.between, figures) : null;
  return (
    <div className={`${style.box} ${lower ? desk.lower : ''}`} role="status" data-test="prompt">
      <div className={desk.row}>
        <b>Measure</b>
        <span className="grow">
          {picks.length === 0 && (unseen ? 'Pick a face, an edge or a corner: of the design, not of what was received.' : 'Pick a face, an edge or a corner.')}
          {busy && <Spin size="small" />}
        </span>
        <Button size="small" onClick={measuring.stop}>
          Stop
        </Button>
      </div>
      {failed && <p className="c-stop">{failed}</p>}
      {said && (
        <ol className={style.picks}>
          {said.picks.map((p, i) => (
            <li key={i}>{pickSaid(p, figures)}</li>
          ))}
        </ol>
      )}
      {between ? (
        <p>
          <b className="figure">{between.distance}</b> between {between.of}; <span className="context">{between.more}</span>
        </p>
      ) : (
        picks.length === 1 && <p className="context">A second pick measures between both.</p>
      )}
    </div>
  );
}
