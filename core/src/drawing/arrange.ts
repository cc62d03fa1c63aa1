import { Unusable } from '../base/finding.ts';
import type {} from '../text/lettering.ts';
import { applied, times, transformed, type Affine } from '../curves/affine.ts';
import { boxOfDrawing, movedText, reversedContour, type Contour, type Drawing } from '../curves/drawing.ts';

/** Layers of a drawing moved, turned, scaled and repeated as one. Lengths in the drawing's own numbers, angles in rad. */
export interface Arrangement {
  /** Names of the layers; null takes all of them. */
  layers: string[] | null;
  by: [number, number];
  turn: number;
  scale: number;
  mirror: boolean;
  /** Columns and rows with the distance from one to the next; 1 and 1 leave it single. */
  columns: number;
  rows: number;
  step: [number, number];
}

/** Copies, and contours of all of them, at most. */
export const mostCopies = 10_000;
const mostContours = 500_000;

/**
 * Turned, scaled and mirrored about the middle of what is arranged, then moved, then repeated to the right and up. Writing and points go along.
 * @throws Unusable when a layer is not there, nothing is arranged, or it becomes too much.
 * @example arranged(drawing, { layers: ['Text'], by: [10, 0], turn: 0, scale: 1, mirror: false, columns: 4, rows: 1, step: [30, 0] })
 */
export function arranged(drawing: Drawing, how: Arrangement): Drawing {
  const { names, chosen } = chosenOf(drawing, how);
  const copies = how.columns * how.rows;
  const [l, b, r, t] = boxOfDrawing({ ...drawing, layers: chosen });
  const [x, y] = [(l + r) / 2, (b + t) / 2];
  const [c, s] = [Math.cos(how.turn) * how.scale, Math.sin(how.turn) * how.scale];
  const sign = how.mirror ? -1 : 1;
  const places: Affine[] = [];
  for (let row = 0; row < how.rows; row++)
    for (let column = 0; column < how.columns; column++) {
      const [dx, dy] = [how.by[0] + column * how.step[0], how.by[1] + row * how.step[1]];
      places.push([c * sign, s * sign, -s, c, x - c * sign * x + s * y + dx, y - s * sign * x - c * y + dy]);
    }
  const placed = (contour: Contour, m: Affine): Contour => {
    const made = {
      ...contour,
      segments: contour.segments.map((g) => transformed(g, m)),
      ...(contour.width === undefined ? {} : { width: contour.width * how.scale }),
    };
    // Outer ways stay counter-clockwise.
    return how.mirror && contour.closed ? reversedContour(made) : made;
  };
  // All of it moved or turned is still its words, at another place; what else is done to it is not.
  const { lettering, ...plain } = drawing;
  const words = lettering && copies === 1 && how.scale === 1 && !how.mirror && drawing.layers.every((l) => names.has(l.name));
  const still = how.turn === 0 && how.scale === 1 && !how.mirror && how.by[0] === 0 && how.by[1] === 0;
  const each = <T extends { layer: string }>(list: readonly T[], move: (one: T, m: Affine) => T): T[] =>
    list.flatMap((one) => (names.has(one.layer) || how.layers === null ? places.map((m) => move(one, m)) : [one]));
  return {
    ...plain,
    ...(words ? { lettering: { ...lettering, moved: times(places[0], lettering.moved ?? [1, 0, 0, 1, 0, 0]) } } : {}),
    texts: each(drawing.texts, movedText),
    points: each(drawing.points, (p, m) => ({ ...p, at: applied(m, p.at) })),
    layers: drawing.layers.map((layer) =>
      names.has(layer.name)
        ? { ...layer, contours: places.flatMap((m, i) => layer.contours.map((contour) => (still && i === 0 ? contour : placed(contour, m)))) }
        : layer,
    ),
  };
}

/** The layers that are arranged. @throws Unusable as told above */
function chosenOf(drawing: Drawing, how: Arrangement): { names: ReadonlySet<string>; chosen: Drawing['layers'] } {
  const names = new Set(how.layers ?? drawing.layers.map((l) => l.name));
  const unknown = [...names].find((n) => !drawing.layers.some((l) => l.name === n));
  if (unknown !== undefined) throw new Unusable('no-such-layer', `There is no layer "${unknown}".`, 'Choose layers that are there.');
  const chosen = drawing.layers.filter((l) => names.has(l.name));
  const count = chosen.reduce((n, l) => n + l.contours.length, 0);
  if (count === 0) throw new Unusable('nothing-arranged', 'Those layers hold no contour.', 'Choose layers with contours.');
  const copies = how.columns * how.rows;
  if (copies > mostCopies || copies * count > mostContours)
    throw new Unusable(
      'too-many-copies',
      `${copies.toLocaleString('en')} copies make ${(copies * count).toLocaleString('en')} contours.`,
      'Make fewer at a time.',
    );
  return { names, chosen };
}
