'use client';
import { Button, Input, Popconfirm } from 'antd';
import { Choice } from '@/shell/controls.tsx';
import Link from 'next/link';
import { useEffect, useMemo, useRef, useState } from 'react';
import { bytesText } from 'tall-kite/base/figures';
import type { ReleaseRowView, ReleaseView } from '@tall-kite/server/releases/report';
import { MarkShape } from '@/marks/Mark.tsx';
import { ask, Refused } from '@/shell/ask.ts';
import { Header } from '@/shell/Header.tsx';
import { useShortcuts } from '@/shell/Keys.tsx';
import { useRows } from '@/shell/useRows.ts';
import { Trouble } from '@/shell/Trouble.tsx';
import { stateOf } from './ReleaseList.tsx';
import { RowFoot } from './RowFoot.tsx';
import { allRows, deliveryWords, markOf, shownRows, stateWords, timeLeft, type RowFilter } from './rows.ts';
import { useRelease } from './useRelease.ts';
import { HeadRow } from '@/shell/HeadRow.tsx';
import frame from '@/shell/frame.module.css';
import list from '@/shell/list.module.css';
import style from './releases.module.css';

/** One run: how far it is, what came of each file, and the ways to take it away. */
export function ReleasePage({ releaseId }: { releaseId: string }) {
  const query = useRelease(releaseId);
  const release = query.data ?? null;
  const [trouble, setTrouble] = useState<Refused | null>(null);
  const [filter, setFilter] = useState(allRows);
  const [chosenId, setChosen] = useState<string | null>(null);
  const rows = useMemo(() => (release ? shownRows(release.rows, filter) : []), [release, filter]);
  const chosen = rows.find((r) => r.id === chosenId) ?? rows.find((r) => markOf(r) === 'stop') ?? rows[0] ?? null;
  useEffect(() => {
    document.title = release ? `Release ${release.number} · ${release.jobName}` : 'Tall Kite';
  }, [release]);
  const act = async (method: 'POST' | 'DELETE' | 'PATCH', body?: unknown) => {
    try {
      await ask(`/api/releases/${releaseId}`, { method, body });
      setTrouble(null);
    } catch (thrown) {
      setTrouble(thrown as Refused);
    }
    await query.refetch();
  };
  return (
    <div className={frame.page}>
      <Header where={release?.jobName} jobId={release?.jobId} current="releases" />
      <main id="content">
        {query.error && <Trouble message={query.error.message} remedy={(query.error as Refused).remedy} />}
        {query.isPending && <p className={`context ${frame.waiting}`}>Fetching the release …</p>}
        {release && (
          <>
            <Head release={release} act={(method, body) => void act(method, body)} />
            {release.removedAt && <Removed at={release.removedAt} back={() => void act('PATCH', { removed: false })} />}
            {trouble && <Trouble message={trouble.message} remedy={trouble.remedy} close={() => setTrouble(null)} />}
            <Progress release={release} />
            <RowFilters release={release} shown={rows.length} filter={filter} set={setFilter} />
            <Rows rows={rows} chosen={chosen} choose={setChosen} />
            {chosen && <RowFoot key={chosen.id} jobId={release.jobId} row={chosen} />}
          </>
        )}
      </main>
    </div>
  );
}

function Head({ release, act }: { release: ReleaseView; act: (method: 'POST' | 'DELETE' | 'PATCH', body?: unknown) => void }) {
  const { counts } = release;
  const again = counts.failed + counts.cancelled + release.rows.filter((r) => r.delivery === 'failed').length;
  const base = `/api/releases/${release.id}`;
  return (
    <div className={frame.title}>
      <h1>
        Release {release.number}
        {release.revision && `, revision ${release.revision}`}
      </h1>
      <span className="context">
        <time dateTime={release.createdAt}>{release.createdAt.slice(0, 16).replace('T', ' ')} UTC</time>
      </span>
      <span className={frame.right}>
        {release.state === 'running' && <Button onClick={() => act('DELETE')}>Cancel the run</Button>}
        {release.state !== 'running' && again > 0 && (
          <Button onClick={() => act('POST')} type="primary">
            Retry {again}
          </Button>
        )}
        {counts.made + counts.same > 0 && (
          <a className={`${frame.plain} ${frame.strong}`} href={`${base}/zip`} download data-test="zip">
            All files, {bytesText(counts.bytes)} (zip)
          </a>
        )}
        <a className={frame.plain} href={`${base}/report?as=csv`} download>
          Report, CSV
        </a>
        <a className={frame.plain} href={`${base}/report`} download>
          Manifest, JSON
        </a>
        <a className={frame.plain} href={`${base}/report?as=recipe`} download title="For the command line: tall-kite release FOLDER --recipe FILE --out DIR">
          Recipe
        </a>
        <a className={frame.plain} href={`/jobs/${release.jobId}/releases/${release.id}/print`} target="_blank" rel="noreferrer">
          To print
        </a>
        {release.state !== 'running' && !release.removedAt && (
          <Popconfirm
            title={`Remove release ${release.number}?`}
            description="What went to folders and machines stays there. It can be brought back for 30 days."
            okText="Remove it"
            cancelText="Keep it"
            onConfirm={() => act('PATCH', { removed: true })}
          >
            <Button>Remove</Button>
          </Popconfirm>
        )}
        <Link className={frame.plain} href={`/jobs/${release.jobId}/releases`}>
          All releases
        </Link>
      </span>
    </div>
  );
}

/** Says that a release was removed, with the way back. */
function Removed({ at, back }: { at: string; back: () => void }) {
  return (
    <div className={frame.notice} data-test="notice" role="status">
      <MarkShape mark="look" />
      <div className="grow">This release was removed on {at.slice(0, 10)}; its files go for good 30 days after that.</div>
      <Button size="small" onClick={back}>
        Bring back
      </Button>
    </div>
  );
}

function Progress({ release }: { release: ReleaseView }) {
  const { counts } = release;
  const done = counts.made + counts.same + counts.skipped + counts.failed;
  const { mark, word } = stateOf(release);
  const share = (n: number) => `${(100 * n) / Math.max(1, counts.rows)}%`;
  const changes = release.changes ?? [];
  const changed = (state: string) => changes.filter((c) => c.state === state);
  return (
    <section className={style.runline} aria-label="Progress">
      <div className={style.progress} role="progressbar" aria-label="Files done" aria-valuenow={done} aria-valuemin={0} aria-valuemax={counts.rows}>
        <div style={{ width: share(counts.made) }} />
        <div className={style.same} style={{ width: share(counts.same) }} />
        <div className={style.skipped} style={{ width: share(counts.skipped) }} />
        <div className={style.failed} style={{ width: share(counts.failed) }} />
      </div>
      <div className={style.runfigures} data-test="runfigures" aria-live="polite">
        <span className={`mark c-${mark}`}>
          <MarkShape mark={mark} /> <b>{word}</b>
        </span>
        {release.state === 'running' && <span className="figure">{release.secondsLeft === null ? 'just begun' : timeLeft(release.secondsLeft)}</span>}
        <span>
          <b className="figure">{counts.made}</b> made
        </span>
        <span>
          <b className="figure">{counts.same}</b> same as before
        </span>
        <span>
          <b className="figure">{counts.skipped}</b> skipped
        </span>
        <span>
          <b className="figure">{counts.failed}</b> failed
        </span>
        {release.options.deliver && (
          <span>
            inboxes: <b className="figure">{counts.accepted}</b> accepted, <b className="figure">{counts.refused}</b> refused
          </span>
        )}
        {release.folder && (
          <span>
            also in the folder <b className="figure">{release.folder}</b>
          </span>
        )}
        {release.changes && (
          <span
            className={style.right}
            title={changes
              .filter((c) => c.state !== 'same')
              .map((c) => `${c.part}: ${c.state}${c.what.length > 0 ? `, ${c.what.join('; ')}` : ''}`)
              .join('\n')}
          >
            since the release before: {(['same', 'changed', 'new', 'gone'] as const).map((s) => `${changed(s).length} ${s}`).join(', ')}
          </span>
        )}
      </div>
    </section>
  );
}

function RowFilters({ release, shown, filter, set }: { release: ReleaseView; shown: number; filter: RowFilter; set: (f: RowFilter) => void }) {
  const receivers = [...new Set(release.rows.map((r) => r.receiver))];
  const states = [...new Set(release.rows.map((r) => r.state))];
  const choice = (label: string, field: 'mark' | 'state' | 'receiver', options: [string, string][]) => (
    <Choice
      value={filter[field]}
      label={label}
      onChange={(value) => set({ ...filter, [field]: value })}
      options={[{ value: '', label: `${label}: any` }, ...options.map(([value, word]) => ({ value: value, label: word }))]}
    />
  );
  const active = JSON.stringify(filter) !== JSON.stringify(allRows);
  return (
    <div className={frame.filter} role="search" aria-label="Show files">
      <Input
        type="search"
        aria-label="Part, file, source or finding"
        placeholder="part, file, finding …"
        value={filter.text}
        onChange={(e) => set({ ...filter, text: e.target.value })}
        data-test="filter"
        size="small"
      />
      {choice('Mark', 'mark', [
        ['stop', 'stop'],
        ['look', 'look'],
        ['clear', 'clear'],
        ['none', 'not reached'],
      ])}
      {states.length > 1 &&
        choice(
          'State',
          'state',
          states.map((s) => [s, stateWords[s]]),
        )}
      {receivers.length > 1 &&
        choice(
          'Receiver',
          'receiver',
          receivers.map((r) => [r, r]),
        )}
      {active && (
        <Button onClick={() => set(allRows)} size="small">
          Show all
        </Button>
      )}
      <span className="context" aria-live="polite">
        {shown} of {release.rows.length} rows
      </span>
    </div>
  );
}

const rowHeight = 48;
const widths = ['20%', '9%', '26%', '8%', '9%', '19%', '9%'];

function Rows({ rows, chosen, choose }: { rows: ReleaseRowView[]; chosen: ReleaseRowView | null; choose: (id: string) => void }) {
  const scroller = useRef<HTMLDivElement>(null);
  const { items, above, below, show } = useRows(scroller, rows.length, { height: () => rowHeight, drawnWhole: 80 });
  const at = rows.findIndex((r) => r.id === chosen?.id);
  const move = (by: number) => {
    const next = Math.min(rows.length - 1, Math.max(0, at + by));
    if (!rows[next]) return;
    choose(rows[next].id);
    show(next);
  };
  useShortcuts({ ArrowDown: () => move(1), ArrowUp: () => move(-1) });
  return (
    <div className={frame.scroll} ref={scroller} data-test="scroll" tabIndex={0} role="group" aria-label="Files, to be scrolled">
      <table className={`${list.ledger} ${list.released}`} aria-label="Files of this release" aria-rowcount={rows.length + 1}>
        <colgroup>
          {widths.map((w, i) => (
            <col key={i} style={{ width: w }} />
          ))}
        </colgroup>
        <HeadRow names={['Part', 'Receiver', 'File', 'Size', 'Evidence', 'Verdict and finding', 'Inbox']} />
        <tbody>
          {above > 0 && <tr aria-hidden="true" style={{ height: above }} />}
          {items.map(({ index }) => {
            const r = rows[index];
            const mark = markOf(r);
            return (
              <tr key={r.id} aria-selected={r.id === chosen?.id} aria-rowindex={index + 2} onClick={() => choose(r.id)} data-file={r.name} data-state={r.state}>
                <th scope="row">
                  <span className="oneline" title={r.parts.join(', ') || r.source}>
                    <b>{r.part}</b>
                  </span>
                  <span className="context oneline">{r.parts.length > 0 ? `${r.parts.length} parts` : r.source}</span>
                </th>
                <td>
                  <span className="oneline">{r.receiver}</span>
                  <span className="context oneline">{r.line || r.format.toUpperCase()}</span>
                </td>
                <td>
                  <span className="figure oneline" title={r.name}>
                    {r.name || '–'}
                  </span>
                  <span className="context oneline">{stateWords[r.state]}</span>
                </td>
                <td className="figure">{r.bytes === null ? '' : bytesText(r.bytes)}</td>
                <td>
                  <span className="figure">{r.claims > 0 ? `${r.agree} of ${r.claims}` : ''}</span>
                  <span className="context oneline">{r.claims > 0 ? 'agree' : ''}</span>
                </td>
                <td>
                  <span className={`mark c-${mark}`}>
                    <MarkShape mark={mark} /> {mark === 'none' ? stateWords[r.state] : mark}
                  </span>
                  <span className="context oneline" title={r.finding}>
                    {r.finding}
                  </span>
                </td>
                <td>
                  <span className={r.delivery === 'refused' || r.delivery === 'failed' ? 'c-stop' : ''} title={r.deliverySaid ?? ''}>
                    {deliveryWords[r.delivery]}
                  </span>
                </td>
              </tr>
            );
          })}
          {below > 0 && <tr aria-hidden="true" style={{ height: below }} />}
        </tbody>
      </table>
      {rows.length === 0 && <p className={`context ${frame.idle}`}>No file answers to this choice.</p>}
    </div>
  );
}
