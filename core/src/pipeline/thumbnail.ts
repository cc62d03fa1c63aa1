import { Unusable } from '../base/finding.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { thumbOfDrawing } from '../curves/thumb.ts';
import { boxOfDrawing, type Drawing } from '../curves/drawing.ts';
import { shaded, usualLook } from '../view/shade.ts';

/** Width and height of the small pictures that are kept, pixels. */
export const thumbSide = 192;
/** Limits of a picture's side that is asked for. */
export const thumbLimits = [16, 2048] as const;

/** A small picture of a mesh as WebP, on nothing. Only where Node runs. @example await thumbnail(mesh) */
export async function thumbnail(mesh: Mesh, side: number = thumbSide): Promise<Uint8Array> {
  const data = shaded(mesh, { ...usualLook, width: side, height: side });
  return webp(data, side);
}

/** A small picture of a drawing's lines as WebP. */
export async function thumbnailOfDrawing(drawing: Drawing, side: number = thumbSide): Promise<Uint8Array> {
  const box = boxOfDrawing(drawing);
  if (!box) throw new Unusable('nothing-to-see', 'The drawing has no lines.', 'Look at what was left out when it was read.');
  const { default: sharp } = await import(/* turbopackIgnore: true */ 'sharp');
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" width="${side}" height="${side}" viewBox="0 0 46 46"><path d="${thumbOfDrawing(drawing, box)}" fill="none" stroke="#2f4f87" stroke-width="0.5" stroke-linejoin="round"/></svg>`;
  return new Uint8Array(await sharp(Buffer.from(svg)).webp({ quality: 82, effort: 2 }).toBuffer());
}

async function webp(data: Uint8ClampedArray, side: number): Promise<Uint8Array> {
  const { default: sharp } = await import(/* turbopackIgnore: true */ 'sharp');
  return new Uint8Array(
    await sharp(data, { raw: { width: side, height: side, channels: 4 } })
      .webp({ quality: 82, alphaQuality: 90, effort: 2 })
      .toBuffer(),
  );
}
