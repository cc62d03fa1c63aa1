'use client';
import { Button, Form, Input, Select } from 'antd';
import { useMemo, useState } from 'react';
import { develop, developChoice, developKinds, type DevelopField, type DevelopKind } from 'tall-kite/develop/develop';
import { sizesFile } from 'tall-kite/develop/sizes-file';
import { boxOfDrawing } from 'tall-kite/curves/drawing';
import { thumbOfDrawing } from 'tall-kite/curves/thumb';
import { asUnusable } from 'tall-kite/base/finding';
import { Dialog } from '@/shell/Dialog.tsx';
import { MarkShape } from '@/marks/Mark.tsx';
import { LengthInput } from '@/shell/LengthInput.tsx';
import frame from '@/shell/frame.module.css';
import style from './ledger.module.css';

const kinds = Object.keys(developKinds) as DevelopKind[];
/** Words of the core's choices, as a person reads them. */
const said: Record<string, string> = {
  inside: 'inside the sheet',
  mean: 'of its middle',
  outside: 'outside the sheet',
  '+x': 'that looks to +X',
  '-x': 'that looks to −X',
  '+y': 'that looks to +Y',
  '-y': 'that looks to −Y',
  template: 'a template to wrap round the pipe',
  sheet: 'a sheet to be rolled',
  bore: 'as wide as the bore',
  branch: 'as wide as the branch',
  none: 'none',
};

const valuesOf = (fields: readonly DevelopField[], typed: Record<string, string>): Record<string, string | number> =>
  Object.fromEntries(
    fields.flatMap((f) => {
      const text = (typed[f.id] ?? String(f.usual ?? '')).trim();
      return text === '' ? [] : [[f.id, f.words ? text : text.replace(',', '.')]];
    }),
  );

/** A duct, a cone or a pipe branch from its sizes: the flat is shown while they are typed, and comes as a design that can be revised. */
export function FromSizes({ close, bring }: { close: () => void; bring: (file: File) => void }) {
  const [kind, setKind] = useState<DevelopKind>('square-to-round');
  const [typed, setTyped] = useState<Record<string, string>>({});
  const [name, setName] = useState('');
  const { fields, title, about } = developKinds[kind];
  const missing = fields.filter((f) => f.usual === null && !typed[f.id]?.trim());
  const shown = useMemo(() => {
    if (missing.length > 0) return null;
    try {
      const choice = developChoice({ kind, ...valuesOf(fields, typed) });
      const made = develop(choice);
      return { made, box: boxOfDrawing(made.drawing), trouble: null };
    } catch (thrown) {
      return { made: null, box: null, trouble: asUnusable(thrown) };
    }
  }, [kind, fields, typed, missing.length]);
  const stop = shown?.made?.findings.find((f) => f.severity === 'stop') ?? null;
  const make = () => {
    const sizes = Object.fromEntries(Object.entries(valuesOf(fields, typed)).map(([k, v]) => [k, fields.find((f) => f.id === k)!.words ? v : Number(v)]));
    const base = name.trim() || `${title} ${Object.values(sizes).slice(0, 3).join(' x ')}`;
    bring(new File([sizesFile(kind, sizes)], `${base.replace(/[\\/:*?"<>|]+/g, '-')}.sizes`, { type: 'application/json' }));
    close();
  };
  return (
    <Dialog title="A sheet part from its sizes" close={close} width={820}>
      <Form layout="horizontal" labelCol={{ span: 13 }} labelAlign="left" size="small" colon={false} onFinish={make} data-test="fromsizes">
        <div className={style.sizestwo}>
          <div>
            <Form.Item label="Shape" className={frame.near} htmlFor="sizes-shape">
              <Select
                id="sizes-shape"
                value={kind}
                onChange={(next) => {
                  setKind(next);
                  setTyped({});
                }}
                options={kinds.map((k) => ({ value: k, label: developKinds[k].title }))}
              />
            </Form.Item>
            <p className={`context ${frame.over}`}>{about}</p>
            {fields.map((f) => (
              <SizeField key={`${kind} ${f.id}`} field={f} value={typed[f.id] ?? String(f.usual ?? '')} set={(v) => setTyped({ ...typed, [f.id]: v })} />
            ))}
            <Form.Item label="Name" className={frame.near} htmlFor="sizes-name">
              <Input id="sizes-name" maxLength={80} placeholder="its sizes" value={name} onChange={(e) => setName(e.target.value)} />
            </Form.Item>
          </div>
          <div className={style.sizesflat} aria-live="polite" data-test="sizesflat">
            {shown === null && <p className="context">Still to type: {missing.map((f) => f.label.toLowerCase()).join(', ')}.</p>}
            {shown?.trouble && (
              <p role="alert">
                <MarkShape mark="stop" /> {shown.trouble.message} {shown.trouble.remedy}
              </p>
            )}
            {shown?.made && (
              <>
                <svg className={style.sizesdrawn} viewBox="0 0 46 46" aria-hidden="true">
                  <path d={thumbOfDrawing(shown.made.drawing, shown.box)} fill="none" stroke="var(--designed)" strokeWidth="0.35" strokeLinejoin="round" />
                </svg>
                <p>
                  <MarkShape mark={stop ? 'stop' : 'clear'} /> Flat{' '}
                  <span className="figure">
                    {(shown.box[2] - shown.box[0]).toFixed(2)} × {(shown.box[3] - shown.box[1]).toFixed(2)} mm
                  </span>
                  {shown.made.bends.length > 0 && `, ${shown.made.bends.length} bend lines`}.{' '}
                  {(stop ?? shown.made.findings.find((f) => f.code === 'developed'))?.message}
                </p>
              </>
            )}
          </div>
        </div>
        <Button type="primary" htmlType="submit" disabled={!shown?.made || stop !== null}>
          Make it
        </Button>{' '}
        <Button onClick={close}>Cancel</Button>
      </Form>
    </Dialog>
  );
}

/** One size of a shape: words to choose from, a length, or an angle. */
function SizeField({ field: f, value, set }: { field: DevelopField; value: string; set: (v: string) => void }) {
  const id = `sizes-${f.id}`;
  return (
    <Form.Item label={f.label} className={frame.near} htmlFor={id}>
      {f.words ? (
        <Select id={id} value={value} onChange={set} options={f.words.map((w) => ({ value: w, label: said[w] ?? w }))} />
      ) : f.unit === 'mm' ? (
        <LengthInput id={id} width={120} value={value} onChange={set} />
      ) : (
        <Input id={id} className="num" inputMode="decimal" suffix={f.unit === 'degrees' ? '°' : f.unit} value={value} onChange={(e) => set(e.target.value)} />
      )}
    </Form.Item>
  );
}
