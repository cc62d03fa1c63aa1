import { Input, Button } from 'antd';
import { useState } from 'react';
import dynamic from 'next/dynamic';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { ask } from '@/shell/ask.ts';
import type { JobTools } from '@/shell/useJob.ts';
import { MaterialInput } from '@/stores/MaterialInput.tsx';
import { LengthInput } from '@/shell/LengthInput.tsx';
import { changedFields, firstTyped, variantWish, wrongWith, type Typed } from './properties.ts';
import frame from '@/shell/frame.module.css';
import widths from '@/shell/widths.module.css';
import style from './ledger.module.css';

const Dialog = dynamic(() => import('@/shell/Dialog.tsx').then((m) => m.Dialog), { ssr: false });

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
  const variant = kind === 'variant';
  const [typed, setTyped] = useState(() => firstTyped(chosen, variant));
  const wrong = wrongWith(typed, variant);
  const what = several ? `${chosen.length} parts` : chosen[0].name;
  const save = () => {
    close();
    if (variant) return void tools.guarded(() => ask(`/api/jobs/${jobId}/variants`, { method: 'POST', body: variantWish(chosen, typed) }));
    const fields = changedFields(chosen, typed);
    if (Object.keys(fields).length > 0) void tools.changeAll(chosen, `set properties of ${what}`, fields);
  };
  const field = (label: string, of: keyof Typed, hint = '') => (
    <label className={style.formrow}>
      <span>{label}</span>
      <span>
        <OneField label={label} of={of} value={typed[of]} set={(value) => setTyped({ ...typed, [of]: value })} />
        {hint && <span className="context"> {hint}</span>}
      </span>
    </label>
  );
  return (
    <Dialog title={variant ? `A variant of ${what}` : `Properties of ${what}`} close={close}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          save();
        }}
      >
        {variant && field('Its name', 'variant', 'for instance: tall')}
        {variant && field('Quantity times', 'times')}
        {!variant && !several && field('Part number', 'number')}
        {field('Material', 'material')}
        {field('Thickness', 'thickness')}
        {!variant && field('Variant', 'variant')}
        <p className={`context ${frame.spaced}`}>{wrong || hintOf(variant, several)}</p>
        <Button disabled={wrong !== null} type="primary" htmlType="submit">
          {variant ? 'Make the variant' : 'Set them'}
        </Button>{' '}
        <Button onClick={close}>Cancel</Button>
      </form>
    </Dialog>
  );
}

/** What will come of it. */
function hintOf(variant: boolean, several: boolean): string {
  if (variant) return 'The parts come again under this name, with the same shapes; what is left empty stays as it is.';
  return several
    ? 'What you change is set for all of them; part numbers are set one by one, or by a parts list.'
    : 'They name files and tell parts apart in a release.';
}

function OneField({ label, of, value, set }: { label: string; of: keyof Typed; value: string; set: (typed: string) => void }) {
  if (of === 'thickness') return <LengthInput width={90} value={value} onChange={set} />;
  if (of === 'material') return <MaterialInput width={220} value={value} onChange={set} label={label} />;
  return <Input className={widths.w220} value={value} maxLength={60} onChange={(e) => set(e.target.value)} size="small" />;
}
