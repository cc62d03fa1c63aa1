import type { Feature } from '../model/flat.ts';
import { boxOfDrawing, contourOf, emptyDrawing, type Contour, type Drawing, type Layer, type Meaning } from '../curves/drawing.ts';
import { ordered } from '../curves/mend.ts';
import { circle, distance, type P2, type Segment } from '../curves/segment.ts';
import type { BendGroup } from './bends.ts';
import type { FlattenChoice, PatternPatch } from './pattern.ts';
import { finishBends } from './bends.ts';
import { movedContour, put, type FlatPlace } from './pieces.ts';

const line = (a: P2, b: P2): Segment => ({ kind: 'line', a, b });
const named = (name: string, meaning: Meaning, lineType: string, contours: Contour[]): Layer => ({
  name,
  colour: null,
  lineType,
  contours: contours.map((c) => ({ ...c, meaning })),
});

/** What is drawn of a flat. */
export interface FlatParts {
  outer: Contour;
  holes: Contour[];
  groups: BendGroup[];
  features: Feature[];
  patches: PatternPatch[];
}

/**
 * The flat in layers: outer cut, holes, bend lines up and down, marks, bend zone edges, writing. Turned so that the longest bend (else the
 * longest straight edge) runs along X, or across the grain where that is asked; the low left corner of its box is the origin.
 */
export function flatDrawing({ outer, holes, groups, features, patches }: FlatParts, choice: FlattenChoice): { drawing: Drawing; turned: FlatPlace } {
  finishBends(groups, patches);
  const along = mainDirection(outer, groups);
  const angle = -Math.atan2(along[1], along[0]) + (choice.grain === 'across' ? Math.PI / 2 : 0);
  const turn: FlatPlace = { c: Math.cos(angle), s: Math.sin(angle), x: 0, y: 0 };
  const box = boxOfDrawing({ ...emptyDrawing(), layers: [named('', 'cut', '', [movedContour(outer, turn)])] });
  const turned = { ...turn, x: -box[0], y: -box[1] };
  const bends = (up: boolean) => groups.filter((g) => g.up === up).flatMap((g) => g.bend.lines.map(([a, b]) => contourOf([line(a, b)], false)));
  const marks = features.filter((f) => f.leftOut).flatMap((f) => marksOf(f, choice));
  const zones = choice.zoneEdges ? patches.filter((p) => p.kind !== 'wall' && p.hinge).flatMap(zoneEdges) : [];
  const layers = [
    named('CUT', 'cut', 'CONTINUOUS', [outer]),
    named('HOLES', 'hole', 'CONTINUOUS', holes),
    named('BEND_UP', 'bend-up', 'CENTER', bends(true)),
    named('BEND_DOWN', 'bend-down', 'DASHED', bends(false)),
    named('BEND_ZONE', 'bend-edge', 'DOT', zones),
    named('MARKS', 'mark', 'CONTINUOUS', marks),
  ].filter((l) => l.contours.length > 0);
  const place = (l: Layer): Layer => ({ ...l, contours: l.contours.map((c) => movedContour(c, turned)) });
  const { drawing } = ordered({ ...emptyDrawing(), layers: layers.map(place) });
  const size = Math.max(1.5, Math.min(4, (box[2] - box[0] + box[3] - box[1]) / 120));
  for (const g of groups) {
    const first = g.bend.lines[0];
    if (!first) continue;
    const [a, b] = first.map((p) => put(turned, p)).sort((p, q) => p[0] - q[0] || p[1] - q[1]);
    const size2 = distance(a, b) || 1;
    const slope = Math.atan2(b[1] - a[1], b[0] - a[0]);
    // Beside the line, a tenth of its length in, so that it does not lie on the border.
    const at: P2 = [a[0] + (b[0] - a[0]) * 0.1 - ((b[1] - a[1]) / size2) * size * 0.5, a[1] + (b[1] - a[1]) * 0.1 + ((b[0] - a[0]) / size2) * size * 0.5];
    drawing.texts.push({ layer: 'TEXT', at, height: size, angle: slope, text: bendText(g) });
  }
  return { drawing, turned };
}

/** What is written beside a bend line: number, direction, angle, tool radius. */
export function bendText({ bend }: BendGroup): string {
  return `${bend.order} ${bend.direction.toUpperCase()} ${Number(bend.angle.toFixed(2))} R${Number(bend.tool.toFixed(3))}`;
}

function mainDirection(outer: Contour, groups: BendGroup[]): P2 {
  let best: P2 = [1, 0];
  let longest = 0;
  const take = (a: P2, b: P2) => {
    const d = distance(a, b);
    // Among equals the first stays.
    if (d <= longest * (1 + 1e-9)) return;
    longest = d;
    best = [b[0] - a[0], b[1] - a[1]];
  };
  for (const g of groups) for (const [a, b] of g.bend.lines) take(a, b);
  if (longest === 0) for (const s of outer.segments) if (s.kind === 'line') take(s.a, s.b);
  if (best[0] < 0 || (best[0] === 0 && best[1] < 0)) best = [-best[0], -best[1]];
  return best;
}

/** The hole to be cut before a feature is formed. */
export const pilotOf = (f: Feature): Contour[] => (f.leftOut && f.pilot !== null ? [contourOf([circle(f.centre, f.pilot / 2)], true)] : []);

function marksOf(f: Feature, choice: FlattenChoice): Contour[] {
  const [x, y] = f.centre;
  // A hole that stays is its own mark.
  if (choice.leaves === 'nothing' || f.hole !== null || f.pilot !== null) return [];
  if (choice.leaves === 'centre') {
    const arm = Math.max(0.5, Math.min(3, Math.min(...f.size) / 4));
    return [contourOf([line([x - arm, y], [x + arm, y])], false), contourOf([line([x, y - arm], [x, y + arm])], false)];
  }
  if (f.outline) return [f.outline];
  return [contourOf([circle(f.centre, Math.max(...f.size) / 2)], true)];
}

function zoneEdges(p: PatternPatch): Contour[] {
  const [a, b] = p.hinge!;
  if (p.cone) {
    const far = distance(p.cone.apex, a) > distance(p.cone.apex, b);
    const turn = (far ? -1 : 1) * p.cone.sweep * Math.sin(p.cone.half);
    const spin = (q: P2): P2 => {
      const [dx, dy] = [q[0] - p.cone!.apex[0], q[1] - p.cone!.apex[1]];
      return [p.cone!.apex[0] + dx * Math.cos(turn) - dy * Math.sin(turn), p.cone!.apex[1] + dx * Math.sin(turn) + dy * Math.cos(turn)];
    };
    return [contourOf([line(a, b)], false), contourOf([line(spin(a), spin(b))], false)];
  }
  const size = distance(a, b);
  const { width } = p.bend!;
  const shift = [(-(b[1] - a[1]) / size) * width, ((b[0] - a[0]) / size) * width];
  return [contourOf([line(a, b)], false), contourOf([line([a[0] + shift[0], a[1] + shift[1]], [b[0] + shift[0], b[1] + shift[1]])], false)];
}
