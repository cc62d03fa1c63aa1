'use client';
import { Button, Checkbox, DatePicker, Input, Radio, Table } from 'antd';
import dayjs from 'dayjs';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import Link from 'next/link';
import { useRouter } from 'next/navigation';
import { useDeferredValue, useEffect, useMemo, useState } from 'react';
import { usualNaming, type Naming } from 'tall-kite/release/names';
import type { listReleases, ReleaseView } from '@tall-kite/server/releases/report';
import type { PlanView } from '@tall-kite/server/releases/releases';
import { MarkShape } from '@/marks/Mark.tsx';
import { ask, Refused } from '@/shell/ask.ts';
import { Header } from '@/shell/Header.tsx';
import { Trouble } from '@/shell/Trouble.tsx';
import { useJob, type JobTools } from '@/shell/useJob.ts';
import { isBoardShop, usualReceiver } from 'tall-kite/receivers/receivers';
import type { StoredReceiver } from '@tall-kite/server/stores/receivers';
import { useStoredReceivers } from '@/stores/useReceivers.ts';
import { chosenBefore } from './chosen.ts';
import { firstLine, LineCard, type Line } from './LineCard.tsx';
import { NameChips } from './NameChips.tsx';
import { outlookOf } from './outlook.ts';
import frame from '@/shell/frame.module.css';
import widths from '@/shell/widths.module.css';
import style from './releases.module.css';

/** What is to be released, where it goes and how files are called, with what would come of it beside. */
export function NewRelease({ jobId, folder }: { jobId: string; folder: boolean }) {
  const tools = useJob(jobId);
  const last = useQuery({
    queryKey: ['last-release', jobId],
    staleTime: 0,
    queryFn: async () => {
      const [newest] = await ask<Awaited<ReturnType<typeof listReleases>>>(`/api/jobs/${jobId}/releases`);
      return newest ? ask<ReleaseView>(`/api/releases/${newest.id}?after=${Number.MAX_SAFE_INTEGER}`) : null;
    },
  });
  useEffect(() => {
    document.title = tools.job ? `New release · ${tools.job.name}` : 'Tall Kite';
  }, [tools.job]);
  const stored = useStoredReceivers();
  const trouble = tools.failed ?? ((last.error ?? stored.error) as Refused | null);
  return (
    <div className={frame.page}>
      <Header where={tools.job?.name} jobId={jobId} current="releases" />
      <main id="content">
        {trouble && <Trouble message={trouble.message} remedy={trouble.remedy} />}
        {(tools.loading || last.isPending) && <p className={`context ${frame.waiting}`}>Fetching the job …</p>}
        {tools.job && last.isSuccess && stored.data && <Form jobId={jobId} tools={tools} last={last.data} folder={folder} stored={stored.data} />}
      </main>
    </div>
  );
}

/** A line of the last release, with the rules that its receiver has now. */
const again =
  (stored: readonly StoredReceiver[]) =>
  ({ receiver, format, unit, group, flatten, nest, tubes }: Line): Line => {
    const now = stored.find((r) => r.rules.id === receiver.id)?.rules ?? receiver;
    return {
      receiver: now,
      format: now.formats.includes(format) ? format : now.formats[0],
      unit,
      group,
      flatten,
      ...(nest ? { nest } : {}),
      ...(tubes ? { tubes } : {}),
    };
  };

/** The name of a file, which can be typed by hand; or why there is none. */
function NameCell({ row, naming, setNaming }: { row: PlanView['rows'][number]; naming: Naming; setNaming: (naming: Naming) => void }) {
  if (row.why)
    return (
      <span className={`mark c-look ${style.wrapped}`}>
        <MarkShape mark="look" size={10} /> skipped: {row.why}
      </span>
    );
  const set = (name: string | null) => {
    const { [row.key]: _, ...others } = naming.own;
    setNaming({ ...naming, own: name === null ? others : { ...others, [row.key]: name } });
  };
  return <OwnName key={`${row.key} ${row.name}`} row={row} own={naming.own[row.key] ?? null} set={set} />;
}

type FormProps = { jobId: string; tools: JobTools; last: ReleaseView | null; folder: boolean; stored: readonly StoredReceiver[] };

/** What is wished for, as it stands in the form. */
type Wished = ReturnType<typeof useWish>;

function useWish({ jobId, tools, last, folder, stored }: FormProps) {
  const machines = useMemo(() => stored.filter((r) => !r.archived && !isBoardShop(r.rules)).map((r) => r.rules), [stored]);
  const parts = useMemo(() => tools.job!.parts.filter((p) => !p.leftOut), [tools.job]);
  const [ids, setIds] = useState<string[] | null>(null);
  useEffect(() => setIds(chosenBefore(jobId)), [jobId]);
  const chosen = useMemo(() => (ids ? parts.filter((p) => ids.includes(p.id)) : parts), [ids, parts]);
  const flatOnly = chosen.length > 0 && chosen.every((p) => p.summary.kind === 'drawing');
  const [lines, setLines] = useState<Line[]>(
    () => last?.recipe.lines.map(again(stored)) ?? [firstLine(usualReceiver(flatOnly ? 'drawing' : 'mesh', machines))],
  );
  const [naming, setNaming] = useState<Naming>(last ? { ...usualNaming, ...last.recipe.naming } : usualNaming);
  const [revision, setRevision] = useState(last?.recipe.revision ?? '');
  const [date, setDate] = useState('');
  const variants = useMemo(() => [...new Set(chosen.map((p) => p.variant))].sort(), [chosen]);
  const [without, setWithout] = useState<string[]>([]);
  const [options, setOptions] = useState({ folder: folder && (last?.options.folder ?? false), deliver: last?.options.deliver ?? false, evenSo: false });
  const wish = useMemo(() => {
    const choose = {
      parts: ids && chosen.length < parts.length ? ids : null,
      variants: without.length > 0 ? variants.filter((v) => !without.includes(v)) : null,
    };
    return { recipe: { revision, date, lines: lines.map((l) => ({ ...l, receiver: l.receiver.id, choose })), naming }, options };
  }, [ids, chosen.length, parts.length, revision, date, lines, naming, options, variants, without]);
  return {
    machines, parts, ids, setIds, chosen, lines, setLines, naming, setNaming, revision, setRevision, date, setDate, variants, without, setWithout, options, setOptions, wish,
  }; // prettier-ignore
}

/** What would be made of a wish, a moment after it was changed. */
function usePlan(jobId: string, wish: object) {
  const asked = useDeferredValue(JSON.stringify(wish));
  return useQuery<PlanView>({
    queryKey: ['plan', jobId, asked],
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: async ({ signal }) => {
      await new Promise((done) => setTimeout(done, 200));
      if (signal.aborted) throw new Refused(0, 'Overtaken.', '');
      return ask<PlanView>(`/api/jobs/${jobId}/releases/plan`, { method: 'POST', body: JSON.parse(asked) });
    },
  });
}

function Form(props: FormProps) {
  const { jobId, last, folder } = props;
  const router = useRouter();
  const wished = useWish(props);
  const plan = usePlan(jobId, wished.wish);
  const [trouble, setTrouble] = useState<Refused | null>(null);
  const [beginning, setBeginning] = useState(false);
  const begin = async () => {
    setBeginning(true);
    try {
      const { id } = await ask<{ id: string }>(`/api/jobs/${jobId}/releases`, { method: 'POST', body: wished.wish });
      router.push(`/jobs/${jobId}/releases/${id}`);
    } catch (thrown) {
      setTrouble(thrown as Refused);
      setBeginning(false);
    }
  };
  return (
    <>
      <div className={frame.title}>
        <h1>New release</h1>
        <span className="context">{last ? `Set as release ${last.number} was` : 'Where the parts go, and how their files are called'}</span>
        <span className={frame.right}>
          <Link className={frame.plain} href={`/jobs/${jobId}`}>
            Ledger
          </Link>
          <Link className={frame.plain} href={`/jobs/${jobId}/releases`}>
            All releases
          </Link>
        </span>
      </div>
      {trouble && <Trouble message={trouble.message} remedy={trouble.remedy} close={() => setTrouble(null)} />}
      <div className={style.newrelease}>
        <form
          className={style.wishes}
          onSubmit={(e) => {
            e.preventDefault();
            void begin();
          }}
        >
          <PartsWished jobId={jobId} wished={wished} />
          <ReceiversWished wished={wished} />
          <NamesWished wished={wished} />
          <AlsoWished wished={wished} folder={folder} />
        </form>
        <Outlook plan={plan.data} refused={plan.error as Refused | null} wished={wished} beginning={beginning} begin={() => void begin()} />
      </div>
    </>
  );
}

type About = { wished: Wished };

function PartsWished({ jobId, wished }: About & { jobId: string }) {
  const { ids, setIds, chosen, parts, variants, without, setWithout, revision, setRevision, date, setDate } = wished;
  return (
    <section>
      <h2>Parts</h2>
      <p data-test="chosen">
        <b className="figure">{chosen.length}</b> {ids ? 'ticked in the ledger' : 'in the job: all that are not left out'}{' '}
        {ids && (
          <Button onClick={() => setIds(null)} size="small">
            Take all {parts.length}
          </Button>
        )}{' '}
        <Link className={`${frame.plain} ${frame.small}`} href={`/jobs/${jobId}`}>
          Tick others
        </Link>
      </p>
      {variants.length > 1 && (
        <p>
          Variants:{' '}
          {variants.map((v) => (
            <Checkbox
              key={v}
              className={style.choice}
              checked={!without.includes(v)}
              onChange={(e) => setWithout(e.target.checked ? without.filter((w) => w !== v) : [...without, v])}
            >
              {v || 'the design itself'}
            </Checkbox>
          ))}
        </p>
      )}
      <p className={style.row2}>
        <label>
          Revision{' '}
          <Input className={widths.w110} value={revision} maxLength={60} onChange={(e) => setRevision(e.target.value)} data-test="revision" size="small" />
        </label>
        <label>
          Date in names{' '}
          <DatePicker
            size="small"
            placeholder="no date"
            format="YYYY-MM-DD"
            value={date ? dayjs(date) : null}
            onChange={(day) => setDate(day?.format('YYYY-MM-DD') ?? '')}
          />
        </label>
      </p>
    </section>
  );
}

function ReceiversWished({ wished: { lines, setLines, machines } }: About) {
  return (
    <section>
      <h2>Receivers</h2>
      {lines.map((line, i) => (
        <LineCard
          key={i}
          n={i + 1}
          line={line}
          machines={machines}
          set={(l) => setLines((all) => all.map((old, k) => (k === i ? l : old)))}
          remove={lines.length > 1 ? () => setLines((all) => all.filter((_, k) => k !== i)) : null}
        />
      ))}
      <Button disabled={lines.length >= 20} onClick={() => setLines((all) => [...all, firstLine(usualReceiver('drawing', machines))])} size="small">
        Add a receiver
      </Button>
    </section>
  );
}

function NamesWished({ wished: { naming, setNaming } }: About) {
  return (
    <section>
      <h2>Names</h2>
      <NameChips label="File name" pieces={naming.file} set={(file) => setNaming({ ...naming, file })} />
      <NameChips label="Folder" pieces={naming.folder} set={(f) => setNaming({ ...naming, folder: f })} folder />
      <p>
        When two would be called the same:{' '}
        <Radio.Group
          value={naming.clash}
          onChange={(e) => setNaming({ ...naming, clash: e.target.value })}
          options={[
            { value: 'number', label: 'number them' },
            { value: 'stop', label: 'make nothing' },
          ]}
        />
      </p>
    </section>
  );
}

function AlsoWished({ wished: { options, setOptions }, folder }: About & { folder: boolean }) {
  return (
    <section>
      <h2>Also</h2>
      <p>
        <Checkbox checked={options.deliver} onChange={(e) => setOptions({ ...options, deliver: e.target.checked })}>
          put each file into its receiver&rsquo;s inbox
        </Checkbox>
      </p>
      <p>
        <Checkbox checked={options.evenSo} onChange={(e) => setOptions({ ...options, evenSo: e.target.checked })}>
          let files with a stop go out even so <span className="context">(else they are held back, with the reason)</span>
        </Checkbox>
      </p>
      <p>
        <Checkbox disabled={!folder} checked={options.folder} onChange={(e) => setOptions({ ...options, folder: e.target.checked })}>
          write them into the server&rsquo;s folder {!folder && <span className="context">(none is set up: RELEASE_DIR)</span>}
        </Checkbox>
      </p>
    </section>
  );
}

type OutlookProps = About & { plan: PlanView | undefined; refused: Refused | null; beginning: boolean; begin: () => void };

/** What comes of the wish: files and their names, names that clash, and the button that makes them. */
function Outlook({ plan, refused, wished: { naming, setNaming }, beginning, begin }: OutlookProps) {
  const { can, words, counts, clash, more } = outlookOf(refused ? null : (plan ?? null), plan?.clashes ?? [], naming.clash === 'stop');
  return (
    <section className={style.outlook} data-test="outlook" aria-label="What would be made">
      <div className={style.outhead}>
        <h2>What comes of it</h2>
        <span className="context" aria-live="polite">
          {counts}
        </span>
      </div>
      {refused && refused.status !== 0 && <Trouble message={refused.message} remedy={refused.remedy} />}
      {clash && (
        <div className={`${frame.notice} ${frame.over}`} data-test="notice" role="alert">
          <MarkShape mark={clash.mark} />
          <div className="grow">
            {clash.names} would be given to several files, first <b className="figure">{clash.first}</b> to {clash.files}. {clash.remedy}
          </div>
        </div>
      )}
      <div className={style.outrows} tabIndex={0} role="group" aria-label="Names">
        {plan && !refused && (
          <Table<PlanView['rows'][number]>
            size="small"
            rowKey={(r) => `${r.key} ${r.name}`}
            dataSource={plan.rows}
            pagination={false}
            columns={[
              { title: 'Part', render: (_, r) => r.part },
              { title: 'Receiver', render: (_, r) => r.receiver },
              { title: 'File', render: (_, r) => <NameCell row={r} naming={naming} setNaming={setNaming} /> },
            ]}
          />
        )}
        {more > 0 && <p className="context">and {more} more</p>}
      </div>
      <div className={style.outfoot}>
        <Button disabled={beginning || !can} onClick={begin} data-test="begin" type="primary">
          {beginning ? 'Beginning …' : words}
        </Button>
        <span className="context">Each is read back from its own bytes and held against the design.</span>
      </div>
    </section>
  );
}

/** A file's name; a click lets it be typed by hand. */
function OwnName({ row, own, set }: { row: PlanView['rows'][number]; own: string | null; set: (name: string | null) => void }) {
  const [typed, setTyped] = useState<string | null>(null);
  const at = row.name.lastIndexOf('/') + 1;
  const dot = row.name.lastIndexOf('.');
  const done = () => {
    if (typed !== null && typed.trim() !== row.name.slice(at, dot)) set(typed.trim() === '' ? null : typed.trim());
    setTyped(null);
  };
  if (typed !== null) {
    return (
      <span className="figure">
        {row.name.slice(0, at)}
        <Input
          autoFocus
          aria-label={`Name of ${row.part} for ${row.receiver}`}
          value={typed}
          maxLength={120}
          onChange={(e) => setTyped(e.target.value)}
          onBlur={done}
          onKeyDown={(e) => {
            if (e.key === 'Enter') done();
            if (e.key === 'Escape') setTyped(null);
          }}
          className={style.ownname}
          data-test="ownname"
          size="small"
        />
        {row.name.slice(dot)}
      </span>
    );
  }
  return (
    <>
      <Button
        type="text"
        className={`${style.nameof} figure ${row.clashes ? 'c-look' : ''}`}
        title="Type a name by hand"
        onClick={() => setTyped(row.name.slice(at, dot))}
      >
        {row.clashes && <MarkShape mark="look" size={10} />} {row.name}
      </Button>
      {own !== null && (
        <span className="context">
          {' '}
          by hand{' '}
          <Button onClick={() => set(null)} size="small">
            As composed
          </Button>
        </span>
      )}
    </>
  );
}
