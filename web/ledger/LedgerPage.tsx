'use client';
import { Button, Dropdown } from 'antd';
import dynamic from 'next/dynamic';
import Link from 'next/link';
import { useSearchParams } from 'next/navigation';
import { useCallback, useDeferredValue, useEffect, useMemo, useRef, useState, type ReactNode, type RefObject } from 'react';
import { counted, countText } from 'tall-kite/base/figures';
import type { ReadChoices } from 'tall-kite/model/choices';
import { acceptedEndings, openedInWords } from 'tall-kite/pipeline/opened';
import { mostUploadBytes } from './limits.ts';
import { BringIn } from './BringIn.tsx';
import { ChosenBar } from './ChosenBar.tsx';
import { noFilter, shownBy, worstMark, type GroupField } from './filter.ts';
import { asGiven, ordered, rowLink, rowsOf } from './rows.ts';
import { LedgerFilter } from './LedgerFilter.tsx';
import { LedgerFoot } from './LedgerFoot.tsx';
import { LedgerTable } from './LedgerTable.tsx';
import { usePartsList } from './PartsList.tsx';
import { ReadingChoices, usual } from './ReadingChoices.tsx';
import { revisionOf, Revisions, type Held } from './Revisions.tsx';
import { sendFile, type Upload } from './upload.ts';
import { ask } from '@/shell/ask.ts';
import { focusOn } from '@/shell/focus.ts';
import { Header } from '@/shell/Header.tsx';
import { useShortcuts } from '@/shell/Keys.tsx';
import { Trouble } from '@/shell/Trouble.tsx';
import { useJob, type JobTools } from '@/shell/useJob.ts';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { dragType } from '@/stores/designs/useKept.ts';
import frame from '@/shell/frame.module.css';
import style from './ledger.module.css';

const LedgerTour = dynamic(() => import('./LedgerTour.tsx').then((m) => m.LedgerTour), { ssr: false });
const NewText = dynamic(() => import('@/letters/NewText.tsx').then((m) => m.NewText), { ssr: false });
const FromStoresDrawer = dynamic(() => import('@/stores/designs/FromStoresDrawer.tsx').then((m) => m.FromStoresDrawer), { ssr: false });
const JobFiles = dynamic(() => import('./JobFiles.tsx').then((m) => m.JobFiles), { ssr: false });
const FromSizes = dynamic(() => import('./FromSizes.tsx').then((m) => m.FromSizes), { ssr: false });

/** How many parts, and how they stand; of those that are here while others are on their way. */
const countsSaid = (here: number, coming: number, { clear, look, stop }: { clear: number; look: number; stop: number }) =>
  coming > 0
    ? `${countText(here)} of ${counted(here + coming, 'part')}, the others are being fetched …`
    : `${counted(clear + look + stop, 'part')} · ${countText(clear)} clear · ${countText(look)} to look at · ${countText(stop)} stopped`;

/** Where a part may come from but a file. */
const otherSources = [
  { key: 'text', label: 'New text…', title: 'Words as outlines or single lines, on a plate or alone' },
  { key: 'sizes', label: 'From sizes…', title: 'A duct, a cone or a pipe branch, developed from its sizes' },
  { key: 'stores', label: 'From stores…', title: 'Designs that are kept for reuse' },
];

const FilesButton = ({ open }: { open: () => void }) => (
  <Button size="small" onClick={open} title="What was brought in, its space, and the way to remove a file or bring it back">
    Files…
  </Button>
);

/** Rows of a large job that are shown before the others are here: more than a screen has. */
const firstRows = 60;

type Making = 'sizes' | 'text' | 'stores' | 'files';

/** Files on their way in: sent at once, or held until somebody has said what they are. */
function useBringIn(jobId: string, tools: JobTools, choices: ReadChoices, variant: string) {
  const { job } = tools;
  const [uploads, setUploads] = useState<Upload[]>([]);
  const [held, setHeld] = useState<Held[]>([]);
  // The first part of what is brought in gets the focus once it is here.
  const before = useRef<{ parts: ReadonlySet<string>; from: Element | null } | null>(null);
  useEffect(() => {
    const fresh = before.current && job?.parts.find((p) => !before.current!.parts.has(p.id));
    if (!fresh) return;
    focusOn(rowLink(fresh.id), before.current!.from);
    before.current = null;
  }, [job]);
  const send = useCallback(
    (file: File, replaces: string | null) => {
      before.current ??= { parts: new Set(job?.parts.map((p) => p.id)), from: document.activeElement };
      sendFile({ jobId, file, mostBytes: mostUploadBytes, choices, replaces, variant: replaces ? '' : variant.trim() }, (upload) => {
        setUploads((all) => [...all.filter((u) => u.key !== upload.key), upload].sort((a, b) => a.key - b.key));
        if (upload.state === 'done') void tools.refresh();
      });
    },
    [jobId, job, tools, choices, variant],
  );
  const bring = useCallback(
    (files: Iterable<File>) => {
      for (const file of files) {
        // A file that may be the next revision of one that is here waits until somebody has said so.
        const design = job ? revisionOf(file.name, job) : null;
        if (design) setHeld((all) => [...all, { file, design: design.id }]);
        else send(file, null);
      }
    },
    [send, job],
  );
  const forget = (key: number) => setUploads((all) => all.filter((u) => u.key !== key));
  return { uploads, forget, held, setHeld, send, bring };
}

/** What of the job is shown, in which order, and how it is marked. */
function useShown(job: JobTools['job'], chosenId: string | null) {
  const [filter, setFilter] = useState(noFilter);
  const [group, setGroup] = useState<GroupField | null>(null);
  const [order, setOrder] = useState(asGiven);
  const all = useMemo(() => job?.parts ?? [], [job]);
  const wanted = useDeferredValue(filter);
  const rows = useMemo(
    () =>
      rowsOf(
        ordered(
          all.filter((p) => shownBy(wanted, p)),
          order,
        ),
        group,
      ),
    [all, wanted, order, group],
  );
  const parts = useMemo(() => rows.flatMap((r) => ('part' in r ? [r.part] : [])), [rows]);
  const chosen = parts.find((p) => p.id === chosenId) ?? parts[0] ?? null;
  const counts = useMemo(() => {
    const out = { clear: 0, look: 0, stop: 0 };
    for (const part of all) if (!part.leftOut) out[worstMark(part)]++;
    return out;
  }, [all]);
  const next = (chosen && parts[parts.indexOf(chosen) + 1]?.id) ?? null;
  return { filter, setFilter, group, setGroup, order, setOrder, all, rows, parts, chosen, next, counts };
}

/** The parts that are ticked; nothing is while parts are still coming. */
function useMarked(all: readonly PartView[], coming: number) {
  const [marked, setMarked] = useState<ReadonlySet<string>>(new Set());
  const choice = useMemo(() => all.filter((p) => marked.has(p.id)), [all, marked]);
  const mark = useCallback(
    (ids: string[], on: boolean) =>
      coming === 0 &&
      setMarked((now) => {
        const next = new Set(now);
        for (const id of ids) {
          if (on) next.add(id);
          else next.delete(id);
        }
        return next;
      }),
    [coming],
  );
  return { marked, choice, mark, unmark: () => setMarked(new Set()) };
}

/** A job's home: parts as rows, steps as columns; files are dropped anywhere on it. */
export function LedgerPage({ jobId }: { jobId: string }) {
  const tools = useJob(jobId, 'none', firstRows);
  const { coming, job } = tools;
  const [chosenId, setChosen] = useState<string | null>(null);
  const [choices, setChoices] = useState(usual);
  const [variant, setVariant] = useState('');
  const [making, setMaking] = useState<Making | null>(null);
  const picker = useRef<HTMLInputElement>(null);
  const scroller = useRef<HTMLDivElement>(null);
  const partsList = usePartsList(jobId, tools);
  useTitle(job?.name);
  const { uploads, forget, held, setHeld, send, bring } = useBringIn(jobId, tools, choices, variant);
  const bringStored = (id: string) => tools.guarded(() => ask(`/api/jobs/${jobId}/designs?stored=${id}`, { method: 'POST' }));
  const pick = () => picker.current?.click();
  useShortcuts({ b: pick });
  const { filter, setFilter, group, setGroup, order, setOrder, all, rows, parts, chosen, next, counts } = useShown(job, chosenId);
  const { marked, choice, mark, unmark } = useMarked(all, coming);
  return (
    <div className={frame.page}>
      <Header where={job?.name} jobId={jobId} current="jobs" />
      <DropPlace files={bring} stored={(id) => void bringStored(id)}>
        <LedgerTitle jobId={jobId} tools={tools} counts={job && countsSaid(all.length, coming, counts)} make={setMaking} pick={pick}>
          {/* Folds when a file asks what it is, so that it covers no question. */}
          <ReadingChoices key={held.length} choices={choices} set={setChoices} variant={variant} setVariant={setVariant} />
        </LedgerTitle>
        <Picker picker={picker} bring={bring} />
        <Troubles tools={tools} />
        {job && (
          <>
            <BringIn uploads={uploads} forget={forget} designs={job.designs} tools={tools} />
            <Revisions held={held} set={setHeld} job={job} send={send} />
          </>
        )}
        {partsList.notice}
        {all.length > 0 && coming === 0 && (
          <LedgerFilter parts={all} shown={parts.length} filter={filter} set={setFilter} group={group} setGroup={setGroup}>
            {partsList.buttons}
            <FilesButton open={() => setMaking('files')} />
          </LedgerFilter>
        )}
        {chosen && <Tour jobId={jobId} />}
        {making && <Drawer making={making} jobId={jobId} tools={tools} close={() => setMaking(null)} bring={(file) => bring([file])} />}
        {choice.length > 0 && <ChosenBar jobId={jobId} chosen={choice} like={chosen} none={unmark} tools={tools} />}
        <div className={frame.scroll} ref={scroller} data-test="scroll">
          <InPlaceOfRows
            {...{ tools, pick }}
            all={all.length}
            shown={parts.length}
            showAll={() => setFilter(noFilter)}
            removed={job?.undo ? () => setMaking('files') : null}
          />
          {job && parts.length > 0 && <LedgerTable {...{ jobId, rows, chosen, order, setOrder, marked, mark, scroller, tools }} choose={setChosen} />}
        </div>
        {chosen && <LedgerFoot jobId={jobId} part={chosen} next={next} choose={setChosen} tools={tools} />}
      </DropPlace>
    </div>
  );
}

/** Where files, and designs of the stores, are dropped: all of the page. */
function DropPlace({ files, stored, children }: { files: (files: Iterable<File>) => void; stored: (id: string) => void; children: ReactNode }) {
  const [dropping, setDropping] = useState(false);
  return (
    <main
      id="content"
      className={dropping ? style.dropping : ''}
      onDragOver={(e) => {
        e.preventDefault();
        setDropping(true);
      }}
      onDragLeave={(e) => e.currentTarget === e.target && setDropping(false)}
      onDrop={(e) => {
        e.preventDefault();
        setDropping(false);
        const id = e.dataTransfer.getData(dragType);
        if (id) stored(id);
        else files(e.dataTransfer.files);
      }}
    >
      {children}
    </main>
  );
}

/** The sample's tour, once, where the address asks for it. */
function Tour({ jobId }: { jobId: string }) {
  const [touring, setTouring] = useState(useSearchParams().has('tour'));
  const close = () => {
    setTouring(false);
    window.history.replaceState(null, '', `/jobs/${jobId}`);
  };
  return touring && <LedgerTour close={close} />;
}

function useTitle(job: string | undefined): void {
  useEffect(() => {
    document.title = job === undefined ? 'Tall Kite' : `${job} · Tall Kite`;
  }, [job]);
}

/** What could not be fetched, and what could not be done. */
const Troubles = ({ tools: { failed, trouble, clearTrouble } }: { tools: JobTools }) => (
  <>
    {failed && <Trouble message={failed.message} remedy={failed.remedy} />}
    {trouble && <Trouble {...trouble} close={clearTrouble} />}
  </>
);

type NoRowsProps = {
  tools: JobTools;
  all: number;
  shown: number;
  pick: () => void;
  showAll: () => void;
  /** Opens what was removed; null when nothing was. */
  removed: (() => void) | null;
};

/** What stands where there are no rows: the job is on its way, has no parts, or a choice hides them. */
function InPlaceOfRows({ tools, all, shown, pick, showAll, removed }: NoRowsProps) {
  if (tools.loading) return <p className="context">Fetching the job …</p>;
  if (tools.job && all === 0) return <NoParts pick={pick} removed={removed} />;
  return all > 0 && shown === 0 ? <NoneShown all={all} show={showAll} /> : null;
}

/** Said where a choice hides every part. */
const NoneShown = ({ all, show }: { all: number; show: () => void }) => (
  <p className={`context ${frame.idle}`}>
    No part answers to this choice.{' '}
    <Button onClick={show} size="small">
      Show all {all}
    </Button>
  </p>
);

/** The browser's own way to choose files, opened by "Bring in". */
function Picker({ picker, bring }: { picker: RefObject<HTMLInputElement | null>; bring: (files: Iterable<File>) => void }) {
  return (
    <input
      ref={picker}
      type="file"
      multiple
      hidden
      data-test="files"
      aria-label="Files to bring in"
      accept={acceptedEndings}
      onChange={(e) => {
        bring(Array.from(e.target.files ?? []));
        e.target.value = '';
      }}
    />
  );
}

/** What a part is made from, or the job's files, beside the ledger. */
function Drawer({ making, jobId, tools, close, bring }: { making: Making; jobId: string; tools: JobTools; close: () => void; bring: (file: File) => void }) {
  switch (making) {
    case 'files':
      return <JobFiles jobId={jobId} tools={tools} close={close} />;
    case 'sizes':
      return <FromSizes close={close} bring={bring} />;
    case 'stores':
      return <FromStoresDrawer jobId={jobId} close={close} brought={tools.refresh} />;
    case 'text':
      return <NewText close={close} bring={bring} />;
  }
}

type TitleProps = {
  jobId: string;
  tools: JobTools;
  /** How many parts, in words; null until the job is here. */
  counts: ReactNode;
  make: (what: Making) => void;
  pick: () => void;
  children: ReactNode;
};

function LedgerTitle({ jobId, tools, counts, make, pick, children }: TitleProps) {
  const { job } = tools;
  return (
    <div className={frame.title}>
      <h1>Ledger</h1>
      <span className="context" data-test="counts">
        {counts}
      </span>
      <span className={frame.right}>
        <Button disabled={!job?.undo} title={job?.undo ? `Take back: ${job.undo}` : 'Nothing to take back'} onClick={() => void tools.history('undo')}>
          Undo
        </Button>
        <Button disabled={!job?.redo} title={job?.redo ? `Again: ${job.redo}` : 'Nothing to do again'} onClick={() => void tools.history('redo')}>
          Redo
        </Button>
        <Link className={frame.plain} href={`/jobs/${jobId}/join`}>
          Join and divide
        </Link>
        <Link className={frame.plain} href={`/jobs/${jobId}/cutlist`}>
          Cut list
        </Link>
        <Link className={frame.plain} href={`/jobs/${jobId}/tubes`}>
          Tubes
        </Link>
        <Link className={frame.plain} href={`/jobs/${jobId}/beds`}>
          Beds
        </Link>
        <Link className={frame.plain} href={`/jobs/${jobId}/releases`}>
          Releases
        </Link>
        {children}
        <Dropdown menu={{ items: otherSources, onClick: ({ key }) => make(key as 'text' | 'sizes' | 'stores') }} trigger={['click']}>
          <Button title="A part that is not in a file: from words, from sizes, from the stores">Make…</Button>
        </Dropdown>
        <Button onClick={pick} type="primary">
          Bring in…
        </Button>
      </span>
    </div>
  );
}

/** What an empty job shows. @param removed opens what was removed; null when nothing was */
function NoParts({ pick, removed }: { pick: () => void; removed: (() => void) | null }) {
  return (
    <div className={frame.empty}>
      <h2>Drop your designs here</h2>
      <p>
        {openedInWords}, as many as you like, up to {mostUploadBytes / 2 ** 20} MB each. The files stay as they are; what is odd in them is listed.
      </p>
      <Button onClick={pick} type="primary">
        Bring in…
      </Button>{' '}
      <Button href="/help">Help: words, formats, keys</Button> {removed && <Button onClick={removed}>Removed files…</Button>}
    </div>
  );
}
