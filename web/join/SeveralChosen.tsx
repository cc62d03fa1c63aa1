'use client';
import { Button } from 'antd';
import { Choice } from '@/shell/controls.tsx';
import { useState } from 'react';
import { formatNames, type FileFormat } from 'tall-kite/receivers/receivers';
import { offered, receiverLabel, useReceivers } from '@/stores/useReceivers.ts';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { AtWork, atWork, Failed } from '@/light-table/panels/Proposal.tsx';
import { MarkShape } from '@/marks/Mark.tsx';
import type { JobTools } from '@/shell/useJob.ts';
import { Len } from '@/shell/unit.tsx';
import desk from '@/shell/desk.module.css';

/** What can be done with several parts: join, subtract, common, gaps, one file. */
export function SeveralChosen({ parts, tools, jobName }: { parts: PartView[]; tools: JobTools; jobName: string }) {
  const ids = parts.map((p) => p.id);
  const [first, ...rest] = parts;
  return (
    <>
      <h2>{parts.length} parts</h2>
      <div className={desk.buttons}>
        <Button onClick={() => void tools.operate({ kind: 'join', parts: ids })} type="primary">
          Join into one solid
        </Button>
        <Button title={`${rest.map((p) => p.name).join(', ')} taken from ${first.name}`} onClick={() => void tools.operate({ kind: 'subtract', parts: ids })}>
          Take the others from {first.name}
        </Button>
        <Button onClick={() => void tools.operate({ kind: 'common', parts: ids })}>Keep what is common</Button>
      </div>
      <p className="context">Joining makes one skin: what lies inside goes. Parts that only touch stay pieces, and you are told.</p>
      <Gaps ids={ids} tools={tools} />
      <OneFile parts={parts} tools={tools} jobName={jobName} />
    </>
  );
}

function Gaps({ ids, tools }: { ids: string[]; tools: JobTools }) {
  const found = (tools.job?.operations ?? [])
    .filter((o) => o.kind === 'clearance' && o.parts.length === ids.length && o.parts.every((p) => ids.includes(p)))
    .pop();
  const ask = () => void tools.operate({ kind: 'clearance', parts: ids });
  if (found && atWork(found)) return <AtWork operation={found} tools={tools} />;
  if (found && found.state !== 'ready') return <Failed operation={found} tools={tools} />;
  const report = found && !found.stale ? found.report?.clearance : null;
  return (
    <section aria-label="Gaps" data-test="gaps">
      {report?.pairs.map((p) => {
        const tight = p.how === 'apart' && p.gap < report.clearance - asGood;
        return (
          <p key={`${p.a} ${p.b}`}>
            <MarkShape mark={p.how === 'overlap' ? 'stop' : p.how === 'touch' || tight ? 'look' : 'clear'} size={11} /> {p.a} and {p.b}:{' '}
            {p.how === 'overlap' ? (
              <>
                run into each other, <span className="figure">{p.shared.toFixed(1)} mm³</span> shared
              </>
            ) : p.how === 'touch' ? (
              'touch: no clearance'
            ) : (
              <>
                <span className="figure">
                  <Len mm={p.gap} />
                </span>{' '}
                apart{tight && `, less than the ${report.clearance} mm that the receiver needs`}
              </>
            )}
            .
          </p>
        );
      })}
      <Button onClick={ask} size="small">
        {report ? 'Measure again' : 'Measure the gaps between them'}
      </Button>
    </section>
  );
}

/** A gap that is short by less than this is as wide as was asked for, mm: facets are no nearer. */
const asGood = 0.0005;

type MeshFormat = Exclude<FileFormat, 'step'>;

function OneFile({ parts, tools, jobName }: { parts: PartView[]; tools: JobTools; jobName: string }) {
  const [receiver, setReceiver] = useState(parts[0].recipe.receiver);
  const list = offered('mesh', useReceivers(), receiver);
  const formats = receiver.formats.filter((f): f is MeshFormat => f !== 'step');
  const [format, setFormat] = useState<MeshFormat>('3mf');
  const [placing, setPlacing] = useState<'assembly' | 'set-down'>('assembly');
  const now = formats.includes(format) ? format : formats[0];
  return (
    <section aria-label="One file" className={desk.choices}>
      <h3>Write them to one file</h3>
      <label className={desk.row}>
        For
        <Choice
          value={receiver.id}
          onChange={(value) => setReceiver(list.find((r) => r.id === value)!)}
          options={[...list.map((r) => ({ value: r.id, label: receiverLabel(r) }))]}
        />
      </label>
      <label className={desk.row}>
        As
        <Choice
          value={now}
          onChange={(value) => setFormat(value as MeshFormat)}
          options={[
            ...formats.map((f) => ({
              value: f,
              label: `${formatNames[f]}${f === '3mf' ? ', parts by name' : f === 'obj' ? ', objects by name' : ', one list of triangles'}`,
            })),
          ]}
        />
      </label>
      <label className={desk.row}>
        Standing
        <Choice
          value={placing}
          onChange={(value) => setPlacing(value as typeof placing)}
          options={[
            { value: 'assembly', label: 'as they stand to each other' },
            { value: 'set-down', label: 'each set down, in a row' },
          ]}
        />
      </label>
      <Button
        onClick={() =>
          void tools.operate({ kind: 'together', parts: parts.map((p) => p.id), receiver, format: now, unit: 'mm', placing, name: jobName.slice(0, 100) })
        }
      >
        Write, and read it back
      </Button>
    </section>
  );
}
