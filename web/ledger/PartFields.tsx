import { Input } from 'antd';
import { useEffect, useState, type KeyboardEvent } from 'react';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import type { Fields } from '@/shell/useChanges.ts';
import type { JobTools } from '@/shell/useJob.ts';
import { LengthInput } from '@/shell/LengthInput.tsx';

/** A field of a part that is typed in its place: what it shows, and what a typed text becomes; null for one that can't be. */
interface Field {
  key: 'name' | 'number' | 'quantity' | 'material' | 'thickness';
  label: string;
  width: number;
  shown: (part: PartView) => string;
  read: (text: string) => Fields | null;
  wrong: string;
}

/** mm above 0 and at most 1000; null for anything else. */
function thicknessOf(text: string): number | null {
  const value = Number(text);
  return value > 0 && value <= 1000 ? value : null;
}

const fields: Field[] = [
  { key: 'name', label: 'Name', width: 150, shown: (p) => p.name, read: (t) => (t ? { name: t } : null), wrong: 'A part needs a name.' },
  { key: 'number', label: 'Number', width: 90, shown: (p) => p.number, read: (t) => ({ number: t }), wrong: '' },
  {
    key: 'quantity',
    label: 'Quantity',
    width: 56,
    shown: (p) => String(p.quantity),
    read: (t) => (/^[1-9]\d{0,5}$/.test(t) && Number(t) <= 100_000 ? { quantity: Number(t) } : null),
    wrong: 'The quantity is a whole number from 1 to 100,000.',
  },
  { key: 'material', label: 'Material', width: 110, shown: (p) => p.material, read: (t) => ({ material: t }), wrong: '' },
  {
    key: 'thickness',
    label: 'Thickness',
    width: 56,
    shown: (p) => (p.thickness === null ? '' : String(p.thickness)),
    read: (t) => {
      const thickness = thicknessOf(t);
      return t === '' ? { thickness: null } : thickness === null ? null : { thickness };
    },
    wrong: 'The thickness is a length above 0, at most 1000 mm.',
  },
];

/** Name, number, quantity, material and thickness of the chosen row. Enter saves and goes to the same field of the row below, so that a column is typed through. */
export function PartFields({ part, tools, next, choose }: { part: PartView; tools: JobTools; next: string | null; choose: (id: string) => void }) {
  const [wrong, setWrong] = useState('');
  return (
    <>
      {fields.map((field) => (
        <PartField
          key={field.key}
          field={field}
          part={part}
          tools={tools}
          setWrong={setWrong}
          onward={() => {
            if (next) choose(next);
          }}
        />
      ))}
      {wrong && (
        <span role="alert" className="c-stop">
          {wrong}
        </span>
      )}
    </>
  );
}

/** The field that Enter was pressed in takes the focus in the row that comes. */
let carried: Field['key'] | null = null;

function PartField({
  field,
  part,
  tools,
  setWrong,
  onward,
}: {
  field: Field;
  part: PartView;
  tools: JobTools;
  setWrong: (text: string) => void;
  onward: () => void;
}) {
  const held = field.shown(part);
  const [text, setText] = useState(held);
  const [typing, setTyping] = useState(false);
  // What comes from elsewhere is shown unless somebody is typing here.
  useEffect(() => {
    if (!typing) setText(held);
  }, [held, typing]);
  const [focus] = useState(() => carried === field.key);
  useEffect(() => {
    if (focus) carried = null;
  }, [focus]);
  const save = (): boolean => {
    const plain = text.trim();
    if (plain === held) return true;
    const change = field.read(plain);
    setWrong(change ? '' : field.wrong);
    if (!change) return false;
    void tools.change(part, `${field.label.toLowerCase()} of ${part.name}`.slice(0, 80), change);
    return true;
  };
  const press = (e: KeyboardEvent<HTMLInputElement>) => {
    if (e.key === 'Escape') setText(held);
    if (e.key !== 'Enter' || !save()) return;
    carried = field.key;
    onward();
  };
  const focused = () => setTyping(true);
  const left = () => {
    setTyping(false);
    save();
  };
  return (
    <label>
      {field.label}{' '}
      {field.key === 'thickness' ? (
        <span onFocus={focused} onBlur={left}>
          <LengthInput width={field.width} autoFocus={focus} value={text} onChange={setText} onKeyDown={press} />
        </span>
      ) : (
        <Input
          style={{ width: field.width }}
          size="small"
          autoFocus={focus}
          className={field.key === 'quantity' ? 'num' : undefined}
          value={text}
          maxLength={field.key === 'name' ? 120 : 60}
          onFocus={(e) => {
            focused();
            if (focus) e.target.select();
          }}
          onChange={(e) => setText(e.target.value)}
          onBlur={left}
          onKeyDown={press}
        />
      )}
    </label>
  );
}
