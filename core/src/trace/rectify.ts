import { Unusable } from '../base/finding.ts';
import type { P2 } from '../curves/segment.ts';
import { solve } from '../geometry/solve.ts';
import type { PictureSize } from './choice.ts';
import type { Picture } from './picture.ts';
import type { PlaneMap } from './plane.ts';

/**
 * The map that takes four places to four others. Source: Hartley and Zisserman, Multiple View Geometry, 4.1 (four points, exactly).
 * @throws Unusable when three of them lie on a line.
 */
export function fourPoints(from: readonly P2[], to: readonly P2[]): PlaneMap {
  const a: number[] = [];
  const b: number[] = [];
  from.forEach(([x, y], i) => {
    const [u, v] = to[i];
    a.push(x, y, 1, 0, 0, 0, -u * x, -u * y, 0, 0, 0, x, y, 1, -v * x, -v * y);
    b.push(u, v);
  });
  const h = solve(a, b);
  if (!h || !h.every(Number.isFinite)) throw noRectangle();
  return [...h, 1];
}

const noRectangle = () =>
  new Unusable(
    'no-rectangle',
    'The four corners make no rectangle seen from one side: three of them lie on a line, or they go round crosswise.',
    'Pick them in order round it, beginning at the top left one.',
  );

/** What pixels mean in millimetres. */
export interface PictureMap {
  /** Pixels (y down) to pixels that stand upright, about as large; null where nothing leans. */
  upright: PlaneMap | null;
  /** Upright pixels in a millimetre; null when nothing says so. */
  perMm: number | null;
}

/** Pixels in a millimetre that a picture without a size is shown at: 96 an inch, as in CSS. */
export const barePerMm = 96 / 25.4;

/** The map that a size asks for. @throws Unusable when its places are no size. */
export function mapOf(size: PictureSize, picture: Pick<Picture, 'width' | 'perMm'>): PictureMap {
  switch (size.kind) {
    case 'stated':
      return { upright: null, perMm: picture.perMm };
    case 'per inch':
      return { upright: null, perMm: size.value / 25.4 };
    case 'width':
      return { upright: null, perMm: picture.width / size.mm };
    case 'points': {
      const apart = Math.hypot(size.b[0] - size.a[0], size.b[1] - size.a[1]);
      if (apart < 1) throw new Unusable('same-point', 'Both points of the known length are the same pixel.', 'Pick two points that are far apart.');
      return { upright: null, perMm: apart / size.mm };
    }
    case 'rectangle': {
      const { corners, width, height } = size;
      // Round the same way at every corner, or it is no rectangle seen from the front.
      const turns = corners.map(([x, y], i) => {
        const [[ax, ay], [bx, by]] = [corners[(i + 3) % 4], corners[(i + 1) % 4]];
        return (x - ax) * (by - y) - (y - ay) * (bx - x);
      });
      if (!turns.every((t) => t > 1) && !turns.every((t) => t < -1)) throw noRectangle();
      const sides = corners.map(([x, y], i) => Math.hypot(corners[(i + 1) % 4][0] - x, corners[(i + 1) % 4][1] - y));
      const perMm = Math.sqrt(((sides[0] + sides[2]) * (sides[1] + sides[3])) / 4 / (width * height));
      const [w, h] = [width * perMm, height * perMm];
      return {
        upright: fourPoints(corners, [
          [0, 0],
          [w, 0],
          [w, h],
          [0, h],
        ]),
        perMm,
      };
    }
  }
}
