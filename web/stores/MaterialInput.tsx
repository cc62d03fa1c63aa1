'use client';
import { AutoComplete } from 'antd';
import { useMaterials } from './useMaterials.ts';

/** The name of a material: typed, or one of the stores. */
export function MaterialInput({
  value,
  onChange,
  label,
  width = 150,
  placeholder,
}: {
  value: string;
  onChange: (text: string) => void;
  label?: string;
  width?: number;
  placeholder?: string;
}) {
  const list = useMaterials();
  const text = value.trim().toLowerCase();
  const options = list.filter((m) => [m.name, ...m.also].some((n) => n.toLowerCase().includes(text)) && m.name !== value).map((m) => ({ value: m.name }));
  return (
    <AutoComplete
      size="small"
      aria-label={label}
      style={{ width }}
      value={value}
      maxLength={60}
      placeholder={placeholder}
      options={options}
      onChange={(v) => onChange(v ?? '')}
    />
  );
}
