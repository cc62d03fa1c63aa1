import { Unusable } from '../../base/finding.ts';
import type { PictureOrigin } from '../../trace/origin.ts';
import { checkSize, type Picture } from '../../trace/picture.ts';
import { broken, noPicture, pictureKind, statedPerInch, type PictureKind } from './kinds.ts';
import { exifPerInch, perMmOf } from './stated.ts';

/**
 * The pixels of a PNG, JPEG, WebP, GIF (first picture), BMP or TIFF, turned as it says it was held. Its size is looked at before anything is decoded.
 * Only where Node runs: the decoder is native, and bundlers are told to leave it alone.
 * @throws Unusable when it is damaged, too large, or in printing inks (CMYK).
 */
export async function decodePicture(bytes: Uint8Array): Promise<Picture> {
  const kind = pictureKind(bytes);
  if (!kind) throw noPicture();
  if (kind === 'BMP') return decodeBmp(bytes);
  const { default: sharp } = await import(/* turbopackIgnore: true */ 'sharp');
  const options = { failOn: 'error', limitInputPixels: false, unlimited: false } as const;
  let about: Awaited<ReturnType<ReturnType<typeof sharp>['metadata']>>;
  try {
    about = await sharp(bytes, options).metadata();
  } catch (thrown) {
    throw broken(kind, (thrown as Error).message);
  }
  checkSize(about.width, about.height);
  if (about.space === 'cmyk') {
    throw new Unusable('cmyk', `The ${kind} is in printing inks (CMYK), whose colours depend on the press.`, 'Save it in RGB, or in shades of grey.');
  }
  const deep = about.depth !== 'uchar' && about.depth !== 'char';
  try {
    const { data, info } = await sharp(bytes, options)
      .autoOrient()
      .toColourspace(deep ? 'rgb16' : 'srgb')
      .ensureAlpha()
      .raw(deep ? { depth: 'ushort' } : {})
      .toBuffer({ resolveWithObject: true });
    const values = deep ? new Uint16Array(data.buffer.slice(data.byteOffset, data.byteOffset + data.byteLength)) : new Uint8Array(data);
    if (info.channels !== 4) throw new Error(`${info.channels} channels`);
    const perInch = perInchOf(bytes, kind, about);
    const further = (about.pages ?? 1) - 1;
    return { width: info.width, height: info.height, data: values, perMm: perMmOf(perInch), ...(further > 0 ? { further } : {}) };
  } catch (thrown) {
    throw broken(kind, (thrown as Error).message);
  }
}

/** PNG and JPEG state their own, or have it in EXIF; the decoder reads TIFF's tags. */
function perInchOf(bytes: Uint8Array, kind: PictureKind, { exif, density }: { exif?: Uint8Array; density?: number }): number | null {
  if (kind === 'TIFF') return density ?? null;
  return kind === 'PNG' || kind === 'JPEG' ? (statedPerInch(bytes, kind) ?? exifPerInch(exif)) : null;
}

async function decodeBmp(bytes: Uint8Array): Promise<Picture> {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const core = view.getUint32(14, true) === 12;
  if (bytes.length < 54) throw broken('BMP', 'it ends within its header');
  checkSize(core ? view.getUint16(18, true) : Math.abs(view.getInt32(18, true)), core ? view.getUint16(20, true) : Math.abs(view.getInt32(22, true)));
  checkBmpKind(
    core ? 0 : view.getUint32(30, true),
    core ? view.getUint16(24, true) : view.getUint16(28, true),
    core ? view.getUint16(18, true) : view.getInt32(18, true),
  );
  const { decode } = await import(/* turbopackIgnore: true */ 'bmp-ts');
  try {
    // As opacity, blue, green, red: asked for red first, it mixes up the colours of palettes (bmp-ts 1.0.9).
    const { width, height, data } = decode(Buffer.from(bytes), { toRGBA: false });
    if (data.length !== width * height * 4) throw new Error('it ends early');
    const values = new Uint8Array(data.swap32());
    // Only pictures of 32 bits have an opacity, and few of those mean it.
    if (!values.some((v, i) => i % 4 === 3 && v !== 0)) for (let i = 3; i < values.length; i += 4) values[i] = 255;
    const perMetre = core ? 0 : view.getInt32(38, true);
    return { width, height, data: values, perMm: perMmOf(perMetre > 0 ? perMetre * 0.0254 : null) };
  } catch (thrown) {
    throw broken('BMP', (thrown as Error).message);
  }
}

/** What the decoder gets wrong is not given to it: run lengths, and rows of four bits a pixel that end within a byte (bmp-ts 1.0.9). */
function checkBmpKind(compression: number, bits: number, width: number): void {
  const plain = compression === 0 || compression === 3 || compression === 6;
  if (plain && !(bits === 4 && width % 2 !== 0)) return;
  const what = plain ? 'has four bits a pixel and rows of an odd width' : 'is compressed within';
  throw new Unusable('bmp-kind', `The BMP ${what}, which is not read.`, 'Save the picture as PNG.');
}

/** The picture that a drawing was made of, from the bytes of its file: those of a picture, or of pages that hold one. @throws Unusable */
export async function pictureIn(bytes: Uint8Array, within: PictureOrigin['within']): Promise<Picture> {
  return within ? (await import(/* turbopackIgnore: true */ '../pdf/reader.ts')).pictureOfPdf(bytes, within) : decodePicture(bytes);
}

/** Largest side of the picture that is shown beneath contours, pixels. */
const shownSide = 3000;

const rawOf = async ({ width, height, data }: Picture, deep: boolean) => {
  const { default: sharp } = await import(/* turbopackIgnore: true */ 'sharp');
  const raw = { width, height, channels: 4 } as const;
  if (deep && data instanceof Uint16Array) return sharp(data, { raw }).toColourspace('rgb16');
  return sharp(data instanceof Uint16Array ? Uint8Array.from(data, (v) => v >> 8) : data, { raw });
};

/** A picture for the screen, as PNG in its own proportions, turned as it says it was held; never larger than needed. @throws Unusable */
export async function pictureForScreen(picture: Picture): Promise<Uint8Array> {
  const whole = await rawOf(picture, false);
  return new Uint8Array(
    await whole.resize({ width: shownSide, height: shownSide, fit: 'inside', withoutEnlargement: true }).png({ compressionLevel: 3 }).toBuffer(),
  );
}

/** All pixels of a picture as a PNG without a profile, for a page that can't decode the file itself. @throws Unusable */
export async function pictureForPage(picture: Picture): Promise<Uint8Array> {
  return new Uint8Array(await (await rawOf(picture, true)).png({ compressionLevel: 1 }).toBuffer());
}
