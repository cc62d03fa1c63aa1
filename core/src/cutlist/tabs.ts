import { contourOf, type Contour, type Drawing } from '../curves/drawing.ts';
import { fitContour, mergedContour } from '../curves/fit.ts';
import { offsetDeviation, withTabs } from '../curves/offset.ts';
import { crossOf, directionAt, distance, endOf, startOf, turn, type P2, type Segment } from '../curves/segment.ts';
import { lengthOf } from '../curves/measure.ts';
import { gapOf, type NestChoice } from './how.ts';
import { drawnOf } from './row-drawing.ts';
import type { CutRow } from './row.ts';

/** An outline with fewer tabs than this is held by nothing that keeps it from turning. */
const leastTabs = 2;
/** Lines and rounds that run on within this are one, mm. */
const onePiece = 1e-3;

/**
 * A small part's outline with tabs: as open pieces whose gaps are a tab and one cut wide, so that the tab itself is left. Fewer tabs where no more fit; null
 * where not even two do.
 */
export function tabbed(contour: Contour, { tabs, kerf }: Pick<NestChoice, 'tabs' | 'kerf'>): Contour[] | null {
  if (!tabs) return [contour];
  const plain = contour.segments.some((s) => s.kind !== 'line' && s.kind !== 'arc') ? fitContour(contour, offsetDeviation).result : contour;
  for (let count = tabs.count; count >= Math.min(leastTabs, tabs.count); count--) {
    try {
      return withTabs(plain, count, tabs.width + kerf).map((c) => ({ ...c, meaning: contour.meaning }));
    } catch {
      // Too short for so many.
    }
  }
  return null;
}

/** Whether a row's outline gets tabs. */
export const keepsTabs = (row: Pick<CutRow, 'area'>, { tabs, smallArea }: Pick<NestChoice, 'tabs' | 'smallArea'>): boolean => !!tabs && row.area < smallArea;

/** How many tabs a row's outlines have. */
export const tabsOf = (row: CutRow, choice: NestChoice): number =>
  drawnOf(row, choice).reduce((sum, [, meaning, contour]) => {
    const pieces = meaning === 'small' ? tabbed(contour, choice) : null;
    return sum + (pieces?.length ?? 0);
  }, 0);

/** Small parts of a received sheet with their tabs bridged. */
export interface Bridged {
  drawing: Drawing;
  /** Gaps between pieces of small outlines, mm along the outline. */
  gaps: number[];
  /** Open pieces that do not come round. */
  loose: number;
}

interface End {
  at: P2;
  /** Away from the piece. */
  way: P2;
  piece: number;
  last: boolean;
}

/** Bridges gaps between open pieces on the layer of small parts: each end leads to the nearest that looks at it, no farther than a tab may be wide. */
export function withoutTabs(drawing: Drawing, choice: NestChoice): Bridged {
  if (!choice.tabs) return { drawing, gaps: [], loose: 0 };
  const name = choice.names.small.toUpperCase();
  const gaps: number[] = [];
  let loose = 0;
  const layers = drawing.layers.map((l) => {
    if (l.name.toUpperCase() !== name) return l;
    const open = l.contours.filter((c) => !c.closed);
    const done = bridged(open, 2 * (choice.tabs!.width + gapOf({ ...choice, spacing: 0 })));
    gaps.push(...done.gaps);
    loose += done.loose;
    return { ...l, contours: [...l.contours.filter((c) => c.closed), ...done.contours] };
  });
  return { drawing: { ...drawing, layers }, gaps, loose };
}

function bridged(pieces: readonly Contour[], reach: number): { contours: Contour[]; gaps: number[]; loose: number } {
  const ends = pieces.flatMap((c, piece): End[] => {
    const [head, tail] = [c.segments[0], c.segments[c.segments.length - 1]];
    const [x, y] = directionAt(head, 0);
    return [
      { at: startOf(head), way: [-x, -y], piece, last: false },
      { at: endOf(tail), way: directionAt(tail, 1), piece, last: true },
    ];
  });
  const partner = partners(ends, reach);
  const gaps: number[] = [];
  const contours: Contour[] = [];
  const used = new Set<number>();
  let loose = 0;
  for (let first = 0; first < pieces.length; first++) {
    if (used.has(first)) continue;
    const segments: Segment[] = [];
    // Ends are numbered 2 a piece: begin (even) and end (odd). Walked from begin to end of the first.
    let enter = first * 2;
    let whole = true;
    do {
      const piece = enter >> 1;
      used.add(piece);
      const own = pieces[piece].segments;
      segments.push(...(enter % 2 === 0 ? own : [...own].reverse().map(backwards)));
      const leave = enter ^ 1;
      const next = partner[leave];
      if (next < 0 || (used.has(next >> 1) && next !== first * 2)) {
        whole = false;
        break;
      }
      const across = bridge(segments[segments.length - 1], ends[leave], ends[next], pieces);
      gaps.push(lengthOf(across));
      segments.push(across);
      enter = next;
    } while (enter !== first * 2);
    if (!whole) loose++;
    // As it was before it was parted: lines and rounds in one piece.
    const contour = contourOf(segments, whole);
    contours.push({ ...(whole ? mergedContour(contour, onePiece) : contour), meaning: pieces[first].meaning });
  }
  return { contours, gaps, loose };
}

/** For each end the one that it looks at and that looks back, the nearest; -1: none. */
function partners(ends: readonly End[], reach: number): number[] {
  const out = ends.map(() => -1);
  const cells = new Map<string, number[]>();
  const cell = (v: number) => Math.floor(v / reach);
  ends.forEach((e, i) => {
    const key = `${cell(e.at[0])} ${cell(e.at[1])}`;
    cells.set(key, [...(cells.get(key) ?? []), i]);
  });
  const pairs: { i: number; k: number; d: number }[] = [];
  ends.forEach((e, i) => {
    for (let n = 0; n < 9; n++)
      for (const k of cells.get(`${cell(e.at[0]) + (n % 3) - 1} ${cell(e.at[1]) + Math.floor(n / 3) - 1}`) ?? []) {
        if (k <= i) continue;
        const d = distance(e.at, ends[k].at);
        if (d > reach || d < 1e-9) continue;
        const [x, y] = [(ends[k].at[0] - e.at[0]) / d, (ends[k].at[1] - e.at[1]) / d];
        // Both look along the gap: within 60 degrees, for tabs on tight rounds.
        if (e.way[0] * x + e.way[1] * y > 0.5 && ends[k].way[0] * x + ends[k].way[1] * y < -0.5) pairs.push({ i, k, d });
      }
  });
  for (const { i, k } of pairs.sort((a, b) => a.d - b.d)) if (out[i] < 0 && out[k] < 0) [out[i], out[k]] = [k, i];
  return out;
}

const backwards = (s: Segment): Segment =>
  s.kind === 'line' ? { kind: 'line', a: s.b, b: s.a } : s.kind === 'arc' ? { ...s, start: s.start + s.sweep, sweep: -s.sweep } : { ...s };

/** What the outline was where a tab is: a line on between lines, the same round between rounds, else a smooth curve. */
function bridge(before: Segment, from: End, to: End, pieces: readonly Contour[]): Segment {
  const far = pieces[to.piece].segments;
  const after = to.last ? far[far.length - 1] : far[0];
  if (before.kind === 'arc' && after.kind === 'arc' && distance(before.centre, after.centre) < 1e-3 && Math.abs(before.radius - after.radius) < 1e-3) {
    const angle = (p: P2) => Math.atan2(p[1] - before.centre[1], p[0] - before.centre[0]);
    let sweep = (Math.sign(before.sweep) * (angle(to.at) - angle(from.at))) % turn;
    if (sweep < 0) sweep += turn;
    return { ...before, start: angle(from.at), sweep: Math.sign(before.sweep) * sweep };
  }
  if (Math.abs(crossOf(from.way, to.way)) < 1e-6) return { kind: 'line', a: from.at, b: to.at };
  const third = distance(from.at, to.at) / 3;
  const off = ({ at, way }: End): P2 => [at[0] + way[0] * third, at[1] + way[1] * third];
  return { kind: 'bezier', points: [from.at, off(from), off(to), to.at] };
}
