import { Button, Checkbox } from 'antd';
import { Choice } from '@/shell/controls.tsx';
import { lengthUnits } from 'tall-kite/base/readings';
import { leastSharedKerf, usualNest, usualSharedKerf, type NestChoice } from 'tall-kite/cutlist/how';
import { LengthInput } from '@/shell/LengthInput.tsx';
import { usualWork, type TubeWork } from 'tall-kite/bender/rules';
import { formatNames, isBender, type BenderReceiver, type FileFormat, type Receiver } from 'tall-kite/receivers/receivers';
import { densityOf } from 'tall-kite/materials/materials';
import { MaterialInput } from '@/stores/MaterialInput.tsx';
import { useMaterials } from '@/stores/useMaterials.ts';
import { receiverLabel } from '@/stores/useReceivers.ts';
import type { Grouping } from 'tall-kite/release/recipe';
import { usualFlatten, type FlattenChoice } from 'tall-kite/sheet/pattern';
import { useEffect } from 'react';
import { useBendRule } from '@/sheet/useBendRule.tsx';
import style from './releases.module.css';

/** A line as a person sets it. */
export interface Line {
  receiver: Receiver;
  format: FileFormat;
  unit: string;
  group: Grouping;
  flatten: FlattenChoice | null;
  /** How panels are laid on sheets, for what is nested. */
  nest?: Partial<NestChoice>;
  /** What is particular to tubes, for a bender. */
  tubes?: Partial<TubeWork>;
}

export const firstLine = (receiver: Receiver): Line => ({
  receiver,
  format: receiver.formats[0],
  unit: 'mm',
  group: isBender(receiver) ? 'tubes' : 'each',
  flatten: null,
});

const groupWords: Record<Grouping, string> = {
  each: 'one each',
  all: 'one for all',
  stock: 'one a material, thickness',
  bed: 'one a bed',
  nested: 'panels nested on sheets',
  tubes: 'bend tables of tubes',
};

/** One way that the parts go: to which machine, in what, in how many files. */
export function LineCard({
  line,
  n,
  set,
  remove,
  machines,
}: {
  machines: readonly Receiver[];
  line: Line;
  n: number;
  set: (l: Line) => void;
  remove: (() => void) | null;
}) {
  const { receiver } = line;
  const cutter = receiver.cutter !== undefined;
  const units = line.format === 'svg' ? [{ id: 'mm' }, { id: '96dpi' }] : line.format === 'pdf' ? [{ id: 'mm' }] : lengthUnits;
  const usual: Grouping[] = ['each', 'all', 'stock'];
  const groups: Grouping[] =
    cutter || !(line.format === '3mf' || line.format === 'stl') ? [...usual, ...(cutter ? (['nested'] as const) : [])] : [...usual, 'bed'];
  const toReceiver = (
    <Choice
      value={receiver.id}
      label={`Receiver of line ${n}`}
      onChange={(value) => set(firstLine(machines.find((r) => r.id === value)!))}
      options={[...machines.map((r) => ({ value: r.id, label: receiverLabel(r) }))]}
    />
  );
  const takeOut = remove && (
    <Button aria-label={`Take out line ${n}`} onClick={remove} size="small">
      Take out
    </Button>
  );
  if (isBender(receiver))
    return (
      <fieldset className={style.linecard} data-test={`line-${n}`}>
        <legend className="visually-hidden">Line {n}</legend>
        {toReceiver}
        <span className="context">{['bend tables', ...receiver.formats.map((f) => formatNames[f])].join(', ')}; one zip</span>
        {takeOut}
        <OfTubes receiver={receiver} tubes={line.tubes ?? {}} set={(tubes) => set({ ...line, tubes })} />
      </fieldset>
    );
  return (
    <fieldset className={style.linecard} data-test={`line-${n}`}>
      <legend className="visually-hidden">Line {n}</legend>
      {toReceiver}
      <Choice
        value={line.format}
        label={`Format of line ${n}`}
        onChange={(value) => set({ ...line, format: value as FileFormat, unit: 'mm', group: line.group === 'bed' ? 'each' : line.group })}
        options={[...receiver.formats.map((f) => ({ value: f, label: formatNames[f] }))]}
      />
      <Choice
        value={line.unit}
        label={`Unit of line ${n}`}
        onChange={(value) => set({ ...line, unit: value })}
        options={[...units.map((u) => ({ value: u.id, label: u.id }))]}
      />
      <Choice
        value={line.group}
        label={`Files of line ${n}`}
        onChange={(value) => set({ ...line, group: value as Grouping })}
        options={[...groups.map((g) => ({ value: g, label: groupWords[g] }))]}
      />
      {takeOut}
      {cutter && (
        <Checkbox className={style.unfold} checked={line.flatten !== null} onChange={(e) => set({ ...line, flatten: e.target.checked ? usualFlatten : null })}>
          unfold sheet parts on the way
        </Checkbox>
      )}
      {line.group === 'nested' && <OnSheets nest={line.nest ?? {}} set={(nest) => set({ ...line, nest })} />}
      {line.flatten && <Rule set={(flatten) => set({ ...line, flatten })} />}
    </fieldset>
  );
}

/** What is particular to tubes. */
function OfTubes({ receiver, tubes, set }: { receiver: BenderReceiver; tubes: Partial<TubeWork>; set: (tubes: Partial<TubeWork>) => void }) {
  const now = { ...usualWork, ...tubes };
  const materials = useMaterials();
  return (
    <div className={style.rule}>
      <label>
        Material{' '}
        <MaterialInput
          width={110}
          label="Material"
          value={now.material}
          onChange={(text) => set({ ...tubes, material: text, density: densityOf(text, materials) ?? usualWork.density })}
        />
      </label>
      <Checkbox checked={now.toDie} disabled={receiver.bender.dies.length === 0} onChange={(e) => set({ ...tubes, toDie: e.target.checked })}>
        nearest die, corners stay
      </Checkbox>
      <Checkbox checked={now.quantity} onChange={(e) => set({ ...tubes, quantity: e.target.checked })}>
        quantity in the names
      </Checkbox>
    </div>
  );
}

/** The sheets that panels are laid on. */
function OnSheets({ nest, set }: { nest: Partial<NestChoice>; set: (nest: Partial<NestChoice>) => void }) {
  const now = { ...usualNest, ...nest };
  const [sheet] = now.sheets;
  const sized = (size: Partial<typeof sheet>) => set({ ...nest, sheets: [{ ...sheet, ...size }] });
  return (
    <div className={style.rule}>
      <label>
        Sheet <LengthInput bare width={64} label="Length of the sheet" value={String(sheet.width)} onChange={(v) => Number(v) >= 10 && sized({ width: Number(v) })} /> ×{' '}
        <LengthInput width={64} label="Width of the sheet" value={String(sheet.height)} onChange={(v) => Number(v) >= 10 && sized({ height: Number(v) })} />
      </label>
      {now.shared ? (
        <label>
          Cut width <LengthInput width={56} value={String(now.kerf)} onChange={(v) => Number(v) >= leastSharedKerf && Number(v) <= 50 && set({ ...nest, kerf: Number(v) })} />
        </label>
      ) : (
        <label>
          Between parts <LengthInput width={56} value={String(now.spacing)} onChange={(v) => v !== '' && Number(v) >= 0 && set({ ...nest, spacing: Number(v) })} />
        </label>
      )}
      <label>
        From the edge <LengthInput width={56} value={String(now.rim)} onChange={(v) => v !== '' && Number(v) >= 0 && set({ ...nest, rim: Number(v) })} />
      </label>
      <Checkbox checked={!!now.shared} onChange={(e) => set(e.target.checked ? { ...nest, shared: true, kerf: now.kerf || usualSharedKerf, tabs: null, skin: 0 } : { ...nest, shared: false })}>
        parts share cuts
      </Checkbox>
    </div>
  ); // prettier-ignore
}

function Rule({ set }: { set: (f: FlattenChoice) => void }) {
  const { rule, stored, fields } = useBendRule();
  const said = JSON.stringify(rule);
  useEffect(() => {
    if (rule) set({ ...usualFlatten, rule, material: stored?.table.material ?? '' });
    // The rule as a text, since it is made anew at each drawing.
  }, [said]);
  return <div className={style.rule}>{fields}</div>;
}
