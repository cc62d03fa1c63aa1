'use client';
import { Button, Checkbox, Input } from 'antd';
import { threeLengths } from 'tall-kite/base/figures';
import { layOut, type BedSize, type LayItem } from 'tall-kite/beds/layout';
import type { Receiver } from 'tall-kite/receivers/receivers';
import { scaleOf } from 'tall-kite/recipe/recipe';
import { sideDown } from 'tall-kite/stance/stance';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { Files } from '@/join/Files.tsx';
import { MarkShape } from '@/marks/Mark.tsx';
import { Choice } from '@/shell/controls.tsx';
import { Len } from '@/shell/unit.tsx';
import type { JobTools } from '@/shell/useJob.ts';
import { BedTime } from './BedTime.tsx';
import style from './beds.module.css';
import type { BedsTools } from './useBeds.ts';
import desk from '@/shell/desk.module.css';
import widths from '@/shell/widths.module.css';

type About = { beds: BedsTools };

/** The beds to choose from, what lies on the one that is shown, and what can be done with the chosen part. */
export function BedBar({ beds: { beds, shownBed, setBed, onBed, laid, receiver, items, here, chosen, setChosen, moveChosen, undo, canUndo } }: About) {
  const highest = items
    .filter((i) => here.some((h) => h.part.id === i.id))
    .reduce<LayItem | null>((most, i) => (most && most.height >= i.height ? most : i), null);
  const turn = (degrees: number) => moveChosen((l) => ({ ...l, turn: (l.turn + degrees + 360) % 360 }));
  // From the last bed a part goes to a new one, unless it is alone there.
  const room = beds + (onBed.length > 1 && shownBed === beds - 1 ? 1 : 0);
  return (
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
        <Button disabled={chosen === null} onClick={() => turn(15)} size="small">
          Turn 15°
        </Button>
        <Button disabled={chosen === null} onClick={() => turn(90)} size="small">
          Turn 90°
        </Button>
        <Button
          disabled={chosen === null}
          onClick={() => {
            moveChosen((l) => ({ ...l, bed: (l.bed + 1) % room }));
            setChosen(null);
          }}
          size="small"
        >
          To the next bed
        </Button>
        <Button disabled={!canUndo} onClick={undo} size="small">
          Undo
        </Button>
      </span>
    </div>
  );
}

/** The machine, and how much room there is between parts. */
export function Room({ beds: { receiver, kept, save, ready, items, size, move, setChosen }, machines }: About & { machines: readonly Receiver[] }) {
  return (
    <>
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
    </>
  );
}

/** Whether it lies well, what does not fit, and how long this bed takes. */
export function HowItLies({ beds: { found, bad, laid, beds, ready, here, receiver, onBed, items, all, size } }: About) {
  const badHere = onBed.filter(({ i }) => bad.has(i));
  const name = (id: string) => items.find((i) => i.id === id)?.name ?? '';
  return (
    <>
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
    </>
  );
}

/** The parts of the job: which are laid out, and how many of each. */
export function PartList({ beds: { all, kept, save }, tools }: About & { tools: JobTools }) {
  return (
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
  );
}

/** Writes the bed that is shown; what was written before. */
export function WriteBed({ beds: { all, kept, ready, onBed, bad, receiver, shownBed }, tools }: About & { tools: JobTools }) {
  const files = tools.job!.operations.filter((o) => o.kind === 'bed');
  const badHere = onBed.some(({ i }) => bad.has(i));
  return (
    <>
      <Button
        disabled={!ready || onBed.length === 0 || badHere}
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
        {all.filter((p) => !kept.out.includes(p.id)).length} of {all.length} parts are laid out.
      </p>
    </>
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
