'use client';
import { Button } from 'antd';
import Link from 'next/link';
import { useState } from 'react';
import { lengthUnits, readings } from 'tall-kite/base/readings';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { MarkShape } from '@/marks/Mark.tsx';
import type { Kept } from '@tall-kite/server/stores/designs';
import { ask } from '@/shell/ask.ts';
import { FileLinks } from '@/shell/FileLinks.tsx';
import type { JobTools } from '@/shell/useJob.ts';
import { WayMenu } from '@/shell/WayMenu.tsx';
import frame from '@/shell/frame.module.css';
import style from './ledger.module.css';
import { footOf } from './foot.ts';
import { PartFields } from './PartFields.tsx';
import { Len } from '@/shell/unit.tsx';

interface Props {
  jobId: string;
  part: PartView;
  /** The part in the row below. */
  next: string | null;
  choose: (id: string) => void;
  tools: JobTools;
}

/** The chosen row's worst finding in one sentence, with the action that mends it. */
export function LedgerFoot({ jobId, part, next, choose, tools }: Props) {
  const { mark, sentence, remedy, oddSize, first, next: todo, made, write, file } = footOf(part);
  const link = (step: string) => `/jobs/${jobId}/parts/${part.id}?step=${step.toLowerCase()}`;
  return (
    <section className={frame.foot} data-test="foot" aria-label="The chosen part">
      <div className={frame.inline}>
        <MarkShape mark={mark} />
        <b>
          {part.name}: {sentence}
        </b>
        <span className="context">{remedy}</span>
      </div>
      {part.change && part.change.state !== 'same' && <Revision part={part} />}
      <div className={frame.remedy}>
        {oddSize && <ReadAs part={part} tools={tools} />}
        <Link className={frame.plain} href={link(first.step)}>
          {first.mends ? `Go to ${first.step}` : 'Lay it on the light table'}
        </Link>
        {todo && (
          <Link className={frame.plain} href={link(todo)}>
            Go to {todo}
          </Link>
        )}
        {write && (
          <Button disabled={!write.can} onClick={() => void tools.write(part)}>
            {write.words}
          </Button>
        )}
        {file && <FileLinks file={file} part={part.id} />}
        <WayMenu part={part} tools={tools} />
        <Button onClick={() => void tools.change(part, `${part.leftOut ? 'take in' : 'leave out'} ${part.name}`, { left_out: !part.leftOut })}>
          {part.leftOut ? 'Take in again' : 'Leave out'}
        </Button>
        <KeepInStores key={part.designId} part={part} tools={tools} />
        {made && (
          <Link className={frame.plain} href={`/jobs/${jobId}/parts/${made.id}`}>
            Go to {made.name}
          </Link>
        )}
      </div>
      <div className={style.footline}>
        <PartFields key={part.id} part={part} tools={tools} next={next} choose={choose} />
        <span className={`context ${style.legend}`} title="The thread runs as far as the part is ready.">
          {(['clear', 'look', 'stop', 'none'] as const).map((m) => (
            <span key={m} className="mark">
              <MarkShape mark={m} size={10} /> {m === 'none' ? 'not reached' : m}
            </span>
          ))}
        </span>
      </div>
    </section>
  );
}

/** Its file into the stores with the recipes of its parts, to be found again in any job. */
function KeepInStores({ part, tools }: { part: PartView; tools: JobTools }) {
  const [said, setSaid] = useState('');
  if (part.madeFrom !== null) return null;
  const keep = () =>
    void tools.guarded(async () => {
      const { double, renewed } = await ask<Kept>(`/api/stores/designs?from=${part.designId}`, { method: 'POST' });
      setSaid(renewed ? 'In the stores, with these recipes now' : double ? 'Is in the stores already' : 'Is in the stores now');
    });
  return (
    <Button onClick={keep} disabled={said !== ''} title="Its file with the recipes of its parts, to be found again in any job" data-test="keep-in-stores">
      {said || 'Keep in stores'}
    </Button>
  );
}

const revisionWords = {
  same: 'The same as in the last revision.',
  changed: 'Changed at this revision:',
  new: 'New at this revision.',
  gone: 'Not in this revision any more; it is left out.',
  old: 'Made from parts that this revision changed or has no more; make it again.',
};

/** What became of the part at the last revision of its source. */
function Revision({ part }: { part: PartView }) {
  const { state, what } = part.change!;
  return (
    <div className={frame.inline}>
      <MarkShape mark={state === 'gone' ? 'stop' : 'look'} size={11} />
      <span>
        {revisionWords[state]} {state === 'changed' && <span className="figure">{what.join('; ')}</span>}
      </span>
    </div>
  );
}

/** For a part of unlikely size: the readings that would be likely, one click each. */
function ReadAs({ part, tools }: { part: PartView; tools: JobTools }) {
  const { box, unit } = part.summary;
  if (unit) return null;
  const numbers = [0, 1, 2].map((k) => box.max[k] - box.min[k]) as [number, number, number];
  const likely = readings(numbers, part.recipe.receiver.bed).filter((r) => r.likely === 2);
  return (
    <>
      {likely.map((r) => (
        <Button
          key={r.unit}
          onClick={() =>
            void tools.change(part, `read ${part.name} as ${r.name}`, { recipe: { ...part.recipe, size: { ...part.recipe.size, reading: r.unit } } })
          }
          type="primary"
        >
          Read as {lengthUnits.find((u) => u.id === r.unit)?.name}: <Len mm={r.size} />
        </Button>
      ))}
    </>
  );
}
