'use client';
import { Button, Segmented } from 'antd';
import Link from 'next/link';
import { useCallback, useMemo, useState } from 'react';
import { AtWork, atWork, Failed } from '@/light-table/panels/Proposal.tsx';
import { JobPage } from '@/shell/JobPage.tsx';
import { useJob, type JobTools } from '@/shell/useJob.ts';
import { Choosing, type Chosen } from './Choosing.tsx';
import { FlatCanvas } from './FlatCanvas.tsx';
import { stretchColour, type Inks } from './inks.ts';
import { mostOf, shownPatch, type Measure } from './shown.ts';
import { SpreadPanel } from './SpreadPanel.tsx';
import { SurfaceCanvas } from './SurfaceCanvas.tsx';
import { useSpread, type SpreadTools } from './useSpread.ts';
import desk from '@/shell/desk.module.css';
import frame from '@/shell/frame.module.css';
import style from './patches.module.css';

/** A surface spread flat: which faces, how it is cut, its stretch on the surface and on the flat, its seams. */
export function SpreadPage({ jobId, partId }: { jobId: string; partId: string }) {
  const tools = useJob(jobId);
  const part = tools.job?.parts.find((p) => p.id === partId);
  return (
    <JobPage
      jobId={jobId}
      tools={tools}
      title="Spread"
      about={<span className="context">{part?.name}</span>}
      acts={
        <Link className={frame.plain} href={`/jobs/${jobId}/parts/${partId}`}>
          Light table
        </Link>
      }
    >
      <Body tools={tools} partId={partId} />
    </JobPage>
  );
}

function Body({ tools, partId }: { tools: JobTools; partId: string }) {
  const it = useSpread(tools, partId);
  const [seam, setSeam] = useState<number | null>(null);
  if (!it.part || it.part.summary.kind === 'drawing')
    return (
      <div className={frame.empty}>
        <h2>{it.part ? 'This part is flat already' : 'This part is not there'}</h2>
        <p>A solid or a mesh is spread: a sail, a seat, a cover. Bring one in on the ledger first.</p>
      </div>
    );
  return (
    <>
      <Behind it={it} tools={tools} />
      <div className={`${desk.table} ${style.two}`}>
        <Stage it={it} tools={tools} seam={seam} />
        <SpreadPanel it={it} tools={tools} seam={seam} setSeam={setSeam} />
      </div>
    </>
  );
}

/** Told when what is shown is not what was chosen last, or could not be made. */
function Behind({ it, tools }: { it: SpreadTools; tools: JobTools }) {
  const { operation } = it;
  if (!operation || atWork(operation)) return null;
  const failed = operation.state !== 'ready';
  if (!failed && !operation.stale && !it.changed) return null;
  return (
    <div className={frame.notice} data-test="notice" role="status">
      <div className="grow">
        {failed ? (
          <Failed operation={operation} tools={tools} />
        ) : operation.stale ? (
          'The part changed since it was spread.'
        ) : (
          'What was chosen is not in the picture yet.'
        )}
      </div>
      <Button size="small" type="primary" onClick={() => void it.go()} data-test="spread-again">
        Spread it again
      </Button>
    </div>
  );
}

type Shows = 'stretch' | Chosen;

/** The surface and the flat side by side, or the part with its faces, where faces are chosen and cuts drawn. */
function Stage({ it, tools, seam }: { it: SpreadTools; tools: JobTools; seam: number | null }) {
  const { operation, spread } = it;
  const [shows, setShows] = useState<Shows>('stretch');
  if (operation && atWork(operation)) return <div className={frame.empty}><AtWork operation={operation} tools={tools} /></div>; // prettier-ignore
  if (it.fetching) return <p className={`context ${frame.waiting}`}>Fetching the flat …</p>; // prettier-ignore
  const now = spread || shows !== 'stretch' ? shows : 'faces';
  const options = [
    ...(spread ? [{ value: 'stretch' as const, label: 'Stretch' }] : []),
    { value: 'faces' as const, label: 'Faces' },
    { value: 'area' as const, label: 'A part of them' },
    { value: 'cuts' as const, label: 'Cuts by hand' },
    { value: 'lines' as const, label: 'Lines to draw' },
    { value: 'kept' as const, label: 'Kept edges' },
  ];
  return (
    <section className={style.stage} data-test="spread-stage">
      <div className={style.bar}>
        <Segmented size="small" aria-label="What is shown" value={now} onChange={setShows} options={options} />
        <span className="context">{it.failed ? 'The part could not be fetched. Reload the page.' : hints[now]}</span>
      </div>
      {spread && now === 'stretch' ? <Both spread={spread} seam={seam} /> : <Choosing it={it} what={now === 'stretch' ? 'faces' : now} />}
    </section>
  );
}

const hints: Record<Shows, string> = {
  stretch: 'Drag the surface to turn it.',
  faces: 'Click faces to choose them; drag to turn the part.',
  area: 'Draw round what is wanted, click the edges round it, or paint it; what lies outside is left out.',
  cuts: 'Click the places that a cut goes through, then end it there or let it run to the border.',
  lines: 'Click the places that a line goes through: it is drawn on the flat.',
  kept: 'Click near the border: that edge of it keeps its length, from corner to corner.',
};

const measures: { value: Measure; label: string }[] = [
  { value: 'area', label: 'Area' },
  { value: 'largest', label: 'Most lengthened' },
  { value: 'least', label: 'Most shortened' },
];

function Both({ spread, seam }: { spread: NonNullable<SpreadTools['spread']>; seam: number | null }) {
  const [measure, setMeasure] = useState<Measure>('area');
  const shown = useMemo(() => shownPatch(spread.patch), [spread]);
  const logs = shown.logs[measure];
  const most = useMemo(() => mostOf(logs), [logs]);
  const colour = useCallback((inks: Inks, t: number, light: number) => stretchColour(inks, logs[t], most, light), [logs, most]);
  return (
    <>
      <div className={style.both}>
        <div className={style.half}>
          <h2>On the surface</h2>
          <SurfaceCanvas positions={shown.positions} triangles={shown.triangles} colour={colour} rims={shown.rims} label="The surface with its stretch" />
        </div>
        <div className={style.half}>
          <h2>On the flat</h2>
          <FlatCanvas drawing={spread} shown={shown} measure={measure} seam={seam} />
        </div>
      </div>
      <div className={style.scale} data-test="stretch-scale">
        <Segmented size="small" aria-label="What is inked" value={measure} onChange={setMeasure} options={measures} />
        <Scale most={most} area={measure === 'area'} />
      </div>
    </>
  );
}

/** What the inks mean, in percent. */
function Scale({ most, area }: { most: number; area: boolean }) {
  const percent = ((Math.exp(most) - 1) * 100).toPrecision(2);
  if (most < 1e-6) return <span>Nothing is stretched: the surface unrolls.</span>;
  return (
    <>
      <span className="c-received">
        {area ? 'smaller' : 'shorter'} on the flat, −{percent} %
      </span>
      <span className={style.ramp} aria-hidden />
      <span className="c-designed">
        {area ? 'larger' : 'longer'}, +{percent} %
      </span>
    </>
  );
}
