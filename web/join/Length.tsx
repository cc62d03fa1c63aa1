'use client';
import { Input } from 'antd';
import { LengthInput } from '@/shell/LengthInput.tsx';
import widths from '@/shell/widths.module.css';

/** A typed number, NaN for none; a comma counts as a point. */
export const numberOf = (text: string) => (text.trim() === '' ? NaN : Number(text.replace(',', '.')));

/** A typed length (or angle) with its unit. */
export function Length({ label, value, set, unit = 'mm' }: { label: string; value: string; set: (v: string) => void; unit?: string }) {
  // Angles and factors are no lengths; an empty unit is that of fields that share one.
  if (unit === 'mm' || unit === '')
    return (
      <label className="nowrap">
        {label} <LengthInput width={66} bare={unit === ''} value={value} invalid={Number.isNaN(numberOf(value))} onChange={set} />
      </label>
    );
  return (
    <label className="nowrap">
      {label}{' '}
      <Input
        inputMode="decimal"
        value={value}
        aria-invalid={Number.isNaN(numberOf(value))}
        onChange={(e) => set(e.target.value)}
        className={`num ${widths.w66}`}
        size="small"
      />{' '}
      <span className="figure">{unit}</span>
    </label>
  );
}
