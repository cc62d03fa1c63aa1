'use client';
import { createContext, useCallback, useContext, useMemo, useSyncExternalStore, type ReactNode } from 'react';
import { personUnits, shownLength, type PersonUnit } from 'tall-kite/base/lengths';

const key = 'tall-kite-unit';
const changed = 'tall-kite-unit-changed';

/** The unit that this browser was told to use; mm while it was told none. */
function kept(): PersonUnit {
  const said = localStorage.getItem(key);
  return personUnits.find((u) => u === said) ?? 'mm';
}

function listen(heard: () => void): () => void {
  for (const event of ['storage', changed]) window.addEventListener(event, heard);
  return () => {
    for (const event of ['storage', changed]) window.removeEventListener(event, heard);
  };
}

interface Lengths {
  /** Unit that lengths are typed and shown in. */
  unit: PersonUnit;
  setUnit: (unit: PersonUnit) => void;
  /** A length in mm with its unit, as people read it. */
  len: (mm: number) => string;
  /** Several lengths in mm, with the unit once. */
  lens: (mm: readonly number[]) => string;
}

const noLengths: Lengths = {
  unit: 'mm',
  setUnit: () => {},
  len: (mm) => `${shownLength(mm, 'mm')} mm`,
  lens: (mm) => `${mm.map((v) => shownLength(v, 'mm')).join(' × ')} mm`,
};
const UnitContext = createContext<Lengths>(noLengths);

/** The person's unit of length, and how lengths are written in it. Lengths are kept in mm everywhere. */
export const useLengths = () => useContext(UnitContext);

export function UnitProvider({ children }: { children: ReactNode }) {
  const unit = useSyncExternalStore(listen, kept, () => 'mm' as const);
  const setUnit = useCallback((next: PersonUnit) => {
    localStorage.setItem(key, next);
    window.dispatchEvent(new Event(changed));
  }, []);
  const value = useMemo(
    () => ({
      unit,
      setUnit,
      len: (mm: number) => `${shownLength(mm, unit)} ${unit}`,
      lens: (mm: readonly number[]) => `${mm.map((v) => shownLength(v, unit)).join(' × ')} ${unit}`,
    }),
    [unit, setUnit],
  );
  return <UnitContext.Provider value={value}>{children}</UnitContext.Provider>;
}

/** A length, or several with the unit once, as the person reads it. @param mm mm */
export function Len({ mm }: { mm: number | readonly number[] }) {
  const { len, lens } = useLengths();
  return <>{typeof mm === 'number' ? len(mm) : lens(mm)}</>;
}
