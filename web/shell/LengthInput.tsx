'use client';
import { Input } from 'antd';
import { useEffect, useRef, useState, type KeyboardEvent } from 'react';
import { fieldLength, shownLength, typedLength } from 'tall-kite/base/lengths';
import { useLengths } from './unit.tsx';

interface Props {
  /** mm as text; empty for none. */
  value: string;
  /** Called with mm as text while it is typed: empty for nothing, "?" for what is no length. */
  onChange: (mm: string) => void;
  /** What it is, for those who hear the page; not needed inside a label. */
  label?: string;
  width?: number;
  placeholder?: string;
  invalid?: boolean;
  disabled?: boolean;
  id?: string;
  title?: string;
  autoFocus?: boolean;
  /** The unit stands behind it unless several fields share one. */
  bare?: boolean;
  onDone?: () => void;
  onKeyDown?: (e: KeyboardEvent<HTMLInputElement>) => void;
}

/** What a field shows for mm as text. */
const shownOf = (mm: string, unit: Parameters<typeof fieldLength>[1]): string =>
  mm.trim() === '' ? '' : Number.isFinite(Number(mm)) ? fieldLength(Number(mm), unit) : mm;

/**
 * A length typed in the person's unit, or in any other with its name: 5 ft, 3/4 in, 1 1/2", 12,5 mm. What is kept is mm.
 */
export function LengthInput({ value, onChange, label, width = 76, invalid, bare = false, onDone, title, onKeyDown, ...more }: Props) {
  const { unit } = useLengths();
  const [text, setText] = useState(() => shownOf(value, unit));
  const said = useRef({ value, unit });
  // What comes from elsewhere, or another unit, is shown anew; one's own typing stays as it was typed.
  useEffect(() => {
    if (said.current.value === value && said.current.unit === unit) return;
    said.current = { value, unit };
    setText(shownOf(value, unit));
  }, [value, unit]);
  const mm = typedLength(text, unit);
  const bad = invalid || (text.trim() !== '' && mm === null);
  const type = (next: string) => {
    const typed = typedLength(next, unit);
    const emitted = next.trim() === '' ? '' : typed === null ? '?' : String(Number(typed.toFixed(9)));
    said.current = { value: emitted, unit };
    setText(next);
    onChange(emitted);
  };
  const other = mm !== null && /[a-z"'/″′’”]/i.test(text);
  return (
    <span className="nowrap">
      <Input
        style={{ width }}
        size="small"
        className="num"
        inputMode="text"
        aria-label={label ? `${label}, ${unit}` : undefined}
        aria-invalid={bad}
        title={other ? `${shownLength(mm, unit)} ${unit}` : (title ?? (bad && text ? 'A length such as 12.5, 3/4 in, 5 ft or 1 1/2"' : undefined))}
        value={text}
        onChange={(e) => type(e.target.value)}
        onBlur={() => {
          // Left, a length typed in another unit stands in one's own.
          if (other) setText(fieldLength(mm, unit));
          onDone?.();
        }}
        onKeyDown={(e) => {
          if (e.key === 'Enter') onDone?.();
          onKeyDown?.(e);
        }}
        {...more}
      />
      {bare ? null : <span className="figure"> {unit}</span>}
    </span>
  );
}
