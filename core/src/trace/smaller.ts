import type { P2 } from '../curves/segment.ts';
import type { PictureSize, TraceChoice } from './choice.ts';
import { smallest, type Picture } from './picture.ts';
import { timesPlane } from './plane.ts';
import { trace, type Traced } from './trace.ts';

/** Pixels that are followed while a person still chooses; of a larger picture several are taken as one. */
export const quickPixels = 3_000_000;

/** How many pixels along each side are taken as one, so that no more than `most` are left. @example blockOf({ width: 4000, height: 3000 }, 3e6) // 2 */
export const blockOf = ({ width, height }: Pick<Picture, 'width' | 'height'>, most: number): number =>
  Math.max(1, Math.ceil(Math.sqrt((width * height) / most)));

/**
 * A picture whose pixels are the means of `block` x `block` of another's, by opacity; what is left over at the right and below is left out.
 * @throws RangeError when nothing would be left. @example smaller(picture, 2).width // half of it
 */
export function smaller(picture: Picture, block: number): Picture {
  if (!Number.isInteger(block) || block < 1) throw new RangeError(`Pixels are taken together in whole numbers; ${block} is none.`);
  if (block === 1) return picture;
  const [width, height] = [Math.floor(picture.width / block), Math.floor(picture.height / block)];
  if (width < smallest || height < smallest) throw new RangeError(`${block} x ${block} pixels as one leave nothing of ${picture.width} x ${picture.height}.`);
  const { data } = picture;
  const out = data instanceof Uint16Array ? new Uint16Array(width * height * 4) : new Uint8Array(width * height * 4);
  const sums = new Float64Array(4);
  for (let y = 0, to = 0; y < height; y++)
    for (let x = 0; x < width; x++, to += 4) {
      sums.fill(0);
      for (let v = 0; v < block; v++)
        for (let u = 0, p = ((y * block + v) * picture.width + x * block) * 4; u < block; u++, p += 4) {
          const a = data[p + 3];
          sums[0] += data[p] * a;
          sums[1] += data[p + 1] * a;
          sums[2] += data[p + 2] * a;
          sums[3] += a;
        }
      for (let k = 0; k < 3; k++) out[to + k] = sums[3] > 0 ? Math.round(sums[k] / sums[3]) : 0;
      out[to + 3] = Math.round(sums[3] / (block * block));
    }
  return { width, height, data: out, perMm: picture.perMm === null ? null : picture.perMm / block };
}

/** A choice as it is for the smaller picture: places in its pixels, the same lengths in mm. */
export function smallerChoice(choice: TraceChoice, picture: Picture, block: number): TraceChoice {
  const at = ([x, y]: P2): P2 => [x / block, y / block];
  const { crop } = choice;
  return {
    ...choice,
    crop: crop && [Math.floor(crop[0] / block), Math.floor(crop[1] / block), Math.ceil(crop[2] / block), Math.ceil(crop[3] / block)],
    leave: choice.leave.map(at),
    size: sizeOf(choice.size, picture, block),
  };

  function sizeOf(size: PictureSize, { width }: Picture, by: number): PictureSize {
    switch (size.kind) {
      case 'stated':
        return size;
      case 'per inch':
        return { kind: 'per inch', value: size.value / by };
      case 'width':
        // By its pixels and not its width: the smaller one may lack a few on the right.
        return { kind: 'per inch', value: ((width / size.mm) * 25.4) / by };
      case 'points':
        return { ...size, a: at(size.a), b: at(size.b) };
      case 'rectangle':
        return { ...size, corners: size.corners.map(at) };
    }
  }
}

/**
 * Contours of a picture as they would be, quickly: of a large picture several pixels are taken as one. Figures in pixels are those of the picture itself.
 * @returns also how many pixels along each side were taken as one. @throws Unusable as `trace` does
 */
export function traceQuickly(picture: Picture, choice: TraceChoice, most = quickPixels): Traced & { block: number } {
  const block = blockOf(picture, most);
  if (block === 1) return { ...trace(picture, choice), block };
  const traced = trace(smaller(picture, block), smallerChoice(choice, picture, block));
  const { picture: origin } = traced.drawing;
  const { mean, largest, beyond } = origin.distance;
  return {
    ...traced,
    block,
    drawing: {
      ...traced.drawing,
      picture: {
        ...origin,
        choice,
        width: picture.width,
        height: picture.height,
        map: timesPlane(origin.map, [1 / block, 0, 0, 0, 1 / block, 0, 0, 0, 1]),
        perNumber: origin.perNumber * block,
        near: origin.near * block,
        distance: { mean: mean * block, largest: largest * block, beyond: beyond * block },
      },
    },
  };
}
