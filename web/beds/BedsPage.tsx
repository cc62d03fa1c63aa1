'use client';
import { receiversFor, type Receiver } from 'tall-kite/receivers/receivers';
import { useReceivers } from '@/stores/useReceivers.ts';
import { JobPage } from '@/shell/JobPage.tsx';
import { useJob, type JobTools } from '@/shell/useJob.ts';
import { BedBar, HowItLies, PartList, Room, WriteBed } from './BedPanels.tsx';
import { BedSheet } from './BedSheet.tsx';
import { useBeds } from './useBeds.ts';
import desk from '@/shell/desk.module.css';
import frame from '@/shell/frame.module.css';

/** Parts laid out on the beds of a printer: found, moved by hand, written bed by bed. */
export function BedsPage({ jobId }: { jobId: string }) {
  const tools = useJob(jobId);
  const machines = receiversFor('mesh', useReceivers());
  return (
    <JobPage
      jobId={jobId}
      tools={tools}
      title="Beds"
      about={<span className="context">Each part stands as its Stance step says; its quantity is how many are laid out.</span>}
    >
      {machines.length > 0 && <Beds jobId={jobId} tools={tools} machines={machines} />}
    </JobPage>
  );
}

function Beds({ jobId, tools, machines }: { jobId: string; tools: JobTools; machines: Receiver[] }) {
  const beds = useBeds(jobId, tools, machines);
  if (beds.all.length === 0)
    return (
      <div className={frame.empty}>
        <h2>No parts to lay out</h2>
        <p>Bring designs in on the ledger first.</p>
      </div>
    );
  const { ready, size, items, laid, shownBed, bad, chosen, setChosen, move } = beds;
  return (
    <div className={desk.table}>
      <div className={`${desk.stage} ${desk.bedstage}`}>
        <BedBar beds={beds} />
        {!ready && <p className={`context ${frame.waiting}`}>Looking at the parts from above …</p>}
        {ready && <BedSheet size={size} items={items} laid={laid} bed={shownBed} bad={bad} chosen={chosen} choose={setChosen} move={move} />}
      </div>
      <aside className={desk.panel} data-test="panel" aria-label="Layout" tabIndex={0}>
        <h2>Layout</h2>
        <Room beds={beds} machines={machines} />
        <HowItLies beds={beds} />
        <PartList beds={beds} tools={tools} />
        <WriteBed beds={beds} tools={tools} />
      </aside>
    </div>
  );
}
