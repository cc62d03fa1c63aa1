import { counted } from '../base/figures.ts';
import type { Finding } from '../base/finding.ts';
import { transformed, type Affine } from '../curves/affine.ts';
import type { Contour, Meaning } from '../curves/drawing.ts';
import { narrowPlaces, offsetContour } from '../curves/offset.ts';
import { Narrow } from '../pipeline/narrow.ts';
import { cutThrough } from '../drawing/meaning.ts';
import type { Engine } from '../engine/engine.ts';
import type { NestChoice } from './how.ts';
import { drawnOf, type Drawn } from './row-drawing.ts';
import type { CutRow } from './row.ts';
import { sharedCuts } from './shared.ts';
import { keepsTabs, tabbed } from './tabs.ts';

/** How the contours of parts come into a sheet's drawing. */
export interface Outlines {
  /** Contours of a row in its own coordinates. */
  of(row: CutRow): Drawn[];
  /** Whether a contour is kept back, to be drawn together with those of other parts. */
  takes(drawn: Drawn, map: Affine): boolean;
  /** Draws what was kept back, and says what there is to say. */
  finish(put: (name: string, meaning: Meaning, contour: Contour) => void): Finding[];
}

/** Each part cut round by itself; small ones keep their tabs. */
export function ownOutlines(choice: NestChoice): Outlines {
  const known = new Map<string, Drawn[]>();
  const without = new Set<string>();
  let held = 0;
  return {
    of(row) {
      const own = known.get(row.key) ?? drawnOf(row, choice).flatMap((drawn): Drawn[] => {
        const [name, meaning, contour] = drawn;
        if (meaning !== 'small' || !keepsTabs(row, choice)) return [drawn];
        const pieces = tabbed(contour, choice);
        if (!pieces) without.add(row.name);
        return (pieces ?? [contour]).map((c): Drawn => [name, meaning, c]);
      }); // prettier-ignore
      known.set(row.key, own);
      if (keepsTabs(row, choice) && !without.has(row.name)) held++;
      return own;
    },
    takes: () => false,
    finish() {
      const told: Finding[] = [];
      const { tabs } = choice;
      if (tabs && held > 0) told.push({ code: 'tabs-left', severity: 'look', count: held, message: `${counted(held, 'small part')} ${held === 1 ? 'is' : 'are'} held by tabs of ${tabs.width} mm: the outline is open there.`, remedy: 'Break them out and file the tabs off.' }); // prettier-ignore
      if (without.size > 0) told.push({ code: 'no-tabs', severity: 'look', count: without.size, message: `There is no room for tabs on ${[...without].slice(0, 5).join(', ')}: cut round whole.`, remedy: 'Choose narrower tabs, or look after them while they are cut.' }); // prettier-ignore
      return told;
    },
  };
}

/** Every line as the middle of the cut; edges that two parts have in common are drawn once. */
export function sharedOutlines(choice: NestChoice, engine: Engine): Outlines {
  const { names, kerf } = choice;
  const outline = ([name, meaning, contour]: Drawn): boolean => (name === names.large || name === names.small) && contour.closed && cutThrough.has(meaning);
  const known = new Map<string, Drawn[]>();
  const kept: { contour: Contour; small: boolean }[] = [];
  const swallowed = new Set<string>();
  /** In the numbers of their own part. */
  const narrow = new Narrow();
  return {
    of(row) {
      const own = known.get(row.key) ?? drawnOf(row, choice).flatMap((drawn): Drawn[] => {
        const [name, meaning, contour] = drawn;
        if (!cutThrough.has(meaning) || !contour.closed || (contour.depth ?? null) !== null) return [drawn];
        const outer = outline(drawn);
        const { contours, exact } = offsetContour(engine, contour, outer ? kerf / 2 : -kerf / 2);
        if (contours.length === 0) swallowed.add(row.name);
        if (!exact) narrow.add(narrowPlaces(engine, contour, kerf, !outer), row.name);
        return contours.map((c): Drawn => [name, meaning, c]);
      }); // prettier-ignore
      known.set(row.key, own);
      return own;
    },
    takes(drawn, map) {
      if (!outline(drawn)) return false;
      const [name, , contour] = drawn;
      kept.push({ contour: { ...contour, segments: contour.segments.map((s) => transformed(s, map)) }, small: name === names.small });
      return true;
    },
    finish(put) {
      const cuts = sharedCuts(kept.map((k) => k.contour));
      const add = (contour: Contour, parts: readonly number[]) => (parts.every((k) => kept[k].small) ? put(names.small, 'small', contour) : put(names.large, 'cut', contour)); // prettier-ignore
      for (const k of cuts.alone) add(kept[k].contour, [k]);
      for (const { contour, parts } of [...cuts.loops, ...cuts.lines]) add(contour, parts);
      const told = narrow.findings(kerf);
      if (swallowed.size > 0) told.push({ code: 'kerf-swallows', severity: 'stop', count: swallowed.size, message: `An opening of ${[...swallowed].slice(0, 5).join(', ')} is narrower than the cut of ${kerf} mm; nothing is left of it.`, remedy: 'Make it larger, drill it, or do without shared cuts.' }); // prettier-ignore
      if (kept.length > 0) told.push({ code: 'middle-of-cut', severity: 'look', count: kept.length, message: `Lines are the middle of a cut of ${kerf} mm, and ${(cuts.saved / 1000).toFixed(2)} m of cutting are shared.`, remedy: "Turn the machine's own correction of the cut's width off." }); // prettier-ignore
      return told;
    },
  };
}
