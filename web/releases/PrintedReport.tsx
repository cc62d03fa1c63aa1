'use client';
import { useQuery } from '@tanstack/react-query';
import { useEffect } from 'react';
import { bytesText } from 'tall-kite/base/figures';
import type { ReleaseView } from '@tall-kite/server/releases/report';
import { MarkShape } from '@/marks/Mark.tsx';
import { ask, Refused } from '@/shell/ask.ts';
import { Trouble } from '@/shell/Trouble.tsx';
import { deliveryWords, markOf, stateWords } from './rows.ts';
import { HeadRow } from '@/shell/HeadRow.tsx';
import style from './releases.module.css';

/** The report as a page for paper: all rows, nothing to press. */
export function PrintedReport({ releaseId }: { releaseId: string }) {
  const { data, error } = useQuery({ queryKey: ['release', releaseId], queryFn: () => ask<ReleaseView>(`/api/releases/${releaseId}`) });
  useEffect(() => {
    if (data) document.title = `Release ${data.number}, ${data.jobName}`;
  }, [data]);
  if (error) return <Trouble message={error.message} remedy={(error as Refused).remedy} />;
  if (!data) return <p className="context">Fetching the report …</p>;
  const { counts } = data;
  return (
    <main className={style.printed} data-test="printed" id="content">
      <h1>
        {data.jobName}, release {data.number}
        {data.revision && `, revision ${data.revision}`}
      </h1>
      <p>
        {counts.made + counts.same} files, {bytesText(counts.bytes)}: {counts.made} made, {counts.same} same as before; {counts.skipped} skipped,{' '}
        {counts.failed} failed. Begun {data.createdAt.slice(0, 16).replace('T', ' ')} UTC
        {data.endedAt && `, ended ${data.endedAt.slice(0, 16).replace('T', ' ')} UTC`}. {data.program}, recipe{' '}
        <span className="figure">{data.recipeSha256.slice(0, 16)}</span>.
      </p>
      {data.changes && data.changes.some((c) => c.state !== 'same') && (
        <>
          <h2>Since the release before</h2>
          <ul>
            {data.changes
              .filter((c) => c.state !== 'same')
              .map((c, i) => (
                <li key={i}>
                  <b>{c.part}</b>: {c.state}
                  {c.what.length > 0 && `, ${c.what.join('; ')}`}
                </li>
              ))}
          </ul>
        </>
      )}
      <h2>Sources</h2>
      <ul>
        {data.sources.map((s) => (
          <li key={s.file + s.sha256}>
            {s.file}, {bytesText(s.bytes)}, SHA-256 <span className="figure">{s.sha256}</span>
          </li>
        ))}
      </ul>
      <h2>Files</h2>
      <table>
        <HeadRow names={['Part', 'Source', 'Receiver', 'File, SHA-256', 'Size', 'Evidence', 'Verdict', 'Finding', 'Inbox']} />
        <tbody>
          {data.rows.map((r) => {
            const mark = markOf(r);
            return (
              <tr key={r.id}>
                <td>{r.parts.length > 0 ? `${r.part}: ${r.parts.join(', ')}` : r.part}</td>
                <td>{r.source}</td>
                <td>{r.receiver}</td>
                <td>
                  {r.name || '–'}
                  {r.sha256 && <div className="figure">{r.sha256.slice(0, 16)}…</div>}
                </td>
                <td className="figure">{r.bytes === null ? '' : bytesText(r.bytes)}</td>
                <td className="figure">{r.claims > 0 ? `${r.agree} of ${r.claims}` : ''}</td>
                <td>
                  <span className={`mark c-${mark}`}>
                    <MarkShape mark={mark} size={10} /> {mark === 'none' ? '' : mark}
                  </span>{' '}
                  {stateWords[r.state]}
                </td>
                <td>
                  {r.finding} {r.remedy}
                </td>
                <td>{deliveryWords[r.delivery]}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </main>
  );
}
