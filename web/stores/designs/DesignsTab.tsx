'use client';
import { Button, Input, Pagination } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState, type DragEvent } from 'react';
import type { Shelf } from '@tall-kite/server/stores/designs';
import { counted } from 'tall-kite/base/figures';
import { ask, Refused } from '@/shell/ask.ts';
import { Choice } from '@/shell/controls.tsx';
import { Card } from './Card.tsx';
import { Details } from './Details.tsx';
import { Intake } from './Intake.tsx';
import { dragType, useKept, type KeptTools } from './useKept.ts';
import frame from '@/shell/frame.module.css';
import widths from '@/shell/widths.module.css';
import style from './designs.module.css';

interface Notice {
  message: string;
  remedy: string;
  undo?: () => void;
}

/** What can be done on the page, with what went wrong or can be taken back. */
function useActs(it: KeptTools) {
  const [notice, setNotice] = useState<Notice | null>(null);
  const guarded = async (work: () => Promise<unknown>) => {
    try {
      await work();
      return true;
    } catch (thrown) {
      setNotice({ message: (thrown as Error).message, remedy: thrown instanceof Refused ? thrown.remedy : 'Try again.' });
      return false;
    } finally {
      await it.refresh();
    }
  };
  const change = (ids: string[], some: object) => guarded(() => ask('/api/stores/designs', { method: 'PATCH', body: { ids, ...some } }));
  const away = async (ids: string[]) => {
    if (!(await change(ids, { removed: true }))) return;
    setNotice({
      message: `${ids.length === 1 ? 'One design was' : `${ids.length} designs were`} taken away.`,
      remedy: 'Jobs that use them keep their own.',
      undo: () => void change(ids, { removed: false }).then(() => setNotice(null)),
    });
  };
  return { notice, setNotice, guarded, change, away };
}

type Acts = ReturnType<typeof useActs>;

/** Designs that are kept for reuse: on shelves, with tags, found by name and by picture. */
export function DesignsTab() {
  const it = useKept();
  const acts = useActs(it);
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [shown, setShown] = useState<string | null>(null);
  const { page } = it;
  const none = () => setChosen(new Set());
  return (
    <div className={style.two}>
      <Shelves it={it} acts={acts} drop={(id, shelf) => void acts.change([...(chosen.has(id) ? chosen : [id])], { shelf })} />
      <section className={style.right} aria-label="Designs">
        <Bar it={it} />
        <Said acts={acts} />
        {chosen.size > 0 && <Chosen ids={[...chosen]} shelves={page?.shelves ?? []} acts={acts} none={none} />}
        {it.failed && <p className="c-stop">The stores could not be fetched. {it.failed.message}</p>}
        {page?.total === 0 && <Empty it={it} />}
        <div className={frame.scroll} tabIndex={0} role="group" aria-label="Designs in the stores">
          <ul className={style.grid}>
            {page?.entries.map((design) => (
              <Card
                key={design.id}
                design={design}
                open={() => setShown(design.id)}
                chosen={chosen.has(design.id)}
                choose={(on) => setChosen((now) => new Set(on ? [...now, design.id] : [...now].filter((id) => id !== design.id)))}
              />
            ))}
          </ul>
        </div>
        <Pages it={it} />
      </section>
      {shown && <Details key={shown} id={shown} close={() => setShown(null)} guarded={acts.guarded} show={setShown} />}
    </div>
  );
}

/** What is looked for, how many there are, and the ways in. */
function Bar({ it }: { it: KeptTools }) {
  const { page } = it;
  const reading = page && page.reading > 0 ? `, ${page.reading} being read` : '';
  return (
    <div className={style.bar}>
      <Input.Search
        allowClear
        placeholder="name or tag"
        aria-label="Look for a design"
        className={widths.w220}
        onSearch={(text) => it.want({ text })}
        onChange={(e) => it.want({ text: e.target.value })}
      />
      {page && page.tags.length > 0 && (
        <Choice
          label="Tag"
          value={it.wanted.tag ?? ''}
          onChange={(tag) => it.want({ tag: tag || undefined })}
          options={[{ value: '', label: 'Tag: any' }, ...page.tags.map((t) => ({ value: t.tag, label: `${t.tag} (${t.count})` }))]}
        />
      )}
      <span className="context" data-test="kept-count">
        {page && `${counted(page.total, 'design')}${reading}`}
      </span>
      <span className="grow" />
      <Intake shelf={it.wanted.shelf} refresh={it.refresh} />
    </div>
  );
}

function Said({ acts: { notice, setNotice } }: { acts: Acts }) {
  if (!notice) return null;
  return (
    <div className={frame.notice} data-test="notice" role="status">
      <span className="grow">
        <b>{notice.message}</b> {notice.remedy}
      </span>
      {notice.undo && (
        <Button size="small" onClick={notice.undo}>
          Undo
        </Button>
      )}
      <Button size="small" onClick={() => setNotice(null)}>
        Close
      </Button>
    </div>
  );
}

function Pages({ it }: { it: KeptTools }) {
  if (!it.page || it.page.total <= it.page.perPage) return null;
  const { total, perPage } = it.page;
  return (
    <Pagination
      size="small"
      className={style.pages}
      current={(it.wanted.page ?? 0) + 1}
      pageSize={perPage}
      total={total}
      showSizeChanger={false}
      onChange={(n) => it.want({ page: n - 1 })}
    />
  );
}

function Empty({ it }: { it: KeptTools }) {
  const looked = it.wanted.text || it.wanted.tag || it.wanted.shelf;
  if (looked)
    return (
      <p className={`context ${frame.idle}`}>
        No design answers to this.{' '}
        <Button size="small" onClick={() => it.want({ text: '', tag: undefined, shelf: undefined })}>
          Show all
        </Button>
      </p>
    );
  return (
    <div className={frame.empty}>
      <h2>Nothing is kept yet</h2>
      <p>
        Keep what you use again: models, drawings, templates, reliefs. Each is found again by its picture, its name and its tags, and goes into a job with a
        drag.
      </p>
    </div>
  );
}

interface ShelvesProps {
  it: KeptTools;
  acts: Acts;
  drop: (id: string, shelf: string | null) => void;
}

/** The shelves; a card that is dragged onto one goes there. */
function Shelves({ it, acts: { guarded, setNotice }, drop }: ShelvesProps) {
  const [name, setName] = useState('');
  const [over, setOver] = useState<string | null>(null);
  const { wanted, page } = it;
  const list = [{ id: '', name: 'All', count: null }, ...(page?.shelves ?? []), { id: 'none', name: 'On no shelf', count: null }] as (Omit<Shelf, 'count'> & {
    count: number | null;
  })[];
  const make = () =>
    void guarded(async () => {
      await ask('/api/stores/shelves', { method: 'POST', body: { name } });
      setName('');
    });
  const away = (shelf: Shelf) =>
    void guarded(async () => {
      await ask(`/api/stores/shelves/${shelf.id}`, { method: 'DELETE' });
      if (wanted.shelf === shelf.id) it.want({ shelf: undefined });
      setNotice({
        message: `The shelf "${shelf.name}" was taken away.`,
        remedy: 'What stood on it is still in the stores.',
        undo: () => void guarded(() => ask(`/api/stores/shelves/${shelf.id}`, { method: 'POST' })).then(() => setNotice(null)),
      });
    });
  const onto = (id: string) => ({
    onDragOver: (e: DragEvent) => {
      if (!e.dataTransfer.types.includes(dragType) || id === '') return;
      e.preventDefault();
      setOver(id);
    },
    onDragLeave: () => setOver(null),
    onDrop: (e: DragEvent) => {
      setOver(null);
      const dragged = e.dataTransfer.getData(dragType);
      if (!dragged || id === '') return;
      e.preventDefault();
      drop(dragged, id === 'none' ? null : id);
    },
  });
  const here = wanted.shelf ?? '';
  return (
    <nav aria-label="Shelves">
      <h2 className={style.heading}>Shelves</h2>
      <ul className={style.shelves}>
        {list.map((s) => (
          <li key={s.id} className={over === s.id ? style.over : ''} {...onto(s.id)}>
            <Button
              size="small"
              type={here === s.id ? 'primary' : 'default'}
              aria-pressed={here === s.id}
              onClick={() => it.want({ shelf: s.id || undefined })}
            >
              <span>{s.name}</span>
              {s.count !== null && <span className="figure">{s.count}</span>}
            </Button>
            {s.count !== null && here === s.id && (
              <>
                <Button size="small" href={`/api/stores/shelves/${s.id}/zip`} title="All of it as one zip" data-test="shelf-zip">
                  Zip
                </Button>
                <Button size="small" aria-label={`Take the shelf ${s.name} away`} onClick={() => away(s as Shelf)}>
                  −
                </Button>
              </>
            )}
          </li>
        ))}
      </ul>
      <form
        className={style.newshelf}
        onSubmit={(e) => {
          e.preventDefault();
          if (name.trim()) make();
        }}
      >
        <Input size="small" value={name} maxLength={60} placeholder="a new shelf" aria-label="Name of a new shelf" onChange={(e) => setName(e.target.value)} />
        <Button size="small" htmlType="submit" disabled={!name.trim()}>
          Add
        </Button>
      </form>
    </nav>
  );
}

interface ChosenProps {
  ids: string[];
  shelves: Shelf[];
  acts: Acts;
  none: () => void;
}

/** What is done with those that are chosen. */
function Chosen({ ids, shelves, acts: { change, away, guarded, setNotice }, none }: ChosenProps) {
  const [tag, setTag] = useState('');
  const jobs = useQuery({
    queryKey: ['jobs to choose'],
    queryFn: async () => (await ask<{ jobs: { id: string; name: string }[] }>('/api/jobs?many=200')).jobs,
  });
  const into = (job: string) =>
    void guarded(async () => {
      for (const id of ids) await ask(`/api/jobs/${job}/designs?stored=${id}`, { method: 'POST' });
      setNotice({ message: `${ids.length === 1 ? 'It is' : `${ids.length} are`} in the job "${jobs.data?.find((j) => j.id === job)?.name}".`, remedy: '' });
    });
  return (
    <div className={style.bar} data-test="kept-chosen">
      <b>{ids.length} chosen</b>
      <Choice
        label="Into a job"
        value=""
        onChange={into}
        options={[{ value: '', label: 'Into a job …' }, ...(jobs.data ?? []).map((j) => ({ value: j.id, label: j.name }))]}
      />
      <Choice
        label="Onto a shelf"
        value=""
        onChange={(shelf) => void change(ids, { shelf: shelf === 'none' ? null : shelf })}
        options={[{ value: '', label: 'Onto a shelf …' }, ...shelves.map((s) => ({ value: s.id, label: s.name })), { value: 'none', label: 'on none' }]}
      />
      <form
        className={frame.inline}
        onSubmit={(e) => {
          e.preventDefault();
          if (tag.trim()) void change(ids, { addTag: tag.trim() }).then((done) => done && setTag(''));
        }}
      >
        <Input
          size="small"
          className={widths.w110}
          value={tag}
          maxLength={40}
          placeholder="a tag"
          aria-label="A tag for those chosen"
          onChange={(e) => setTag(e.target.value)}
        />
        <Button size="small" htmlType="submit" disabled={!tag.trim()}>
          Tag
        </Button>
      </form>
      <Button size="small" onClick={() => void away(ids).then(none)}>
        Take away
      </Button>
      <Button size="small" onClick={none}>
        Choose none
      </Button>
    </div>
  );
}
