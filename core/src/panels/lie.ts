import { smallestBoxTurn } from '../beds/layout.ts';
import { transformed, type Affine } from '../curves/affine.ts';
import { boxOfDrawing, type Contour } from '../curves/drawing.ts';
import { flattened } from '../curves/flatten.ts';
import { isFull } from '../curves/segment.ts';
import type { Panel, PanelHole, PanelPocket } from './panel.ts';
import { areaWithin, inDrawing, rounded } from './seen.ts';

/** How a panel is laid, and its sides then, mm. */
export interface Placing {
  map: Affine;
  length: number;
  width: number;
}

/** Turn, mirror and shift that lay the outline with its longer side along X and its low left corner at zero. */
export function placing(outline: readonly Contour[], mirrored: boolean): Placing {
  const side = mirrored ? -1 : 1;
  const points = outline.flatMap((c) => flattened(c.segments, 0.05)).map(([x, y]): [number, number] => [side * x, y]);
  const turn = smallestBoxTurn(points);
  const boxAt = (degrees: number) => {
    const a = (degrees * Math.PI) / 180;
    const [c, s] = exactTurn(degrees, a);
    const map: Affine = [c * side, s * side, -s, c, 0, 0];
    const box = boxOfDrawing(inDrawing(outline.map((o) => ({ ...o, segments: o.segments.map((q) => transformed(q, map)) }))));
    return { map, box, length: box[2] - box[0], width: box[3] - box[1] };
  };
  // Straight as it stands unless a turn makes its box smaller by more than rounding.
  const as = [boxAt(0), ...(turn === 0 ? [] : [boxAt(turn)])].reduce((a, b) => (b.length * b.width < a.length * a.width * (1 - 1e-9) ? b : a));
  const across = as.width > as.length + 1e-9;
  const { map, box } = across ? boxAt(angleOf(as.map, side) + 90) : as;
  return { map: [map[0], map[1], map[2], map[3], -box[0], -box[1]], length: box[2] - box[0], width: box[3] - box[1] };
}

const exactTurn = (degrees: number, a: number): [number, number] => (degrees % 90 === 0 ? ([[1, 0], [0, 1], [-1, 0], [0, -1]] as [number, number][])[((degrees / 90) % 4 + 4) % 4] : [Math.cos(a), Math.sin(a)]); // prettier-ignore
const angleOf = (m: Affine, side: number): number => {
  const d = (Math.atan2(m[1] * side, m[0] * side) * 180) / Math.PI;
  return Math.abs(d - Math.round(d / 90) * 90) < 1e-9 ? Math.round(d / 90) * 90 : d;
};

/** Holes by diameter, side and depth: circles among openings and floors. */
export function holesOf(panel: Panel): PanelHole[] {
  const holes: PanelHole[] = [];
  const take = (contours: readonly Contour[], depth: number | null, side: 'front' | 'back') => {
    for (const { segments } of contours) {
      const [s] = segments;
      if (segments.length !== 1 || s.kind !== 'arc' || !isFull(s)) continue;
      const diameter = rounded(2 * s.radius);
      const same = holes.find((h) => Math.abs(h.diameter - diameter) < 1e-3 && h.depth === depth && h.side === side);
      if (same) same.count++;
      else holes.push({ diameter, depth, side, count: 1 });
    }
  };
  take(panel.outline.slice(1), null, 'front');
  for (const { depth, contours } of panel.front) take(contours, depth, 'front');
  for (const { depth, contours } of panel.back) take(contours, depth, 'back');
  return holes.sort((a, b) => a.diameter - b.diameter || (a.depth ?? Infinity) - (b.depth ?? Infinity));
}

/** What is no round hole: pockets, grooves and rebates by their boxes. */
export function pocketsOf(panel: Panel): PanelPocket[] {
  const list: PanelPocket[] = [];
  const take = (layers: Panel['front'], side: 'front' | 'back') => {
    for (const { depth, contours } of layers)
      for (const c of contours) {
        if (c.segments.length === 1 && c.segments[0].kind === 'arc') continue;
        // What lies in it (an island) is no pocket of its own.
        const box = boxOfDrawing(inDrawing([c]));
        if (contours.some((o) => o !== c && areaWithin([o]) > areaWithin([c]) && holds(boxOfDrawing(inDrawing([o])), box))) continue;
        const [w, h] = [box[2] - box[0], box[3] - box[1]];
        const near = 1e-3;
        const ends = [box[0] < near, box[2] > panel.length - near, box[1] < near, box[3] > panel.width - near];
        const kind =
          (ends[0] && ends[1]) || (ends[2] && ends[3]) || Math.max(w, h) > 4 * Math.min(w, h)
            ? along(ends, w >= h)
              ? 'rebate'
              : 'groove'
            : ends.some(Boolean)
              ? 'rebate'
              : 'pocket';
        const [length, width] = [rounded(Math.max(w, h)), rounded(Math.min(w, h))];
        const same = list.find(
          (p) => p.kind === kind && p.depth === depth && p.side === side && Math.abs(p.length - length) < 1e-3 && Math.abs(p.width - width) < 1e-3,
        );
        if (same) same.count++;
        else list.push({ kind, depth, side, length, width, count: 1 });
      }
  };
  take(panel.front, 'front');
  take(panel.back, 'back');
  return list;
}

/** Whether something long lies along an edge: it is open on its long side. */
const along = ([left, right, low, high]: boolean[], lying: boolean): boolean => (lying ? low !== high : left !== right);
const holds = (a: readonly number[], b: readonly number[]): boolean => a[0] <= b[0] + 1e-6 && a[1] <= b[1] + 1e-6 && a[2] >= b[2] - 1e-6 && a[3] >= b[3] - 1e-6;
