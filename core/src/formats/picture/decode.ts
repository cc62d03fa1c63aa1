import { Unusable } from '../../base/finding.ts';
import type { PictureOrigin } from '../../trace/origin.ts';
import { checkSize, type Picture } from '../../trace/picture.ts';
import { pictureKind, statedPerInch, type PictureKind } from './kinds.ts';

/** Pixels an inch that a file may state and that make sense. */
const believable = [10, 20_000];

const broken = (kind: PictureKind, why: string) =>
  new Unusable(
    'bad-picture',
    `The ${kind} can't be decoded: ${why.replace(/\s+/g, ' ').slice(0, 160)}.`,
    'Open it in a picture program and save it again as PNG.',
  );

/**
 * The pixels of a PNG, JPEG, WebP, GIF (first picture), BMP or TIFF, turned as it says it was held. Its size is looked at before anything is decoded.
 * Only where Node runs: the decoder is native, and bundlers are told to leave it alone.
 * @throws Unusable when it is damaged, too large, or in printing inks (CMYK).
 */
export async function decodePicture(bytes: Uint8Array): Promise<Picture> {
  const kind = pictureKind(bytes);
  if (!kind) throw new Unusable('no-picture', 'These bytes are no PNG, JPEG, WebP, GIF, BMP or TIFF.', 'Save the picture as PNG.');
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
    return { width: info.width, height: info.height, data: values, perMm: perMmOf(perInch) };
  } catch (thrown) {
    throw broken(kind, (thrown as Error).message);
  }
}

/** PNG and JPEG state their own, or have it in EXIF; the decoder reads TIFF's tags. */
function perInchOf(bytes: Uint8Array, kind: PictureKind, { exif, density }: { exif?: Uint8Array; density?: number }): number | null {
  if (kind === 'TIFF') return density ?? null;
  return kind === 'PNG' || kind === 'JPEG' ? (statedPerInch(bytes, kind) ?? exifPerInch(exif)) : null;
}

const perMmOf = (perInch: number | null): number | null => (perInch !== null && perInch >= believable[0] && perInch <= believable[1] ? perInch / 25.4 : null);

/** Pixels an inch of an EXIF block: tags 0x11a (across) and 0x128 (unit) of its first list. Source: EXIF 2.32, TIFF 6. Cameras put 72 there without meaning it. */
function exifPerInch(exif: Uint8Array | undefined): number | null {
  if (!exif || exif.length < 20) return null;
  const from = exif[0] === 0x45 && exif[1] === 0x78 ? 6 : 0;
  const view = new DataView(exif.buffer, exif.byteOffset + from, exif.byteLength - from);
  const little = view.getUint16(0) === 0x4949;
  try {
    const list = view.getUint32(4, little);
    let [value, unit] = [null as number | null, 2];
    for (let i = 0; i < Math.min(200, view.getUint16(list, little)); i++) {
      const at = list + 2 + i * 12;
      const tag = view.getUint16(at, little);
      if (tag === 0x128) unit = view.getUint16(at + 8, little);
      if (tag === 0x11a) {
        const where = view.getUint32(at + 8, little);
        value = view.getUint32(where, little) / view.getUint32(where + 4, little);
      }
    }
    if (value === null || !Number.isFinite(value) || value === 72) return null;
    return unit === 3 ? value * 2.54 : unit === 2 ? value : null;
  } catch {
    // A list that points outside is no list.
    return null;
  }
}

async function decodeBmp(bytes: Uint8Array): Promise<Picture> {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const core = view.getUint32(14, true) === 12;
  if (bytes.length < 54) throw broken('BMP', 'it ends within its header');
  checkSize(core ? view.getUint16(18, true) : Math.abs(view.getInt32(18, true)), core ? view.getUint16(20, true) : Math.abs(view.getInt32(22, true)));
  const { decode } = await import(/* turbopackIgnore: true */ 'bmp-ts');
  try {
    const { width, height, data } = decode(Buffer.from(bytes), { toRGBA: true });
    if (data.length !== width * height * 4) throw new Error('it ends early');
    const values = new Uint8Array(data);
    // Only pictures of 32 bits have an opacity, and few of those mean it.
    if (!values.some((v, i) => i % 4 === 3 && v !== 0)) for (let i = 3; i < values.length; i += 4) values[i] = 255;
    const perMetre = core ? 0 : view.getInt32(38, true);
    return { width, height, data: values, perMm: perMmOf(perMetre > 0 ? perMetre * 0.0254 : null) };
  } catch (thrown) {
    throw broken('BMP', (thrown as Error).message);
  }
}

/** The picture that a drawing was made of, from the bytes of its file: those of a picture, or of pages that hold one. @throws Unusable */
export async function pictureIn(bytes: Uint8Array, within: PictureOrigin['within']): Promise<Picture> {
  return within ? (await import(/* turbopackIgnore: true */ '../pdf/reader.ts')).pictureOfPdf(bytes, within) : decodePicture(bytes);
}

/** Largest side of the picture that is shown beneath contours, pixels. */
const shownSide = 3000;

/** A picture for the screen, as PNG in its own proportions, turned as it says it was held; never larger than needed. @throws Unusable */
export async function pictureForScreen({ width, height, data }: Picture): Promise<Uint8Array> {
  const { default: sharp } = await import(/* turbopackIgnore: true */ 'sharp');
  const eight = data instanceof Uint16Array ? Uint8Array.from(data, (v) => v >> 8) : data;
  return new Uint8Array(
    await sharp(eight, { raw: { width, height, channels: 4 } })
      .resize({ width: shownSide, height: shownSide, fit: 'inside', withoutEnlargement: true })
      .png({ compressionLevel: 3 })
      .toBuffer(),
  );
}
