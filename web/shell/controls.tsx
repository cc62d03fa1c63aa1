'use client';
import { Button, Collapse, ColorPicker, Select, Slider } from 'antd';
import { useState, type CSSProperties, type ReactNode } from 'react';
import desk from './desk.module.css';

interface Option {
  value: string | number;
  label: ReactNode;
  disabled?: boolean;
}

interface ChoiceProps {
  /** What is chosen, for those who hear the page; not needed inside a label. */
  label?: string;
  value: string | number;
  options: readonly Option[];
  onChange: (value: string) => void;
  id?: string;
  disabled?: boolean;
  className?: string;
  style?: CSSProperties;
}

/** One of several, as a list that opens. Values are texts, as in an address. */
export function Choice({ label, value, options, onChange, ...more }: ChoiceProps) {
  return (
    <Select<string>
      size="small"
      popupMatchSelectWidth={false}
      aria-label={label}
      value={String(value)}
      onChange={onChange}
      options={options.map((o) => ({ ...o, value: String(o.value) }))}
      optionRender={(o) => <span data-value={o.value}>{o.label}</span>}
      {...more}
    />
  );
}

/** A figure that is slid between two limits; `words` say where it is, for those who hear the page. */
export function Glide({
  label,
  words,
  done,
  ...slider
}: {
  label: string;
  words?: string;
  min: number;
  max: number;
  step?: number;
  value: number;
  disabled?: boolean;
  onChange: (value: number) => void;
  /** Called once it is let go. */
  done?: (value: number) => void;
}) {
  return (
    <Slider
      className={desk.glide}
      tooltip={{ formatter: null }}
      ariaLabelForHandle={label}
      ariaValueTextFormatterForHandle={(v) => words ?? String(v)}
      onChangeComplete={done}
      {...slider}
    />
  );
}

/** A colour as #rrggbb, chosen from a picture of colours or typed. */
export function Ink({ label, value, onChange }: { label: string; value: string; onChange: (colour: string) => void }) {
  return (
    <ColorPicker disabledAlpha value={value} onChangeComplete={(c) => onChange(c.toHexString())}>
      <Button size="small" className={desk.swatch} aria-label={label} style={{ background: value }} />
    </ColorPicker>
  );
}

/** Something that is folded away until it is wanted. */
export function Fold({
  title,
  open,
  children,
  className,
  ...more
}: {
  title: ReactNode;
  open?: boolean;
  children: ReactNode;
  className?: string;
  onToggle?: (open: boolean) => void;
  'data-test'?: string;
}) {
  const [own, setOwn] = useState<boolean | null>(null);
  const shown = own ?? open ?? false;
  const { onToggle, ...rest } = more;
  return (
    <div className={className} {...rest}>
      <Collapse
        ghost
        size="small"
        destroyOnHidden
        activeKey={shown ? ['one'] : []}
        onChange={(keys) => {
          setOwn(keys.length > 0);
          onToggle?.(keys.length > 0);
        }}
        items={[{ key: 'one', label: title, children }]}
      />
    </div>
  );
}

/** Words only for those who hear the page: the head of a column that shows without one what it is. */
export const hidden = (words: string): ReactNode => <span className="visually-hidden">{words}</span>;
