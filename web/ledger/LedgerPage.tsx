'use client';
import Link from 'next/link';
import { useCallback, useEffect, useRef, useState } from 'react';
import { mostUploadBytes } from './limits.ts';
import { BringIn } from './BringIn.tsx';
import { LedgerFoot } from './LedgerFoot.tsx';
import { LedgerTable } from './LedgerTable.tsx';
import { ReadingChoices, usual } from './ReadingChoices.tsx';
import { sendFile, type Upload } from './upload.ts';
import { Header } from '@/shell/Header.tsx';
import { useShortcuts } from '@/shell/Keys.tsx';
import { Trouble } from '@/shell/Trouble.tsx';
import { useJob } from '@/shell/useJob.ts';

/** A job's home: parts as rows, steps as columns; files are dropped anywhere on it. */
export function LedgerPage({ jobId }: { jobId: string }) {
  const tools = useJob(jobId);
  const { job } = tools;
  const [chosenId, setChosen] = useState<string | null>(null);
  const [uploads, setUploads] = useState<Upload[]>([]);
  const [choices, setChoices] = useState(usual);
  const [dropping, setDropping] = useState(false);
  const picker = useRef<HTMLInputElement>(null);
  useEffect(() => {
    document.title = job ? `${job.name} · Tall Kite` : 'Tall Kite';
  }, [job]);

  const bring = useCallback(
    (files: Iterable<File>) => {
      for (const file of files) {
        sendFile(jobId, file, mostUploadBytes, choices, (upload) => {
          setUploads((all) => [...all.filter((u) => u.key !== upload.key), upload].sort((a, b) => a.key - b.key));
          if (upload.state === 'done') void tools.refresh();
        });
      }
    },
    [jobId, tools, choices],
  );
  useShortcuts({ b: () => picker.current?.click() });

  const parts = job?.parts ?? [];
  const chosen = parts.find((p) => p.id === chosenId) ?? parts[0] ?? null;
  const counted = parts
    .filter((p) => !p.leftOut)
    .map((p) => (p.steps.some((s) => s.mark === 'stop') ? 'stop' : p.steps.some((s) => s.mark === 'look') ? 'look' : 'clear'));
  const count = (mark: string) => counted.filter((m) => m === mark).length;
  return (
    <div className="page">
      <Header where={job?.name} jobId={jobId} current="jobs" />
      <main
        id="content"
        className={dropping ? 'dropping' : ''}
        onDragOver={(e) => {
          e.preventDefault();
          setDropping(true);
        }}
        onDragLeave={(e) => e.currentTarget === e.target && setDropping(false)}
        onDrop={(e) => {
          e.preventDefault();
          setDropping(false);
          bring(e.dataTransfer.files);
        }}
      >
        <div className="title">
          <h1>Ledger</h1>
          <span className="context" data-test="counts">
            {job && `${counted.length} parts · ${count('clear')} clear · ${count('look')} to look at · ${count('stop')} stopped`}
          </span>
          <span className="right">
            <button
              className="plain"
              disabled={!job?.undo}
              title={job?.undo ? `Take back: ${job.undo}` : 'Nothing to take back'}
              onClick={() => void tools.history('undo')}
            >
              Undo
            </button>
            <button
              className="plain"
              disabled={!job?.redo}
              title={job?.redo ? `Again: ${job.redo}` : 'Nothing to do again'}
              onClick={() => void tools.history('redo')}
            >
              Redo
            </button>
            <Link className="plain" href={`/jobs/${jobId}/join`}>
              Join and divide
            </Link>
            <Link className="plain" href={`/jobs/${jobId}/beds`}>
              Beds
            </Link>
            <ReadingChoices choices={choices} set={setChoices} />
            <button className="plain strong" onClick={() => picker.current?.click()}>
              Bring in…
            </button>
            <input
              ref={picker}
              type="file"
              multiple
              hidden
              data-test="files"
              aria-label="Files to bring in"
              accept=".step,.stp,.p21,.iges,.igs,.stl,.obj,.ply,.3mf"
              onChange={(e) => {
                bring(Array.from(e.target.files ?? []));
                e.target.value = '';
              }}
            />
          </span>
        </div>
        {tools.failed && <Trouble message={tools.failed.message} remedy={tools.failed.remedy} />}
        {tools.trouble && <Trouble {...tools.trouble} close={tools.clearTrouble} />}
        {job && <BringIn uploads={uploads} forget={(key) => setUploads((all) => all.filter((u) => u.key !== key))} designs={job.designs} tools={tools} />}
        <div className="scroll">
          {tools.loading && <p className="context">Fetching the job …</p>}
          {job && parts.length === 0 && (
            <div className="empty">
              <h2>Drop your designs here</h2>
              <p>
                STEP, IGES, STL, OBJ, PLY, 3MF, DXF and SVG, as many as you like, up to {mostUploadBytes / 2 ** 20} MB each. The files stay as they are; what is
                odd in them is listed.
              </p>
              <button className="plain strong" onClick={() => picker.current?.click()}>
                Bring in…
              </button>
            </div>
          )}
          {job && parts.length > 0 && <LedgerTable job={job} chosen={chosen} choose={setChosen} tools={tools} />}
        </div>
        {chosen && <LedgerFoot jobId={jobId} part={chosen} tools={tools} />}
      </main>
    </div>
  );
}
