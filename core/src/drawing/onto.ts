import { Unusable } from '../base/finding.ts';
import type { Affine } from '../curves/affine.ts';
import { boxOfDrawing, transformedDrawing, type Drawing } from '../curves/drawing.ts';
import type { P2 } from '../curves/segment.ts';

/** What of both drawings is laid on each other. */
export type OntoAnchor = 'zero' | 'middle' | 'corner';

/** How a drawing is laid onto another one. Lengths in the numbers of the one beneath, angles in rad. */
export interface Onto {
  /** Their zeros (in register, when both were drawn or seen in one frame), the middles of their boxes, or the low left corners. */
  anchor: OntoAnchor;
  by: P2;
  turn: number;
  scale: number;
}

/** Contours of both together at most. */
const mostContours = 500_000;

/**
 * Two drawings as one: layers, texts and points of the other go along, turned and scaled about its anchor. Layers keep their names; one whose name is taken is
 * called after the other drawing.
 * @param other in the same numbers as the base @param name of the other drawing
 * @throws Unusable when there is too much. @example laidOnto(plate, mark, 'mark', { anchor: 'middle', by: [0, 5], turn: 0, scale: 1 })
 */
export function laidOnto(base: Drawing, other: Drawing, name: string, { anchor, by, turn, scale }: Onto): Drawing {
  const count = [base, other].reduce((n, d) => n + d.layers.reduce((m, l) => m + l.contours.length, 0), 0);
  if (count > mostContours)
    throw new Unusable(
      'too-many-contours',
      `Both together have ${count.toLocaleString('en')} contours; at most ${mostContours.toLocaleString('en')}.`,
      'Leave layers out first.',
    );
  const [from, to] = [anchorOf(other, anchor), anchorOf(base, anchor)];
  const [c, s] = [Math.cos(turn) * scale, Math.sin(turn) * scale];
  const map: Affine = [c, s, -s, c, to[0] + by[0] - c * from[0] + s * from[1], to[1] + by[1] - s * from[0] - c * from[1]];
  const laid = transformedDrawing(other, map);
  const taken = new Set(base.layers.map((l) => l.name));
  const names = new Map(laid.layers.map((l) => [l.name, freeName(l.name, name, laid.layers.length === 1, taken)]));
  const renamed = <T extends { layer: string }>(list: readonly T[]): T[] => list.map((one) => ({ ...one, layer: names.get(one.layer) ?? one.layer }));
  return {
    layers: [...base.layers, ...laid.layers.map((l) => ({ ...l, name: names.get(l.name)! }))],
    texts: [...base.texts, ...renamed(laid.texts)],
    points: [...base.points, ...renamed(laid.points)],
  };
}

function anchorOf(drawing: Drawing, anchor: OntoAnchor): P2 {
  if (anchor === 'zero') return [0, 0];
  const [l, b, r, t] = boxOfDrawing(drawing);
  return anchor === 'corner' ? [l, b] : [(l + r) / 2, (b + t) / 2];
}

/** The name itself, else that of its drawing, else with a number. What is given is taken from then on. */
function freeName(layer: string, drawing: string, only: boolean, taken: Set<string>): string {
  const base = taken.has(layer) ? (only ? drawing : `${drawing}, ${layer}`) : layer;
  let name = base;
  for (let n = 2; taken.has(name); n++) name = `${base} (${n})`;
  taken.add(name);
  return name;
}
