'use client';
import { Checkbox, Input } from 'antd';
import { Choice } from '@/shell/controls.tsx';
import { usualPress, type PressChoice, type ReliefCuts } from 'tall-kite/sheet/asked';
import { useState } from 'react';
import { typedNumber } from '@/flat-table/panels/recipe.ts';
import { LengthInput } from '@/shell/LengthInput.tsx';
import desk from '@/shell/desk.module.css';

/** What was typed, as a choice; null while a figure is wrong. */
export interface Typed<T> {
  choice: T | null;
  rows: React.ReactNode;
}

const Figure = ({ label, unit, value, set, hint }: { label: string; unit: string; value: string; set: (v: string) => void; hint?: string }) => (
  <label className={desk.row}>
    {label}
    {unit === 'mm' ? (
      <LengthInput label={label} placeholder={hint} value={value} onChange={set} />
    ) : (
      <span>
        <Input
          aria-label={`${label}, ${unit}`}
          inputMode="decimal"
          placeholder={hint}
          value={value}
          onChange={(e) => set(e.target.value)}
          className="num"
          size="small"
        />{' '}
        <span className="figure">{unit}</span>
      </span>
    )}
  </label>
);

const within = (text: string, low: number, high: number): number | null => {
  const v = typedNumber(text);
  return v !== null && v >= low && v <= high ? v : null;
};

/** Reliefs that are cut where the design has none. */
export function useReliefs(): Typed<ReliefCuts> {
  const [bend, setBend] = useState<'none' | 'rectangular' | 'obround'>('none');
  const [width, setWidth] = useState('2');
  const [depth, setDepth] = useState('2');
  const [corner, setCorner] = useState<'none' | 'round' | 'square'>('none');
  const [size, setSize] = useState('5');
  const [w, d, s] = [within(width, 0.1, 100), within(depth, 0.1, 200), within(size, 0.1, 200)];
  const good = (bend === 'none' || (w !== null && d !== null)) && (corner === 'none' || s !== null);
  const choice = good
    ? { bends: bend === 'none' ? null : { kind: bend, width: w!, depth: d! }, corners: corner === 'none' ? null : { kind: corner, size: s! } }
    : null;
  const rows = (
    <>
      <label className={desk.row}>
        Reliefs beside bends
        <Choice
          value={bend}
          onChange={(value) => setBend(value as typeof bend)}
          options={[
            { value: 'none', label: 'as drawn' },
            { value: 'rectangular', label: 'rectangular slots' },
            { value: 'obround', label: 'round-ended slots' },
          ]}
        />
      </label>
      {bend !== 'none' && (
        <>
          <Figure label="Slot width" unit="mm" value={width} set={setWidth} />
          <Figure label="Slot past the bend" unit="mm" value={depth} set={setDepth} />
        </>
      )}
      <label className={desk.row}>
        Reliefs in corners
        <Choice
          value={corner}
          onChange={(value) => setCorner(value as typeof corner)}
          options={[
            { value: 'none', label: 'as drawn' },
            { value: 'round', label: 'round' },
            { value: 'square', label: 'square' },
          ]}
        />
      </label>
      {corner !== 'none' && <Figure label={corner === 'round' ? 'Relief diameter' : 'Relief side'} unit="mm" value={size} set={setSize} />}
    </>
  );
  return { choice, rows };
}

/** The press brake that is to bend it. */
export function usePress(): Typed<{ press: PressChoice | null }> {
  const [on, setOn] = useState(false);
  const [opening, setOpening] = useState('');
  const [strength, setStrength] = useState(String(usualPress.strength));
  const [most, setMost] = useState('');
  const [angle, setAngle] = useState(String(usualPress.punch.angle));
  const [wide, setWide] = useState(String(usualPress.punch.width));
  const [high, setHigh] = useState(String(usualPress.punch.height));
  const [v, mpa, kn, deg, w, h] = [within(opening, 1, 1000), within(strength, 10, 3000), within(most, 0.001, 1e6), within(angle, 10, 180), within(wide, 1, 500), within(high, 5, 2000)]; // prettier-ignore
  const good = (opening === '' || v !== null) && (most === '' || kn !== null) && mpa !== null && deg !== null && w !== null && h !== null;
  const choice = !on
    ? { press: null }
    : good
      ? { press: { ...usualPress, opening: v, strength: mpa, most: kn, punch: { angle: deg, width: w, height: h } } }
      : null;
  const rows = (
    <>
      <Checkbox checked={on} onChange={(e) => setOn(e.target.checked)}>
        Checked for the press brake
      </Checkbox>
      {on && (
        <>
          <Figure label="V opening" unit="mm" value={opening} set={setOpening} hint="8 T" />
          <Figure label="Tensile strength" unit="MPa" value={strength} set={setStrength} />
          <Figure label="The machine gives" unit="kN" value={most} set={setMost} hint="not said" />
          <Figure label="Punch angle" unit="°" value={angle} set={setAngle} />
          <Figure label="Punch width" unit="mm" value={wide} set={setWide} />
          <Figure label="Punch height to the ram" unit="mm" value={high} set={setHigh} />
        </>
      )}
    </>
  );
  return { choice, rows };
}
