'use client';
import { Button, Checkbox, Input } from 'antd';
import { Choice } from '@/shell/controls.tsx';
import { useQueries } from '@tanstack/react-query';
import { useCallback, useMemo, useState } from 'react';
import { clashes, layOut, type BedLayout, type BedSize, type Laid, type LayItem } from 'tall-kite/beds/layout';
import { threeLengths } from 'tall-kite/base/figures';
import { scaleOf } from 'tall-kite/recipe/recipe';
import { receiversFor, type Receiver } from 'tall-kite/receivers/receivers';
import { useReceivers } from '@/stores/useReceivers.ts';
import { sideDown } from 'tall-kite/stance/stance';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { Files } from '@/join/Files.tsx';
import { partWorker } from '@/light-table/worker.ts';
import { MarkShape } from '@/marks/Mark.tsx';
import { JobPage } from '@/shell/JobPage.tsx';
import { useJob, type JobTools } from '@/shell/useJob.ts';
import { BedSheet } from './BedSheet.tsx';
import { BedTime } from './BedTime.tsx';
import { Len } from '@/shell/unit.tsx';
import desk from '@/shell/desk.module.css';
import frame from '@/shell/frame.module.css';
import style from './beds.module.css';
import widths from '@/shell/widths.module.css';

/** Parts laid out on the beds of a printer: found, moved by hand, written bed by bed. */
export function BedsPage({ jobId }: { jobId: string }) {
  const tools = useJob(jobId);
  const machines = receiversFor('mesh', useReceivers());
  return (
    <JobPage
      jobId={jobId}
      tools={tools}
      title="Beds"
      about={<span className="context">Each part stands as its Stance step says; its quantity is how many are laid out.</span>}
    >
      {machines.length > 0 && <Beds jobId={jobId} tools={tools} machines={machines} />}
    </JobPage>
  );
}

interface Kept {
  receiver: string;
  spacing: number;
  margin: number;
  out: string[];
  laid: Laid[] | null;
  /** What the layout was made for: another set of parts or stances needs a new one. */
  key: string;
}

function Beds({ jobId, tools, machines }: { jobId: string; tools: JobTools; machines: Receiver[] }) {
  const all = tools.job!.parts.filter((p) => !p.leftOut && p.summary.kind !== 'drawing');
  const store = `tall-kite-beds-${jobId}`;
  const [kept, setKept] = useState<Kept>(() => {
    const [first] = machines;
    const fresh: Kept = { receiver: first.id, spacing: first.spacing, margin: 3, out: [], laid: null, key: '' };
    try {
      return { ...fresh, ...JSON.parse(localStorage.getItem(store) ?? '{}') };
    } catch {
      return fresh;
    }
  });
  const [past, setPast] = useState<Laid[][]>([]);
  const [bed, setBed] = useState(0);
  const [chosen, setChosen] = useState<number | null>(null);
  const receiver = machines.find((r) => r.id === kept.receiver) ?? machines[0];
  const parts = all.filter((p) => !kept.out.includes(p.id));
  const outlines = useQueries({
    queries: all.map((p) => ({
      queryKey: ['outline', p.id, p.view, p.recipe.stance, scaleOf(p.summary, p.recipe)],
      staleTime: Infinity,
      queryFn: () => partWorker().outline(`/api/parts/${p.id}/geometry?what=view`, p.recipe.stance, scaleOf(p.summary, p.recipe)),
    })),
  });
  const ready = outlines.every((o) => o.data);
  const items = useMemo<LayItem[]>(
    () =>
      all.flatMap((p, i) => {
        const found = outlines[i]?.data;
        return found && !kept.out.includes(p.id) ? [{ id: p.id, name: p.name, outline: found.outline, height: found.height, copies: p.quantity }] : [];
      }),
    [outlines.map((o) => o.dataUpdatedAt).join(), kept.out, all.map((p) => p.quantity).join()],
  );
  const size: BedSize = useMemo(
    () => ({ width: receiver.bed[0], length: receiver.bed[1], height: receiver.bed[2], spacing: kept.spacing, margin: kept.margin }),
    [receiver, kept.spacing, kept.margin],
  );
  const key = JSON.stringify([receiver.id, receiver.bed, kept.spacing, kept.margin, items.map((i) => [i.id, i.copies, i.outline.length, i.height.toFixed(3)])]);
  const found: BedLayout | null = useMemo(() => (ready ? layOut(items, size) : null), [ready, key]);
  const laid = kept.laid && kept.key === key ? kept.laid : (found?.laid ?? []);
  const save = useCallback(
    (change: Partial<Kept>) =>
      setKept((old) => {
        const next = { ...old, ...change };
        localStorage.setItem(store, JSON.stringify(next));
        return next;
      }),
    [store],
  );
  const move = (next: Laid[]) => {
    setPast((p) => [...p.slice(-99), laid]);
    save({ laid: next, key });
  };
  const undo = () => {
    const last = past[past.length - 1];
    if (!last) return;
    setPast(past.slice(0, -1));
    save({ laid: last, key });
  };
  const beds = Math.max(1, ...laid.map((l) => l.bed + 1));
  const shownBed = Math.min(bed, beds - 1);
  const wrong = useMemo(() => clashes(items, laid, size), [items, laid, size]);
  const bad = new Set([...wrong.pairs.flat(), ...wrong.off]);
  const onBed = laid.map((l, i) => ({ l, i })).filter(({ l }) => l.bed === shownBed);
  const here = [...new Set(onBed.map(({ l }) => l.id))].flatMap((id) => {
    const part = all.find((p) => p.id === id);
    return part ? [{ part, copies: onBed.filter(({ l }) => l.id === id).length }] : [];
  });
  const highest = items
    .filter((i) => here.some((h) => h.part.id === i.id))
    .reduce<LayItem | null>((most, i) => (most && most.height >= i.height ? most : i), null);
  const badHere = onBed.filter(({ i }) => bad.has(i));
  const files = tools.job!.operations.filter((o) => o.kind === 'bed');
  const name = (id: string) => items.find((i) => i.id === id)?.name ?? '';
  const turnChosen = (degrees: number) => chosen !== null && move(laid.map((l, i) => (i === chosen ? { ...l, turn: (l.turn + degrees + 360) % 360 } : l)));
  if (all.length === 0)
    return (
      <div className={frame.empty}>
        <h2>No parts to lay out</h2>
        <p>Bring designs in on the ledger first.</p>
      </div>
    );
  return (
    <div className={desk.table}>
      <div className={`${desk.stage} ${desk.bedstage}`}>
        <div className={desk.bedtabs} role="group" aria-label="Beds">
          {Array.from({ length: beds }, (_, b) => (
            <Button key={b} aria-pressed={b === shownBed} onClick={() => setBed(b)} size="small">
              Bed {b + 1}
            </Button>
          ))}
          <span className="context">
            <span className="figure">{onBed.length}</span> of <span className="figure">{laid.length}</span> parts; bed{' '}
            <span className="figure">{receiver.bed.slice(0, 2).join(' × ')} mm</span>
            {highest && (
              <>
                ; {highest.name} is highest, <Len mm={highest.height} />
              </>
            )}
          </span>
          <span className={style.atright}>
            <Button disabled={chosen === null} onClick={() => turnChosen(15)} size="small">
              Turn 15°
            </Button>
            <Button disabled={chosen === null} onClick={() => turnChosen(90)} size="small">
              Turn 90°
            </Button>
            <Button
              disabled={chosen === null}
              onClick={() => {
                if (chosen === null) return;
                move(laid.map((l, i) => (i === chosen ? { ...l, bed: (l.bed + 1) % (beds + (onBed.length > 1 && shownBed === beds - 1 ? 1 : 0)) } : l)));
                setChosen(null);
              }}
              size="small"
            >
              To the next bed
            </Button>
            <Button disabled={past.length === 0} onClick={undo} size="small">
              Undo
            </Button>
          </span>
        </div>
        {!ready && <p className={`context ${frame.waiting}`}>Looking at the parts from above …</p>}
        {ready && <BedSheet size={size} items={items} laid={laid} bed={shownBed} bad={bad} chosen={chosen} choose={setChosen} move={move} />}
      </div>
      <aside className={desk.panel} data-test="panel" aria-label="Layout" tabIndex={0}>
        <h2>Layout</h2>
        <label className={desk.row}>
          Receiver
          <Choice
            value={receiver.id}
            onChange={(value) => save({ receiver: value, spacing: machines.find((r) => r.id === value)!.spacing, laid: null })}
            options={[...machines.map((r) => ({ value: r.id, label: `${r.name}, ${r.process}` }))]}
          />
        </label>
        <div className={desk.row}>
          <Whole label="Spacing" value={kept.spacing} set={(spacing) => save({ spacing, laid: null })} />
          <Whole label="Rim" value={kept.margin} set={(margin) => save({ margin, laid: null })} />
        </div>
        <Button
          disabled={!ready}
          onClick={() => {
            move(layOut(items, size).laid);
            setChosen(null);
          }}
        >
          Lay out again
        </Button>
        {found && (
          <p>
            <MarkShape mark={bad.size > 0 ? 'stop' : 'clear'} size={12} />{' '}
            {bad.size > 0
              ? `${bad.size} parts are too near to each other or off the bed.`
              : `${laid.length} parts on ${beds} ${beds === 1 ? 'bed' : 'beds'}, nothing too near.`}
          </p>
        )}
        {ready && <BedTime key={here.map((h) => h.part.id).join()} parts={here} receiver={receiver} />}
        {badHere.length > 0 && (
          <p role="status" data-test="clash">
            On this bed: {[...new Set(badHere.map(({ l }) => name(l.id)))].join(', ')}. <span className="context">Drag them apart, or lay out again.</span>
          </p>
        )}
        {found?.misfits.map((m) => (
          <p key={m.id} data-test="misfit">
            <MarkShape mark="stop" size={11} /> {m.name} does not fit: <Len mm={m.over} /> too{' '}
            {m.along === 'height' ? 'high' : m.along === 'width' ? 'wide' : 'long'}.{' '}
            <span className="context">
              {otherStance(
                all.find((p) => p.id === m.id)!,
                size,
              )}
            </span>
          </p>
        ))}
        <ul className={`${desk.partlist} ${style.names}`} data-test="partlist">
          {all.map((p) => (
            <li key={p.id}>
              <Checkbox
                checked={!kept.out.includes(p.id)}
                onChange={(e) => save({ out: e.target.checked ? kept.out.filter((o) => o !== p.id) : [...kept.out, p.id], laid: null })}
              >
                {p.name}
                <span className="context"> {sideDown(p.recipe.stance.turn)} down</span>
              </Checkbox>
              <span className="figure">
                <Input
                  type="number"
                  min={1}
                  max={999}
                  aria-label={`How many of ${p.name}`}
                  defaultValue={p.quantity}
                  key={p.quantity}
                  onBlur={(e) => {
                    const n = Number(e.target.value);
                    if (Number.isInteger(n) && n > 0 && n !== p.quantity) void tools.change(p, `count of ${p.name}`.slice(0, 80), { quantity: n });
                  }}
                  className={`num ${widths.w50}`}
                  size="small"
                />{' '}
                off
              </span>
            </li>
          ))}
        </ul>
        <Button
          disabled={!ready || onBed.length === 0 || badHere.length > 0}
          onClick={() =>
            void tools.operate({
              kind: 'bed',
              receiver,
              unit: 'mm',
              bed: shownBed,
              laid: onBed.map(({ l }) => l),
              name: `${tools.job!.name} bed ${shownBed + 1}`.slice(0, 100),
            })
          }
          type="primary"
        >
          Write bed {shownBed + 1}, and read it back
        </Button>
        <Files operations={files} tools={tools} />
        <p className="context">
          {parts.length} of {all.length} parts are laid out.
        </p>
      </aside>
    </div>
  );
}

function Whole({ label, value, set }: { label: string; value: number; set: (v: number) => void }) {
  return (
    <label>
      {label}{' '}
      <Input
        type="number"
        min={0}
        max={100}
        step={0.5}
        value={value}
        onChange={(e) => Number(e.target.value) >= 0 && set(Number(e.target.value))}
        className={`num ${widths.w58}`}
        size="small"
      />{' '}
      <span className="figure">mm</span>
    </label>
  );
}

/** Whether another side down would fit, in words. */
function otherStance(part: PartView, bed: BedSize): string {
  const s = scaleOf(part.summary, part.recipe);
  const dims = [0, 1, 2].map((k) => (part.summary.box.max[k] - part.summary.box.min[k]) * s);
  const room = [bed.width - 2 * bed.margin, bed.length - 2 * bed.margin].sort((a, b) => a - b);
  for (let k = 0; k < 3; k++) {
    const base = dims.filter((_, i) => i !== k).sort((a, b) => a - b);
    if (dims[k] <= bed.height && base[0] <= room[0] && base[1] <= room[1]) return `With its ${'XYZ'[k]} side down it would.`;
  }
  return `No side down makes it fit (${threeLengths(dims)} mm): divide it, or take a larger receiver.`;
}
