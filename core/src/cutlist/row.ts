import type { Finding } from '../base/finding.ts';
import type { Contour, Meaning } from '../curves/drawing.ts';
import { thicknessDoubt, type Material } from '../materials/materials.ts';
import { weightOf } from '../materials/weight.ts';
import type { Countersink, EdgeHole, Mitre, PanelHole, PanelPocket } from '../panels/panel.ts';

/** Along what the grain runs as the panel lies (its length along X); none: it may be turned. */
export type Grain = 'length' | 'width' | 'none';
export const grains: readonly Grain[] = ['length', 'width', 'none'];

/** Bands on a panel's edges, by what they are; empty: none. Front and back run along its length. */
export interface Bands {
  front: string;
  back: string;
  left: string;
  right: string;
}
export const noBands: Bands = { front: '', back: '', left: '', right: '' };

/** Contours of a panel that mean the same. */
export interface CutLayer {
  meaning: Meaning;
  /** mm below the face; null: through, or nothing that has a depth. */
  depth: number | null;
  /** On the other face: drawn, never cut from this one. */
  back: boolean;
  contours: Contour[];
}

/** A line of the cut list: equal parts, how many, and what is to be made of each. Lengths in mm, weight in g of one. */
export interface CutRow {
  /** Of the first of its parts: stays the same while the design does. */
  key: string;
  /** The parts that are equal, as they are called. */
  members: { key: string; name: string; quantity: number }[];
  kind: 'panel' | 'other';
  number: string;
  name: string;
  quantity: number;
  material: string;
  thickness: number | null;
  length: number;
  width: number;
  grain: Grain;
  bands: Bands;
  holes: PanelHole[];
  pockets: PanelPocket[];
  edgeHoles: EdgeHole[];
  /** Lists kept by earlier versions have none. */
  countersinks?: Countersink[];
  mitres: Mitre[];
  notes: string;
  /** mm2 of its face less openings. */
  area: number;
  /** mm3; null for what was drawn. */
  volume: number | null;
  weight: number | null;
  /** Why it is no panel: bought, or made elsewhere. Null for panels. */
  why: string | null;
  /** The row that it is the mirror image of. */
  mirrorOf: string | null;
  layers: CutLayer[];
  findings: Finding[];
}

/** Parts of the list that a person may change. */
export type RowEdit = Partial<Pick<CutRow, 'number' | 'name' | 'quantity' | 'material' | 'thickness' | 'grain' | 'bands' | 'notes'>> & { leftOut?: boolean };

const hole = (h: PanelHole): string => `${h.count} × ø${Number(h.diameter.toFixed(2))}${h.depth === null ? '' : ` × ${Number(h.depth.toFixed(2))} deep`}${h.side === 'back' ? ' (back)' : ''}`; // prettier-ignore
const sink = (c: Countersink): string => `${c.count} × ø${Number(c.diameter.toFixed(2))} countersink ${Number(c.angle.toFixed(1))}°${c.side === 'back' ? ' (back)' : ''}`; // prettier-ignore
const pocket = (p: PanelPocket): string => `${p.count} ${p.kind}${p.count > 1 ? 's' : ''} ${Number(p.length.toFixed(1))} × ${Number(p.width.toFixed(1))} × ${Number(p.depth.toFixed(2))} deep${p.side === 'back' ? ' (back)' : ''}`; // prettier-ignore

/** All that is worked on a panel, in words. */
export function workText(row: Pick<CutRow, 'holes' | 'pockets' | 'edgeHoles' | 'mitres' | 'countersinks'>): string {
  return [
    ...row.holes.map(hole),
    ...(row.countersinks ?? []).map(sink),
    ...row.pockets.map(pocket),
    ...row.edgeHoles.map((h) => `edge ${h.edge}: ${h.count} × ø${Number(h.diameter.toFixed(2))} × ${Number(h.depth.toFixed(2))} deep`),
    ...row.mitres.map((m) => `edge cut ${Number(m.angle.toFixed(1))}° off square, ${Number(m.length.toFixed(1))} long`),
  ].join('; ');
}

/** A row with the weight that its material gives it. */
export const weighed = (row: CutRow, materials: readonly Material[] = []): CutRow => ({ ...row, weight: weightOf(row, materials) });

/** A row with what a person changed, and with what the stores know of its material. */
export function edited(row: CutRow, edit: RowEdit | undefined, materials: readonly Material[] = []): CutRow {
  if (!edit && materials.length === 0) return row;
  const { leftOut: _, ...rest } = edit ?? {};
  const whole = weighed({ ...row, ...rest }, materials);
  const doubt = whole.kind === 'panel' ? thicknessDoubt(materials, whole.material, whole.thickness) : null;
  return doubt ? { ...whole, findings: [...whole.findings, doubt] } : whole;
}

/** Rows in the order of a list: panels by material and thickness (thick first), large first; then the others. */
export function sortedRows(rows: readonly CutRow[]): CutRow[] {
  return [...rows].sort(
    (a, b) =>
      Number(a.kind === 'other') - Number(b.kind === 'other') ||
      (a.material < b.material ? -1 : a.material > b.material ? 1 : 0) ||
      (b.thickness ?? 0) - (a.thickness ?? 0) ||
      b.length * b.width - a.length * a.width ||
      (a.name < b.name ? -1 : a.name > b.name ? 1 : 0),
  );
}

/** Material and thickness: what comes from one kind of sheet. */
export const stockKey = (row: Pick<CutRow, 'material' | 'thickness'>): string => `${row.material || 'any material'}, ${row.thickness === null ? 'any thickness' : `${Number(row.thickness.toFixed(3))} mm`}`; // prettier-ignore

/** Sums of each material and thickness: pieces, area (m2), weight (kg; null when some are not known) and length of edge band (m). */
export function totalsOf(rows: readonly CutRow[]): { stock: string; pieces: number; area: number; weight: number | null; band: number }[] {
  const by = new Map<string, { stock: string; pieces: number; area: number; weight: number | null; band: number }>();
  for (const row of rows) {
    if (row.kind !== 'panel') continue;
    const key = stockKey(row);
    const sum = by.get(key) ?? { stock: key, pieces: 0, area: 0, weight: 0, band: 0 };
    by.set(key, sum);
    sum.pieces += row.quantity;
    sum.area += (row.area * row.quantity) / 1e6;
    sum.weight = sum.weight === null || row.weight === null ? null : sum.weight + (row.weight * row.quantity) / 1000;
    const { front, back, left, right } = row.bands;
    sum.band += (row.quantity * ((front ? row.length : 0) + (back ? row.length : 0) + (left ? row.width : 0) + (right ? row.width : 0))) / 1000;
  }
  return [...by.values()];
}

/** Rows with what a person changed; what was left out or is wanted no times is gone. */
export const withEdits = (rows: readonly CutRow[], edits: Readonly<Record<string, RowEdit>>, materials: readonly Material[] = []): CutRow[] =>
  sortedRows(rows.filter((r) => !edits[r.key]?.leftOut).map((r) => edited(r, edits[r.key], materials))).filter((r) => r.quantity > 0);
