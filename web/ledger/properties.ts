import type { PartView } from '@tall-kite/server/jobs/part-views';
import type { Fields } from '@/shell/useChanges.ts';

/** Thickest sheet that can be typed, mm, as the server takes it. */
const thickest = 1000;

/** What is typed of several parts: empty where they differ. */
export interface Typed {
  number: string;
  material: string;
  thickness: string;
  variant: string;
  /** By what their quantities are multiplied in a variant. */
  times: string;
}

type Owner = Pick<PartView, 'number' | 'material' | 'thickness' | 'variant'>;

const textOf = (p: Owner, field: keyof Owner): string => String(p[field] ?? '');

/** What all of them share, else nothing. */
const shared = (parts: readonly Owner[], field: keyof Owner): string =>
  parts.every((p) => textOf(p, field) === textOf(parts[0], field)) ? textOf(parts[0], field) : '';

/** What stands in the fields first; a variant needs a name of its own. */
export function firstTyped(parts: readonly Owner[], variant: boolean): Typed {
  const of = (field: keyof Owner) => shared(parts, field);
  return { number: of('number'), material: of('material'), thickness: of('thickness'), variant: variant ? '' : of('variant'), times: '1' };
}

const mmOf = (thickness: string): number | null => (thickness.trim() === '' ? null : Number(thickness.replace(',', '.')));

/** What keeps the fields from being taken, in a sentence; empty where nothing is said of it; null when they can be. */
export function wrongWith(typed: Typed, variant: boolean): string | null {
  const mm = mmOf(typed.thickness);
  if (mm !== null && !(mm > 0 && mm <= thickest)) return `The thickness must be a number of mm above 0, at most ${thickest}.`;
  if (!variant) return null;
  if (!/^[1-9]\d{0,3}$/.test(typed.times.trim())) return 'The quantity is multiplied by a whole number from 1 to 9999.';
  return typed.variant.trim() === '' ? '' : null;
}

/** A variant as the server is asked for it: what is left empty stays as it is. */
export const variantWish = (parts: readonly { id: string }[], typed: Typed) => ({
  parts: parts.map((p) => p.id),
  variant: typed.variant.trim(),
  times: Number(typed.times),
  material: typed.material.trim() || null,
  thickness: mmOf(typed.thickness),
});

/** What is another than it was; a number belongs to one part alone. */
export function changedFields(parts: readonly Owner[], typed: Typed): Fields {
  const fields: Fields = {};
  const changed = (field: keyof Owner) => typed[field].trim() !== shared(parts, field);
  if (parts.length === 1 && changed('number')) fields.number = typed.number.trim();
  if (changed('material')) fields.material = typed.material.trim();
  if (changed('thickness')) fields.thickness = mmOf(typed.thickness);
  if (changed('variant')) fields.variant = typed.variant.trim();
  return fields;
}
