'use client';
import { Button, Drawer, Select, Upload } from 'antd';
import { useQuery } from '@tanstack/react-query';
import Link from 'next/link';
import type { Kept, KeptDetails } from '@tall-kite/server/stores/designs';
import { bytesText } from 'tall-kite/base/figures';
import { acceptedEndings } from 'tall-kite/pipeline/opened';
import { MarkShape } from '@/marks/Mark.tsx';
import { ask } from '@/shell/ask.ts';
import { Line } from './Card.tsx';
import widths from '@/shell/widths.module.css';
import style from './designs.module.css';

interface Props {
  id: string;
  close: () => void;
  /** Does something, and shows what went wrong; the page is fetched again after it. */
  guarded: (work: () => Promise<unknown>) => Promise<boolean>;
  show: (id: string) => void;
}

/** All that is known of one design: figures, tags, revisions, where it is used. */
export function Details({ id, close, guarded, show }: Props) {
  const details = useQuery({ queryKey: ['kept', 'one', id], queryFn: () => ask<KeptDetails>(`/api/stores/designs/${id}`) });
  const it = details.data;
  const setTags = (tags: string[]) => void guarded(() => ask('/api/stores/designs', { method: 'PATCH', body: { ids: [id], tags } }));
  const replace = (file: File) =>
    void guarded(async () => {
      const { id: next } = await ask<Kept>(`/api/stores/designs?name=${encodeURIComponent(file.name)}&replaces=${id}`, { method: 'POST', file });
      show(next);
    });
  return (
    <Drawer title={it?.fileName ?? 'A design'} open onClose={close} size={420} destroyOnHidden data-test="kept-details">
      {details.isError && <p className="c-stop">It could not be fetched. {(details.error as Error).message}</p>}
      {it && (
        <>
          {it.picture && <img className={style.picture} src={`/api/stores/designs/${id}/thumb?of=${it.picture.slice(0, 12)}`} alt="" />}
          {it.figures && (
            <>
              <p>
                <Line design={it} />
              </p>
              <dl>
                <dt>format</dt>
                <dd>
                  {it.figures.format}, {bytesText(it.bytes)}
                </dd>
                {it.figures.volume !== null && (
                  <>
                    <dt>volume</dt>
                    <dd>{(it.figures.volume / 1000).toFixed(2)} cm³</dd>
                  </>
                )}
                {it.figures.triangles !== null && (
                  <>
                    <dt>triangles</dt>
                    <dd className="figure">{it.figures.triangles.toLocaleString('en')}</dd>
                  </>
                )}
                <dt>recipes</dt>
                <dd>{it.recipes ? 'with it' : 'none'}</dd>
              </dl>
              {it.figures.odd.first && (
                <p>
                  <MarkShape mark={it.figures.odd.worst} size={12} /> {it.figures.odd.first}
                  {it.figures.odd.count > 1 && <span className="context"> and {it.figures.odd.count - 1} more</span>}
                </p>
              )}
            </>
          )}
          {it.failure && (
            <p>
              <MarkShape mark="stop" size={12} /> {it.failure.message} <span className="context">{it.failure.remedy}</span>
            </p>
          )}
          <h3>Tags</h3>
          <Select
            mode="tags"
            className={widths.full}
            value={it.tags}
            onChange={setTags}
            placeholder="type a word, then Enter"
            aria-label="Tags"
            open={false}
            suffixIcon={null}
          />
          <h3>Used in</h3>
          {it.used.length === 0 && <p className="context">In no job.</p>}
          <ul data-test="kept-used">
            {it.used.map((job, i) => (
              <li key={i}>
                <Link href={`/jobs/${job.id}`}>{job.name}</Link>
                {it.revisions.length > 1 && <span className="context"> revision {job.revision}</span>}
              </li>
            ))}
          </ul>
          <h3>Revisions</h3>
          <ul data-test="kept-revisions">
            {it.revisions.map((r) => (
              <li key={r.id}>
                {r.revision}: <a href={`/api/stores/designs/${r.id}/file`}>{r.fileName}</a>{' '}
                <span className="context">
                  {bytesText(r.bytes)}, {r.keptAt.slice(0, 10)}
                </span>
              </li>
            ))}
          </ul>
          <p>
            <Upload accept={acceptedEndings} showUploadList={false} beforeUpload={(file) => (replace(file), false)}>
              <Button>Put a next revision in its place…</Button>
            </Upload>
          </p>
        </>
      )}
    </Drawer>
  );
}
