import { contourOf, type Contour } from '../curves/drawing.ts';
import type { ListedRow } from './csv.ts';
import { noBands, type CutRow, type RowEdit } from './row.ts';

/** A panel of typed sizes that belongs to no part of a design: a plain rectangle, mm. All else is said of its row as of any other. */
export interface TypedPanel {
  /** Of its own within the list. */
  id: string;
  name: string;
  length: number;
  width: number;
}

/** Sizes that a typed panel may have, mm, and how many there may be. */
export const typedSizes = { least: 1, most: 20_000 } as const;
export const mostTyped = 2000;

/** The key of a typed panel's row. */
export const typedKey = (id: string): string => `typed ${id}`;

/**
 * A typed panel as a row of the list: its outline is the rectangle of its sizes, and nothing is worked on it.
 * @example typedRow({ id: '1', name: 'shelf', length: 600, width: 300 }).area // 180000
 */
export function typedRow({ id, name, length, width }: TypedPanel): CutRow {
  return {
    key: typedKey(id),
    members: [{ key: typedKey(id), name, quantity: 1 }],
    kind: 'panel',
    number: '',
    name,
    quantity: 1,
    material: '',
    thickness: null,
    length,
    width,
    grain: 'none',
    bands: noBands,
    holes: [],
    pockets: [],
    edgeHoles: [],
    mitres: [],
    notes: '',
    area: length * width,
    volume: null,
    weight: null,
    why: null,
    mirrorOf: null,
    layers: [{ meaning: 'cut', depth: null, back: false, contours: [rectangle(length, width)] }],
    findings: [],
  };
}

/** A rectangle from 0, 0. mm */
export function rectangle(length: number, width: number): Contour {
  const ring: [number, number][] = [[0, 0], [length, 0], [length, width], [0, width]]; // prettier-ignore
  return contourOf(ring.map((a, i) => ({ kind: 'line' as const, a, b: ring[(i + 1) % 4] })), true); // prettier-ignore
}

/** Rows of a list that speak of no part but state both sizes, as panels of their own; and what else the list says of each. @param first number of the first */
export function typedFrom(listed: readonly ListedRow[], first = 1): { panels: TypedPanel[]; edits: Map<string, RowEdit> } {
  const panels: TypedPanel[] = [];
  const edits = new Map<string, RowEdit>();
  for (const { length, width, name, number, ...edit } of listed) {
    if (!sized(length) || !sized(width) || panels.length >= mostTyped) continue;
    const id = String(first + panels.length);
    panels.push({ id, name: name || number, length, width });
    edits.set(typedKey(id), { ...edit, number });
  }
  return { panels, edits };
}

const sized = (v: number | null): v is number => v !== null && v >= typedSizes.least && v <= typedSizes.most;
