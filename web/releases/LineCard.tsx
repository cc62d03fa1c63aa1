import { lengthUnits } from 'tall-kite/base/readings';
import { formatNames, type FileFormat, type Receiver } from 'tall-kite/receivers/receivers';
import { receiverLabel } from '@/stores/useReceivers.ts';
import type { Grouping } from 'tall-kite/release/recipe';
import { usualFlatten, type FlattenChoice } from 'tall-kite/sheet/pattern';
import { useEffect } from 'react';
import { useBendRule } from '@/sheet/useBendRule.tsx';

/** A line as a person sets it. */
export interface Line {
  receiver: Receiver;
  format: FileFormat;
  unit: string;
  group: Grouping;
  flatten: FlattenChoice | null;
}

export const firstLine = (receiver: Receiver): Line => ({ receiver, format: receiver.formats[0], unit: 'mm', group: 'each', flatten: null });

const groupWords: Record<Grouping, string> = { each: 'one each', all: 'one for all', stock: 'one a material, thickness', bed: 'one a bed' };

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
  const groups: Grouping[] = cutter || !(line.format === '3mf' || line.format === 'stl') ? ['each', 'all', 'stock'] : ['each', 'all', 'stock', 'bed'];
  return (
    <fieldset className="linecard" data-test={`line-${n}`}>
      <legend className="visually-hidden">Line {n}</legend>
      <select
        className="typed"
        aria-label={`Receiver of line ${n}`}
        value={receiver.id}
        onChange={(e) => set(firstLine(machines.find((r) => r.id === e.target.value)!))}
      >
        {machines.map((r) => (
          <option key={r.id} value={r.id}>
            {receiverLabel(r)}
          </option>
        ))}
      </select>
      <select
        className="typed"
        aria-label={`Format of line ${n}`}
        value={line.format}
        onChange={(e) => set({ ...line, format: e.target.value as FileFormat, unit: 'mm', group: line.group === 'bed' ? 'each' : line.group })}
      >
        {receiver.formats.map((f) => (
          <option key={f} value={f}>
            {formatNames[f]}
          </option>
        ))}
      </select>
      <select className="typed" aria-label={`Unit of line ${n}`} value={line.unit} onChange={(e) => set({ ...line, unit: e.target.value })}>
        {units.map((u) => (
          <option key={u.id} value={u.id}>
            {u.id}
          </option>
        ))}
      </select>
      <select className="typed" aria-label={`Files of line ${n}`} value={line.group} onChange={(e) => set({ ...line, group: e.target.value as Grouping })}>
        {groups.map((g) => (
          <option key={g} value={g}>
            {groupWords[g]}
          </option>
        ))}
      </select>
      {remove && (
        <button type="button" className="plain small" aria-label={`Take out line ${n}`} onClick={remove}>
          Take out
        </button>
      )}
      {cutter && (
        <label className="unfold">
          <input type="checkbox" checked={line.flatten !== null} onChange={(e) => set({ ...line, flatten: e.target.checked ? usualFlatten : null })} /> unfold
          sheet parts on the way
        </label>
      )}
      {line.flatten && <Rule set={(flatten) => set({ ...line, flatten })} />}
    </fieldset>
  );
}

function Rule({ set }: { set: (f: FlattenChoice) => void }) {
  const { rule, stored, fields } = useBendRule();
  const said = JSON.stringify(rule);
  useEffect(() => {
    if (rule) set({ ...usualFlatten, rule, material: stored?.table.material ?? '' });
    // The rule as a text, since it is made anew at each drawing.
  }, [said]);
  return <div className="rule">{fields}</div>;
}
