import { Button } from 'antd';
import { Choice } from '@/shell/controls.tsx';
import type { JobView } from '@tall-kite/server/jobs/jobs';
import { MarkShape } from '@/marks/Mark.tsx';
import frame from '@/shell/frame.module.css';

/** A file that waits to be told what it is: another design, or the next revision of one. */
export interface Held {
  file: File;
  /** The design it may be the next revision of. */
  design: string;
}

/** Designs that have parts of their own still: those that a next revision can take the place of. */
function replaceable(job: JobView) {
  return job.designs.filter((d) => d.state === 'read' && job.parts.some((p) => p.designId === d.id && p.change?.state !== 'gone'));
}

/** A file's name without its ending and what tells revisions apart ("_B", "-rev2", " v3"). Common practice, no source. */
export function plainName(name: string): string {
  return name
    .toLowerCase()
    .replace(/\.[^.]+$/, '')
    .replace(/(?<![\s._-])[\s._-]*(?:(?:rev(?:ision)?|v(?:ersion)?)[\s._-]*)?(?:\d{1,3}|(?<=[\s._-])[a-z])$/, '')
    .replace(/[\s._-]/g, '');
}

/** The design of the job that a file of this name may be the next revision of. */
export function revisionOf(name: string, job: JobView) {
  const list = replaceable(job);
  const same = list.find((d) => d.fileName.toLowerCase() === name.toLowerCase());
  const plain = plainName(name);
  return same ?? (plain === '' ? null : (list.find((d) => plainName(d.fileName) === plain) ?? null));
}

/** Asks of each held file what it is. */
export function Revisions({
  held,
  set,
  job,
  send,
}: {
  held: Held[];
  set: (change: (all: Held[]) => Held[]) => void;
  job: JobView;
  send: (file: File, replaces: string | null) => void;
}) {
  const done = (one: Held) => set((all) => all.filter((h) => h !== one));
  return held.map((one, i) => (
    <div className={frame.notice} data-test="notice" role="group" aria-label={`What is ${one.file.name}?`} key={`${one.file.name} ${i}`}>
      <MarkShape mark="look" />
      <div className="grow">
        Is <b>{one.file.name}</b> the next revision of{' '}
        <Choice
          value={one.design}
          label="The design that it replaces"
          onChange={(value) => set((all) => all.map((h) => (h === one ? { ...h, design: value } : h)))}
          options={[...replaceable(job).map((d) => ({ value: d.id, label: d.fileName }))]}
        />
        ? <span className="context">Then its parts keep their settings, and what changed is shown at each.</span>
      </div>
      <Button
        onClick={() => {
          send(one.file, one.design);
          done(one);
        }}
        size="small"
        type="primary"
      >
        Yes, next revision
      </Button>
      <Button
        onClick={() => {
          send(one.file, null);
          done(one);
        }}
        size="small"
      >
        No, another design
      </Button>
      <Button onClick={() => done(one)} size="small">
        Leave it
      </Button>
    </div>
  ));
}
