'use client';
import { useQuery } from '@tanstack/react-query';
import { Input, Segmented, Select, Switch } from 'antd';
import { useRef, useState } from 'react';
import { usualPlate, type TextChoice, type TextPlate } from 'tall-kite/text/choice';
import type { Axis } from 'tall-kite/text/face';
import { families } from 'tall-kite/text/fonts';
import { NumberField } from '@/flat-table/panels/NumberField.tsx';
import { ask, type Refused } from '@/shell/ask.ts';
import { Choice, Glide } from '@/shell/controls.tsx';
import { MarkShape } from '@/marks/Mark.tsx';
import desk from '@/shell/desk.module.css';
import widths from '@/shell/widths.module.css';

type Change = (change: Partial<TextChoice>) => void;

/** Words, letters, size and shape of a text. @param plated whether it may stand on a plate of its own */
export function TextFields({
  choice,
  change,
  axes,
  plated = false,
  purpose = true,
}: {
  choice: TextChoice;
  change: Change;
  axes: Axis[];
  plated?: boolean;
  purpose?: boolean;
}) {
  return (
    <>
      <label>
        <span className="context">Words</span>
        <Input.TextArea
          aria-label="Words"
          value={choice.words}
          autoSize={{ minRows: 2, maxRows: 5 }}
          maxLength={2000}
          autoFocus
          onChange={(e) => change({ words: e.target.value })}
        />
      </label>
      <Letters choice={choice} change={change} axes={axes} />
      <Size choice={choice} change={change} />
      <Shape choice={choice} change={change} />
      {purpose && (
        <label className={desk.row}>
          The letters are
          <Choice
            label="What the letters are for"
            value={choice.meaning}
            onChange={(meaning) => change({ meaning: meaning as TextChoice['meaning'] })}
            options={[
              { value: 'engrave', label: 'engraved along their lines' },
              { value: 'cut', label: 'cut out' },
              { value: 'score', label: 'scored' },
              { value: 'pocket', label: 'cleared as pockets' },
            ]}
          />
        </label>
      )}
      {plated && <Plate choice={choice} change={change} />}
    </>
  );
}

/** Words for a request: a font that is kept in the stores goes by its id, since it may have megabytes. */
export const byName = (choice: TextChoice): TextChoice => (choice.own?.kept ? { ...choice, own: { ...choice.own, data: '' } } : choice);

interface Kept {
  id: string;
  name: string;
}

/** Which letters: those of the app, those kept in the stores, or a font file that is kept there from now on. */
function Letters({ choice, change, axes }: { choice: TextChoice; change: Change; axes: Axis[] }) {
  const picker = useRef<HTMLInputElement>(null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const kept = useQuery({ queryKey: ['fonts'], queryFn: () => ask<Kept[]>('/api/stores/fonts') });
  const about = families.find((f) => f.id === choice.font)?.about;
  const guarded = async (work: () => Promise<void>) => {
    setTrouble(null);
    try {
      await work();
    } catch (thrown) {
      const { message, remedy } = thrown as Refused;
      setTrouble(`${message} ${remedy ?? ''}`);
    }
  };
  const take = (id: string) =>
    guarded(async () => {
      const own = await ask<NonNullable<TextChoice['own']>>(`/api/stores/fonts/${id}`);
      change({ font: 'own', own: { ...own, kept: id }, axes: {} });
    });
  const bring = (file: File) =>
    guarded(async () => {
      const { id } = await ask<Kept>('/api/stores/fonts', { method: 'POST', file });
      await kept.refetch();
      await take(id);
    });
  const choose = (to: string) => {
    if (to === 'bring') picker.current?.click();
    else if (to.startsWith('kept ')) void take(to.slice(5));
    else if (to !== 'own') change({ font: to, own: undefined, axes: {} });
  };
  const others = (kept.data ?? []).filter((f) => f.name !== choice.own?.name);
  return (
    <>
      <label className={desk.row}>
        Letters
        <Select
          size="small"
          aria-label="Letters"
          className={widths.w190}
          listHeight={460}
          value={choice.font}
          onChange={choose}
          options={[
            ...families.map((f) => ({ value: f.id, label: f.name })),
            ...(choice.own ? [{ value: 'own', label: choice.own.name }] : []),
            ...others.map((f) => ({ value: `kept ${f.id}`, label: f.name })),
            { value: 'bring', label: 'A font file of yours …' },
          ]}
          optionRender={(o) => <span data-value={o.value}>{o.label}</span>}
        />
      </label>
      <input
        ref={picker}
        type="file"
        hidden
        data-test="font"
        aria-label="Font file"
        accept=".ttf,.otf,.woff,.woff2"
        onChange={(e) => {
          const file = e.target.files?.[0];
          e.target.value = '';
          if (file) void bring(file);
        }}
      />
      {about && <p className="context">{about}</p>}
      {trouble && (
        <p role="alert">
          <MarkShape mark="stop" size={11} /> {trouble}
        </p>
      )}
      {axes.map((a) => (
        <div className={desk.row} key={a.tag}>
          <span>{axisNames[a.tag] ?? a.tag}</span>
          <span className="grow">
            <Glide
              label={axisNames[a.tag] ?? a.tag}
              min={a.least}
              max={a.most}
              step={a.most - a.least > 20 ? 10 : (a.most - a.least) / 50}
              value={choice.axes[a.tag] ?? a.usual}
              onChange={(v) => change({ axes: { ...choice.axes, [a.tag]: v } })}
            />
          </span>
          <span className="figure">{Math.round((choice.axes[a.tag] ?? a.usual) * 10) / 10}</span>
        </div>
      ))}
    </>
  );
}

/** Names of axes that fonts share. Source: OpenType 1.9, design-variation axis tags. */
const axisNames: Record<string, string> = { wght: 'Weight', wdth: 'Width', slnt: 'Slant', opsz: 'Optical size', ital: 'Italic' };

function Size({ choice: { size, spacing, line, words }, change }: { choice: TextChoice; change: Change }) {
  return (
    <>
      <div className={desk.row}>
        <span>Size by</span>
        <Segmented
          size="small"
          aria-label="Size by"
          value={size.by}
          onChange={(by) => change({ size: { by: by as TextChoice['size']['by'], mm: size.mm } })}
          options={[
            { value: 'cap', label: 'height of H' },
            { value: 'low', label: 'of x' },
            { value: 'width', label: 'width' },
          ]}
        />
      </div>
      <NumberField
        label={{ cap: 'H is high', low: 'x is high', width: 'The widest line is wide' }[size.by]}
        value={size.mm}
        unit="mm"
        low={0.01}
        high={100_000}
        save={(mm) => change({ size: { ...size, mm } })}
      />
      <NumberField label="More between letters" value={spacing} unit="mm" low={-1000} high={1000} save={(v) => change({ spacing: v })} />
      {words.includes('\n') && (
        <NumberField label="From line to line, in heights of H" value={line} unit="" low={0.5} high={10} save={(v) => change({ line: v })} />
      )}
    </>
  );
}

function Shape({ choice: { align, path, mirrored, size }, change }: { choice: TextChoice; change: Change }) {
  const shape = path.kind === 'straight' ? 'straight' : path.inside ? 'below' : 'above';
  const radius = path.kind === 'arc' ? path.radius : Math.max(20, size.mm * 3);
  const bend = (to: string) => change({ path: to === 'straight' ? { kind: 'straight' } : { kind: 'arc', radius, inside: to === 'below' } });
  return (
    <>
      <div className={desk.row}>
        <span>Lines</span>
        <Segmented
          size="small"
          aria-label="Lines"
          value={align}
          onChange={(v) => change({ align: v as TextChoice['align'] })}
          options={[
            { value: 'left', label: 'left' },
            { value: 'centre', label: 'centred' },
            { value: 'right', label: 'right' },
          ]}
        />
      </div>
      <div className={desk.row}>
        <span>Run</span>
        <Segmented
          size="small"
          aria-label="Run"
          value={shape}
          onChange={(v) => bend(String(v))}
          options={[
            { value: 'straight', label: 'straight' },
            { value: 'above', label: 'over a circle' },
            { value: 'below', label: 'inside one' },
          ]}
        />
      </div>
      {path.kind === 'arc' && (
        <NumberField
          label="Radius of the base line"
          value={path.radius}
          unit="mm"
          low={0.1}
          high={100_000}
          save={(r) => change({ path: { ...path, radius: r } })}
        />
      )}
      <label className={desk.row}>
        Mirrored, to be read from behind
        <Switch size="small" checked={mirrored} onChange={(v) => change({ mirrored: v })} />
      </label>
    </>
  );
}

function Plate({ choice: { plate }, change }: { choice: TextChoice; change: Change }) {
  const set = (next: Partial<TextPlate>) => change({ plate: { ...plate!, ...next } });
  return (
    <>
      <label className={desk.row}>
        On a plate of its own
        <Switch size="small" checked={plate !== null} onChange={(on) => change({ plate: on ? usualPlate : null })} aria-label="On a plate of its own" />
      </label>
      {plate && (
        <>
          <NumberField label="Plate wide" value={plate.width} unit="mm" low={0.01} high={100_000} save={(width) => set({ width })} />
          <NumberField label="Plate high" value={plate.height} unit="mm" low={0.01} high={100_000} save={(height) => set({ height })} />
          <NumberField label="Corner radius" value={plate.radius} unit="mm" low={0} high={100_000} save={(radius) => set({ radius })} />
          <div className={desk.row}>
            <span>Holes</span>
            <Segmented
              size="small"
              aria-label="Holes"
              value={plate.holes}
              onChange={(holes) => set({ holes: holes as TextPlate['holes'] })}
              options={[
                { value: 0, label: 'none' },
                { value: 1, label: '1' },
                { value: 2, label: '2' },
                { value: 4, label: '4' },
              ]}
            />
          </div>
          {plate.holes > 0 && (
            <>
              <NumberField label="Hole diameter" value={plate.diameter} unit="mm" low={0.01} high={1000} save={(diameter) => set({ diameter })} />
              <NumberField label="From the edges in" value={plate.inset} unit="mm" low={0.01} high={1000} save={(inset) => set({ inset })} />
            </>
          )}
        </>
      )}
    </>
  );
}
