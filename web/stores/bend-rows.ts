import type { BendTable } from 'tall-kite/sheet/rules';
import { typedNumber } from '@/flat-table/panels/recipe.ts';

/** Bent through more than this a wall would run into the one before, degrees. */
export const mostBent = 300;

/** Which rows can't be: a figure is missing or no radius or angle, or another row has the same two. */
export function badRows(rows: readonly { radius: number | null; angle: number | null; value: number | null }[]): boolean[] {
  return rows.map(
    (r, i) =>
      r.radius === null ||
      r.radius < 0 ||
      r.angle === null ||
      r.angle <= 0 ||
      r.angle > mostBent ||
      r.value === null ||
      rows.some((o, k) => k < i && o.radius === r.radius && o.angle === r.angle),
  );
}

/** A bend table as it is typed. */
export interface TypedTable {
  name: string;
  material: string;
  thickness: string;
  gives: BendTable['gives'];
  rows: { radius: string; angle: string; value: string }[];
}

/** A table to be changed, as text; or an empty one. */
export function typedOf(start: BendTable | null): TypedTable {
  if (!start) return { name: '', material: '', thickness: '', gives: 'k', rows: [{ radius: '', angle: '90', value: '' }] };
  const { name, material, thickness, gives, rows } = start;
  return {
    name,
    material,
    thickness: thickness === null ? '' : String(thickness),
    gives,
    rows: rows.map((r) => ({ radius: String(r.radius), angle: String(r.angle), value: String(r.value) })),
  };
}

/** What is typed as a table, null when something can't be; and which of its rows can't. */
export function tableTyped(typed: TypedTable): { table: BendTable | null; bad: boolean[] } {
  const rows = typed.rows.map((r) => ({ radius: typedNumber(r.radius), angle: typedNumber(r.angle), value: typedNumber(r.value) }));
  const bad = badRows(rows);
  const thickness = typedNumber(typed.thickness);
  const thicknessFits = typed.thickness === '' || (thickness !== null && thickness > 0);
  if (typed.name.trim() === '' || !thicknessFits || rows.length === 0 || bad.includes(true)) return { table: null, bad };
  const whole = rows.map((r) => ({ radius: r.radius!, angle: r.angle!, value: r.value! }));
  return { table: { name: typed.name.trim(), material: typed.material.trim(), thickness, gives: typed.gives, rows: whole }, bad };
}
