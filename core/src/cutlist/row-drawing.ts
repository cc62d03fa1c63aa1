import type { Contour, Meaning } from '../curves/drawing.ts';
import { nest } from '../curves/nest.ts';
import { isFull, type ArcSegment, type P2 } from '../curves/segment.ts';
import { depthText } from '../panels/panel.ts';
import type { NestChoice } from './how.ts';
import type { CutRow } from './row.ts';

/** Row holes: this diameter, on this pitch. Common practice, no source. */
export const rowHole = { diameter: 5, pitch: 32 };
const near = 1e-3;

/** A contour of a row with the layer that it goes to and what it means. */
export type Drawn = [name: string, meaning: Meaning, contour: Contour];

/** The contours of a row, each with the layer that it goes to and what it means. In the row's own coordinates. */
export function drawnOf(row: CutRow, choice: Pick<NestChoice, 'names' | 'smallArea' | 'skin'>): Drawn[] {
  const { names } = choice;
  const out: Drawn[] = [];
  const small = row.area < choice.smallArea;
  const left = small ? skinDepth(row, choice) : null;
  const rowHoles = rowHolesOf(row);
  for (const layer of row.layers) {
    if (layer.back) {
      const name = layer.depth === null ? names.back : `${names.back}_${depthText(layer.depth)}MM_DEEP`;
      for (const c of layer.contours) out.push([name, 'mark', c]);
      continue;
    }
    if (layer.meaning === 'cut') {
      const depths = depthsOf(layer.contours);
      layer.contours.forEach((c, i) => {
        const hole = depths[i] % 2 === 1 ? circleOf(c) : null;
        if (hole) out.push([rowHoles.has(c) ? `${names.row}_D5` : `${names.hole}_D${depthText(2 * hole.radius)}`, 'hole', c]);
        else if (depths[i] % 2 === 1) out.push([names.inner, 'cut', c]);
        else if (left !== null) out.push([`${names.small}_${depthText(left)}MM`, 'small', { ...c, depth: left }]);
        else out.push(small ? [names.small, 'small', c] : [names.large, 'cut', c]);
      });
      continue;
    }
    const deep = layer.depth === null ? '' : `_${depthText(layer.depth)}MM`;
    for (const c of layer.contours) {
      if (layer.meaning === 'pocket' && circleOf(c))
        out.push([rowHoles.has(c) ? `${names.row}_D5${deep}` : `${names.hole}_D${depthText(2 * circleOf(c)!.radius)}${deep}`, 'hole', { ...c, depth: layer.depth }]); // prettier-ignore
      else if (layer.meaning === 'pocket') out.push([`${names.pocket}${deep}`, 'pocket', { ...c, depth: layer.depth }]);
      else if (layer.meaning === 'engrave' || layer.meaning === 'score') out.push([names.engrave, layer.meaning, c]);
      else out.push([names.mark, layer.meaning, c]);
    }
  }
  return out;
}

/** How deep small parts are cut when a skin is left under them; null: through. A skin as thick as the sheet would leave nothing to cut. */
export function skinDepth({ thickness }: Pick<CutRow, 'thickness'>, { skin = 0 }: Pick<NestChoice, 'skin'>): number | null {
  return skin > 0 && thickness !== null && skin < thickness ? thickness - skin : null;
}

export function circleOf(c: Contour): ArcSegment | null {
  const [s] = c.segments;
  return c.segments.length === 1 && s.kind === 'arc' && isFull(s) ? s : null;
}

/** How many closed contours lie around each. */
export function depthsOf(contours: readonly Contour[]): number[] {
  const depths = contours.map(() => 0);
  for (const n of nest({ layers: [{ name: 'x', colour: null, lineType: 'CONTINUOUS', contours: [...contours] }], texts: [], points: [] }))
    depths[n.contour] = n.depth;
  return depths;
}

/** Holes of 5 mm of which another stands a pitch of 32 mm away in line with an axis. */
function rowHolesOf(row: CutRow): Set<Contour> {
  const all = row.layers.filter((l) => !l.back).flatMap((l) => l.contours).flatMap((c) => (circleOf(c) && Math.abs(2 * circleOf(c)!.radius - rowHole.diameter) < 0.05 ? [{ c, at: circleOf(c)!.centre }] : [])); // prettier-ignore
  const places = new Set(all.map(({ at }) => key(at)));
  const beside = ([x, y]: P2) => [[rowHole.pitch, 0], [-rowHole.pitch, 0], [0, rowHole.pitch], [0, -rowHole.pitch]].some(([dx, dy]) => places.has(key([x + dx, y + dy]))); // prettier-ignore
  return new Set(all.filter(({ at }) => beside(at)).map(({ c }) => c));
}
const key = ([x, y]: P2): string => `${Math.round(x / near / 50)} ${Math.round(y / near / 50)}`;
