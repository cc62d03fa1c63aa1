import { countText } from 'tall-kite/base/figures';
import { isPatch } from 'tall-kite/model/is-patch';
import type { PartSummary } from 'tall-kite/model/design';

/** What reading tells of a body's soundness: its mark and sentence, and what kind of body it is. */
export interface Sound {
  mark: 'clear' | 'look' | 'stop';
  sentence: string;
  patch: boolean;
  kind: string;
  /** Volume, or area of what has no inside, with its name. */
  holds: [name: string, value: string];
}

/** @param scale from the file's numbers to mm */
export function soundnessOf(s: PartSummary, scale: number): Sound {
  const patch = isPatch(s);
  const broken = (s.openEdges ?? 0) + (s.nonManifoldEdges ?? 0) + (s.flippedEdges ?? 0) > 0;
  return {
    ...saidOf(s.kind === 'solid' || !broken, patch),
    patch,
    kind: s.kind === 'solid' ? 'solid, exact surfaces' : `${patch ? 'patch' : 'mesh'}, ${countText(s.triangles ?? 0)} triangles`,
    holds: patch
      ? ['Area', `${rounded((s.area * scale ** 2) / 100, 1)} cm²`]
      : ['Volume', broken ? 'none: not closed' : `${rounded(s.volume * scale ** 3, 2)} mm³`],
  };
}

function saidOf(closed: boolean, patch: boolean): Pick<Sound, 'mark' | 'sentence'> {
  if (closed) return { mark: 'clear', sentence: 'Closed: one inside, one outside.' };
  return patch
    ? { mark: 'look', sentence: 'An open surface: it has no inside.' }
    : { mark: 'stop', sentence: 'Not closed: nothing can tell its inside from its outside.' };
}

const rounded = (v: number, digits: number): string => v.toLocaleString('en', { maximumFractionDigits: digits });
