/** Kinds of picture files that are opened. */
export type PictureKind = 'PNG' | 'JPEG' | 'WebP' | 'GIF' | 'BMP' | 'TIFF';

const ascii = (bytes: Uint8Array, from: number, text: string): boolean => [...text].every((c, i) => bytes[from + i] === c.charCodeAt(0));

/** What the first bytes say; null for anything else. Sources: the signatures of PNG (ISO 15948), JFIF (T.871), WebP, GIF89a, BMP and TIFF 6. */
export function pictureKind(bytes: Uint8Array): PictureKind | null {
  if (ascii(bytes, 0, '\x89PNG\r\n\x1a\n')) return 'PNG';
  if (bytes[0] === 0xff && bytes[1] === 0xd8 && bytes[2] === 0xff) return 'JPEG';
  if (ascii(bytes, 0, 'RIFF') && ascii(bytes, 8, 'WEBP')) return 'WebP';
  if (ascii(bytes, 0, 'GIF87a') || ascii(bytes, 0, 'GIF89a')) return 'GIF';
  if (ascii(bytes, 0, 'II*\0') || ascii(bytes, 0, 'MM\0*') || ascii(bytes, 0, 'II+\0') || ascii(bytes, 0, 'MM\0+')) return 'TIFF';
  // "BM" alone begins many a text: the length it states and its header's size must be possible too.
  if (ascii(bytes, 0, 'BM') && bytes.length > 26 && bytes[6] + bytes[7] + bytes[8] + bytes[9] === 0 && [12, 40, 52, 56, 108, 124].includes(bytes[14]))
    return 'BMP';
  return null;
}

/** Pixels an inch as a PNG or JPEG states them; null when it states none, or only their proportion. Sources: PNG pHYs; JFIF density. */
export function statedPerInch(bytes: Uint8Array, kind: PictureKind): number | null {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (kind === 'PNG') {
    for (let at = 8; at + 12 <= bytes.length;) {
      const length = view.getUint32(at);
      if (ascii(bytes, at + 4, 'pHYs') && at + 17 <= bytes.length) return bytes[at + 16] === 1 ? view.getUint32(at + 8) * 0.0254 : null;
      if (ascii(bytes, at + 4, 'IDAT')) return null;
      at += 12 + length;
    }
    return null;
  }
  if (kind !== 'JPEG') return null;
  for (let at = 2; at + 18 <= bytes.length && bytes[at] === 0xff; at += 2 + view.getUint16(at + 2)) {
    if (bytes[at + 1] !== 0xe0 || !ascii(bytes, at + 4, 'JFIF\0')) continue;
    const [units, density] = [bytes[at + 11], view.getUint16(at + 12)];
    return density > 1 && units === 1 ? density : density > 1 && units === 2 ? density * 2.54 : null;
  }
  return null;
}
