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
import { PartFields } from './PartFields.tsx';
import { Len } from '@/shell/unit.tsx';

/** Which step mends what the receiver found. */
const mendedAt: Record<string, string> = { overhang: 'Stance', 'off-the-bed': 'Stance', 'too-heavy': 'Facets', tiny: 'File', claim: 'File', stale: 'File' };

const rank = { none: 0, clear: 0, look: 1, stop: 2 };

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
  const worst = part.steps.reduce((a, b) => (rank[b.mark] > rank[a.mark] ? b : a));
  const link = (step: string) => `/jobs/${jobId}/parts/${part.id}?step=${step.toLowerCase()}`;
  const file = part.file?.state === 'written' ? part.file : null;
  const busy = part.file?.state === 'queued' || part.file?.state === 'writing';
  const step = (worst.finding && mendedAt[worst.finding.code]) ?? worst.step;
  const sentence = worst.finding ? worst.finding.message : file ? 'The file agrees with the design.' : 'Ready.';
  const mark = worst.finding ? worst.mark : 'clear';
  const making = part.strands.find((s) => s.made);
  const ownFile = part.strands.some((s) => s.steps.some((x) => x.step === 'File'));
  const todo = part.strands.find((s) => s.form.mark === 'none' && !s.made)?.form.step;
  return (
    <section className={frame.foot} data-test="foot" aria-label="The chosen part">
      <div className={frame.inline}>
        <MarkShape mark={mark} />
        <b>
          {part.name}: {sentence}
        </b>
        <span className="context">{worst.finding?.remedy}</span>
      </div>
      {part.change && part.change.state !== 'same' && <Revision part={part} />}
      <div className={frame.remedy}>
        {worst.step === 'Size' && worst.mark !== 'clear' && <ReadAs part={part} tools={tools} />}
        <Link className={frame.plain} href={link(worst.finding ? step : part.strands[0].form.step)}>
          {worst.finding ? `Go to ${step}` : 'Lay it on the light table'}
        </Link>
        {!worst.finding && todo && todo !== part.strands[0].form.step && (
          <Link className={frame.plain} href={link(todo)}>
            Go to {todo}
          </Link>
        )}
        {ownFile && (
          <Button disabled={busy || worst.mark === 'stop'} onClick={() => void tools.write(part)}>
            {busy ? 'Being written …' : file ? 'Write again' : 'Write the file'}
          </Button>
        )}
        {file && <FileLinks file={file} part={part.id} />}
        <WayMenu part={part} tools={tools} />
        <Button onClick={() => void tools.change(part, `${part.leftOut ? 'take in' : 'leave out'} ${part.name}`, { left_out: !part.leftOut })}>
          {part.leftOut ? 'Take in again' : 'Leave out'}
        </Button>
        <KeepInStores key={part.designId} part={part} tools={tools} />
        {making && (
          <Link className={frame.plain} href={`/jobs/${jobId}/parts/${making.made!.id}`}>
            Go to {making.made!.name}
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
      const { double } = await ask<Kept>(`/api/stores/designs?from=${part.designId}`, { method: 'POST' });
      setSaid(double ? 'Is in the stores already' : 'Is in the stores now');
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
  old: 'Made from a shape that this revision changed; make it again.',
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
