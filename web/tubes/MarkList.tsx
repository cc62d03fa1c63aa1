'use client';
import { Button } from 'antd';
import { MarkShape } from '@/marks/Mark.tsx';
import { Len } from '@/shell/unit.tsx';
import type { TubeTools } from './useTubes.ts';
import style from './tubes.module.css';

/** The kinds of tube, and what is no tube, with why. */
export function MarkList({ tubes, at, choose }: { tubes: TubeTools; at: number; choose: (i: number) => void }) {
  const list = tubes.tubes ?? [];
  return (
    <nav className={style.marks} aria-label="Marks">
      {list.map((t, i) => (
        <Button key={t.mark} type="text" block className={style.mark} aria-current={i === at} onClick={() => choose(i)} data-test={`mark-${t.mark}`}>
          <span className={style.named}>
            <b>
              {t.mark} <span className="figure">× {t.quantity}</span>
            </b>
            <MarkShape mark={t.verdict} size={12} />
          </span>
          <span>{t.name}</span>
          <span className="context">
            cut <Len mm={t.set.cut} />
            {t.mirrorOf && `, ${t.mirrorOf} mirrored`}
          </span>
        </Button>
      ))}
      {tubes.findings
        .filter((f) => f.code !== 'left-out')
        .map((f, i) => (
          <p key={i} className={style.told}>
            <MarkShape mark={f.severity} size={12} /> {f.message} <span className="context">{f.remedy}</span>
          </p>
        ))}
      {tubes.leftOut.length > 0 && (
        <div className={style.told} data-test="left-out">
          <b>Left out</b>
          {tubes.leftOut.map((l) => (
            <p key={l.what} className="context">
              {l.what}: {l.why}.
            </p>
          ))}
        </div>
      )}
    </nav>
  );
}
