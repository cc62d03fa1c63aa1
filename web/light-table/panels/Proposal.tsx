'use client';
import { Button, Table } from 'antd';
import { lengthText } from 'tall-kite/base/figures';
import type { OperationView } from '@tall-kite/server/operations/operations';
import { hidden } from '@/shell/controls.tsx';
import { MarkShape } from '@/marks/Mark.tsx';
import type { JobTools } from '@/shell/useJob.ts';
import { useOnward } from '@/shell/useOnward.ts';
import { Len } from '@/shell/unit.tsx';
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

/** A distance so small that it is nothing but rounding. */
const distanceText = (mm: number) => (mm < 1e-5 ? '0 mm' : `${lengthText(mm)} mm`);

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
  const { mend, lighter, combine, cut, clean, drawn } = operation.report!;
  const rows: [string, string, string][] = [];
  const count = (v: number) => v.toLocaleString('en');
  const mm3 = (v: number) => v.toLocaleString('en', { maximumFractionDigits: 1 });
  if (mend) {
    const { before: b, after: a } = mend;
    rows.push(
      ['Open edges', count(b.openEdges), count(a.openEdges)],
      ['Edges of more than two', count(b.nonManifoldEdges), count(a.nonManifoldEdges)],
      ['Flipped edges', count(b.flippedEdges), count(a.flippedEdges)],
      ['Without area', count(b.degenerateTriangles), count(a.degenerateTriangles)],
      ['Crossing pairs', count(b.selfIntersections), count(a.selfIntersections)],
      ['Shells', count(b.shells), count(a.shells)],
      ['Triangles', count(b.triangles), count(a.triangles)],
      ['Closed', b.closed ? 'yes' : 'no', a.closed ? 'yes' : 'no'],
    );
  }
  if (clean) {
    const { before: b, after: a } = clean;
    rows.push(
      ['Contours', count(b.contours), count(a.contours)],
      ['Open', count(b.open), count(a.open)],
      ['Pieces', count(b.segments), count(a.segments)],
      ['Doubles', count(b.doubles), count(a.doubles)],
      ['Crossings', count(b.crossings), count(a.crossings)],
      ['Tiny pieces', count(b.tiny), count(a.tiny)],
    );
  }
  if (lighter) rows.push(['Triangles', count(lighter.before), count(lighter.after)]);
  if (combine) rows.push(['Volume (mm³)', mm3(combine.volumeBefore), mm3(combine.volumeAfter)], ['Pieces', '', count(combine.pieces)]);
  return (
    <>
      {rows.length > 0 && (
        <Table<[string, string, string]>
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
      {mend && operation.made.length > 0 && (
        <p>
          What was outside moved by <span className="figure">{distanceText(mend.moved)}</span>; new surface lies up to{' '}
          <span className="figure">{distanceText(mend.added)}</span> from the old.
        </p>
      )}
      {lighter && (
        <p>
          Measured both ways, the surfaces are <span className="figure">{distanceText(lighter.measured)}</span> apart at most.
        </p>
      )}
      {clean && operation.made.length > 0 && (
        <p>
          Nothing moved by more than <span className="figure">{distanceText(clean.moved)}</span>.
        </p>
      )}
      {drawn && (
        <p>
          <span className="figure">{count(drawn.contours)}</span> {drawn.contours === 1 ? 'contour' : 'contours'},{' '}
          <span className="figure">
            <Len mm={drawn.length} />
          </span>{' '}
          long
          {drawn.deviation > 0 ? (
            <>
              , within <span className="figure">{distanceText(drawn.deviation)}</span> of the part
            </>
          ) : (
            ', exact'
          )}
          .
        </p>
      )}
      {combine && <p className="context">{combine.exact ? 'Exact surfaces are kept.' : 'The result is a mesh.'}</p>}
      {cut && cut.pegs > 0 && <p className="context">Pegs grow from the lower part; holes in the upper one are wider by the clearance.</p>}
    </>
  );
}
