import { Button } from 'antd';
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import type { PartView } from '@tall-kite/server/jobs/jobs';
import { keepChosen } from '@/releases/chosen.ts';
import type { JobTools } from '@/shell/useJob.ts';
import { Properties } from './Properties.tsx';

/** What can be done with the chosen parts. */
export function ChosenBar({ jobId, chosen, none, tools }: { jobId: string; chosen: PartView[]; none: () => void; tools: JobTools }) {
  const router = useRouter();
  const [open, setOpen] = useState<'properties' | 'variant' | null>(null);
  const out = chosen.every((p) => p.leftOut);
  const count = `${chosen.length} ${chosen.length === 1 ? 'part' : 'parts'}`;
  const release = () => {
    keepChosen(
      jobId,
      chosen.map((p) => p.id),
    );
    router.push(`/jobs/${jobId}/releases/new`);
  };
  return (
    <div className="chosenbar" role="group" aria-label="The chosen parts">
      <b className="figure">{count}</b> chosen
      <Button onClick={release} disabled={out} data-test="release" type="primary">
        Release…
      </Button>
      <Button onClick={() => setOpen('properties')}>Number, material, thickness…</Button>
      <Button onClick={() => setOpen('variant')}>Make a variant…</Button>
      <Button onClick={() => void tools.changeAll(chosen, `${out ? 'take in' : 'leave out'} ${count}`, { left_out: !out })}>
        {out ? 'Take in again' : 'Leave out'}
      </Button>
      <Button onClick={none} size="small">
        Choose none
      </Button>
      {open && <Properties kind={open} jobId={jobId} chosen={chosen} close={() => setOpen(null)} tools={tools} />}
    </div>
  );
}
