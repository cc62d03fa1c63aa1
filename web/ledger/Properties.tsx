import { Input, Button } from 'antd';
import { useState } from 'react';
import dynamic from 'next/dynamic';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { ask } from '@/shell/ask.ts';
import type { Fields } from '@/shell/useChanges.ts';
import type { JobTools } from '@/shell/useJob.ts';
import { MaterialInput } from '@/stores/MaterialInput.tsx';
import { LengthInput } from '@/shell/LengthInput.tsx';
import frame from '@/shell/frame.module.css';
import widths from '@/shell/widths.module.css';
import style from './ledger.module.css';

const Dialog = dynamic(() => import('@/shell/Dialog.tsx').then((m) => m.Dialog), { ssr: false });

/** One value when all parts share it. */
function shared(parts: PartView[], of: (p: PartView) => string): string {
  const [first] = parts.map(of);
  return parts.every((p) => of(p) === first) ? first : '';
}

/** Properties of the chosen parts, or a variant made of them: fields left empty stay as they are. */
export function Properties({
  kind,
  jobId,
  chosen,
  close,
  tools,
}: {
  kind: 'properties' | 'variant';
  jobId: string;
  chosen: PartView[];
  close: () => void;
  tools: JobTools;
}) {
  const several = chosen.length > 1;
  const [number, setNumber] = useState(() => shared(chosen, (p) => p.number));
  const [material, setMaterial] = useState(() => shared(chosen, (p) => p.material));
  const [thickness, setThickness] = useState(() => shared(chosen, (p) => (p.thickness === null ? '' : String(p.thickness))));
  const [variant, setVariant] = useState(() => (kind === 'variant' ? '' : shared(chosen, (p) => p.variant)));
  const [times, setTimes] = useState('1');
  const mm = Number(thickness.replace(',', '.'));
  const badThickness = thickness.trim() !== '' && !(mm > 0 && mm <= 1000);
  const badTimes = kind === 'variant' && !/^[1-9]\d{0,3}$/.test(times.trim());
  const what = several ? `${chosen.length} parts` : chosen[0].name;
  const save = () => {
    close();
    if (kind === 'variant') {
      const wish = {
        parts: chosen.map((p) => p.id),
        variant: variant.trim(),
        times: Number(times),
        material: material.trim() || null,
        thickness: thickness.trim() === '' ? null : mm,
      };
      return void tools.guarded(() => ask(`/api/jobs/${jobId}/variants`, { method: 'POST', body: wish }));
    }
    const fields: Fields = {};
    if (!several && number.trim() !== chosen[0].number) fields.number = number.trim();
    if (material.trim() !== shared(chosen, (p) => p.material)) fields.material = material.trim();
    if (thickness.trim() !== shared(chosen, (p) => (p.thickness === null ? '' : String(p.thickness)))) fields.thickness = thickness.trim() === '' ? null : mm;
    if (variant.trim() !== shared(chosen, (p) => p.variant)) fields.variant = variant.trim();
    if (Object.keys(fields).length > 0) void tools.changeAll(chosen, `set properties of ${what}`, fields);
  };
  const field = (label: string, value: string, set: (v: string) => void, more: { length?: boolean; material?: boolean; hint?: string } = {}) => (
    <label className={style.formrow}>
      <span>{label}</span>
      <span>
        {more.length ? (
          <LengthInput width={90} value={value} onChange={set} />
        ) : more.material ? (
          <MaterialInput width={220} value={value} onChange={set} label={label} />
        ) : (
          <Input className={widths.w220} value={value} maxLength={60} onChange={(e) => set(e.target.value)} size="small" />
        )}
        {more.hint && <span className="context"> {more.hint}</span>}
      </span>
    </label>
  );
  return (
    <Dialog title={kind === 'variant' ? `A variant of ${what}` : `Properties of ${what}`} close={close}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          save();
        }}
      >
        {kind === 'variant' && field('Its name', variant, setVariant, { hint: 'for instance: tall' })}
        {kind === 'variant' && field('Quantity times', times, setTimes)}
        {kind === 'properties' && !several && field('Part number', number, setNumber)}
        {field('Material', material, setMaterial, { material: true })}
        {field('Thickness', thickness, setThickness, { length: true })}
        {kind === 'properties' && field('Variant', variant, setVariant)}
        <p className={`context ${frame.spaced}`}>
          {badThickness
            ? 'The thickness must be a number of mm above 0, at most 1000.'
            : badTimes
              ? 'The quantity is multiplied by a whole number from 1 to 9999.'
              : kind === 'variant'
                ? 'The parts come again under this name, with the same shapes; what is left empty stays as it is.'
                : several
                  ? 'What you change is set for all of them; part numbers are set one by one, or by a parts list.'
                  : 'They name files and tell parts apart in a release.'}
        </p>
        <Button disabled={badThickness || badTimes || (kind === 'variant' && variant.trim() === '')} type="primary" htmlType="submit">
          {kind === 'variant' ? 'Make the variant' : 'Set them'}
        </Button>{' '}
        <Button onClick={close}>Cancel</Button>
      </form>
    </Dialog>
  );
}
