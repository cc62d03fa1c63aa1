'use client';
import { Button, Table } from 'antd';
import type { ReactNode } from 'react';
import { countText } from 'tall-kite/base/figures';
import type { OperationReport } from 'tall-kite/operations/report';
import type { OperationView } from '@tall-kite/server/operations/operations';
import { hidden } from '@/shell/controls.tsx';
import { MarkShape } from '@/marks/Mark.tsx';
import type { JobTools } from '@/shell/useJob.ts';
import { useOnward } from '@/shell/useOnward.ts';
import { Len } from '@/shell/unit.tsx';
import { comparedRows, distanceText, type Row } from './compared.ts';
import desk from '@/shell/desk.module.css';
import frame from '@/shell/frame.module.css';

/** An operation at work: what it does, how far it is, and a way to give up. */
export function AtWork({ operation, tools }: { operation: OperationView; tools: JobTools }) {
  const share = Math.round(operation.progress * 100);
  return (
    <div role="status">
      <div className={desk.row}>
        <span>{operation.state === 'queued' ? 'Waiting for a worker …' : `${operation.doing || 'Working'} …`}</span>
        <Button onClick={() => void tools.drop(operation.id)} size="small">
          Cancel
        </Button>
      </div>
      <div className={`${frame.bar} ${frame.wide}`} role="progressbar" aria-label="Progress" aria-valuenow={share} aria-valuemin={0} aria-valuemax={100}>
        <div style={{ width: `${share}%` }} />
      </div>
    </div>
  );
}

/** Whether an operation is still being computed. */
export const atWork = (o: OperationView | null | undefined) => o?.state === 'queued' || o?.state === 'working';

/** Why an operation came to nothing. */
export function Failed({ operation, tools }: { operation: OperationView; tools: JobTools }) {
  return (
    <p role="alert">
      <MarkShape mark={operation.state === 'cancelled' ? 'none' : 'stop'} size={12} /> {operation.failure?.message ?? 'Cancelled; nothing was changed.'}{' '}
      <span className="context">{operation.failure?.remedy}</span>{' '}
      <Button onClick={() => void tools.drop(operation.id)} size="small">
        Understood
      </Button>
    </p>
  );
}

/**
 * What an operation proposes: what it did, before and after, and the two ways on. Nothing is changed until it is kept.
 * @param kept what follows with the new parts; else the page goes on to them
 */
export function Proposal({ operation, tools, kept }: { operation: OperationView; tools: JobTools; kept?: (made: string[]) => void }) {
  const onward = useOnward(tools);
  const keep = async (id: string) => (kept ? kept(await tools.keep(id)) : onward(id));
  if (atWork(operation)) return <AtWork operation={operation} tools={tools} />;
  if (operation.state !== 'ready') return <Failed operation={operation} tools={tools} />;
  const report = operation.report!;
  const nothing = operation.made.length === 0;
  return (
    <section className={desk.proposal} aria-label="Proposal" data-test="proposal">
      <h2>{nothing ? 'Nothing to mend' : 'Proposal, nothing changed yet'}</h2>
      {report.said.length > 0 && (
        <ul>
          {report.said.map((s, i) => (
            <li key={i}>{s}</li>
          ))}
        </ul>
      )}
      <Compared operation={operation} />
      {report.mend?.left.map((l, i) => (
        <p key={i}>
          <MarkShape mark="stop" size={11} /> {l}
        </p>
      ))}
      {report.findings?.map((f) => (
        <p key={f.code}>
          <MarkShape mark={f.severity} size={11} /> {f.message} {f.remedy}
        </p>
      ))}
      {report.combine?.note && (
        <p>
          <MarkShape mark="look" size={11} /> {report.combine.note}
        </p>
      )}
      {operation.stale && <p className="c-look">A part changed after this was computed. Ask for it again.</p>}
      <div className={desk.buttons}>
        {!nothing && (
          <Button disabled={operation.stale} onClick={() => void keep(operation.id)} type="primary">
            Keep it
          </Button>
        )}
        <Button onClick={() => void tools.drop(operation.id)}>{nothing ? 'Understood' : 'Drop it'}</Button>
      </div>
    </section>
  );
}

/** Before and after, with what moved. */
function Compared({ operation }: { operation: OperationView }) {
  const { combine, cut, drawn } = operation.report!;
  const rows = comparedRows(operation.report!);
  const moved = movedWords(operation.report!, operation.made.length > 0);
  return (
    <>
      {rows.length > 0 && (
        <Table<Row>
          size="small"
          className={desk.fitted}
          rowKey={([name]) => name}
          dataSource={rows}
          pagination={false}
          columns={[
            { title: hidden('Figure'), rowScope: 'row', render: (_, [name]) => name },
            { title: 'before', align: 'right', render: (_, [, before]) => <span className="figure c-designed">{before}</span> },
            { title: 'after', align: 'right', render: (_, [, , after]) => <span className="figure c-received">{after}</span> },
          ]}
        />
      )}
      {moved && <p>{moved}</p>}
      {drawn && <Drawn {...drawn} />}
      {combine && <p className="context">{combine.exact ? 'Exact surfaces are kept.' : 'The result is a mesh.'}</p>}
      {cut && cut.pegs > 0 && <p className="context">Pegs grow from the lower part; holes in the upper one are wider by the clearance.</p>}
    </>
  );
}

/** How far a distance is, said so that it stands out. */
const Apart = ({ mm }: { mm: number }) => <span className="figure">{distanceText(mm)}</span>;

/** By how much what was mended, cleaned or made lighter is another; null where nothing can be. */
function movedWords({ mend, lighter, clean }: OperationReport, made: boolean): ReactNode {
  if (mend && made)
    return (
      <>
        What was outside moved by <Apart mm={mend.moved} />; new surface lies up to <Apart mm={mend.added} /> from the old.
      </>
    );
  if (lighter)
    return (
      <>
        Measured both ways, the surfaces are <Apart mm={lighter.measured} /> apart at most.
      </>
    );
  if (!clean || !made) return null;
  return (
    <>
      Nothing moved by more than <Apart mm={clean.moved} />.
    </>
  );
}

/** What was drawn, and how exactly. */
function Drawn({ contours, length, deviation }: NonNullable<OperationReport['drawn']>) {
  return (
    <p>
      <span className="figure">{countText(contours)}</span> {contours === 1 ? 'contour' : 'contours'},{' '}
      <span className="figure">
        <Len mm={length} />
      </span>{' '}
      long
      {deviation > 0 ? (
        <>
          , within <Apart mm={deviation} /> of the part
        </>
      ) : (
        ', exact'
      )}
      .
    </p>
  );
}
