import { useQuery } from '@tanstack/react-query';
import Link from 'next/link';
import { useState } from 'react';
import type { Evidence } from 'tall-kite/prove/evidence';
import type { ReleaseRowView } from '@tall-kite/server/releases/report';
import { MarkShape } from '@/marks/Mark.tsx';
import { ask } from '@/shell/ask.ts';
import { ClaimsTable } from '@/shell/ClaimsTable.tsx';
import { ClaimStrip } from '@/shell/ClaimStrip.tsx';
import { Dialog } from '@/shell/Dialog.tsx';
import { markOf, sentenceOf } from './rows.ts';
import frame from '@/shell/frame.module.css';
import style from './releases.module.css';

/** The chosen file: what was found, its evidence, and the ways to it. */
export function RowFoot({ jobId, row }: { jobId: string; row: ReleaseRowView }) {
  const { data } = useQuery({
    queryKey: ['released', row.id, row.sha256],
    enabled: row.sha256 !== null,
    staleTime: Infinity,
    queryFn: () => ask<Evidence>(`/api/release-files/${row.id}?what=evidence`),
  });
  const [all, setAll] = useState(false);
  return (
    <section className={`${frame.foot} ${style.tall}`} data-test="foot" aria-label="The chosen file">
      <div className={frame.inline}>
        <MarkShape mark={markOf(row)} />
        <b>
          {row.name || row.part}: {sentenceOf(row)}
        </b>
        <span className="context">
          {row.held ? 'Held back: not in the zip, the folder or an inbox. ' : ''}
          {row.remedy}
        </span>
      </div>
      {data && <ClaimStrip claims={data.claims} showAll={() => setAll(true)} />}
      {data && all && (
        <Dialog title={`What was proved of ${row.name.split('/').pop()}`} width={720} close={() => setAll(false)}>
          <ClaimsTable claims={data.claims} both />
        </Dialog>
      )}
      <div className={frame.remedy}>
        {row.sha256 && (
          <a className={frame.plain} href={`/api/release-files/${row.id}`} download data-test="download">
            {row.held ? `Take ${row.name.split('/').pop()} even so` : `Download ${row.name.split('/').pop()}`}
          </a>
        )}
        {row.partId && (
          <Link className={frame.plain} href={`/jobs/${jobId}/parts/${row.partId}?step=${row.fileId ? `received&file=${row.fileId}` : 'soundness'}`}>
            Lay {row.fileId ? 'it' : 'the part'} on the light table
          </Link>
        )}
        {row.sha256 && (
          <span className="context">
            SHA-256 <span className="figure">{row.sha256.slice(0, 16)}…</span>
          </span>
        )}
        {row.parts.length > 0 && <span className="context oneline">holds {row.parts.join(', ')}</span>}
      </div>
    </section>
  );
}
