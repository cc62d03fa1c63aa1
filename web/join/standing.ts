import { boxOf, type Box } from 'tall-kite/geometry/box';
import { identityRows, type Rows } from 'tall-kite/geometry/rows';
import { shifted } from 'tall-kite/mesh/join/move';
import { scaleOf } from 'tall-kite/recipe/recipe';
import type { View } from 'tall-kite/view/view';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import type { OperationView } from '@tall-kite/server/operations/operations';
import type { Standing } from './Assembly.ts';

/** Box of a part where it stands, mm. */
export function standingBox(part: PartView): Box {
  const s = scaleOf(part.summary, part.recipe);
  const { min, max } = part.summary.box;
  const corners: number[] = [];
  const m = part.place;
  for (let i = 0; i < 8; i++) {
    const c = [i & 1 ? max[0] : min[0], i & 2 ? max[1] : min[1], i & 4 ? max[2] : min[2]].map((v) => v * s);
    for (let r = 0; r < 3; r++) corners.push(m[r * 4] * c[0] + m[r * 4 + 1] * c[1] + m[r * 4 + 2] * c[2] + m[r * 4 + 3]);
  }
  return boxOf(corners);
}

/** Parts on the table that bear their names. */
export const mostLabels = 24;

/** How far each part is moved for the picture, so that they lie side by side along X with a gap. */
function setApartBy(parts: readonly PartView[]): [number, number, number][] {
  const boxes = parts.map(standingBox);
  const gap = 0.15 * Math.max(1, ...boxes.map((b) => b.max[0] - b.min[0]));
  let at = 0;
  return boxes.map((b) => {
    const by: [number, number, number] = [at - b.min[0], -(b.min[1] + b.max[1]) / 2, -b.min[2]];
    at += b.max[0] - b.min[0] + gap;
    return by;
  });
}

/** A shift along one axis, mm. */
export const along = (axis: number, mm: number): [number, number, number] => [axis === 0 ? mm : 0, axis === 1 ? mm : 0, axis === 2 ? mm : 0];

export interface PartsShown {
  views: readonly (View | undefined)[];
  chosen: readonly string[];
  place: (part: PartView) => Rows;
  /** Side by side instead of where they stand. */
  apart: boolean;
  /** Parts that a proposal stands for. */
  under: readonly string[];
}

/** The job's parts as they stand on the table, those whose shape is here. */
export function standingParts(shown: PartView[], { views, chosen, place, apart, under }: PartsShown): Standing[] {
  const away = apart ? setApartBy(shown) : null;
  return shown.flatMap((part, i) => {
    const view = views[i];
    if (!view || under.includes(part.id)) return [];
    const rows = away ? shifted(place(part), away[i]) : place(part);
    const isChosen = chosen.includes(part.id);
    // With very many parts the names would cover them: then only those chosen bear theirs.
    const label = shown.length <= mostLabels || isChosen ? part.name : '';
    return [{ id: part.id, view, rows, scale: scaleOf(part.summary, part.recipe), ink: isChosen ? 'designed' : 'rule', tint: i, label }];
  });
}

/** What a proposal would make, where it would stand. */
export function standingMade(
  proposal: OperationView | null,
  made: OperationView['made'],
  { views, first }: { views: readonly (View | undefined)[]; first: PartView | undefined },
): Standing[] {
  if (!proposal || !first) return [];
  const inSpace = ['join', 'subtract', 'common'].includes(proposal.kind);
  const labelled = made.length > 1 && made.length <= mostLabels;
  return made.flatMap(({ name }, n) => {
    const view = views[n];
    if (!view) return [];
    const rows = inSpace ? identityRows : first.place;
    const scale = inSpace ? 1 : scaleOf(first.summary, first.recipe);
    return [{ id: `made ${n}`, view, rows, scale, ink: 'received', tint: 0, label: labelled ? name : '' }];
  });
}
