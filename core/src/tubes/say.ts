import type { ExactSolid } from '../surfaces/brep-text.ts';
import { pappusOf } from './rebuild.ts';
import { tubesOf } from './recognise.ts';
import { tableOf, type Run } from './run.ts';
import { nameOfSection } from './sections.ts';
import { addSolid, emptySkin } from './skin.ts';

/** What a run is called in the ledger: "tube 42.4 x 2.6, 3 bends". */
export function sayRun(run: Run): string {
  const { rows } = tableOf(run);
  const [bends, mitres] = [rows.filter((r) => r.radius > 0).length, rows.filter((r) => r.radius === 0).length];
  const counted = [bends > 0 ? `${bends} ${bends === 1 ? 'bend' : 'bends'}` : '', mitres > 0 ? `${mitres} ${mitres === 1 ? 'mitre' : 'mitres'}` : ''].filter(
    Boolean,
  );
  return `${nameOfSection(run.section)}, ${counted.length > 0 ? counted.join(', ') : 'straight'}`;
}

/** A solid with more faces is no plain tube, and is not asked. */
const mostFaces = 600;
/** A tube with holes and slanting ends is at least so much of what its centre line makes. */
const leastShare = 0.85;

/**
 * What a solid is called when it is one bent tube or bar: "tube 42.4 x 2.6, 3 bends"; null when it is none, or straight.
 * @param volume mm3 of its own numbers
 * @example tubeLike(readBrepText(brep), summary.volume)
 */
export function tubeLike(solid: ExactSolid, volume: number): string | null {
  if (solid.faces.length > mostFaces || solid.faces.length < 3) return null;
  const skin = emptySkin();
  addSolid(skin, solid, { number: 0, place: (p) => p, turn: (v) => v, scale: 1 });
  const { runs } = tubesOf(skin);
  if (runs.length !== 1) return null;
  const [{ run }] = runs;
  const plain = tableOf(run).rows.length === 0;
  const share = volume / pappusOf(run).volume;
  return plain || !(share >= leastShare && share <= 1 / leastShare) ? null : sayRun(run);
}
