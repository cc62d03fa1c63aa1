import { throughPlane } from 'tall-kite/trace/plane';
import type { FlatPicture } from './FlatStage.ts';

/** How strongly the picture shows beneath its contours. */
const pale = 0.45;
/** A picture that leans is drawn in so many strips each way, each of them as if it did not. */
const strips = 20;

/** Draws the picture beneath a drawing, in perspective where its map has one. @param toScreen places at the machine to the canvas, CSS pixels */
export function drawBeneath(
  c: CanvasRenderingContext2D,
  { image, width, height, map }: NonNullable<FlatPicture['beneath']>,
  toScreen: (x: number, y: number) => [number, number],
): void {
  const at = (x: number, y: number) => toScreen(...throughPlane(map, x, y));
  // What is shown may have fewer pixels than the file.
  const [sx, sy] = [image.width / width, image.height / height];
  const leans = Math.abs(map[6] * width) + Math.abs(map[7] * height) > 1e-9;
  const n = leans ? strips : 1;
  c.save();
  c.globalAlpha = pale;
  c.imageSmoothingEnabled = false;
  for (let j = 0; j < n; j++)
    for (let i = 0; i < n; i++) {
      const [x0, x1, y0, y1] = [(width * i) / n, (width * (i + 1)) / n, (height * j) / n, (height * (j + 1)) / n];
      const [a, b, d, e] = [at(x0, y0), at(x1, y0), at(x0, y1), at(x1, y1)];
      c.save();
      if (leans) {
        c.beginPath();
        c.moveTo(...a);
        c.lineTo(...b);
        c.lineTo(...e);
        c.lineTo(...d);
        c.closePath();
        c.clip();
      }
      c.transform((b[0] - a[0]) / (x1 - x0), (b[1] - a[1]) / (x1 - x0), (d[0] - a[0]) / (y1 - y0), (d[1] - a[1]) / (y1 - y0), a[0], a[1]);
      const more = leans ? (x1 - x0) * 0.08 : 0;
      const [w, h] = [Math.min(width, x1 + more) - x0, Math.min(height, y1 + more) - y0];
      c.drawImage(image, x0 * sx, y0 * sy, w * sx, h * sy, 0, 0, w, h);
      c.restore();
    }
  c.restore();
}
