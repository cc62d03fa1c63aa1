'use client';
import { Input } from 'antd';
import { useEffect, useState } from 'react';
import { typedNumber } from './recipe.ts';
import { LengthInput } from '@/shell/LengthInput.tsx';
import { useLengths } from '@/shell/unit.tsx';
import desk from '@/shell/desk.module.css';

/** A typed length or angle that is saved when it is left or Enter is pressed; out of its limits it says so and is not saved. */
export function NumberField({
  label,
  value,
  unit,
  low,
  high,
  save,
  width = 74,
  disabled = false,
}: {
  label: string;
  value: number;
  unit: string;
  low: number;
  high: number;
  save: (v: number) => void;
  width?: number;
  disabled?: boolean;
}) {
  const { len } = useLengths();
  const [text, setText] = useState(String(value));
  useEffect(() => setText(String(value)), [value]);
  const typed = typedNumber(text);
  const valid = typed !== null && typed >= low && typed <= high;
  const range = valid ? undefined : unit === 'mm' ? `From ${len(low)} to ${len(high)}` : `From ${low} to ${high} ${unit}`.trim();
  const done = () => {
    if (valid && typed !== value) save(typed);
  };
  return (
    <label className={desk.row}>
      {label}
      {unit === 'mm' ? (
        <LengthInput label={label} width={width} value={text} invalid={!valid} title={range} disabled={disabled} onChange={setText} onDone={done} />
      ) : (
        <span>
          <Input
            style={{ width }}
            aria-label={unit ? `${label}, ${unit}` : label}
            inputMode="decimal"
            value={text}
            aria-invalid={!valid}
            title={range}
            disabled={disabled}
            onChange={(e) => setText(e.target.value)}
            onBlur={done}
            onKeyDown={(e) => e.key === 'Enter' && done()}
            className="num"
            size="small"
          />{' '}
          <span className="figure">{unit}</span>
        </span>
      )}
    </label>
  );
}
