import { contourOf, type Contour, type Drawing } from '../src/curves/drawing.ts';
import { circle, fromBulge, type P2, type Segment } from '../src/curves/segment.ts';

/** A rectangle with round corners, counter-clockwise. */
export function roundBox([a, b, c, d]: [number, number, number, number], r: number): Contour {
  const quarter = Math.tan(Math.PI / 8);
  const points: [P2, P2][] = [
    [[a + r, b], [c - r, b]],
    [[c, b + r], [c, d - r]],
    [[c - r, d], [a + r, d]],
    [[a, d - r], [a, b + r]],
  ]; // prettier-ignore
  const segments = points.flatMap(([p, q], i): Segment[] => [{ kind: 'line', a: p, b: q }, ...(r > 0 ? [fromBulge(q, points[(i + 1) % 4][0], quarter)] : [])]);
  return contourOf(segments, true);
}

export const hole = (x: number, y: number, d: number): Contour => contourOf([circle([x, y], d / 2)], true);

/** A slot of a width between two middles. */
export function slotContour([ax, ay]: P2, [bx, by]: P2, width: number): Contour {
  const long = Math.hypot(bx - ax, by - ay);
  const [nx, ny] = [(-(by - ay) / long) * (width / 2), ((bx - ax) / long) * (width / 2)];
  return contourOf(
    [
      { kind: 'line', a: [ax - nx, ay - ny], b: [bx - nx, by - ny] },
      fromBulge([bx - nx, by - ny], [bx + nx, by + ny], 1),
      { kind: 'line', a: [bx + nx, by + ny], b: [ax + nx, ay + ny] },
      fromBulge([ax + nx, ay + ny], [ax - nx, ay - ny], 1),
    ],
    true,
  );
}

export const layered = (layers: Record<string, Contour[]>): Drawing => ({
  layers: Object.entries(layers).map(([name, contours]) => ({ name, colour: null, lineType: 'CONTINUOUS', contours })),
  texts: [],
  points: [],
});

/** A front panel of 80 x 50 with round corners: holes of each kind, a slot, a window, a legend, an opening of the mask, a keep-out. */
export const frontPanel = (): Drawing =>
  layered({
    outline: [roundBox([0, 0, 80, 50], 4)],
    holes: [hole(5, 5, 3.2), hole(75, 5, 3.2), hole(75, 45, 3.2), hole(5, 45, 3.2)],
    plated: [hole(20, 10, 1), hole(22.54, 10, 1), hole(25.08, 10, 1)],
    slot: [slotContour([40, 10], [48, 14], 1.5)],
    window: [roundBox([30, 22, 60, 38], 1)],
    legend: [contourOf([{ kind: 'line', a: [30, 42], b: [60, 42] }, { kind: 'line', a: [60, 42], b: [62, 44] }], false)],
    'legend text': [hole(12, 30, 4), hole(12, 30, 2)],
    mask: [roundBox([64, 20, 72, 30], 0)],
    'keep out': [roundBox([10, 16, 20, 22], 0)],
  }); // prettier-ignore
