import type { Value } from './pairs.ts';

/** The pairs of one entity. */
export interface Entity {
  type: string;
  codes: number[];
  values: Value[];
  /** VERTEX entities of a POLYLINE. */
  vertices: Entity[] | null;
}

export const numberAt = (e: Entity, code: number, fallback = 0): number => {
  for (let i = 0; i < e.codes.length; i++) if (e.codes[i] === code) return typeof e.values[i] === 'number' ? (e.values[i] as number) : fallback;
  return fallback;
};

export const textAt = (e: Entity, code: number): string | null => {
  for (let i = 0; i < e.codes.length; i++) if (e.codes[i] === code) return String(e.values[i]);
  return null;
};
