import { Unusable } from '../base/finding.ts';
import type { P2 } from '../curves/segment.ts';
import type { TraceChoice } from './choice.ts';
import { smallest, type Picture } from './picture.ts';

/** What of a picture is looked at: all, a part of it, or what lies within four corners. @throws Unusable when nothing is left */
export const lookedAt = (picture: Picture, choice: TraceChoice): Picture =>
  crop(choice.size.kind === 'rectangle' ? onlyWithin(picture, choice.size.corners) : picture, choice.crop);

function crop(picture: Picture, box: TraceChoice['crop']): Picture {
  if (!box) return picture;
  const [left, top, right, bottom] = [Math.max(0, box[0]), Math.max(0, box[1]), Math.min(picture.width, box[2]), Math.min(picture.height, box[3])];
  const [width, height] = [right - left, bottom - top];
  if (width < smallest || height < smallest)
    throw new Unusable('crop', `What is left of the picture has fewer than ${smallest} x ${smallest} pixels.`, 'Crop less.');
  const data = picture.data instanceof Uint16Array ? new Uint16Array(width * height * 4) : new Uint8Array(width * height * 4);
  for (let y = 0; y < height; y++) {
    const from = ((y + top) * picture.width + left) * 4;
    data.set(picture.data.subarray(from, from + width * 4), y * width * 4);
  }
  return { ...picture, width, height, data };
}

/** How far within its sides a rectangle of a known size is looked at, as a share: its own border is no contour. */
const inset = 0.008;

/** A picture with everything outside four corners in the colour that lies along their inside: the table round a sheet of paper is not wanted. */
function onlyWithin(picture: Picture, corners: readonly P2[]): Picture {
  const middle: P2 = [0, 1].map((k) => corners.reduce((sum, c) => sum + c[k], 0) / 4) as P2;
  const quad = corners.map(([x, y]): P2 => [x + (middle[0] - x) * 2 * inset, y + (middle[1] - y) * 2 * inset]);
  const { width, height } = picture;
  const data = picture.data.slice();
  const ground = [0, 1, 2, 3].map((k) => along(picture, quad, k));
  for (let y = 0; y < height; y++) {
    const [from, to] = spanOf(quad, y + 0.5);
    for (let x = 0; x < width; x++) {
      if (x + 0.5 >= from && x + 0.5 <= to) continue;
      for (let k = 0; k < 4; k++) data[(y * width + x) * 4 + k] = ground[k];
    }
  }
  return { ...picture, data };
}

/** Median of a value along the sides of a rectangle, just inside. */
function along({ width, height, data }: Picture, quad: readonly P2[], k: number): number {
  const values: number[] = [];
  quad.forEach(([ax, ay], i) => {
    const [bx, by] = quad[(i + 1) % 4];
    for (let s = 0; s < 200; s++) {
      const x = Math.min(width - 1, Math.max(0, Math.floor(ax + ((bx - ax) * s) / 200)));
      const y = Math.min(height - 1, Math.max(0, Math.floor(ay + ((by - ay) * s) / 200)));
      values.push(data[(y * width + x) * 4 + k]);
    }
  });
  return values.sort((a, b) => a - b)[values.length >> 1];
}

/** Where a row lies within a convex outline. */
function spanOf(quad: readonly P2[], y: number): [number, number] {
  let [from, to] = [Infinity, -Infinity];
  quad.forEach(([ax, ay], i) => {
    const [bx, by] = quad[(i + 1) % quad.length];
    if (ay > y === by > y) return;
    const x = ax + ((bx - ax) * (y - ay)) / (by - ay);
    from = Math.min(from, x);
    to = Math.max(to, x);
  });
  return [from, to];
}
