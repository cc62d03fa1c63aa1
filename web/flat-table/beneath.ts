import { throughPlane } from 'tall-kite/trace/plane';
import type { FlatPicture } from './FlatStage.ts';

/** How strongly the picture shows beneath its contours. */
const pale = 0.45;
/** A picture that leans is drawn in so many strips each way, each of them as if it did not. */
const strips = 24;

/** Draws the picture beneath a drawing, in perspective where its map has one. @param toScreen places at the machine to the canvas, CSS pixels */
export function drawBeneath(
  c: CanvasRenderingContext2D,
  beneath: NonNullable<FlatPicture['beneath']>,
  toScreen: (x: number, y: number) => [number, number],
): void {
  const { image, width, height, map } = beneath;
  const at = (x: number, y: number) => toScreen(...throughPlane(map, x, y));
  const leans = Math.abs(map[6] * width) + Math.abs(map[7] * height) > 1e-9;
  c.save();
  c.globalAlpha = pale;
  if (leans) {
    // Strips overlap, so that no seam shows: drawn in full first, and laid in as one.
    const whole = new OffscreenCanvas(c.canvas.width, c.canvas.height);
    const d = whole.getContext('2d')!;
    d.setTransform(c.getTransform());
    for (let j = 0; j < strips; j++) for (let i = 0; i < strips; i++) strip(d, beneath, at, [i, j]);
    c.setTransform(1, 0, 0, 1, 0, 0);
    c.drawImage(whole, 0, 0);
  } else {
    const [a, b, d] = [at(0, 0), at(width, 0), at(0, height)];
    c.imageSmoothingEnabled = false;
    c.transform((b[0] - a[0]) / width, (b[1] - a[1]) / width, (d[0] - a[0]) / height, (d[1] - a[1]) / height, a[0], a[1]);
    c.drawImage(image, 0, 0, width, height);
  }
  c.restore();
}

/** One strip of a picture that leans, a little larger than its share. */
function strip(
  c: OffscreenCanvasRenderingContext2D,
  { image, width, height }: NonNullable<FlatPicture['beneath']>,
  at: (x: number, y: number) => [number, number],
  [i, j]: [number, number],
): void {
  const [x, y, w, h] = [(width * i) / strips, (height * j) / strips, width / strips, height / strips];
  const [a, b, d] = [at(x, y), at(x + w, y), at(x, y + h)];
  // What is shown may have fewer pixels than the file.
  const [sx, sy] = [image.width / width, image.height / height];
  const [more, below] = [Math.min(width, x + w * 1.06) - x, Math.min(height, y + h * 1.06) - y];
  c.save();
  c.transform((b[0] - a[0]) / w, (b[1] - a[1]) / w, (d[0] - a[0]) / h, (d[1] - a[1]) / h, a[0], a[1]);
  c.drawImage(image, x * sx, y * sy, more * sx, below * sy, 0, 0, more, below);
  c.restore();
}
